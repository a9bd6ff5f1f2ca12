//! The tool and the library for JavaScript. What is here only hands texts over: the commands are those of `vivid-lane-cli`, the tables those
//! of `vivid-lane`, and all JSON is what the tool prints.
//!
//! A program gives a *machine*, an object with the files that a call may use, in memory or on a disk. The package in `npm/` has one of
//! each, and the functions that people call.

#![forbid(unsafe_code)]

mod machine;
mod table;

use std::io::{LineWriter, Write};

use anstream::StripStream;
use vivid_lane_cli::Repeating;
use wasm_bindgen::prelude::wasm_bindgen;

use crate::machine::{Machine, Printer, Stream};

#[wasm_bindgen]
extern "C" {
    /// Keeps what a panic says, for whoever called.
    #[wasm_bindgen(js_name = brokeDown)]
    fn broke_down(message: &str);
}

#[wasm_bindgen(start)]
fn start() {
    std::panic::set_hook(Box::new(|panic| broke_down(&panic.to_string())));
}

/// A call of the tool that has ended.
#[wasm_bindgen]
pub struct Call {
    status: u8,
    repeating: Option<Box<Repeating>>,
}

#[wasm_bindgen]
impl Call {
    /// The exit status.
    #[wasm_bindgen(getter)]
    pub fn status(&self) -> u8 {
        self.status
    }

    /// For a call that watches, the files whose folders are to be watched.
    pub fn watched(&self) -> Option<Vec<String>> {
        let repeating = self.repeating.as_ref()?;
        Some(repeating.paths().iter().map(|path| path.display().to_string()).collect())
    }

    /// Looks whether the files say something else now, and does the work of the call again if so. False if that failed.
    pub fn look(&mut self, machine: &Machine, colours_out: bool, colours_err: bool) -> bool {
        let Some(repeating) = &mut self.repeating else { return true };
        let mut out = printer(machine, Stream::Out, colours_out);
        let mut err = printer(machine, Stream::Err, colours_err);
        let is_done = repeating.look(machine, &mut out, &mut err);
        // Where this cannot be written, there is nobody to be told.
        let _ = out.flush().and_then(|()| err.flush());
        is_done
    }
}

/// Calls the tool with the words after its name.
#[wasm_bindgen]
pub fn call(
    words: Vec<String>,
    columns: Option<usize>,
    machine: &Machine,
    colours_out: bool,
    colours_err: bool,
) -> Call {
    let mut out = printer(machine, Stream::Out, colours_out);
    let mut err = printer(machine, Stream::Err, colours_err);
    let words = std::iter::once("vivid-lane".to_owned()).chain(words);
    let ended = vivid_lane_cli::call(words, columns, machine, &mut out, &mut err);
    // Where this cannot be written, the exit status still tells.
    let _ = out.flush().and_then(|()| err.flush());
    Call { status: ended.status, repeating: ended.repeating }
}

/// Prints line by line, so that the two streams stay in order.
fn printer(machine: &Machine, stream: Stream, colours: bool) -> LineWriter<Box<dyn Write>> {
    let raw: Box<dyn Write> = Box::new(Printer::new(machine, stream));
    LineWriter::new(if colours { raw } else { Box::new(StripStream::new(raw)) })
}
