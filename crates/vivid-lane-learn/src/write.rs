//! A learned table as the text of a table file.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::fmt::Write;

use super::address::Address;
use super::class::{Kind, Kinds};
use super::routes::{Piece, Place, Segment, Values, places};
use super::sample::{Learner, LeftOut};
use super::site::{Adapted, Habits};
use super::tree::{Asked, Node, Page};
use crate::text;
use vivid_lane::{Decision, Request, Table, TableError};
use vivid_lane::{Source, TableSpec};

/// How many missing addresses are listed.
const MOST_MISSING: usize = 20;
/// A learned table.
#[derive(Debug, Clone)]
pub struct Learned {
    text: String,
    routes: usize,
    left_out: LeftOut,
    ignored: Vec<String>,
}

impl Learned {
    /// The table file in TOML. A comment before each route gives the number of hits and some addresses.
    #[must_use]
    pub fn to_toml(&self) -> &str {
        &self.text
    }

    /// The number of routes.
    #[must_use]
    pub fn routes(&self) -> usize {
        self.routes
    }

    /// The requests that were not learned from.
    #[must_use]
    pub fn left_out(&self) -> &LeftOut {
        &self.left_out
    }

    /// Query parameters that were ignored, because they occur everywhere with ever new values.
    #[must_use]
    pub fn ignored_names(&self) -> &[String] {
        &self.ignored
    }

    /// Builds the table.
    ///
    /// # Errors
    /// There is nothing to make a table of where no request got a page.
    pub fn build(&self) -> Result<Table, TableError> {
        read(&self.text)
    }
}

impl Learner {
    /// Learns a table. Each address in the sample that got a page leads to a page of the table; where no route fits, it
    /// becomes a route of its own.
    #[must_use]
    pub fn learn(&self) -> Learned {
        let own = self.tidied();
        let sample = own.sample();
        let habits = Habits::of(&sample);
        let mut root = Node::default();
        for row in &sample {
            let Adapted { address, kinds, choice } = habits.adapted(row);
            root.add(&address, row.seen, &kinds, choice, row.text);
        }
        let place = places(root);
        let mut site = Site { habits, is_in_order: false, lost: Vec::new() };
        let mut text = own.written(&place, &site);
        // What does not hold is loosened: first a contest of two routes, then an address that none has.
        if read(&text).is_err() {
            site.is_in_order = true;
            text = own.written(&place, &site);
        }
        if let Ok(table) = read(&text) {
            let lost = sample.iter().filter(|row| !is_answered(&table, row.text, row.seen.methods()));
            let lost: Vec<(&Address, BTreeSet<&str>)> =
                lost.map(|row| (&row.address, row.seen.methods().collect())).collect();
            if !lost.is_empty() {
                site.lost = single(&lost);
                text = own.written(&place, &site);
                if read(&text).is_err() {
                    site.is_in_order = true;
                    text = own.written(&place, &site);
                }
            }
        }
        let ignored = site.habits.ignored;
        let routes = text.lines().filter(|line| line.starts_with("[routes.")).count();
        Learned { text, routes, left_out: own.left_out().clone(), ignored: ignored.into_iter().collect() }
    }

