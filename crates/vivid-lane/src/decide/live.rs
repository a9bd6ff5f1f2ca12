//! Live lists in memory.

use std::collections::{HashMap, HashSet};
use std::fmt;
use std::sync::{Arc, PoisonError, RwLock};

use crate::lookup::{Answer, Lists};

/// Live lists in memory, which can change while requests run.
///
/// A request takes [`now`](Self::now) once and is decided by what the lists held then; a change makes a new
/// state and puts it in place in one step, so that nobody sees half of it. Taking the state costs the copy of
/// a pointer. Each change copies the list that it changes: replace a list rather than add a thousand values.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Lists, LiveLists, Request, RouteSpec, Rule, TableSpec};
///
/// let table = TableSpec::new()
///     .list("observers")
///     .route(RouteSpec::new("observer").path("/{name}").page("observer").param("name", Rule::listed("observers")))
///     .build()?;
/// let lists = LiveLists::new();
/// lists.replace("observers", ["ada", "grace"]);
///
/// let before = lists.now();
/// lists.remove("observers", "ada");
/// assert!(matches!(table.decide(&Request::get("/ada").lists(&before)), Decision::Page(_)));
/// assert!(matches!(table.decide(&Request::get("/ada").lists(&lists.now())), Decision::NotFound(_)));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Default)]
pub struct LiveLists {
    state: RwLock<ListsNow>,
}

/// A snapshot of [`LiveLists`].
#[derive(Debug, Clone, Default)]
pub struct ListsNow {
    lists: Arc<HashMap<String, Arc<HashSet<String>>>>,
}

impl Lists for ListsNow {
    fn contains(&self, list: &str, value: &str) -> Answer {
        self.lists.get(list).is_some_and(|values| values.contains(value)).into()
    }
}

impl fmt::Debug for LiveLists {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let now = self.now();
        let lengths = now.lists.iter().map(|(name, values)| (name, values.len()));
        f.debug_map().entries(lengths).finish()
    }
}

impl LiveLists {
    /// Creates an empty set of lists.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Takes a snapshot of the lists.
    #[must_use]
    pub fn now(&self) -> ListsNow {
        // A writer that panicked has not put its state in place, so the one that is there is whole.
        self.state.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Replaces all values of a list. A list that does not exist is created.
    pub fn replace<T: Into<String>>(&self, list: impl Into<String>, values: impl IntoIterator<Item = T>) {
        let (list, values) = (list.into(), values.into_iter().map(Into::into).collect());
        self.change(|lists| drop(lists.insert(list, Arc::new(values))));
    }

    /// Adds a value to a list. A list that does not exist is created.
    pub fn insert(&self, list: &str, value: impl Into<String>) {
        let value = value.into();
        self.change(|lists| {
            Arc::make_mut(lists.entry(list.to_owned()).or_default()).insert(value);
        });
    }

    /// Removes a value from a list.
    pub fn remove(&self, list: &str, value: &str) {
        self.change(|lists| {
            if let Some(values) = lists.get_mut(list).filter(|values| values.contains(value)) {
                Arc::make_mut(values).remove(value);
            }
        });
    }

    fn change(&self, change: impl FnOnce(&mut HashMap<String, Arc<HashSet<String>>>)) {
        let mut state = self.state.write().unwrap_or_else(PoisonError::into_inner);
        let mut lists = HashMap::clone(&state.lists);
        change(&mut lists);
        *state = ListsNow { lists: Arc::new(lists) };
    }
}
