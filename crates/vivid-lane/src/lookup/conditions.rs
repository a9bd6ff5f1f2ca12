//! What a route demands of a URL beside its path: query, host and method.

use std::borrow::Cow;
use std::sync::Arc;

use smallvec::SmallVec;
use smol_str::SmolStr;

use super::answers::Answers;
use super::host::normal_host;
use super::pattern::Pattern;
use super::target::{Ask, pairs, raw_pairs, value_from};
use crate::rule::{Check, Many, Shape};
use crate::template::Template;
use crate::template::percent::{decode_form, kinds};

/// What a route demands of the query.
#[derive(Debug, Default)]
pub(crate) struct QueryMatcher {
    /// Pairs that must be there.
    pub(crate) literals: Vec<(Box<str>, Box<str>)>,
    /// In the order of their indices in the route.
    pub(crate) params: Vec<QueryParam>,
    /// The numbers of the parameters in the order of their names, so that a query is read in one pass.
    pub(super) by_name: Box<[u16]>,
    /// The parameter that takes all other pairs.
    pub(crate) rest: Option<Box<Rest>>,
    /// Whether a parameter takes all values of its name.
    has_lists: bool,
    /// Whether a query may keep the route from answering, or have it answered by another.
    pub(crate) asks: bool,
}

/// A parameter that stands in the query.
#[derive(Debug)]
pub(crate) struct QueryParam {
    /// The name in the query.
    pub(crate) name: SmolStr,
    /// The index of the parameter in its route.
    pub(crate) param: u16,
    pub(crate) is_required: bool,
    /// Whether each value of the name is an item of a list. Else the first value counts.
    pub(crate) is_repeated: bool,
    pub(crate) check: Arc<Check>,
}

/// The parameter that takes all pairs of the query that no other name takes.
#[derive(Debug)]
pub(crate) struct Rest {
    pub(crate) name: SmolStr,
    pub(crate) is_required: bool,
    pub(crate) check: Arc<Check>,
}

/// The items of a value of the query, which is undecoded: what commas that are not escaped part.
pub(super) fn items_of(raw: &str) -> impl Iterator<Item = Cow<'_, str>> + Clone {
    raw.split(',').map(decode_form)
}

/// Why a query is refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum QueryRefusal {
    Literal { name: String, value: String },
    Missing { name: String },
    Value { name: String, value: String, reason: String },
}

/// The number of places kept without allocation.
pub(crate) const FEW: usize = 4;
/// Where the values of the parameters of a query begin in it, by the numbers of the parameters.
pub(super) type QueryPlaces = SmallVec<[u32; FEW]>;
/// The place of a value that is not there. No URL that is looked up is as long.
pub(super) const ABSENT: u32 = u32::MAX;

impl QueryMatcher {
    pub(crate) fn new(literals: Vec<(Box<str>, Box<str>)>, mut params: Vec<QueryParam>, rest: Option<Rest>) -> Self {
        params.sort_unstable_by_key(|param| param.param);
        let mut by_name: Vec<u16> = (0..u16::try_from(params.len()).unwrap_or(u16::MAX)).collect();
        by_name.sort_unstable_by(|&one, &other| params[usize::from(one)].name.cmp(&params[usize::from(other)].name));
        let has_lists = params.iter().any(|param| param.is_repeated);
        let asks = !literals.is_empty()
            || params.iter().any(|param| param.is_required || !param.takes_any())
            || rest.as_ref().is_some_and(|rest| !rest.takes_any());
        Self { literals, params, by_name: by_name.into_boxed_slice(), rest: rest.map(Box::new), has_lists, asks }
    }

    /// The parameter of that index in the route, and its number.
    pub(super) fn param(&self, index: usize) -> Option<(usize, &QueryParam)> {
        let number = self.params.binary_search_by_key(&index, |param| usize::from(param.param)).ok()?;
        Some((number, &self.params[number]))
    }

    /// The number of the parameter of that name.
    fn number(&self, name: &str) -> Option<usize> {
        let found = self.by_name.binary_search_by(|&number| (*self.params[usize::from(number)].name).cmp(name));
        found.ok().map(|at| usize::from(self.by_name[at]))
    }

    /// Where the value of each parameter begins in a query. If a name occurs twice, the first counts. One pass over the query.
    pub(super) fn places(&self, query: &str) -> QueryPlaces {
        let mut places = QueryPlaces::from_elem(ABSENT, self.params.len());
        for pair in raw_pairs(query) {
            let number = self.number(&decode_form(pair.name));
            if let Some(place) = number.and_then(|number| places.get_mut(number)).filter(|place| **place == ABSENT) {
                *place = pair.value_at();
            }
        }
        places
    }

