//! Pictures of a site, for those who never read a table file.
//!
//! A table becomes a [`SiteMap`]: its routes in their order, each a [`Place`] of a level. A report may add hits, changes, and
//! addresses that nothing has. What is large is folded, so that a map of any table has at most some hundred rows. Then
//! `layout` says where each row, frame and arrow stands, and a template makes SVG of that. Text has a fixed width in the picture, so it
//! can be laid out without a font; a name that is too long is cut, and whole in the tooltip. The cost is linear in the routes.
//!
//! ```text
//! Table ── SiteMap ── grouped, folded ── layout ── SVG ── PNG
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

/// Draws the map into a file: SVG, or PNG by the ending of its name.
pub(crate) fn draw(system: &dyn System, map: SiteMap, path: &Path, err: &mut dyn Write) -> Result<(), Failure> {
    html::can_render()?;
    let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default().to_ascii_lowercase();
    if !["svg", "png"].contains(&ending.as_str()) {
        let name = path.display();
        return Err(Failure::Argument(format!("a picture is SVG or PNG by its ending; `{name}` has neither")));
    }
    let svg = svg(map)?;
    let bytes = if ending == "png" { png(&svg)? } else { svg.into_bytes() };
    system.save(path, &bytes).map_err(|error| Failure::Write { path: path.to_owned(), error })?;
    writeln!(err, "{} {}", Styled(GOOD, "wrote"), path.display())?;
    Ok(())
}

/// The picture in dots, two for each unit of length, in light colours.
#[cfg(feature = "png")]
fn png(svg: &str) -> Result<Vec<u8>, Failure> {
    use resvg::{tiny_skia, usvg};

    const LARGEST: u32 = 16_384;
    let failure = |reason: String| Failure::Argument(format!("cannot draw a PNG: {reason}; an SVG needs no fonts"));
    let mut options = usvg::Options { font_family: "DejaVu Sans".to_owned(), ..usvg::Options::default() };
    let fonts = options.fontdb_mut();
    fonts.load_system_fonts();
    if fonts.is_empty() {
        return Err(failure("this machine has no fonts".to_owned()));
    }
    let tree = usvg::Tree::from_str(svg, &options).map_err(|error| failure(error.to_string()))?;
    let size = tree.size().to_int_size().scale_by(2.0).filter(|size| size.width().max(size.height()) <= LARGEST);
    let size = size.unwrap_or_else(|| tree.size().to_int_size());
    let mut dots = tiny_skia::Pixmap::new(size.width(), size.height())
        .ok_or_else(|| failure("it would be too large".to_owned()))?;
    let scale = size.width() as f32 / tree.size().width();
    resvg::render(&tree, tiny_skia::Transform::from_scale(scale, scale), &mut dots.as_mut());
    dots.encode_png().map_err(|error| failure(error.to_string()))
}

#[cfg(not(feature = "png"))]
fn png(_: &str) -> Result<Vec<u8>, Failure> {
    let reason = "this tool was built without `--features png`; name a file that ends with .svg";
    Err(Failure::Argument(format!("cannot draw a PNG: {reason}")))
}