    fn written(&self, place: &Place, site: &Site) -> String {
        let Habits { has_slash, folds_case, ignored, .. } = &site.habits;
        let mut out = String::from(
            "# Learned from what visitors asked for. Names are guesses: rename routes and pages as you like.\n",
        );
        let left_out = self.left_out();
        let counts = [
            (left_out.redirects, "redirected"),
            (left_out.missing, "found nothing"),
            (left_out.failed, "failed"),
            (left_out.unreadable, "asked for something that is not an address"),
        ];
        for (count, what) in counts.into_iter().filter(|(count, _)| *count > 0) {
            let _ = writeln!(out, "# Left out: {count} requests that {what}.");
        }
        if !ignored.is_empty() {
            let names: Vec<&str> = ignored.iter().map(String::as_str).collect();
            let _ = writeln!(
                out,
                "# Left out: the query parameters {}, which stand everywhere.",
                comment(&names.join(", "))
            );
        }
        if *has_slash || *folds_case || site.is_in_order {
            out.push_str("\n[site]\n");
        }
        if *has_slash {
            out.push_str("slash = \"always\"\n");
        }
        if *folds_case {
            out.push_str("case = \"fold\"\n");
        }
        if site.is_in_order {
            out.push_str("overlaps = \"first-declared\" # some routes share an address; remove this line, and `check` shows which\n");
        }
        let mut writer = Writer { out, names: HashSet::new() };
        writer.root(place);
        for (at, (path, methods)) in site.lost.iter().enumerate() {
            let _ = write!(
                writer.out,
                "\n# An address that fits no route above.\n[routes.other-{}]\npath = {}\npage = \"other-{}\"\n",
                at + 1,
                text::quoted(path),
                at + 1
            );
            writer.methods(methods.iter().map(String::as_str));
        }
        let mut missing: Vec<(&String, u64)> =
            self.missing.iter().map(|(path, hits)| (path, *hits)).filter(|(_, hits)| *hits > 1).collect();
        missing.sort_by(|one, other| other.1.cmp(&one.1).then_with(|| one.0.cmp(other.0)));
        if !missing.is_empty() {
            writer.out.push_str("\n# Asked for most, and found missing. Where one has moved, write a redirect: path = \"…\", redirect = \"…\".\n");
            for (path, hits) in missing.into_iter().take(MOST_MISSING) {
                let _ = writeln!(writer.out, "# {hits:>8}  {}", comment(path));
            }
        }
        writer.out
    }
}

fn read(text: &str) -> Result<Table, TableError> {
    TableSpec::read(Source::toml(text)).build()
}

/// What is true of the whole site.
#[derive(Debug)]
struct Site {
    habits: Habits,
    /// Whether the first of two routes that share an address wins.
    is_in_order: bool,
    /// Addresses that no other route has, with their methods.
    lost: Vec<(String, BTreeSet<String>)>,
}

/// Whether the table shows a page for an address, after one redirect at most.
fn is_answered<'m>(table: &Table, url: &str, methods: impl Iterator<Item = &'m str>) -> bool {
    let mut methods = methods;
    methods.all(|method| match table.decide(&Request::new(method, url)) {
        Decision::Page(_) => true,
        Decision::Redirect(redirect) => {
            matches!(table.decide(&Request::new(method, redirect.location())), Decision::Page(_))
        }
        _ => false,
    })
}

/// One route for each path, whatever its query.
fn single(lost: &[(&Address, BTreeSet<&str>)]) -> Vec<(String, BTreeSet<String>)> {
    let mut paths: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (address, methods) in lost {
        let path = Address { query: Vec::new(), ..(*address).clone() }.written();
        paths.entry(path).or_default().extend(methods.iter().map(|method| (*method).to_owned()));
    }
    paths.into_iter().collect()
}

