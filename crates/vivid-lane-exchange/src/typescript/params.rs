//! The parameters of a table: each with where its value is and what it may be, under as few names as there are different ones.

use std::collections::{BTreeSet, HashMap, HashSet};

use serde_json::Value as Json;
use vivid_lane::lookup::{Export, ExportedValues, ParamKind, Parameter, Side};
use vivid_lane::{RouteRef, Table, Value};

use super::rules::Rules;
use super::text;
use super::types::Kinds;

/// A parameter as the module declares it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct Spec {
    /// The call that makes it, or a rule alone.
    written: String,
    /// The rule of the segment in which it is.
    texts: String,
    /// The same among the rules of the table.
    texts_index: usize,
    /// Whether a segment of a path is judged by that rule.
    is_in_path: bool,
}

/// The parameters of all routes.
pub(super) struct Params {
    /// The keys in the order in which they are written, each with its call.
    pub(super) entries: Named,
    /// Rules that several parameters share.
    pub(super) shared: Named,
    /// What each rule of a segment is written as.
    texts: HashMap<usize, String>,
    /// For what is written the key of the first parameter that has it.
    keys: HashMap<String, String>,
    /// The patterns of segments, the narrower before the wider; of those that are written alike the first.
    pub(super) order: Vec<Step>,
}

/// The identity of a segment's rule. All rules that accept any text count as the same one.
fn identity(export: &Export, index: usize) -> usize {
    let rule = &export.rules[index];
    let is_any = rule.tests.is_empty() && rule.list.is_none() && rule.join.is_none();
    match rule.values {
        ExportedValues::One if is_any => usize::MAX,
        _ => index,
    }
}

impl Params {
    /// Those of a table; the rules by which segments are cut get names.
    pub(super) fn new(table: &Table, rules: &mut Rules<'_>, cut: &BTreeSet<usize>) -> Self {
        let routes: Vec<RouteRef<'_>> = table.routes().collect();
        let specs: Vec<Vec<Spec>> = routes
            .iter()
            .enumerate()
            .map(|(at, route)| {
                let params = route.parameters().enumerate();
                params.map(|(index, param)| spec(rules, at, index, param)).collect()
            })
            .collect();
        let mut chosen = choose(&routes, &specs);
        let export = rules.export;
        let mut texts = HashMap::new();
        for spec in specs.iter().flatten().filter(|spec| spec.is_in_path) {
            texts.insert(identity(export, spec.texts_index), spec.texts.clone());
        }
        let order = order_of_patterns(export, &alike(export, &texts));
        let mut ranks: HashMap<&str, usize> = HashMap::new();
        for (rank, pattern) in order.iter().enumerate() {
            if let [Err(rule)] = export.patterns[pattern.pattern].as_slice()
                && let Some(written) = texts.get(&identity(export, *rule))
            {
                ranks.entry(written).or_insert(rank);
            }
        }
        let rank = |spec: &Spec| ranks.get(spec.texts.as_str()).copied().unwrap_or(usize::MAX);
        // The narrower first; else as they are declared.
        chosen.sort_by_key(|(_, spec)| rank(spec));
        let mut keys = HashMap::new();
        for (key, spec) in chosen.iter().filter(|(_, spec)| spec.is_in_path) {
            keys.entry(spec.texts.clone()).or_insert_with(|| key.clone());
        }
        let cut: HashSet<&str> =
            cut.iter().filter_map(|rule| texts.get(&identity(export, *rule))).map(String::as_str).collect();
        let (entries, shared) = share(&chosen, &cut);
        Self { entries, shared, texts, keys, order }
    }

    /// What a rule of a segment is called: by its parameter.
    pub(super) fn key(&self, export: &Export, rule: usize) -> String {
        let written = self.texts.get(&identity(export, rule)).map_or("any", String::as_str);
        format!("{{{}}}", self.keys.get(written).map_or("", String::as_str))
    }

