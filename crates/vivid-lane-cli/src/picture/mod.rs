//! Pictures of a site, for those who never read a table file.
//!
//! A table becomes a [`SiteMap`]: its routes in their order, each a [`Place`] of a level. A report may add hits, changes, and
//! addresses that nothing has. What is large is folded, so that a map of any table has at most some hundred rows. Then
//! `layout` says where each row, frame and arrow stands, and a template makes SVG of that. Text has a fixed width in the picture, so it
//! can be laid out without a font; a name that is too long is cut, and whole in the tooltip. The cost is linear in the routes.
//!
//! ```text
//! Table ── SiteMap ── grouped, folded ── layout ── SVG
//! ```

mod fold;
mod layout;
mod site_map;

use std::io::Write;
use std::path::Path;

use crate::html;
use crate::output::{Failure, GOOD, Styled};
use crate::system::System;

pub(crate) use site_map::{Place, SiteMap, Sort, Spot};

/// How many rows a picture has at most, near enough.
const MOST_ROWS: usize = 260;

/// The map as SVG 1.1, light or dark as the reader prefers.
pub(crate) fn svg(map: SiteMap) -> Result<String, Failure> {
    let drawing = layout::lay_out(fold::fold(fold::group(map), MOST_ROWS));
    html::render(&[("map.xml", include_str!("map.xml"))], drawing)
}

/// Draws the map into a file, as SVG.
pub(crate) fn draw(system: &dyn System, map: SiteMap, path: &Path, err: &mut dyn Write) -> Result<(), Failure> {
    html::can_render()?;
    if !path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("svg")) {
        let name = path.display();
        return Err(Failure::Argument(format!(
            "a picture is SVG; name a file that ends with .svg instead of `{name}`"
        )));
    }
    system.save(path, svg(map)?.as_bytes()).map_err(|error| Failure::Write { path: path.to_owned(), error })?;
    writeln!(err, "{} {}", Styled(GOOD, "wrote"), path.display())?;
    Ok(())
}
