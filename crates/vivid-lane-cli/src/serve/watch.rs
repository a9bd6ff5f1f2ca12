//! The table file, watched: a save is a new table.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::Duration;

use notify::{RecommendedWatcher, RecursiveMode, Watcher};

use super::State;
use crate::output::{BAD, Failure, GOOD, Styled};
use crate::table_file::TableFile;

/// How long the file system must be quiet before a file is read again: editors write in several steps.
const QUIET: Duration = Duration::from_millis(60);

/// Watches the files of a table as long as what it gives back is kept.
pub(super) fn watch(state: &Arc<State>, file: TableFile) -> Result<RecommendedWatcher, Failure> {
    let (tell, told) = channel();
    let failure = |error: notify::Error| Failure::Argument(format!("the table file cannot be watched: {error}"));
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        // Where nobody listens any more, the server has ended.
        let _ = event.map(|event| event.kind.is_access()).map(|is_access| (!is_access).then(|| tell.send(())));
    })
    .map_err(failure)?;
    // The folder, as many editors write a new file and put it in the place of the old one.
    let mut folders: Vec<PathBuf> = file.paths().map(|path| folder_of(&path)).collect();
    folders.sort();
    folders.dedup();
    for folder in &folders {
        watcher.watch(folder, RecursiveMode::NonRecursive).map_err(failure)?;
    }
    let state = Arc::clone(state);
    std::thread::spawn(move || {
        let mut known = file;
        while told.recv().is_ok() {
            // Waits until nothing more comes.
            loop {
                match told.recv_timeout(QUIET) {
                    Ok(()) => {}
                    Err(RecvTimeoutError::Timeout) => break,
                    Err(RecvTimeoutError::Disconnected) => return,
                }
            }
            let Ok(file) = TableFile::load(Some(Path::new(known.name()))) else { continue };
            if file.has_same_texts(&known) {
                continue;
            }
            let mut err = anstream::stderr().lock();
            use std::io::Write;
            // Where this cannot be written, the pages still tell.
            let _ = match state.reload(&file) {
                Ok(()) => writeln!(err, "{} {}", Styled(GOOD, "reloaded"), file.name()),
                Err(findings) => writeln!(
                    err,
                    "{findings}{}: {} is broken; the table before it is served",
                    Styled(BAD, "error"),
                    file.name()
                ),
            };
            known = file;
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
