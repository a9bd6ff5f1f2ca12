//! A table as the places of a map.

use std::collections::HashMap;

use vivid_lane::{RouteRef, Table};

/// A map: its heading, and its places in their order, each before those below it.
#[derive(Debug, Default)]
pub(crate) struct SiteMap {
    pub(crate) title: String,
    pub(crate) subtitle: String,
    /// The frame around all pages.
    pub(crate) frame: Option<String>,
    pub(crate) places: Vec<Place>,
    /// What the sorts and changes of its places mean, in a line below the heading.
    pub(crate) legend: Vec<(Sort, &'static str)>,
}

/// What a place is; each is drawn in its own way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Sort {
    /// A route.
    #[default]
    Usual,
    /// A route of which there is less to say than of others.
    Quiet,
    /// A route that is new.
    New,
    /// A route that stands elsewhere than before.
    Moved,
    /// A route whose addresses mean another page than before.
    Changed,
    /// An address that nothing has, or has no more.
    Missing,
    /// Routes whose paths begin with the same segment, or that are not shown.
    Group,
}

impl Sort {
    /// The name of its class in the style sheet.
    pub(super) fn class(self) -> &'static str {
        match self {
            Self::Usual => "usual",
            Self::Quiet => "quiet",
            Self::New => "new",
            Self::Moved => "moved",
            Self::Changed => "changed",
            Self::Missing => "missing",
            Self::Group => "group",
        }
    }
}

/// Where something else stands on the map of a table; at its end, where it has no route of that name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Spot<'a> {
    /// Below a route, after all that stands there.
    Below(&'a str),
    /// At the top, after the card with a route.
    Beside(&'a str),
}

/// A place of a map.
#[derive(Debug, Clone, Default)]
pub(crate) struct Place {
    /// How many places it stands below.
    pub(crate) level: usize,
    /// The full name of its route.
    pub(crate) route: Option<String>,
    /// The path, as far as it goes on from that of the place above.
    pub(crate) path: String,
    /// What is shown there, or where it leads.
    pub(crate) page: String,
    pub(crate) notes: Vec<String>,
    pub(crate) frame: Option<String>,
    /// The route that it redirects to.
    pub(crate) leads_to: Option<String>,
    pub(crate) hits: Option<u64>,
    pub(crate) sort: Sort,
}

impl SiteMap {
    /// The map of a table.
    pub(crate) fn of(table: &Table, name: &str) -> Self {
        let pages = table.routes().filter(|route| route.page().is_some()).count();
        let redirects = table.routes().filter(|route| route.redirect_status().is_some()).count();
        let mut subtitle = vec![format!("{} routes", table.routes().len()), format!("{pages} with a page")];
        if redirects > 0 {
            subtitle.push(format!("{redirects} that redirect"));
        }
        subtitle.extend(table.fallback().map(|page| format!("any other address: {page}")));
        Self {
            title: table.origin().unwrap_or(name).to_owned(),
            subtitle: subtitle.join(" · "),
            frame: table.frame().map(str::to_owned),
            places: table.routes().map(Place::of).collect(),
            legend: Vec::new(),
        }
    }

    /// Puts places, the first of which is above the others, where they belong.
    pub(crate) fn put(&mut self, additions: Vec<(Spot<'_>, Vec<Place>)>) {
        let by_route: HashMap<&str, usize> =
            self.places.iter().enumerate().filter_map(|(at, place)| Some((place.route.as_deref()?, at))).collect();
        // By the place after whose subtree they stand, and the level that they have there.
        let mut waiting: HashMap<usize, Vec<(usize, Vec<Place>)>> = HashMap::new();
        let mut last = Vec::new();
        for (spot, places) in additions {
            let at = |route: &str| by_route.get(route).copied();
            let top = |at: usize| (0..=at).rev().find(|at| self.places[*at].level == 0);
            let found = match spot {
                Spot::Below(route) => at(route).map(|at| (at, self.places[at].level + 1)),
                Spot::Beside(route) => at(route).and_then(top).map(|at| (at, 0)),
            };
            match found {
                Some((at, level)) => waiting.entry(at).or_default().push((level, places)),
                None => last.push((0, places)),
            }
        }
        let mut all = Vec::with_capacity(self.places.len());
        let add = |all: &mut Vec<Place>, waiting: Vec<(usize, Vec<Place>)>| {
            for (level, places) in waiting {
                let top = places.first().map_or(0, |place| place.level);
                let moved = |place: Place| Place { level: place.level.saturating_sub(top) + level, ..place };
                all.extend(places.into_iter().map(moved));
            }
        };
        let mut open: Vec<usize> = Vec::new();
        for (at, place) in std::mem::take(&mut self.places).into_iter().enumerate() {
            while open.len() > place.level {
                let closed = open.pop().and_then(|closed| waiting.remove(&closed));
                add(&mut all, closed.unwrap_or_default());
            }
            open.push(at);
            all.push(place);
        }
        while let Some(closed) = open.pop() {
            add(&mut all, waiting.remove(&closed).unwrap_or_default());
        }
        add(&mut all, last);
        self.places = all;
    }
}

impl Place {
    pub(crate) fn of(route: RouteRef<'_>) -> Self {
        let to = route.redirects_to().map(|to| to.name().to_owned());
        let url = || route.redirects_to_url().map(|url| format!("→ {url}"));
        let title = route.data().get("title").and_then(|title| title.as_text()).map(str::to_owned);
        let page = title.or_else(|| route.page().cloned());
        let leads = to.as_ref().map(|to| format!("→ {to}")).or_else(url);
        let methods: Vec<&str> = route.methods().collect();
        let inherited = |need: &str| route.parent().is_some_and(|parent| parent.needs().any(|above| above == need));
        let needs = route.needs().filter(|need| !inherited(need)).map(|need| format!("needs {need}"));
        let fallback = match route.fallback() {
            Some(page) => Some(format!("else {page}")),
            None => route.has_no_fallback().then(|| "no fallback".to_owned()),
        };
        let host = route.host().filter(|_| route.parent().is_none_or(|parent| parent.host().is_none()));
        let notes = (methods != ["GET"] && !methods.is_empty()).then(|| methods.join(" "));
        Self {
            level: route.level(),
            route: Some(route.name().to_owned()),
            path: route.own_path().to_owned(),
            page: page.or(leads).unwrap_or_default(),
            notes: notes.into_iter().chain(needs).chain(fallback).chain(host.map(ToString::to_string)).collect(),
            frame: route.frame().map(str::to_owned),
            leads_to: to,
            hits: None,
            sort: Sort::Usual,
        }
    }
}
