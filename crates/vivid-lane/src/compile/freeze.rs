//! ResolvedParam route → frozen route.

use std::sync::Arc;

use super::resolve::{Host, ResolvedRoute};
use super::variants::{QueryPart, ResolvedPath};
use crate::lookup::{
    Extras, HostMatcher, NeedId, OwnPath, Param, ParamKind, Pattern, Piece, QueryMatcher, QueryParam, RedirectRule,
    Rest, Route,
};
use crate::rule::{Check, Shape, TooLarge};
use crate::template::Template;
use crate::template::percent::decode;

/// What a host label holds: no dot, so that a value does not reach over two labels.
const LABEL: &str = "^[^.]+$";

/// Freezes one route; its ways through the tree are made elsewhere. A route that has none of the extras shares them.
pub(super) fn freeze(
    route: &mut ResolvedRoute,
    onward: Option<RedirectRule>,
    needs: Box<[NeedId]>,
    none: &Arc<Extras>,
) -> Result<Route, TooLarge> {
    let declared = route.template.take();
    let own_path = route.own_path.take().or_else(|| declared.as_ref().map(|template| template.as_str().into()));
    let path = match declared {
        Some(template) if route.path.is_written_as(template.as_str()) => template,
        // Each part was a template, and so is what they make together.
        _ => Template::parse(&route.path.template()).map_err(|_| TooLarge::Numbers)?,
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
    let host = route.host.as_ref().map(|host| demand(host, &route.params)).transpose()?;
    let is_open = route.page.is_some() && onward.is_none() && needs.is_empty() && !has_other_defaults;
    let extras = Extras {
        query: query(&route.path, &route.params),
        host,
        onward,
        needs,
        frame: route.frame.take(),
        fallback: route.fallback,
        no_fallback: route.no_fallback,
        data: std::mem::take(&mut route.data),
        priority: route.priority,
    };
    route.path.forget_template();
    Ok(Route {
        takes_values_as_they_are: route.params.iter().all(is_as_given),
        is_open,
        name: route.name.clone(),
        parent: route.parent,
        own_path: OwnPath::new(own_path.unwrap_or_default(), &path),
        path,
        page: route.page,
        is_parent: route.is_parent,
        methods: route.methods.clone(),
        extras: if extras.is_empty() { Arc::clone(none) } else { Arc::new(extras) },
        params: Arc::clone(&route.params),
        level: route.level,
        has_defaults,
        // Known when the tree stands.
        is_direct: false,
    })
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
                let check = Check::clone_within(&params[usize::from(*param)].check, LABEL)?;
                pieces.push(Piece::Value(Arc::new(check)));
                indices.push(Some(*param));
            }
        }
    }
    Ok(HostMatcher { template: host.template.clone(), pattern: Pattern::new(pieces), params: indices.into() })
}