    /// A rule of a segment as it is written.
    pub(super) fn written(&self, export: &Export, rule: usize) -> &str {
        let written = self.texts.get(&identity(export, rule)).map_or("any", String::as_str);
        self.shared.iter().find(|(_, known)| known == written).map_or(written, |(name, _)| name)
    }
}

fn spec(rules: &mut Rules<'_>, route: usize, index: usize, param: Parameter<'_>) -> Spec {
    let export = rules.export;
    let exported = &export.routes[route].params[index];
    let kinds = Kinds::of(param.items().unwrap_or(param));
    // A value in the host has a rule of its own there.
    let of_host = export.routes[route].host.iter().flat_map(|host| &host.pieces).find_map(|piece| match piece {
        Err((rule, Some(param))) if *param == index => Some(*rule),
        _ => None,
    });
    let texts_index = of_host.unwrap_or(exported.texts);
    let (rule, texts_rule) = (&export.rules[exported.rule], &export.rules[texts_index]);
    let many = rules.many(rule, &kinds);
    let texts = match (&texts_rule.join, &many) {
        (Some(join), Some(many)) => rules.joined(join, many),
        _ => rules.one(texts_index, &kinds),
    };
    let fallback = param.default_value().map(json);
    let one = if many.is_none() { rules.one(exported.rule, &kinds) } else { String::new() };
    let is_joined = texts_rule.join.is_some();
    let query = export.routes[route].query.iter().find(|query| query.param == index);
    let is_required = query.is_some_and(|query| query.is_required) || !param.is_optional();
    // The call, its arguments, and whether such a parameter may be left out and must be in the query.
    let (call, mut arguments, usual) = match (param.kind(), many) {
        (ParamKind::Segment, Some(many)) => ("list", vec![many, texts.clone()], (false, false)),
        (ParamKind::Segment, None) if param.is_optional() => ("optional", vec![one.clone()], (true, false)),
        (ParamKind::Segment, None) => ("segment", vec![one.clone()], (false, false)),
        (ParamKind::Items, Some(many)) if is_joined => ("tailOfPairs", vec![many, texts.clone()], (true, false)),
        (ParamKind::Items, Some(many)) => ("tail", vec![many], (true, false)),
        (ParamKind::Rest, Some(many)) => ("restOfMany", vec![many, texts.clone()], (false, false)),
        (ParamKind::Items | ParamKind::Rest, None) => ("rest", vec![one.clone()], (false, false)),
        (ParamKind::Query, Some(many)) if param.is_exploded() => ("repeated", vec![many], (true, false)),
        (ParamKind::Query, Some(many)) => ("commas", vec![many], (true, false)),
        (ParamKind::Query, None) if is_required => ("required", vec![one.clone()], (false, true)),
        (ParamKind::Query, None) => ("query", vec![one.clone()], (true, false)),
        (ParamKind::Pairs, many) => ("others", vec![many.unwrap_or_default()], (true, false)),
        (ParamKind::Host, _) => {
            ("inHost", vec![one.clone(), texts.clone(), rules.import("findInHost").to_owned()], (false, false))
        }
        (ParamKind::Fragment, many) => {
            let item = if many.is_some() { rules.one_of_many(exported.rule, &kinds) } else { one.clone() };
            let mut arguments = vec![item];
            if let Some(many) = many {
                arguments.extend([fallback.clone().unwrap_or_else(|| "undefined".to_owned()), many]);
            }
            ("inFragment", arguments, (true, false))
        }
    };
    // What may be left out of a path is left out where it has its default.
    let is_standard = param.is_optional() && matches!(param.kind(), ParamKind::Segment | ParamKind::Items);
    if let (Some(fallback), false) = (&fallback, is_standard || call == "inFragment" && arguments.len() > 1) {
        arguments.push(fallback.clone());
    }
    let mut written = if call == "segment" && arguments.len() == 1 {
        one
    } else {
        format!("{}({})", rules.import(call), arguments.join(", "))
    };
    let is_query = param.kind() == ParamKind::Query;
    let mut changes = Vec::new();
    if param.is_optional() != usual.0 {
        changes.push(format!("isOptional: {}", param.is_optional()));
    }
    if is_query && is_required != usual.1 {
        changes.push(format!("isRequired: {is_required}"));
    }
    if let Some(query) = query.filter(|query| is_query && query.is_required && query.name != param.name()) {
        changes.push(format!("key: {}", text(&query.name)));
    }
    if !changes.is_empty() {
        if written == "any" || !written.contains('(') {
            written = format!("{}({written})", rules.import("segment"));
        }
        written = format!("{}({written}, {{ {} }})", rules.import("but"), changes.join(", "));
    }
    if let (Some(fallback), true) = (&fallback, is_standard) {
        written = format!("{}({written}, {fallback})", rules.import("standard"));
    }
    let is_in_path = matches!(param.kind(), ParamKind::Segment | ParamKind::Items | ParamKind::Host);
    Spec { written, texts, texts_index, is_in_path }
}

