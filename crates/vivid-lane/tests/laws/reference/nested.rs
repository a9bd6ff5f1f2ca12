//! Nested tables with everything that a route may have: defaults, hosts, live lists, formats of the program's own, queries that
//! groups hand down, several keywords in a rule, rules on tails, needs and methods.

use proptest::prelude::*;
use vivid_lane::declare::{Format, Overlaps};
use vivid_lane::{Need, RouteSpec, Rule, TableSpec, Value};

/// A rule, values that it accepts (the first is the default where it has one), and one that it refuses.
pub(crate) type Ruled = (fn() -> Rule, &'static [&'static str], &'static str);

pub(crate) const RULES: [Ruled; 9] = [
    (Rule::new, &["a", "é b", "x/y", "1;2"], ""),
    (|| Rule::integer().minimum(2).maximum(40).multiple_of(2), &["2", "40", "16"], "17"),
    (|| Rule::one_of(["en", "cy", "is"]), &["cy", "en", "is"], "de"),
    (|| Rule::format("date"), &["2031-04-02", "2032-02-29"], "2031-02-29"),
    (|| Rule::listed("observers"), &["ada", "grace"], "eve"),
    (|| Rule::format("lucky"), &["7", "77"], "8"),
    (|| Rule::pattern("^[a-z]+$").max_length(5).min_length(2), &["moon", "io"], "m"),
    (|| Rule::new().keyword("type", "boolean"), &["true", "false"], "no"),
    (|| Rule::integer().default_value(3), &["3", "4", "-1"], "03"),
];

/// The rule that asks a live list.
pub(crate) const LISTED: usize = 4;

/// What a parameter holds: one value, a list of them, or names with values; each by a rule.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Form {
    One(usize),
    List(usize),
    Pairs(usize),
}

/// Picks a number below another.
pub(crate) type Pick<'a> = &'a mut dyn FnMut(usize) -> usize;

/// Names of pairs.
const NAMES: [&str; 4] = ["k", "é=", "a,b", "x;y"];

/// Where a list or pairs may stand: before and after the name, and whether they may be left out.
const PLACES: [(&str, &str, bool); 11] = [
    ("/{", "}", false),
    ("/{", "*}", false),
    ("/m-{", "}.x", false),
    ("{/", "}", true),
    ("/x{.", "}", true),
    ("/x{.", "*}", true),
    ("/x{;", "}", true),
    ("/x{;", "*}", true),
    ("/{+", "}", false),
    ("/{+", "*}", false),
    ("{/", "*}", true),
];

impl Form {
    pub(crate) fn rule(self) -> usize {
        let (Self::One(rule) | Self::List(rule) | Self::Pairs(rule)) = self;
        rule
    }

    fn declared(self) -> Rule {
        // An item has no default of its own.
        let item = |rule: usize| if rule == 8 { Rule::integer() } else { RULES[rule].0() };
        match self {
            Self::One(rule) => RULES[rule].0(),
            Self::List(rule) => Rule::list_of(item(rule)),
            Self::Pairs(rule) => Rule::pairs_of(item(rule)),
        }
    }

    /// A value, of texts that are picked one by one.
    pub(crate) fn value(self, next: Pick<'_>, text: &mut dyn FnMut(Pick<'_>) -> String) -> Value {
        match self {
            Self::One(_) => Value::Text(text(next)),
            Self::List(_) => Value::List((0..=next(3)).map(|_| text(next)).collect()),
            Self::Pairs(_) => Value::Pairs((0..=next(2)).map(|_| (NAMES[next(4)].to_owned(), text(next))).collect()),
        }
    }
}

