//! The mends of findings, as an editor offers them. Each is tried first: with it the finding is gone, and there are not more
//! errors than before.

use std::ops::Range;
use std::path::{Path, PathBuf};

use serde_json::{Value as Json, json};
use vivid_lane::analyse::Differences;
use vivid_lane::declare::{Data, Mention, NameKind, Severity, Syntax};
use vivid_lane::{Finding, Source, TableSpec};
use vivid_lane_exchange::write_data;

use super::desk::{Desk, TableOnDesk};
use super::edits::Edits;
use super::text::to_byte;

/// How many mends are tried for one question.
const MOST_TRIED: usize = 12;

/// A change that may mend something, and what it does in a few words.
struct Mend {
    title: String,
    edits: Edits,
}

pub(super) fn actions(desk: &Desk, params: &Json) -> Option<Json> {
    let (table, path) = desk.at(&params["textDocument"]["uri"])?;
    let text = table.text(&path);
    let asked = to_byte(text, &params["range"]["start"])..to_byte(text, &params["range"]["end"]);
    let is_near = |range: &Range<usize>| range.start <= asked.end && asked.start <= range.end;
    let near = table.findings_in(&path).filter(|one| one.place().is_some_and(|place| is_near(&place.range())));
    let candidates =
        near.flat_map(|finding| candidates(table, &path, finding).into_iter().map(move |mend| (finding, mend)));
    let mends = candidates.take(MOST_TRIED).filter(|(finding, mend)| is_mended(desk, table, finding, &mend.edits));
    let mut actions: Vec<Json> = mends
        .map(|(_, mend)| json!({ "title": mend.title, "kind": "quickfix", "edit": mend.edits.to_json(table) }))
        .collect();
    // The first is what most want.
    if let Some(first) = actions.first_mut() {
        first["isPreferred"] = true.into();
    }
    actions.extend(redirects(desk, table, &path, &is_near));
    Some(actions.into())
}

fn is_mended(desk: &Desk, table: &TableOnDesk, finding: &Finding, edits: &Edits) -> bool {
    let Some(then) = edits.tried(desk, table) else { return false };
    let is_it = |one: &&Finding| (one.code(), one.message()) == (finding.code(), finding.message());
    let count = |table: &TableOnDesk| table.findings.iter().filter(is_it).count();
    // Where it kept others from being seen, one of them may take its place.
    let errors = |table: &TableOnDesk| table.findings.iter().filter(|one| one.severity() == Severity::Error).count();
    count(&then) < count(table) && errors(&then) <= errors(table)
}

fn candidates(table: &TableOnDesk, path: &Path, finding: &Finding) -> Vec<Mend> {
    let text = table.text(path);
    let Some(range) = finding.place().map(|place| place.range()) else { return Vec::new() };
    let help = finding.help().unwrap_or_default();
    let write = |range: Range<usize>, word: &str| Mend {
        title: format!("Write `{word}`"),
        edits: Edits::one(path, range.clone(), in_quotes(&text[range], word)),
    };
    match finding.code().as_str() {
        "unanchored-pattern" => {
            let pattern = text[range.clone()].trim_matches(['"', '\'']);
            let whole = if pattern.contains('|') { format!("(?:{pattern})") } else { pattern.to_owned() };
            vec![write(range, &format!("^{}$", whole.trim_start_matches('^').trim_end_matches('$')))]
        }
        "other-notation" => {
            let Some(word) = quoted(help) else { return Vec::new() };
            let Some(whole) = literal(text, &range) else { return Vec::new() };
            vec![write(whole, word)]
        }
        "unknown-key" if help.contains("`data.") => {
            let word = help.rsplit('`').nth(1).unwrap_or_default();
            vec![write(range, word)]
        }
        "unknown-need" => vec![Mend {
            title: "Declare this need".to_owned(),
            edits: Edits::one(path, text.len()..text.len(), format!("\n{}\n", quoted(help).unwrap_or_default())),
        }],
        "overlap" => {
            let keyword = keyword(table, help);
            let wins = finding.routes().iter().take(2).filter_map(|route| {
                let (file, at) = path_of(table, route)?;
                let edits = add_key(table, &file, &at, "priority", "1")?;
                Some(Mend { title: format!("Let `{route}` win, with `priority = 1`"), edits })
            });
            keyword.into_iter().chain(wins).collect()
        }
        _ => {
            let begins = ["did you mean `", "write `", "write it as `", "lead to `", "declare it: `"];
            let word = begins.iter().find(|begin| help.starts_with(*begin)).and_then(|_| quoted(help));
            word.map(|word| write(range, word)).into_iter().collect()
        }
    }
}

