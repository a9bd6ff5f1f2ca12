//! The frozen table as the data that the matcher reads; `typescript/src/data.ts` says what stands where.

use std::collections::{HashMap, HashSet};

use serde_json::Value as Json;
use vivid_lane::declare::{Case, Slash};
use vivid_lane::lookup::{
    Automaton, Export, ExportedJoin, ExportedLeaf, ExportedRule, ExportedValues, ParamKind, Parameter, Side, Test,
};
use vivid_lane::{RouteRef, Table, Value};

use super::formats::{SHAPE_OF_DAY, expression};
use super::text;
use super::types::Kinds;
use crate::data_to_json;
use crate::note::Notes;

/// Writes the data.
pub(super) fn write(table: &Table, export: &Export, notes: &mut Notes) -> String {
    let mut writer = Writer::new(table, export, notes);
    let rules: Vec<String> = export.rules.iter().enumerate().map(|(at, rule)| writer.rule(at, rule)).collect();
    let routes: Vec<RouteRef<'_>> = table.routes().collect();
    let of_routes: Vec<String> = routes.iter().enumerate().map(|(at, route)| writer.route(at, *route)).collect();
    let needs = table.needs().map(|need| {
        let otherwise = table.need_otherwise(need).map(|route| writer.route_index(route).to_string());
        list(std::iter::once(text(need)).chain(otherwise))
    });
    let piece = |piece: &Result<String, usize>| match piece {
        Ok(literal) => text(literal),
        Err(rule) => rule.to_string(),
    };
    let patterns = export.patterns.iter().map(|pattern| list(pattern.iter().map(piece)));
    let mut tree = String::new();
    node(&mut tree, export, 0, 0);
    let parts = [
        ("site", writer.site()),
        ("pages", list(writer.pages.iter().map(|page| text(page)))),
        ("needs", list(needs)),
        ("rules", lines(rules)),
        ("automata", lines(writer.automata.iter().cloned())),
        ("patterns", lines(patterns)),
        ("singles", list(export.single_patterns.iter().map(usize::to_string))),
        ("order", order(&export.pattern_order)),
        ("leafOrder", order(&export.leaf_order)),
        ("routes", lines(of_routes)),
        ("leaves", lines(export.leaves.iter().map(|one| leaf(export, one)))),
        ("tree", tree),
    ];
    let parts: Vec<String> = parts.into_iter().map(|(name, value)| entry(name, value)).collect();
    format!("{{\n{}\n}}", parts.join(",\n"))
}

fn entry(name: &str, value: String) -> String {
    format!("{}:{value}", text(name))
}

fn list(items: impl IntoIterator<Item = String>) -> String {
    format!("[{}]", items.into_iter().collect::<Vec<_>>().join(","))
}

/// A tuple without the items at its end that say nothing.
fn tuple(mut items: Vec<String>) -> String {
    while items.last().is_some_and(|last| last == "0") {
        items.pop();
    }
    list(items)
}

/// A list with a line for each item.
fn lines(items: impl IntoIterator<Item = String>) -> String {
    let items: Vec<String> = items.into_iter().collect();
    if items.is_empty() { "[]".to_owned() } else { format!("[\n{}\n]", items.join(",\n")) }
}

fn order(pairs: &[(usize, usize, Side)]) -> String {
    list(pairs.iter().map(|(left, right, side)| {
        let side = match side {
            Side::Left => 0,
            Side::Right => 1,
            Side::Same => 2,
        };
        format!("[{left},{right},{side}]")
    }))
}

struct Writer<'t> {
    table: &'t Table,
    export: &'t Export,
    notes: &'t mut Notes,
    pages: Vec<&'t str>,
    /// The index of each route, by its name.
    indices: HashMap<&'t str, usize>,
    /// The automata as they are written, each once.
    automata: Vec<String>,
    known: HashMap<String, usize>,
    /// The rules whose values must be found within a segment, and those for which this segment has marks.
    cut: HashSet<usize>,
    marked: HashSet<usize>,
}

