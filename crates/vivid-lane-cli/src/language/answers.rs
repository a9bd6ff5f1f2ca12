//! What an editor asks about a place in a table.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use serde_json::{Value as Json, json};
use vivid_lane::analyse::Verdict;
use vivid_lane::declare::{Format, Mention, NameKind, table_schema};
use vivid_lane::{Request, RouteRef, Table, Value};

use super::Explain;
use super::desk::{Desk, TableOnDesk, uri_of};
use super::text::{Text, to_byte};

/// The command that answers what a URL leads to: a file of the table, and the URL.
pub(super) const TRY: &str = "vivid-lane.try";

/// Where an editor points at.
pub(super) struct Spot<'d> {
    pub(super) table: &'d TableOnDesk,
    path: PathBuf,
    byte: usize,
}

impl<'d> Spot<'d> {
    pub(super) fn of(desk: &'d Desk, params: &Json) -> Option<Self> {
        let (table, path) = desk.at(&params["textDocument"]["uri"])?;
        let byte = to_byte(table.text(&path), &params["position"]);
        Some(Self { table, path, byte })
    }

    fn text(&self) -> &'d Text {
        self.table.text(&self.path)
    }

    /// The name that it points at.
    pub(super) fn mention(&self) -> Option<&'d Mention> {
        self.table.mentions.iter().find(|one| is_in(self.table, one, &self.path) && touches(one, self.byte))
    }

    /// The route whose header it stands in: in `[routes.nights.night]`, the names of ancestors are no mentions.
    fn header(&self) -> Option<&'d Mention> {
        let text = self.text();
        let start = text[..self.byte].rfind('\n').map_or(0, |at| at + 1);
        let end = text[self.byte..].find('\n').map_or(text.len(), |at| self.byte + at);
        let is_header = text[start..end].trim_start().starts_with('[');
        let mut here =
            self.table.mentions.iter().filter(|_| is_header).filter(|one| is_in(self.table, one, &self.path));
        here.find(|one| one.kind() == NameKind::Route && (start..end).contains(&one.place().range().start))
    }

    /// The word that it points at, where names and keys are words.
    fn word(&self) -> &'d str {
        let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-');
        let text = self.text();
        let start = text[..self.byte].rfind(|c| !is_part(c)).map_or(0, |at| at + 1);
        // It may be a letter of several bytes that is none of a word.
        let start = (start..=self.byte).find(|&at| text.is_char_boundary(at)).unwrap_or(self.byte);
        let end = text[self.byte..].find(|c| !is_part(c)).map_or(text.len(), |at| self.byte + at);
        &text[start..end]
    }
}

fn is_in(table: &TableOnDesk, mention: &Mention, path: &Path) -> bool {
    table.file(mention.place().file()) == path
}

fn touches(mention: &Mention, byte: usize) -> bool {
    let range = mention.place().range();
    range.start <= byte && byte <= range.end
}

fn location(table: &TableOnDesk, mention: &Mention) -> Json {
    let path = table.file(mention.place().file());
    json!({ "uri": uri_of(&path), "range": table.text(&path).range(&mention.place().range()) })
}

pub(super) fn hover(desk: &Desk, params: &Json) -> Option<Json> {
    let spot = Spot::of(desk, params)?;
    let (text, range) = match spot.mention().or_else(|| spot.header()) {
        Some(mention) => (about(spot.table, mention)?, spot.text().range(&mention.place().range())),
        None => (key_in_words(spot.word())?, Json::Null),
    };
    let mut answer = json!({ "contents": { "kind": "markdown", "value": text } });
    if !range.is_null() {
        answer["range"] = range;
    }
    Some(answer)
}

