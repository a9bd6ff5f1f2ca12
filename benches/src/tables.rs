// Tables to measure with, and URLs for them. Made without randomness of the machine's, so that every run is the
// same. This file is also compiled into the build script, which writes a nested `match` for some of them.

/// A segment of a route.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Segment {
    Literal(String),
    /// A parameter of that name and kind.
    Param(String, Kind),
}

/// What a parameter accepts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Any,
    Integer,
    Date,
    /// A last segment that may be missing.
    Optional,
    /// All segments that follow.
    Tail,
}

/// A route: its segments.
pub type Route = Vec<Segment>;

/// A table, with for each route one URL that it answers.
#[derive(Debug, Clone)]
pub struct Corpus {
    pub name: String,
    pub routes: Vec<Route>,
}

/// Numbers that look random and are the same everywhere.
#[derive(Debug, Clone)]
pub struct Dice(u64);

impl Dice {
    pub fn new(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    pub fn roll(&mut self, sides: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as usize % sides
    }

    pub fn pick<'a, T>(&mut self, items: &'a [T]) -> &'a T {
        &items[self.roll(items.len())]
    }
}

/// Nouns of a web interface, in the plural.
pub const NOUNS: &[&str] = &[
    "observatories",
    "instruments",
    "telescopes",
    "exposures",
    "nights",
    "observers",
    "targets",
    "catalogues",
    "plates",
    "spectra",
    "calibrations",
    "reports",
    "schedules",
    "proposals",
    "reviews",
    "archives",
    "filters",
    "cameras",
    "domes",
    "alerts",
    "surveys",
    "fields",
    "sources",
    "comments",
    "members",
    "teams",
    "grants",
    "invoices",
    "orders",
    "shipments",
    "settings",
    "permissions",
    "sessions",
    "tokens",
    "events",
    "labels",
    "releases",
    "branches",
    "images",
    "files",
];
/// What is done with them, or known of them.
pub const ACTIONS: &[&str] = &[
    "history",
    "summary",
    "status",
    "export",
    "preview",
    "statistics",
    "archive",
    "restore",
    "subscribe",
    "neighbours",
    "lightcurve",
    "finding-chart",
    "weather",
    "downloads",
    "attachments",
    "approvals",
];

fn literal(text: impl Into<String>) -> Segment {
    Segment::Literal(text.into())
}

fn singular(noun: &str) -> String {
    noun.strip_suffix("ies")
        .map(|stem| format!("{stem}y"))
        .unwrap_or_else(|| noun.strip_suffix('s').unwrap_or(noun).to_owned())
}

fn param(noun: &str, kind: Kind) -> Segment {
    Segment::Param(singular(noun).replace('-', "_"), kind)
}

/// About 800 routes as a web interface has them: collections, members, their collections, and actions.
pub fn rest() -> Corpus {
    let mut routes: Vec<Route> = Vec::new();
    let mut dice = Dice::new(7);
    for (at, noun) in NOUNS.iter().enumerate() {
        let list = vec![literal(*noun)];
        let member = [list.clone(), vec![param(noun, Kind::Any)]].concat();
        routes.push(list);
        routes.push(member.clone());
        for step in 1..=4 {
            let sub = NOUNS[(at + step * 7) % NOUNS.len()];
            let subs = [member.clone(), vec![literal(sub)]].concat();
            let one = [subs.clone(), vec![param(sub, Kind::Any)]].concat();
            routes.push(subs);
            routes.push(one.clone());
            let action = ACTIONS[(at + step) % ACTIONS.len()];
            routes.push([one.clone(), vec![literal(action)]].concat());
            if step < 3 {
                let deep = NOUNS[(at + step * 5 + 3) % NOUNS.len()];
                let name = format!("{}_{}", singular(deep), step);
                let deeper = [one, vec![literal(deep), Segment::Param(name, Kind::Any)]].concat();
                routes.push(deeper.clone());
                routes.push([deeper, vec![literal(*dice.pick(ACTIONS))]].concat());
            }
        }
        for action in 0..2 {
            routes.push(
                [member.clone(), vec![literal(ACTIONS[(at + action * 3) % ACTIONS.len()]), literal("latest")]].concat(),
            );
        }
    }
    dedup(&mut routes);
    Corpus { name: "REST".to_owned(), routes }
}

