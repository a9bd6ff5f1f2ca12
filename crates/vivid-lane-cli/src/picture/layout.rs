//! Where everything stands: a card for each place at the top with all that is below it, in columns; a row for each place, an area for each
//! frame, an arrow for each redirect. Lengths are in the units of SVG.

use std::collections::HashMap;

use serde::Serialize;

use super::site_map::{Place, SiteMap};
use crate::output::{grouped, shown, width};

const MARGIN: f64 = 32.0;
const HEAD: f64 = 96.0;
const ROW: f64 = 22.0;
/// What a card has around its rows.
const PAD: f64 = 9.0;
const INDENT: f64 = 16.0;
/// What a frame takes above its rows, for its name, and below them.
const FRAME_HEAD: f64 = 17.0;
const FRAME_FOOT: f64 = 5.0;
const BETWEEN_CARDS: f64 = 12.0;
const BETWEEN_COLUMNS: f64 = 46.0;
/// How wide a character is at most, of a path, of a page and of a note.
const PATH_CHAR: f64 = 7.6;
const PAGE_CHAR: f64 = 7.4;
const NOTE_CHAR: f64 = 6.4;
/// How long the bar of the most hits is.
const BAR: f64 = 64.0;
/// With more cards than so many, some are shared, by so many rows at most.
const MANY_CARDS: usize = 24;
const MOST_SHARED: usize = 20;
/// How many characters are shown of a path, a page and the notes.
const MOST_CHARS: usize = 36;
/// How much wider than high a map is to be.
const SHAPE: f64 = 1.55;
/// Places that are nested deeper stand below each other, and their frames are left to their notes.
const DEEPEST: usize = 12;

#[derive(Debug, Serialize)]
pub(super) struct Drawing {
    width: f64,
    height: f64,
    title: String,
    subtitle: String,
    /// The frame around all pages, with its area.
    around: Option<Area>,
    legend: Vec<Label>,
    cards: Vec<Area>,
    frames: Vec<Area>,
    /// Which place stands below which, and what redirects where, as paths.
    branches: Vec<String>,
    arrows: Vec<Arrow>,
    rows: Vec<Row>,
}

#[derive(Debug, Serialize)]
struct Area {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
    name: String,
}

#[derive(Debug, Serialize)]
struct Label {
    x: f64,
    class: &'static str,
    text: &'static str,
}

#[derive(Debug, Serialize)]
struct Arrow {
    path: String,
    /// Whether it passes a column on its way.
    is_far: bool,
}

/// A row: the path, what is shown there, and the notes.
#[derive(Debug, Serialize)]
struct Row {
    x: f64,
    y: f64,
    class: &'static str,
    /// All that is to be said of it.
    tip: String,
    path: String,
    page_x: f64,
    page: String,
    notes_x: f64,
    notes: String,
    hits: String,
    hits_x: f64,
    /// The bar that shows the share of the hits: where it begins, and its length.
    bar_x: f64,
    bar: f64,
}

/// A place at the top and all below it, with its own zero.
struct Card {
    places: std::ops::Range<usize>,
    /// The middle of each row.
    rows: Vec<f64>,
    height: f64,
    path_width: f64,
    page_width: f64,
    notes_width: f64,
}

fn cut(text: &str, most: usize) -> String {
    let text = shown(text);
    if width(&text) <= most {
        return text;
    }
    let mut out: String = String::new();
    for char in text.chars() {
        out.push(char);
        if width(&out) >= most - 1 {
            break;
        }
    }
    out + "…"
}

fn indent(place: &Place) -> f64 {
    place.level.min(DEEPEST) as f64 * INDENT
}

fn has_area(place: &Place) -> bool {
    place.frame.is_some() && place.level < DEEPEST
}

fn notes(place: &Place) -> String {
    let frame = place.frame.iter().filter(|_| !has_area(place)).map(|frame| format!("frame {frame}"));
    cut(&place.notes.iter().cloned().chain(frame).collect::<Vec<_>>().join(" · "), MOST_CHARS)
}

