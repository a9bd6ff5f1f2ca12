//! What a route demands of a URL beside its path: query, host and method.

use std::borrow::Cow;
use std::sync::Arc;

use smol_str::SmolStr;

use super::answers::Answers;
use super::ask::{Ask, Pairs};
use super::host::normal_host;
use super::pattern::Pattern;
use crate::rule::Check;
use crate::template::Template;
use crate::template::percent::decode_form;

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
    pub(crate) rest: Option<u16>,
}

/// A parameter that stands in the query.
#[derive(Debug)]
pub(crate) struct QueryParam {
    /// The name in the query.
    pub(crate) name: SmolStr,
    /// The index of the parameter in its route.
    pub(crate) param: u16,
    pub(crate) is_required: bool,
    pub(crate) check: Arc<Check>,
}

/// Why a query is refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum QueryRefusal {
    Literal { name: String, value: String },
    Missing { name: String },
    Value { name: String, value: String, reason: String },
}

/// So many names are looked for one by one; of more, the places of all are worked out at once.
pub(crate) const FEW: usize = 4;

impl QueryMatcher {
    pub(crate) fn new(literals: Vec<(Box<str>, Box<str>)>, mut params: Vec<QueryParam>, rest: Option<u16>) -> Self {
        params.sort_unstable_by_key(|param| param.param);
        let mut by_name: Vec<u16> = (0..u16::try_from(params.len()).unwrap_or(u16::MAX)).collect();
        by_name.sort_unstable_by(|&one, &other| params[usize::from(one)].name.cmp(&params[usize::from(other)].name));
        Self { literals, params, by_name: by_name.into_boxed_slice(), rest }
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

    /// For each parameter the first of some places whose name it has. One pass over the names, whatever there is of both.
    pub(crate) fn places<'n, T>(&self, names: impl Iterator<Item = (Cow<'n, str>, T)>) -> Vec<Option<T>> {
        let mut places: Vec<Option<T>> = self.params.iter().map(|_| None).collect();
        for (name, place) in names {
            if let Some(number) = self.number(&name) {
                places[number].get_or_insert(place);
            }
        }
        places
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.literals.is_empty() && self.params.is_empty()
    }

    /// Why the query does not fit; `None` where it does. Of a name that is there twice, the first counts.
    pub(crate) fn refusal(&self, pairs: &Pairs<'_>, answers: &dyn Answers) -> Option<QueryRefusal> {
        for (name, value) in &self.literals {
            let is_there = pairs.iter().any(|pair| *pair.name == **name && *decode_form(pair.raw) == **value);
            if !is_there {
                return Some(QueryRefusal::Literal { name: name.to_string(), value: value.to_string() });
            }
        }
        if self.params.len() <= FEW {
            let value = |param: &QueryParam| pairs.iter().find(|pair| *pair.name == *param.name).map(|pair| pair.raw);
            return self.params.iter().find_map(|param| param.refusal(value(param), answers));
        }
        let values = self.places(pairs.iter().map(|pair| (Cow::Borrowed(&*pair.name), pair.raw)));
        self.params.iter().zip(values).find_map(|(param, value)| param.refusal(value, answers))
    }

    /// Is the name one that the route reads for itself?
    pub(crate) fn names(&self, name: &str) -> bool {
        self.literals.iter().any(|(known, _)| **known == *name) || self.number(name).is_some()
    }
}

impl QueryParam {
    /// Does a value count as if it were not there? One that is optional, empty, and refused by its rule does, as a form sends
    /// the fields that nobody filled in.
    pub(super) fn counts_as_absent(&self, raw: &str) -> bool {
        raw.is_empty() && !self.is_required && !self.check.is_any()
    }

    /// Why a value is refused, which is undecoded, or that none is there.
    fn refusal(&self, raw: Option<&str>, answers: &dyn Answers) -> Option<QueryRefusal> {
        let name = || self.name.to_string();
        let Some(value) = raw.map(decode_form) else {
            return self.is_required.then(|| QueryRefusal::Missing { name: name() });
        };
        if self.check.is_any() || raw.is_some_and(|raw| self.counts_as_absent(raw)) {
            return None;
        }
        let is_listed = |list: &str| answers.is_listed(list, &value);
        if !value.is_empty() && self.check.accepts(&value) && self.check.list.as_deref().is_none_or(is_listed) {
            return None;
        }
        let reason = self.check.refusal(&value).unwrap_or_else(|| match &self.check.list {
            Some(list) => format!("not in the list `{list}`"),
            None => "empty".to_owned(),
        });
        Some(QueryRefusal::Value { name: name(), value: value.into_owned(), reason })
    }
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
    /// Do the host and the query fit? The method is another matter: it does not choose between pages.
    pub(crate) fn meets(&self, query: &QueryMatcher, host: Option<&HostMatcher>) -> bool {
        host.is_none_or(|host| host.accepts(self.host, self.answers))
            && (query.is_empty() || query.refusal(self.query, self.answers).is_none())
    }
}
