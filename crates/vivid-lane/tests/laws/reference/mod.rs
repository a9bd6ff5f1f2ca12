//! A naive matcher, written straight from the design: it tries every route, every way to fill its optional
//! parts and every way to cut a segment, and compares sets by their members in a pool of sample values. It
//! shares no code with the library, and is held against every matcher that the library has.

mod known;
pub(crate) mod model;
pub(crate) mod nested;
pub(crate) mod rules;

use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::rc::Rc;
use std::sync::LazyLock;

use known::{Known, KnownPath, Sets, compare, first_difference};
use model::{Path, Query, Route, Segment, Suffix, Tail};
use rules::{POOL, Rule};

/// The values of a URL by parameter; a tail's segments are joined by slashes.
pub(crate) type Bound = BTreeMap<String, String>;

/// One way to fill the optional parts of a route's path.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Way {
    pub(crate) segments: Vec<Segment>,
    pub(crate) tail: Option<(String, Tail)>,
}

/// A route that accepts a URL.
#[derive(Debug, Clone)]
pub(crate) struct Hit {
    pub(crate) route: usize,
    way: Rc<Known>,
    pub(crate) bound: Bound,
}

/// All ways through a path, those that fill more from the left first.
pub(crate) fn ways(path: &Path) -> Vec<Way> {
    let front = match &path.front {
        Some(segment) => vec![vec![segment.clone()], vec![]],
        None => vec![vec![]],
    };
    let mut all = Vec::new();
    for mut start in front {
        start.extend(path.segments.iter().cloned());
        for count in (0..=path.optional.len()).rev() {
            let mut segments = start.clone();
            segments.extend(path.optional[..count].iter().cloned());
            if let Some((suffix, rule)) = &path.suffix {
                all.push(Way { segments: with_suffix(&segments, *suffix, rule), tail: None });
                all.push(Way { segments, tail: None });
            } else if let Some((name, tail)) = &path.tail {
                all.push(Way { segments: segments.clone(), tail: Some((name.clone(), tail.clone())) });
                if matches!(tail, Tail::Items { min: 0, .. }) {
                    all.push(Way { segments, tail: None });
                }
            } else {
                all.push(Way { segments, tail: None });
            }
        }
    }
    all
}

/// The segments, the last of which goes on with a dot or a semicolon and a value.
fn with_suffix(segments: &[Segment], suffix: Suffix, rule: &Rule) -> Vec<Segment> {
    let value = ("s".to_owned(), rule.clone());
    let mut segments = segments.to_vec();
    let last = match segments.pop() {
        Some(Segment::Literal(text)) => {
            let before = format!("{text}{}", suffix.text());
            Segment::Value { before, name: value.0, rule: value.1, after: String::new() }
        }
        Some(Segment::Value { name, rule, .. }) => {
            Segment::Pair { left: (name, rule), between: suffix.text().to_owned(), right: value }
        }
        other => panic!("{other:?} has no suffix"),
    };
    segments.push(last);
    segments
}

/// A comma that is not escaped, and so parts the items of a list. Values hold no control characters.
pub(crate) const COMMA: char = '\u{1}';

/// A text whose commas are no more than that.
pub(crate) fn plain(text: &str) -> Cow<'_, str> {
    if text.contains(COMMA) { Cow::Owned(text.replace(COMMA, ",")) } else { Cow::Borrowed(text) }
}

/// Cuts a path at its slashes, decodes each segment but for its commas, and removes dot segments, then empty ones.
pub(crate) fn split(path: &str) -> Option<Vec<String>> {
    let mut segments: Vec<String> = Vec::new();
    for segment in path.strip_prefix('/')?.split('/') {
        let items: Option<Vec<String>> = segment.split(',').map(decode).collect();
        match items?.join(&COMMA.to_string()).as_str() {
            "." => {}
            ".." => drop(segments.pop()),
            text => segments.push(text.to_owned()),
        }
    }
    segments.retain(|segment| !segment.is_empty());
    Some(segments)
}

