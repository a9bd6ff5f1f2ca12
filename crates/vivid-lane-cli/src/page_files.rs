//! A folder of page files.

use std::path::Path;

use vivid_lane_exchange::Notes;

use crate::output::Failure;
use crate::system::{EntryKind, System};
use crate::table_file::read_text;

/// How deep folders are read.
const DEEPEST: usize = 64;

/// The endings of page files, where nothing else is said.
pub(crate) const ENDINGS: [&str; 3] = ["html", "htm", "md"];

/// The page files of a folder.
#[derive(Debug)]
pub(crate) struct PageFiles {
    /// Their names below the folder, and their texts.
    pub(crate) files: Vec<(String, String)>,
    /// What was left out.
    pub(crate) notes: Notes,
}

/// Reads the page files of a folder: those with one of the endings, but none that is hidden.
pub(crate) fn read(system: &dyn System, folder: &Path, endings: &[String]) -> Result<PageFiles, Failure> {
    let mut reader = Reader { system, endings, found: PageFiles { files: Vec::new(), notes: Notes::default() } };
    reader.read(folder, "", DEEPEST)?;
    if reader.found.files.is_empty() {
        let endings = endings.iter().map(|ending| format!(".{}", ending.trim_start_matches('.'))).collect::<Vec<_>>();
        let message =
            format!("no page files in {}: expected names that end with {}", folder.display(), endings.join(", "));
        return Err(Failure::Argument(message));
    }
    Ok(reader.found)
}

/// Whether it is one of the endings.
pub(crate) fn is_page(path: &Path, endings: &[impl AsRef<str>]) -> bool {
    let ending = path.extension().map(|ending| ending.to_string_lossy().to_ascii_lowercase());
    ending.is_some_and(|ending| endings.iter().any(|known| known.as_ref().trim_start_matches('.') == ending))
}

struct Reader<'a> {
    system: &'a dyn System,
    endings: &'a [String],
    found: PageFiles,
}

impl Reader<'_> {
    /// Reads a folder in the order of its names; `above` is how it is called, with a slash at the end.
    fn read(&mut self, folder: &Path, above: &str, deeper: usize) -> Result<(), Failure> {
        let failure = |error| Failure::File { path: folder.to_owned(), error };
        let mut entries = self.system.entries(folder).map_err(failure)?;
        entries.sort_by(|a, b| a.path.file_name().cmp(&b.path.file_name()));
        for entry in entries {
            let path = entry.path.display();
            if entry.path.file_name().is_some_and(|name| name.to_string_lossy().starts_with('.')) {
                continue;
            }
            match entry.kind {
                EntryKind::Link => {
                    self.found.notes.leave_out("link", format!("{path} is a symbolic link, and is not followed"));
                    continue;
                }
                EntryKind::Other => continue,
                EntryKind::File if !is_page(&entry.path, self.endings) => {
                    self.found.notes.leave_out("file", format!("{path} does not end like a page"));
                    continue;
                }
                EntryKind::File | EntryKind::Folder => {}
            }
            let Some(name) = entry.name else {
                self.found.notes.leave_out("file", format!("the name of {path} is not UTF-8"));
                continue;
            };
            if entry.kind == EntryKind::File {
                self.found.files.push((format!("{above}{name}"), read_text(self.system, &entry.path)?));
            } else if deeper == 0 {
                self.found
                    .notes
                    .leave_out("folder", format!("{path} is deeper than {DEEPEST} folders, and is not read"));
            } else {
                self.read(&entry.path, &format!("{above}{name}/"), deeper - 1)?;
            }
        }
        Ok(())
    }
}