/// The first text between backticks.
fn quoted(help: &str) -> Option<&str> {
    help.split('`').nth(1)
}

/// A word in the quotes of what it takes the place of.
fn in_quotes(written: &str, word: &str) -> String {
    match written.chars().next().filter(|&c| matches!(c, '"' | '\'')) {
        Some(quote) if !word.contains(quote) => format!("{quote}{word}{quote}"),
        _ => word.to_owned(),
    }
}

/// The whole string of a line that a place is in.
fn literal(text: &str, range: &Range<usize>) -> Option<Range<usize>> {
    let begin = text[..range.start].rfind(['"', '\'', '\n'])?;
    let quote = text[begin..].chars().next().filter(|&c| c != '\n')?;
    let end = range.end + text[range.end..].find([quote, '\n'])?;
    text[end..].starts_with(quote).then_some(begin..end + 1)
}

/// The keyword that makes one of two rules the narrower: ``write `minimum = 5` into the rule of `number` of `talks` ``.
fn keyword(table: &TableOnDesk, help: &str) -> Option<Mend> {
    let words: Vec<&str> = help.strip_prefix("write `")?.split('`').collect();
    let [keyword, " into the rule of ", param, " of ", route, ..] = words[..] else { return None };
    let title = format!("Write `{keyword}` into the rule of `{param}`");
    let is_rule = |one: &&Mention| {
        (one.kind(), one.name(), one.route()) == (NameKind::Param, param, route) && !one.is_declaration()
    };
    let rules = table.mentions.iter().filter(is_rule).find_map(|rule| {
        let file = table.file(rule.place().file());
        let text = table.text(&file);
        let end = rule.place().range().end;
        let line = &text[end..end + text[end..].find('\n').unwrap_or(text.len() - end)];
        let value = line.trim_start().strip_prefix('=')?.trim();
        let from = end + line.find(value)?;
        let value = value.split('#').next().unwrap_or_default().trim_end();
        // A table of keywords gets one more, and the name of a format becomes such a table.
        let new = match value.strip_suffix('}') {
            Some(inner) => format!("{}, {keyword} }}", inner.trim_end()),
            None => format!("{{ format = {value}, {keyword} }}"),
        };
        Some(Edits::one(&file, from..from + value.len(), new))
    });
    let edits = rules.or_else(|| {
        let (file, at) = path_of(table, route)?;
        add_key(table, &file, &at, &format!("params.{param}"), &format!("{{ {keyword} }}"))
    })?;
    Some(Mend { title, edits })
}

/// Where the path of a route stands: its own parameters are in it, or its key is on a line below its name.
fn path_of(table: &TableOnDesk, route: &str) -> Option<(PathBuf, Range<usize>)> {
    let is_route = |one: &&Mention| (one.kind(), one.name()) == (NameKind::Route, route) && one.is_declaration();
    let place = table.mentions.iter().find(is_route)?.place();
    let file = table.file(place.file());
    let text = table.text(&file);
    let begin = place.range().end;
    let key = begin + text[begin..].find("path")? + "path".len();
    // The key may be in quotes, too.
    let value = key + text[key..].find(['=', ':'])? + 1;
    let value = value + text[value..].find(|c: char| !c.is_whitespace())?;
    let end = match text[value..].chars().next()? {
        quote @ ('"' | '\'') => value + 1 + text[value + 1..].find(quote)? + 1,
        _ => value + text[value..].find(['\n', ',', ' ', '\r']).unwrap_or(text.len() - value),
    };
    Some((file, value..end))
}

