//! The frozen table as plain data, for generators of code.
//!
//! Whoever writes the table in another language needs no second compiler: everything that a lookup goes by is here,
//! as numbers and texts. Things refer to each other by their index. Making it costs one pass over the table.

use std::collections::HashMap;
use std::sync::Arc;

use smol_str::SmolStr;

use super::node::{LeafId, NodeId};
use super::path::MOST_SEGMENTS;
use super::pattern::{Pattern, Piece};
use super::route::{Destination, Filling, Param, Route};
use super::table::{Frozen, Table};
use super::tree::{Capture, Cover, Leaf, SegmentStep, TailKind, Tree};
use crate::declare::Case;
use crate::rule::{Automaton, Check, Join, Many, Narrower, Separator, Shape, Test};

/// The data of a whole table, for writing a matcher in another language; made by [`Table::export`].
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Export {
    /// The rules, each once.
    pub rules: Vec<ExportedRule>,
    /// What a segment may be that is no literal: texts (`Ok`) and values of a rule (`Err`) in turn.
    pub patterns: Vec<Vec<Result<String, usize>>>,
    /// The patterns that accept one text only, and so are no wider than a literal.
    pub single_patterns: Vec<usize>,
    /// The nodes of the tree; the first is the root.
    pub nodes: Vec<ExportedNode>,
    /// The leaves: where the paths of routes end.
    pub leaves: Vec<ExportedLeaf>,
    /// For pairs of patterns that may accept one segment: which is the narrower, the lower index first.
    pub pattern_order: Vec<(usize, usize, Side)>,
    /// For pairs of leaves whose segments do not decide: which is the narrower, the lower index first.
    pub leaf_order: Vec<(usize, usize, Side)>,
    /// The routes, in the order of [`Table::routes`].
    pub routes: Vec<ExportedRoute>,
    /// Whether letter case counts in literals. Where it does not, the literals of nodes are in small letters.
    pub case: Case,
    /// The most segments that a path may have.
    pub most_segments: usize,
}

/// Which of two patterns or leaves is the narrower; the one with the lower index is on the left.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The left, or it is asked first.
    Left,
    /// The right, or it is asked first.
    Right,
    /// Both accept the same.
    Same,
    /// Neither, though they have something in common.
    Neither,
}

/// A node of the tree: the state of a walk after some segments.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct ExportedNode {
    /// The literals that may follow, and the nodes that they lead to.
    pub literals: Vec<(String, usize)>,
    /// The patterns that may follow, the narrower first, and the nodes that they lead to. The node of a tail leads to itself.
    pub edges: Vec<(usize, usize)>,
    /// Whether the first edge that leads to a leaf is the narrowest. Otherwise all of them are tried.
    pub is_ordered: bool,
    /// The leaves of routes that end here.
    pub leaves: Vec<usize>,
    /// Routes that cover URLs which go on from here, beside those that end here.
    pub areas: Vec<usize>,
}

/// A leaf of the tree: one way through the path of a route ends here.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedLeaf {
    /// The route.
    pub route: usize,
    /// For each value of the segments, from the left: the index of its parameter.
    pub captures: Vec<Option<usize>>,
    /// For each level of the chain, how many segments it covers, and how many pieces of the last; `None` for all of them. The level
    /// that owns the tail covers all of the path: it has no numbers.
    pub covers: Vec<Option<(usize, Option<usize>)>>,
    /// The segments that go to one parameter.
    pub tail: Option<ExportedTail>,
    /// Where letter case does not count: the literals that the route declares in another one, by their segment.
    pub spelling: Vec<(usize, String)>,
}

/// The segments at the end of a path that one parameter takes.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub struct ExportedTail {
    /// The index of the parameter.
    pub param: usize,
    /// The first of the segments.
    pub first: usize,
    /// Whether it is one value that may hold slashes. Otherwise each segment is an item.
    pub is_one_value: bool,
}

