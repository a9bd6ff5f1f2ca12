//! The proof that no URL has two equally narrow routes.
//!
//! Only pairs of ways that neither a literal nor an inclusion tells apart are followed, so a table without
//! such pairs is proven in one look at each node.

use crate::declare::Code;
use std::sync::Arc;

use hashbrown::{HashMap, HashSet};

use super::contrast::{Contrast, NamedRule};
use super::draft::Word;
use super::meeting::{Affixes, MOST_PAIRS, meeting};
use super::order;
use super::resolved::ResolvedRoute;
use super::tree_builder::TreeBuilder;
use crate::declare::{Overlaps, Report};
use crate::lookup::{LeafId, NodeId, Param, ParamKind, PatternId, Piece, Route, RouteId, Site};
use crate::rule::{Dfa, Narrower, Relation, TEXT, TooLarge, ValueSet, encode_marked, work};

/// So many overlaps are reported. Whoever has more has them for one reason.
const MOST_REPORTED: usize = 500;

/// What two ways that may end at one URL cost beside the comparison of their rules, in [steps](work).
const PAIR: usize = 20;
/// So many pairs of nodes are visited once no steps are left, to find routes that need a proof.
const MOST_BEYOND: usize = 1 << 16;
/// The search ends after this many pairs that cannot be compared.
const MOST_UNPROVEN: usize = 10;

/// For so many overlaps a keyword is looked for that would mend them.
const MOST_MENDED: usize = 20;

/// Proves the tree, notes what the lookup must know of pairs, and reports the overlaps.
pub(super) fn prove(
    builder: &mut TreeBuilder,
    resolved: &[ResolvedRoute],
    routes: &[Route],
    site: &Site,
    overlaps: Overlaps,
    report: &mut Report,
) -> Result<(), TooLarge> {
    let mut proof = Proof {
        builder,
        resolved,
        routes,
        site,
        overlaps,
        report,
        visited: HashSet::new(),
        paths: HashMap::new(),
        leaf_paths: HashMap::new(),
        demands: order::Demands::default(),
        reported: HashSet::new(),
        unproven: 0,
        ways: 0,
        beyond: 0,
    };
    for id in 0..u32::try_from(proof.builder.draft.nodes.len()).map_err(|_| TooLarge::Numbers)? {
        proof.node(NodeId(id))?;
        if proof.unproven >= MOST_UNPROVEN {
            break;
        }
        if proof.is_full() {
            let message = format!("this list has {MOST_REPORTED} overlaps; the search ended there");
            proof
                .report
                .add(Code::TooManyPairs, None, message)
                .help_with("mend these first: many overlaps have the same cause");
            break;
        }
    }
    Ok(())
}

struct Proof<'a> {
    builder: &'a mut TreeBuilder,
    resolved: &'a [ResolvedRoute],
    routes: &'a [Route],
    site: &'a Site,
    overlaps: Overlaps,
    report: &'a mut Report,
    visited: HashSet<(NodeId, NodeId, bool)>,
    paths: HashMap<RouteId, Arc<Dfa>>,
    leaf_paths: HashMap<LeafId, Arc<Dfa>>,
    demands: order::Demands<'a>,
    reported: HashSet<(RouteId, RouteId)>,
    /// How many pairs of routes cannot be compared.
    unproven: usize,
    /// How many pairs of ways were looked at.
    ways: usize,
    /// How many pairs of nodes were visited when no steps were left.
    beyond: usize,
}

