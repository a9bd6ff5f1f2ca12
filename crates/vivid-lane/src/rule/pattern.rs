//! Regular expressions as JSON Schema writes them (ECMA-262 syntax, unanchored) → automata.

use regex_automata::Anchored;
use regex_automata::dfa::{Automaton, StartKind, dense};
use regex_automata::nfa::thompson;
use regex_automata::util::{primitives::StateID, start, syntax};
use regex_syntax::ast::{self, Ast};

use super::classes::Classes;
use super::dfa::{Dfa, MOST_STATES};
use super::work;

/// The longest pattern, in bytes.
const LONGEST: usize = 4096;
/// The most memory that the automaton of one pattern may take, in bytes.
const LARGEST: usize = 4 << 20;

/// What a pattern costs beside its automaton, in [steps](work).
const PATTERN: usize = 2_000;

/// A pattern as an automaton that finds it anywhere in a text; else what is wrong with it.
pub(super) fn search(pattern: &str) -> Result<Dfa, String> {
    if pattern.len() > LONGEST {
        return Err(format!("a pattern may have {LONGEST} bytes, this one has {}", pattern.len()));
    }
    let rust = translate(pattern)?;
    // The texts of the crate speak of automata and limits in words that are not the table's.
    let explained = |error: String| match error {
        error if error.contains("exceed") => format!(
            "the automaton of this pattern would take more than {} MiB; make it shorter or smaller",
            LARGEST >> 20
        ),
        error => format!("not a regular expression: {error}"),
    };
    let spend = |steps| {
        work::spend(steps).map_err(|_| "the rules before it take so long to prove that it was not looked at".to_owned())
    };
    spend(PATTERN)?;
    let nfa = thompson::Compiler::new()
        .syntax(syntax::Config::new().nest_limit(100))
        .configure(thompson::Config::new().nfa_size_limit(Some(LARGEST)).which_captures(thompson::WhichCaptures::None))
        .build(&rust)
        .map_err(|error| explained(error.to_string()))?;
    let dense = dense::Builder::new()
        .configure(
            dense::Config::new()
                .start_kind(StartKind::Unanchored)
                .dfa_size_limit(Some(LARGEST))
                .determinize_size_limit(Some(LARGEST)),
        )
        .build_from_nfa(&nfa);
    // For each state and class a set of states is made, which is mostly small.
    let transitions = dense.as_ref().map_or(LARGEST, dense::DFA::memory_usage) / size_of::<u32>();
    spend(nfa.states().len() + transitions.saturating_mul(nfa.states().len().clamp(8, 128)) / 2)?;
    let dense = dense.map_err(|error| explained(error.to_string()))?;
    let begin = dense
        .start_state(&start::Config::new().anchored(Anchored::No))
        .map_err(|error| format!("not a regular expression: {error}"))?;
    let classes = Classes::by(&|byte| u32::from(dense.byte_classes().get(byte)));
    // A match is seen one byte late; once seen, whatever follows is accepted. At the end of a text the
    // automaton is asked about the end itself.
    #[derive(Clone, Copy, PartialEq, Eq, Hash)]
    enum At {
        State(StateID),
        Found,
    }
    let enter = |state: StateID| if dense.is_match_state(state) { At::Found } else { At::State(state) };
    let step = |at: &At, byte: u8| match *at {
        At::Found => Some(At::Found),
        At::State(state) => {
            let next = dense.next_state(state, byte);
            if dense.is_dead_state(next) || dense.is_quit_state(next) { None } else { Some(enter(next)) }
        }
    };
    let accepts = |at: &At| match *at {
        At::Found => true,
        At::State(state) => dense.is_match_state(dense.next_eoi_state(state)),
    };
    Dfa::explore(classes, enter(begin), &step, &accepts)
        .map_err(|_| format!("the automaton of this pattern would have more than {MOST_STATES} states"))
}

/// Whether the pattern is anchored at both ends, so that it applies to the whole value.
pub(super) fn is_anchored(pattern: &str) -> bool {
    let Ok(parsed) = ast::parse::Parser::new().parse(pattern) else { return true };
    let alternatives = match &parsed {
        Ast::Alternation(alternation) => alternation.asts.as_slice(),
        other => std::slice::from_ref(other),
    };
    let is = |ast: Option<&Ast>, kinds: [&ast::AssertionKind; 2]| matches!(ast, Some(Ast::Assertion(assertion)) if kinds.contains(&&assertion.kind));
    alternatives.iter().all(|alternative| {
        let parts = match alternative {
            Ast::Concat(concat) => concat.asts.as_slice(),
            other => std::slice::from_ref(other),
        };
        is(parts.first(), [&ast::AssertionKind::StartLine, &ast::AssertionKind::StartText])
            && is(parts.last(), [&ast::AssertionKind::EndLine, &ast::AssertionKind::EndText])
    })
}