pub(crate) fn decode(text: &str) -> Option<String> {
    let (mut out, mut bytes) = (Vec::new(), text.bytes());
    while let Some(byte) = bytes.next() {
        out.push(match byte {
            b'%' => {
                let digits = [bytes.next()?, bytes.next()?];
                let is_hex = digits.iter().all(u8::is_ascii_hexdigit);
                u8::from_str_radix(std::str::from_utf8(&digits).ok().filter(|_| is_hex)?, 16).ok()?
            }
            byte => byte,
        });
    }
    String::from_utf8(out).ok().filter(|text| !text.chars().any(|c| c.is_ascii_control()))
}

impl Segment {
    /// Binds the values of one segment: the shortest leftmost reading in which every rule is met.
    pub(crate) fn read(&self, text: &str) -> Option<Bound> {
        if let Self::Many { name, .. } = self {
            let items = self.items(text)?;
            return Some(Bound::from([(
                name.clone(),
                items.iter().map(|item| plain(item)).collect::<Vec<_>>().join("/"),
            )]));
        }
        let text = &*plain(text);
        match self {
            Self::Many { .. } => None,
            Self::Literal(literal) => (literal == text).then(Bound::new),
            Self::Value { before, name, rule, after } => {
                let value = text.strip_prefix(before.as_str())?.strip_suffix(after.as_str())?;
                rule.accepts(value).then(|| Bound::from([(name.clone(), value.to_owned())]))
            }
            Self::Pair { left, between, right } => text.match_indices(between.as_str()).find_map(|(at, _)| {
                let (a, b) = (&text[..at], &text[at + between.len()..]);
                let fits = left.1.accepts(a) && right.1.accepts(b);
                fits.then(|| Bound::from([(left.0.clone(), a.to_owned()), (right.0.clone(), b.to_owned())]))
            }),
        }
    }

    /// Is there such a reading? The same question as whether [`read`](Self::read) gives one, without making it.
    pub(crate) fn accepts(&self, text: &str) -> bool {
        if matches!(self, Self::Many { .. }) {
            return self.items(text).is_some();
        }
        let text = &*plain(text);
        match self {
            Self::Many { .. } => false,
            Self::Literal(literal) => literal == text,
            Self::Value { before, rule, after, .. } => {
                let value = text.strip_prefix(before.as_str()).and_then(|rest| rest.strip_suffix(after.as_str()));
                value.is_some_and(|value| rule.accepts(value))
            }
            Self::Pair { left, between, right } => text
                .match_indices(between.as_str())
                .any(|(at, _)| left.1.accepts(&text[..at]) && right.1.accepts(&text[at + between.len()..])),
        }
    }
}

impl Segment {
    /// The items of a list, each of which its rule accepts.
    fn items<'t>(&self, text: &'t str) -> Option<Vec<&'t str>> {
        let Self::Many { before, rule, least, .. } = self else { return None };
        // The literal is one of letters.
        let items: Vec<&str> = text.strip_prefix(before.as_str())?.split(COMMA).collect();
        (items.len() >= *least && items.iter().all(|item| rule.accepts(item))).then_some(items)
    }
}

impl Tail {
    pub(crate) fn item(&self) -> Segment {
        let rule = match self {
            Self::Items { rule, .. } => rule.clone(),
            Self::Rest => Rule::Any,
        };
        Segment::Value { before: String::new(), name: "item".to_owned(), rule, after: String::new() }
    }
}

impl Way {
    /// Can it have so many segments?
    fn has_room_for(&self, segments: usize) -> bool {
        let fixed = self.segments.len();
        match &self.tail {
            None => segments == fixed,
            Some((_, Tail::Items { min, .. })) => segments >= fixed + (*min).max(1),
            Some((_, Tail::Rest)) => segments > fixed,
        }
    }

