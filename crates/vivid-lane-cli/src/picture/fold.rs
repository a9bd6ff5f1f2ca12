//! What makes a large map a small one: routes whose paths begin alike become a group, and of many siblings the first are shown.

use std::collections::HashMap;

use super::site_map::{Place, SiteMap, Sort};

/// With more places than so many at the top, those whose paths begin with the same segment stand together.
const MANY: usize = 16;

/// How deep and how many siblings a map shows, from generous to scanty; the last of them is small for any table.
const MEASURES: [(usize, usize); 11] = [
    (usize::MAX, usize::MAX),
    (usize::MAX, 60),
    (usize::MAX, 24),
    (8, 12),
    (6, 8),
    (4, 8),
    (3, 6),
    (2, 5),
    (2, 3),
    (1, 3),
    (0, usize::MAX),
];
/// How many places at the top are shown at most.
const MOST_TOP: usize = 120;

/// The first segment of a path, where it is literal and something follows it or nothing at all.
fn first_segment(path: &str) -> Option<&str> {
    let rest = path.strip_prefix('/')?;
    let end = rest.find(['/', '?']).unwrap_or(rest.len());
    (end > 0 && !rest[..end].contains(['{', '}'])).then(|| &path[..end + 1])
}

/// Puts places at the top whose paths begin with the same segment below a place of their own, where there are many.
pub(super) fn group(mut map: SiteMap) -> SiteMap {
    let tops: Vec<usize> = (0..map.places.len()).filter(|at| map.places[*at].level == 0).collect();
    if tops.len() <= MANY {
        return map;
    }
    // By their segment, in the order of the first of each.
    let mut numbers: HashMap<String, usize> = HashMap::new();
    let mut groups: Vec<(Option<String>, Vec<usize>)> = Vec::new();
    for &at in &tops {
        match first_segment(&map.places[at].path) {
            Some(segment) => {
                let number = *numbers.entry(segment.to_owned()).or_insert_with(|| {
                    groups.push((Some(segment.to_owned()), Vec::new()));
                    groups.len() - 1
                });
                groups[number].1.push(at);
            }
            None => groups.push((None, vec![at])),
        }
    }
    let end = |at: usize| {
        let next = tops.partition_point(|top| *top <= at);
        tops.get(next).copied().unwrap_or(map.places.len())
    };
    let ranges: Vec<(Option<String>, Vec<std::ops::Range<usize>>)> = groups
        .into_iter()
        .map(|(segment, members)| (segment, members.into_iter().map(|at| at..end(at)).collect()))
        .collect();
    let mut left: Vec<Option<Place>> = map.places.into_iter().map(Some).collect();
    let mut places = Vec::with_capacity(left.len());
    for (segment, members) in ranges {
        let segment = segment.filter(|_| members.len() > 1);
        if let Some(segment) = &segment {
            places.push(Place { path: segment.clone(), sort: Sort::Group, ..Place::default() });
        }
        for range in members {
            for mut place in range.filter_map(|at| left[at].take()) {
                if let Some(segment) = &segment {
                    // What stood at the top goes on from the path of the group now.
                    if place.level == 0 && place.path.len() > segment.len() {
                        place.path = place.path.split_off(segment.len());
                    }
                    place.level += 1;
                }
                places.push(place);
            }
        }
    }
    map.places = places;
    map
}

/// Leaves out what would make the map larger than so many rows, and says how much that is where it would stand. Of siblings, those with
/// the most hits stay, else the first.
pub(super) fn fold(mut map: SiteMap, most: usize) -> SiteMap {
    let tree = Tree::of(&map.places);
    let shown = |(deepest, siblings): (usize, usize)| tree.shown(&map.places, deepest, siblings);
    let measure = MEASURES.into_iter().find(|measure| shown(*measure).iter().filter(|shown| **shown).count() <= most);
    let shown = shown(measure.unwrap_or(MEASURES[MEASURES.len() - 1]));
    if shown.iter().all(|shown| *shown) {
        return map;
    }
    let mut places: Vec<Place> = Vec::new();
    // The places that are open, with how many below them are left out; at the bottom, the map itself.
    let mut open: Vec<(usize, usize)> = vec![(0, 0)];
    let close = |open: &mut Vec<(usize, usize)>, places: &mut Vec<Place>, level: usize| {
        while open.last().is_some_and(|(below, _)| *below > level) {
            let Some((below, hidden)) = open.pop() else { break };
            if hidden > 0 {
                places.push(more(below, hidden));
            }
        }
    };
    // Every place that is left out belongs to the nearest one above it that is shown.
    for (at, place) in map.places.into_iter().enumerate() {
        if shown[at] {
            close(&mut open, &mut places, place.level);
            open.push((place.level + 1, 0));
            places.push(place);
        } else {
            if tree.above[at].is_none_or(|above| shown[above]) {
                close(&mut open, &mut places, place.level);
            }
            if let Some((_, hidden)) = open.last_mut() {
                *hidden += usize::from(place.sort != Sort::Group);
            }
        }
    }
    close(&mut open, &mut places, 0);
    if let Some((_, hidden @ 1..)) = open.pop() {
        places.push(more(0, hidden));
    }
    map.places = places;
    map
}

fn more(level: usize, hidden: usize) -> Place {
    Place { level, path: format!("… {hidden} more"), sort: Sort::Group, ..Place::default() }
}

/// Which place stands below which.
struct Tree {
    above: Vec<Option<usize>>,
    /// Which of its siblings a place is, the most wanted first.
    rank: Vec<usize>,
}

impl Tree {
    fn of(places: &[Place]) -> Self {
        let mut above = Vec::with_capacity(places.len());
        let mut open: Vec<usize> = Vec::new();
        for (at, place) in places.iter().enumerate() {
            open.truncate(place.level);
            above.push(open.last().copied());
            open.push(at);
        }
        let mut hits: Vec<u64> = places.iter().map(|place| place.hits.unwrap_or(0)).collect();
        for at in (0..places.len()).rev() {
            if let Some(above) = above[at] {
                hits[above] = hits[above].saturating_add(hits[at]);
            }
        }
        // What says something stays before what is quiet.
        let mut order: Vec<usize> = (0..places.len()).collect();
        let is_quiet = |at: usize| matches!(places[at].sort, Sort::Quiet);
        order.sort_by_key(|at| (above[*at], std::cmp::Reverse(hits[*at]), is_quiet(*at), *at));
        let mut rank = vec![0; places.len()];
        let mut before: Option<usize> = None;
        for &at in &order {
            rank[at] = before.filter(|before| above[*before] == above[at]).map_or(0, |before| rank[before] + 1);
            before = Some(at);
        }
        Self { above, rank }
    }

    fn shown(&self, places: &[Place], deepest: usize, siblings: usize) -> Vec<bool> {
        let mut shown: Vec<bool> = Vec::with_capacity(places.len());
        for (at, place) in places.iter().enumerate() {
            let most = if place.level == 0 { siblings.clamp(MANY, MOST_TOP) } else { siblings };
            let is_below_shown = self.above[at].is_none_or(|above| shown[above]);
            shown.push(is_below_shown && place.level <= deepest && self.rank[at] < most);
        }
        shown
    }
}
