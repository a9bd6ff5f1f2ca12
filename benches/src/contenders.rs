//! Our own table of a corpus, and the URLs that all contenders are asked.

use std::path::Path;

use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Match, Source, Table, TableSpec};

pub use crate::declared::spec;
use crate::tables::{Corpus, Dice, Kind, Segment, url};

/// The table, built.
///
/// # Panics
/// If the table is wrong, which it is not.
#[must_use]
pub fn ours(corpus: &Corpus) -> Table {
    spec(corpus).build().unwrap_or_else(|error| panic!("{error}"))
}

/// One URL for each route, in an order that no cache can guess, and the route that answers it.
#[must_use]
pub fn hits(corpus: &Corpus) -> Vec<(String, usize)> {
    let mut dice = Dice::new(99);
    let mut urls: Vec<(String, usize)> =
        corpus.routes.iter().enumerate().map(|(index, route)| (url(route, &mut dice), index)).collect();
    for at in (1..urls.len()).rev() {
        urls.swap(at, dice.roll(at + 1));
    }
    urls
}

/// The table of the demo, which has optional parts, rules of all kinds, queries and redirects.
///
/// # Panics
/// If the demo is not there.
#[must_use]
pub fn demo_spec() -> TableSpec {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/larkfell");
    let read_file = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read_file("routes.toml").expect("the demo is in the repository");
    TableSpec::read_with(main, &mut |name| read_file(name).map_err(|error| error.to_string()))
}

/// URLs for which the demo has pages, by its own links, and the routes that answer them.
///
/// # Panics
/// If there are hardly any.
#[must_use]
pub fn demo_hits(table: &Table) -> Vec<(String, usize)> {
    let texts = ["m-57", "2031-04-02", "2031", "57", "04", "en", "csv", "x-1/y"];
    let mut known: Vec<(String, usize)> = Vec::new();
    for (index, route) in table.routes().enumerate() {
        for rotation in 0..texts.len() {
            let mut link = table.link(route.name());
            for (name, _) in route.rules() {
                // The first of the texts that the rule does not refuse.
                let text = texts.iter().cycle().skip(rotation).take(texts.len());
                let fits = |text: &&&str| {
                    !link.clone().set(name, **text).to_url().is_err_and(|error| error.kind() == LinkErrorKind::Refused)
                };
                let fitting = text.clone().find(fits);
                link = link.set(name, *fitting.unwrap_or(&texts[0]));
            }
            let url = link.to_url().ok().filter(|url| url.starts_with('/') && table.find(url).is_some());
            known.extend(url.map(|url| (url, index)));
        }
    }
    known.sort();
    known.dedup();
    assert!(known.len() > 40, "the demo has more pages than {}", known.len());
    known
}

/// URLs that no route answers: early, at their first segment, or late, at their last.
#[must_use]
pub fn misses(corpus: &Corpus, is_early: bool) -> Vec<String> {
    let change = |(url, index): (String, usize)| {
        if is_early {
            return Some(format!("/zzz{url}"));
        }
        let is_open = matches!(corpus.routes[index].last(), Some(Segment::Param(_, Kind::Tail | Kind::Optional)));
        (!is_open).then(|| format!("{url}/zzz"))
    };
    hits(corpus).into_iter().filter_map(change).collect()
}

/// Reads all parameters of a match, as a page would.
#[must_use]
pub fn read(found: &Match<'_, '_>) -> usize {
    found.texts().map(|(_, text)| text.len()).sum()
}

/// The routes with two parameters: their names, and the names of the parameters.
#[must_use]
pub fn links(corpus: &Corpus) -> Vec<(String, [&str; 2])> {
    let routes = corpus.routes.iter().enumerate();
    let named = routes.filter_map(|(index, route)| {
        let params: Vec<&str> = route.iter().filter_map(param).collect();
        Some((index.to_string(), <[&str; 2]>::try_from(params).ok()?))
    });
    named.collect()
}

/// The name of a segment that is a parameter.
fn param(segment: &Segment) -> Option<&str> {
    match segment {
        Segment::Param(name, _) => Some(name),
        Segment::Literal(_) => None,
    }
}
