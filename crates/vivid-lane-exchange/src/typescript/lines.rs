//! The routes of a table as lines, in the order in which they are declared.

use std::collections::{HashMap, HashSet};

use vivid_lane::RouteRef;
use vivid_lane::lookup::{Export, ParamKind, Parameter, Shape};

use super::rules::Rules;
use super::text;
use super::ways::{Piece, Way};
use crate::data_to_json;

/// Writes the lines, and says for each route in which order its ways are.
pub(super) struct Lines<'t> {
    export: &'t Export,
    /// For each route its ways, those that answer first.
    ways: &'t [Vec<(usize, Way)>],
    routes: &'t [RouteRef<'t>],
    indices: HashMap<&'t str, usize>,
    /// The names of the ways, by their leaves.
    ends: HashMap<usize, String>,
    /// The leaves at whose nodes nothing else ends.
    lone: HashSet<usize>,
    /// The templates from the root.
    templates: Vec<String>,
}

/// The part of a template before its query.
fn path_of(template: &str) -> &str {
    let mut at = 0;
    while let Some(next) = template[at..].find(['?', '{']).map(|next| at + next) {
        let rest = &template[next..];
        if rest.starts_with('?') || rest[1..].starts_with(['?', '&', '#']) {
            return &template[..next];
        }
        at = next + rest.find('}').map_or(rest.len(), |end| end + 1);
    }
    template
}

/// The names of the variables of a template.
fn names_in(template: &str) -> Vec<&str> {
    let expressions = template.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(inner, _)| inner);
    let variables =
        expressions.flat_map(|inner| inner.trim_start_matches(['+', '#', '.', '/', ';', '?', '&']).split(','));
    variables.map(|name| name.trim_end_matches('*')).collect()
}

