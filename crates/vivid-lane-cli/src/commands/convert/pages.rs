//! A folder of page files.

use std::path::Path;

use vivid_lane::TableSpec;
use vivid_lane_exchange::Notes;
use walkdir::WalkDir;

use crate::output::Failure;
use crate::table_file::read_text;

/// How deep folders are read.
const DEEPEST: usize = 64;

/// Reads the page files of a folder: those with one of the endings, but none that is hidden.
pub(super) fn read(folder: &Path, endings: &[String]) -> Result<(TableSpec, Notes), Failure> {
    let mut files = Vec::new();
    let mut notes = Notes::default();
    let walk = WalkDir::new(folder).max_depth(DEEPEST).sort_by_file_name().into_iter();
    let is_hidden = |name: &std::ffi::OsStr| name.to_string_lossy().starts_with('.');
    for entry in walk.filter_entry(|entry| entry.depth() == 0 || !is_hidden(entry.file_name())) {
        let entry = entry.map_err(|error| {
            let path = error.path().unwrap_or(folder).to_owned();
            Failure::File { path, error: error.into() }
        })?;
        let path = entry.path();
        let name = path.strip_prefix(folder).unwrap_or(path);
        if entry.path_is_symlink() {
            notes.leave_out("link", format!("{} is a symbolic link, which is not followed", path.display()));
            continue;
        }
        if !entry.file_type().is_file() {
            continue;
        }
        let ending = path.extension().map(|ending| ending.to_string_lossy().to_ascii_lowercase());
        if !ending.as_ref().is_some_and(|ending| endings.iter().any(|known| known.trim_start_matches('.') == ending)) {
            notes.leave_out("file", format!("{} has not one of the endings of pages", path.display()));
            continue;
        }
        let parts: Option<Vec<&str>> = name.components().map(|part| part.as_os_str().to_str()).collect();
        let Some(parts) = parts else {
            notes.leave_out("file", format!("the name of {} is not UTF-8", path.display()));
            continue;
        };
        files.push((parts.join("/"), read_text(path)?));
    }
    if files.is_empty() {
        let endings = endings.iter().map(|ending| format!(".{}", ending.trim_start_matches('.'))).collect::<Vec<_>>();
        let message =
            format!("no page files in {}: expected names that end with {}", folder.display(), endings.join(", "));
        return Err(Failure::Argument(message));
    }
    Ok((TableSpec::from_pages(files), notes))
}
