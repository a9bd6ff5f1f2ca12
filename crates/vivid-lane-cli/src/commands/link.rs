//! `link`: the URL of a route.

use std::collections::BTreeMap;
use std::io::Write;

use serde_json::Map;
use vivid_lane::{Table, Value};

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
    let link = given.into_iter().fold(table.link(&args.name), |link, (key, values)| match values.as_slice() {
        [value] => link.set(key, *value),
        _ => link.set(key, Value::from(values)),
    });
    let url = link.to_url().map_err(Failure::Link)?;
    match format {
        Format::Text => writeln!(out, "{url}")?,
        Format::Json => json_line(out, Map::from_iter([("url".to_owned(), url.into())]))?,
    }
    Ok(Outcome::Fine)
}