/// A way as text, without what is above it. Only what would be read in another way is escaped.
fn written(segments: &[Vec<Piece>], params: &[Parameter<'_>]) -> String {
    let mut out = String::new();
    for segment in segments {
        out.push('/');
        for piece in segment {
            match piece {
                Piece::Text(text) => {
                    for one in text.chars() {
                        match one {
                            '%' | '/' | '{' | '}' => out.push_str(&format!("%{:02X}", u32::from(one))),
                            one => out.push(one),
                        }
                    }
                }
                Piece::Value(param) => out.push_str(&format!("{{{}}}", params[*param].name())),
            }
        }
    }
    out
}

/// The segments of a path in which each expression is one value; `None` for any other.
fn plain(path: &str, params: &[Parameter<'_>]) -> Option<Vec<Vec<Piece>>> {
    let mut segments = Vec::new();
    for segment in path.strip_prefix('/').unwrap_or_default().split('/').filter(|segment| !segment.is_empty()) {
        let mut pieces = Vec::new();
        let mut rest = segment;
        while !rest.is_empty() {
            if let Some(inner) = rest.strip_prefix('{') {
                let (name, after) = inner.split_once('}')?;
                pieces.push(Piece::Value(params.iter().position(|param| param.name() == name)?));
                rest = after;
            } else {
                let end = rest.find('{').unwrap_or(rest.len());
                pieces.push(Piece::Text(decoded(&rest[..end])?));
                rest = &rest[end..];
            }
        }
        segments.push(pieces);
    }
    Some(segments)
}

fn decoded(text: &str) -> Option<String> {
    if !text.contains('%') {
        return Some(text.to_owned());
    }
    let mut bytes = Vec::new();
    let mut rest = text.as_bytes();
    while let Some((&byte, after)) = rest.split_first() {
        rest = after;
        if byte == b'%' {
            let digits = std::str::from_utf8(rest.get(..2)?).ok()?;
            bytes.push(u8::from_str_radix(digits, 16).ok()?);
            rest = &rest[2..];
        } else {
            bytes.push(byte);
        }
    }
    String::from_utf8(bytes).ok()
}

impl<'t> Lines<'t> {
    pub(super) fn new(routes: &'t [RouteRef<'t>], export: &'t Export, ways: &'t [Vec<(usize, Way)>]) -> Self {
        let indices = routes.iter().enumerate().map(|(at, route)| (route.name(), at)).collect();
        let mut ends = HashMap::new();
        for (route, own) in routes.iter().zip(ways) {
            for (at, (leaf, _)) in own.iter().enumerate() {
                let name = if at == 0 { route.name().to_owned() } else { format!("{} {at}", route.name()) };
                ends.insert(*leaf, name);
            }
        }
        let lone = export.nodes.iter().filter_map(|node| match node.leaves.as_slice() {
            [leaf] => Some(*leaf),
            _ => None,
        });
        let templates = routes.iter().map(|route| route.path().to_string()).collect();
        Self { export, ways, routes, indices, ends, lone: lone.collect(), templates }
    }

    /// The name of a way: that of its route, with its number where it is not the first.
    pub(super) fn end(&self, leaf: usize) -> &str {
        self.ends.get(&leaf).map_or("", String::as_str)
    }

    /// The template of a route as the module works it out.
    fn template(&self, route: RouteRef<'_>) -> String {
        let above =
            route.parent().and_then(|parent| self.indices.get(parent.name())).map(|&at| path_of(&self.templates[at]));
        let whole = format!("{}{}", above.filter(|above| *above != "/").unwrap_or_default(), route.own_path());
        if whole.is_empty() { "/".to_owned() } else { whole }
    }

    /// Whether a link must be read back before it is handed out. A path of literals alone is answered by its route, and single values of
    /// a query are read as they were written.
    pub(super) fn is_checked(&self, at: usize, route: RouteRef<'_>) -> bool {
        let exported = &self.export.routes[at];
        let is_plain = |param: Parameter<'_>| param.kind() == ParamKind::Query && param.shape() == Shape::One;
        let is_literal = |segment: &Vec<Piece>| matches!(segment.as_slice(), [Piece::Text(_)]);
        let is_certain = match self.ways[at].as_slice() {
            [(leaf, way)] => {
                way.segments.iter().all(is_literal)
                    && route.parameters().all(is_plain)
                    && exported.query_literals.is_empty()
                    && route.host().is_none()
                    && self.export.single_patterns.is_empty()
                    && self.lone.contains(leaf)
            }
            _ => false,
        };
        exported.is_read_back && !is_certain
    }

    /// The line of a route.
    pub(super) fn line(&self, at: usize, route: RouteRef<'t>, rules: &mut Rules<'_>) -> String {
        let page = route.page().filter(|_| route.redirect_status().is_none());
        let mut more = Vec::new();
        let exported = &self.export.routes[at];
        if page.is_some() && self.is_checked(at, route) {
            more.push("check: 1".to_owned());
        }
        self.tree(at, route, &mut more);
        let host: Vec<&str> = route.host().map(|host| names_in(host.as_str())).unwrap_or_default();
        let own_host = route
            .host()
            .filter(|host| route.parent().and_then(RouteRef::host).is_none_or(|above| above.as_str() != host.as_str()));
        if self.template(route) != route.path().as_str() {
            more.push(format!("template: {}", text(route.path().as_str())));
        }
        let names: Vec<&str> = route.parameters().map(Parameter::name).collect();
        if names != names_in(route.path().as_str()) || !host.is_empty() {
            more.push(format!("names: [{}]", names.iter().map(|name| text(name)).collect::<Vec<_>>().join(", ")));
        }
        let methods: Vec<&str> = route.methods().collect();
        if methods != ["GET"] {
            more.push(format!("methods: [{}]", methods.into_iter().map(text).collect::<Vec<_>>().join(", ")));
        }
        if let Some(host) = own_host {
            more.push(format!("host: {}", text(host.as_str())));
        }
        let needs: Vec<String> = route.needs().map(text).collect();
        if !needs.is_empty() {
            more.push(format!("needs: [{}]", needs.join(", ")));
        }
        if let Some(frame) = route.frame() {
            more.push(format!("frame: {}", text(frame)));
        }
        if route.fallback().is_some() || route.has_no_fallback() {
            more.push(format!("fallback: {}", route.fallback().map_or_else(|| "null".to_owned(), |page| text(page))));
        }
        if let Some(status) = route.redirect_status() {
            more.push(self.redirect(status, at, route));
        }
        if !exported.query_literals.is_empty() {
            let exact = rules.import("exact");
            let pairs = exported.query_literals.iter();
            let pairs = pairs.map(|(name, value)| format!("{exact}({}, {})", text(name), text(value)));
            more.push(format!("query: [{}]", pairs.collect::<Vec<_>>().join(", ")));
        }
        if exported.priority != 0 {
            more.push(format!("priority: {}", exported.priority));
        }
        if !route.data().is_empty() {
            more.push(format!("data: {}", data_to_json(route.data())));
        }
        let more = if more.is_empty() { String::new() } else { format!(", {{ {} }}", more.join(", ")) };
        let page = page.map_or_else(|| "0".to_owned(), |page| text(page));
        format!("  [{}, {page}, {}{more}],", text(route.name()), text(route.own_path()))
    }

    /// How the ways of a route follow from its path, where they do not at once.
    fn tree(&self, at: usize, route: RouteRef<'t>, more: &mut Vec<String>) {
        let params: Vec<Parameter<'_>> = route.parameters().collect();
        let ways: Vec<&Way> = self.ways[at].iter().map(|(_, way)| way).collect();
        let answers = route.page().is_some() || route.redirect_status().is_some();
        let parent = route.parent().and_then(|parent| self.indices.get(parent.name()));
        let of_parent = |parent: &usize| {
            let own: Vec<Parameter<'_>> = self.routes[*parent].parameters().collect();
            let here = |piece: &Piece| match piece {
                Piece::Text(text) => Piece::Text(text.clone()),
                Piece::Value(index) => {
                    let same = params.iter().position(|param| param.name() == own[*index].name());
                    // The route has no such parameter, so the comparison fails.
                    same.map_or_else(|| Piece::Text(String::new()), Piece::Value)
                }
            };
            // The rule of a parameter may be another one here: then the ways do not go on from those above.
            let is_same = |index: &usize| {
                params.iter().position(|param| param.name() == own[*index].name()).is_some_and(|same| {
                    let texts = |route: usize, index: usize| self.export.routes[route].params[index].texts;
                    texts(*parent, *index) == texts(at, same)
                })
            };
            let above = self.ways[*parent].iter().map(|(_, way)| {
                let is_same = way.segments.iter().flatten().all(|piece| match piece {
                    Piece::Text(_) => true,
                    Piece::Value(index) => is_same(index),
                });
                let segments: Vec<Vec<Piece>> = way.segments.iter().map(|one| one.iter().map(here).collect()).collect();
                is_same.then(|| (segments, way.covers.clone()))
            });
            above.collect::<Option<Vec<_>>>()
        };
        let above = match parent {
            Some(parent) => of_parent(parent),
            None => Some(vec![(Vec::new(), Vec::new())]),
        };
        if let Some(above) = above {
            let follows = |own: &[Vec<Vec<Piece>>]| {
                let product =
                    above.iter().flat_map(|(start, covers)| own.iter().map(move |rest| (start, covers, rest)));
                let product = product.map(|(start, covers, rest)| {
                    let segments: Vec<Vec<Piece>> = start.iter().chain(rest).cloned().collect();
                    let is_tail = rest.last().is_some_and(|last| self.is_tail(at, last));
                    let own = (!is_tail).then_some((segments.len(), None));
                    Way { segments, covers: covers.iter().copied().chain([own]).collect(), is_area: !answers }
                });
                product.eq(ways.iter().map(|way| (*way).clone()))
            };
            let path = path_of(route.own_path());
            if plain(path, &params).is_some_and(|own| follows(&[own])) {
                return;
            }
            let count = ways.len() / above.len().max(1);
            let start = above.first().map_or(0, |(start, _)| start.len());
            let own: Vec<Vec<Vec<Piece>>> =
                ways.iter().take(count).filter_map(|way| way.segments.get(start..)).map(<[_]>::to_vec).collect();
            if own.len() == count && follows(&own) {
                let own = own.iter().map(|rest| text(&or_root(written(rest, &params))));
                more.push(format!("ways: [{}]", own.collect::<Vec<_>>().join(", ")));
                return;
            }
        }
        let paths = ways.iter().map(|way| {
            let covers = way.covers.iter().map(|cover| match cover {
                None => "-1".to_owned(),
                Some((segments, None)) => segments.to_string(),
                Some((segments, Some(pieces))) => format!("[{segments}, {pieces}]"),
            });
            let area = if way.is_area { ", 1" } else { "" };
            let covers = covers.collect::<Vec<_>>().join(", ");
            format!("[{}, [{covers}]{area}]", text(&or_root(written(&way.segments, &params))))
        });
        more.push(format!("paths: [{}]", paths.collect::<Vec<_>>().join(", ")));
    }

    fn is_tail(&self, route: usize, segment: &[Piece]) -> bool {
        let [Piece::Value(param)] = segment else { return false };
        self.ways[route].iter().any(|(id, _)| self.export.leaves[*id].tail.is_some_and(|tail| tail.param == *param))
    }

    fn redirect(&self, status: u16, at: usize, route: RouteRef<'_>) -> String {
        if let Some(url) = route.redirects_to_url() {
            return format!("out: [{}, {status}]", text(url.as_str()));
        }
        let to = route.redirects_to().map_or("", |to| to.name());
        let piece = |piece: &Result<String, usize>| match piece {
            Ok(literal) => text(literal),
            Err(param) => {
                let name = route.parameters().nth(*param).map_or("", Parameter::name);
                format!("[{}]", text(name))
            }
        };
        let values = self.export.routes[at].redirect.iter().flat_map(|redirect| &redirect.values);
        let values = values.map(|(name, pieces)| {
            let pieces: Vec<String> = pieces.iter().map(piece).collect();
            format!("{}: [{}]", text(name), pieces.join(", "))
        });
        let values = values.collect::<Vec<_>>().join(", ");
        let values = if values.is_empty() { "{}".to_owned() } else { format!("{{ {values} }}") };
        format!("to: [{}, {status}, {values}]", text(to))
    }
}

/// No segments are those of the root.
fn or_root(way: String) -> String {
    if way.is_empty() { "/".to_owned() } else { way }
}
