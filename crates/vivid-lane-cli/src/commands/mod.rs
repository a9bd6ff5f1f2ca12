//! One module a command. Each writes its result to the writer that it is given.

mod check;
mod convert;
#[cfg(not(target_family = "wasm"))]
mod demo;
mod diff;
mod init;
mod link;
mod match_urls;
mod repeat;
#[cfg(not(target_family = "wasm"))]
mod replay;
mod tree;

use std::io::Write;

use crate::Outcome;
use crate::args::{Cli, Command};
use crate::output::Failure;
use crate::system::System;
use crate::table_file::TableFile;

pub use link::link_from;
pub use repeat::Repeating;

/// Carries out a call. Results go to `out`, diagnostics to `err`.
pub(crate) fn run(
    cli: &Cli,
    system: &dyn System,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let file = || TableFile::load(system, cli.table.as_deref());
    match &cli.command {
        Command::Init(args) => init::run(system, args, out),
        Command::Check(args) if args.watch => {
            can_watch()?;
            let repeating = Repeating::check(system, file()?, args.clone(), cli.format, out, err)?;
            Ok(Outcome::Repeats(Box::new(repeating)))
        }
        Command::Check(args) => check::run(system, file()?, args, cli.format, out, err),
        Command::Tree(args) => tree::run(system, file()?, args, cli.format, out, err),
        Command::Match(args) => match_urls::run(system, &file()?.into_table()?, args, cli.format, out),
        Command::Link(args) => link::run(&file()?.into_table()?, args, cli.format, out),
        Command::Diff(args) => diff::run(system, args, cli.format, out, err),
        #[cfg(not(target_family = "wasm"))]
        Command::Replay(args) => replay::run(system, file()?, args, cli.format, out, err),
        Command::Convert(args) => convert::run(system, cli.table.as_deref(), args, cli.format, out, err),
        #[cfg(feature = "serve")]
        Command::Serve(args) => crate::serve::run(file()?, args, out).map(|()| Outcome::Fine),
        #[cfg(feature = "language-server")]
        Command::LanguageServer => crate::language::run(&match_urls::explained).map(|()| Outcome::Fine),
        Command::Schema => {
            write!(out, "{}", vivid_lane::declare::table_schema())?;
            Ok(Outcome::Fine)
        }
        #[cfg(not(target_family = "wasm"))]
        Command::Completions(args) => {
            let shells = clap_complete::env::Shells::builtins();
            let name = args.shell.to_string();
            if let Some(shell) = shells.completer(&name) {
                shell.write_registration("COMPLETE", "vivid-lane", "vivid-lane", "vivid-lane", out)?;
            }
            Ok(Outcome::Fine)
        }
        #[cfg(feature = "man")]
        Command::Man(args) => {
            let failure = |error| Failure::Write { path: args.folder.clone(), error };
            std::fs::create_dir_all(&args.folder).map_err(failure)?;
            clap_mangen::generate_to(crate::args::command(), &args.folder).map_err(failure)?;
            Ok(Outcome::Fine)
        }
        #[cfg(not(target_family = "wasm"))]
        Command::Demo => demo::run(system, out),
    }
}

/// Files are watched with what `serve` brings, or by the host of the module.
fn can_watch() -> Result<(), Failure> {
    if cfg!(any(feature = "serve", target_family = "wasm")) {
        return Ok(());
    }
    Err(Failure::Argument("this tool was built without `serve`, so it cannot watch files".to_owned()))
}
