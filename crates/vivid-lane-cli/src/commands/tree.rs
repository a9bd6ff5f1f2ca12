//! `tree`: the table as a tree.

use std::io::Write;

use vivid_lane::{RouteRef, Table};

use crate::Outcome;
use crate::args::{Format, TreeArgs};
use crate::json;
use crate::output::{FAINT, Failure, NAME, STRONG, Styled, json_line, width};
use crate::picture::{self, SiteMap};
use crate::system::System;
use crate::table_file::TableFile;

pub(super) fn run(
    system: &dyn System,
    file: TableFile,
    args: &TreeArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let name = file.name().to_owned();
    let table = &file.into_table()?;
    if let Some(path) = &args.draw {
        picture::draw(system, SiteMap::of(table, &name), path, err)?;
        return Ok(Outcome::Fine);
    }
    match format {
        Format::Text => text(table, out)?,
        Format::Json => {
            json_line(out, json::site(table))?;
            table.routes().try_for_each(|route| json_line(out, json::route(route)))?;
        }
    }
    Ok(Outcome::Fine)
}

/// A line of the tree: the branches before the name, the name, and the columns after it.
struct Line<'t> {
    branches: String,
    name: &'t str,
    path: &'t str,
    page: String,
    notes: String,
}

fn text(table: &Table, out: &mut dyn Write) -> Result<(), Failure> {
    let routes: Vec<RouteRef<'_>> = table.routes().collect();
    let lines: Vec<Line<'_>> = branches(&routes)
        .into_iter()
        .zip(&routes)
        .map(|(branches, route)| Line {
            branches,
            name: route.name().rsplit('.').next().unwrap_or_default(),
            path: route.path().as_str(),
            page: shows(*route),
            notes: notes(*route),
        })
        .collect();
    let name_width = lines.iter().map(|line| width(&line.branches) + width(line.name)).max().unwrap_or(0);
    let path_width = lines.iter().map(|line| width(line.path)).max().unwrap_or(0).min(60);
    // An address of another site is long, and would push what follows it off the screen.
    let pages = lines.iter().map(|line| width(&line.page)).filter(|width| *width <= 30);
    let page_width = pages.max().unwrap_or(0);
    for line in &lines {
        let gap = name_width - width(&line.branches) - width(line.name);
        let path_gap = path_width.saturating_sub(width(line.path));
        let page_gap = if line.notes.is_empty() { 0 } else { page_width.saturating_sub(width(&line.page)) + 2 };
        writeln!(
            out,
            "{}{}{:gap$}  {}{:path_gap$}  {}{:page_gap$}{}",
            Styled(FAINT, &line.branches),
            Styled(NAME, line.name),
            "",
            line.path,
            "",
            Styled(STRONG, &line.page),
            "",
            Styled(FAINT, &line.notes),
        )?;
    }
    Ok(())
}

/// The page, or where the route sends its visitors on to.
fn shows(route: RouteRef<'_>) -> String {
    let to = route.redirects_to().map(|to| to.name().to_owned());
    let to = to.or_else(|| route.redirects_to_url().map(ToString::to_string));
    match (route.page(), to) {
        (Some(page), _) => page.clone(),
        (None, Some(to)) => format!("→ {to}"),
        (None, None) => "—".to_owned(),
    }
}

/// Rules, then what else there is to know.
fn notes(route: RouteRef<'_>) -> String {
    let own = |name: &str| route.parent().is_none_or(|parent| !parent.rules().any(|(above, _)| above == name));
    let rules = route.rules().filter(|(name, rule)| own(name) && !rule.is_empty());
    let rules = rules.map(|(name, rule)| format!("{name}: {rule}"));
    let methods: Vec<&str> = route.methods().collect();
    let methods = (methods != ["GET"]).then(|| methods.join(" "));
    let host = route.host().filter(|_| route.parent().is_none_or(|parent| parent.host().is_none()));
    let host = host.map(|host| format!("host {host}"));
    let frame = route.frame().map(|frame| format!("frame {frame}"));
    let fallback = match route.fallback() {
        Some(page) => Some(format!("fallback {page}")),
        None => route.has_no_fallback().then(|| "no fallback".to_owned()),
    };
    let status = route.redirect_status().map(|status| status.to_string());
    let inherited = |need: &str| route.parent().is_some_and(|parent| parent.needs().any(|above| above == need));
    let needs = route.needs().filter(|need| !inherited(need)).map(|need| format!("needs {need}"));
    frame
        .into_iter()
        .chain(fallback)
        .chain(status)
        .chain(needs)
        .chain(methods)
        .chain(host)
        .chain(rules)
        .collect::<Vec<_>>()
        .join(" · ")
}

/// The branches before each name. Walked from the last route to the first, so that each knows whether a
/// sibling follows it.
fn branches(routes: &[RouteRef<'_>]) -> Vec<String> {
    let mut open: Vec<bool> = Vec::new();
    let mut lines: Vec<String> = Vec::with_capacity(routes.len());
    for route in routes.iter().rev() {
        let level = route.level();
        open.resize(level + 1, false);
        let mut branches = String::new();
        for (above, &goes_on) in open.iter().enumerate().skip(1) {
            branches.push_str(match (above == level, goes_on) {
                (true, true) => "├─ ",
                (true, false) => "└─ ",
                (false, true) => "│  ",
                (false, false) => "   ",
            });
        }
        open[level] = true;
        lines.push(branches);
    }
    lines.reverse();
    lines
}
