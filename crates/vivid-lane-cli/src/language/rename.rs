//! Another name for whatever has one, everywhere at once. A new name is tried first: the table with it has to be the one that it was, but for
//! that name.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::ops::Range;
use std::path::PathBuf;

use serde_json::Value as Json;
use vivid_lane::Table;
use vivid_lane::declare::{Mention, NameKind};

use super::answers::{Spot, is_same};
use super::desk::{Desk, TableOnDesk};
use super::edits::Edits;

pub(super) fn rename(desk: &Desk, params: &Json) -> Result<Json, String> {
    let spot = Spot::of(desk, params).ok_or("this file belongs to no table")?;
    let asked = spot.mention().ok_or("there is no name here")?;
    let new = params["newName"].as_str().unwrap_or_default();
    let table = spot.table;
    if !table.is_current {
        return Err("the table has errors; mend them before you rename".to_owned());
    }
    let (edits, expected): (Edits, Expected<'_>) = match asked.kind() {
        NameKind::Route => {
            let old = asked.name().rsplit('.').next().unwrap_or_default();
            // An editor may offer the full name to be changed.
            let above = asked.name().strip_suffix(old).unwrap_or_default();
            let new = new.strip_prefix(above).unwrap_or(new);
            plain(new, &['-', '_'], "letters, digits, `-` and `_`")?;
            (route(table, asked.name(), new), Expected::Route { old: asked.name(), new: format!("{above}{new}") })
        }
        NameKind::Param => {
            plain(new, &['_'], "letters, digits and `_`")?;
            (param(table, asked, new)?, Expected::Param { old: asked.name(), new })
        }
        _ => {
            plain(new, &['-', '_', '.', '/'], "letters, digits, `-`, `_`, `.` and `/`")?;
            let mut edits = Edits::default();
            table.mentions.iter().filter(|one| is_same(one, asked)).for_each(|one| write(table, one, new, &mut edits));
            (edits, Expected::Other)
        }
    };
    let then = edits.tried(desk, table).filter(|then| then.is_current);
    let is_good = then.is_some_and(|then| match (&table.table, &then.table) {
        (Some(before), Some(after)) => expected.is_met(before, after),
        _ => false,
    });
    if is_good {
        return Ok(edits.to_json(table));
    }
    Err(format!(
        "`{}` cannot be renamed to `{new}`: the table would change in other ways; rename it by hand",
        asked.name()
    ))
}

fn plain(name: &str, more: &[char], expected: &str) -> Result<(), String> {
    if name.is_empty() || !name.chars().all(|c| c.is_alphanumeric() || more.contains(&c)) {
        return Err(format!("expected {expected}, found `{name}`"));
    }
    Ok(())
}

/// What a table is to be after a rename.
enum Expected<'a> {
    Route { old: &'a str, new: String },
    Param { old: &'a str, new: &'a str },
    Other,
}

impl Expected<'_> {
    fn is_met(&self, before: &Table, after: &Table) -> bool {
        let name = |name: &str| match self {
            Self::Route { old, new } if name == *old => new.clone(),
            Self::Route { old, new } => match name.strip_prefix(*old).filter(|rest| rest.starts_with('.')) {
                Some(rest) => format!("{new}{rest}"),
                None => name.to_owned(),
            },
            _ => name.to_owned(),
        };
        // Parameters of other routes may go on with the old name, so both are the same thing here.
        let either = |name: &str| match self {
            Self::Param { old, new } if name == *old => (*new).to_owned(),
            _ => name.to_owned(),
        };
        let shape = |table: &Table, name: &dyn Fn(&str) -> String| {
            let route = |route: vivid_lane::RouteRef<'_>| {
                let rules: BTreeMap<String, String> =
                    route.rules().map(|(param, rule)| (either(param), rule.to_owned())).collect();
                let required: BTreeSet<String> =
                    route.parameters().filter(|param| !param.is_optional()).map(|param| either(param.name())).collect();
                let to = route.redirects_to().map(|to| name(to.name()));
                let needs: Vec<String> = route.needs().map(str::to_owned).collect();
                (name(route.name()), route.page().map(|_| ()), rules, required, to, needs.len())
            };
            table.routes().map(route).collect::<Vec<_>>()
        };
        shape(before, &name) == shape(after, &str::to_owned)
    }
}

/// Writes a name in place of a mention, in its quotes.
fn write(table: &TableOnDesk, one: &Mention, new: &str, edits: &mut Edits) {
    let path = table.file(one.place().file());
    let range = one.place().range();
    let written = table.text(&path).get(range.clone()).unwrap_or_default();
    let quote = written.chars().next().filter(|&c| matches!(c, '"' | '\'')).map_or_else(String::new, String::from);
    edits.write(&path, range, format!("{quote}{new}{quote}"));
}

