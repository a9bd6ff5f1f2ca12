//! The machine that a JavaScript program gives.

use std::io::{self, BufRead, BufReader, Cursor, ErrorKind, Read, Write};
use std::path::{Path, PathBuf};

use vivid_lane_cli::system::{Entry, EntryKind, System};
use wasm_bindgen::prelude::{JsCast, JsValue, wasm_bindgen};

#[wasm_bindgen]
extern "C" {
    /// Files, folders, input and output. Each method may throw an `Error`, whose `code` is that of POSIX where there is one.
    #[derive(Clone)]
    pub type Machine;

    #[wasm_bindgen(method, catch)]
    fn read(this: &Machine, path: &str) -> Result<Vec<u8>, JsValue>;
    /// Some bytes of standard input; none at its end.
    #[wasm_bindgen(method, catch)]
    fn input(this: &Machine) -> Result<Vec<u8>, JsValue>;
    #[wasm_bindgen(method, catch, js_name = isFile)]
    fn is_file(this: &Machine, path: &str) -> Result<bool, JsValue>;
    #[wasm_bindgen(method, catch)]
    fn here(this: &Machine) -> Result<String, JsValue>;
    /// Each a letter (`f` file, `d` folder, `l` link, `o` other) and a name.
    #[wasm_bindgen(method, catch)]
    fn entries(this: &Machine, folder: &str) -> Result<Vec<String>, JsValue>;
    #[wasm_bindgen(method, catch)]
    fn save(this: &Machine, path: &str, bytes: Vec<u8>) -> Result<(), JsValue>;
    #[wasm_bindgen(method, catch)]
    fn create(this: &Machine, path: &str) -> Result<(), JsValue>;
    #[wasm_bindgen(method, catch)]
    fn append(this: &Machine, path: &str, bytes: Vec<u8>) -> Result<(), JsValue>;
    #[wasm_bindgen(method, catch)]
    fn rename(this: &Machine, from: &str, to: &str) -> Result<(), JsValue>;
    #[wasm_bindgen(method, catch, js_name = createFolders)]
    fn create_folders(this: &Machine, path: &str) -> Result<(), JsValue>;
    #[wasm_bindgen(method, catch)]
    fn print(this: &Machine, stream: u8, bytes: Vec<u8>) -> Result<(), JsValue>;

    /// What a method throws.
    type Thrown;
    #[wasm_bindgen(method, getter)]
    fn code(this: &Thrown) -> Option<String>;
    #[wasm_bindgen(method, getter)]
    fn message(this: &Thrown) -> Option<String>;
}

fn thrown(value: JsValue) -> io::Error {
    if !value.is_object() {
        return io::Error::other(value.as_string().unwrap_or_else(|| "it failed".to_owned()));
    }
    let thrown: Thrown = value.unchecked_into();
    let kind = match thrown.code().as_deref() {
        Some("ENOENT") => ErrorKind::NotFound,
        Some("EPIPE") => ErrorKind::BrokenPipe,
        _ => ErrorKind::Other,
    };
    io::Error::new(kind, thrown.message().unwrap_or_else(|| "it failed".to_owned()))
}

fn name(path: &Path) -> String {
    path.display().to_string()
}

impl System for Machine {
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        Ok(Box::new(Cursor::new(self.read(&name(path)).map_err(thrown)?)))
    }

    fn input(&self) -> Box<dyn BufRead> {
        Box::new(BufReader::new(Input { machine: self.clone(), bytes: Cursor::default() }))
    }

    fn is_file(&self, path: &Path) -> bool {
        Machine::is_file(self, &name(path)).unwrap_or(false)
    }

    fn here(&self) -> io::Result<PathBuf> {
        Machine::here(self).map(PathBuf::from).map_err(thrown)
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<Entry>> {
        let entries = Machine::entries(self, &name(folder)).map_err(thrown)?;
        let entry = |text: String| {
            let kind = match text.as_bytes().first() {
                Some(b'f') => EntryKind::File,
                Some(b'd') => EntryKind::Folder,
                Some(b'l') => EntryKind::Link,
                _ => EntryKind::Other,
            };
            let name: String = text.chars().skip(1).collect();
            Entry { path: folder.join(&name), name: Some(name), kind }
        };
        Ok(entries.into_iter().map(entry).collect())
    }

    fn save(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        Machine::save(self, &name(path), bytes.to_vec()).map_err(thrown)
    }

    fn create(&self, path: &Path) -> io::Result<Box<dyn Write>> {
        Machine::create(self, &name(path)).map_err(thrown)?;
        Ok(Box::new(Appending { machine: self.clone(), path: name(path) }))
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        Machine::rename(self, &name(from), &name(to)).map_err(thrown)
    }

    fn create_folders(&self, path: &Path) -> io::Result<()> {
        Machine::create_folders(self, &name(path)).map_err(thrown)
    }
}

/// Standard input, by as much as the machine gives at a time.
struct Input {
    machine: Machine,
    bytes: Cursor<Vec<u8>>,
}

impl Read for Input {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        if self.bytes.position() == self.bytes.get_ref().len() as u64 {
            self.bytes = Cursor::new(self.machine.input().map_err(thrown)?);
        }
        self.bytes.read(room)
    }
}

struct Appending {
    machine: Machine,
    path: String,
}

impl Write for Appending {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.machine.append(&self.path, bytes.to_vec()).map_err(thrown)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Where a call prints: its results, or what it says of them.
#[derive(Clone, Copy)]
pub(crate) enum Stream {
    Out = 1,
    Err = 2,
}

pub(crate) struct Printer {
    machine: Machine,
    stream: Stream,
}

impl Printer {
    pub(crate) fn new(machine: &Machine, stream: Stream) -> Self {
        Self { machine: machine.clone(), stream }
    }
}

impl Write for Printer {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.machine.print(self.stream as u8, bytes.to_vec()).map_err(thrown)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