impl<'t> Writer<'t> {
    fn new(table: &'t Table, export: &'t Export, notes: &'t mut Notes) -> Self {
        let mut pages: Vec<&str> = Vec::new();
        let of_routes = table.routes().flat_map(|route| [route.page(), route.fallback()]);
        for page in of_routes.chain([table.fallback()]).flatten() {
            pages.push(page);
        }
        let mut seen = HashSet::new();
        pages.retain(|page| seen.insert(*page));
        let of_hosts = export.routes.iter().filter_map(|route| route.host.as_ref());
        let of_hosts =
            of_hosts.map(|host| host.pieces.iter().map(|piece| piece.clone().map_err(|(rule, _)| rule)).collect());
        let patterns: Vec<Vec<Result<String, usize>>> = export.patterns.iter().cloned().chain(of_hosts).collect();
        let (mut cut, mut marked) = (HashSet::new(), HashSet::new());
        for pattern in &patterns {
            let rules: Vec<usize> = pattern.iter().filter_map(|piece| piece.as_ref().err().copied()).collect();
            // One value, alone or with one text beside it, is found by that text.
            if pattern.len() > 2 || rules.len() > 1 {
                cut.extend(&rules);
                if rules.iter().any(|&rule| export.rules[rule].join.is_some()) {
                    marked.extend(&rules);
                }
            }
        }
        let indices = table.routes().enumerate().map(|(at, route)| (route.name(), at)).collect();
        Self { table, export, notes, pages, indices, automata: Vec::new(), known: HashMap::new(), cut, marked }
    }

    fn route_index(&self, route: RouteRef<'_>) -> usize {
        self.indices.get(route.name()).copied().unwrap_or_default()
    }

    fn page(&self, page: Option<&String>) -> String {
        let at = page.and_then(|page| self.pages.iter().position(|known| *known == page.as_str()));
        at.map_or_else(|| "-1".to_owned(), |at| at.to_string())
    }

    fn site(&self) -> String {
        let table = self.table;
        let slash = match table.slash() {
            Slash::Never => 0,
            Slash::Always => 1,
            Slash::Either => 2,
        };
        let entries = [
            Some(entry("origin", text(table.origin().unwrap_or_default()))),
            Some(entry("base", text(table.base()))),
            Some(entry("slash", slash.to_string())),
            Some(entry("bytes", table.longest_url().to_string())),
            Some(entry("segments", self.export.most_segments.to_string())),
            table.frame().map(|frame| entry("frame", text(frame))),
            table.fallback().map(|page| entry("fallback", self.page(Some(page)))),
        ];
        format!("{{{}}}", entries.into_iter().flatten().collect::<Vec<_>>().join(","))
    }

    fn rule(&mut self, at: usize, rule: &ExportedRule) -> String {
        let tests: Vec<String> = rule.tests.iter().flat_map(|test| self.tests(test)).collect();
        let many = match rule.values {
            ExportedValues::One => "0".to_owned(),
            ExportedValues::List { items, least, most, is_unique } => tuple(vec![
                items.to_string(),
                "-1".to_owned(),
                least.to_string(),
                most.to_string(),
                u8::from(is_unique).to_string(),
            ]),
            ExportedValues::Pairs { names, values, least, most } => {
                tuple([names, values, usize::from(least), usize::from(most)].iter().map(usize::to_string).collect())
            }
        };
        let join = rule.join.as_ref().map_or_else(
            || "0".to_owned(),
            |ExportedJoin { separator, name, is_named, .. }| {
                let name = name.as_deref().map_or_else(|| "0".to_owned(), text);
                tuple(vec![text(separator), u8::from(*is_named).to_string(), name])
            },
        );
        let tests = if tests.is_empty() { "0".to_owned() } else { list(tests) };
        let mut items = vec![tests, rule.list.as_deref().map_or_else(|| "0".to_owned(), text), many, join];
        // An automaton has an index that may be 0, so it is there or not.
        match rule.automaton.as_ref().filter(|_| self.cut.contains(&at)) {
            Some(automaton) => {
                items.push(self.automaton(automaton, self.marked.contains(&at)).to_string());
                list(items)
            }
            None => tuple(items),
        }
    }

