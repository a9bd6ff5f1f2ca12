//! `convert`: other forms into tables, tables into other forms.

#[cfg(not(target_family = "wasm"))]
mod log;
pub(super) mod modules;
mod notes;
mod sitemap;

use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};

use vivid_lane::declare::Syntax;
use vivid_lane::{Source, Table, TableSpec};
use vivid_lane_exchange::{Notes, openapi, rewrite, write_data, write_table};

use super::repeat::Repeating;
use crate::Outcome;
use crate::args::{ConvertArgs, Format, From, To};
use crate::output::{BAD, Failure, GOOD, Styled};
use crate::page_files::{self, PageFiles};
use crate::progress::during;
use crate::system::System;
use crate::table_file::{MOST_BYTES, TableFile, nearest_table, read_text, text_of};

/// The most bytes of a description that are read.
const LONGEST: u64 = 64 << 20;

pub(super) fn run(
    system: &dyn System,
    table: Option<&Path>,
    args: &ConvertArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let to_table = match args.to {
        To::Toml => Some(Syntax::Toml),
        To::Json => Some(Syntax::Json),
        To::Yaml => Some(Syntax::Yaml),
        To::Openapi | To::Sitemap | To::Typescript => None,
    };
    args_fit(args)?;
    #[cfg(not(target_family = "wasm"))]
    if args.partial {
        return log::partial(system, args, out, err);
    }
    let read = Input::read(system, table, args, err)?;
    leaves_what_it_reads(system, args, &read.kind)?;
    // A table that cannot be built can be written all the same, so that its errors can be mended in it.
    if let Some(to) = to_table {
        let (text, notes) = match read.as_table(to) {
            // What would be lost of it is found as `check` finds it.
            Err(Failure::Table(findings)) => {
                write!(err, "{findings}")?;
                return Ok(Outcome::Findings);
            }
            written => written?,
        };
        let written = write_out(system, args, &text, out)?;
        notes::tell(&[&read.notes, &notes], format, args.out.is_none(), err)?;
        let judged = read.judged(err);
        return Ok(if matches!(written, Outcome::Findings) { written } else { judged });
    }
    if args.to == To::Typescript && args.watch {
        return watch(system, read.kind, args, format, out, err);
    }
    let (table, read) = (read.kind.table()?, read.notes);
    let (text, notes) = match args.to {
        To::Sitemap => {
            let written = sitemap::run(system, &table, args, out, err)?;
            notes::tell(&[&read, &written.notes], format, args.out.is_none(), err)?;
            return Ok(Outcome::Fine);
        }
        To::Typescript => {
            notes::tell(&[&read], format, args.out.is_none(), err)?;
            return modules::run(system, &table, args, format, out, err);
        }
        _ => {
            let written = openapi::write(&table);
            let is_yaml = args
                .out
                .as_ref()
                .is_some_and(|path| path.extension().is_some_and(|ending| ending == "yaml" || ending == "yml"));
            let to = if is_yaml { Syntax::Yaml } else { Syntax::Json };
            (write_data(&written.document, to), written.notes)
        }
    };
    let written = write_out(system, args, &text, out)?;
    notes::tell(&[&read, &notes], format, args.out.is_none(), err)?;
    Ok(written)
}

/// Options that say nothing of what is to be made are mistakes.
fn args_fit(args: &ConvertArgs) -> Result<(), Failure> {
    let for_modules = [
        ("--browser", args.browser),
        ("--server", args.server),
        ("--javascript", args.javascript),
        ("--watch", args.watch),
    ];
    let given = for_modules.iter().find(|(_, is_given)| *is_given && args.to != To::Typescript);
    if let Some((option, _)) = given {
        return Err(Failure::Argument(format!("`{option}` works only with `--to typescript`; leave it out")));
    }
    if args.check && args.to == To::Sitemap {
        let reason = "a sitemap may have several files, which `--check` does not compare; leave it out";
        return Err(Failure::Argument(reason.to_owned()));
    }
    if args.check && args.out.is_none() {
        let what = if args.to == To::Typescript {
            "folder; name one with `--out DIR`"
        } else {
            "file; name one with `--out FILE`"
        };
        return Err(Failure::Argument(format!("`--check` needs a {what}")));
    }
    Ok(())
}

