//! What is worked out once of the paths of the reference: which texts of the pool each segment accepts. Sets of segments and of paths
//! are compared by these.

use std::cell::{OnceCell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;
use std::sync::LazyLock;

use super::model::{Route, Segment};
use super::rules::POOL;
use super::{COMMA, Way, ways};

/// What a segment accepts.
#[derive(Debug)]
struct Members {
    segment: Segment,
    /// The texts of the pool.
    of_pool: Vec<bool>,
    /// Those that are asked besides where a list is compared.
    beside_lists: OnceCell<Vec<bool>>,
}

thread_local! {
    /// The grammar of segments is small: the same ones come in every case.
    static ALL: RefCell<HashMap<String, Rc<Members>>> = RefCell::default();
}

impl Members {
    fn of(segment: &Segment) -> Rc<Self> {
        let made = || {
            let of_pool = POOL.iter().map(|text| segment.accepts(text)).collect();
            Rc::new(Self { segment: segment.clone(), of_pool, beside_lists: OnceCell::new() })
        };
        ALL.with_borrow_mut(|all| Rc::clone(all.entry(format!("{segment:?}")).or_insert_with(made)))
    }

    fn beside_lists(&self) -> &[bool] {
        self.beside_lists.get_or_init(|| NO_LISTS.iter().map(|text| self.segment.accepts(text)).collect())
    }

    fn compare(&self, other: &Self) -> Sets {
        let is_list = |members: &Self| matches!(members.segment, Segment::Many { .. });
        let by_pool = compare(&self.of_pool, &other.of_pool);
        if !is_list(self) && !is_list(other) {
            return by_pool;
        }
        match (by_pool, compare(self.beside_lists(), other.beside_lists())) {
            (sets, Sets::Equal) | (Sets::Equal, sets) => sets,
            (one, other) if one == other => one,
            _ => Sets::Neither,
        }
    }
}

/// A way, and what each of its segments accepts.
#[derive(Debug)]
pub(super) struct Known {
    pub(super) way: Way,
    steps: Vec<Rc<Members>>,
    item: Option<Rc<Members>>,
}

impl Known {
    fn step(&self, at: usize) -> Option<&Members> {
        self.steps.get(at).or(self.item.as_ref()).map(|step| &**step)
    }

    /// Is there a reading of a path of these texts of the pool, as far as each segment tells? Sets of paths are compared by this:
    /// what no link can write is in none of them.
    fn accepts(&self, path: &[usize]) -> bool {
        self.way.has_room_for(path.len())
            && path.iter().enumerate().all(|(at, &text)| self.step(at).is_some_and(|step| step.of_pool[text]))
    }

    /// Paths of the way: each text of the pool at each place, the other places at their first one.
    fn samples(&self) -> Vec<Vec<usize>> {
        let mut all = Vec::new();
        let tail_lengths: &[usize] = if self.way.tail.is_some() { &[1, 2, 3, 4] } else { &[0] };
        for &extra in tail_lengths {
            let steps = (0..self.steps.len() + extra).filter_map(|at| self.step(at));
            let choices: Vec<Vec<usize>> =
                steps.map(|step| (0..POOL.len()).filter(|&text| step.of_pool[text]).collect()).collect();
            let Some(first) = choices.iter().map(|texts| texts.first().copied()).collect::<Option<Vec<usize>>>() else {
                continue;
            };
            for (at, texts) in choices.iter().enumerate() {
                for &text in texts {
                    let mut path = first.clone();
                    path[at] = text;
                    all.push(path);
                }
            }
            all.push(first);
        }
        all
    }
}

/// The ways through the path of a route, and paths that they accept.
pub(super) struct KnownPath {
    pub(super) ways: Vec<Rc<Known>>,
    samples: OnceCell<Vec<Vec<usize>>>,
}

impl KnownPath {
    /// The ways of each route.
    pub(super) fn of_all(routes: &[Route]) -> Vec<Self> {
        let known = |way: Way| {
            let steps = way.segments.iter().map(Members::of).collect();
            let item = way.tail.as_ref().map(|(_, tail)| Members::of(&tail.item()));
            Rc::new(Known { way, steps, item })
        };
        let path = |route: &Route| {
            let ways = ways(&route.path).into_iter().map(known).collect();
            Self { ways, samples: OnceCell::new() }
        };
        routes.iter().map(path).collect()
    }

    fn samples(&self) -> &[Vec<usize>] {
        self.samples.get_or_init(|| self.ways.iter().flat_map(|way| way.samples()).collect())
    }

    /// Whole sets of paths, by the samples of both.
    pub(super) fn compare(&self, other: &Self) -> Sets {
        let members = |path: &Self| -> Vec<bool> {
            let samples = self.samples().iter().chain(other.samples());
            samples.map(|sample| path.ways.iter().any(|way| way.accepts(sample))).collect()
        };
        compare(&members(self), &members(other))
    }
}

/// Section 4.2: the first segment at which two ways differ decides.
pub(super) fn first_difference(left: &Known, right: &Known, segments: usize) -> Sets {
    for at in 0..segments {
        let (Some(a), Some(b)) = (left.step(at), right.step(at)) else { break };
        match a.compare(b) {
            Sets::Equal => {}
            decided => return decided,
        }
    }
    Sets::Equal
}

/// What two sets have to do with each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Sets {
    Equal,
    Subset,
    Superset,
    Neither,
}

impl Sets {
    /// The same, of the two the other way round.
    pub(super) fn flipped(self) -> Self {
        match self {
            Self::Subset => Self::Superset,
            Self::Superset => Self::Subset,
            same => same,
        }
    }
}

pub(super) fn compare(left: &[bool], right: &[bool]) -> Sets {
    let only_left = left.iter().zip(right).any(|(a, b)| *a && !*b);
    let only_right = left.iter().zip(right).any(|(a, b)| !*a && *b);
    match (only_left, only_right) {
        (false, false) => Sets::Equal,
        (false, true) => Sets::Subset,
        (true, false) => Sets::Superset,
        (true, true) => Sets::Neither,
    }
}

/// The values with a comma before them, after them, and after their first letter: an item of a list is never empty.
static NO_LISTS: LazyLock<Vec<String>> = LazyLock::new(|| {
    let values = POOL.iter().filter(|text| !text.contains(COMMA));
    let first = |text: &str| text.chars().next().map_or(0, char::len_utf8);
    let forms = |text: &str| {
        let (before, after) = text.split_at(first(text));
        [format!("{COMMA}{text}"), format!("{text}{COMMA}"), format!("{before}{COMMA}{after}")]
    };
    values.flat_map(|text| forms(text)).collect()
});
