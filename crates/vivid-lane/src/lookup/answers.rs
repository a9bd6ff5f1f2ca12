//! Questions that only the caller can answer: what live lists hold, and which needs a visitor meets.
//!
//! A lookup puts them to its [`Answers`]. [`Remembered`] asks the caller's [`Lists`] and [`Needs`] and keeps what they said, so that
//! no question is asked twice for one request. A question that has no answer stops the decision: the lookup goes on as if
//! the answer were no, and what it finds is thrown away. One answer costs a look through those that were given before; a
//! request that asks nothing costs nothing.

use std::cell::{Cell, OnceCell, RefCell};

use smol_str::SmolStr;

/// The reply to a question about a list or a need: yes, no, or unknown.
///
/// Made from `bool`, from `Option<bool>` and from `Result<bool, E>`, whose `None` and `Err` are [`Unknown`](Self::Unknown).
///
/// # Example
/// ```
/// use vivid_lane::{Answer, Decision, Request, RouteSpec, Rule, TableSpec};
///
/// let table = TableSpec::new()
///     .list("observers")
///     .route(RouteSpec::new("observer").path("/{name}").page("observer").param("name", Rule::listed("observers")))
///     .build()?;
/// let database = |_: &str, _: &str| Err::<bool, _>("no connection");
/// let Decision::Unavailable(unavailable) = table.decide(&Request::get("/ada").lists(&database)) else { panic!() };
/// assert_eq!(unavailable.to_string(), "the list `observers` cannot be asked now");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Answer {
    /// The value is in the list, or the visitor meets the need.
    Yes,
    /// The value is not in the list, or the visitor does not meet the need.
    No,
    /// The answer is not known at the moment, for example because a database does not respond.
    Unknown {
        /// After how many seconds it is worth asking again, where that is known.
        retry_after: Option<u32>,
    },
}

impl From<bool> for Answer {
    fn from(is_so: bool) -> Self {
        if is_so { Self::Yes } else { Self::No }
    }
}

impl From<Option<bool>> for Answer {
    fn from(answer: Option<bool>) -> Self {
        answer.map_or(Self::Unknown { retry_after: None }, Self::from)
    }
}

impl<E> From<Result<bool, E>> for Answer {
    fn from(answer: Result<bool, E>) -> Self {
        answer.ok().into()
    }
}

/// The live lists that rules name with `listed`: says whether a list has a value.
///
/// Any function from the name of a list and a value to a `bool`, or to anything else that is an [`Answer`], is one.
///
/// # Example
/// ```
/// use vivid_lane::{Answer, Lists};
///
/// let lists = |list: &str, value: &str| list == "observers" && matches!(value, "ada" | "grace");
/// assert_eq!(lists.contains("observers", "ada"), Answer::Yes);
/// assert_eq!(lists.contains("domes", "ada"), Answer::No);
/// ```
pub trait Lists {
    /// Whether the value is in the list of that name.
    fn contains(&self, list: &str, value: &str) -> Answer;
}

impl<F, A> Lists for F
where
    F: Fn(&str, &str) -> A,
    A: Into<Answer>,
{
    fn contains(&self, list: &str, value: &str) -> Answer {
        self(list, value).into()
    }
}

/// Says whether the visitor meets a need: any function from the name of a need to a `bool`, or to anything else that
/// converts to an [`Answer`].
pub trait Needs {
    /// Whether the visitor meets the need of that name.
    fn meets(&self, need: &str) -> Answer;
}

impl<F, A> Needs for F
where
    F: Fn(&str) -> A,
    A: Into<Answer>,
{
    fn meets(&self, need: &str) -> Answer {
        self(need).into()
    }
}

/// A question about a list or a need on which a decision depends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Question {
    /// Whether the value is in the live list of that name.
    Listed {
        /// The name of the list.
        list: String,
        /// The value, decoded.
        value: String,
    },
    /// Whether the visitor meets the need.
    Meets {
        /// The name of the need.
        need: String,
    },
}

/// Who answers the questions of a lookup.
pub(crate) trait Answers {
    /// Whether a value is in a list.
    fn is_listed(&self, list: &str, value: &str) -> bool;

    /// Whether the visitor meets a need.
    fn is_met(&self, need: &str) -> bool;
}

/// Nobody is asked: no value is in a list, and every need is met.
pub(crate) struct NoLists;

impl Answers for NoLists {
    fn is_listed(&self, _: &str, _: &str) -> bool {
        false
    }

    fn is_met(&self, _: &str) -> bool {
        true
    }
}

