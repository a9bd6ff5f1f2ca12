//! Decisions that wait for answers.

use super::{Decision, Request};
use crate::lookup::{Answer, Known, Question, Remembered, Table};

/// A decision in steps, for lists and needs that cannot be asked synchronously, such as those in a database.
///
/// It stops at each question on which it hangs, and goes on with the answer. Each question is put once; the lists and
/// needs of the request itself are not asked. Each step looks the URL up again, so a decision costs one lookup more than
/// it has questions.
///
/// # Example
/// ```
/// use vivid_lane::decide::Step;
/// use vivid_lane::{Decision, Question, Request, RouteSpec, Rule, TableSpec};
///
/// let table = TableSpec::new()
///     .list("observers")
///     .route(RouteSpec::new("observer").path("/{name}").page("observer").param("name", Rule::listed("observers")))
///     .build()?;
///
/// let mut steps = table.decide_in_steps(Request::get("/ada"));
/// let decision = loop {
///     match steps.resume() {
///         Step::Ask(question) => {
///             // Here a database would be asked, with `.await` if it likes.
///             let answer = match &question {
///                 Question::Listed { list, value } => list == "observers" && value == "ada",
///                 _ => false,
///             };
///             steps.answer(question, answer);
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
    known: Vec<Known>,
}

/// The next step of a decision.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "it is taken apart where it is made")]
pub enum Step<'t, 'u, P = String> {
    /// Ask this question, and pass the reply to [`Steps::answer`].
    Ask(Question),
    /// The decision.
    Done(Decision<'t, 'u, P>),
}

impl<P> Table<P> {
    /// Decides how to answer a request, one question to lists and needs at a time.
    #[must_use]
    pub fn decide_in_steps<'u>(&self, request: Request<'u>) -> Steps<'_, 'u, P> {
        Steps { table: self, request, known: Vec::new() }
    }
}

impl<'t, 'u, P> Steps<'t, 'u, P> {
    /// Continues until the next question without an answer, or until the decision.
    #[inline]
    pub fn resume(&mut self) -> Step<'t, 'u, P> {
        let answers = Remembered::knowing(std::mem::take(&mut self.known));
        let mut route = None;
        let mut decision = self.table.decide_with(&self.request, &answers, &mut route);
        if let Some(question) = answers.open() {
            self.known = answers.into_known();
            return Step::Ask(question);
        }
        if answers.were_asked() {
            decision = decision.hung_on(answers);
        }
        if let Some(counters) = self.request.counters {
            counters.note(&decision, route);
        }
        Step::Done(decision)
    }

    /// Answers a question: with a `bool`, or with anything else that is an [`Answer`].
    pub fn answer(&mut self, question: Question, answer: impl Into<Answer>) {
        let answer = answer.into();
        if let (Some(counters), Question::Listed { list, .. }) = (self.request.counters, &question) {
            counters.note_list(list, answer);
        }
        self.known.push(Known::new(&question, answer));
    }
}