/// A file that is read is never written by the same call: what the other format cannot say would be lost.
fn leaves_what_it_reads(system: &dyn System, args: &ConvertArgs, read: &Kind) -> Result<(), Failure> {
    let Some(out) = args.out.as_deref().filter(|_| !args.check) else { return Ok(()) };
    let table = match read {
        Kind::File { file: Some(file), .. } => file.paths().collect(),
        _ => Vec::new(),
    };
    #[cfg(not(target_family = "wasm"))]
    let kept = &args.keep;
    #[cfg(target_family = "wasm")]
    let kept = &None::<PathBuf>;
    if !table.iter().chain(&args.inputs).chain(kept).any(|path| system.is_same(path, out)) {
        return Ok(());
    }
    let out = out.display();
    let reason = format!("`{out}` is read by this command, and would be replaced; name another file for `--out`");
    Err(Failure::Argument(reason))
}

/// What was read.
struct Input {
    kind: Kind,
    notes: Notes,
}

enum Kind {
    /// A table file, and the file itself where it is not standard input.
    File { source: Source, file: Option<Box<TableFile>> },
    /// A table that was made of something else.
    Made(Box<TableSpec>),
}

impl Input {
    fn read(
        system: &dyn System,
        table: Option<&Path>,
        args: &ConvertArgs,
        err: &mut dyn Write,
    ) -> Result<Self, Failure> {
        #[cfg(target_family = "wasm")]
        let _ = err;
        let input = args.inputs.first().map(PathBuf::as_path).or(table);
        match args.from {
            From::Table if input == Some(Path::new("-")) => {
                let text = standard_input(system)?;
                let source = match syntax(&text) {
                    Syntax::Json => Source::json(text),
                    Syntax::Yaml => Source::yaml(text),
                    Syntax::Toml => Source::toml(text),
                };
                let source = source.named("standard input");
                Ok(Self { kind: Kind::File { source, file: None }, notes: Notes::default() })
            }
            From::Table => {
                let path = input.map_or_else(|| nearest_table(system), |path| Ok(path.to_owned()))?;
                let source = Source::by_name(path.display().to_string(), read_text(system, &path)?);
                let file = Some(Box::new(TableFile::load(system, Some(&path))?));
                Ok(Self { kind: Kind::File { source, file }, notes: Notes::default() })
            }
            From::Openapi => {
                let path = named(args, "a description: `convert --from openapi FILE`")?;
                let name =
                    if path == Path::new("-") { "standard input".to_owned() } else { path.display().to_string() };
                let text = if path == Path::new("-") { standard_input(system)? } else { bounded_text(system, &path)? };
                let source = if syntax(&text) == Syntax::Json { Source::json(text) } else { Source::yaml(text) };
                let read = during("reading the description", || openapi::read(source.named(name.as_str())))
                    .map_err(|error| Failure::Description { name, error })?;
                Ok(Self { kind: Kind::Made(Box::new(read.table)), notes: read.notes })
            }
            #[cfg(not(target_family = "wasm"))]
            From::Log | From::Sitemap => {
                let text = log::learn(system, args, err)?;
                let source = Source::toml(text).named("the learned table");
                Ok(Self { kind: Kind::File { source, file: None }, notes: Notes::default() })
            }
            From::Pages => {
                let folder = named(args, "a folder: `convert --from pages DIR`")?;
                let PageFiles { files, notes } = page_files::read(system, &folder, &args.ending)?;
                let table = TableSpec::from_pages(files);
                Ok(Self { kind: Kind::Made(Box::new(table)), notes })
            }
        }
    }

    fn as_table(&self, to: Syntax) -> Result<(String, Notes), Failure> {
        match &self.kind {
            Kind::Made(spec) => Ok((write_table(spec, to), Notes::default())),
            Kind::File { source, file } => {
                let rewritten = rewrite(source.clone(), to).map_err(|error| {
                    Failure::Table(match file {
                        Some(file) => file.render(error.findings()),
                        None => format!("{error}\n"),
                    })
                })?;
                Ok((rewritten.text, rewritten.notes))
            }
        }
    }

    /// Tells what is wrong with a table that was made: what its source contradicts itself in.
    fn judged(&self, err: &mut dyn Write) -> Outcome {
        let Kind::Made(spec) = &self.kind else { return Outcome::Fine };
        match spec.as_ref().clone().build() {
            Ok(_) => Outcome::Fine,
            Err(error) => {
                notes::tell_findings(error.findings(), err);
                Outcome::Findings
            }
        }
    }
}

impl Kind {
    fn table(self) -> Result<Table, Failure> {
        match self {
            Self::File { file: Some(file), .. } => file.table(),
            Self::File { source, file: None } => {
                Table::from_source(source).map_err(|error| Failure::Table(format!("{error}\n")))
            }
            Self::Made(spec) => spec.build().map_err(|error| Failure::Table(format!("{error}\n"))),
        }
    }
}