    fn tests(&mut self, test: &Test) -> Vec<String> {
        let by = |sign: &str, limit: &str| vec![list([text(sign), text(limit)])];
        match test {
            Test::OneOf(words) => vec![format!("[{}]", list(words.iter().map(|word| text(word))))],
            Test::Pattern { pattern, automaton } => {
                let reason = text(&format!("does not fit the pattern `{pattern}`"));
                vec![list([self.automaton(automaton, false).to_string(), reason])]
            }
            Test::Formats { formats, automaton } => self.formats(formats, automaton),
            Test::Bound { sign, limit } => {
                let sign = match *sign {
                    "≥" => ">=",
                    "≤" => "<=",
                    other => other,
                };
                by(sign, limit)
            }
            Test::MultipleOf(step) => by("%", step),
            Test::MinLength(count) => by("min", &count.to_string()),
            Test::MaxLength(count) => by("max", &count.to_string()),
            Test::Set(automaton) => {
                vec![list([self.automaton(automaton, false).to_string(), text("refused by the rule")])]
            }
            Test::Own { name, automaton } => {
                let message = format!(
                    "the module cannot call the function of the format `{name}`; it uses the pattern of the format"
                );
                self.notes.left_out("format", None, message);
                let reason = text(&format!("refused by the format `{name}`"));
                automaton.iter().map(|one| list([self.automaton(one, false).to_string(), reason.clone()])).collect()
            }
            _ => Vec::new(),
        }
    }

    fn formats(&mut self, formats: &[(&str, &str)], automaton: &Automaton) -> Vec<String> {
        let expected = |(_, expected): &(&str, &str)| format!("expected {expected}");
        let reason = formats.iter().map(expected).collect::<Vec<_>>().join(", or ");
        let Some(expressions) = formats.iter().map(|(name, _)| expression(name)).collect::<Option<Vec<_>>>() else {
            return vec![list([self.automaton(automaton, false).to_string(), text(&reason)])];
        };
        let test = |expressions: &[String], reason: &str| match expressions {
            [one] if !one.contains('|') => list([text("/"), text(&format!("^{one}$")), text(reason)]),
            several => list([text("/"), text(&format!("^(?:{})$", several.join("|"))), text(reason)]),
        };
        let whole = |reason: &str| test(&expressions, reason);
        let Some(day) = formats.iter().position(|(name, _)| *name == "date") else { return vec![whole(&reason)] };
        // What has the shape of a day is refused with other words.
        let mut shapes = expressions.clone();
        shapes[day] = SHAPE_OF_DAY.to_owned();
        let no_day = formats
            .iter()
            .enumerate()
            .map(|(at, one)| if at == day { "no such day".to_owned() } else { expected(one) });
        vec![test(&shapes, &reason), whole(&no_day.collect::<Vec<_>>().join(", or "))]
    }

    fn automaton(&mut self, automaton: &Automaton, has_marks: bool) -> usize {
        let text = ranges(automaton, has_marks);
        let fresh = self.automata.len();
        let at = *self.known.entry(text.clone()).or_insert(fresh);
        if at == fresh {
            self.automata.push(text);
        }
        at
    }

    fn route(&mut self, at: usize, route: RouteRef<'t>) -> String {
        let parent = route.parent().map_or_else(|| "-1".to_owned(), |parent| self.route_index(parent).to_string());
        let params: Vec<String> =
            route.parameters().enumerate().map(|(index, param)| self.param(at, index, param)).collect();
        let page = self.page(route.page().filter(|_| route.redirect_status().is_none()));
        let mut items = vec![text(route.name()), parent, text(route.path().as_str()), page, list(params)];
        let more = self.more(at, route);
        if !more.is_empty() {
            items.push(format!("{{{}}}", more.join(",")));
        }
        list(items)
    }

