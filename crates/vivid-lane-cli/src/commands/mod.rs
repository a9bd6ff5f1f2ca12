//! One module a command. Each writes its result to the writer that it is given.

mod check;
mod convert;
mod demo;
mod diff;
mod link;
mod match_urls;
mod replay;
mod tree;

use std::io::Write;

use clap::CommandFactory;

use crate::Outcome;
use crate::args::{Cli, Command};
use crate::output::Failure;
use crate::table_file::TableFile;

/// Carries out a call. Results go to `out`, diagnostics to `err`.
pub(crate) fn run(cli: &Cli, out: &mut dyn Write, err: &mut dyn Write) -> Result<Outcome, Failure> {
    let file = || TableFile::load(cli.table.as_deref());
    match &cli.command {
        Command::Check(args) => check::run(file()?, args, cli.format, out),
        Command::Tree => tree::run(&file()?.into_table()?, cli.format, out),
        Command::Match(args) => match_urls::run(&file()?.into_table()?, args, cli.format, out),
        Command::Link(args) => link::run(&file()?.into_table()?, args, cli.format, out),
        Command::Diff(args) => diff::run(args, cli.format, out),
        Command::Replay(args) => replay::run(file()?, args, cli.format, out),
        Command::Convert(args) => convert::run(cli.table.as_deref(), args, cli.format, out, err),
        #[cfg(feature = "serve")]
        Command::Serve(args) => crate::serve::run(file()?, args, out).map(|()| Outcome::Fine),
        Command::Schema => {
            write!(out, "{}", vivid_lane::declare::table_schema())?;
            Ok(Outcome::Fine)
        }
        Command::Completions(args) => {
            // Into a buffer first, as the generator panics where it cannot write.
            let mut script = Vec::new();
            clap_complete::generate(args.shell, &mut Cli::command(), "vivid-lane", &mut script);
            out.write_all(&script)?;
            Ok(Outcome::Fine)
        }
        Command::Demo => demo::run(out),
    }
}