/// The answers to the questions of one request, as far as they are known. Most requests ask nothing, so what is remembered
/// stands behind a pointer that is made with the first question.
pub(crate) struct Remembered<'a> {
    /// Whom to ask; nobody where the answers are given later, and the first question without one stops the decision.
    caller: Option<(&'a dyn Lists, &'a dyn Needs)>,
    memory: OnceCell<Box<Memory>>,
}

#[derive(Default)]
struct Memory {
    known: RefCell<Vec<Known>>,
    /// The first question without an answer, as an index of the known ones.
    stopped_at: Cell<Option<usize>>,
}

/// A question, and the answer if there is one.
#[derive(Debug, Clone)]
pub(crate) struct Known {
    /// The list; `None` for a need.
    list: Option<SmolStr>,
    /// The value, or the need.
    subject: SmolStr,
    answer: Option<Answer>,
}

impl Known {
    pub(crate) fn new(question: &Question, answer: Answer) -> Self {
        let (list, subject) = match question {
            Question::Listed { list, value } => (Some(list.into()), value.into()),
            Question::Meets { need } => (None, need.into()),
        };
        Self { list, subject, answer: Some(answer) }
    }

    fn question(&self) -> Question {
        let subject = self.subject.to_string();
        match &self.list {
            Some(list) => Question::Listed { list: list.to_string(), value: subject },
            None => Question::Meets { need: subject },
        }
    }
}

impl Answers for Remembered<'_> {
    fn is_listed(&self, list: &str, value: &str) -> bool {
        self.is_so(Some(list), value)
    }

    fn is_met(&self, need: &str) -> bool {
        self.is_so(None, need)
    }
}

impl<'a> Remembered<'a> {
    #[inline]
    pub(crate) fn asking(lists: &'a dyn Lists, needs: &'a dyn Needs) -> Self {
        Self { caller: Some((lists, needs)), memory: OnceCell::new() }
    }

    /// Goes by what is known, and stops where that is not enough.
    #[inline]
    pub(crate) fn knowing(known: Vec<Known>) -> Self {
        let memory = OnceCell::new();
        if !known.is_empty() {
            // It is empty, so it takes what it is given.
            let _ = memory.set(Box::new(Memory { known: RefCell::new(known), stopped_at: Cell::new(None) }));
        }
        Self { caller: None, memory }
    }

    #[cold]
    fn is_so(&self, list: Option<&str>, subject: &str) -> bool {
        let memory = self.memory.get_or_init(Box::default);
        let same = |known: &Known| known.subject == subject && known.list.as_deref() == list;
        let before = memory.known.borrow().iter().position(same);
        let at = before.unwrap_or_else(|| {
            let answer = self.caller.map(|(lists, needs)| match list {
                Some(list) => lists.contains(list, subject),
                None => needs.meets(subject),
            });
            let mut known = memory.known.borrow_mut();
            known.push(Known { list: list.map(Into::into), subject: subject.into(), answer });
            known.len() - 1
        });
        let answer = memory.known.borrow()[at].answer;
        if !matches!(answer, Some(Answer::Yes | Answer::No)) && memory.stopped_at.get().is_none() {
            memory.stopped_at.set(Some(at));
        }
        answer == Some(Answer::Yes)
    }

    /// Whether anything was asked at all.
    #[inline]
    pub(crate) fn were_asked(&self) -> bool {
        self.memory.get().is_some()
    }

    /// The question without an answer that stopped the decision, and what was answered, if anything was.
    fn stopped(&self) -> Option<(Question, Option<Answer>)> {
        let memory = self.memory.get()?;
        let known = memory.known.borrow();
        memory.stopped_at.get().map(|at| (known[at].question(), known[at].answer))
    }

    /// The question that nobody has been asked yet, where the decision needs it.
    pub(crate) fn open(&self) -> Option<Question> {
        self.stopped().filter(|(_, answer)| answer.is_none()).map(|(question, _)| question)
    }

    /// The question that had no answer, and after how many seconds it is worth asking again.
    pub(crate) fn unanswered(&self) -> Option<(Question, Option<u32>)> {
        self.stopped().map(|(question, answer)| match answer {
            Some(Answer::Unknown { retry_after }) => (question, retry_after),
            _ => (question, None),
        })
    }

    /// What was asked and answered.
    pub(crate) fn into_known(self) -> Vec<Known> {
        let mut known = self.memory.into_inner().map_or_else(Vec::new, |memory| memory.known.into_inner());
        known.retain(|known| known.answer.is_some());
        known
    }
}