    /// Whether it has no condition at all.
    pub(crate) fn is_unasked(&self) -> bool {
        self.literals.is_empty() && self.params.is_empty() && self.rest.is_none()
    }

    /// Whether it takes every query.
    pub(crate) fn is_empty(&self) -> bool {
        self.literals.is_empty() && self.params.is_empty() && self.rest.as_ref().is_none_or(|rest| rest.takes_any())
    }

    /// Why the query does not fit; `None` where it does. Of a name that is there twice, the first counts.
    pub(crate) fn refusal(&self, query: &str, answers: &dyn Answers) -> Option<QueryRefusal> {
        for (name, value) in &self.literals {
            let is_there = raw_pairs(query).any(|pair| pair.is_named(name) && *decode_form(pair.value) == **value);
            if !is_there {
                return Some(QueryRefusal::Literal { name: name.to_string(), value: value.to_string() });
            }
        }
        let places = self.places(query);
        let values = places.iter().map(|&place| value_from(query, place));
        let of_one = self.params.iter().zip(values).find_map(|(param, value)| param.refusal(value, answers));
        of_one
            .or_else(|| if self.has_lists { self.refusal_of_lists(query, answers) } else { None })
            .or_else(|| self.rest.as_ref().filter(|rest| !rest.takes_any())?.refusal(self, query, answers))
    }

    /// Why one of the parameters refuses its values that takes all of them. One pass over the query, and one over each list.
    #[cold]
    fn refusal_of_lists(&self, query: &str, answers: &dyn Answers) -> Option<QueryRefusal> {
        let mut lists: Vec<Vec<Cow<'_, str>>> = self.params.iter().map(|_| Vec::new()).collect();
        for pair in pairs(query) {
            if let Some(number) = self.number(&pair.name)
                && self.params[number].is_item(pair.raw)
            {
                lists[number].push(decode_form(pair.raw));
            }
        }
        let repeated = self.params.iter().zip(lists).filter(|(param, _)| param.is_repeated);
        repeated.into_iter().find_map(|(param, list)| param.refusal_of_list(&list, answers))
    }

    /// Whether the name is one that the route reads for itself.
    pub(crate) fn names(&self, name: &str) -> bool {
        self.literals.iter().any(|(known, _)| **known == *name) || self.number(name).is_some()
    }
}

impl QueryParam {
    /// Whether a value counts as if it were not there. One that is optional, empty, and refused by its rule does, as a form sends
    /// the fields that nobody filled in.
    pub(super) fn counts_as_absent(&self, raw: &str) -> bool {
        raw.is_empty() && (!self.is_required || self.is_repeated) && !self.takes_empty()
    }

    /// Whether it takes whatever is there. Pairs that are joined need a value for each name.
    pub(crate) fn takes_any(&self) -> bool {
        self.check.is_any_of_its_form() && self.check.shape() != Shape::Pairs
    }

    /// Whether a value may be empty. Rules take no empty text.
    fn takes_empty(&self) -> bool {
        match &self.check.values {
            Many::List { items, .. } => items.is_any(),
            _ => self.check.is_any(),
        }
    }

    /// Whether a value, not decoded, is one of the items.
    pub(super) fn is_item(&self, raw: &str) -> bool {
        self.is_repeated && !self.counts_as_absent(raw)
    }

    /// Why a value is refused, which is undecoded, or that none is there.
    fn refusal(&self, raw: Option<&str>, answers: &dyn Answers) -> Option<QueryRefusal> {
        let Some(raw) = raw else {
            return self.is_required.then(|| QueryRefusal::Missing { name: self.name.to_string() });
        };
        if self.is_repeated || self.takes_any() || self.counts_as_absent(raw) {
            return None;
        }
        if self.check.shape() != Shape::One {
            return self.refusal_of_list(&items_of(raw).collect::<Vec<_>>(), answers);
        }
        let value = decode_form(raw);
        let reason = refusal_of_text(&self.check, &value, answers)?;
        Some(QueryRefusal::Value { name: self.name.to_string(), value: value.into_owned(), reason })
    }

    /// Why a list, or names and values in turn, are refused.
    fn refusal_of_list(&self, items: &[Cow<'_, str>], answers: &dyn Answers) -> Option<QueryRefusal> {
        if items.is_empty() {
            return self.is_required.then(|| QueryRefusal::Missing { name: self.name.to_string() });
        }
        let (item, reason) = refusal_of_items(&self.check, items, answers)?;
        let value = item.unwrap_or_else(|| items.join(","));
        Some(QueryRefusal::Value { name: self.name.to_string(), value, reason })
    }
}

impl Rest {
    /// Whether it takes whatever is left, or nothing.
    pub(crate) fn takes_any(&self) -> bool {
        !self.is_required && self.check.is_any_of_its_form()
    }

