//! A rule as plain data, for generators of code.

use std::sync::Arc;

use super::{Check, Dfa};

/// A deterministic finite automaton over the bytes of UTF-8. State 0 accepts nothing and leads nowhere else.
///
/// Three control characters, which no value holds, stand for delimiters that are not escaped: 1 for a comma, 2 for an equals sign, 3 for
/// a semicolon. Where a rule is not about lists, each leads where its character leads.
///
/// # Example
/// ```
/// use vivid_lane::Table;
/// use vivid_lane::lookup::Test;
///
/// let table = Table::from_toml("[routes.dome]\npath = '/{dome}'\npage = 'dome'\nparams.dome = { pattern = '^[a-z]+$' }")?;
/// let export = table.export();
/// let rule = &export.rules[export.routes[0].params[0].rule];
/// let Test::Pattern { automaton, .. } = &rule.tests[0] else { panic!() };
/// let end = |text: &str| text.bytes().fold(automaton.start(), |state, byte| automaton.step(state, byte));
/// assert!(automaton.accepts(end("north")));
/// assert!(!automaton.accepts(end("North")));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Automaton {
    dfa: Arc<Dfa>,
}

impl Automaton {
    pub(crate) fn new(dfa: Arc<Dfa>) -> Self {
        Self { dfa }
    }

    /// The number of states; they are numbered from 0.
    #[must_use]
    pub fn states(&self) -> usize {
        self.dfa.states()
    }

    /// The initial state.
    #[must_use]
    pub fn start(&self) -> u32 {
        self.dfa.start()
    }

    /// The next state after a byte.
    #[must_use]
    pub fn step(&self, state: u32, byte: u8) -> u32 {
        self.dfa.step(state, byte)
    }

    /// Whether a state accepts: a text that ends in it is in the set.
    #[must_use]
    pub fn accepts(&self, state: u32) -> bool {
        self.dfa.is_final(state)
    }
}

/// The test of one keyword on one text, as data.
#[derive(Debug, Clone)]
pub enum Test {
    /// `enum` and `const`: the text is one of these.
    OneOf(Vec<String>),
    /// `pattern`.
    Pattern {
        /// The regular expression.
        pattern: String,
        /// The texts in which it is found.
        automaton: Automaton,
    },
    /// `type` and `format`: the text is of one of these built-in formats.
    Formats {
        /// Their names, each with what is expected of a value, in words.
        formats: Vec<(&'static str, &'static str)>,
        /// The texts of any of them.
        automaton: Automaton,
    },
    /// `minimum` (`≥`), `maximum` (`≤`), `exclusiveMinimum` (`>`), `exclusiveMaximum` (`<`).
    Bound {
        /// The sign.
        sign: &'static str,
        /// A decimal number.
        limit: String,
    },
    /// `multipleOf`: a decimal number.
    MultipleOf(String),
    /// `minLength`, in characters.
    MinLength(usize),
    /// `maxLength`, in characters.
    MaxLength(usize),
    /// The text is one of a set that no keyword describes: that of a value in a host, which has no dot.
    Set(Automaton),
    /// A format of the program's own: a function, which no data can hold.
    Own {
        /// The name of the format.
        name: String,
        /// The texts that its pattern describes, where it has one.
        automaton: Option<Automaton>,
    },
}

impl Check {
    /// What the rule says of one text, keyword by keyword, in the order in which a refusal names them.
    pub(crate) fn tests(&self) -> Vec<Test> {
        let keywords = self.keywords.iter().filter_map(|keyword| keyword.test());
        let own = self.predicates.iter().map(|format| Test::Own {
            name: format.name.clone(),
            // A pattern that is too large was refused when the rule was made.
            automaton: format
                .pattern
                .as_deref()
                .and_then(|pattern| Dfa::holding(pattern).ok())
                .map(Arc::new)
                .map(Automaton::new),
        });
        let set = self.automaton().filter(|_| self.keywords.is_empty() && self.join.is_none()).map(Test::Set);
        keywords.chain(own).chain(set).collect()
    }

    /// The set of accepted texts; `None` for all.
    pub(crate) fn automaton(&self) -> Option<Automaton> {
        self.set.clone().map(Automaton::new)
    }
}