/// Text in a comment: one line.
fn comment(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

struct Writer {
    out: String,
    /// The full names that are taken.
    names: HashSet<String>,
}

/// Where a route stands: its name, and the parameters above it.
#[derive(Clone, Default)]
struct Above {
    name: String,
    params: Vec<String>,
    /// The last fixed segment.
    noun: String,
}

impl Writer {
    fn root(&mut self, place: &Place) {
        if place.page.total() > 0 {
            let name = self.free("", "home");
            self.header(&name, &place.page);
            self.out.push_str("path = \"/\"\n");
            self.rest(&name, &place.page, &[]);
        }
        for place in sorted(&place.below) {
            self.place(place, &Above::default(), ("", &[]));
        }
    }

    /// Writes a place and all below it; `before` is what above it is no route of its own: its path, and its rules.
    fn place(&mut self, place: &Place, above: &Above, before: (&str, &[(String, String)])) {
        let mut above = above.clone();
        let noun = above.noun.clone();
        let (path, mut word, own) = self.segment(&place.segment, &mut above);
        let path = format!("{}{path}", before.0);
        let rules = [before.1, &own].concat();
        let whole = path.clone();
        let has_page = place.page.total() > 0;
        let is_choice = |place: &Place| matches!(place.segment, Segment::Choice(..));
        // What a query chooses stands beside the script, not below it.
        let beside = above.clone();
        let (choices, below): (Vec<&Place>, Vec<&Place>) =
            sorted(&place.below).into_iter().partition(|one| is_choice(one));
        if !has_page && !choices.is_empty() && below.is_empty() {
            return choices.into_iter().for_each(|one| self.place(one, &beside, (&path, &rules)));
        }
        if !has_page && place.below.len() == 1 {
            return self.place(&place.below[0], &above, (&path, &rules));
        }
        // Of two values in one segment neither names it, and `/talks/{year}` is about talks.
        if word.is_empty() {
            word.clone_from(&noun);
        } else if !before.0.is_empty()
            && matches!(place.segment, Segment::Values(_))
            && !noun.is_empty()
            && word != singular(&noun)
        {
            word = format!("{noun}-{word}");
        }
        let name = self.free(&above.name, &word);
        let query = if has_page { query(&place.page, &above.params) } else { Vec::new() };
        self.header(&name, &place.page);
        let names: Vec<&str> = query.iter().map(|one| one.expression.as_str()).collect();
        let operator = if path.contains('?') { '&' } else { '?' };
        let expression = if names.is_empty() { String::new() } else { format!("{{{operator}{}}}", names.join(",")) };
        let _ = writeln!(self.out, "path = {}", text::quoted(&(path + &expression)));
        if has_page {
            let mut all = rules.clone();
            all.extend(query.iter().filter_map(|one| Some((one.name.clone(), one.rule.clone()?))));
            self.rest(&name, &place.page, &all);
        } else {
            self.rules(&rules);
        }
        choices.into_iter().for_each(|one| self.place(one, &beside, (&whole, &rules)));
        above.name = name;
        for place in below {
            self.place(place, &above, ("", &[]));
        }
    }

    /// The path of a segment, a word for its route, and the rules of its parameters.
    fn segment(&self, segment: &Segment, above: &mut Above) -> (String, String, Vec<(String, String)>) {
        let literal = |text: &str| {
            let mut out = String::from("/");
            text::encode(&mut out, text);
            out
        };
        match segment {
            Segment::Fixed(label) => {
                above.noun = label.clone();
                (literal(label), label.clone(), Vec::new())
            }
            Segment::Endings(label, endings) => {
                above.noun = label.clone();
                let param = param(above, "format");
                let words: Vec<String> = endings.iter().map(|ending| text::quoted(ending)).collect();
                let rule = format!("[{}]", words.join(", "));
                (format!("{}{{.{param}}}", literal(label)), label.clone(), vec![(param, rule)])
            }
            Segment::Choice(name, value) => {
                let mut out = String::from("?");
                text::encode(&mut out, name);
                out.push('=');
                text::encode(&mut out, value);
                let script = above.noun.split('.').next().unwrap_or_default();
                (out, format!("{script}-{value}"), Vec::new())
            }
            Segment::Files(label) => {
                let param = param(above, "path");
                let rule = (format!("{param}.items"), "\"file-name\"".to_owned());
                (format!("{}{{/{param}*}}", literal(label)), label.clone(), vec![rule])
            }
            Segment::Values(pieces) => {
                let noun = singular(&above.noun);
                let (mut path, mut rules, mut word) = (String::from("/"), Vec::new(), String::new());
                let several = pieces.iter().filter(|piece| matches!(piece, Piece::Value(_))).count() > 1;
                let mut number = 0;
                for piece in pieces {
                    match piece {
                        Piece::Text(text) => text::encode(&mut path, text),
                        Piece::Value(values) => {
                            let is_number = values.kinds.has(Kind::Digits) && pieces.len() > 1;
                            let name = match several {
                                false if is_number => "number".to_owned(),
                                several => name_of(values, &noun, several.then_some(number), &above.params),
                            };
                            let name = param(above, &name);
                            number += 1;
                            let _ = write!(path, "{{{name}}}");
                            if word.is_empty() && !several {
                                // What is fixed before it tells it from others beside it.
                                let before =
                                    path.trim_start_matches('/').split('{').next().unwrap_or_default().to_owned();
                                word = if before.is_empty() { name.clone() } else { format!("{before}-{name}") };
                            }
                            rules.extend(rule(values).map(|rule| (name, rule)));
                        }
                    }
                }
                (path, word, rules)
            }
        }
    }

    fn header(&mut self, name: &str, page: &Page) {
        self.out.push('\n');
        if page.total() > 0 {
            let hits = page.total();
            let examples: Vec<String> = page.examples.iter().map(|(_, url)| comment(url)).collect();
            let sure = match hits {
                100.. => "",
                20..100 => " (rather sure)",
                _ => " (a guess)",
            };
            let _ = writeln!(self.out, "# {hits} hits{sure}, such as {}", examples.join("  "));
        }
        let _ = writeln!(self.out, "[routes.{name}]");
    }

    fn rest(&mut self, name: &str, page: &Page, rules: &[(String, String)]) {
        let _ = writeln!(self.out, "page = {}", text::quoted(&name.replace('.', "-")));
        self.methods(page.hits.keys().map(String::as_str));
        self.rules(rules);
    }

    fn methods<'m>(&mut self, methods: impl Iterator<Item = &'m str>) {
        let methods: Vec<&str> = methods.collect();
        if methods != ["GET"] {
            let _ = writeln!(
                self.out,
                "methods = [{}]",
                methods.iter().map(|method| text::quoted(method)).collect::<Vec<_>>().join(", ")
            );
        }
    }

    fn rules(&mut self, rules: &[(String, String)]) {
        for (param, rule) in rules {
            let _ = writeln!(self.out, "params.{param} = {rule}");
        }
    }

    /// A full name that no route has.
    fn free(&mut self, above: &str, word: &str) -> String {
        let mut own: String =
            word.chars().map(|c| if c.is_alphanumeric() || c == '-' || c == '_' { c } else { '-' }).collect();
        own = own.trim_matches('-').to_lowercase();
        // Keys of a route would be taken for that.
        if own.is_empty() || KEYS.contains(&own.as_str()) || !own.is_ascii() {
            own = format!("a-{}", if own.is_ascii() && !own.is_empty() { own.as_str() } else { "page" });
        }
        let full = |own: &str| if above.is_empty() { own.to_owned() } else { format!("{above}.{own}") };
        let mut name = full(&own);
        let mut number = 2;
        while !self.names.insert(name.to_lowercase()) {
            name = full(&format!("{own}-{number}"));
            number += 1;
        }
        name
    }
}

