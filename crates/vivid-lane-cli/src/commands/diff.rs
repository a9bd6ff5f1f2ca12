//! `diff`: what becomes of addresses when one table follows another.

use std::collections::HashMap;
use std::io::{self, Write};

use vivid_lane::analyse::{Difference, DifferenceKind, Differences};
use vivid_lane::{RouteRef, Table};

use crate::Outcome;
use crate::args::{DiffArgs, Format};
use crate::json;
use crate::output::{BAD, FAINT, Failure, GOOD, NAME, STRONG, Styled, counted, json_line, shown, width};
use crate::picture::{self, Place, SiteMap, Sort, Spot};
use crate::progress::during;
use crate::system::System;
use crate::table_file::TableFile;

pub(super) fn run(
    system: &dyn System,
    args: &DiffArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    // A mistake is shown with its place in the file that it is in. Of a large table only one declaration is held at a time.
    let old = TableFile::load(system, Some(&args.old))?.into_table()?;
    let mut new = TableFile::load(system, Some(&args.new))?;
    let spec = new.take_spec();
    let drawn = args.draw.as_ref().map(|path| (path, old.clone(), spec.clone()));
    let differences = during("comparing the tables", || Differences::since(old, spec));
    let differences = differences.map_err(|error| Failure::Table(new.render(error.findings())))?;
    if let Some((path, old, spec)) = drawn {
        let table = spec.build().map_err(|error| Failure::Table(new.render(error.findings())))?;
        picture::draw(system, map(&differences, &old, &table, new.name()), path, err)?;
    }
    match format {
        _ if args.redirects => redirects(&differences, out)?,
        Format::Json => {
            json::differences(&differences).try_for_each(|one| json_line(out, one))?;
        }
        Format::Text => text(&differences, new.name(), out)?,
    }
    Ok(if differences.breaks_addresses() { Outcome::Findings } else { Outcome::Fine })
}

/// The site as it is to be, with what is new or means another page; and what is gone, where it stood, with an arrow to where a redirect
/// would lead from there.
fn map(differences: &Differences, old: &Table, table: &Table, name: &str) -> SiteMap {
    let mut map = SiteMap::of(table, name);
    let redirects: HashMap<&str, &str> = differences.redirects().iter().map(|one| (one.route(), one.to())).collect();
    let mut sorts: HashMap<&str, (Sort, String)> = HashMap::new();
    let mut gone: Vec<(Spot<'_>, Vec<Place>)> = Vec::new();
    for one in differences.all() {
        let names = || one.routes().iter().map(String::as_str);
        match one.kind() {
            DifferenceKind::Added => sorts.extend(names().map(|name| (name, (Sort::New, String::new())))),
            DifferenceKind::Removed | DifferenceKind::Moved => {
                let in_part = (one.before() == one.after()).then(|| "in part".to_owned());
                let place = |route: RouteRef<'_>| Place {
                    route: None,
                    leads_to: redirects.get(route.name()).map(|to| (*to).to_owned()),
                    sort: Sort::Missing,
                    notes: in_part.iter().cloned().collect(),
                    frame: None,
                    ..Place::of(route)
                };
                let places: Vec<Place> = names().filter_map(|name| old.route(name)).map(place).collect();
                let above = old.route(one.route()).and_then(RouteRef::parent).map(RouteRef::name);
                let to = redirects.get(one.route()).copied().unwrap_or_default();
                gone.push((above.map_or(Spot::Beside(to), Spot::Below), places));
                if one.kind() == DifferenceKind::Moved {
                    let to = names().filter_map(|name| redirects.get(name));
                    sorts.extend(to.map(|name| (*name, (Sort::Moved, String::new()))));
                }
            }
            _ => {
                let now = table.find(one.witness()).map(|found| found.route().name());
                let was = one.before().map_or_else(String::new, |page| format!("was {page}"));
                sorts.extend(now.map(|name| (name, (Sort::Changed, was))));
            }
        }
    }
    for place in &mut map.places {
        let change = place.route.as_deref().and_then(|name| sorts.remove(name));
        let (sort, note) = change.unwrap_or((Sort::Quiet, String::new()));
        place.sort = sort;
        place.notes.extend((!note.is_empty()).then_some(note));
    }
    map.put(gone);
    map.subtitle = format!("{}: {}", counted(table.routes().len(), "route"), summary(differences.all()));
    map.legend = vec![
        (Sort::New, "new"),
        (Sort::Moved, "moved"),
        (Sort::Changed, "another page"),
        (Sort::Missing, "gone, with a redirect to write"),
        (Sort::Quiet, "as before"),
    ];
    map
}

/// The redirects to add, each after an empty line, so that they can be appended to a file.
fn redirects(differences: &Differences, out: &mut dyn Write) -> io::Result<()> {
    differences.redirects().iter().try_for_each(|one| write!(out, "\n{one}"))
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