pub(super) fn lay_out(map: SiteMap) -> Drawing {
    let SiteMap { title, subtitle, frame, places, legend } = map;
    let cards = cards(&places);
    let most_hits = places.iter().filter_map(|place| place.hits).max();
    let hits_width = most_hits.map_or(0.0, |most| (grouped(most).len() as f64 + 1.0) * PATH_CHAR + BAR);
    let own_width = |card: &Card| {
        let gap = |width: f64| if width > 0.0 { 12.0 + width } else { 0.0 };
        PAD + card.path_width + gap(card.page_width) + gap(card.notes_width) + gap(hits_width) + 2.0 * PAD
    };
    let card_width = cards.iter().map(own_width).fold(180.0, f64::max);
    let columns = columns(&cards, card_width);
    let column_count = columns.last().map_or(1, |last| last + 1);
    let mut drawing = Drawing {
        width: 2.0 * MARGIN + column_count as f64 * (card_width + BETWEEN_COLUMNS) - BETWEEN_COLUMNS,
        height: 0.0,
        title: cut(&title, 60),
        subtitle: cut(&subtitle, 110),
        around: None,
        legend: Vec::new(),
        cards: Vec::new(),
        frames: Vec::new(),
        branches: Vec::new(),
        arrows: Vec::new(),
        rows: Vec::new(),
    };
    let mut legend_x = MARGIN;
    for (sort, text) in legend {
        drawing.legend.push(Label { x: legend_x, class: sort.class(), text });
        legend_x += text.len() as f64 * NOTE_CHAR + 34.0;
    }
    let legend_width = if drawing.legend.is_empty() { 0.0 } else { legend_x };
    let head_width =
        (width(&drawing.title) as f64 * 12.5).max(width(&drawing.subtitle) as f64 * PAGE_CHAR) + 2.0 * MARGIN;
    drawing.width = drawing.width.max(head_width).max(legend_width).ceil();
    let mut bottoms = vec![HEAD; column_count];
    // Where the row of each place is: the left and the right end of its card, and its middle.
    let mut spots: Vec<(usize, f64, f64, f64)> = Vec::with_capacity(places.len());
    for (card, &column) in cards.iter().zip(&columns) {
        let x = MARGIN + column as f64 * (card_width + BETWEEN_COLUMNS);
        let y = bottoms[column];
        bottoms[column] = y + card.height + BETWEEN_CARDS;
        drawing.cards.push(Area { x, y, width: card_width, height: card.height, name: String::new() });
        frames(&places[card.places.clone()], card, (x, y, card_width), &mut drawing.frames);
        branches(&places[card.places.clone()], card, (x, y), &mut drawing.branches);
        let bar_x = x + card_width - 2.0 * PAD - BAR;
        for (place, row) in places[card.places.clone()].iter().zip(&card.rows) {
            let middle = y + row;
            let page_x = x + PAD + card.path_width + 12.0;
            let notes_x = page_x + card.page_width + if card.page_width > 0.0 { 12.0 } else { 0.0 };
            let share = place.hits.unwrap_or(0) as f64 / most_hits.unwrap_or(1).max(1) as f64;
            let bar = if place.hits.is_some_and(|hits| hits > 0) { (share * BAR).max(1.5) } else { 0.0 };
            let tip = [place.route.as_deref().unwrap_or_default(), &place.path, &place.page, &place.notes.join(" · ")];
            let tip: Vec<&str> = tip.into_iter().filter(|text| !text.is_empty()).collect();
            drawing.rows.push(Row {
                x: x + PAD + indent(place),
                y: middle,
                class: place.sort.class(),
                tip: shown(&tip.join("   ")),
                path: cut(&place.path, MOST_CHARS),
                page_x,
                page: cut(&place.page, MOST_CHARS),
                notes_x,
                notes: notes(place),
                hits: place.hits.map_or_else(String::new, grouped),
                hits_x: bar_x - 7.0,
                bar_x,
                bar,
            });
            spots.push((column, x, x + card_width, middle));
        }
    }
    // Those around others are drawn before them.
    drawing.frames.sort_by(|one, other| other.height.total_cmp(&one.height));
    drawing.arrows = arrows(&places, &spots);
    let bottom = bottoms.iter().copied().fold(HEAD, f64::max) - BETWEEN_CARDS;
    drawing.around = frame.map(|name| Area {
        x: MARGIN / 2.0,
        y: HEAD - 20.0,
        width: drawing.width - MARGIN,
        height: bottom - HEAD + 20.0 + MARGIN / 2.0,
        name: cut(&name, MOST_CHARS),
    });
    drawing.height = (bottom + MARGIN).ceil();
    drawing
}

