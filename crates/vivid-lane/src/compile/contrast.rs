//! Why neither of two routes is narrower, and the one keyword that would make one of them so.
//!
//! Two sets that share a text and of which neither holds the other have a text each that the other lacks: `integer` has `-1`,
//! `slug` has `a`. These two texts say more than the rules do. A keyword mends the overlap if, added to one of the two rules,
//! it makes that rule the narrower: here `minimum = 0` does. Bounds of numbers are tried, and the keywords that the other rule
//! has; each costs a comparison of two automata, and only the first overlaps of a table are looked at.

use std::sync::Arc;

use super::order::{self, Demands};
use crate::declare::Data;
use crate::lookup::{HostMatcher, QueryMatcher};
use crate::rule::{Check, Dfa, Narrower, Relation, TooLarge, ValueSet};

/// What sets two routes apart, where that decides nothing.
#[derive(Debug, Default)]
pub(super) struct Contrast {
    /// A text that only the first accepts, and one that only the second does.
    pub(super) only: [Option<String>; 2],
    /// The rules that would have to differ, each with the name of its parameter.
    rules: Option<[NamedRule; 2]>,
}

/// A rule, and the name of the parameter that has it.
pub(super) type NamedRule = (String, Arc<Check>);

impl Contrast {
    /// What sets apart two sets of texts.
    pub(super) fn of(
        [left, right]: [&Dfa; 2],
        rules: Option<[NamedRule; 2]>,
        shown: impl Fn(&[u8]) -> String,
    ) -> Result<Self, TooLarge> {
        let found = left.compare(right)?;
        Ok(Self { only: [found.only_left, found.only_right].map(|text| text.map(|text| shown(&text))), rules })
    }

    /// What sets apart two hosts, where neither is the narrower.
    pub(super) fn of_hosts<'r>(
        left: Option<&'r HostMatcher>,
        right: Option<&'r HostMatcher>,
        demands: &Demands<'r>,
    ) -> Result<Option<Self>, TooLarge> {
        let Relation::Shared { narrower: Narrower::Neither, .. } = order::hosts(left, right, demands)? else {
            return Ok(None);
        };
        let (Some(left), Some(right)) = (left, right) else { return Ok(None) };
        let (left, right) = (demands.host(left)?, demands.host(right)?);
        Self::of([&left.texts, &right.texts], None, order::shown).map(Some)
    }

    /// What sets apart two queries: the first name of which each has a value, or a lack of one, that the other refuses.
    pub(super) fn of_queries<'r>(
        left: &'r QueryMatcher,
        right: &'r QueryMatcher,
        demands: &Demands<'r>,
    ) -> Result<Self, TooLarge> {
        let mut found = Self::default();
        for name in order::query_names(left, right) {
            let in_sequence = order::takes_all(left, name) || order::takes_all(right, name);
            let asked = [left, right].map(|query| demands.asked(query, name, in_sequence));
            let [one, other] = asked;
            let asked = [one?, other?];
            let compared = asked[0].values.texts.compare(&asked[1].values.texts)?;
            let is_by_value = compared.only_left.is_some() && compared.only_right.is_some();
            for (side, text) in [compared.only_left, compared.only_right].into_iter().enumerate() {
                let mut only = text.map(|text| order::query_of([(name, order::text(&text))]));
                if asked[side].may_be_absent && !asked[1 - side].may_be_absent {
                    // The least query that the one side accepts lacks what the other demands.
                    let least = order::least_query([left, right][side])?;
                    only = Some(if least.is_empty() { "?".to_owned() } else { least });
                }
                found.only[side] = found.only[side].take().or(only);
            }
            let rule = |query: &QueryMatcher| {
                let param = query.params.iter().find(|param| *param.name == *name)?;
                Some((name.to_owned(), Arc::clone(&param.check)))
            };
            if let (Some(one), Some(other), true) = (rule(left), rule(right), is_by_value) {
                found.rules = found.rules.or(Some([one, other]));
            }
        }
        Ok(found)
    }

    /// Whether nothing sets them apart.
    pub(super) fn is_none(&self) -> bool {
        self.only == [None, None]
    }

    /// The reason, to follow the message of an overlap.
    pub(super) fn why(&self, one: &str, two: &str) -> String {
        match &self.only {
            [Some(first), Some(second)] => {
                format!(": only `{one}` accepts `{first}`, and only `{two}` accepts `{second}`")
            }
            [None, None] => ": they accept the same".to_owned(),
            _ => String::new(),
        }
    }

    /// The keyword that would make one of the two rules the narrower, after the name of its parameter and whether it is that of
    /// the first route.
    pub(super) fn keyword(&self) -> Result<Option<(bool, &str, String)>, TooLarge> {
        let Some(rules) = &self.rules else { return Ok(None) };
        for (side, word, value) in candidates(rules) {
            let ((name, own), (_, other)) = (&rules[side], &rules[1 - side]);
            let Some(set) = own.set_with(word, value)? else { continue };
            let narrowed = ValueSet::new(Arc::new(set), [&**own]);
            let is_narrower = match narrowed.compare(&ValueSet::new(other.set(), [&**other]))? {
                Relation::Disjoint => true,
                Relation::Shared { narrower, .. } => narrower == Narrower::Left,
            };
            if is_narrower && !narrowed.texts.is_empty() {
                let shown = match value {
                    Data::Text(text) => format!("{word} = \"{text}\""),
                    value => format!("{word} = {}", value.to_url_text().unwrap_or_default()),
                };
                return Ok(Some((side == 0, name, shown)));
            }
        }
        Ok(None)
    }
}

/// Keywords that may do, each for one of the two rules: bounds of numbers, then what the other rule has, numbers first.
fn candidates(rules: &[NamedRule; 2]) -> Vec<(usize, &str, &Data)> {
    let bounds = [("minimum", &Data::Integer(0)), ("minimum", &Data::Integer(1))];
    let mut all: Vec<(usize, &str, &Data)> =
        [0, 1].into_iter().flat_map(|side| bounds.map(|(word, value)| (side, word, value))).collect();
    for is_number in [true, false] {
        for side in [0, 1] {
            let theirs = rules[1 - side].1.declared().iter().map(|(word, value)| (side, word.as_str(), value));
            all.extend(theirs.filter(|(.., value)| match value {
                Data::Integer(_) | Data::Float(_) => is_number,
                Data::Text(_) => !is_number,
                _ => false,
            }));
        }
    }
    all
}
