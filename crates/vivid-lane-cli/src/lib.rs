//! The commands of `vivid-lane`, to be called on whatever machine there is: see [`call`]. The command-line tool calls them on its own;
//! in JavaScript they are called on what the host gives.
//!
//! ```
//! use std::io::{self, Read};
//! use std::path::{Path, PathBuf};
//! use vivid_lane_cli::system::System;
//!
//! /// A machine that has one file.
//! struct One(&'static str);
//!
//! impl System for One {
//!     fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
//!         if self.is_file(path) { Ok(Box::new(self.0.as_bytes())) } else { Err(io::ErrorKind::NotFound.into()) }
//!     }
//!     fn is_file(&self, path: &Path) -> bool {
//!         path == Path::new("routes.toml")
//!     }
//!     fn here(&self) -> io::Result<PathBuf> {
//!         Ok("/".into())
//!     }
//! }
//!
//! let table = One("[routes.night]\npath = '/nights/{date}'\npage = 'night'\n");
//! let (mut out, mut err) = (Vec::new(), Vec::new());
//! let ended = vivid_lane_cli::call(["vivid-lane", "link", "night", "date=2031-04-02"], None, &table, &mut out, &mut err);
//! assert_eq!((ended.status, out.as_slice(), err.as_slice()), (0, &b"/nights/2031-04-02\n"[..], &b""[..]));
//! ```

mod args;
mod commands;
#[cfg(not(target_family = "wasm"))]
mod complete;
#[cfg(any(feature = "serve", feature = "language-server"))]
mod guard;
mod html;
pub mod json;
#[cfg(feature = "language-server")]
mod language;
mod output;
mod page_files;
mod picture;
mod progress;
#[cfg(not(target_family = "wasm"))]
mod replay;
mod report;
mod sarif;
#[cfg(feature = "serve")]
mod serve;
pub mod system;
mod table_file;
mod visitor;
#[cfg(feature = "serve")]
mod watch;
mod watched;

use std::ffi::OsString;
use std::io::{ErrorKind, Write};

use clap::FromArgMatches;

use crate::args::Cli;
pub use crate::commands::{Repeating, link_from};
use crate::output::Failure;
use crate::system::System;

/// How a command ended.
#[derive(Debug)]
enum Outcome {
    /// All is well.
    Fine,
    /// There are findings, or a URL was not answered by a page or a redirect.
    Findings,
    /// It is to be repeated when files change.
    Repeats(Box<Repeating>),
}

/// How a call ended.
#[derive(Debug)]
pub struct Ended {
    /// The exit status: 0 fine, 1 findings or an unanswered URL, 2 where the call or a file is wrong.
    pub status: u8,
    /// For a call that watches files, what does its work again.
    pub repeating: Option<Box<Repeating>>,
}

/// Carries out a call of the tool, whose first word is the tool's name. Results go to `out`, diagnostics to `err`, both with ANSI escapes
/// for colours; help is as wide as `columns`, or as the terminal of this process.
pub fn call<W: Into<OsString> + Clone>(
    words: impl IntoIterator<Item = W>,
    columns: Option<usize>,
    system: &dyn System,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Ended {
    let ended = |status| Ended { status, repeating: None };
    let mut command = args::command();
    if let Some(columns) = columns {
        command = command.term_width(columns);
    }
    let parsed = command
        .try_get_matches_from_mut(words)
        .and_then(|mut found| Cli::from_arg_matches_mut(&mut found).map_err(|error| error.format(&mut command)));
    let cli = match parsed {
        Ok(cli) => cli,
        // Help and the version are asked for; all else is a mistake in the call. Where this cannot be written, the exit status tells.
        Err(error) => {
            let text = error.render();
            let _ = if error.use_stderr() { write!(err, "{}", text.ansi()) } else { write!(out, "{}", text.ansi()) };
            return ended(if error.use_stderr() { 2 } else { 0 });
        }
    };
    match commands::run(&cli, system, out, err).and_then(|outcome| Ok(out.flush().map(|()| outcome)?)) {
        Ok(Outcome::Fine) => ended(0),
        Ok(Outcome::Findings) => ended(1),
        Ok(Outcome::Repeats(repeating)) => Ended { status: 0, repeating: Some(repeating) },
        // The reader has seen enough (`vivid-lane tree | head`): not an error.
        Err(Failure::Output(error)) if error.kind() == ErrorKind::BrokenPipe => ended(0),
        Err(failure) => {
            // What was printed before it stands before it.
            let _ = out.flush();
            failure.report(err);
            ended(2)
        }
    }
}

/// Answers a shell that completes a call, where one asks (in the variable `COMPLETE`), and ends the process.
#[cfg(not(target_family = "wasm"))]
pub fn complete() {
    clap_complete::CompleteEnv::with_factory(args::command).complete();
}

/// Repeats a call whenever its files change, until the process is stopped; the exit status, where the files cannot be watched.
#[cfg(feature = "serve")]
pub fn repeat(mut repeating: Box<Repeating>) -> u8 {
    let watching = watch::watch_files(repeating.paths(), move || {
        let (mut out, mut err) = (anstream::stdout().lock(), anstream::stderr().lock());
        let looked = guard::guarded("reading the files again", || repeating.look(&system::Local, &mut out, &mut err));
        if let Err(reason) = looked {
            output::Failure::Argument(reason).report(&mut err);
        }
        repeating.paths()
    });
    match watching {
        Ok(_watching) => loop {
            std::thread::park();
        },
        Err(failure) => {
            failure.report(&mut anstream::stderr().lock());
            2
        }
    }
}