/// What a route cannot be named within another one.
const KEYS: [&str; 14] = [
    "path", "page", "frame", "fallback", "params", "required", "methods", "host", "redirect", "needs", "priority",
    "data", "include", "routes",
];

/// Fixed segments before values, each in the order of their hits.
fn sorted(places: &[Place]) -> Vec<&Place> {
    let mut places: Vec<&Place> = places.iter().collect();
    let is_value = |place: &Place| matches!(place.segment, Segment::Values(_));
    places.sort_by_key(|place| (is_value(place), std::cmp::Reverse(hits_of(place))));
    places
}

fn hits_of(place: &Place) -> u64 {
    place.page.total() + place.below.iter().map(hits_of).sum::<u64>()
}

/// A name for a parameter that none above it has.
fn param(above: &mut Above, wanted: &str) -> String {
    let mut wanted: String = wanted.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '_').collect();
    if wanted.is_empty() || wanted.starts_with(|c: char| c.is_ascii_digit()) {
        wanted = format!("value{wanted}");
    }
    let mut name = wanted.clone();
    let mut number = 2;
    while above.params.contains(&name) {
        name = format!("{wanted}{number}");
        number += 1;
    }
    above.params.push(name.clone());
    name
}

fn name_of(values: &Values, noun: &str, number: Option<usize>, above: &[String]) -> String {
    let is_below = |name: &str| above.last().is_some_and(|last| last == name);
    if values.are_languages {
        return "lang".to_owned();
    }
    match (values.kinds.best(), number) {
        (Some(Kind::Date), _) => "date".to_owned(),
        (Some(Kind::Year), _) => "year".to_owned(),
        (Some(Kind::Digits), _) if values.lengths == (2, 2) && is_below("year") => "month".to_owned(),
        (Some(Kind::Digits), _) if values.lengths == (2, 2) && is_below("month") => "day".to_owned(),
        (Some(Kind::Natural | Kind::Digits), Some(_)) => "number".to_owned(),
        (_, Some(0)) => "left".to_owned(),
        (_, Some(1)) => "right".to_owned(),
        _ if noun.is_empty() => "name".to_owned(),
        _ => noun.to_owned(),
    }
}