/// The name of a route is in its own declaration, in those of the routes below it, and wherever one of them is named.
fn route(table: &TableOnDesk, old: &str, new: &str) -> Edits {
    let mut edits = Edits::default();
    let depth = old.split('.').count();
    let is_below = |name: &str| name == old || name.strip_prefix(old).is_some_and(|rest| rest.starts_with('.'));
    for one in table.mentions.iter().filter(|one| one.kind() == NameKind::Route && is_below(one.name())) {
        if one.is_declaration() {
            if one.name() == old {
                write(table, one, new, &mut edits);
            }
            continue;
        }
        // It may be written without the names above its file.
        let path = table.file(one.place().file());
        let written = table.text(&path).get(one.place().range()).unwrap_or_default().trim_matches(['"', '\'']);
        let left_out = one.name().split('.').count() - written.split('.').count();
        let part =
            |(at, part): (usize, &str)| if at + left_out + 1 == depth { new.to_owned() } else { part.to_owned() };
        let name: Vec<String> = written.split('.').enumerate().map(part).collect();
        write(table, one, &name.join("."), &mut edits);
    }
    // In TOML, a header has the names of all routes above its own.
    let is_declared = |one: &&Mention| one.kind() == NameKind::Route && one.is_declaration();
    let declared: HashMap<(PathBuf, usize), &str> = table
        .mentions
        .iter()
        .filter(is_declared)
        .map(|one| ((table.file(one.place().file()), one.place().range().start), one.name()))
        .collect();
    for (path, text) in &table.texts {
        for header in headers(text) {
            let place = header.last().map(|last| (path.clone(), last.start));
            let Some(declared) = place.and_then(|place| declared.get(&place).copied()) else { continue };
            let left_out = declared.split('.').count() + 1 - header.len();
            if is_below(declared) && depth > left_out {
                edits.write(
                    path,
                    header[depth - left_out].clone(),
                    in_place_of(&text[header[depth - left_out].clone()], new),
                );
            }
        }
    }
    edits
}

/// A key in the quotes of the one that it takes the place of.
fn in_place_of(written: &str, new: &str) -> String {
    match written.chars().next() {
        Some(quote @ ('"' | '\'')) => format!("{quote}{new}{quote}"),
        _ => new.to_owned(),
    }
}

/// The headers of a text in TOML that begin with `routes`: the places of their keys.
fn headers(text: &str) -> Vec<Vec<Range<usize>>> {
    let mut headers = Vec::new();
    let mut begin = 0;
    for line in text.split_inclusive('\n') {
        let inner = line.trim_start().strip_prefix('[');
        if let Some(inner) = inner {
            let at = begin + line.len() - inner.len();
            let keys = keys(inner, at);
            if keys.len() > 1 && text[keys[0].clone()].trim_matches(['"', '\'']) == "routes" {
                headers.push(keys);
            }
        }
        begin += line.len();
    }
    headers
}

/// The keys of a header, up to its bracket.
fn keys(inner: &str, at: usize) -> Vec<Range<usize>> {
    let mut keys = Vec::new();
    let mut rest = 0;
    loop {
        rest += inner[rest..].len() - inner[rest..].trim_start().len();
        let length = match inner[rest..].chars().next() {
            Some(quote @ ('"' | '\'')) => inner[rest + 1..].find(quote).map_or(0, |end| end + 2),
            _ => inner[rest..].find(|c: char| !(c.is_alphanumeric() || matches!(c, '-' | '_'))).unwrap_or(0),
        };
        if length == 0 {
            return keys;
        }
        keys.push(at + rest..at + rest + length);
        rest += length;
        let Some(next) = inner[rest..].trim_start().strip_prefix('.') else { return keys };
        rest = inner.len() - next.len();
    }
}

/// A parameter has its name in a path, and in all that the routes below that path say of it. A rule that is shared by name holds routes
/// together.
fn param(table: &TableOnDesk, asked: &Mention, new: &str) -> Result<Edits, String> {
    let old = asked.name();
    let mentions: Vec<&Mention> =
        table.mentions.iter().filter(|one| one.kind() == NameKind::Param && one.name() == old).collect();
    let owners: BTreeSet<&str> = mentions.iter().filter(|one| one.is_declaration()).map(|one| one.route()).collect();
    let owner = |route: &str| {
        let mut route = route;
        loop {
            if let Some(owner) = owners.get(route) {
                return Some(*owner);
            }
            route = route.rsplit_once('.')?.0;
        }
    };
    let is_shared = mentions.iter().any(|one| owner(one.route()).is_none());
    let own = owner(asked.route());
    let is_meant = |route: &str| is_shared || owner(route) == own;
    // What two routes of a redirect have in common is handed on by its name.
    let built = table.table.as_ref().ok_or("there is no table yet")?;
    for route in built.routes() {
        let Some(target) = route.redirects_to() else { continue };
        let has = |route: vivid_lane::RouteRef<'_>| route.parameters().any(|param| param.name() == old);
        let is_given = mentions.iter().any(|one| !one.is_declaration() && one.route() == target.name());
        if has(route) && has(target) && !is_given && is_meant(route.name()) != is_meant(target.name()) {
            return Err(format!(
                "the redirect `{}` hands `{old}` on to `{}` by its name; give it there first: `params = {{ {old} = \"{{{old}}}\" }}`",
                route.name(),
                target.name()
            ));
        }
    }
    let mut edits = Edits::default();
    mentions.iter().filter(|one| is_meant(one.route())).for_each(|one| write(table, one, new, &mut edits));
    Ok(edits)
}
