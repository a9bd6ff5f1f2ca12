//! Sets of values, and which of two is the narrower.
//!
//! A [`ValueSet`] is all that is known of what a segment, a tail, a host or a query parameter takes: the texts that its rules
//! let through, as an automaton; the functions of the program's own that may refuse some of them; and the live list that
//! has the last word. Two sets are compared in one way, whatever they belong to:
//!
//! - by inclusion of the automata, where a set with a function is a part of the same set without it;
//! - a list is narrower than a rule that does not name its values one by one (`enum`, `const`), and wider than one that does;
//! - of two lists the one that is declared first is asked first.
//!
//! A comparison visits each pair of states of the two automata at most once.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::{Check, Comparison, Dfa, TooLarge};

/// Which of two is the narrower.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Narrower {
    Left,
    Right,
    /// Both accept the same.
    Same,
    /// Neither holds the other.
    Neither,
    /// Neither, but the left is asked first: two live lists, whose rules stand in that order in the table.
    LeftAsked,
    /// Neither, but the right is asked first.
    RightAsked,
}

impl Narrower {
    /// Whether one of two sets holds the other, by what each has alone.
    pub(crate) fn by_inclusion(left_in_right: bool, right_in_left: bool) -> Self {
        match (left_in_right, right_in_left) {
            (true, true) => Self::Same,
            (true, false) => Self::Left,
            (false, true) => Self::Right,
            (false, false) => Self::Neither,
        }
    }

    /// Whether the left goes before the right wherever both accept.
    pub(crate) fn is_left_first(self) -> bool {
        matches!(self, Self::Left | Self::LeftAsked)
    }

    pub(crate) fn flipped(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
            Self::LeftAsked => Self::RightAsked,
            Self::RightAsked => Self::LeftAsked,
            other => other,
        }
    }
}

/// What two sets have to do with each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Relation {
    /// No text is in both.
    Disjoint,
    /// A text is in both.
    Shared {
        narrower: Narrower,
        /// A shortest text of both. What is compared as bytes, such as whole paths, may be none.
        witness: Vec<u8>,
        /// Whether it is certain that both accept the witness.
        is_exact: bool,
    },
}

impl Relation {
    /// Which is the narrower; `None` where no text is in both.
    pub(crate) fn narrower(&self) -> Option<Narrower> {
        match self {
            Self::Disjoint => None,
            Self::Shared { narrower, .. } => Some(*narrower),
        }
    }
}

/// How far a set tells what its rules accept; of several rules, the greatest counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Certainty {
    /// All that is in the set is accepted.
    Exact,
    /// A function of the program's own may refuse some of it, always the same.
    Filtered,
    /// A live list accepts what it holds just now, which may be nothing.
    Listed,
}

/// A set of texts, and what refuses some of them at request time.
#[derive(Debug, Clone)]
pub(crate) struct ValueSet {
    pub(crate) texts: Arc<Dfa>,
    /// The functions that may refuse a text, by name.
    predicates: BTreeSet<String>,
    list: Option<String>,
    /// Whether the texts are named one by one.
    pub(crate) is_choice: bool,
}

impl ValueSet {
    /// The set of some texts, as these rules take them.
    pub(crate) fn new<'c>(texts: Arc<Dfa>, rules: impl IntoIterator<Item = &'c Check>) -> Self {
        let mut set = Self { texts, predicates: BTreeSet::new(), list: None, is_choice: false };
        for (at, rule) in rules.into_iter().enumerate() {
            set.predicates.extend(rule.predicates().map(str::to_owned));
            set.list = set.list.or_else(|| rule.list.as_deref().map(str::to_owned));
            set.is_choice = rule.is_choice && (at == 0 || set.is_choice);
        }
        set
    }

    /// The same set, of items that must be in the live list that a rule names for them.
    pub(crate) fn asking(self, rule: &Check) -> Self {
        let list = rule.list_of_items().into_iter().flatten().next().map(str::to_owned);
        Self { list: self.list.or(list), ..self }
    }

    /// One text.
    pub(crate) fn word(text: &str) -> Result<Self, TooLarge> {
        Ok(Self { is_choice: true, ..Self::new(Arc::new(Dfa::words([text])?), []) })
    }

    pub(crate) fn certainty(&self) -> Certainty {
        match (&self.list, self.predicates.is_empty()) {
            (Some(_), _) => Certainty::Listed,
            (None, false) => Certainty::Filtered,
            (None, true) => Certainty::Exact,
        }
    }

    /// Whether everything in the set is accepted.
    pub(crate) fn is_exact(&self) -> bool {
        self.certainty() == Certainty::Exact
    }

    /// The text, where the set accepts only one.
    pub(crate) fn sole(&self) -> Option<String> {
        self.texts.sole_word().filter(|_| self.is_exact()).and_then(|text| String::from_utf8(text).ok())
    }

    /// A shortest text of the set; empty where it has none.
    pub(crate) fn example(&self) -> Vec<u8> {
        self.texts.shortest().unwrap_or_default()
    }

    /// Compares two sets.
    pub(crate) fn compare(&self, other: &Self) -> Result<Relation, TooLarge> {
        let Comparison { only_left, only_right, both } = self.texts.compare(&other.texts)?;
        let Some(both) = both else { return Ok(Relation::Disjoint) };
        let narrower = self.narrower(other, only_left.is_none(), only_right.is_none());
        Ok(Relation::Shared { narrower, witness: both, is_exact: self.is_exact() && other.is_exact() })
    }

    /// Which of two sets that share a text is the narrower, where it is known whether the texts of one are among those of
    /// the other.
    pub(crate) fn narrower(&self, other: &Self, left_in_right: bool, right_in_left: bool) -> Narrower {
        let by_sets = Narrower::by_inclusion(
            left_in_right && other.predicates.is_subset(&self.predicates),
            right_in_left && self.predicates.is_subset(&other.predicates),
        );
        match (&self.list, &other.list) {
            (None, None) => by_sets,
            (Some(one), Some(other)) if one == other && by_sets != Narrower::Neither => by_sets,
            (Some(_), Some(_)) => Narrower::LeftAsked,
            (Some(_), None) if other.is_choice => Narrower::Right,
            (Some(_), None) => Narrower::Left,
            (None, Some(_)) if self.is_choice => Narrower::Left,
            (None, Some(_)) => Narrower::Right,
        }
    }
}
