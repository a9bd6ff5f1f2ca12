//! What routes share: pages by their names, and parameters.

use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::Arc;

use hashbrown::hash_table::Entry;
use hashbrown::{DefaultHashBuilder, HashTable};

use crate::lookup::{PageId, Param};

/// Page names, each once, in the order in which they are first named.
#[derive(Debug, Default)]
pub(super) struct Pages {
    ids: HashTable<PageId>,
    hashes: DefaultHashBuilder,
    pub(super) names: Vec<String>,
}

impl Pages {
    /// The number of a page, a new one for a new name.
    pub(super) fn id(&mut self, name: &str) -> PageId {
        let Self { ids, hashes, names } = self;
        let name_of = |id: &PageId| names[id.index()].as_str();
        let entry = ids.entry(hashes.hash_one(name), |id| name_of(id) == name, |id| hashes.hash_one(name_of(id)));
        let vacant = match entry {
            Entry::Occupied(known) => return *known.get(),
            Entry::Vacant(vacant) => vacant,
        };
        // There are no more pages than routes.
        let id = PageId::of(names.len());
        vacant.insert(id);
        names.push(name.to_owned());
        id
    }
}

/// The parameters of routes; those that have the same share them.
#[derive(Default)]
pub(super) struct SharedParams {
    known: HashTable<Arc<[Param]>>,
    hashes: DefaultHashBuilder,
}

impl SharedParams {
    /// The same parameters, as all routes have them that have these.
    pub(super) fn of(&mut self, params: &[Param]) -> Arc<[Param]> {
        let Self { known, hashes } = self;
        let hash = |params: &[Param]| {
            let mut hasher = hashes.build_hasher();
            params.iter().for_each(|param| param.key().hash(&mut hasher));
            hasher.finish()
        };
        let is_same = |one: &Arc<[Param]>| one.iter().map(Param::key).eq(params.iter().map(Param::key));
        match known.entry(hash(params), is_same, |one| hash(one)) {
            Entry::Occupied(known) => Arc::clone(known.get()),
            Entry::Vacant(vacant) => Arc::clone(vacant.insert(params.into()).get()),
        }
    }
}
