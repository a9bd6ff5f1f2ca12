//! Calls that go on: they do their work again whenever their files may have changed.

use std::collections::BTreeSet;
use std::io::{self, Write};
use std::path::PathBuf;

use super::{check, convert};
use crate::args::{CheckArgs, ConvertArgs, Format};
use crate::output::{FAINT, Failure, Styled};
use crate::system::System;
use crate::table_file::TableFile;
use crate::watched::Watched;

/// A call that is to be repeated.
#[derive(Debug)]
pub struct Repeating {
    task: Task,
    format: Format,
}

#[derive(Debug)]
enum Task {
    /// Modules that are written again after each save.
    Modules { table: Box<Watched>, args: ConvertArgs },
    /// A check whose result is printed again when it is another.
    Check { table: PathBuf, files: BTreeSet<PathBuf>, args: CheckArgs, printed: Printed },
}

/// What was printed: results, and what was said of them.
type Printed = (Vec<u8>, Vec<u8>);

impl Repeating {
    pub(super) fn modules(file: TableFile, args: ConvertArgs, format: Format) -> Self {
        Self { task: Task::Modules { table: Box::new(Watched::new(file)), args }, format }
    }

    /// Checks a table, prints the result, and gives what checks it again.
    pub(super) fn check(
        system: &dyn System,
        file: TableFile,
        args: CheckArgs,
        format: Format,
        out: &mut dyn Write,
        err: &mut dyn Write,
    ) -> Result<Self, Failure> {
        let table = PathBuf::from(file.name());
        let files = file.paths().chain(args.handlers.clone()).collect();
        let printed = checked(system, Ok(file), &args, format);
        out.write_all(&printed.0)?;
        err.write_all(&printed.1)?;
        Ok(Self { task: Task::Check { table, files, args, printed }, format })
    }

    /// The files that it reads. When something changes in their folders, it is to look again.
    pub fn paths(&self) -> Vec<PathBuf> {
        match &self.task {
            Task::Modules { table, .. } => table.paths().collect(),
            Task::Check { files, .. } => files.iter().cloned().collect(),
        }
    }

    /// Looks whether the files say something else, and does its work again if so. False if that failed.
    pub fn look(&mut self, system: &dyn System, out: &mut dyn Write, err: &mut dyn Write) -> bool {
        match &mut self.task {
            Task::Modules { table, args } => {
                let written = match table.look(system) {
                    None => return true,
                    Some(Err(failure)) => Err(failure),
                    Some(Ok(file)) => file.table().and_then(|table| {
                        // What is written goes into the folder.
                        convert::modules::run(system, &table, args, self.format, &mut io::sink(), err)
                    }),
                };
                written.map_err(|failure| failure.report(err)).is_ok()
            }
            Task::Check { table, files, args, printed } => {
                let file = TableFile::load(system, Some(table));
                if let Ok(file) = &file {
                    files.extend(file.paths());
                }
                let now = checked(system, file, args, self.format);
                if now == *printed {
                    return true;
                }
                let again = Styled(FAINT, "checked again");
                let headed = if self.format == Format::Text { writeln!(out, "\n{again}\n") } else { Ok(()) };
                *printed = now;
                headed.and_then(|()| out.write_all(&printed.0)).and_then(|()| err.write_all(&printed.1)).is_ok()
            }
        }
    }
}

/// What a check prints.
fn checked(system: &dyn System, file: Result<TableFile, Failure>, args: &CheckArgs, format: Format) -> Printed {
    let (mut out, mut err) = (Vec::new(), Vec::new());
    if let Err(failure) = file.and_then(|file| check::run(system, file, args, format, &mut out, &mut err)) {
        failure.report(&mut err);
    }
    (out, err)
}
