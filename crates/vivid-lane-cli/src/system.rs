//! What the commands need of the machine that they run on: files, folders and standard input. The tool has those of its machine; in
//! JavaScript, a program has them from its host.

use std::io::{self, BufRead, Read, Write};
use std::path::{Path, PathBuf};

/// The files and the input of a machine. Each error is shown to the user as it is. What a machine does not say, it does not have: it has no
/// input, and nothing can be written.
pub trait System {
    /// Opens a file to be read. A device, a pipe or a socket is none: it may never end.
    ///
    /// # Errors
    /// Whatever keeps the file from being read.
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>>;

    /// Standard input, to be read once.
    fn input(&self) -> Box<dyn BufRead> {
        Box::new(io::empty())
    }

    /// Whether it is a file, or a link to one.
    fn is_file(&self, path: &Path) -> bool;

    /// The folder that paths begin at, whole.
    ///
    /// # Errors
    /// It may be gone.
    fn here(&self) -> io::Result<PathBuf>;

    /// What a folder holds, in any order.
    ///
    /// # Errors
    /// Whatever keeps the folder from being read.
    fn entries(&self, folder: &Path) -> io::Result<Vec<Entry>> {
        let _ = folder;
        Err(io::ErrorKind::NotFound.into())
    }

    /// Writes a file, whole or not at all. What is a device, a pipe or a socket is written into.
    ///
    /// # Errors
    /// Whatever keeps it from being written.
    fn save(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let _ = (path, bytes);
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    /// Makes a file, or empties it, to be written in parts.
    ///
    /// # Errors
    /// Whatever keeps it from being made.
    fn create(&self, path: &Path) -> io::Result<Box<dyn Write>> {
        let _ = path;
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    /// Gives a file another name, as [`save`](Self::save) would write it there.
    ///
    /// # Errors
    /// Whatever keeps it from having that.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        let _ = (from, to);
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    /// Whether two names are of one file.
    fn is_same(&self, one: &Path, other: &Path) -> bool {
        one == other
    }

    /// Takes a file away.
    ///
    /// # Errors
    /// Whatever keeps it there.
    fn remove(&self, path: &Path) -> io::Result<()> {
        let _ = path;
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    /// Makes a folder and those that it is in; they may be there.
    ///
    /// # Errors
    /// Whatever keeps them from being made.
    fn create_folders(&self, path: &Path) -> io::Result<()> {
        let _ = path;
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }
}

/// What a folder holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its name within the folder; `None` where that is not UTF-8.
    pub name: Option<String>,
    /// Its path.
    pub path: PathBuf,
    /// What it is.
    pub kind: EntryKind,
}

/// What an entry of a folder is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EntryKind {
    /// A file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link, to whatever it is.
    Link,
    /// A device, a pipe, a socket.
    Other,
}

/// The machine that this program runs on.
#[cfg(not(target_family = "wasm"))]
#[derive(Debug, Clone, Copy)]
pub struct Local;

#[cfg(not(target_family = "wasm"))]
impl System for Local {
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        // Looked at first, as opening a pipe waits for whoever writes into it.
        if is_stream(path) {
            return Err(io::Error::other("it is a device, a pipe or a socket; expected a file"));
        }
        Ok(Box::new(std::fs::File::open(path)?))
    }

    fn is_same(&self, one: &Path, other: &Path) -> bool {
        let real = |path: &Path| path.canonicalize().ok().filter(|path| path.is_file());
        real(one).is_some_and(|one| real(other) == Some(one))
    }

    fn input(&self) -> Box<dyn BufRead> {
        Box::new(io::stdin().lock())
    }

    fn is_file(&self, path: &Path) -> bool {
        path.is_file()
    }

    fn here(&self) -> io::Result<PathBuf> {
        std::env::current_dir()
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<Entry>> {
        let entries = std::fs::read_dir(folder)?;
        let entry = |entry: io::Result<std::fs::DirEntry>| {
            let entry = entry?;
            let kind = entry.file_type()?;
            let kind = if kind.is_symlink() {
                EntryKind::Link
            } else if kind.is_dir() {
                EntryKind::Folder
            } else if kind.is_file() {
                EntryKind::File
            } else {
                EntryKind::Other
            };
            Ok(Entry { name: entry.file_name().into_string().ok(), path: entry.path(), kind })
        };
        entries.map(entry).collect()
    }

    fn save(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        if is_stream(path) {
            return std::fs::OpenOptions::new().write(true).open(path)?.write_all(bytes);
        }
        // What a link leads to is replaced, and the link stays.
        let known = path.canonicalize().ok();
        let path = known.as_deref().unwrap_or(path);
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        // As any program writes a file, so that others may read it: a temporary file is the owner's alone.
        #[cfg(unix)]
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
        // It says which name it tried, which is of no use to anyone.
        let plain = |error: io::Error| {
            io::Error::new(error.kind(), error.to_string().split(" at path ").next().unwrap_or_default().to_owned())
        };
        let mut file = builder.tempfile_in(folder).map_err(plain)?;
        file.write_all(bytes)?;
        make_ready(file.as_file(), path)?;
        file.persist(path).map_err(|error| error.error)?;
        Ok(())
    }

    fn create(&self, path: &Path) -> io::Result<Box<dyn Write>> {
        Ok(Box::new(std::fs::File::create(path)?))
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        let mut file = std::fs::File::open(from)?;
        if is_stream(to) {
            io::copy(&mut file, &mut std::fs::OpenOptions::new().write(true).open(to)?)?;
            return std::fs::remove_file(from);
        }
        let known = to.canonicalize().ok();
        let to = known.as_deref().unwrap_or(to);
        make_ready(&file, to)?;
        std::fs::rename(from, to)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_file(path)
    }

    fn create_folders(&self, path: &Path) -> io::Result<()> {
        std::fs::create_dir_all(path)
    }
}

/// Whether something is there that is neither a file nor a folder. Links are followed.
#[cfg(not(target_family = "wasm"))]
fn is_stream(path: &Path) -> bool {
    path.metadata().is_ok_and(|known| !known.is_file() && !known.is_dir())
}

/// Makes a file ready to take the place of another: with its mode and owner, and written to the disk.
#[cfg(not(target_family = "wasm"))]
fn make_ready(file: &std::fs::File, place: &Path) -> io::Result<()> {
    if let Ok(known) = place.metadata() {
        keep_owner(file, &known);
        file.set_permissions(known.permissions())?;
    }
    file.sync_all()
}

/// Gives a new file the owner and group of the one that it takes the place of, where this user may.
#[cfg(unix)]
fn keep_owner(file: &std::fs::File, known: &std::fs::Metadata) {
    use std::os::unix::fs::{MetadataExt, fchown};
    let _ = fchown(file, Some(known.uid()), Some(known.gid()));
}

#[cfg(all(not(unix), not(target_family = "wasm")))]
fn keep_owner(_: &std::fs::File, _: &std::fs::Metadata) {}