/// A rule, as data.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedRule {
    /// The tests that a single text must pass.
    pub tests: Vec<Test>,
    /// The set of texts that it accepts; `None` for all.
    pub automaton: Option<Automaton>,
    /// The live list in which a text must be.
    pub list: Option<String>,
    /// How the rule applies to lists and pairs.
    pub values: ExportedValues,
    /// How items stand in one text, where this is the rule of that text.
    pub join: Option<ExportedJoin>,
}

/// How a rule applies to lists and pairs. Rules are given by their index.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "the names say it, and the keywords of JSON Schema")]
pub enum ExportedValues {
    /// It is about one text.
    One,
    /// A list.
    List { items: usize, least: u16, most: u16, is_unique: bool },
    /// Names and values.
    Pairs { names: usize, values: usize, least: u16, most: u16 },
}

/// How the items of a list are joined in one text.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct ExportedJoin {
    /// The separator: `,` `;` `.` where it is not escaped, `+` for any comma, nothing if there is one item.
    pub separator: &'static str,
    /// For items after a semicolon, the name before each.
    pub name: Option<String>,
    /// Whether an equals sign stands between a name and its value. Otherwise the separator stands there, too.
    pub is_named: bool,
}

/// What lookups and links need of a route, beside what [`RouteRef`](super::RouteRef) has.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedRoute {
    /// The parameters, in the order of [`RouteRef::parameters`](super::RouteRef::parameters).
    pub params: Vec<ExportedParam>,
    /// Pairs that must be in the query.
    pub query_literals: Vec<(String, String)>,
    /// Parameters in the query.
    pub query: Vec<ExportedQueryParam>,
    /// The host.
    pub host: Option<ExportedHost>,
    /// The priority: of routes none of which is narrower, the one with the highest answers.
    pub priority: i64,
    /// Whether the route has children.
    pub is_parent: bool,
    /// Whether a link must be read back before it is handed out: another route may answer it, or it may be read with other values.
    pub is_read_back: bool,
    /// The values that a redirect to another route passes on.
    pub redirect: Option<ExportedRedirect>,
}

/// A parameter, as data.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedParam {
    /// Its rule.
    pub rule: usize,
    /// The rule for the text in the path: of one item for the segments of a tail, of the whole text for a joined list.
    pub texts: usize,
    /// The level of the chain whose path declares it.
    pub level: usize,
}

/// A parameter in the query, as data.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedQueryParam {
    /// The name in the query, decoded.
    pub name: String,
    /// The index of the parameter.
    pub param: usize,
    /// Whether it must be there.
    pub is_required: bool,
    /// Whether each value of the name is an item.
    pub is_repeated: bool,
}

/// A host: texts (`Ok`) and values of a rule (`Err`, with the index of the parameter) in turn.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedHost {
    /// The pieces.
    pub pieces: Vec<Result<String, (usize, Option<usize>)>>,
}

/// What a redirect passes to a parameter: texts (`Ok`) and values of the redirecting route (`Err`, the index of the
/// parameter) in turn.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ExportedRedirect {
    /// By the name of the parameter.
    pub values: Vec<(String, Vec<Result<String, usize>>)>,
}

impl<P> Table<P> {
    /// The table as plain data, for generators of code.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.dome]\npath = '/domes/{dome}'\npage = 'dome'")?;
    /// let export = table.export();
    /// let (domes, below) = &export.nodes[0].literals[0];
    /// assert_eq!(domes, "domes");
    /// let (pattern, end) = export.nodes[*below].edges[0];
    /// assert_eq!(export.patterns[pattern].len(), 1);
    /// assert_eq!(export.leaves[export.nodes[end].leaves[0]].captures, [Some(0)]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    #[doc(hidden)]
    pub fn export(&self) -> Export {
        Exporter::new(self.frozen()).export()
    }
}

struct Exporter<'t> {
    frozen: &'t Frozen,
    rules: Vec<ExportedRule>,
    /// The index of each rule, by its address.
    known: HashMap<*const Check, usize>,
}