fn about(table: &TableOnDesk, mention: &Mention) -> Option<String> {
    let built = table.table.as_ref();
    match mention.kind() {
        NameKind::Route => built?.route(mention.name()).map(|route| route_in_words(table, route)),
        NameKind::Param => {
            let param = built?.route(mention.route())?.parameters().find(|param| param.name() == mention.name())?;
            let rule = if param.label().is_empty() { "any value" } else { param.label() };
            let example = match param.example() {
                Some(Value::Text(text)) => format!(", such as `{text}`"),
                _ => String::new(),
            };
            Some(format!("`{}`: {rule}{example}", mention.name()))
        }
        kind => {
            let uses = table.mentions.iter().filter(|one| one.kind() == kind && one.name() == mention.name());
            let routes: BTreeSet<&str> = uses.map(Mention::route).filter(|route| !route.is_empty()).collect();
            let routes: Vec<String> = routes.into_iter().take(20).map(|route| format!("`{route}`")).collect();
            let what = match kind {
                NameKind::Page => "page",
                NameKind::Frame => "frame",
                NameKind::Need => "need",
                _ => "list",
            };
            let used = if routes.is_empty() {
                "used by no route".to_owned()
            } else {
                format!("used by {}", routes.join(", "))
            };
            Some(format!("{what} `{}`, {used}", mention.name()))
        }
    }
}

fn route_in_words(table: &TableOnDesk, route: RouteRef<'_>) -> String {
    let mut lines = format!("**{}**  `{}`\n", route.name(), route.path().as_str());
    let mut row = |label: &str, text: String| lines += &format!("\n- {label}: {text}");
    if let Some(page) = route.page() {
        row("page", format!("`{page}`"));
    }
    if let Some(to) = route.redirects_to() {
        row("redirects to", format!("`{}`", to.name()));
    }
    if let Some(url) = route.redirects_to_url() {
        row("redirects to", format!("`{}`", url.as_str()));
    }
    let mut frames: Vec<&str> =
        std::iter::successors(Some(route), |route| route.parent()).filter_map(|route| route.frame()).collect();
    frames.reverse();
    if !frames.is_empty() {
        row("frames", frames.join(" › "));
    }
    let needs: Vec<&str> = route.needs().collect();
    if !needs.is_empty() {
        row("needs", needs.join(", "));
    }
    for (name, rule) in route.rules().filter(|(_, rule)| !rule.is_empty()) {
        row(&format!("`{name}`"), rule.to_owned());
    }
    let Some((built, url)) = table.table.as_ref().and_then(|built| Some((built, example(built, route)?))) else {
        return lines;
    };
    row("for example", format!("`{url}`"));
    let explained = built.explain(&Request::get(&url));
    let beaten = explained.candidates().iter().filter(|one| one.verdict() == Verdict::Beaten);
    let beaten: Vec<String> = beaten.map(|one| format!("`{}`", one.route().name())).take(MOST_NAMED).collect();
    if !beaten.is_empty() {
        row("wins against", beaten.join(", "));
    }
    // What was found to answer some of its addresses, or all.
    for finding in &table.findings {
        if let ([own, others @ ..], Some(witness)) = (finding.routes(), finding.witness())
            && own == route.name()
            && matches!(finding.code().as_str(), "captured-link" | "unreachable" | "hidden-redirect")
        {
            let others: Vec<String> = others.iter().take(MOST_NAMED).map(|other| format!("`{other}`")).collect();
            row("loses to", format!("{}, as in `{witness}`", others.join(", ")));
        }
    }
    lines
}

/// How many routes are named in one line.
const MOST_NAMED: usize = 8;

/// A URL of a route, with values that its rules allow. None where another route would answer it.
fn example(built: &Table, route: RouteRef<'_>) -> Option<String> {
    let mut link = built.link(route.name());
    for param in route.parameters().filter(|param| !param.is_optional()) {
        link = link.set(param.name(), param.example()?);
    }
    link.to_url().ok()
}

/// What a key of the table file means.
fn key_in_words(key: &str) -> Option<String> {
    let schema: Json = serde_json::from_str(&table_schema()).ok()?;
    let rooms = schema["$defs"].as_object()?.values().chain([&schema]);
    let mut found = rooms.filter_map(|room| room["properties"][key]["description"].as_str());
    found.next().map(|description| format!("`{key}`: {description}"))
}

