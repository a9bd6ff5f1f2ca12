//! `convert --to typescript`: a table as modules for browsers, node and the edge.

use std::io::Write;
use std::path::Path;

use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

use super::{differs, notes, write_file};
use crate::Outcome;
use crate::args::{ConvertArgs, Format};
use crate::output::{Failure, GOOD, Styled, counted};
use crate::progress::during;
use crate::system::System;

/// Writes the files into the folder, or holds them against what stands there.
pub(crate) fn run(
    system: &dyn System,
    table: &Table,
    args: &ConvertArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let form = Form { javascript: args.javascript, browser: args.browser, server: args.server };
    let made = during("writing the module", || typescript::files(table, form));
    notes::tell(&[&made.notes], format, args.out.is_none(), err)?;
    let Some(folder) = &args.out else {
        let needs_folder = [("--browser", args.browser), ("--server", args.server), ("--watch", args.watch)];
        if let Some((option, _)) = needs_folder.into_iter().find(|(_, is_given)| *is_given) {
            return Err(Failure::Argument(format!("`{option}` needs a folder; name one with `--out DIR`")));
        }
        out.write_all(made.files[0].text.as_bytes())?;
        return Ok(Outcome::Fine);
    };
    if system.is_file(folder) {
        let name = folder.display();
        return Err(Failure::Argument(format!(
            "{name} is a file; for TypeScript `--out` names the folder of the modules"
        )));
    }
    if args.check {
        return check(system, folder, &made.files, out);
    }
    system.create_folders(folder).map_err(|error| Failure::Write { path: folder.clone(), error })?;
    for file in &made.files {
        write_file(system, &folder.join(file.name), &file.text)?;
    }
    writeln!(err, "{} {} in {}", Styled(GOOD, "wrote"), counted(made.files.len(), "file"), folder.display())?;
    Ok(Outcome::Fine)
}

/// Tells which files are not what the table makes of them now.
fn check(
    system: &dyn System,
    folder: &Path,
    files: &[typescript::File],
    out: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let mut outcome = Outcome::Fine;
    for file in files {
        let Some(stale) = differs(system, &folder.join(file.name), &file.text)? else { continue };
        writeln!(out, "{stale}")?;
        outcome = Outcome::Findings;
    }
    if matches!(outcome, Outcome::Fine) {
        writeln!(out, "{} {} in {}", Styled(GOOD, "current"), counted(files.len(), "file"), folder.display())?;
    }
    Ok(outcome)
}