    fn param(&self, route: usize, index: usize, param: Parameter<'_>) -> String {
        let exported = &self.export.routes[route].params[index];
        let kind = match param.kind() {
            ParamKind::Segment => 0,
            ParamKind::Items => 1,
            ParamKind::Rest => 2,
            ParamKind::Query => 3,
            ParamKind::Pairs => 4,
            ParamKind::Host => 5,
            ParamKind::Fragment => 6,
        };
        let kinds = Kinds::of(param.items().unwrap_or(param));
        let flags = [(param.is_optional(), 1), (param.is_exploded(), 2), (kinds.number, 4), (kinds.boolean, 8)];
        let flags: u32 = flags.into_iter().filter(|(is_so, _)| *is_so).map(|(_, flag)| flag).sum();
        let numbers = [exported.level, kind, flags as usize, exported.rule, exported.texts];
        let fallback = param.default_value().map(json);
        list(std::iter::once(text(param.name())).chain(numbers.iter().map(usize::to_string)).chain(fallback))
    }

    /// What few routes have.
    fn more(&self, at: usize, route: RouteRef<'_>) -> Vec<String> {
        let exported = &self.export.routes[at];
        let mut more = Vec::new();
        let methods: Vec<&str> = route.methods().collect();
        if methods != ["GET"] {
            more.push(entry("methods", list(methods.into_iter().map(text))));
        }
        if let (Some(template), Some(host)) = (route.host(), &exported.host) {
            let pieces = host
                .pieces
                .iter()
                .map(|piece| piece.as_ref().map_or_else(|(rule, _)| rule.to_string(), |literal| text(literal)));
            let params = host.pieces.iter().map(|piece| match piece {
                Err((_, Some(param))) => param.to_string(),
                _ => "-1".to_owned(),
            });
            more.push(entry("host", list([text(template.as_str()), list(pieces), list(params)])));
        }
        let needs: Vec<String> = route
            .needs()
            .filter_map(|need| self.table.needs().position(|known| known == need))
            .map(|at| at.to_string())
            .collect();
        if !needs.is_empty() {
            more.push(entry("needs", list(needs)));
        }
        if let Some(frame) = route.frame() {
            more.push(entry("frame", text(frame)));
        }
        if route.fallback().is_some() || route.has_no_fallback() {
            more.push(entry("fallback", self.page(route.fallback())));
        }
        if let Some(status) = route.redirect_status() {
            more.push(entry("redirect", self.redirect(status, at, route)));
        }
        if !exported.query_literals.is_empty() {
            let pairs = exported.query_literals.iter().map(|(name, value)| list([text(name), text(value)]));
            more.push(entry("query", list(pairs)));
        }
        let params: Vec<Parameter<'_>> = route.parameters().collect();
        let own_names = exported.query.iter().filter(|one| is_renamed(one.is_required, &one.name, params[one.param]));
        let names: Vec<String> = own_names.map(|one| entry(&one.param.to_string(), text(&one.name))).collect();
        if !names.is_empty() {
            more.push(entry("names", format!("{{{}}}", names.join(","))));
        }
        if exported.priority != 0 {
            more.push(entry("priority", exported.priority.to_string()));
        }
        if !route.data().is_empty() {
            more.push(entry("data", data_to_json(route.data()).to_string()));
        }
        more
    }

    fn redirect(&self, status: u16, at: usize, route: RouteRef<'_>) -> String {
        if let Some(url) = route.redirects_to_url() {
            return list([status.to_string(), text(url.as_str())]);
        }
        let to = route.redirects_to().map_or(0, |to| self.route_index(to));
        let piece =
            |piece: &Result<String, usize>| piece.as_ref().map_or_else(usize::to_string, |literal| text(literal));
        let values = self.export.routes[at].redirect.iter().flat_map(|redirect| &redirect.values);
        let values = values.map(|(name, pieces)| list(std::iter::once(text(name)).chain(pieces.iter().map(piece))));
        list([status.to_string(), to.to_string(), list(values)])
    }
}

/// Whether a parameter stands in the query under another name, which then must be there.
fn is_renamed(is_required: bool, name: &str, param: Parameter<'_>) -> bool {
    is_required && (param.is_optional() || name != param.name())
}

