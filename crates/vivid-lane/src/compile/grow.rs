//! Shapes → tree.

use hashbrown::HashMap;

use super::chain::Chained;
use super::shape::{Segment, Shape, shape};
use crate::matcher::{Capture, Edge, Ending, Frozen, Limits, Node, NodeId, PageId, Route, RouteId, Tree};
use crate::table::Report;
use crate::template::Template;

/// The parts of a frozen table.
#[derive(Debug)]
pub(super) struct Grown {
    routes: Vec<Route>,
    names: HashMap<Box<str>, RouteId>,
    tree: Tree,
    fallbacks: Tree,
}

impl Grown {
    pub(super) fn freeze(self, fallback: Option<PageId>) -> Frozen {
        Frozen {
            routes: self.routes,
            names: self.names,
            tree: self.tree,
            fallbacks: self.fallbacks,
            fallback,
            limits: Limits::default(),
        }
    }
}

/// Puts every route into the tree, and its subtree into that of the fallbacks where it has one.
pub(super) fn grow(chained: Vec<Chained>, report: &mut Report) -> Grown {
    let mut grown = Grown {
        routes: Vec::with_capacity(chained.len()),
        names: HashMap::with_capacity(chained.len()),
        tree: new_tree(),
        fallbacks: new_tree(),
    };
    for (id, route) in (0..).map(RouteId).zip(chained) {
        match shape(&route.templates, &route.params) {
            Ok(shape) => place(&route, id, &shape, &mut grown, report),
            Err(reason) => {
                report.error("path", route.path_span.or(route.name_span), reason).route(&route.name);
            }
        }
        let path: String = route.templates.iter().map(Template::as_str).collect();
        // Each part was a template, and so is what they make together.
        let Ok(path) = Template::parse(if path.is_empty() { "/" } else { &path }) else { continue };
        grown.names.insert(route.name.as_str().into(), id);
        grown.routes.push(Route {
            name: route.name.into(),
            parent: route.parent,
            own_path: route.own_path.into(),
            path,
            page: route.page,
            frame: route.frame.map(Into::into),
            fallback: route.fallback,
            data: route.data,
            params: route.params,
            level: route.level,
        });
    }
    grown
}

fn new_tree() -> Tree {
    Tree { nodes: vec![Node::default()] }
}

fn place(route: &Chained, id: RouteId, shape: &Shape, grown: &mut Grown, report: &mut Report) {
    if route.page.is_some() {
        let node = path_to(&mut grown.tree, shape);
        if let Some(other) = grown.tree.nodes[node.0 as usize].endings.first() {
            let other = &grown.routes[other.route.0 as usize];
            let message = format!("`{}` accepts the same URLs as `{}`", route.name, other.name);
            report
                .error("overlap", route.path_span, message)
                .help_with("give one of the two another path")
                .witnessed(witness(shape))
                .route(&*other.name)
                .route(&route.name);
        }
        grown.tree.nodes[node.0 as usize].endings.push(ending(id, shape));
    }
    if route.fallback.is_some() {
        let node = path_to(&mut grown.fallbacks, shape);
        grown.fallbacks.nodes[node.0 as usize].endings.push(ending(id, shape));
    }
}

/// The node at the end of a shape; what is not there yet is made.
fn path_to(tree: &mut Tree, shape: &Shape) -> NodeId {
    let mut at = NodeId::ROOT;
    for segment in &shape.segments {
        let fresh = NodeId(u32::try_from(tree.nodes.len()).unwrap_or(u32::MAX));
        let node = &mut tree.nodes[at.0 as usize];
        at = match segment {
            Segment::Literal(text) => *node.literals.entry(text.as_str().into()).or_insert(fresh),
            Segment::Value(_) => {
                if node.edges.is_empty() {
                    node.edges.push(Edge { target: fresh });
                }
                node.edges[0].target
            }
        };
        if at == fresh {
            tree.nodes.push(Node::default());
        }
    }
    at
}

fn ending(route: RouteId, shape: &Shape) -> Ending {
    let captures = (0..).zip(&shape.segments).filter_map(|(at, segment)| match segment {
        Segment::Literal(_) => None,
        Segment::Value(param) => Some(Capture { param: *param, segment: at }),
    });
    Ending { route, covers: shape.covers.as_slice().into(), captures: captures.collect() }
}

/// A URL of that shape.
fn witness(shape: &Shape) -> String {
    if shape.segments.is_empty() {
        return "/".to_owned();
    }
    let mut url = String::new();
    for segment in &shape.segments {
        url.push('/');
        match segment {
            Segment::Literal(text) => crate::template::percent::encode_unreserved(&mut url, text),
            Segment::Value(_) => url.push('x'),
        }
    }
    url
}