/// What a level adds to the path.
#[derive(Debug, Clone)]
pub(crate) enum Step {
    Literal(&'static str),
    Value(usize),
    Beside(&'static str, usize),
    Pair(usize, usize),
    Optional(usize),
    Tail(usize),
    Items(usize),
    /// A list or pairs, at the place of that number.
    Many(usize, Form),
}

#[derive(Debug, Clone)]
pub(crate) struct Level {
    step: Step,
    /// What the query holds, whether it must, and whether it is written with a star.
    query: Option<(Form, bool, bool)>,
    has_page: bool,
    has_need: bool,
    method: &'static str,
    children: Vec<Level>,
}

fn rule() -> impl Strategy<Value = usize> {
    0..RULES.len()
}

pub(crate) fn level() -> impl Strategy<Value = Level> {
    let step = prop_oneof![
        4 => prop::sample::select(vec!["nights", "a", "été", "1"]).prop_map(Step::Literal),
        3 => rule().prop_map(Step::Value),
        1 => (prop::sample::select(vec!["v", "id-"]), rule()).prop_map(|(text, rule)| Step::Beside(text, rule)),
        1 => (rule(), rule()).prop_map(|(left, right)| Step::Pair(left, right)),
        1 => rule().prop_map(Step::Optional),
        1 => rule().prop_map(Step::Tail),
        1 => rule().prop_map(Step::Items),
        2 => (0..PLACES.len(), prop_oneof![rule().prop_map(Form::List), rule().prop_map(Form::Pairs)]).prop_map(|(place, form)| Step::Many(place, form)),
    ];
    let query = prop_oneof![
        3 => rule().prop_map(|rule| (Form::One(rule), false)),
        2 => (rule(), any::<bool>()).prop_map(|(rule, star)| (Form::List(rule), star)),
        1 => rule().prop_map(|rule| (Form::Pairs(rule), false)),
    ];
    let query =
        prop::option::weighted(0.3, (query, any::<bool>()).prop_map(|((form, star), required)| (form, required, star)));
    let method = prop_oneof![4 => Just("GET"), 1 => Just("POST")];
    let alone = (step, query, any::<bool>(), prop::bool::weighted(0.2), method);
    let leaf = alone.prop_map(|(step, query, has_page, has_need, method)| Level {
        step,
        query,
        has_page,
        has_need,
        method,
        children: Vec::new(),
    });
    leaf.prop_recursive(3, 10, 3, |inner| {
        (inner.clone(), prop::collection::vec(inner, 1..3)).prop_map(|(level, children)| match level.step {
            // Nothing can stand after a tail.
            Step::Tail(_) | Step::Items(_) | Step::Many(8.., _) => level,
            _ => Level { children, ..level },
        })
    })
}

/// A parameter of a route: its name, its rule, and whether it may be left out.
pub(crate) type Param = (String, Form, bool);

impl Level {
    /// The route, and for it and each descendant with a page the parameters that it has.
    fn declare(&self, name: &str, above: &str, params: &[Param], pages: &mut Vec<(String, Vec<Param>)>) -> RouteSpec {
        let full = if above.is_empty() { name.to_owned() } else { format!("{above}.{name}") };
        let of = |suffix: &str| format!("{}{suffix}", full.replace('.', "_"));
        let mut params = params.to_vec();
        let (mut route, mut own) = (RouteSpec::new(name), Vec::new());
        let mut path = match &self.step {
            Step::Literal(text) => format!("/{text}"),
            Step::Value(rule) => {
                own.push((of("v"), Form::One(*rule), false));
                format!("/{{{}}}", of("v"))
            }
            Step::Beside(text, rule) => {
                own.push((of("v"), Form::One(*rule), false));
                format!("/{text}{{{}}}", of("v"))
            }
            Step::Pair(left, right) => {
                own.extend([(of("l"), Form::One(*left), false), (of("r"), Form::One(*right), false)]);
                format!("/{{{}}}~{{{}}}", of("l"), of("r"))
            }
            Step::Optional(rule) => {
                own.push((of("o"), Form::One(*rule), true));
                format!("{{/{}}}", of("o"))
            }
            Step::Tail(rule) => {
                own.push((of("t"), Form::One(*rule), false));
                format!("/{{+{}}}", of("t"))
            }
            Step::Items(rule) => {
                own.push((of("i"), Form::List(*rule), true));
                format!("{{/{}*}}", of("i"))
            }
            Step::Many(place, form) => {
                let (before, after, is_optional) = PLACES[*place];
                own.push((of("m"), *form, is_optional));
                format!("{before}{}{after}", of("m"))
            }
        };
        let has_page = self.has_page || self.children.is_empty();
        if let Some((form, is_required, has_star)) = self.query {
            own.push((of("q"), form, !is_required));
            path.push_str(&format!("{{?{}{}}}", of("q"), if has_star { "*" } else { "" }));
            // A group cannot do without what only its children have.
            if is_required && has_page {
                route = route.required([of("q")]);
            }
            if is_required && !has_page {
                own.last_mut().expect("it was pushed").2 = true;
            }
        }
        route = own.iter().fold(route.path(path), |route, (name, form, _)| route.param(&**name, form.declared()));
        params.extend(own);
        if has_page {
            route = route.page(&*full).methods([self.method]);
            pages.push((full.clone(), params.clone()));
            // A page keeps its query to itself.
            params.retain(|(name, ..)| !name.ends_with('q') || !name.starts_with(&of("")));
        }
        if self.has_need {
            route = route.needs(["member"]);
        }
        for (at, child) in self.children.iter().enumerate() {
            route = route.route(child.declare(&format!("c{at}"), &full, &params, pages));
        }
        route
    }
}

/// The table of some levels, under a host or not, and its pages with their parameters. The pattern describes the format `lucky`.
pub(crate) fn site(levels: &[Level], has_host: bool, pattern: &str) -> (TableSpec, Vec<(String, Vec<Param>)>) {
    let mut pages = Vec::new();
    let site = TableSpec::new().overlaps(Overlaps::FirstDeclared).list("observers").need(Need::new("member"));
    let site = site.format(Format::new("lucky", |text| text.bytes().all(|byte| byte == b'7')).described_by(pattern));
    let site = levels.iter().enumerate().fold(site, |site, (at, level)| {
        let route = level.declare(&format!("r{at}"), "", &[], &mut pages);
        site.route(if has_host && at == 0 { route.host("larkfell.example") } else { route })
    });
    (site, pages)
}

pub(crate) fn lists(_: &str, value: &str) -> bool {
    matches!(value, "ada" | "grace")
}