    pub(crate) fn read(&self, segments: &[String]) -> Option<Bound> {
        if !self.has_room_for(segments.len()) {
            return None;
        }
        let fixed = self.segments.len();
        let mut bound = Bound::new();
        for (segment, text) in self.segments.iter().zip(segments) {
            bound.extend(segment.read(text)?);
        }
        if let Some((name, tail)) = &self.tail {
            let rest = &segments[fixed..];
            rest.iter().try_for_each(|text| tail.item().read(text).map(drop))?;
            let value = plain(&rest.join("/")).into_owned();
            if *tail == Tail::Rest && !is_writable(&value) {
                return None;
            }
            bound.insert(name.clone(), value);
        }
        Some(bound)
    }
}

/// Can `{+tail}` be expanded to this text, and be read as it again? Reserved characters and escapes stay as they are.
pub(crate) fn is_writable(text: &str) -> bool {
    let is_hex = |c: Option<char>| c.is_some_and(|c| c.is_ascii_hexdigit());
    let mut escapes = text.match_indices('%').map(|(at, _)| text[at + 1..].chars());
    !text.contains(['?', '#'])
        && !escapes.any(|mut after| is_hex(after.next()) && is_hex(after.next()))
        && text.split('/').all(|segment| !["", ".", ".."].contains(&segment))
}

impl Query {
    /// Binds the values of a query; the first of a name counts.
    pub(crate) fn read(&self, pairs: &[(String, String)]) -> Option<Bound> {
        let value = |wanted: &str| pairs.iter().find(|(name, _)| name == wanted).map(|(_, value)| value.clone());
        match self {
            Self::None => Some(Bound::new()),
            Self::Each { rule } => {
                let is_there = |value: &&String| *rule == Rule::Any || !value.is_empty();
                let own: Vec<&String> =
                    pairs.iter().filter(|(name, _)| name == "q").map(|(_, value)| value).filter(is_there).collect();
                let fits = own.iter().all(|value| *rule == Rule::Any || rule.accepts(value));
                let joined = || own.iter().map(|value| value.as_str()).collect::<Vec<_>>().join("/");
                fits.then(|| if own.is_empty() { Bound::new() } else { Bound::from([("q".to_owned(), joined())]) })
            }
            Self::Rest if pairs.is_empty() => Some(Bound::new()),
            Self::Rest => Some(Bound::from([("rest".to_owned(), written(pairs))])),
            Self::Literal(name, text) => pairs.iter().any(|pair| pair.0 == *name && pair.1 == *text).then(Bound::new),
            Self::Both { rule } => {
                let own = Self::Param { name: "q".to_owned(), rule: rule.clone(), required: false };
                Self::Literal("k".to_owned(), "v".to_owned()).read(pairs).and_then(|_| own.read(pairs))
            }
            Self::Named { rule } => {
                let text = value("k")?;
                let fits = rule.accepts(&text) || *rule == Rule::Any;
                fits.then(|| Bound::from([("q".to_owned(), text)]))
            }
            Self::Param { name, rule, required } => match value(name) {
                None => (!required).then(Bound::new),
                Some(text) if rule.accepts(&text) || *rule == Rule::Any => Some(Bound::from([(name.clone(), text)])),
                // A field that nobody filled in.
                Some(text) => (text.is_empty() && !required).then(Bound::new),
            },
        }
    }
}

/// Pairs on one line.
pub(crate) fn written(pairs: &[(String, String)]) -> String {
    pairs.iter().map(|(name, value)| format!("{name}={value}")).collect::<Vec<_>>().join("&")
}

/// WHATWG, URL, section 5.1.
pub(crate) fn read_query(query: &str) -> Vec<(String, String)> {
    let form = |text: &str| {
        let text = text.replace('+', " ");
        let mut bytes = text.split('%').next().unwrap_or_default().as_bytes().to_vec();
        for piece in text.split('%').skip(1) {
            let digits = piece.get(..2).filter(|digits| digits.bytes().all(|byte| byte.is_ascii_hexdigit()));
            bytes.push(digits.map_or(b'%', |digits| u8::from_str_radix(digits, 16).expect("two digits")));
            bytes.extend(&piece.as_bytes()[digits.map_or(0, str::len)..]);
        }
        String::from_utf8_lossy(&bytes).into_owned()
    };
    let pairs = query.split('&').filter(|pair| !pair.is_empty());
    pairs
        .map(|pair| pair.split_once('=').unwrap_or((pair, "")))
        .map(|(name, value)| (form(name), form(value)))
        .collect()
}

