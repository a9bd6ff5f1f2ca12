//! Words of a call that the table knows, for the shell to complete: names of routes, paths, needs and lists.

use std::ffi::OsStr;
use std::path::PathBuf;

use clap_complete::CompletionCandidate;
use vivid_lane::{RouteRef, Table};

use crate::system::Local;
use crate::table_file::TableFile;

/// The table of the call that is typed. Where there is none, nothing is offered.
fn table() -> Option<Table> {
    let words: Vec<_> = std::env::args_os().collect();
    let named = words.iter().position(|word| word == "--table").and_then(|at| words.get(at + 1)).map(PathBuf::from);
    TableFile::load(&Local, named.as_deref()).ok()?.into_table().ok()
}

fn candidates<'a>(current: &OsStr, all: impl Iterator<Item = (String, &'a str)>) -> Vec<CompletionCandidate> {
    let typed = current.to_string_lossy();
    let fitting = all.filter(|(word, _)| word.starts_with(&*typed));
    fitting.map(|(word, about)| CompletionCandidate::new(word).help(Some(about.to_owned().into()))).collect()
}

/// Names of routes that a link can lead to.
pub(crate) fn routes(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(table) = table() else { return Vec::new() };
    let pages = table.routes().filter(|route| route.page().is_some());
    candidates(current, pages.map(|route| (route.name().to_owned(), route.path().as_str())))
}

/// Addresses, and the beginnings of those that have parameters.
pub(crate) fn urls(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(table) = table() else { return Vec::new() };
    let begins = |route: RouteRef<'_>| {
        let path = route.path().as_str();
        let begin = path.split(['{', '?']).next().unwrap_or_default();
        if begin.is_empty() { "/".to_owned() } else { begin.to_owned() }
    };
    let mut urls: Vec<(String, &str)> = table.routes().map(|route| (begins(route), route.name())).collect();
    urls.sort_unstable();
    urls.dedup_by(|one, other| one.0 == other.0);
    candidates(current, urls.into_iter())
}

pub(crate) fn needs(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(table) = table() else { return Vec::new() };
    candidates(current, table.needs().map(|need| (need.to_owned(), "")))
}

/// The names of live lists, to be given a file.
pub(crate) fn lists(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(table) = table() else { return Vec::new() };
    candidates(current, table.lists().map(|list| (format!("{list}="), "")))
}
