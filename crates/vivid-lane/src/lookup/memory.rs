//! How much memory a table takes.

use std::collections::HashSet;
use std::sync::Arc;

use smol_str::SmolStr;

use super::conditions::{HostMatcher, Methods, QueryMatcher};
use super::pattern::{Pattern, Piece};
use super::route::{Destination, Extras, OwnPath, Route, RouteId};
use super::table::{Frozen, Table};
use super::tree::Tree;
use crate::declare::Data;
use crate::rule::Check;

impl<P> Table<P> {
    /// About how many bytes the table uses on the heap for routes, rules and the tree. What the pages point to is not
    /// counted. Clones share the memory.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let small = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// let large = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'\n[routes.night]\npath = '/{date}'\npage = 'night'\nparams.date = 'date'")?;
    /// assert!(small.memory_usage() < large.memory_usage());
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn memory_usage(&self) -> usize {
        size_of::<Frozen>() + self.frozen().heap() + size_of_val(self.pages())
    }
}

/// Rules and methods are shared, so each is counted once.
#[derive(Default)]
struct Seen(HashSet<usize>);

impl Seen {
    /// Whether it is not counted yet.
    fn is_new<T: ?Sized>(&mut self, shared: &Arc<T>) -> bool {
        self.0.insert(Arc::as_ptr(shared).cast::<u8>().addr())
    }

    fn count(&mut self, check: &Arc<Check>) -> usize {
        if self.is_new(check) { size_of::<Check>() + check.heap() } else { 0 }
    }

    /// Most routes share the methods that they answer.
    fn methods(&mut self, methods: &Methods) -> usize {
        if self.is_new(&methods.0) { SHARED + list(&methods.0, |method| method.len()) } else { 0 }
    }
}

/// A text that stands where it is kept if it is short.
fn short(text: &SmolStr) -> usize {
    if text.is_heap_allocated() { SHARED + text.len() } else { 0 }
}

/// The counters of what is shared.
const SHARED: usize = 2 * size_of::<usize>();

fn list<T>(items: &[T], heap: impl FnMut(&T) -> usize) -> usize {
    size_of_val(items) + items.iter().map(heap).sum::<usize>()
}

/// A hash table of so many entries: a power of two of slots, at most seven eighths of them taken.
fn hashed(capacity: usize, entry: usize) -> usize {
    if capacity == 0 { 0 } else { (capacity * 8 / 7).next_power_of_two() * (entry + 1) }
}

impl Frozen {
    fn heap(&self) -> usize {
        let mut rules = Seen::default();
        let routes = self.routes.capacity() * size_of::<Route>();
        routes
            + self.routes.iter().map(|route| route.heap(&mut rules)).sum::<usize>()
            + hashed(self.names.capacity(), size_of::<RouteId>())
            + self.tree.heap(&mut rules)
    }
}

impl Route {
    fn heap(&self, rules: &mut Seen) -> usize {
        let own = match &self.own_path {
            OwnPath::End(_) => 0,
            OwnPath::Text(own) => own.len(),
        };
        let params = if rules.is_new(&self.params) {
            SHARED + list(&self.params, |param| short(&param.name) + rules.count(&param.check))
        } else {
            0
        };
        let extras = if rules.is_new(&self.extras) { SHARED + self.extras.heap(rules) } else { 0 };
        short(&self.name) + own + self.path.heap() + rules.methods(&self.methods) + params + extras
    }
}

impl Extras {
    fn heap(&self, rules: &mut Seen) -> usize {
        let onward = self.onward.as_ref().map_or(0, |onward| match &onward.aim {
            Destination::Route { values, .. } => list(values, |(name, filling)| {
                short(name) + list(filling, |piece| piece.as_ref().map_or(0, |text| text.len()))
            }),
            Destination::Url(url) => url.heap(),
        });
        size_of::<Self>()
            + self.frame.as_ref().map_or(0, |frame| frame.len())
            + data(&self.data)
            + size_of_val(&*self.needs)
            + onward
            + query(&self.query, rules)
            + self.host.as_ref().map_or(0, |host| self::host(host, rules))
    }
}

impl Tree {
    fn heap(&self, rules: &mut Seen) -> usize {
        size_of_val(&*self.nodes)
            + self.slots.capacity() * size_of::<super::slot::Slot>()
            + self.text.len()
            + size_of_val(&*self.children)
            + size_of_val(&*self.edges)
            + size_of_val(&*self.branches)
            + size_of_val(&*self.leaf_ids)
            + size_of_val(&*self.leaves)
            + size_of_val(&*self.steps)
            + size_of_val(&*self.captures)
            + size_of_val(&*self.covers)
            + hashed(self.areas.capacity(), 24)
            + self.areas.values().map(|area| size_of_val(&**area)).sum::<usize>()
            + self.spelling.values().map(|text| text.len()).sum::<usize>()
            + hashed(self.spelling.capacity(), 32)
            + list(&self.patterns, |one| pattern(one, rules))
            + hashed(self.order.patterns.capacity(), 12)
            + hashed(self.order.leaves.capacity(), 12)
            + self.order.single.len()
    }
}

fn pattern(pattern: &Pattern, rules: &mut Seen) -> usize {
    list(&pattern.pieces, |piece| match piece {
        Piece::Text(text) => short(text),
        Piece::Value(check) => rules.count(check),
    })
}

fn query(query: &QueryMatcher, rules: &mut Seen) -> usize {
    list(&query.literals, |(name, value)| name.len() + value.len())
        + size_of_val(&*query.by_name)
        + list(&query.params, |param| short(&param.name) + rules.count(&param.check))
}

fn host(host: &HostMatcher, rules: &mut Seen) -> usize {
    size_of::<HostMatcher>() + host.template.heap() + pattern(&host.pattern, rules) + size_of_val(&*host.params)
}

fn data(data: &Data) -> usize {
    match data {
        Data::Text(text) => text.len(),
        Data::List(items) => list(items, self::data),
        Data::Table(entries) => list(entries, |(name, value)| name.len() + self::data(value)),
        _ => 0,
    }
}