/// The names under which parameters are found: their own, where they are the commonest of that name, else that of their route before it.
fn choose(routes: &[RouteRef<'_>], specs: &[Vec<Spec>]) -> Vec<(String, Spec)> {
    let mut counts: HashMap<&str, Vec<(usize, &Spec)>> = HashMap::new();
    let mut order = Vec::new();
    for (route, own) in routes.iter().zip(specs) {
        for (param, spec) in route.parameters().zip(own) {
            let inherited =
                route.parent().is_some_and(|parent| parent.parameters().any(|known| known.name() == param.name()));
            if inherited {
                continue;
            }
            let known = counts.entry(param.name()).or_insert_with(|| {
                order.push(param.name());
                Vec::new()
            });
            match known.iter_mut().find(|(_, other)| *other == spec) {
                Some((count, _)) => *count += 1,
                None => known.push((1, spec)),
            }
        }
    }
    let mut entries: Vec<(String, Spec)> = Vec::new();
    let mut found: HashMap<String, Spec> = HashMap::new();
    for name in order {
        // Of those that are as common the first.
        let commonest = counts[name].iter().rev().max_by_key(|(count, _)| *count);
        if let Some((_, spec)) = commonest {
            found.insert(name.to_owned(), (*spec).clone());
            entries.push((name.to_owned(), (*spec).clone()));
        }
    }
    for (route, own) in routes.iter().zip(specs) {
        for (param, spec) in route.parameters().zip(own) {
            let mut chain = vec![route.name()];
            let mut above = route.parent();
            while let Some(parent) = above {
                chain.push(parent.name());
                above = parent.parent();
            }
            let near = chain.iter().find_map(|name| found.get(&format!("{name}.{}", param.name())));
            if near.or_else(|| found.get(param.name())) != Some(spec) {
                let key = format!("{}.{}", route.name(), param.name());
                found.insert(key.clone(), spec.clone());
                entries.push((key, spec.clone()));
            }
        }
    }
    entries
}

/// For each pattern the first one that is written in the same way.
fn alike(export: &Export, texts: &HashMap<usize, String>) -> Vec<usize> {
    let mut known = HashMap::new();
    let patterns = export.patterns.iter().enumerate().map(|(at, pieces)| {
        let written = |piece: &Result<String, usize>| match piece {
            Ok(literal) => Ok(literal.clone()),
            Err(rule) => Err(texts.get(&identity(export, *rule)).cloned()),
        };
        *known.entry(pieces.iter().map(written).collect::<Vec<_>>()).or_insert(at)
    });
    patterns.collect()
}

/// A pattern, and whether it is that of a tail.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) struct Step {
    pub(super) pattern: usize,
    pub(super) is_tail: bool,
}