/// Names that fit where one types: values of a key, or keys.
pub(super) fn completion(desk: &Desk, params: &Json) -> Option<Json> {
    let spot = Spot::of(desk, params)?;
    let text = spot.text();
    let line = &text[text[..spot.byte].rfind('\n').map_or(0, |at| at + 1)..spot.byte];
    let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.');
    let typed = line.chars().rev().take_while(|&c| is_part(c)).map(char::len_utf8).sum::<usize>();
    let range = text.range(&(spot.byte - typed..spot.byte));
    let key = line[..line.len() - typed].trim_end_matches(['"', '\'', ' ', '[', ',']).trim_end();
    let key = key.strip_suffix(['=', ':']).map(|key| last_word(key.trim_end()));
    let item = |label: &str, kind: u32, detail: &str| {
        let edit = json!({ "range": range, "newText": label });
        json!({ "label": label, "kind": kind, "detail": detail, "textEdit": edit, "filterText": label })
    };
    let names = |kind: NameKind| -> Vec<Json> {
        let all: BTreeSet<&str> = spot
            .table
            .mentions
            .iter()
            .filter(|one| one.kind() == kind && !touches(one, spot.byte))
            .map(Mention::name)
            .collect();
        all.into_iter().map(|name| item(name, 12, "")).collect()
    };
    let formats = || Format::built_in().map(|(name, expected)| item(name, 12, expected)).collect();
    let items: Vec<Json> = match key {
        Some("redirect" | "otherwise" | "to") => {
            let built = spot.table.table.as_ref();
            let path = |name: &str| built.and_then(|table| table.route(name)).map_or("", |route| route.path().as_str());
            let routes = spot.table.mentions.iter().filter(|one| one.kind() == NameKind::Route && one.is_declaration());
            let all: BTreeMap<&str, &str> = routes.map(|one| (one.name(), path(one.name()))).collect();
            all.into_iter().map(|(name, path)| item(name, 12, path)).collect()
        }
        Some("page" | "fallback") => names(NameKind::Page),
        Some("frame") => names(NameKind::Frame),
        Some("needs") => names(NameKind::Need),
        Some("listed") => names(NameKind::List),
        Some("format") => formats(),
        // A rule may be the name of a format.
        Some(_) if is_rule(text, line, spot.byte) => formats(),
        Some(_) => Vec::new(),
        None => keys(text, spot.byte).into_iter().map(|(key, description)| item(&key, 10, &description)).collect(),
    };
    Some(json!({ "isIncomplete": false, "items": items }))
}

