//! `diff`: what becomes of addresses when one table follows another.

use std::io::{self, Write};

use vivid_lane::analyse::{Difference, DifferenceKind, Differences};

use crate::Outcome;
use crate::args::{DiffArgs, Format};
use crate::json;
use crate::output::{BAD, FAINT, Failure, GOOD, NAME, STRONG, Styled, counted, json_line, shown, width};
use crate::system::System;
use crate::table_file::TableFile;

pub(super) fn run(
    system: &dyn System,
    args: &DiffArgs,
    format: Format,
    out: &mut dyn Write,
) -> Result<Outcome, Failure> {
    // A mistake is shown with its place in the file that it is in. Of a large table only one declaration is held at a time.
    let old = TableFile::load(system, Some(&args.old))?.into_table()?;
    let mut new = TableFile::load(system, Some(&args.new))?;
    let spec = new.take_spec();
    let differences = Differences::since(&old, spec).map_err(|error| Failure::Table(new.render(error.findings())))?;
    match format {
        Format::Json => {
            json::differences(&differences).try_for_each(|one| json_line(out, one))?;
        }
        Format::Text => text(&differences, new.name(), out)?,
    }
    Ok(if differences.breaks_addresses() { Outcome::Findings } else { Outcome::Fine })
}

fn text(differences: &Differences, new: &str, out: &mut dyn Write) -> io::Result<()> {
    let all = differences.all();
    let label = |one: &Difference| match one.kind() {
        DifferenceKind::SameUrlOtherPage => "other page",
        other => other.as_str(),
    };
    let widest = all.iter().map(|one| width(one.route())).max().unwrap_or(0);
    for one in all {
        let style = if one.kind().breaks_addresses() { BAD } else { GOOD };
        let gap = widest - width(one.route()) + 2;
        let what = match (one.before(), one.after()) {
            (Some(before), Some(after)) if before == after => format!("{before}, in part"),
            (Some(before), Some(after)) => format!("{before}  →  {after}"),
            (Some(only), None) | (None, Some(only)) => only.to_owned(),
            (None, None) => String::new(),
        };
        writeln!(
            out,
            "{} {}{:gap$}{}",
            Styled(style, format!("{:<10}", label(one))),
            Styled(NAME, one.route()),
            "",
            what
        )?;
        let more = one.routes().iter().filter(|name| *name != one.route()).count();
        let below = if more > 0 { format!(", and {} below it", counted(more, "route")) } else { String::new() };
        writeln!(
            out,
            "{:11}{:width$}{}",
            "",
            "",
            Styled(FAINT, format!("such as {}{below}", shown(one.witness()))),
            width = widest + 2
        )?;
    }
    if !differences.redirects().is_empty() {
        let count = counted(differences.redirects().len(), "redirect");
        writeln!(out, "\n{}\n", Styled(STRONG, format!("{count} for {new} would keep old addresses alive:")))?;
        for redirect in differences.redirects() {
            writeln!(out, "{redirect}")?;
        }
    }
    for one in differences.not_compared() {
        let route = Styled(NAME, one.route().unwrap_or("all routes"));
        writeln!(out, "{} {route}  {one}", Styled(FAINT, "not compared"))?;
    }
    let is_whole = differences.not_compared().is_empty();
    let verdict = match (all.is_empty(), differences.breaks_addresses()) {
        (_, false) if !is_whole => Styled(STRONG, "not everything was compared".to_owned()),
        (true, _) => Styled(GOOD, "every address means what it meant".to_owned()),
        (false, false) => Styled(GOOD, "no old address is broken".to_owned()),
        (false, true) => Styled(BAD, "old addresses are broken".to_owned()),
    };
    writeln!(out, "{verdict}: {}", summary(all))
}

fn summary(all: &[Difference]) -> String {
    let kinds = [
        (DifferenceKind::Removed, "removed"),
        (DifferenceKind::Moved, "moved"),
        (DifferenceKind::SameUrlOtherPage, "with another page"),
        (DifferenceKind::Added, "added"),
    ];
    let counts: Vec<String> = kinds
        .iter()
        .map(|(kind, word)| (all.iter().filter(|one| one.kind() == *kind).count(), word))
        .filter(|(count, _)| *count > 0)
        .map(|(count, word)| format!("{count} {word}"))
        .collect();
    if counts.is_empty() { "no differences found".to_owned() } else { counts.join(", ") }
}