/// The patterns of all segments, the narrower before the wider; else as they are at their nodes, else as they were declared. Of those that
/// are alike only the first is there.
fn order_of_patterns(export: &Export, alike: &[usize]) -> Vec<Step> {
    let is_tail = |at: usize| export.nodes[at].edges.iter().any(|(_, target)| *target == at);
    let of_nodes: Vec<Vec<Step>> = export
        .nodes
        .iter()
        .enumerate()
        .map(|(at, node)| {
            let edges = node.edges.iter().filter(|(_, target)| *target != at);
            edges.map(|&(pattern, target)| Step { pattern: alike[pattern], is_tail: is_tail(target) }).collect()
        })
        .collect();
    let mut steps: Vec<Step> = of_nodes.iter().flatten().copied().collect();
    steps.sort_unstable();
    steps.dedup();
    let mut narrower: HashMap<Step, Vec<Step>> = HashMap::new();
    for &(left, right, side) in &export.pattern_order {
        let (before, after) = match side {
            Side::Left => (alike[left], alike[right]),
            Side::Right => (alike[right], alike[left]),
            Side::Same | Side::Neither => continue,
        };
        for (one, other) in [(false, false), (false, true), (true, false), (true, true)] {
            let step = |pattern, is_tail| Step { pattern, is_tail };
            narrower.entry(step(after, other)).or_default().push(step(before, one));
        }
    }
    for edges in &of_nodes {
        for pair in edges.windows(2) {
            narrower.entry(pair[1]).or_default().push(pair[0]);
        }
    }
    // Each after all that must come before it; what runs in a circle stays as it was declared.
    let mut order = Vec::with_capacity(steps.len());
    let mut seen = HashSet::new();
    for first in &steps {
        let mut stack = vec![(*first, 0)];
        while let Some((step, at)) = stack.pop() {
            if at == 0 && !seen.insert(step) {
                continue;
            }
            match narrower.get(&step).and_then(|before| before.get(at)) {
                Some(&before) => stack.extend([(step, at + 1), (before, 0)]),
                None => order.push(step),
            }
        }
    }
    order.retain(|step| steps.binary_search(step).is_ok());
    order
}

/// Names, each with what is written under it.
type Named = Vec<(String, String)>;

/// The entries with names for the rules that several of them share, and these rules.
fn share(chosen: &[(String, Spec)], cut: &HashSet<&str>) -> (Named, Named) {
    let mut counts: HashMap<&str, Vec<&str>> = HashMap::new();
    for (key, spec) in chosen {
        if spec.is_in_path && spec.texts.contains('(') {
            counts.entry(&spec.texts).or_default().push(key);
        }
    }
    let mut shared: Vec<(String, String)> = Vec::new();
    for (key, spec) in chosen {
        let is_first = |keys: &Vec<&str>| (keys.len() > 1 || cut.contains(spec.texts.as_str())) && keys[0] == key;
        if counts.get(spec.texts.as_str()).is_some_and(is_first) {
            let word: String = key.chars().map(|one| if one.is_ascii_alphanumeric() { one } else { '_' }).collect();
            let mut name = format!("{word}Rule");
            if name.starts_with(|one: char| one.is_ascii_digit()) || shared.iter().any(|(known, _)| *known == name) {
                name = format!("rule{}_{word}", shared.len());
            }
            shared.push((name, spec.texts.clone()));
        }
    }
    // The longer first, as one may be a part of another.
    let mut by_length = shared.clone();
    by_length.sort_by_key(|(_, written)| std::cmp::Reverse(written.len()));
    let entries = chosen.iter().map(|(key, spec)| {
        let known = by_length.iter().find(|(_, written)| *written == spec.texts);
        let written = known.map_or_else(|| spec.written.clone(), |(name, texts)| spec.written.replacen(texts, name, 1));
        (key.clone(), written)
    });
    (entries.collect(), shared)
}

/// A value as the module writes it.
pub(super) fn json(value: &Value) -> String {
    match value {
        Value::Text(one) => text(one),
        Value::List(items) => Json::from(items.as_slice()).to_string(),
        Value::Pairs(pairs) => {
            pairs.iter().map(|(name, value)| Json::from([name.as_str(), value])).collect::<Json>().to_string()
        }
    }
}