/// A table of that many routes with literals, parameters, integers, dates, optional parts and tails.
pub fn generated(count: usize) -> Corpus {
    let mut dice = Dice::new(count as u64 + 3);
    let mut routes: Vec<Route> = Vec::with_capacity(count);
    let groups = (count / 40).max(1);
    while routes.len() < count {
        let at = routes.len();
        let group = dice.roll(groups);
        let mut route = vec![literal(format!("{}-{group}", NOUNS[group % NOUNS.len()]))];
        match at % 9 {
            0 => route.push(literal(format!("{}-{at}", dice.pick(ACTIONS)))),
            1 => {
                route.push(literal(format!("p{at}")));
                route.push(Segment::Param("id".to_owned(), Kind::Any));
            }
            2 => {
                route.push(literal(format!("n{at}")));
                route.push(Segment::Param("number".to_owned(), Kind::Integer));
                route.push(literal(*dice.pick(ACTIONS)));
            }
            3 => {
                route.push(Segment::Param("date".to_owned(), Kind::Date));
                route.push(literal(format!("{}-{at}", dice.pick(ACTIONS))));
            }
            4 => {
                route.push(literal(format!("o{at}")));
                route.push(Segment::Param("owner".to_owned(), Kind::Any));
                route.push(literal(*dice.pick(NOUNS)));
                route.push(Segment::Param("number".to_owned(), Kind::Integer));
            }
            5 => {
                route.push(literal(format!("files-{at}")));
                route.push(Segment::Param("tail".to_owned(), Kind::Tail));
            }
            6 => {
                route.push(Segment::Param("date".to_owned(), Kind::Date));
                route.push(literal(format!("d{at}")));
                route.push(Segment::Param("name".to_owned(), Kind::Any));
            }
            7 => {
                route.push(literal(format!("logbook-{at}")));
                route.push(Segment::Param("year".to_owned(), Kind::Optional));
            }
            _ => {
                route.push(literal(*dice.pick(NOUNS)));
                route.push(literal(format!("{}-{at}", dice.pick(ACTIONS))));
                route.push(Segment::Param("id".to_owned(), Kind::Any));
            }
        }
        routes.push(route);
    }
    dedup(&mut routes);
    Corpus { name: format!("{count}"), routes }
}

/// Routes that share all but their last segment: the worst case for a search that goes back.
pub fn branching(count: usize) -> Corpus {
    let route = |at: usize| {
        let mut route: Route = (0..4).map(|step| Segment::Param(format!("p{step}"), Kind::Any)).collect();
        route.push(literal(format!("x{at}")));
        route
    };
    let mut routes: Vec<Route> = (0..count).map(route).collect();
    // Beside each parameter stands a literal that leads nowhere.
    for depth in 0..4 {
        let mut decoy: Route = (0..4)
            .map(|step| if step == depth { literal("a") } else { Segment::Param(format!("p{step}"), Kind::Any) })
            .collect();
        decoy.push(literal("y"));
        routes.push(decoy);
    }
    Corpus { name: "branching".to_owned(), routes }
}

/// Drops routes that another one is already, whatever their parameters are called.
fn dedup(routes: &mut Vec<Route>) {
    let mut seen = std::collections::HashSet::new();
    routes.retain(|route| {
        let shape: Vec<String> = route
            .iter()
            .map(|segment| match segment {
                Segment::Literal(text) => text.clone(),
                Segment::Param(_, kind) => format!("{{{kind:?}}}"),
            })
            .collect();
        seen.insert(shape)
    });
}

/// A URL that a route answers.
pub fn url(route: &Route, dice: &mut Dice) -> String {
    let mut url = String::new();
    for segment in route {
        if matches!(segment, Segment::Param(_, Kind::Optional)) && dice.roll(2) == 0 {
            break;
        }
        url.push('/');
        match segment {
            Segment::Literal(text) => url.push_str(text),
            Segment::Param(_, Kind::Any | Kind::Optional) => {
                url.push_str(&format!("{}{}", dice.pick(&["m", "ngc-", "x", "plate-b-"]), dice.roll(100_000)));
            }
            Segment::Param(_, Kind::Integer) => url.push_str(&dice.roll(1_000_000).to_string()),
            Segment::Param(_, Kind::Date) => {
                url.push_str(&format!("20{:02}-{:02}-{:02}", 10 + dice.roll(80), 1 + dice.roll(12), 1 + dice.roll(28)));
            }
            Segment::Param(_, Kind::Tail) => {
                url.push_str(&format!("y{}/m{}/scan-{}.txt", dice.roll(90), dice.roll(12), dice.roll(1000)));
            }
        }
    }
    url
}

/// The path of a route as a URI Template.
pub fn template(route: &Route) -> String {
    route
        .iter()
        .map(|segment| match segment {
            Segment::Literal(text) => format!("/{text}"),
            Segment::Param(name, Kind::Tail) => format!("/{{+{name}}}"),
            Segment::Param(name, Kind::Optional) => format!("{{/{name}}}"),
            Segment::Param(name, _) => format!("/{{{name}}}"),
        })
        .collect()
}