/// For each state whether it accepts, and the ranges of bytes that lead on. States are numbered as they are met.
fn ranges(automaton: &Automaton, has_marks: bool) -> String {
    let mut numbers = HashMap::from([(automaton.start(), 0)]);
    let mut states = vec![automaton.start()];
    let mut out = Vec::new();
    while let Some(&state) = states.get(out.len()) {
        let mut items = vec![u32::from(automaton.accepts(state))];
        let mut last: Option<u32> = None;
        for byte in 0..=u8::MAX {
            // No value holds another control character.
            let is_value = !byte.is_ascii_control() || (has_marks && (1..=3).contains(&byte));
            let next = Some(automaton.step(state, byte)).filter(|&next| next != 0 && is_value);
            let next = next.map(|next| {
                *numbers.entry(next).or_insert_with(|| {
                    states.push(next);
                    // An automaton has fewer states than 2^32.
                    u32::try_from(states.len() - 1).unwrap_or(u32::MAX)
                })
            });
            match (next, last) {
                (Some(number), Some(before)) if number == before => {
                    let end = items.len() - 2;
                    items[end] = byte.into();
                }
                (Some(number), _) => items.extend([byte.into(), byte.into(), number]),
                (None, _) => {}
            }
            last = next;
        }
        out.push(list(items.iter().map(u32::to_string)));
    }
    list(out)
}

fn leaf(export: &Export, leaf: &ExportedLeaf) -> String {
    let is_in_order = leaf.captures.iter().enumerate().all(|(at, param)| *param == Some(at));
    let captures = leaf.captures.iter().map(|param| param.map_or_else(|| "-1".to_owned(), |param| param.to_string()));
    let captures = if is_in_order { "0".to_owned() } else { list(captures) };
    let covers = leaf.covers.iter().map(|cover| match cover {
        None => "-1".to_owned(),
        Some((segments, None)) => segments.to_string(),
        Some((segments, Some(pieces))) => format!("[{segments},{pieces}]"),
    });
    let tail = leaf.tail.map_or_else(
        || "0".to_owned(),
        |tail| {
            let numbers = [Some(tail.param), Some(tail.first), tail.is_one_value.then_some(1)];
            list(numbers.into_iter().flatten().map(|number| number.to_string()))
        },
    );
    // What is all in small letters follows from the URL.
    let spelling: Vec<String> = leaf
        .spelling
        .iter()
        .filter(|(_, spelt)| export.case == Case::Fold && spelt.to_lowercase() != *spelt)
        .map(|(segment, spelt)| list([segment.to_string(), text(spelt)]))
        .collect();
    let spelling = if spelling.is_empty() { "0".to_owned() } else { list(spelling) };
    tuple(vec![leaf.route.to_string(), captures, list(covers), tail, spelling])
}

/// The nodes from one down, each literal and pattern on its line.
fn node(out: &mut String, export: &Export, at: usize, depth: usize) {
    let node = &export.nodes[at];
    let indices = |leaves: &[usize]| {
        if leaves.is_empty() { "0".to_owned() } else { list(leaves.iter().map(usize::to_string)) }
    };
    let literals: Vec<(String, usize)> = node.literals.iter().map(|(word, target)| (text(word), *target)).collect();
    let edges: Vec<(String, usize)> =
        node.edges.iter().map(|(pattern, target)| (pattern.to_string(), *target)).collect();
    let group = |ways: &[(String, usize)]| {
        let way = |(what, target): &(String, usize)| {
            let mut way = format!("\n{}{what},", " ".repeat(depth + 1));
            if *target == at {
                way.push('0');
            } else {
                self::node(&mut way, export, *target, depth + 1);
            }
            way
        };
        if ways.is_empty() { "0".to_owned() } else { list(ways.iter().map(way)) }
    };
    let ways = [group(&literals), group(&edges)];
    let rest = [indices(&node.leaves), indices(&node.areas), u8::from(!node.is_ordered).to_string()];
    let mut items: Vec<String> = ways.into_iter().chain(rest).collect();
    while items.len() > 1 && items.last().is_some_and(|last| last == "0") {
        items.pop();
    }
    out.push_str(&list(items));
}

/// A value as the module writes it.
fn json(value: &Value) -> String {
    match value {
        Value::Text(one) => text(one),
        Value::List(items) => Json::from(items.as_slice()).to_string(),
        Value::Pairs(pairs) => {
            pairs.iter().map(|(name, value)| Json::from([name.as_str(), value])).collect::<Json>().to_string()
        }
    }
}
