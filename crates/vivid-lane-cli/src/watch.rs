//! Folders, watched by the operating system.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use notify::{RecommendedWatcher, RecursiveMode, Watcher};

use crate::output::Failure;

/// How long the file system must be quiet before a file is read again: editors write in several steps.
const QUIET: Duration = Duration::from_millis(60);

/// What is watched, as long as it is kept.
pub(crate) struct Watching {
    _watcher: Arc<Mutex<RecommendedWatcher>>,
}

/// Calls a function at the beginning, as a file may have been saved since it was read, and each time that something beside the files has
/// changed and is quiet again. The function gives the files that are to be watched from then on.
pub(crate) fn watch_files<P: IntoIterator<Item = PathBuf>>(
    files: P,
    mut changed: impl FnMut() -> P + Send + 'static,
) -> Result<Watching, Failure> {
    let mut folders: BTreeSet<PathBuf> = files.into_iter().map(|path| folder_of(&path)).collect();
    let first: Vec<PathBuf> = folders.iter().cloned().collect();
    watch_and_add(&first, RecursiveMode::NonRecursive, true, move |watcher| {
        // A folder that cannot be watched is found to be missing when it is read.
        for folder in changed().into_iter().map(|path| folder_of(&path)) {
            if !folders.contains(&folder) && watcher.watch(&folder, RecursiveMode::NonRecursive).is_ok() {
                folders.insert(folder);
            }
        }
    })
}

/// Calls a function each time that something in the folders has changed and they are quiet again.
pub(crate) fn watch_folders(
    folders: &[PathBuf],
    mode: RecursiveMode,
    mut changed: impl FnMut() + Send + 'static,
) -> Result<Watching, Failure> {
    watch_and_add(folders, mode, false, move |_| changed())
}

/// The same; the function may watch more.
fn watch_and_add(
    folders: &[PathBuf],
    mode: RecursiveMode,
    is_called_first: bool,
    mut changed: impl FnMut(&mut RecommendedWatcher) + Send + 'static,
) -> Result<Watching, Failure> {
    let (tell, heard) = channel();
    if is_called_first {
        // The other end is here.
        let _ = tell.send(());
    }
    let failure = |error: notify::Error| Failure::Argument(format!("the files cannot be watched: {error}"));
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        // Where nobody listens any more, the watching has ended.
        let _ = event.map(|event| event.kind.is_access()).map(|is_access| (!is_access).then(|| tell.send(())));
    })
    .map_err(failure)?;
    for folder in folders {
        watcher.watch(folder, mode).map_err(failure)?;
    }
    let watcher = Arc::new(Mutex::new(watcher));
    // Once the watcher is dropped, nothing is sent any more.
    let weak = Arc::downgrade(&watcher);
    std::thread::spawn(move || {
        while heard.recv().is_ok() {
            // Waits until nothing more comes.
            loop {
                match heard.recv_timeout(QUIET) {
                    Ok(()) => {}
                    Err(RecvTimeoutError::Timeout) => break,
                    Err(RecvTimeoutError::Disconnected) => return,
                }
            }
            let Some(watcher) = weak.upgrade() else { return };
            changed(&mut watcher.lock().unwrap_or_else(PoisonError::into_inner));
        }
    });
    Ok(Watching { _watcher: watcher })
}

fn folder_of(path: &Path) -> PathBuf {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_owned(),
        _ => PathBuf::from("."),
    }
}
