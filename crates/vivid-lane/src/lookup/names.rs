//! Routes by their full names.

use std::hash::BuildHasher;

use hashbrown::hash_table::Entry;
use hashbrown::{DefaultHashBuilder, HashTable};

use super::route::RouteId;

/// The numbers of routes by their full names, which stand with the routes.
#[derive(Debug, Default)]
pub(crate) struct Names {
    ids: HashTable<RouteId>,
    hashes: DefaultHashBuilder,
}

impl Names {
    /// Makes room for more.
    pub(crate) fn reserve<'n>(&mut self, more: usize, name_of: impl Fn(RouteId) -> &'n str) {
        self.ids.reserve(more, |id| self.hashes.hash_one(name_of(*id)));
    }

    /// Adds a route whose name is given; those of the others are asked for. A route of the same name gives way to it, and is returned.
    pub(crate) fn add<'n>(&mut self, id: RouteId, name: &str, name_of: impl Fn(RouteId) -> &'n str) -> Option<RouteId> {
        let Self { ids, hashes } = self;
        match ids.entry(hashes.hash_one(name), |id| name_of(*id) == name, |id| hashes.hash_one(name_of(*id))) {
            Entry::Occupied(mut known) => Some(std::mem::replace(known.get_mut(), id)),
            Entry::Vacant(vacant) => {
                vacant.insert(id);
                None
            }
        }
    }

    /// The route of a name.
    pub(crate) fn get<'n>(&self, name: &str, name_of: impl Fn(RouteId) -> &'n str) -> Option<RouteId> {
        self.ids.find(self.hashes.hash_one(name), |id| name_of(*id) == name).copied()
    }
}