impl Proof<'_> {
    /// Whether there are as many overlaps as are reported.
    fn is_full(&self) -> bool {
        self.reported.len() >= MOST_REPORTED || self.unproven >= MOST_UNPROVEN
    }

    /// The pairs of ways that part at a node.
    fn node(&mut self, id: NodeId) -> Result<(), TooLarge> {
        let node = self.builder.node(id);
        let draft = &self.builder.draft;
        if !draft.has_several_leaves(id) && (node.edges.is_empty() || node.edges.len() + node.literals() < 2) {
            return Ok(());
        }
        let (leaves, edges) = (draft.leaves(id), node.edges.clone());
        for (left, right) in self.with_common_host(&leaves)? {
            self.leaves(leaves[left], leaves[right], true)?;
        }
        for (left, right, narrower) in self.builder.sharing(id)? {
            match narrower {
                Narrower::Same => self.pair(edges[left].target, edges[right].target, true)?,
                Narrower::Neither => self.pair(edges[left].target, edges[right].target, false)?,
                _ => {}
            }
        }
        for edge in edges {
            if let Some(text) = self.builder.patterns.sole(edge.pattern)?
                && let Some(target) = self.builder.draft.literal(id, &text)
            {
                self.pair(target, edge.target, true)?;
            }
        }
        Ok(())
    }

    /// Two ways that share their segments so far; `is_same` if those segments accept the same.
    fn pair(&mut self, left: NodeId, right: NodeId, is_same: bool) -> Result<(), TooLarge> {
        if !self.visited.insert((left, right, is_same)) {
            return Ok(());
        }
        if work::spend(PAIR).is_err() {
            if self.overlaps == Overlaps::FirstDeclared {
                return Ok(());
            }
            self.beyond += 1;
        }
        if self.visited.len() > MOST_PAIRS || self.beyond > MOST_BEYOND {
            return Err(TooLarge::Pairs);
        }
        let draft = &self.builder.draft;
        let (a, b) = (draft.node(left), draft.node(right));
        let (a_endings, b_endings) = (draft.leaves(left), draft.leaves(right));
        let (a_edges, b_edges) = (a.edges.clone(), b.edges.clone());
        let (few, many) = if a.literals() <= b.literals() { (left, right) } else { (right, left) };
        let twins = draft.literals(few).filter_map(|(text, one)| Some((one, draft.literal(many, text)?)));
        let common: Vec<(NodeId, NodeId)> =
            twins.map(|(one, other)| if few == left { (one, other) } else { (other, one) }).collect();
        let mut half: Vec<(NodeId, NodeId, bool)> = Vec::new();
        let patterns = &self.builder.patterns;
        for (at, edges, is_left) in [(left, &b_edges, true), (right, &a_edges, false)] {
            for edge in edges {
                let is_sole = patterns.is_sole(edge.pattern);
                for (text, literal) in draft.literals(at) {
                    if patterns.accepts(edge.pattern, text)? {
                        let (left, right) = if is_left { (literal, edge.target) } else { (edge.target, literal) };
                        half.push((left, right, is_sole));
                    }
                }
            }
        }
        for &left in &a_endings {
            for &right in &b_endings {
                self.leaves(left, right, is_same)?;
            }
        }
        for (left, right) in common {
            self.pair(left, right, is_same)?;
        }
        for (left, right, is_single) in half {
            // A literal is narrower, which decides unless an earlier segment has left the matter open.
            if is_single || !is_same {
                self.pair(left, right, is_same)?;
            }
        }
        let edges: Vec<PatternId> = a_edges.iter().chain(&b_edges).map(|edge| edge.pattern).collect();
        for (left, right) in self.builder.patterns.candidates(&edges)? {
            let Some(right) = right.checked_sub(a_edges.len()).filter(|_| left < a_edges.len()) else { continue };
            let (left, right) = (&a_edges[left], &b_edges[right]);
            match self.builder.patterns.narrower(left.pattern, right.pattern)? {
                None => {}
                Some(Narrower::Same) => self.pair(left.target, right.target, is_same)?,
                Some(Narrower::Neither) => self.pair(left.target, right.target, false)?,
                Some(_) if !is_same => self.pair(left.target, right.target, false)?,
                Some(_) => {}
            }
        }
        Ok(())
    }

    /// The pairs of some leaves, by their places, whose hosts may be the same.
    fn with_common_host(&self, leaves: &[LeafId]) -> Result<Vec<(usize, usize)>, TooLarge> {
        let host = |leaf: &LeafId| {
            let host = self.routes[self.builder.leaf(*leaf).route.index()].extras.host.as_deref();
            host.map_or_else(Affixes::default, |host| Affixes::of_pattern(&host.pattern))
        };
        meeting(&leaves.iter().map(host).enumerate().collect::<Vec<_>>(), leaves.len())
    }

    /// Two ways that may end at a common URL.
    fn leaves(&mut self, left: LeafId, right: LeafId, is_same: bool) -> Result<(), TooLarge> {
        if left > right {
            return self.leaves(right, left, is_same);
        }
        self.ways += 1;
        if self.ways > MOST_PAIRS {
            return Err(TooLarge::Pairs);
        }
        let (a, b) = (self.builder.leaf(left).route, self.builder.leaf(right).route);
        if a == b || self.is_full() {
            return Ok(());
        }
        let (one, two) = (&self.routes[a.index()], &self.routes[b.index()]);
        let may_stand = self.overlaps == Overlaps::FirstDeclared
            || one.extras.priority != two.extras.priority
            || one.methods.is_disjoint(&two.methods);
        // What their segments have left open decides nothing more, and an overlap would be none.
        if may_stand && !is_same {
            return Ok(());
        }
        match self.compared(left, right, is_same, may_stand) {
            // Both routes are allowed: neither counts as the narrower.
            Err(TooLarge::States | TooLarge::Work) if may_stand => Ok(()),
            Err(TooLarge::States | TooLarge::Work) => {
                self.report_unproven(left, right);
                Ok(())
            }
            compared => compared,
        }
    }

    /// Two ways whose routes are compared by what their segments leave open.
    fn compared(&mut self, left: LeafId, right: LeafId, is_same: bool, may_stand: bool) -> Result<(), TooLarge> {
        work::spend(PAIR)?;
        let (a, b) = (self.builder.leaf(left).route, self.builder.leaf(right).route);
        let (one, two) = (&self.routes[a.index()], &self.routes[b.index()]);
        let Relation::Shared { narrower: by_host, witness: host, is_exact: host_is_exact } =
            order::hosts(one.extras.host.as_deref(), two.extras.host.as_deref(), &self.demands)?
        else {
            return Ok(());
        };
        let Relation::Shared { narrower: by_query, witness: query, is_exact: query_is_exact } =
            order::queries(&one.extras.query, &two.extras.query, &self.demands)?
        else {
            return Ok(());
        };
        let Some((path, path_is_exact)) = self.common_path(left, right)? else { return Ok(()) };
        if is_same {
            let by_path = self.by_path(a, b)?;
            // A query narrows a resource, and says nothing of its other methods: `POST /nights` stays beside
            // `GET /nights{?year}`.
            let by_query = if one.methods.is_disjoint(&two.methods) { Narrower::Neither } else { by_query };
            let decided = [by_path, by_host, by_query].into_iter().find(|narrower| *narrower != Narrower::Same);
            let decided = decided.unwrap_or(Narrower::Same);
            self.builder.order.leaves.insert((left, right), decided);
            if !matches!(decided, Narrower::Same | Narrower::Neither) {
                return Ok(());
            }
        }
        if may_stand {
            return Ok(());
        }
        let Some(path) = self.contested_path(left, right, path)? else { return Ok(()) };
        let (host, query) = (order::text(&host), order::text(&query));
        let origin = if host.is_empty() { String::new() } else { format!("https://{host}") };
        let witness = format!("{origin}{}", self.site.address(format!("{path}{query}")));
        self.report_overlap(left, right, &witness, host_is_exact && query_is_exact && path_is_exact)
    }

    /// A path that both ways accept, and whether that is certain.
    fn common_path(&mut self, left: LeafId, right: LeafId) -> Result<Option<(String, bool)>, TooLarge> {
        let (a, b) = (self.builder.leaf(left), self.builder.leaf(right));
        if a.tail.is_some() || b.tail.is_some() {
            let (a, b) = (a.route, b.route);
            // The paths of these two ways, not of their routes: another way of one may be the narrower.
            let (left, right) = (self.leaf_paths(left)?, self.leaf_paths(right)?);
            return Ok(match ValueSet::new(left, []).compare(&ValueSet::new(right, []))? {
                Relation::Disjoint => None,
                Relation::Shared { witness, .. } => {
                    Some((order::path_of(&witness), self.path_is_exact(a) && self.path_is_exact(b)))
                }
            });
        }
        let (mut url, mut is_exact) = (String::new(), true);
        let patterns = &self.builder.patterns;
        for (one, two) in self.builder.words(left).iter().zip(self.builder.words(right)) {
            let mut example = |pattern: PatternId| {
                let set = patterns.set(pattern)?;
                is_exact &= set.is_exact();
                Ok(order::text(&set.example()))
            };
            let text = match (one, two) {
                (Word::Literal(node), Word::Literal(_)) => self.builder.draft.text_of(*node).to_owned(),
                (Word::Literal(node), Word::Pattern(pattern)) | (Word::Pattern(pattern), Word::Literal(node)) => {
                    is_exact &= patterns.set(*pattern)?.is_exact();
                    self.builder.draft.text_of(*node).to_owned()
                }
                (Word::Pattern(one), Word::Pattern(two)) if one == two => example(*one)?,
                (Word::Pattern(one), Word::Pattern(two)) => match patterns.relation(*one, *two)? {
                    Relation::Disjoint => return Ok(None),
                    Relation::Shared { witness, is_exact: sure, .. } => {
                        is_exact &= sure;
                        order::text(&witness)
                    }
                },
            };
            url.push('/');
            encode_marked(&mut url, &text);
        }
        Ok(Some((if url.is_empty() { "/".to_owned() } else { url }, is_exact)))
    }

    /// A path on which neither of two ways is beaten by another way of its own route, given one that both accept; `None` where
    /// there is none: then the pair that such a path belongs to decides.
    fn contested_path(&mut self, left: LeafId, right: LeafId, common: String) -> Result<Option<String>, TooLarge> {
        let mut better = Vec::new();
        for id in [left, right] {
            let route = self.builder.leaf(id).route;
            let own = (self.builder.first_leaf(route)?.0..)
                .map(LeafId)
                .take_while(|&other| self.builder.is_leaf_of(other, route));
            for other in own.filter(|&other| other != id).collect::<Vec<_>>() {
                if self.goes_before(other, id)? {
                    better.push(other);
                }
            }
        }
        if better.is_empty() {
            return Ok(Some(common));
        }
        let mut contested = self.leaf_paths(left)?.and(&*self.leaf_paths(right)?)?;
        for other in better {
            contested = contested.without(&*self.leaf_paths(other)?)?;
        }
        Ok(contested.shortest().map(|path| order::path_of(&path)))
    }

    /// Whether a way of a route has a URL that both accept. The narrower has, and else the one that was made first, as it fills
    /// more from the left.
    fn goes_before(&mut self, one: LeafId, other: LeafId) -> Result<bool, TooLarge> {
        let (left, right) = (self.builder.words(one).to_vec(), self.builder.words(other).to_vec());
        for at in 0..left.len().max(right.len()) {
            // The last word of a tail stands for each of its segments.
            let (Some(left), Some(right)) = (left.get(at).or(left.last()), right.get(at).or(right.last())) else {
                break;
            };
            let narrower = match (left, right) {
                (Word::Literal(_), Word::Literal(_)) => Narrower::Same,
                (Word::Literal(_), Word::Pattern(pattern)) if !self.builder.patterns.is_sole(*pattern) => {
                    Narrower::Left
                }
                (Word::Pattern(pattern), Word::Literal(_)) if !self.builder.patterns.is_sole(*pattern) => {
                    Narrower::Right
                }
                (Word::Pattern(left), Word::Pattern(right)) => {
                    self.builder.patterns.narrower(*left, *right)?.unwrap_or(Narrower::Neither)
                }
                _ => Narrower::Same,
            };
            match narrower {
                Narrower::Same => {}
                Narrower::Neither => break,
                decided => return Ok(decided.is_left_first()),
            }
        }
        Ok(one < other)
    }

    /// The paths of one way through a route; worked out once.
    fn leaf_paths(&mut self, id: LeafId) -> Result<Arc<Dfa>, TooLarge> {
        if let Some(known) = self.leaf_paths.get(&id) {
            return Ok(Arc::clone(known));
        }
        let leaf = self.builder.leaf(id);
        let params = &self.routes[leaf.route.index()].params;
        let tail = leaf.tail.map(|tail| (tail.kind, &params[usize::from(tail.param)]));
        let words = self.builder.words(id);
        // The last word stands for each segment of a tail.
        let segments = &words[..words.len() - usize::from(tail.is_some())];
        let segment = |word: &Word| match word {
            Word::Literal(node) => Ok(Err(self.builder.draft.text_of(*node).to_owned())),
            Word::Pattern(pattern) => Ok(Ok(Arc::clone(&self.builder.patterns.set(*pattern)?.texts))),
        };
        let set = Arc::new(order::way_set(&segments.iter().map(segment).collect::<Result<Vec<_>, _>>()?, tail)?);
        self.leaf_paths.insert(id, Arc::clone(&set));
        Ok(set)
    }

    /// Whether the set of whole paths of a route tells what it accepts.
    fn path_is_exact(&self, route: RouteId) -> bool {
        let in_path = |param: &&Param| matches!(param.kind, ParamKind::Segment | ParamKind::Items | ParamKind::Rest);
        let params = self.routes[route.index()].params.iter().filter(in_path);
        ValueSet::new(Arc::clone(&TEXT), params.map(|param| &*param.texts)).is_exact()
    }

    /// Which route has the smaller set of paths, where the segments at hand accept the same.
    fn by_path(&mut self, a: RouteId, b: RouteId) -> Result<Narrower, TooLarge> {
        let is_plain = |route: RouteId| self.resolved[route.index()].has_one_plain_way();
        if is_plain(a) && is_plain(b) {
            return Ok(Narrower::Same);
        }
        Ok(self.paths(a, b, true)?.narrower().unwrap_or(Narrower::Neither))
    }

    /// Compares the whole paths of two routes; with the rules of their tails, if both have one, as a rule of a whole tail was
    /// not looked at with the segments.
    fn paths(&mut self, a: RouteId, b: RouteId, with_tails: bool) -> Result<Relation, TooLarge> {
        let (left, right) = (self.path(a)?, self.path(b)?);
        let tail = |route: RouteId| {
            let (param, _) = self.resolved[route.index()].variants.iter().find_map(|variant| variant.tail)?;
            let param = &self.routes[route.index()].params[usize::from(param)];
            Some(
                [Some(&*param.texts), Some(&*param.check).filter(|check| check.wants_each_once())]
                    .into_iter()
                    .flatten(),
            )
        };
        let tails = tail(a).zip(tail(b)).filter(|_| with_tails);
        let (one, other) = tails.unzip();
        ValueSet::new(left, one.into_iter().flatten()).compare(&ValueSet::new(right, other.into_iter().flatten()))
    }

    /// The set of whole paths of a route; worked out once.
    fn path(&mut self, route: RouteId) -> Result<Arc<Dfa>, TooLarge> {
        if let Some(known) = self.paths.get(&route) {
            return Ok(Arc::clone(known));
        }
        let known = &self.resolved[route.index()];
        let set = if known.has_one_plain_way() {
            let words = self.builder.words(self.builder.first_leaf(route)?).iter();
            order::plain_paths(words.map(|word| match word {
                Word::Literal(node) => Err(self.builder.draft.text_of(*node)),
                Word::Pattern(pattern) => Ok(self.builder.patterns.pattern(*pattern)),
            }))?
        } else {
            order::paths(&known.variants, &self.routes[route.index()].params)?
        };
        let set = Arc::new(set);
        self.paths.insert(route, Arc::clone(&set));
        Ok(set)
    }

    fn report_overlap(&mut self, left: LeafId, right: LeafId, witness: &str, is_exact: bool) -> Result<(), TooLarge> {
        let (a, b) = (self.builder.leaf(left).route, self.builder.leaf(right).route);
        if a > b {
            return self.report_overlap(right, left, witness, is_exact);
        }
        if !self.reported.insert((a, b)) {
            return Ok(());
        }
        // Left out if it would take too long.
        let contrast = self.contrast(left, right).unwrap_or_default();
        let is_sought = self.reported.len() <= MOST_MENDED;
        let keyword = if is_sought { contrast.keyword().unwrap_or_default() } else { None };
        let (one, two) = (&self.routes[a.index()], &self.routes[b.index()]);
        let place = &self.resolved[b.index()];
        let verb = if is_exact { "both accept" } else { "may both accept" };
        let why = contrast.why(&one.name, &two.name);
        let message = format!("`{}` and `{}` {verb} `{witness}`, and neither is narrower{why}", one.name, two.name);
        let first_way = match keyword {
            Some((is_first, param, keyword)) => {
                let route = if is_first { &one.name } else { &two.name };
                format!("write `{keyword}` into the rule of `{param}` of `{route}`")
            }
            None if contrast.is_none() => "leave one of them out, narrow a rule".to_owned(),
            None => "narrow a rule".to_owned(),
        };
        let help = format!(
            "{first_way}, set `priority = 1` on one of them, or let the order decide with `overlaps = \"first-declared\"` under `[site]`"
        );
        self.report
            .add(Code::Overlap, place.path_span.as_ref().or(place.name_span.as_ref()), message)
            .help_with(help)
            .witnessed(witness)
            .contrasted(contrast.only)
            .route(&one.name)
            .route(&two.name);
        Ok(())
    }

    /// Reports two ways that it would take too long to compare.
    fn report_unproven(&mut self, left: LeafId, right: LeafId) {
        let [a, b] = [left, right].map(|id| self.builder.leaf(id).route);
        if !self.reported.insert((a.min(b), a.max(b))) {
            return;
        }
        self.unproven += 1;
        let (one, two) = (&self.routes[a.index()].name, &self.routes[b.index()].name);
        let both = self.builder.words(left).iter().zip(self.builder.words(right)).enumerate();
        let rules = both.into_iter().find_map(|(at, words)| match words {
            (Word::Pattern(first), Word::Pattern(second)) if self.builder.patterns.is_unproven(*first, *second) => {
                Some((self.rule_at(left, at, *first)?.0, self.rule_at(right, at, *second)?.0))
            }
            _ => None,
        });
        let rules = rules.map_or_else(String::new, |(first, second)| {
            format!(": the rules of `{first}` and of `{second}` are too large, or there are too many such pairs")
        });
        let place = &self.resolved[b.index()];
        let message = format!("it would take too long to prove which of `{one}` and `{two}` is narrower{rules}");
        self.report
            .add(Code::TooLargeToProve, place.path_span.as_ref().or(place.name_span.as_ref()), message)
            .help_with(
                "make patterns shorter or lengths smaller, begin the two segments with different texts, set `priority = 1` on one of \
                 them, or let the order decide with `overlaps = \"first-declared\"` under `[site]`",
            )
            .route(one)
            .route(two);
    }

    /// What sets two ways apart, of which neither is the narrower.
    fn contrast(&mut self, left: LeafId, right: LeafId) -> Result<Contrast, TooLarge> {
        let (a, b) = (self.builder.leaf(left).route, self.builder.leaf(right).route);
        // The last word of a tail stands for each of its segments.
        let word_at = |words: &[Word], at: usize| match words.get(at).or(words.last()) {
            Some(Word::Pattern(pattern)) => Some(*pattern),
            _ => None,
        };
        let words = [left, right].map(|id| self.builder.words(id).to_vec());
        for at in 0..words[0].len().max(words[1].len()) {
            let (Some(first), Some(second)) = (word_at(&words[0], at), word_at(&words[1], at)) else { continue };
            if self.builder.patterns.narrower(first, second)? != Some(Narrower::Neither) {
                continue;
            }
            let rules = match (self.rule_at(left, at, first), self.rule_at(right, at, second)) {
                (Some(one), Some(other)) => Some([one, other]),
                _ => None,
            };
            let patterns = &self.builder.patterns;
            return Contrast::of([&patterns.set(first)?.texts, &patterns.set(second)?.texts], rules, order::shown);
        }
        if self.by_path(a, b)? == Narrower::Neither {
            let paths = [self.path(a)?, self.path(b)?];
            return Contrast::of([&paths[0], &paths[1]], None, order::path_of);
        }
        let (one, two) = (&self.routes[a.index()], &self.routes[b.index()]);
        match Contrast::of_hosts(one.extras.host.as_deref(), two.extras.host.as_deref(), &self.demands)? {
            Some(by_host) => Ok(by_host),
            None => Contrast::of_queries(&one.extras.query, &two.extras.query, &self.demands),
        }
    }

    /// The rule of the value that is a segment of a way, with the name of its parameter.
    fn rule_at(&self, id: LeafId, at: usize, pattern: PatternId) -> Option<NamedRule> {
        let [Piece::Value(check)] = &*self.builder.patterns.pattern(pattern).pieces else { return None };
        let leaf = self.builder.leaf(id);
        let capture = self.builder.captures(id).iter().find(|capture| usize::from(capture.segment) == at);
        let param = capture.map(|capture| capture.param).or(leaf.tail.map(|tail| tail.param))?;
        let name = &self.routes[leaf.route.index()].params[usize::from(param)].name;
        Some((name.to_string(), Arc::clone(check)))
    }
}