fn named(args: &ConvertArgs, expected: &str) -> Result<PathBuf, Failure> {
    args.inputs.first().cloned().ok_or_else(|| Failure::Argument(format!("expected {expected}, found no name")))
}

fn standard_input(system: &dyn System) -> Result<String, Failure> {
    let mut text = String::new();
    let read = system.input().take(LONGEST + 1).read_to_string(&mut text).map_err(Failure::Input)?;
    if read as u64 > LONGEST { Err(too_long("standard input")) } else { Ok(text) }
}

/// What a table without a file name is written in, by its first line that says something. JSON begins with a brace. A line
/// of YAML is a marker, or a key and a colon; one of TOML is a header, or a key and an equals sign.
fn syntax(text: &str) -> Syntax {
    let mut lines = text.trim_start_matches('\u{feff}').lines().map(str::trim_start);
    let line = lines.find(|line| !line.is_empty() && !line.starts_with('#')).unwrap_or_default();
    if line.starts_with('{') {
        return Syntax::Json;
    }
    if line.starts_with("---") || line.starts_with('%') {
        return Syntax::Yaml;
    }
    // Whichever sign comes first, outside of quotes.
    let mut quote = None;
    let sign = line.chars().find(|&c| match (quote, c) {
        (None, '"' | '\'') => {
            quote = Some(c);
            false
        }
        (Some(open), _) => {
            quote = Some(open).filter(|_| c != open);
            false
        }
        (None, _) => matches!(c, ':' | '=' | '['),
    });
    if sign == Some(':') { Syntax::Yaml } else { Syntax::Toml }
}

fn bounded_text(system: &dyn System, path: &Path) -> Result<String, Failure> {
    let failure = |error| Failure::File { path: path.to_owned(), error };
    let mut bytes = Vec::new();
    system.open(path).map_err(failure)?.take(LONGEST + 1).read_to_end(&mut bytes).map_err(failure)?;
    if bytes.len() as u64 > LONGEST { Err(too_long(&path.display().to_string())) } else { text_of(path, bytes) }
}

fn too_long(name: &str) -> Failure {
    Failure::Argument(format!("{name} is longer than {} MiB; is it a description?", LONGEST >> 20))
}

/// Writes the result, or holds it against what stands there.
fn write_out(system: &dyn System, args: &ConvertArgs, text: &str, out: &mut dyn Write) -> Result<Outcome, Failure> {
    match &args.out {
        Some(path) if args.check => match differs(system, path, text)? {
            Some(stale) => {
                writeln!(out, "{stale}")?;
                return Ok(Outcome::Findings);
            }
            None => writeln!(out, "{} {}", Styled(GOOD, "current"), path.display())?,
        },
        Some(path) => write_file(system, path, text)?,
        None => out.write_all(text.as_bytes())?,
    }
    Ok(Outcome::Fine)
}

/// Says why a file is not what the table makes of it now, if it is not.
fn differs(system: &dyn System, path: &Path, text: &str) -> Result<Option<String>, Failure> {
    let reason = match read_bytes(system, path) {
        Ok(bytes) if bytes == text.as_bytes() => return Ok(None),
        Ok(_) => "differs from what the table makes; run the same command without `--check`",
        Err(error) if error.kind() == io::ErrorKind::NotFound => "is missing; run the same command without `--check`",
        Err(error) => return Err(Failure::File { path: path.to_owned(), error }),
    };
    Ok(Some(format!("{} {}: {reason}", Styled(BAD, "stale"), path.display())))
}

/// Writes a file, whole or not at all; one that holds the same is left alone.
fn write_file(system: &dyn System, path: &Path, text: &str) -> Result<(), Failure> {
    if read_bytes(system, path).is_ok_and(|known| known == text.as_bytes()) {
        return Ok(());
    }
    system.save(path, text.as_bytes()).map_err(|error| Failure::Write { path: path.to_owned(), error })
}

fn read_bytes(system: &dyn System, path: &Path) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    system.open(path)?.take(MOST_BYTES + 1).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// Writes the modules of a table, and gives what writes them again.
fn watch(
    system: &dyn System,
    kind: Kind,
    args: &ConvertArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let Kind::File { file: Some(file), .. } = kind else {
        return Err(Failure::Argument("`--watch` needs a table file; name one with `--table FILE`".to_owned()));
    };
    if args.check {
        return Err(Failure::Argument("`--check` and `--watch` cannot be combined; leave one out".to_owned()));
    }
    super::can_watch()?;
    modules::run(system, &file.table()?, args, format, out, err)?;
    Ok(Outcome::Repeats(Box::new(Repeating::modules(*file, args.clone(), format))))
}
