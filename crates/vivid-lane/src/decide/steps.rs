//! Decisions that wait for answers.

use std::cell::RefCell;

use super::{Decision, Request};
use crate::matcher::{Lists, Table};

/// A decision that is made in steps, for lists that cannot be asked at once, such as those of a database.
///
/// It stops at each question of a list, and goes on with the answer. What was answered is kept, so no question
/// is put twice; the lists of the request itself are not asked. Each step looks the URL up again, so a
/// decision costs one lookup more than it has questions.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, RouteSpec, Rule, Step, TableSpec};
///
/// let table = TableSpec::new()
///     .list("observers")
///     .route(RouteSpec::new("observer").path("/{name}").page("observer").param("name", Rule::listed("observers")))
///     .build()?;
///
/// let mut steps = table.decide_in_steps(Request::get("/ada"));
/// let decision = loop {
///     match steps.go_on() {
///         Step::Ask(question) => {
///             // Here a database would be asked, with `.await` if it likes.
///             let is_listed = question.list() == "observers" && question.value() == "ada";
///             steps.answer(question, is_listed);
///         }
///         Step::Done(decision) => break decision,
///     }
/// };
/// assert!(matches!(decision, Decision::Page(_)));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug)]
pub struct Steps<'t, 'u, P = String> {
    table: &'t Table<P>,
    request: Request<'u>,
    answers: Vec<(Question, bool)>,
}

/// What comes next.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "it is taken apart where it is made")]
pub enum Step<'t, 'u, P = String> {
    /// Is this value in that list?
    Ask(Question),
    /// The decision.
    Done(Decision<'t, 'u, P>),
}

/// Is a value in a list?
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Question {
    list: String,
    value: String,
}

impl Question {
    /// The name of the list.
    #[must_use]
    pub fn list(&self) -> &str {
        &self.list
    }

    /// The value, decoded.
    #[must_use]
    pub fn value(&self) -> &str {
        &self.value
    }
}

impl<P> Table<P> {
    /// Decides what to do with a request, asking the caller for what the lists hold.
    #[must_use]
    pub fn decide_in_steps<'u>(&self, request: Request<'u>) -> Steps<'_, 'u, P> {
        Steps { table: self, request, answers: Vec::new() }
    }
}

impl<'t, 'u, P> Steps<'t, 'u, P> {
    /// Goes on as far as the answers reach.
    #[inline]
    pub fn go_on(&mut self) -> Step<'t, 'u, P> {
        let known = Known { answers: &self.answers, open: RefCell::new(None) };
        let (decision, route) = self.table.decide_with(&self.request, &known);
        if let Some(question) = known.open.into_inner() {
            return Step::Ask(question);
        }
        if let Some(counters) = self.request.counters {
            counters.note(&decision, route);
        }
        Step::Done(decision)
    }

    /// Answers a question.
    pub fn answer(&mut self, question: Question, is_listed: bool) {
        if let Some(counters) = self.request.counters {
            counters.note_list(&question.list, is_listed);
        }
        self.answers.push((question, is_listed));
    }
}

/// The lists as far as they were answered, and the first question that is open.
struct Known<'a> {
    answers: &'a [(Question, bool)],
    open: RefCell<Option<Question>>,
}

impl Lists for Known<'_> {
    fn contains(&self, list: &str, value: &str) -> bool {
        let same = |(question, _): &&(Question, bool)| question.list == list && question.value == value;
        match self.answers.iter().find(same) {
            Some(&(_, is_listed)) => is_listed,
            None => {
                self.open
                    .borrow_mut()
                    .get_or_insert_with(|| Question { list: list.to_owned(), value: value.to_owned() });
                false
            }
        }
    }
}