fn side(narrower: Narrower) -> Side {
    match narrower {
        Narrower::Left | Narrower::LeftAsked => Side::Left,
        Narrower::Right | Narrower::RightAsked => Side::Right,
        Narrower::Same => Side::Same,
        Narrower::Neither => Side::Neither,
    }
}

impl<'t> Exporter<'t> {
    fn new(frozen: &'t Frozen) -> Self {
        Self { frozen, rules: Vec::new(), known: HashMap::new() }
    }

    fn export(mut self) -> Export {
        let tree = &self.frozen.tree;
        let patterns = tree.patterns.iter().map(|pattern| self.pattern(pattern)).collect();
        let routes = self.frozen.routes.iter().map(|route| self.route(route)).collect();
        let order = &tree.order;
        let mut pattern_order: Vec<_> = order
            .patterns
            .iter()
            .map(|((left, right), narrower)| (left.0 as usize, right.0 as usize, side(*narrower)))
            .collect();
        let mut leaf_order: Vec<_> = order
            .leaves
            .iter()
            .map(|((left, right), narrower)| (left.0 as usize, right.0 as usize, side(*narrower)))
            .collect();
        // The maps have no order of their own, and what is written must not change from run to run.
        pattern_order.sort_unstable_by_key(|&(left, right, _)| (left, right));
        leaf_order.sort_unstable_by_key(|&(left, right, _)| (left, right));
        Export {
            patterns,
            single_patterns: order.single.iter().enumerate().filter(|(_, single)| **single).map(|(at, _)| at).collect(),
            nodes: nodes(tree),
            leaves: (0..).map(LeafId).take(tree.leaves.len()).map(|id| leaf(tree, id)).collect(),
            pattern_order,
            leaf_order,
            routes,
            case: if tree.folds { Case::Fold } else { Case::Exact },
            most_segments: MOST_SEGMENTS,
            rules: self.rules,
        }
    }

    fn rule(&mut self, check: &Arc<Check>) -> usize {
        if let Some(&known) = self.known.get(&Arc::as_ptr(check)) {
            return known;
        }
        let values = match &check.values {
            Many::One => ExportedValues::One,
            Many::List { items, least, most, is_unique } => {
                let items = self.rule(items);
                ExportedValues::List { items, least: *least, most: *most, is_unique: *is_unique }
            }
            Many::Pairs { names, values, least, most } => {
                let (names, values) = (self.rule(names), self.rule(values));
                ExportedValues::Pairs { names, values, least: *least, most: *most }
            }
        };
        self.rules.push(ExportedRule {
            tests: check.tests(),
            automaton: check.automaton(),
            list: check.list.as_deref().map(str::to_owned),
            values,
            join: check.join.as_ref().map(join),
        });
        let index = self.rules.len() - 1;
        self.known.insert(Arc::as_ptr(check), index);
        index
    }

    fn pattern(&mut self, pattern: &Pattern) -> Vec<Result<String, usize>> {
        let piece = |piece: &Piece| match piece {
            Piece::Text(text) => Ok(text.to_string()),
            Piece::Value(check) => Err(self.rule(check)),
        };
        pattern.pieces.iter().map(piece).collect()
    }