/// ECMA-262 → the dialect of the automaton builder: `\d`, `\w`, `\s` and `\b` mean ASCII there. What the
/// builder has and ECMA-262 has not (inline flags, `\A`, `\z`) is refused, so that a table means the same
/// to every JSON Schema tool.
fn translate(pattern: &str) -> Result<String, String> {
    if let Some(found) = ["(?=", "(?!", "(?<=", "(?<!"].iter().find(|&&group| pattern.contains(group)) {
        return Err(format!("`{found}` looks around, which no automaton can; say what the value is instead"));
    }
    // `\/` and `\-` are identity escapes of ECMA-262 that the builder knows as well; `\cX` and back references it refuses.
    let parsed = ast::parse::ParserBuilder::new()
        .nest_limit(100)
        .build()
        .parse(pattern)
        .map_err(|error| format!("not a regular expression: {}", error.kind()))?;
    let mut edits = Vec::new();
    ast::visit(&parsed, Edits { pattern, edits: &mut edits })?;
    edits.sort_unstable_by_key(|(range, _): &(std::ops::Range<usize>, String)| range.start);
    let mut rust = String::with_capacity(pattern.len() + 16);
    let mut from = 0;
    for (range, text) in edits {
        rust.push_str(&pattern[from..range.start]);
        rust.push_str(&text);
        from = range.end;
    }
    rust.push_str(&pattern[from..]);
    Ok(rust)
}

struct Edits<'a> {
    pattern: &'a str,
    edits: &'a mut Vec<(std::ops::Range<usize>, String)>,
}

impl Edits<'_> {
    fn replace(&mut self, span: &ast::Span, text: &str) {
        self.edits.push((span.start.offset..span.end.offset, text.to_owned()));
    }

    fn perl(&mut self, class: &ast::ClassPerl) {
        let set = match class.kind {
            ast::ClassPerlKind::Digit => "0-9",
            ast::ClassPerlKind::Word => "0-9A-Za-z_",
            ast::ClassPerlKind::Space => {
                r"\t\n\x0B\x0C\r \u{A0}\u{1680}\u{2000}-\u{200A}\u{2028}\u{2029}\u{202F}\u{205F}\u{3000}\u{FEFF}"
            }
        };
        let not = if class.negated { "^" } else { "" };
        self.replace(&class.span, &format!("[{not}{set}]"));
    }

    fn refuse(&self, span: &ast::Span, why: &str) -> String {
        format!("`{}` {why}", &self.pattern[span.start.offset..span.end.offset])
    }
}

impl ast::Visitor for Edits<'_> {
    type Output = ();
    type Err = String;

    fn finish(self) -> Result<(), String> {
        Ok(())
    }

    fn visit_pre(&mut self, ast: &Ast) -> Result<(), String> {
        match ast {
            Ast::ClassPerl(class) => self.perl(class),
            Ast::Assertion(assertion) => match assertion.kind {
                ast::AssertionKind::StartLine | ast::AssertionKind::EndLine => {}
                ast::AssertionKind::WordBoundary => self.replace(&assertion.span, r"(?-u:\b)"),
                ast::AssertionKind::NotWordBoundary => self.replace(&assertion.span, r"(?-u:\B)"),
                _ => return Err(self.refuse(&assertion.span, "is not in ECMA-262; write `^` or `$`")),
            },
            Ast::Flags(flags) => {
                return Err(self.refuse(&flags.span, "sets flags inside a pattern, which ECMA-262 does not have"));
            }
            Ast::Group(group) => {
                if let ast::GroupKind::NonCapturing(flags) = &group.kind
                    && !flags.items.is_empty()
                {
                    return Err(self.refuse(&flags.span, "sets flags inside a pattern, which ECMA-262 does not have"));
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn visit_class_set_item_pre(&mut self, item: &ast::ClassSetItem) -> Result<(), String> {
        if let ast::ClassSetItem::Perl(class) = item {
            self.perl(class);
        }
        Ok(())
    }
}
