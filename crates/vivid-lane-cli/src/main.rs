//! `vivid-lane`: check, try and link a route table from the command line.

mod args;
mod commands;
mod decision_json;
mod output;
mod replay;
mod sarif;
#[cfg(feature = "serve")]
mod serve;
mod table_file;
mod visitor;
#[cfg(feature = "serve")]
mod watch;

use std::process::ExitCode;

use clap::Parser;

use crate::args::Cli;
use crate::output::Failure;

/// How a call ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Outcome {
    /// All is well.
    Fine,
    /// There are findings, or a URL was not answered by a page or a redirect.
    Findings,
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    let mut out = anstream::stdout().lock();
    match commands::run(&cli, &mut out, &mut anstream::stderr()) {
        Ok(Outcome::Fine) => ExitCode::SUCCESS,
        Ok(Outcome::Findings) => ExitCode::from(1),
        // The reader has seen enough (`vivid-lane tree | head`): not an error.
        Err(Failure::Output(error)) if error.kind() == std::io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(failure) => {
            drop(out);
            failure.report();
            ExitCode::from(2)
        }
    }
}