    fn route(&mut self, route: &Route) -> ExportedRoute {
        let param = |param: &Param| ExportedParam {
            rule: self.rule(&param.check),
            texts: self.rule(&param.texts),
            level: usize::from(param.level),
        };
        let params = route.params.iter().map(param).collect();
        let host = route.extras.host.as_ref().map(|host| {
            let piece = |(piece, param): (&Piece, &Option<u16>)| match piece {
                Piece::Text(text) => Ok(text.to_string()),
                Piece::Value(check) => Err((self.rule(check), param.map(usize::from))),
            };
            ExportedHost { pieces: host.pattern.pieces.iter().zip(&host.params).map(piece).collect() }
        });
        let redirect = route.extras.onward.as_ref().and_then(|rule| match &rule.aim {
            Destination::Url(_) => None,
            Destination::Route { values, .. } => {
                let piece = |piece: &Result<Box<str>, u16>| piece.clone().map(String::from).map_err(usize::from);
                let value =
                    |(name, filling): &(SmolStr, Filling)| (name.to_string(), filling.iter().map(piece).collect());
                Some(ExportedRedirect { values: values.iter().map(value).collect() })
            }
        });
        let query = &route.extras.query;
        ExportedRoute {
            params,
            query_literals: query.literals.iter().map(|(name, value)| (name.to_string(), value.to_string())).collect(),
            query: query
                .params
                .iter()
                .map(|param| ExportedQueryParam {
                    name: param.name.to_string(),
                    param: usize::from(param.param),
                    is_required: param.is_required,
                    is_repeated: param.is_repeated,
                })
                .collect(),
            host,
            priority: route.extras.priority,
            is_parent: route.is_parent,
            is_read_back: !route.has_safe_links,
            redirect,
        }
    }
}

fn join(join: &Join) -> ExportedJoin {
    let (separator, name) = match &join.separator {
        Separator::Comma => (",", None),
        Separator::AnyComma => ("+", None),
        Separator::Dot => (".", None),
        Separator::Semicolon(name) if join.shape == Shape::List => (";", Some(name.to_string())),
        Separator::Semicolon(_) => (";", None),
        Separator::End => ("", None),
    };
    ExportedJoin { separator, name, is_named: join.is_named }
}

/// The nodes in the order in which a walk from the root meets them.
fn nodes(tree: &Tree) -> Vec<ExportedNode> {
    let mut ids = vec![tree.root()];
    let mut numbers = HashMap::from([(tree.root(), 0)]);
    let mut nodes = Vec::new();
    while let Some(&id) = ids.get(nodes.len()) {
        let node = tree.node(id);
        let mut number = |target: NodeId| {
            *numbers.entry(target).or_insert_with(|| {
                ids.push(target);
                ids.len() - 1
            })
        };
        let index = |leaf: LeafId| leaf.0 as usize;
        nodes.push(ExportedNode {
            literals: tree.literals(node).map(|(text, target)| (text.to_owned(), number(target))).collect(),
            edges: tree.edges(node).iter().map(|edge| (edge.pattern.0 as usize, number(edge.target))).collect(),
            is_ordered: node.is_ordered,
            leaves: tree.leaves(node).map(index).collect(),
            areas: tree.areas.get(&id).map(|areas| areas.iter().copied().map(index).collect()).unwrap_or_default(),
        });
    }
    nodes
}

fn leaf(tree: &Tree, id: LeafId) -> ExportedLeaf {
    let leaf: &Leaf = tree.leaf(id);
    let captures = tree.captures(leaf);
    let first = leaf.steps.count as usize;
    let tail = leaf.tail.map(|tail| ExportedTail {
        param: usize::from(tail.param),
        first: first.saturating_sub(1),
        is_one_value: tail.kind == TailKind::Rest,
    });
    let mut of_values = Vec::new();
    for (at, step) in tree.steps(leaf).iter().enumerate().take(first - usize::from(tail.is_some())) {
        let SegmentStep::Pattern(pattern) = step else { continue };
        for (piece, _) in tree.pattern(*pattern).pieces.iter().enumerate().filter(|(_, piece)| piece.value().is_some())
        {
            let is_it = |capture: &&Capture| usize::from(capture.segment) == at && usize::from(capture.piece) == piece;
            of_values.push(captures.iter().find(is_it).map(|capture| usize::from(capture.param)));
        }
    }
    let cover = |cover: &Cover| (!cover.has_tail).then(|| (usize::from(cover.segments), cover.pieces.map(usize::from)));
    ExportedLeaf {
        route: leaf.route.index(),
        captures: of_values,
        covers: tree.covers(leaf).iter().map(cover).collect(),
        tail,
        spelling: (0..first).filter_map(|at| Some((at, tree.spelling(id, at)?.to_owned()))).collect(),
    }
}