/// A card for each place at the top. Of many places, those with nothing below them share one with their neighbours.
fn cards(places: &[Place]) -> Vec<Card> {
    let is_top = |at: usize| places.get(at).is_none_or(|place| place.level == 0);
    let is_alone = |at: usize| is_top(at) && is_top(at + 1) && places[at].frame.is_none();
    let mut starts: Vec<usize> = (0..places.len()).filter(|at| *at == 0 || is_top(*at)).collect();
    if starts.len() > MANY_CARDS {
        let mut shared = 0;
        starts.retain(|&at| {
            let joins = at > 0 && is_alone(at) && is_alone(at - 1) && shared + 1 < MOST_SHARED;
            shared = if joins { shared + 1 } else { 0 };
            !joins
        });
    }
    let ends = starts.iter().skip(1).copied().chain([places.len()]);
    starts.iter().copied().zip(ends).map(|(start, end)| card(&places[start..end], start..end)).collect()
}

fn card(places: &[Place], range: std::ops::Range<usize>) -> Card {
    let mut y = PAD - 2.0;
    let mut open: Vec<usize> = Vec::new();
    let mut rows = Vec::with_capacity(places.len());
    let leave = |open: &mut Vec<usize>, level: usize, y: &mut f64| {
        while open.last().is_some_and(|above| *above >= level) {
            open.pop();
            *y += FRAME_FOOT;
        }
    };
    for place in places {
        leave(&mut open, place.level, &mut y);
        if has_area(place) {
            open.push(place.level);
            y += FRAME_HEAD;
        }
        rows.push(y + ROW / 2.0);
        y += ROW;
    }
    leave(&mut open, 0, &mut y);
    let widest = |width_of: &dyn Fn(&Place) -> f64| places.iter().map(width_of).fold(0.0, f64::max);
    Card {
        places: range,
        rows,
        height: y + PAD - 2.0,
        path_width: widest(&|place| indent(place) + width(&cut(&place.path, MOST_CHARS)) as f64 * PATH_CHAR),
        page_width: widest(&|place| width(&cut(&place.page, MOST_CHARS)) as f64 * PAGE_CHAR),
        notes_width: widest(&|place| width(&notes(place)) as f64 * NOTE_CHAR),
    }
}

/// The areas of the frames in a card.
fn frames(places: &[Place], card: &Card, (x, y, width): (f64, f64, f64), areas: &mut Vec<Area>) {
    // The frames that are open: the level and the place, and how many are around each.
    let mut open: Vec<(usize, usize)> = Vec::new();
    let mut close = |open: &mut Vec<(usize, usize)>, level: usize, last: usize| {
        let mut inner = 0.0;
        while let Some((_, at)) = open.pop_if(|(above, _)| *above >= level) {
            inner += FRAME_FOOT;
            let left = x + 3.0 + indent(&places[at]);
            let top = y + card.rows[at] - ROW / 2.0 - FRAME_HEAD + 1.0;
            let right = x + width - 3.0 - 4.0 * open.len() as f64;
            let bottom = y + card.rows[last] + ROW / 2.0 + inner - 2.0;
            let name = places[at].frame.as_deref().map_or_else(String::new, |name| cut(name, MOST_CHARS));
            areas.push(Area { x: left, y: top, width: right - left, height: bottom - top, name });
        }
    };
    for (at, place) in places.iter().enumerate() {
        close(&mut open, place.level, at.saturating_sub(1));
        if has_area(place) {
            open.push((place.level, at));
        }
    }
    close(&mut open, 0, places.len() - 1);
}

