//! A table file that is looked at again when something near it has changed: a save is a new table.

use std::path::{Path, PathBuf};

use crate::output::Failure;
use crate::system::System;
use crate::table_file::TableFile;

/// A table file as it was when it was last looked at.
#[derive(Debug)]
pub(crate) struct Watched {
    file: TableFile,
    /// Why it cannot be read now.
    lost: Option<String>,
}

impl Watched {
    pub(crate) fn new(file: TableFile) -> Self {
        Self { file, lost: None }
    }

    /// The files that the table is made of. An editor may write a new file and put it in the place of the old one, so it is their
    /// folders that are watched.
    pub(crate) fn paths(&self) -> impl Iterator<Item = PathBuf> {
        self.file.paths()
    }

    /// The table, where its texts have changed since the last look; or why they cannot be read; the reason is returned once.
    pub(crate) fn look(&mut self, system: &dyn System) -> Option<Result<&TableFile, Failure>> {
        let file = match TableFile::load(system, Some(Path::new(self.file.name()))) {
            Ok(file) => file,
            Err(failure) => {
                let reason = failure.to_string();
                return (self.lost.replace(reason.clone()) != Some(reason)).then_some(Err(failure));
            }
        };
        if self.lost.take().is_none() && file.has_same_texts(&self.file) {
            return None;
        }
        self.file = file;
        Some(Ok(&self.file))
    }
}
