//! ResolvedParam route → frozen route.

use std::sync::Arc;

use super::resolved::{Host, Reading};
use super::variants::{QueryPart, ResolvedPath};
use crate::declare::RouteSpec;
use crate::lookup::{
    Extras, HostMatcher, NeedId, OwnPath, Param, ParamKind, Pattern, Piece, QueryMatcher, QueryParam, RedirectRule,
    Rest, Route,
};
use crate::rule::{Check, Shape, TooLarge};
use crate::template::Template;
use crate::template::percent::decode;

/// Freezes one route; its ways through the tree are made elsewhere. A route that has none of the extras shares them.
///
/// Where it redirects to and what it needs hangs on the names of other routes: see [`lead`].
pub(super) fn freeze(spec: &RouteSpec, route: &mut Reading, none: &Arc<Extras>) -> Result<Route, TooLarge> {
    let resolved = &route.path;
    let path = match route.template.take() {
        Some(template) if resolved.is_written_as(template.as_str()) => template,
        // Each part was a template, and so is what they make together.
        _ => Template::parse(&resolved.template()).map_err(|_| TooLarge::Numbers)?,
    };
    let has_default = |param: &&Param| param.is_optional && param.check.default.is_some();
    let has_defaults = route.params.iter().any(|param| has_default(&param));
    // What a query spells out is looked at with its rule.
    let is_in_query = |param: &Param| param.kind == ParamKind::Query && param.check.shape() == Shape::One;
    let has_other_defaults = route.params.iter().filter(has_default).any(|param| !is_in_query(param));
    let is_as_given = |param: &Param| {
        let in_path = matches!(param.kind, ParamKind::Segment) && param.is_optional;
        let is_one = param.check.shape() == Shape::One || param.kind == ParamKind::Pairs;
        is_one && param.check.default.is_none() && !in_path && param.kind != ParamKind::Host
    };
    let host = route.host.as_ref().map(|host| demand(host, &route.params).map(Box::new)).transpose()?;
    let extras = Extras {
        query: query(resolved, &route.params),
        host,
        onward: None,
        needs: Box::default(),
        frame: spec.extras.frame.as_ref().map(|frame| frame.value.as_str().into()),
        fallback: route.fallback,
        no_fallback: spec.extras.no_fallback,
        data: spec.extras.data.clone(),
        priority: spec.extras.priority,
    };
    Ok(Route {
        takes_values_as_they_are: route.params.iter().all(is_as_given),
        is_unguarded: route.page.is_some() && !has_other_defaults,
        name: std::mem::take(&mut route.name),
        parent: route.parent,
        own_path: OwnPath::new(spec.path.as_ref().map_or("", |path| &path.value), &path),
        path,
        page: route.page,
        is_parent: !spec.routes.is_empty() || !spec.extras.mounted.is_empty(),
        methods: route.methods.clone(),
        extras: if extras.is_empty() { Arc::clone(none) } else { Arc::new(extras) },
        params: Arc::clone(&route.params),
        level: route.level,
        has_defaults,
        // Known when the tree stands.
        has_safe_links: false,
    })
}

/// Says of a frozen route where it redirects to, and what it needs.
pub(super) fn lead(route: &mut Route, onward: Option<RedirectRule>, needs: Box<[NeedId]>) {
    if onward.is_none() && needs.is_empty() {
        return;
    }
    route.is_unguarded = false;
    match Arc::get_mut(&mut route.extras) {
        Some(own) => (own.onward, own.needs) = (onward, needs),
        None => route.extras = Arc::new(Extras { onward, needs, ..Extras::default() }),
    }
}

fn query(path: &ResolvedPath, params: &[Param]) -> QueryMatcher {
    let (mut literals, mut asked, mut rest) = (Vec::new(), Vec::new(), None);
    let param = |index: u16, name: &str, is_required: bool| {
        let declared = &params[usize::from(index)];
        QueryParam {
            name: name.into(),
            param: index,
            is_required,
            is_repeated: declared.is_exploded,
            check: Arc::clone(&declared.check),
        }
    };
    for part in &path.query {
        match part {
            QueryPart::Literal { name, value, .. } => {
                literals.push((name.as_str().into(), value.as_str().into()));
            }
            QueryPart::Named { name, param: index } => asked.push(param(*index, name, true)),
            QueryPart::Param(index) => {
                let declared = &params[usize::from(*index)];
                // The template holds the name as it stands in a query; names are compared decoded.
                let name = decode(&declared.name).unwrap_or_default();
                asked.push(param(*index, &name, !declared.is_optional));
            }
            QueryPart::Rest(index) => {
                let declared = &params[usize::from(*index)];
                rest = Some(Rest {
                    name: declared.name.clone(),
                    is_required: !declared.is_optional,
                    check: Arc::clone(&declared.check),
                });
            }
        }
    }
    QueryMatcher::new(literals, asked, rest)
}

fn demand(host: &Host, params: &[Param]) -> Result<HostMatcher, TooLarge> {
    let mut pieces = Vec::new();
    let mut indices = Vec::new();
    for piece in &host.pieces {
        match piece {
            Ok(text) => {
                pieces.push(Piece::Text(text.as_str().into()));
                indices.push(None);
            }
            Err(param) => {
                let check = Check::of_label(&params[usize::from(*param)].check)?;
                pieces.push(Piece::Value(Arc::new(check)));
                indices.push(Some(*param));
            }
        }
    }
    Ok(HostMatcher { template: host.template.clone(), pattern: Pattern::new(pieces), params: indices.into() })
}