/// Lines from each place to those right below it.
fn branches(places: &[Place], card: &Card, (x, y): (f64, f64), lines: &mut Vec<String>) {
    let mut open: Vec<usize> = Vec::new();
    for (at, place) in places.iter().enumerate() {
        open.truncate(place.level);
        if let Some(&above) = open.last().filter(|_| place.level <= DEEPEST) {
            let left = x + PAD + indent(&places[above]) + 4.0;
            let (top, middle) = (y + card.rows[above] + 9.0, y + card.rows[at]);
            lines.push(format!("M{left:.1} {top:.1}V{middle:.1}H{:.1}", x + PAD + indent(place) - 3.0));
        }
        open.push(at);
    }
}

/// Curves from what redirects to where it leads, between the cards.
fn arrows(places: &[Place], spots: &[(usize, f64, f64, f64)]) -> Vec<Arrow> {
    let by_route: HashMap<&str, usize> =
        places.iter().enumerate().filter_map(|(at, place)| Some((place.route.as_deref()?, at))).collect();
    let leads = places.iter().zip(spots).filter_map(|(place, from)| {
        let to = spots[*by_route.get(place.leads_to.as_deref()?)?];
        Some((*from, to))
    });
    leads
        .map(|((column, left, right, y), (to_column, to_left, to_right, to_y))| {
            let (start, end, bend, side) = match column.cmp(&to_column) {
                std::cmp::Ordering::Less => (right, to_left - 7.0, BETWEEN_COLUMNS * 0.7, 1.0),
                std::cmp::Ordering::Equal => (right, to_right + 7.0, BETWEEN_COLUMNS * 0.55, 1.0),
                std::cmp::Ordering::Greater => (left, to_right + 7.0, BETWEEN_COLUMNS * 0.7, -1.0),
            };
            // The curve arrives from the side that the arrow stands on.
            let arrives = if end > to_left { bend } else { -bend };
            let (leaves, arrives) = (start + side * bend, end + arrives);
            let path = format!("M{start:.1} {y:.1}C{leaves:.1} {y:.1} {arrives:.1} {to_y:.1} {end:.1} {to_y:.1}");
            Arrow { path, is_far: column.abs_diff(to_column) > 1 }
        })
        .collect()
}

/// The column of each card, in order, so that the map has about the shape of a screen.
fn columns(cards: &[Card], card_width: f64) -> Vec<usize> {
    let heights: Vec<f64> = cards.iter().map(|card| card.height + BETWEEN_CARDS).collect();
    let shape = |columns: &[usize]| {
        let count = columns.last().map_or(1, |last| last + 1);
        let mut bottoms = vec![HEAD; count];
        columns.iter().zip(&heights).for_each(|(column, height)| bottoms[*column] += height);
        let wide = count as f64 * (card_width + BETWEEN_COLUMNS) + MARGIN;
        (wide / (bottoms.iter().copied().fold(0.0, f64::max) + MARGIN) / SHAPE).ln().abs()
    };
    let ways = (1..=8).map(|count| packed(&heights, count));
    ways.min_by(|one, other| shape(one).total_cmp(&shape(other))).unwrap_or_default()
}

/// At most so many columns, as low as they can be in this order.
fn packed(heights: &[f64], count: usize) -> Vec<usize> {
    let fill = |most: f64| {
        let (mut column, mut height) = (0, 0.0);
        heights
            .iter()
            .map(|own| {
                if height > 0.0 && height + own > most {
                    (column, height) = (column + 1, 0.0);
                }
                height += own;
                column
            })
            .collect::<Vec<usize>>()
    };
    let (mut low, mut high) = (heights.iter().copied().fold(0.0, f64::max), heights.iter().sum::<f64>());
    for _ in 0..40 {
        let middle = (low + high) / 2.0;
        if fill(middle).last().is_some_and(|last| *last >= count) { low = middle } else { high = middle }
    }
    fill(high)
}
