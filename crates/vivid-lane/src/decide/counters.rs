//! Which addresses are used.

use std::fmt;
use std::sync::atomic::{AtomicU64, Ordering};

use super::Decision;
use crate::lookup::{Answer, Lists, RouteId, RouteRef, Table};

/// Counts the decisions of a table: for each route, for each list, and for each kind of decision.
///
/// Off unless a request is [counted](crate::Request::counted). Counting is an addition to an atomic number,
/// without a lock. The numbers are those of this moment; they are not taken at one instant.
///
/// # Example
/// ```
/// use vivid_lane::decide::Counters;
/// use vivid_lane::{Request, RouteSpec, TableSpec};
///
/// let table = TableSpec::new()
///     .route(RouteSpec::new("nights").path("/nights").page("nights"))
///     .route(RouteSpec::new("talks").path("/talks").page("talks"))
///     .build()?;
/// let counters = Counters::new(&table);
/// for url in ["/nights", "/nights", "/nihgts"] {
///     table.decide(&Request::get(url).counted(&counters));
/// }
/// let hits: Vec<_> = counters.routes(&table).map(|(route, hits)| (route.name(), hits)).collect();
/// assert_eq!(hits, [("nights", 2), ("talks", 0)]);
/// assert_eq!((counters.pages(), counters.missing()), (2, 1));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
pub struct Counters {
    routes: Box<[AtomicU64]>,
    lists: Box<[ListCount]>,
    kinds: [AtomicU64; 7],
}

struct ListCount {
    name: Box<str>,
    asked: AtomicU64,
    found: AtomicU64,
}

impl fmt::Debug for Counters {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Counters")
            .field("pages", &self.pages())
            .field("redirects", &self.redirects())
            .field("unmet", &self.unmet())
            .field("missing", &self.missing())
            .field("wrong_methods", &self.wrong_methods())
            .field("bad_requests", &self.bad_requests())
            .field("unavailable", &self.unavailable())
            .finish_non_exhaustive()
    }
}

fn read(number: &AtomicU64) -> u64 {
    number.load(Ordering::Relaxed)
}

fn add(number: &AtomicU64) {
    // No other memory hangs on these numbers.
    number.fetch_add(1, Ordering::Relaxed);
}

impl Counters {
    /// Counters for a table. They also fit every other table with the same routes.
    #[must_use]
    pub fn new<P>(table: &Table<P>) -> Self {
        let list = |name: &str| ListCount { name: name.into(), asked: AtomicU64::new(0), found: AtomicU64::new(0) };
        Self {
            routes: table.routes().map(|_| AtomicU64::new(0)).collect(),
            lists: table.frozen().lists.iter().map(|name| list(name)).collect(),
            kinds: Default::default(),
        }
    }

    /// For each route, how often it showed its page or redirected.
    pub fn routes<'t, P>(&self, table: &'t Table<P>) -> impl Iterator<Item = (RouteRef<'t, P>, u64)> {
        table.routes().filter(|route| table.frozen().route(route.id()).answers()).map(|route| {
            let hits = self.routes.get(route.id().index()).map_or(0, read);
            (route, hits)
        })
    }

    /// For each list, how often it was asked for a value, and how often it had the value. One decision asks for a value
    /// at most once.
    pub fn lists(&self) -> impl ExactSizeIterator<Item = (&str, u64, u64)> {
        self.lists.iter().map(|list| (&*list.name, read(&list.asked), read(&list.found)))
    }

    /// How many pages were shown.
    #[must_use]
    pub fn pages(&self) -> u64 {
        read(&self.kinds[0])
    }

    /// How many requests were redirected.
    #[must_use]
    pub fn redirects(&self) -> u64 {
        read(&self.kinds[1])
    }

    /// How many requests failed because the visitor did not meet a need.
    #[must_use]
    pub fn unmet(&self) -> u64 {
        read(&self.kinds[2])
    }

    /// How many requests found no page.
    #[must_use]
    pub fn missing(&self) -> u64 {
        read(&self.kinds[3])
    }

    /// How many requests used a method that the URL does not accept.
    #[must_use]
    pub fn wrong_methods(&self) -> u64 {
        read(&self.kinds[4])
    }

    /// How many requests had a target that is not a valid URL.
    #[must_use]
    pub fn bad_requests(&self) -> u64 {
        read(&self.kinds[5])
    }

    /// How many requests could not be decided because a list or a need was out of reach.
    #[must_use]
    pub fn unavailable(&self) -> u64 {
        read(&self.kinds[6])
    }

    pub(super) fn note<P>(&self, decision: &Decision<'_, '_, P>, route: Option<RouteId>) {
        let kind = match decision {
            Decision::Page(_) => 0,
            Decision::Redirect(_) => 1,
            Decision::Unmet(_) => 2,
            Decision::NotFound(_) => 3,
            Decision::WrongMethod(_) => 4,
            Decision::BadRequest(_) => 5,
            Decision::Unavailable(_) => 6,
            // What only asks for the methods uses no page.
            Decision::Options(_) => return,
        };
        add(&self.kinds[kind]);
        let route = match decision {
            Decision::Page(found) => Some(found.reading().route_id()),
            _ => route,
        };
        if let Some(count) = route.and_then(|route| self.routes.get(route.index())) {
            add(count);
        }
    }

    pub(super) fn note_list(&self, list: &str, answer: Answer) {
        if let Some(count) = self.lists.iter().find(|count| *count.name == *list) {
            add(&count.asked);
            if answer == Answer::Yes {
                add(&count.found);
            }
        }
    }

    pub(super) fn watching<'a>(&'a self, lists: &'a dyn Lists) -> Watching<'a> {
        Watching { counters: self, lists }
    }
}

/// Lists that are counted.
pub(super) struct Watching<'a> {
    counters: &'a Counters,
    lists: &'a dyn Lists,
}

impl Lists for Watching<'_> {
    fn contains(&self, list: &str, value: &str) -> Answer {
        let answer = self.lists.contains(list, value);
        self.counters.note_list(list, answer);
        answer
    }
}