/// Adds a key to a route, behind the value of its path.
fn add_key(table: &TableOnDesk, file: &Path, value: &Range<usize>, key: &str, new: &str) -> Option<Edits> {
    let text = table.text(file);
    let begin = text[..value.start].rfind('\n').map_or(0, |at| at + 1);
    let end = value.end + text[value.end..].find('\n').unwrap_or(text.len() - value.end);
    let indent: String = text[begin..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
    let is_alone = text[begin..value.start].trim_start().starts_with("path");
    match file.extension().and_then(|ending| ending.to_str()) {
        Some("json") => Some(Edits::one(file, value.end..value.end, format!(", \"{key}\": {new}"))),
        // A table of keywords is written in another way there.
        Some("yaml" | "yml") if is_alone && !new.starts_with('{') => {
            Some(Edits::one(file, end..end, format!("\n{indent}{key}: {new}")))
        }
        Some("yaml" | "yml") => None,
        _ if is_alone => Some(Edits::one(file, end..end, format!("\n{indent}{key} = {new}"))),
        _ => Some(Edits::one(file, value.end..value.end, format!(", {key} = {new}"))),
    }
}

/// The redirects that keep addresses alive which have moved since the table was saved, where they lead to a route near.
fn redirects<'a>(
    desk: &'a Desk,
    table: &'a TableOnDesk,
    path: &'a Path,
    is_near: &'a dyn Fn(&Range<usize>) -> bool,
) -> Option<Json> {
    let root = &table.root;
    if !table.is_current {
        return None;
    }
    let routes: Vec<&str> = table
        .mentions
        .iter()
        .filter(|one| one.is_declaration() && table.file(one.place().file()) == path)
        .filter(|one| is_near(&one.place().range()) || path_of(table, one.route()).is_some_and(|(_, at)| is_near(&at)))
        .map(Mention::route)
        .collect();
    if routes.is_empty() {
        return None;
    }
    let (before, spec) = desk.saved_and_now(table)?;
    let found = Differences::since(before, spec).ok()?;
    let is_below = |to: &str| {
        routes.iter().any(|near| to == *near || to.strip_prefix(near).is_some_and(|rest| rest.starts_with('.')))
    };
    let entries: Vec<String> = found
        .redirects()
        .iter()
        .filter(|one| is_below(one.to()))
        .map(|one| format!("\n{}", one.to_string().trim_end()))
        .collect();
    if entries.is_empty() {
        return None;
    }
    let (place, new) = as_written_in(table, root, &entries)?;
    let edits = Edits::one(root, place, new);
    let then = edits.tried(desk, table)?;
    if !then.is_current {
        return None;
    }
    let title = match entries.len() {
        1 => "Keep the old address alive with a redirect".to_owned(),
        count => format!("Keep {count} old addresses alive with redirects"),
    };
    Some(json!({ "title": title, "kind": "quickfix", "edit": edits.to_json(table) }))
}

/// Entries of routes, which are TOML, in the format of a file, and where in it they go: in TOML at its end, else before its first route, whose
/// key has to begin its line.
fn as_written_in(table: &TableOnDesk, file: &Path, entries: &[String]) -> Option<(Range<usize>, String)> {
    let text = table.text(file);
    let syntax = match file.extension().and_then(|ending| ending.to_str()) {
        Some("json") => Syntax::Json,
        Some("yaml" | "yml") => Syntax::Yaml,
        Some("toml") | None => {
            let gap = if text.ends_with('\n') { "" } else { "\n" };
            return Some((text.len()..text.len(), format!("{gap}{}\n", entries.join("\n"))));
        }
        Some(_) => return None,
    };
    let declared = table.mentions.iter().filter(|one| one.kind() == NameKind::Route && one.is_declaration());
    let first =
        declared.filter(|one| table.file(one.place().file()) == file).map(|one| one.place().range().start).min()?;
    let line = text[..first].rfind('\n').map_or(0, |at| at + 1);
    let indent = text[line..first].trim_end_matches('"');
    if !indent.chars().all(char::is_whitespace) {
        return None;
    }
    let declared = TableSpec::read(Source::toml(entries.join("\n"))).to_data();
    let Data::Table(parts) = declared else { return None };
    let (_, routes) = parts.iter().find(|(key, _)| key == "routes")?;
    let written = write_data(routes, syntax);
    let lines: Vec<&str> = match syntax {
        // Without the braces around all of them.
        Syntax::Json => written.lines().filter_map(|line| line.strip_prefix("  ")).collect(),
        _ => written.lines().collect(),
    };
    let comma = if syntax == Syntax::Json { "," } else { "" };
    let lines = lines.iter().map(|line| format!("{indent}{line}")).collect::<Vec<_>>().join("\n");
    Some((line..line, format!("{lines}{comma}\n")))
}
