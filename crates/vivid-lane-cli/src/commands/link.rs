//! `link`: the URL of a route.

use std::collections::BTreeMap;
use std::io::Write;

use serde_json::Map;
use vivid_lane::lookup::Shape;
use vivid_lane::{Decision, Link, Request, Table, Value};

use crate::Outcome;
use crate::args::{Format, LinkArgs};
use crate::output::{Failure, json_line, shown};

pub(super) fn run(table: &Table, args: &LinkArgs, format: Format, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let mut given: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for argument in &args.values {
        let (key, value) = argument.split_once('=').ok_or_else(|| {
            Failure::Argument(format!("expected KEY=VALUE, found `{0}`; write `{0}=…`", shown(argument)))
        })?;
        given.entry(key).or_default().push(value);
    }
    let route = table.route(&args.name);
    let is_of_pairs = |key: &str| {
        let mut params = route.iter().flat_map(|route| route.parameters());
        params.any(|param| param.name() == key && param.shape() == Shape::Pairs)
    };
    let mut link = match &args.from {
        None => table.link(&args.name),
        Some(from) => link_from(table, &args.name, from).map_err(Failure::Argument)?,
    };
    for (key, values) in given {
        link = match values.as_slice() {
            pairs if is_of_pairs(key) => link.set(key, pairs_of(key, pairs)?),
            [value] => link.set(key, *value),
            _ => link.set(key, Value::from(values)),
        };
    }
    let url = if args.absolute { link.to_absolute_url() } else { link.to_url() }.map_err(Failure::Link)?;
    match format {
        Format::Text => writeln!(out, "{url}")?,
        Format::Json => json_line(out, Map::from_iter([("url".to_owned(), url.into())]))?,
    }
    Ok(Outcome::Fine)
}

/// Names with values, each as `NAME=VALUE`.
fn pairs_of(key: &str, given: &[&str]) -> Result<Value, Failure> {
    let pair = |text: &&str| {
        let pair = text.split_once('=').map(|(name, value)| (name.to_owned(), value.to_owned()));
        pair.ok_or_else(|| {
            Failure::Argument(format!(
                "`{}` holds names and values: expected `{0}=NAME=VALUE`, found `{0}={}`",
                shown(key),
                shown(text)
            ))
        })
    };
    given.iter().map(pair).collect::<Result<_, _>>().map(Value::Pairs)
}

/// A link to the named route that begins with what the page at a URL has.
///
/// # Errors
/// Why there is no page at that URL.
pub fn link_from<'t>(table: &'t Table, name: &str, from: &str) -> Result<Link<'t>, String> {
    // Whoever stands on a page is allowed to, and what its URL names is listed.
    let listed = |_: &str, _: &str| true;
    match table.decide(&Request::get(from).meets(&|_| true).lists(&listed)) {
        Decision::Page(found) => Ok(found.link(name)),
        other => {
            let from = shown(from);
            let mend = match other.location() {
                Some(location) => format!("it redirects to `{location}`"),
                None => format!("its status is {}", other.status()),
            };
            Err(format!("expected the URL of a page for `--from`, found `{from}`: {mend}"))
        }
    }
}
