//! A rule as an automaton, for generators of code.

use super::Dfa;

/// The set of values that a rule accepts, as a deterministic finite automaton over the bytes of UTF-8. State 0 accepts
/// nothing and leads nowhere else.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml("[routes.dome]\npath = '/{dome}'\npage = 'dome'\nparams.dome = 'slug'")?;
/// let dome = table.route("dome").unwrap().parameters().next().unwrap();
/// let automaton = dome.automaton().unwrap();
/// let end = |text: &str| text.bytes().fold(automaton.start(), |state, byte| automaton.step(state, byte));
/// assert!(automaton.accepts(end("north-dome")));
/// assert!(!automaton.accepts(end("North Dome")));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Copy)]
pub struct Automaton<'t> {
    dfa: &'t Dfa,
}

impl<'t> Automaton<'t> {
    pub(crate) fn new(dfa: &'t Dfa) -> Self {
        Self { dfa }
    }

    /// How many states there are; they are numbered from 0.
    #[must_use]
    pub fn states(self) -> usize {
        self.dfa.states()
    }

    /// The state before the first byte.
    #[must_use]
    pub fn start(self) -> u32 {
        self.dfa.start()
    }

    /// The state after a byte.
    #[must_use]
    pub fn step(self, state: u32, byte: u8) -> u32 {
        // Within the library some control characters stand for delimiters; no value holds any.
        if byte.is_ascii_control() { 0 } else { self.dfa.step(state, byte) }
    }

    /// Is a text accepted that ends in that state?
    #[must_use]
    pub fn accepts(self, state: u32) -> bool {
        self.dfa.is_final(state)
    }

    /// Which bytes the automaton tells apart: bytes with the same number lead from each state to the same one.
    #[must_use]
    pub fn class(self, byte: u8) -> usize {
        usize::from(self.dfa.class(if byte.is_ascii_control() { 0 } else { byte }))
    }
}
