//! Routes as the reference knows them, and as a table declares them.

use proptest::prelude::*;
use vivid_lane::declare::Overlaps;
use vivid_lane::{RouteSpec, TableSpec, Value};

use super::rules::{POOL, Rule, rule, rule_alone};
use super::{COMMA, ways};

#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Route {
    pub(crate) path: Path,
    pub(crate) query: Query,
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Path {
    /// `{/front}`
    pub(crate) front: Option<Segment>,
    pub(crate) segments: Vec<Segment>,
    /// `{/a,b}`
    pub(crate) optional: Vec<Segment>,
    /// `{.s}` or `{;s}` after the last segment, which is then the literal `a` or a plain value.
    pub(crate) suffix: Option<(Suffix, Rule)>,
    pub(crate) tail: Option<(String, Tail)>,
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Suffix {
    Label,
    PathStyle,
}

impl Suffix {
    /// What stands before the value in a URL.
    pub(crate) fn text(self) -> &'static str {
        match self {
            Self::Label => ".",
            Self::PathStyle => ";s=",
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Segment {
    Literal(String),
    Value {
        before: String,
        name: String,
        rule: Rule,
        after: String,
    },
    Pair {
        left: (String, Rule),
        between: String,
        right: (String, Rule),
    },
    /// A list with commas.
    Many {
        before: String,
        name: String,
        rule: Rule,
        least: usize,
    },
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Tail {
    /// `{/tail*}`
    Items { rule: Rule, min: usize },
    /// `{+tail}`
    Rest,
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Query {
    None,
    Literal(String, String),
    Param {
        name: String,
        rule: Rule,
        required: bool,
    },
    /// `{?rest*}`
    Rest,
    /// `{?q*}`, a list
    Each {
        rule: Rule,
    },
    /// `?k=v{&q}{#part}`
    Both {
        rule: Rule,
    },
    /// `?k={q}`
    Named {
        rule: Rule,
    },
}

/// A template, and the rules of its parameters.
#[derive(Default)]
struct Written {
    path: String,
    rules: Vec<(String, vivid_lane::Rule)>,
    required: Vec<String>,
}

impl Written {
    fn value(&mut self, name: &str, rule: &Rule) -> String {
        self.rules.push((name.to_owned(), rule.declared()));
        name.to_owned()
    }

    fn segment(&mut self, segment: &Segment) {
        match segment {
            Segment::Literal(text) => self.path.push_str(text),
            Segment::Value { before, name, rule, after } => {
                let name = self.value(name, rule);
                self.path.push_str(&format!("{before}{{{name}}}{after}"));
            }
            Segment::Many { before, name, rule, least } => {
                let rule = vivid_lane::Rule::list_of(rule.declared());
                self.rules.push((name.clone(), if *least > 1 { rule.min_items(*least as i64) } else { rule }));
                self.path.push_str(&format!("{before}{{{name}}}"));
            }
            Segment::Pair { left, between, right } => {
                let (a, b) = (self.value(&left.0, &left.1), self.value(&right.0, &right.1));
                self.path.push_str(&format!("{{{a}}}{between}{{{b}}}"));
            }
        }
    }

    fn optional(&mut self, segments: &[Segment]) {
        let names: Vec<String> = segments
            .iter()
            .map(|segment| match segment {
                Segment::Value { name, rule, .. } => self.value(name, rule),
                other => panic!("{other:?} cannot be left out"),
            })
            .collect();
        if !names.is_empty() {
            self.path.push_str(&format!("{{/{}}}", names.join(",")));
        }
    }
}

impl Route {
    /// The route as a table declares it.
    pub(crate) fn declared(&self, name: &str) -> RouteSpec {
        self.addressed(name).page(name)
    }

    /// The route with its path and rules, but nothing to show.
    pub(crate) fn addressed(&self, name: &str) -> RouteSpec {
        let mut written = Written::default();
        written.optional(self.path.front.as_slice());
        for segment in &self.path.segments {
            written.path.push('/');
            written.segment(segment);
        }
        written.optional(&self.path.optional);
        if let Some((suffix, rule)) = &self.path.suffix {
            let name = written.value("s", rule);
            let operator = if *suffix == Suffix::Label { '.' } else { ';' };
            written.path.push_str(&format!("{{{operator}{name}}}"));
        }
        match &self.path.tail {
            Some((name, Tail::Items { rule, min })) => {
                written.path.push_str(&format!("{{/{name}*}}"));
                let items = vivid_lane::Rule::list_of(rule.declared());
                written.rules.push((name.clone(), items.min_items(*min as i64)));
            }
            Some((name, Tail::Rest)) => written.path.push_str(&format!("/{{+{name}}}")),
            None => {}
        }
        if written.path.is_empty() {
            written.path.push('/');
        }
        match &self.query {
            Query::None => {}
            Query::Both { rule } => {
                let name = written.value("q", rule);
                written.path.push_str(&format!("?k=v{{&{name}}}{{#part}}"));
            }
            Query::Named { rule } => {
                let name = written.value("q", rule);
                written.path.push_str(&format!("?k={{{name}}}"));
            }
            Query::Rest => {
                written.path.push_str("{?rest*}");
                written.rules.push(("rest".to_owned(), vivid_lane::Rule::pairs_of(vivid_lane::Rule::new())));
            }
            Query::Each { rule } => {
                written.path.push_str("{?q*}");
                written.rules.push(("q".to_owned(), vivid_lane::Rule::list_of(rule.declared())));
            }
            Query::Literal(name, value) => written.path.push_str(&format!("?{name}={value}")),
            Query::Param { name, rule, required } => {
                let name = written.value(name, rule);
                written.path.push_str(&format!("{{?{name}}}"));
                written.required.extend(required.then_some(name));
            }
        }
        let route = RouteSpec::new(name).path(written.path).required(written.required);
        written.rules.into_iter().fold(route, |route, (name, rule)| route.param(name, rule))
    }
}

/// The routes as a table, each named by its index in the slice; declared in the order given.
pub(crate) fn table(routes: &[Route], order: impl IntoIterator<Item = usize>, overlaps: Overlaps) -> TableSpec {
    order.into_iter().fold(TableSpec::new().overlaps(overlaps), |spec, index| {
        spec.route(routes[index].declared(&format!("r{index}")))
    })
}

fn literal() -> impl Strategy<Value = Segment> {
    prop::sample::select(vec!["a", "b", "tonight", "next", "objects", "1", "été", "v1", "a.csv"])
        .prop_map(|text| Segment::Literal(text.to_owned()))
}

fn value(name: String) -> impl Strategy<Value = Segment> {
    let affixes = prop_oneof![6 => Just(("", "")), 1 => Just(("v", "")), 1 => Just(("", ".csv"))];
    (rule_alone(), affixes).prop_map(move |(rule, (before, after))| Segment::Value {
        before: before.to_owned(),
        name: name.clone(),
        rule,
        after: after.to_owned(),
    })
}

fn plain(name: &'static str) -> impl Strategy<Value = Segment> {
    rule_alone().prop_map(move |rule| Segment::Value {
        before: String::new(),
        name: name.to_owned(),
        rule,
        after: String::new(),
    })
}

fn segment(index: usize) -> impl Strategy<Value = Segment> {
    prop_oneof![
        5 => literal(),
        5 => value(format!("p{index}")),
        1 => (prop::sample::select(vec!["", "", "v"]), rule(), 0usize..3).prop_map(move |(before, rule, least)| Segment::Many {
            before: before.to_owned(),
            name: format!("m{index}"),
            rule,
            least,
        }),
        1 => (rule(), rule()).prop_map(move |(left, right)| Segment::Pair {
            left: (format!("l{index}"), left),
            between: "-".to_owned(),
            right: (format!("r{index}"), right),
        }),
    ]
}

pub(crate) fn path() -> impl Strategy<Value = Path> {
    let segments =
        (0usize..4).prop_flat_map(|count| (0..count).map(|index| segment(index).boxed()).collect::<Vec<_>>());
    let optional = prop_oneof![
        5 => Just(Vec::new()),
        1 => plain("o0").prop_map(|one| vec![one]),
        1 => (plain("o0"), plain("o1")).prop_map(|(one, two)| vec![one, two]),
    ];
    let tail = prop_oneof![
        6 => Just(None),
        1 => (rule_alone(), 0usize..3).prop_map(|(rule, min)| Some(("t".to_owned(), Tail::Items { rule, min }))),
        1 => Just(Some(("t".to_owned(), Tail::Rest))),
    ];
    let front = prop_oneof![6 => Just(None), 1 => plain("f").prop_map(Some)];
    let suffix = prop_oneof![
        3 => Just(None),
        1 => (prop::sample::select(vec![Suffix::Label, Suffix::PathStyle]), rule()).prop_map(Some),
    ];
    (front, segments, optional, suffix, tail).prop_map(|(front, segments, optional, suffix, tail)| {
        let can_have_suffix = optional.is_empty()
            && tail.is_none()
            && match segments.last() {
                Some(Segment::Literal(text)) => text == "a",
                Some(Segment::Value { before, after, rule, .. }) => {
                    before.is_empty() && after.is_empty() && !matches!(rule, Rule::Rare(_))
                }
                _ => false,
            };
        let suffix = suffix.filter(|_| can_have_suffix);
        Path { front, segments, optional, suffix, tail }
    })
}

pub(crate) fn route() -> impl Strategy<Value = Route> {
    let query = prop_oneof![
        6 => Just(Query::None),
        1 => Just(Query::Rest),
        1 => rule_alone().prop_map(|rule| Query::Each { rule }),
        1 => rule_alone().prop_map(|rule| Query::Both { rule }),
        1 => rule_alone().prop_map(|rule| Query::Named { rule }),
        1 => prop::sample::select(vec!["v", "w"]).prop_map(|value| Query::Literal("k".to_owned(), value.to_owned())),
        1 => (rule(), any::<bool>()).prop_map(|(rule, required)| Query::Param { name: "q".to_owned(), rule, required }),
    ];
    (path(), query).prop_map(|(path, query)| Route { path, query })
}

/// Many routes whose first segments begin or end with texts, of which some begin or end with others; and URLs that come near them.
pub(crate) fn siblings() -> impl Strategy<Value = (Vec<Route>, Vec<String>)> {
    let text = || prop::sample::select(vec!["", "", "v", "va", "a", "ab", "b", "é", "1", "-a"]);
    let rule = prop_oneof![
        1 => Just(Rule::Any),
        2 => prop::sample::select(vec![Rule::Slug, Rule::Letters, Rule::HasX, Rule::Alpha, Rule::Digits]),
        1 => Just(Rule::Length { least: 2, most: 4 }),
        1 => Just(Rule::OneOf(vec!["a", "ab", "1", "abc"])),
    ];
    let first = (text(), text(), rule).prop_map(|(before, after, rule)| Segment::Value {
        before: before.to_owned(),
        name: "p".to_owned(),
        rule,
        after: after.to_owned(),
    });
    let more = prop::collection::vec(prop_oneof![literal(), plain("q")], 0..2);
    let route = (first, more).prop_map(|(first, more)| {
        let segments = std::iter::once(first).chain(more).collect();
        Route {
            path: Path { front: None, segments, optional: Vec::new(), suffix: None, tail: None },
            query: Query::None,
        }
    });
    let value =
        || prop::sample::select(vec!["a", "b", "ab", "abc", "xa", "xb", "1", "11", "1-", "-a", "va", "éa", "a/b"]);
    // Most have the texts of a route around their value.
    let parts = (any::<prop::sample::Index>(), value(), prop_oneof![3 => Just(""), 1 => text()], value(), 0..4);
    let url =
        |(route, value, odd, more, kind): (prop::sample::Index, &'static str, &'static str, &'static str, i32),
         routes: &[Route]| {
            let [Segment::Value { before, after, .. }, rest @ ..] = route.get(routes).path.segments.as_slice() else {
                return "/".to_owned();
            };
            let more = match rest {
                [Segment::Literal(text)] if kind > 0 => format!("/{}", encode(text)),
                [_] if kind > 0 => format!("/{}", encode(more)),
                _ => String::new(),
            };
            format!("/{}{more}", encode(&format!("{before}{odd}{value}{after}")))
        };
    (prop::collection::vec(route, 8..24), prop::collection::vec(parts, 60)).prop_map(move |(routes, parts)| {
        let urls = parts.into_iter().map(|parts| url(parts, &routes)).collect();
        (routes, urls)
    })
}

/// URLs that come near the routes of [`route`]: made of the values that they are told apart by, then spoilt.
pub(crate) fn url() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        6 => prop::sample::select(POOL.as_slice()).prop_map(str::to_owned),
        3 => prop::sample::select(vec!["objects", "tonight", "a", "b", "1", "v1", "été", "a.csv"]).prop_map(str::to_owned),
        1 => "\\PC{0,6}",
    ];
    let query = prop_oneof![
        4 => Just(String::new()),
        1 => (prop::sample::select(vec!["q", "k", "z"]), prop::sample::select(POOL.as_slice())).prop_map(|(name, value)| format!("?{name}={}", encode(value))),
        1 => prop::sample::select(vec!["?k=v", "?k=w", "?q=", "?k=v&q=1", "?q=a&q=1", "?q=1&q=2", "?q=&q=tonight&k=v", "?k"]).prop_map(str::to_owned),
    ];
    let spoilt =
        prop_oneof![8 => Just(None), 1 => prop::sample::select(vec!["/", "%", "//", "/../a", "%2e%2e"]).prop_map(Some)];
    (prop::collection::vec(piece, 0..6), query, spoilt).prop_map(|(pieces, query, spoilt)| {
        let path: String = pieces.iter().map(|piece| format!("/{}", encode(piece))).collect();
        format!("{}{}{query}", if path.is_empty() { "/" } else { &path }, spoilt.unwrap_or_default())
    })
}

/// URLs with escapes where none is needed, where one is, and where it changes what is meant.
pub(crate) fn raw_url() -> impl Strategy<Value = String> {
    let odd = vec![
        "%2F", "%2f", "%2E", "%2e%2E", "..", "%3F", "%23", "%25", "%2541", "%2C", ",", "%3B", "=", "%", "%C3%A9",
        "%E9", "%00", "//", "/", "%20", "+",
    ];
    let piece = prop_oneof![
        3 => prop::sample::select(odd).prop_map(str::to_owned),
        2 => prop::sample::select(vec!["a", "b", "x", "1", "42", "v", ".csv", "tonight", "objects", "-"]).prop_map(str::to_owned),
        1 => prop::sample::select(POOL.as_slice()).prop_map(encode),
    ];
    let segment = prop::collection::vec(piece, 1..4).prop_map(|pieces| pieces.concat());
    prop::collection::vec(segment, 1..5).prop_map(|segments| format!("/{}", segments.join("/")))
}

pub(crate) fn encode(text: &str) -> String {
    text.bytes()
        .map(|byte| match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' => char::from(byte).to_string(),
            1 => ",".to_owned(),
            _ => format!("%{byte:02X}"),
        })
        .collect()
}

/// Values that all rules of a route accept.
pub(crate) fn values(route: &Route, seed: u64) -> Vec<(String, Value)> {
    let mut state = seed | 1;
    let mut next = |count: usize| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 33) as usize % count
    };
    let all = ways(&route.path);
    let way = &all[next(all.len())];
    let mut values = Vec::new();
    for segment in &way.segments {
        let mut pick = |name: &String, rule: &Rule| {
            let choices: Vec<&str> = POOL.iter().copied().filter(|text| rule.accepts(text)).collect();
            values.push((name.clone(), Value::from(choices[next(choices.len())])));
        };
        match segment {
            Segment::Literal(_) => {}
            Segment::Many { name, rule, least, .. } => {
                let choices: Vec<&str> = POOL.iter().copied().filter(|text| rule.accepts(text)).collect();
                let items: Vec<&str> = (0..(*least).max(1) + next(2)).map(|_| choices[next(choices.len())]).collect();
                values.push((name.clone(), Value::from(items)));
            }
            Segment::Value { name, rule, .. } => pick(name, rule),
            Segment::Pair { left, right, .. } => {
                pick(&left.0, &left.1);
                pick(&right.0, &right.1);
            }
        }
    }
    if let Some((name, tail)) = &way.tail {
        let item = tail.item();
        let is_item = |text: &&str| !text.contains(COMMA) && item.read(text).is_some();
        let choices: Vec<&str> = POOL.iter().copied().filter(is_item).collect();
        let least = if let Tail::Items { min, .. } = tail { (*min).max(1) } else { 1 };
        let items: Vec<String> = (0..least + next(3)).map(|_| choices[next(choices.len())].to_owned()).collect();
        let value = if *tail == Tail::Rest { Value::Text(items.join("/")) } else { Value::List(items) };
        values.push((name.clone(), value));
    }
    let from_query = match &route.query {
        Query::Param { name, rule, required } => Some((name.as_str(), rule, *required)),
        Query::Both { rule } => Some(("q", rule, false)),
        Query::Named { rule } => Some(("q", rule, true)),
        Query::None | Query::Rest | Query::Literal(..) | Query::Each { .. } => None,
    };
    if let Query::Each { rule } = &route.query {
        let choices: Vec<&str> = POOL.iter().copied().filter(|text| rule.accepts(text)).collect();
        let items: Vec<&str> = (0..next(3)).map(|_| choices[next(choices.len())]).collect();
        if !items.is_empty() {
            values.push(("q".to_owned(), Value::from(items)));
        }
    }
    if let Some((name, rule, required)) = from_query
        && (required || next(2) == 0)
    {
        let choices: Vec<&str> = POOL.iter().copied().filter(|text| rule.accepts(text)).collect();
        values.push((name.to_owned(), Value::from(choices[next(choices.len())])));
    }
    values
}