    #[cold]
    fn refusal(&self, matcher: &QueryMatcher, query: &str, answers: &dyn Answers) -> Option<QueryRefusal> {
        let free = pairs(query).filter(|pair| !matcher.names(&pair.name));
        let items: Vec<Cow<'_, str>> = free.flat_map(|pair| [pair.name, decode_form(pair.raw)]).collect();
        if items.is_empty() {
            return self.is_required.then(|| QueryRefusal::Missing { name: self.name.to_string() });
        }
        let (item, reason) = refusal_of_items(&self.check, &items, answers)?;
        let all = || items.chunks(2).map(|pair| pair.join("=")).collect::<Vec<_>>().join("&");
        let value = item.unwrap_or_else(all);
        Some(QueryRefusal::Value { name: self.name.to_string(), value, reason })
    }
}

/// Why one text of a query is refused by a rule that does not take every text.
fn refusal_of_text(check: &Check, value: &str, answers: &dyn Answers) -> Option<String> {
    // A rule is a set of texts without control characters; the automaton has another use for these.
    let is_text = !value.is_empty() && !kinds(value.as_bytes()).has_control();
    if is_text && check.accepts(value) && check.list.as_deref().is_none_or(|list| answers.is_listed(list, value)) {
        return None;
    }
    Some(check.refusal(value).unwrap_or_else(|| match &check.list {
        _ if value.is_empty() => "empty".to_owned(),
        _ if !is_text => "a control character".to_owned(),
        Some(list) => format!("not in the list `{list}`"),
        None => "refused by the rule".to_owned(),
    }))
}

/// Why a list, or names and values in turn, are refused: one of them, which is given, their number, or one that is there twice.
fn refusal_of_items(check: &Check, items: &[Cow<'_, str>], answers: &dyn Answers) -> Option<(Option<String>, String)> {
    let (rules, pairs): ([&Check; 2], bool) = match &check.values {
        Many::One => return None,
        Many::List { items, .. } => ([items, items], false),
        Many::Pairs { names, values, .. } => ([names, values], true),
    };
    if pairs && items.len() % 2 == 1 {
        return Some((None, "a name without a value".to_owned()));
    }
    let of_one = items.iter().enumerate().find_map(|(at, item)| {
        let rule = rules[at % 2];
        let reason = if rule.is_any() { None } else { refusal_of_text(rule, item, answers) };
        reason.map(|reason| (Some(item.clone().into_owned()), reason))
    });
    let count = if pairs { items.len() / 2 } else { items.len() };
    of_one.or_else(|| Some((None, check.refusal_of_number(count, items.iter().map(|item| &**item))?)))
}

/// The host that a route demands: a pattern over the whole host in its [one spelling](normal_host).
#[derive(Debug)]
pub(crate) struct HostMatcher {
    /// The host as it was declared, by the route or an ancestor.
    pub(crate) template: Template,
    pub(crate) pattern: Pattern,
    /// For each piece of the pattern, the parameter that it is the value of.
    pub(crate) params: Box<[Option<u16>]>,
}

impl HostMatcher {
    pub(crate) fn accepts(&self, host: Option<&str>, answers: &dyn Answers) -> bool {
        host.is_some_and(|host| self.pattern.accepts(&normal_host(host), answers))
    }

    /// The value in a host of the parameter of that index.
    pub(crate) fn value(&self, host: &str, index: usize) -> Option<String> {
        let host = normal_host(host);
        let piece = self.params.iter().position(|param| param.is_some_and(|param| usize::from(param) == index))?;
        let (start, end) = *self.pattern.split(&host)?.get(piece)?;
        Some(host[start..end].to_owned())
    }
}

/// The methods that a route answers; `GET` brings `HEAD` (RFC 9110, section 9.3.2).
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Methods(pub(crate) Arc<[Box<str>]>);

impl Methods {
    pub(crate) fn allows(&self, method: &str) -> bool {
        let wanted = if method == "HEAD" { "GET" } else { method };
        self.0.iter().any(|known| **known == *wanted || **known == *method)
    }

    pub(crate) fn is_disjoint(&self, other: &Self) -> bool {
        !self.0.iter().any(|method| other.allows(method)) && !other.0.iter().any(|method| self.allows(method))
    }
}

impl Ask<'_, '_> {
    /// Whether the host and the query fit. The method is another matter: it does not choose between pages.
    pub(crate) fn meets(&self, query: &QueryMatcher, host: Option<&HostMatcher>) -> bool {
        host.is_none_or(|host| host.accepts(self.target.sent.host, self.answers))
            && (!query.asks || query.refusal(self.query(), self.answers).is_none())
    }
}