/// The singular of an English noun, near enough for a name.
fn singular(noun: &str) -> String {
    let noun = noun.to_lowercase().replace('-', "_");
    match noun.strip_suffix("ies") {
        Some(stem) if stem.len() > 1 => return format!("{stem}y"),
        _ => {}
    }
    let is_plural = noun.len() > 3 && noun.ends_with('s') && !noun.ends_with("ss") && !noun.ends_with("us");
    let is_es = ["ches", "shes", "xes", "sses"].iter().any(|end| noun.ends_with(end));
    noun[..noun.len() - if is_es { 2 } else { usize::from(is_plural) }].to_owned()
}

/// The rule that all values keep, in TOML.
fn rule(values: &Values) -> Option<String> {
    if !values.words.is_empty() {
        let words: Vec<String> = values.words.iter().map(|word| text::quoted(word)).collect();
        return Some(format!("[{}]", words.join(", ")));
    }
    if let Some(pattern) = &values.pattern {
        return Some(format!("{{ pattern = {} }}", text::quoted(pattern)));
    }
    of_kinds(values.kinds, values.lengths, values.count)
}

fn of_kinds(kinds: Kinds, (least, most): (usize, usize), count: usize) -> Option<String> {
    match kinds.best()? {
        Kind::Date => Some("\"date\"".to_owned()),
        Kind::Uuid => Some("\"uuid\"".to_owned()),
        Kind::Month => Some("{ pattern = \"^[0-9]{4}-(0[1-9]|1[0-2])$\" }".to_owned()),
        Kind::Year => Some("{ type = \"integer\", minimum = 1900, maximum = 2099 }".to_owned()),
        Kind::Natural => Some("\"natural\"".to_owned()),
        Kind::Digits if least == most => Some(format!("{{ pattern = \"^[0-9]{{{least}}}$\" }}")),
        Kind::Digits => Some("\"digits\"".to_owned()),
        Kind::Hash if least == most => Some(format!("{{ pattern = \"^[0-9a-f]{{{least}}}$\" }}")),
        Kind::Hash => Some("{ pattern = \"^[0-9a-f]{8,}$\" }".to_owned()),
        Kind::Slug => (count > 4).then(|| "\"slug\"".to_owned()),
    }
}

/// A parameter of the query, as it is written.
struct InQuery {
    name: String,
    expression: String,
    rule: Option<String>,
}

/// The parameters of the query that a page has.
fn query(page: &Page, taken: &[String]) -> Vec<InQuery> {
    let all = page.hits.values().sum::<u64>();
    let is_name = |name: &str| {
        !name.is_empty()
            && !name.starts_with('.')
            && !name.ends_with('.')
            && !name.contains("..")
            && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '.')
            && !taken.iter().any(|known| known == name)
    };
    // What hardly anyone asks with is no part of the page.
    let is_part = |asked: &Asked| asked.hits * 50 >= all;
    let mut names: Vec<(&String, &Asked)> =
        page.query.iter().filter(|(name, asked)| is_name(name) && is_part(asked)).collect();
    names.sort_by(|one, other| other.1.hits.cmp(&one.1.hits).then_with(|| one.0.cmp(other.0)));
    let written = |(name, asked): (&String, &Asked)| {
        let lengths = (1, usize::MAX);
        // Empty values are no number; a word may be any.
        let rule = of_kinds(asked.kinds, lengths, 0).filter(|_| asked.values.len() > 1 || asked.hits > 20);
        if asked.is_repeated {
            let rule = Some(rule.map_or("{ type = \"array\" }".to_owned(), |rule| format!("{{ items = {rule} }}")));
            return InQuery { name: name.clone(), expression: format!("{name}*"), rule };
        }
        InQuery { name: name.clone(), expression: name.clone(), rule }
    };
    names.into_iter().map(written).collect()
}
