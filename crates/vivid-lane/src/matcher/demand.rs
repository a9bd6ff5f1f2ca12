//! What a route demands of a URL beside its path: query, host and method.

use std::sync::Arc;

use smol_str::SmolStr;

use super::ask::{Ask, Lists, Pairs};
use super::pattern::{Pattern, Split};
use crate::rule::Check;
use crate::template::Template;
use crate::template::percent::decode_form;

/// What a route demands of the query.
#[derive(Debug, Default)]
pub(crate) struct QueryDemand {
    /// Pairs that must be there.
    pub(crate) literals: Vec<(Box<str>, Box<str>)>,
    pub(crate) params: Vec<QueryParam>,
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

impl QueryDemand {
    pub(crate) fn is_empty(&self) -> bool {
        self.literals.is_empty() && self.params.is_empty()
    }

    /// Why the query does not fit; `None` where it does. Of a name that is there twice, the first counts.
    pub(crate) fn refusal(&self, pairs: &Pairs<'_>, lists: &dyn Lists) -> Option<QueryRefusal> {
        for (name, value) in &self.literals {
            let is_there =
                pairs.iter().any(|pair| *pair.name == **name && decode_form(pair.raw).is_ok_and(|v| *v == **value));
            if !is_there {
                return Some(QueryRefusal::Literal { name: name.to_string(), value: value.to_string() });
            }
        }
        self.params.iter().find_map(|param| param.read(pairs, lists).err())
    }

    /// Is the name one that the route reads for itself?
    pub(crate) fn names(&self, name: &str) -> bool {
        self.literals.iter().any(|(known, _)| **known == *name) || self.params.iter().any(|param| *param.name == *name)
    }
}

impl QueryParam {
    /// The index of the pair that holds the value. An optional value that is empty and that its rule refuses
    /// counts as absent, as a form sends the fields that nobody filled in.
    pub(crate) fn read(&self, pairs: &Pairs<'_>, lists: &dyn Lists) -> Result<Option<usize>, QueryRefusal> {
        let name = || self.name.to_string();
        let absent = || if self.is_required { Err(QueryRefusal::Missing { name: name() }) } else { Ok(None) };
        let Some(index) = pairs.iter().position(|pair| *pair.name == *self.name) else { return absent() };
        let Ok(value) = decode_form(pairs[index].raw) else { return absent() };
        if self.check.is_any() {
            return Ok(Some(index));
        }
        if value.is_empty() && !self.is_required {
            return Ok(None);
        }
        let is_listed = |list: &str| lists.contains(list, &value);
        if !value.is_empty() && self.check.accepts(&value) && self.check.list.as_deref().is_none_or(is_listed) {
            return Ok(Some(index));
        }
        let reason = self.check.refusal(&value).unwrap_or_else(|| match &self.check.list {
            Some(list) => format!("not in the list `{list}`"),
            None => "empty".to_owned(),
        });
        Err(QueryRefusal::Value { name: name(), value: value.into_owned(), reason })
    }
}

/// The host that a route demands: a pattern over the whole host in small letters.
#[derive(Debug)]
pub(crate) struct HostDemand {
    /// The host as it was declared, by the route or an ancestor.
    pub(crate) template: Template,
    pub(crate) pattern: Pattern,
    /// For each piece of the pattern, the parameter that it is the value of.
    pub(crate) params: Box<[Option<u16>]>,
}

impl HostDemand {
    pub(crate) fn accepts(&self, host: Option<&str>, lists: &dyn Lists) -> bool {
        host.is_some_and(|host| self.pattern.accepts(&host.to_ascii_lowercase(), lists))
    }

    pub(crate) fn split(&self, host: &str) -> Option<Split> {
        self.pattern.split(&host.to_ascii_lowercase())
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
    pub(crate) fn meets(&self, query: &QueryDemand, host: Option<&HostDemand>) -> bool {
        host.is_none_or(|host| host.accepts(self.host, self.lists))
            && (query.is_empty() || query.refusal(self.query, self.lists).is_none())
    }
}
