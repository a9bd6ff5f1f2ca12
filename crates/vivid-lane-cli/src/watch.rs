//! The files of a table, watched: a save is a new table.

use std::path::{Path, PathBuf};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::Duration;

use notify::{RecommendedWatcher, RecursiveMode, Watcher};

use crate::output::Failure;
use crate::table_file::TableFile;

/// How long the file system must be quiet before a file is read again: editors write in several steps.
const QUIET: Duration = Duration::from_millis(60);

/// Calls a function with the table after each save that changes its texts, as long as what it gives back is kept.
pub(crate) fn watch(
    file: TableFile,
    mut changed: impl FnMut(&TableFile) + Send + 'static,
) -> Result<RecommendedWatcher, Failure> {
    // The folder, as many editors write a new file and put it in the place of the old one.
    let folders: Vec<PathBuf> = file.paths().map(|path| folder_of(&path)).collect();
    let mut known = file;
    watch_folders(&folders, RecursiveMode::NonRecursive, move || {
        let Ok(file) = TableFile::load(Some(Path::new(known.name()))) else { return };
        if !file.has_same_texts(&known) {
            changed(&file);
            known = file;
        }
    })
}

/// Calls a function each time that something in the folders has changed and they are quiet again.
pub(crate) fn watch_folders(
    folders: &[PathBuf],
    mode: RecursiveMode,
    mut changed: impl FnMut() + Send + 'static,
) -> Result<RecommendedWatcher, Failure> {
    let (tell, told) = channel();
    let failure = |error: notify::Error| Failure::Argument(format!("the files cannot be watched: {error}"));
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        // Where nobody listens any more, the watching has ended.
        let _ = event.map(|event| event.kind.is_access()).map(|is_access| (!is_access).then(|| tell.send(())));
    })
    .map_err(failure)?;
    let mut folders = folders.to_vec();
    folders.sort();
    folders.dedup();
    for folder in &folders {
        watcher.watch(folder, mode).map_err(failure)?;
    }
    std::thread::spawn(move || {
        while told.recv().is_ok() {
            // Waits until nothing more comes.
            loop {
                match told.recv_timeout(QUIET) {
                    Ok(()) => {}
                    Err(RecvTimeoutError::Timeout) => break,
                    Err(RecvTimeoutError::Disconnected) => return,
                }
            }
            changed();
        }
    });
    Ok(watcher)
}

fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_owned(),
        _ => PathBuf::from("."),
    }
}
