//! Whose request it is: the host, the needs that are met, the live lists.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use vivid_lane::Table;

use crate::args::KnownArgs;
use crate::output::{Failure, shown};
use crate::system::System;
use crate::table_file::read_text;

/// What the command line says of the visitor.
#[derive(Debug)]
pub(crate) struct Visitor<'a> {
    host: Option<&'a str>,
    meets: &'a [String],
    lists: HashMap<&'a str, HashSet<String>>,
}

impl<'a> Visitor<'a> {
    pub(crate) fn new(
        system: &dyn System,
        table: &Table,
        host: Option<&'a str>,
        args: &'a KnownArgs,
    ) -> Result<Self, Failure> {
        if let Some(unknown) = args.meets.iter().find(|need| !table.needs().any(|known| known == need.as_str())) {
            let known: Vec<String> = table.needs().map(|need| format!("`{need}`")).collect();
            let known =
                if known.is_empty() { "the table has none".to_owned() } else { format!("it has {}", known.join(", ")) };
            return Err(Failure::Argument(format!("the table has no need `{}`; {known}", shown(unknown))));
        }
        Ok(Self { host, meets: &args.meets, lists: read_lists(system, &args.lists)? })
    }

    pub(crate) fn host(&self) -> Option<&'a str> {
        self.host
    }

    /// The live lists by name.
    #[cfg(feature = "serve")]
    pub(crate) fn into_lists(self) -> HashMap<String, HashSet<String>> {
        self.lists.into_iter().map(|(name, values)| (name.to_owned(), values)).collect()
    }

    pub(crate) fn meets(&self, need: &str) -> bool {
        self.meets.iter().any(|met| met == need)
    }

    pub(crate) fn is_listed(&self, list: &str, value: &str) -> bool {
        self.lists.get(list).is_some_and(|values| values.contains(value))
    }
}

/// The live lists of `--list NAME=FILE`: one value a line.
fn read_lists<'a>(system: &dyn System, arguments: &'a [String]) -> Result<HashMap<&'a str, HashSet<String>>, Failure> {
    let mut lists: HashMap<&str, HashSet<String>> = HashMap::new();
    for argument in arguments {
        let (name, path) = named_file(argument, "--list")?;
        lists.entry(name).or_default().extend(lines(system, &path)?);
    }
    Ok(lists)
}

/// The two parts of `NAME=FILE`.
pub(crate) fn named_file<'a>(argument: &'a str, option: &str) -> Result<(&'a str, PathBuf), Failure> {
    let (name, path) = argument
        .split_once('=')
        .ok_or_else(|| Failure::Argument(format!("expected NAME=FILE for `{option}`, found `{}`", shown(argument))))?;
    Ok((name, path.into()))
}

/// The lines of a file, without the empty ones.
pub(crate) fn lines(system: &dyn System, path: &Path) -> Result<Vec<String>, Failure> {
    let text = read_text(system, path)?;
    Ok(text.lines().filter(|line| !line.is_empty()).map(str::to_owned).collect())
}