/// The routes of a table, and what has been found out about pairs of them.
pub(crate) struct Reference<'a> {
    routes: &'a [Route],
    /// What each route answers; all answer `GET` where nothing is said.
    methods: &'a [&'static [&'static str]],
    paths: Vec<KnownPath>,
    /// Pairs of routes, the earlier first.
    compared: RefCell<HashMap<(usize, usize), Sets>>,
    queries: RefCell<HashMap<usize, Rc<Vec<bool>>>>,
}

impl<'a> Reference<'a> {
    pub(crate) fn new(routes: &'a [Route]) -> Self {
        Self {
            routes,
            methods: &[],
            paths: KnownPath::of_all(routes),
            compared: RefCell::default(),
            queries: RefCell::default(),
        }
    }

    pub(crate) fn with_methods(self, methods: &'a [&'static [&'static str]]) -> Self {
        Self { methods, ..self }
    }

    /// Do two routes answer no method in common? Then a query of one says nothing of the other.
    pub(crate) fn is_apart(&self, left: usize, right: usize) -> bool {
        let of = |route: usize| self.methods.get(route).copied().unwrap_or(&["GET"]);
        of(left).iter().all(|method| !of(right).contains(method))
    }

    /// Is one of two routes that accept a URL the narrower, as far as the pool tells? It does not tell apart what two values
    /// in one segment, or under two names of a query, make together.
    pub(crate) fn decides_between(&self, url: &str, left: usize, right: usize) -> bool {
        let segments = split(url.split('?').next().unwrap_or_default()).map_or(0, |segments| segments.len());
        let hits = self.hits(url);
        let is_pair = |segment: &Segment| matches!(segment, Segment::Pair { .. } | Segment::Many { .. });
        if [left, right].iter().any(|&route| self.routes[route].path.segments.iter().any(is_pair)) {
            return false;
        }
        let [a, b] = [left, right].map(|route| &self.routes[route].query);
        if a != b && !matches!((a, b), (Query::None | Query::Rest, _) | (_, Query::None | Query::Rest)) {
            return false;
        }
        let hit = |route: usize| hits.iter().find(|hit| hit.route == route).expect("both accept it");
        matches!(self.narrower(hit(left), hit(right), segments), Sets::Subset | Sets::Superset)
    }

    /// All routes that accept a URL, each by the narrowest of its ways.
    pub(crate) fn hits(&self, url: &str) -> Vec<Hit> {
        let (path, query) = url.split_once('?').unwrap_or((url, ""));
        let Some(segments) = split(path) else { return Vec::new() };
        let pairs = read_query(query);
        let mut hits = Vec::new();
        for (index, route) in self.routes.iter().enumerate() {
            let Some(from_query) = route.query.read(&pairs) else { continue };
            let mut own: Vec<Hit> = Vec::new();
            for known in &self.paths[index].ways {
                if let Some(mut bound) = known.way.read(&segments) {
                    bound.extend(from_query.clone());
                    own.push(Hit { route: index, way: Rc::clone(known), bound });
                }
            }
            // Of two ways through one route the narrower, else the one that fills more from the left.
            let best = (0..own.len()).find(|&at| {
                !(0..own.len()).any(|other| match first_difference(&own[other].way, &own[at].way, segments.len()) {
                    Sets::Subset => true,
                    Sets::Superset => false,
                    _ => other < at,
                })
            });
            hits.extend(best.map(|at| own.swap_remove(at)));
        }
        hits
    }

    /// The queries among the samples that a route accepts.
    fn queries(&self, route: usize) -> Rc<Vec<bool>> {
        let query = &self.routes[route].query;
        let made = || Rc::new(QUERIES.iter().map(|pairs| query.read(pairs).is_some()).collect());
        Rc::clone(self.queries.borrow_mut().entry(route).or_insert_with(made))
    }

    /// Which of two routes that accept a URL is the narrower.
    fn narrower(&self, left: &Hit, right: &Hit, segments: usize) -> Sets {
        match first_difference(&left.way, &right.way, segments) {
            Sets::Equal => {}
            decided => return decided,
        }
        let (a, b) = (&self.routes[left.route], &self.routes[right.route]);
        match self.compare_paths(left.route, right.route) {
            Sets::Equal if self.is_apart(left.route, right.route) => Sets::Neither,
            Sets::Equal => {
                let [left, right] = [left, right].map(|hit| self.queries(hit.route));
                compare_queries((&a.query, &left), (&b.query, &right))
            }
            decided => decided,
        }
    }

    fn compare_paths(&self, left: usize, right: usize) -> Sets {
        let (first, second) = (left.min(right), left.max(right));
        let mut compared = self.compared.borrow_mut();
        let made = || self.paths[first].compare(&self.paths[second]);
        let sets = *compared.entry((first, second)).or_insert_with(made);
        if first == left { sets } else { sets.flipped() }
    }

    /// The routes of a URL that no other is narrower than. Where the first of them has a tail with an escaped slash in it, those
    /// of the address with the slash as it is.
    pub(crate) fn narrowest(&self, url: &str) -> Vec<Hit> {
        let (path, query) =
            url.split_once('?').map_or((url, String::new()), |(path, query)| (path, format!("?{query}")));
        let segments = split(path).unwrap_or_default();
        let all = self.hits(url);
        let is_beaten = |one: &Hit| {
            all.iter()
                .any(|other| other.route != one.route && self.narrower(other, one, segments.len()) == Sets::Subset)
        };
        let narrowest: Vec<Hit> = all.iter().filter(|one| !is_beaten(one)).cloned().collect();
        let first = narrowest
            .iter()
            .min_by_key(|hit| hit.route)
            .filter(|hit| matches!(hit.way.way.tail, Some((_, Tail::Rest))));
        let fixed = first.map_or(segments.len(), |hit| hit.way.way.segments.len());
        if !segments[fixed..].iter().any(|segment| segment.contains('/')) {
            return narrowest;
        }
        let written = segments.iter().enumerate().map(|(at, segment)| {
            let segment = model::encode(segment);
            format!("/{}", if at < fixed { segment } else { segment.replace("%2F", "/") })
        });
        self.narrowest(&format!("{}{query}", written.collect::<String>()))
    }
}

/// Queries of each kind: with each value for each of two names.
static QUERIES: LazyLock<Vec<Vec<(String, String)>>> = LazyLock::new(|| {
    let values =
        || POOL.iter().copied().filter(|text| !text.contains(COMMA)).chain(["", "v", "w"]).map(Some).chain([None]);
    let mut samples = Vec::new();
    // Two values of one name, of which only a list reads the second.
    for q in values().flatten() {
        for other in ["a", "1", "tonight", ""] {
            for pair in [[q, other], [other, q]] {
                samples.push(pair.map(|value| ("q".to_owned(), value.to_owned())).to_vec());
            }
        }
    }
    for q in values() {
        for k in [None, Some("v"), Some("w"), Some(""), q] {
            let pairs = [("q", q), ("k", k)].into_iter();
            samples.push(pairs.filter_map(|(name, value)| Some((name.to_owned(), value?.to_owned()))).collect());
        }
    }
    samples
});

/// Sets of queries; where neither holds the other, a literal goes before none, then a required parameter.
fn compare_queries(left: (&Query, &[bool]), right: (&Query, &[bool])) -> Sets {
    let rank = |query: &Query| match query {
        Query::Literal(..) | Query::Both { .. } => 2,
        Query::Param { required: true, .. } | Query::Named { .. } => 1,
        _ => 0,
    };
    match compare(left.1, right.1) {
        Sets::Neither if rank(left.0) > rank(right.0) => Sets::Subset,
        Sets::Neither if rank(left.0) < rank(right.0) => Sets::Superset,
        decided => decided,
    }
}