fn last_word(text: &str) -> &str {
    let text = text.trim_end_matches(['"', '\'']);
    text.rsplit(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-'))).next().unwrap_or_default()
}

/// Whether it is the value of a parameter's rule: of `params.x`, or of a key under `[params]`.
fn is_rule(text: &str, line: &str, byte: usize) -> bool {
    line.trim_start().starts_with("params.") || header(text, byte).is_some_and(|header| last_word(header) == "params")
}

/// The header above a place in TOML.
fn header(text: &str, byte: usize) -> Option<&str> {
    let lines = text[..byte].lines().rev().map(str::trim);
    lines.filter_map(|line| line.strip_prefix('[')).find_map(|line| line.split(']').next())
}

/// The keys that can stand at a place, with what they mean.
fn keys(text: &str, byte: usize) -> Vec<(String, String)> {
    let schema: Json = serde_json::from_str(&table_schema()).unwrap_or_default();
    let header = header(text, byte).unwrap_or("routes");
    let room = match header.split('.').next().unwrap_or_default().trim() {
        "site" => &schema["$defs"]["site"],
        "needs" => &schema["$defs"]["need"],
        "params" => &schema["$defs"]["keywords"],
        _ => &schema["$defs"]["route"],
    };
    let keys = room["properties"].as_object().into_iter().flatten();
    keys.map(|(key, about)| (key.clone(), about["description"].as_str().unwrap_or_default().to_owned())).collect()
}

pub(super) fn definition(desk: &Desk, params: &Json) -> Option<Json> {
    let spot = Spot::of(desk, params)?;
    let asked = spot.mention()?;
    let all = spot.table.mentions.iter().filter(|one| is_same(one, asked) && one.is_declaration());
    Some(all.map(|one| location(spot.table, one)).collect())
}

pub(super) fn references(desk: &Desk, params: &Json) -> Option<Json> {
    let spot = Spot::of(desk, params)?;
    let asked = spot.mention()?;
    let with_declaration = params["context"]["includeDeclaration"].as_bool().unwrap_or(true);
    let all = spot.table.mentions.iter().filter(|one| is_same(one, asked));
    Some(all.filter(|one| with_declaration || !one.is_declaration()).map(|one| location(spot.table, one)).collect())
}

pub(super) fn is_same(one: &Mention, other: &Mention) -> bool {
    one.kind() == other.kind()
        && one.name() == other.name()
        // A parameter is one of its route.
        && (one.kind() != NameKind::Param || one.route() == other.route())
}

pub(super) fn symbols(desk: &Desk, params: &Json) -> Option<Json> {
    let (table, path) = desk.at(&params["textDocument"]["uri"])?;
    let routes: Vec<&Mention> = table
        .mentions
        .iter()
        .filter(|one| one.kind() == NameKind::Route && one.is_declaration() && is_in(table, one, &path))
        .collect();
    let names: BTreeSet<&str> = routes.iter().map(|one| one.name()).collect();
    let mut below: BTreeMap<&str, Vec<&Mention>> = BTreeMap::new();
    for route in routes {
        let parent = route.name().rsplit_once('.').map_or("", |(parent, _)| parent);
        below.entry(if names.contains(parent) { parent } else { "" }).or_default().push(route);
    }
    Some(branch(table, table.text(&path), &below, ""))
}

/// The outline of the routes below one. It is as deep as routes are.
fn branch(table: &TableOnDesk, text: &Text, below: &BTreeMap<&str, Vec<&Mention>>, parent: &str) -> Json {
    let symbol = |route: &&Mention| {
        let built = table.table.as_ref().and_then(|table| table.route(route.name()));
        let range = text.range(&route.place().range());
        json!({
            "name": route.name().rsplit('.').next(),
            "detail": built.map_or("", |route| route.path().as_str()),
            "kind": 5,
            "range": range,
            "selectionRange": range,
            "children": branch(table, text, below, route.name()),
        })
    };
    below.get(parent).into_iter().flatten().map(symbol).collect()
}

/// From the line of each route to the last one that says something before the next route.
pub(super) fn folds(desk: &Desk, params: &Json) -> Option<Json> {
    let (table, path) = desk.at(&params["textDocument"]["uri"])?;
    let lines: Vec<&str> = table.text(&path).lines().collect();
    let routes = table.mentions.iter().filter(|one| one.kind() == NameKind::Route && one.is_declaration());
    // Places count lines from 1.
    let mut begins: Vec<usize> =
        routes.filter(|one| is_in(table, one, &path)).map(|one| one.place().line() - 1).collect();
    begins.sort_unstable();
    begins.dedup();
    let ends = begins.iter().skip(1).copied().chain([lines.len()]);
    let last = |begin: usize, end: usize| {
        (begin..end).rev().find(|&at| says_something(lines.get(at).copied())).unwrap_or(begin)
    };
    let fold = |(&begin, end): (&usize, usize)| json!({ "startLine": begin, "endLine": last(begin, end) });
    Some(begins.iter().zip(ends).map(fold).filter(|fold| fold["startLine"] != fold["endLine"]).collect())
}

/// Whether a line is neither empty nor a remark, which belongs to what follows.
fn says_something(line: Option<&str>) -> bool {
    line.map(str::trim).is_some_and(|line| !line.is_empty() && !line.starts_with('#'))
}

/// The full path behind the name of each route.
pub(super) fn hints(desk: &Desk, params: &Json) -> Option<Json> {
    let (table, path) = desk.at(&params["textDocument"]["uri"])?;
    let text = table.text(&path);
    let built = table.table.as_ref()?;
    let routes = table.mentions.iter().filter(|one| one.kind() == NameKind::Route && one.is_declaration());
    let hint = |one: &Mention| {
        let route = built.route(one.name())?;
        let end = one.place().range().end;
        let end = text[end..].find('\n').map_or(text.len(), |at| end + at);
        // In the file there is its own part of it.
        (route.parent().is_some() && is_in(table, one, &path))
            .then(|| json!({ "position": text.position(end), "label": route.path().as_str(), "paddingLeft": true }))
    };
    Some(routes.filter_map(hint).collect())
}

/// What a URL leads to and why, in words.
pub(super) fn execute(desk: &Desk, explain: Explain<'_>, params: &Json) -> Option<Json> {
    if params["command"] != TRY {
        return None;
    }
    let (table, _) = desk.at(&params["arguments"][0])?;
    let url = params["arguments"][1].as_str()?;
    Some(explain(table.table.as_ref()?, url).into())
}
