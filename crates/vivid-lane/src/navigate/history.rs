//! Where a visitor has been.

use std::fmt;

use super::transition::{Transition, transition};
use crate::decide::{Decision, Request};
use crate::lookup::{Answer, Lists, Match, Needs, Table};

/// The history of a browser tab without a browser: the addresses that a visitor went through.
///
/// Every address is decided when it is gone to; redirects and places to sign in are followed, so what is kept
/// are final addresses. What the visitor meets, and the lists, are asked anew each time.
///
/// # Example
/// ```
/// use vivid_lane::navigate::History;
/// use vivid_lane::{Decision, Table};
///
/// let table = Table::from_toml(r#"
///     [routes]
///     home = { path = "/", page = "home" }
///     talks = { path = "/talks", page = "talks" }
///     old = { path = "/talks.html", redirect = "talks" }
/// "#)?;
/// let mut history = History::new(&table, "/");
/// let Decision::Page(found) = history.push("/talks.html") else { panic!() };
/// assert_eq!(found.page(), "talks");
/// assert_eq!(history.url(), "/talks");
///
/// let change = history.transition().unwrap();
/// assert_eq!(change.entered()[0].name(), "talks");
///
/// assert!(history.back().is_some());
/// assert_eq!(history.url(), "/");
/// assert!(history.back().is_none());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
pub struct History<'v, P = String> {
    table: Table<P>,
    needs: Box<dyn Needs + 'v>,
    lists: Box<dyn Lists + 'v>,
    entries: Vec<String>,
    at: usize,
    /// The address that was shown before the last move.
    before: Option<String>,
    /// The last address that led to another site.
    away: Option<String>,
}

impl<P> fmt::Debug for History<'_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("History").field("entries", &self.entries).field("at", &self.at).finish_non_exhaustive()
    }
}

impl<'v, P> History<'v, P> {
    /// A history that starts at an address.
    #[must_use]
    pub fn new(table: &Table<P>, url: impl Into<String>) -> Self {
        let nobody = |_: &str, _: &str| false;
        let mut history = Self {
            table: table.clone(),
            needs: Box::new(|_: &str| false),
            lists: Box::new(nobody),
            entries: vec![url.into()],
            at: 0,
            before: None,
            away: None,
        };
        history.settle();
        history
    }

    /// Sets which needs the visitor meets. The function is called on every navigation.
    #[must_use]
    pub fn meets<A: Into<Answer>>(mut self, meets: impl Fn(&str) -> A + 'v) -> Self {
        self.needs = Box::new(meets);
        self
    }

    /// Sets the live lists. They are asked on every navigation.
    #[must_use]
    pub fn lists(mut self, lists: impl Lists + 'v) -> Self {
        self.lists = Box::new(lists);
        self
    }

    /// The current address.
    #[must_use]
    pub fn url(&self) -> &str {
        &self.entries[self.at]
    }

    /// All addresses, the oldest first.
    #[must_use]
    pub fn entries(&self) -> &[String] {
        &self.entries
    }

    /// The index of the current entry.
    #[must_use]
    pub fn position(&self) -> usize {
        self.at
    }

    /// The decision on the current address.
    #[must_use]
    pub fn current(&self) -> Decision<'_, '_, P> {
        self.decide(self.url())
    }

    /// Goes to a new address, and drops the entries after the current one. A redirect to another site is returned and
    /// changes nothing here.
    pub fn push(&mut self, url: impl Into<String>) -> Decision<'_, '_, P> {
        let url = url.into();
        if self.leads_away(&url) {
            self.away = Some(url);
            return self.decide(self.away.as_deref().unwrap_or_default());
        }
        self.before = Some(self.url().to_owned());
        self.entries.truncate(self.at + 1);
        self.entries.push(url);
        self.at += 1;
        self.settle();
        self.current()
    }

    /// Replaces the current address by another one.
    pub fn replace(&mut self, url: impl Into<String>) -> Decision<'_, '_, P> {
        let url = url.into();
        if self.leads_away(&url) {
            self.away = Some(url);
            return self.decide(self.away.as_deref().unwrap_or_default());
        }
        self.before = Some(std::mem::replace(&mut self.entries[self.at], url));
        self.settle();
        self.current()
    }

    /// Goes back by one address; `None` at the first one.
    pub fn back(&mut self) -> Option<Decision<'_, '_, P>> {
        self.go(self.at.checked_sub(1)?)
    }

    /// Goes forward by one address; `None` at the last one.
    pub fn forward(&mut self) -> Option<Decision<'_, '_, P>> {
        self.go(self.at + 1)
    }

    /// Goes to an entry by its index; `None` if there is none.
    pub fn go(&mut self, position: usize) -> Option<Decision<'_, '_, P>> {
        if position >= self.entries.len() {
            return None;
        }
        self.before = Some(self.url().to_owned());
        self.at = position;
        self.settle();
        Some(self.current())
    }

    /// What the last navigation changed; `None` if no page is shown. The page before is decided again as of now.
    #[must_use]
    pub fn transition(&self) -> Option<Transition<'_, P>> {
        let Decision::Page(to) = self.current() else { return None };
        let from: Option<Match<'_, '_, P>> = match self.before.as_deref().map(|before| self.decide(before)) {
            Some(Decision::Page(from)) => Some(from),
            _ => None,
        };
        Some(transition(from.as_ref(), &to))
    }

    fn decide<'a>(&'a self, url: &'a str) -> Decision<'a, 'a, P> {
        self.table.decide(&Request::get(url).lists(&*self.lists).needs(&*self.needs))
    }

    /// Whether the address redirects to another site.
    fn leads_away(&self, url: &str) -> bool {
        matches!(self.decide(url), Decision::Redirect(redirect) if redirect.is_external())
    }

    /// Puts the final address in the place of one that leads on.
    fn settle(&mut self) {
        let location = match self.current() {
            Decision::Redirect(redirect) if redirect.is_external() => None,
            decision => decision.location().map(str::to_owned),
        };
        if let Some(location) = location {
            self.entries[self.at] = location;
        }
    }
}
