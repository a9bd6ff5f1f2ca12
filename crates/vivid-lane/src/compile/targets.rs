//! Where redirects and needs lead: names → routes, and the proof that each redirect ends at a page in one step.

use std::collections::HashMap;

use smol_str::SmolStr;

use super::resolved::{ResolvedRoute, ScopedNeed};
use crate::declare::{Aim, Code, Placed, RedirectTo, Report, Span, nearest};
use crate::lookup::{
    Destination, Filling, Frozen, Names, NeedEntry, NeedId, NoLists, Param, ParamKind, RedirectRule, Route, RouteId,
};
use crate::template::{Operator, Part, Template};

/// The parameter that carries the wanted address through a sign-in page.
pub(crate) const RETURN: &str = "return";

/// Resolves names to routes.
pub(super) struct Targets<'a> {
    pub(super) names: &'a Names,
    pub(super) routes: &'a [Route],
    /// What else is known of the routes.
    pub(super) known: &'a [ResolvedRoute],
    pub(super) report: &'a mut Report,
}

impl<'a> Targets<'a> {
    fn route(&self, id: RouteId) -> &'a Route {
        &self.routes[id.index()]
    }

    fn known(&self, id: RouteId) -> &'a ResolvedRoute {
        &self.known[id.index()]
    }

    /// The route of that name: one of the mounted table first.
    fn find(&self, name: &str, scope: Option<RouteId>) -> Option<RouteId> {
        let inner = scope.map(|scope| format!("{}.{name}", self.route(scope).name));
        let named = |name: &str| self.names.get(name, |id| &self.route(id).name);
        inner.and_then(|inner| named(&inner)).or_else(|| named(name))
    }

    /// The route of that name; where there is none, the nearest one is reported.
    fn named(&mut self, name: &Placed<SmolStr>, scope: Option<RouteId>, by: &str) -> Option<RouteId> {
        let known = self.find(&name.value, scope);
        if known.is_none() {
            let full = || self.routes.iter().map(|route| &*route.name);
            let own = || full().map(|name| name.rsplit('.').next().unwrap_or(name));
            let near = nearest(&name.value, full()).or_else(|| {
                let near = nearest(&name.value, own())?;
                full().find(|name| name.rsplit('.').next() == Some(near))
            });
            let message = format!("no route is named `{}`", name.value.escape_debug());
            let help = match near {
                Some(near) => format!("did you mean `{near}`?"),
                None => "write the full name of a route".to_owned(),
            };
            self.report.add(Code::UnknownRoute, name.span.as_ref(), message).help_with(help).route(by);
        }
        known
    }

    /// Where a redirect leads; what is wrong with it is reported.
    pub(super) fn onward(&mut self, id: RouteId) -> Option<RedirectRule> {
        let redirect = self.known(id).redirect.clone()?;
        let span = redirect.span.clone().or_else(|| self.known(id).name_span.clone());
        let status = match &redirect.status {
            None => 308,
            Some(status) => match u16::try_from(status.value) {
                Ok(status @ (301 | 302 | 303 | 307 | 308)) => status,
                _ => {
                    let message = format!("expected the status 301, 302, 303, 307 or 308, found {}", status.value);
                    let name = self.route(id).name.clone();
                    self.report.add(Code::RedirectStatus, status.span.as_ref().or(span.as_ref()), message).route(name);
                    return None;
                }
            },
        };
        let aim = match &redirect.aim {
            Aim::Url(url) => self.other_site(id, url, &redirect)?,
            Aim::Route(name) => self.own_page(id, name, &redirect)?,
        };
        Some(RedirectRule { status, aim })
    }

    fn own_page(&mut self, id: RouteId, name: &Placed<SmolStr>, redirect: &RedirectTo) -> Option<Destination> {
        let span = name.span.clone().or_else(|| self.known(id).name_span.clone());
        let to = self.named(name, self.known(id).scope, &self.route(id).name)?;
        let (source, target) = (self.route(id), self.route(to));
        if self.known(to).redirect.is_some() {
            return self.chain(id, to, span.as_ref());
        }
        if target.page.is_none() {
            let prefix = format!("{}.", target.name);
            let below = self.routes.iter().find(|route| route.page.is_some() && route.name.starts_with(&*prefix));
            let (what, help) = match below {
                Some(below) => {
                    ("only groups other routes", format!("redirect to one of those, such as `{}`", below.name))
                }
                None => ("has no page", "give it one, or redirect to a route that has one".to_owned()),
            };
            let message = format!("`{}` redirects to `{}`, which {what}", source.name, target.name);
            let names = [source.name.clone(), target.name.clone()];
            let finding = self.report.add(Code::Redirect, span.as_ref(), message).help_with(help);
            finding.about(names);
            return None;
        }
        let values = self.values(id, to, redirect)?;
        Some(Destination::Route { to, values })
    }

    /// A redirect to a redirect: where would it end?
    fn chain(&mut self, id: RouteId, to: RouteId, span: Option<&crate::declare::Span>) -> Option<Destination> {
        let mut way = vec![id];
        let mut at = Some(to);
        while let Some(next) = at.filter(|next| !way.contains(next)) {
            way.push(next);
            let route = self.known(next);
            at = match route.redirect.as_ref().map(|redirect| &redirect.aim) {
                Some(Aim::Route(name)) => self.find(&name.value, route.scope),
                _ => None,
            };
        }
        if at == Some(id) && way.iter().any(|one| *one < id) {
            // The first route of a loop has reported it.
            return None;
        }
        let names: Vec<String> = way.iter().chain(&at).map(|id| self.route(*id).name.to_string()).collect();
        let shown = names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(" → ");
        let finding = match at {
            Some(_) => self
                .report
                .add(Code::RedirectLoop, span, format!("redirects lead in a loop: {shown}"))
                .help_with("let one of them lead to a page"),
            None => {
                let last = names.last().map_or("", String::as_str);
                self.report
                    .add(Code::RedirectChain, span, format!("a redirect leads to a redirect: {shown}"))
                    .help_with(format!("lead to `{last}` in one step"))
            }
        };
        finding.about(names);
        None
    }

    /// What each parameter of the target is given.
    fn values(&mut self, id: RouteId, to: RouteId, redirect: &RedirectTo) -> Option<Vec<(SmolStr, Filling)>> {
        let (source, target) = (self.route(id), self.route(to));
        let (source_name, target_name) = (source.name.clone(), target.name.clone());
        let span = redirect.span.clone().or_else(|| self.known(id).name_span.clone());
        let (source_params, target_params) = (source.params.clone(), target.params.clone());
        let mut values: Vec<(SmolStr, Filling)> = Vec::with_capacity(target_params.len());
        let mut is_sound = true;
        for (name, template) in &redirect.params {
            let Some(param) = target_params.iter().find(|param| *param.name == *name.value) else {
                let near = nearest(&name.value, target_params.iter().map(|param| &*param.name));
                let help = near.map_or_else(|| "leave it out".to_owned(), |near| format!("did you mean `{near}`?"));
                let message = format!("`{target_name}` has no parameter `{}`", name.value.escape_debug());
                self.report
                    .add(Code::UnknownParameter, name.span.as_ref(), message)
                    .help_with(help)
                    .route(&source_name);
                is_sound = false;
                continue;
            };
            match self.filling(template, &source_params, &source_name) {
                None => is_sound = false,
                Some(filling) => {
                    is_sound &= self.fits(&filling, &source_params, param, template, &source_name);
                    values.push((param.name.clone(), filling));
                }
            }
        }
        for param in &*target_params {
            let given = match values.iter().find(|(name, _)| *name == param.name) {
                Some((_, filling)) => Some(filling.clone()),
                None => {
                    let same =
                        (0..).zip(&*source_params).find(|(_, own)| own.name == param.name && form(own) == form(param));
                    let filling = same.map(|(index, _)| vec![Err(index)]);
                    values.extend(filling.clone().map(|filling| (param.name.clone(), filling)));
                    filling
                }
            };
            if param.is_optional || param.check.default.is_some() || !is_sound {
                continue;
            }
            let may_lack = |index: u16| {
                let own = &source_params[usize::from(index)];
                (own.is_optional && own.check.default.is_none()).then(|| own.name.clone())
            };
            let (message, help) = match given {
                None => (
                    format!("`{source_name}` redirects to `{target_name}`, which needs a value for `{}`", param.name),
                    format!("add `params = {{ {} = \"…\" }}` to the redirect", param.name),
                ),
                Some(filling) => match filling.iter().find_map(|piece| may_lack(*piece.as_ref().err()?)) {
                    None => continue,
                    Some(own) => (
                        format!(
                            "`{target_name}` needs a value for `{}`, and `{own}` of `{source_name}` may be absent",
                            param.name
                        ),
                        format!("add `required = [\"{own}\"]` to `{source_name}`, or give `{own}` a default"),
                    ),
                },
            };
            self.report
                .add(Code::RedirectParameter, span.as_ref(), message)
                .help_with(help)
                .route(&source_name)
                .route(&target_name);
            is_sound = false;
        }
        is_sound.then_some(values)
    }

    /// Texts and values in turn.
    fn filling(&mut self, text: &Placed<SmolStr>, source: &[Param], by: &str) -> Option<Filling> {
        let template = match Template::parse(&text.value) {
            Ok(template) => template,
            Err(error) => {
                let span = text.within(error.offset(), error.width());
                self.report.add(Code::Template, span.as_ref(), error.to_string()).route(by);
                return None;
            }
        };
        let mut filling = Filling::new();
        for part in template.parts() {
            match part {
                Part::Literal(text) => filling.push(Ok(text.into())),
                Part::Expression(expression) => {
                    let span = text.within(expression.place().start, expression.place().len());
                    let Some(variable) = expression.sole_variable() else {
                        let message = "expected one value in braces, found several; write `{a}{b}`";
                        self.report.add(Code::RedirectParameter, span.as_ref(), message).route(by);
                        return None;
                    };
                    if expression.operator() != Operator::Simple {
                        let message = format!(
                            "expected `{{{}}}`: what stands here is a value, not a part of a URL",
                            variable.name()
                        );
                        self.report.add(Code::RedirectParameter, span.as_ref(), message).route(by);
                        return None;
                    }
                    let found = (0..).zip(source).find(|(_, param)| *param.name == *variable.name());
                    let Some((index, _)) = found else {
                        self.unknown_value(variable.name(), source, span.as_ref(), by);
                        return None;
                    };
                    filling.push(Err(index));
                }
            }
        }
        Some(filling)
    }

    fn unknown_value(&mut self, name: &str, source: &[Param], span: Option<&crate::declare::Span>, by: &str) {
        let near = nearest(name, source.iter().map(|param| &*param.name));
        let help = match near {
            Some(near) => format!("did you mean `{near}`?"),
            None if source.is_empty() => "its path has none".to_owned(),
            None => format!(
                "its path has {}",
                source.iter().map(|param| format!("`{}`", param.name)).collect::<Vec<_>>().join(", ")
            ),
        };
        self.report
            .add(Code::UnknownParameter, span, format!("`{by}` has no parameter `{name}`"))
            .help_with(help)
            .route(by);
    }

    /// Whether a value has the form that the parameter needs and, if the value is known already, is accepted.
    fn fits(&mut self, filling: &Filling, source: &[Param], param: &Param, text: &Placed<SmolStr>, by: &str) -> bool {
        let given = match filling.as_slice() {
            [Err(index)] => form(&source[usize::from(*index)]),
            _ if filling
                .iter()
                .flat_map(|piece| piece.as_ref().err())
                .any(|index| form(&source[usize::from(*index)]) != Form::Text) =>
            {
                let message = "a list cannot stand beside other text";
                self.report.add(Code::RedirectParameter, text.span.as_ref(), message).route(by);
                return false;
            }
            _ => Form::Text,
        };
        if given != form(param) && !(given == Form::Text && form(param) == Form::List) {
            let message = format!("expected {} for `{}`, found {}", form(param).words(), param.name, given.words());
            self.report.add(Code::RedirectParameter, text.span.as_ref(), message).route(by);
            return false;
        }
        let constant: Option<String> = filling.iter().map(|piece| piece.as_ref().ok().map(|text| &**text)).collect();
        match constant.and_then(|constant| param.check.refusal(&constant)) {
            Some(reason) => {
                let message = format!("`{}` refuses `{}`: {reason}", param.name, text.value.escape_debug());
                self.report.add(Code::RedirectParameter, text.span.as_ref(), message).route(by);
                false
            }
            None => true,
        }
    }

    /// The template of another site's URL: absolute, and no visitor chooses the site.
    fn other_site(&mut self, id: RouteId, url: &Placed<SmolStr>, redirect: &RedirectTo) -> Option<Destination> {
        let source = self.route(id);
        let (name, params) = (source.name.clone(), source.params.clone());
        let span = url.span.clone().or_else(|| self.known(id).name_span.clone());
        let template = match Template::parse(&url.value) {
            Ok(template) => template,
            Err(error) => {
                let span = url.within(error.offset(), error.width());
                self.report.add(Code::Template, span.as_ref(), error.to_string()).route(name);
                return None;
            }
        };
        if let Some((param, _)) = redirect.params.first() {
            let help = "write its parameters in the URL itself, as in `https://other.example/{date}`";
            let message = "a redirect to another site has no `params`";
            self.report.add(Code::RedirectParameter, param.span.as_ref(), message).help_with(help).route(name);
            return None;
        }
        if let Err((message, help)) = names_its_site(&template) {
            self.report.add(Code::RedirectUrl, span.as_ref(), message).help_with(help).route(name);
            return None;
        }
        for variable in template.variables() {
            if !params.iter().any(|param| *param.name == *variable.name()) {
                let span = url.within(variable.place().start, variable.place().len());
                self.unknown_value(variable.name(), &params, span.as_ref(), &name);
                return None;
            }
        }
        Some(Destination::Url(template))
    }

    /// The needs, and where those are sent who do not meet them.
    pub(super) fn needs(&mut self, needs: &[ScopedNeed]) -> Vec<NeedEntry> {
        let mut entries = Vec::with_capacity(needs.len());
        for ScopedNeed { need, scope } in needs {
            let name = &need.name.value;
            let otherwise = need.otherwise.as_ref().and_then(|otherwise| {
                let to = self.named(otherwise, *scope, name)?;
                let target = self.route(to);
                let takes_return =
                    target.params.iter().any(|param| &*param.name == RETURN && param.kind == ParamKind::Query);
                let target = target.name.clone();
                if self.route(to).page.is_none() {
                    let message = format!("`{target}` has no page, so nobody can be sent there");
                    self.report.add(Code::NeedPage, otherwise.span.as_ref(), message).route(target);
                    return None;
                }
                if !takes_return {
                    let path = &self.routes[to.index()].path;
                    let message = format!("`{target}` has no `return` in its path, so visitors cannot get back to the page that they wanted");
                    self.report
                        .add(Code::NeedReturn, otherwise.span.as_ref(), message)
                        .help_with(format!("declare it in the path: `{path}{{?{RETURN}}}`"))
                        .route(target);
                }
                Some(to)
            });
            entries.push(NeedEntry { name: name.as_str().into(), otherwise });
        }
        self.circles(needs, &entries);
        entries
    }

    /// A page to which people are sent must not send them back to the same need.
    fn circles(&mut self, needs: &[ScopedNeed], entries: &[NeedEntry]) {
        for (start, scoped) in needs.iter().enumerate() {
            let mut seen = vec![false; entries.len()];
            let mut open = vec![start];
            let mut is_circle = false;
            while let Some(at) = open.pop() {
                let Some(to) = entries[at].otherwise else { continue };
                for need in &self.known(to).needs {
                    let Some(next) = entries.iter().position(|entry| *entry.name == *need.value) else { continue };
                    is_circle |= next == start;
                    if !std::mem::replace(&mut seen[next], true) {
                        open.push(next);
                    }
                }
            }
            if is_circle {
                let name = &scoped.need.name.value;
                let span = scoped.need.otherwise.as_ref().and_then(|otherwise| otherwise.span.as_ref());
                let message = format!("visitors who do not meet `{name}` are sent to a page that needs `{name}`");
                self.report.add(Code::NeedLoop, span, message).help_with("send them to a page without that need");
            }
        }
    }

    /// The needs of a route by their index.
    pub(super) fn needs_of(&mut self, id: RouteId, entries: &[NeedEntry]) -> Box<[NeedId]> {
        let (route, needed) = (self.route(id), &self.known(id).needs);
        let mut ids = Vec::with_capacity(needed.len());
        for need in needed {
            let Some(index) = entries.iter().position(|entry| *entry.name == *need.value) else {
                // An ancestor that names it has reported it already.
                if route
                    .parent
                    .is_none_or(|parent| !self.known(parent).needs.iter().any(|above| above.value == need.value))
                {
                    let near = nearest(&need.value, entries.iter().map(|entry| &*entry.name));
                    let help = near.map_or_else(
                        || format!("declare it: `[needs.{}]`", need.value),
                        |near| format!("did you mean `{near}`?"),
                    );
                    let message = format!("no need is named `{}`", need.value.escape_debug());
                    self.report.add(Code::UnknownNeed, need.span.as_ref(), message).help_with(help).route(&route.name);
                }
                continue;
            };
            if let Some(to) = entries[index].otherwise {
                let lacks = |param: &&Param| {
                    !param.is_optional
                        && param.check.default.is_none()
                        && &*param.name != RETURN
                        && !route.params.iter().any(|own| own.name == param.name && !own.is_optional)
                };
                if let Some(param) = self.route(to).params.iter().find(lacks) {
                    let (to, name) = (&self.route(to).name, &route.name);
                    let message =
                        format!("`{name}` needs `{}`, but has no `{}` for the path of `{to}`", need.value, param.name);
                    self.report.add(Code::NeedParameter, need.span.as_ref(), message).route(name).route(to);
                }
            }
            ids.extend(u16::try_from(index).map(NeedId));
        }
        ids.into()
    }
}

/// What form the value of a parameter has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Text,
    List,
    Pairs,
}

impl Form {
    fn words(self) -> &'static str {
        match self {
            Self::Text => "one value",
            Self::List => "a list of segments",
            Self::Pairs => "a list of pairs",
        }
    }
}

fn form(param: &Param) -> Form {
    match param.kind {
        ParamKind::Items => Form::List,
        ParamKind::Pairs => Form::Pairs,
        _ => Form::Text,
    }
}

/// Whether the template is an absolute URL whose site no value can change. Values in the host may only be labels before
/// a host that is written out.
fn names_its_site(template: &Template) -> Result<(), (String, &'static str)> {
    let whole = template.as_str();
    let Some(rest) = whole.strip_prefix("https://").or_else(|| whole.strip_prefix("http://")) else {
        let message = format!("expected a URL of another site, found `{}`", whole.escape_debug());
        return Err((message, "write it as `https://other.example/…`; `to` names a route of this table"));
    };
    let mut depth = 0;
    let end = rest.find(|c| {
        depth += i32::from(c == '{') - i32::from(c == '}');
        depth == 0 && matches!(c, '/' | '?' | '#')
    });
    let authority = &rest[..end.unwrap_or(rest.len())];
    let last = authority.rsplit('}').next().unwrap_or_default();
    let is_host = |text: &str| text.bytes().all(|byte| byte.is_ascii_alphanumeric() || b".-:{}_".contains(&byte));
    let is_fixed =
        if authority.contains('{') { last.starts_with('.') && last.len() > 1 } else { !authority.is_empty() };
    if is_fixed && is_host(authority) {
        return Ok(());
    }
    let message = format!("visitors could choose the site of `{}`", whole.escape_debug());
    Err((message, "end the host with a name of your own, as in `https://{club}.other.example/…`"))
}

/// A redirect whose address is known already must not lead to another redirect, though its link be taken
/// by one.
pub(super) fn constant_redirects(frozen: &Frozen, places: &HashMap<RouteId, Span>, report: &mut Report) {
    for (id, route) in (0..).map(RouteId::of).zip(&frozen.routes) {
        let Some(Destination::Route { to, values }) = route.extras.onward.as_ref().map(|onward| &onward.aim) else {
            continue;
        };
        let constant = |(name, filling): &(SmolStr, Filling)| {
            let text: Result<String, u16> =
                filling.iter().map(|piece| piece.as_ref().map(|text| &**text).map_err(|id| *id)).collect();
            Some((name.to_string(), text.ok()?))
        };
        let target = frozen.route(*to);
        let Some(values) = values.iter().map(constant).collect::<Option<Vec<_>>>() else { continue };
        if target.extras.host.is_some() {
            continue;
        }
        let expanded = target.path.expand(&values.into_iter().collect());
        let address = frozen.site.address(format!("/{}", expanded.trim_start_matches('/')));
        let method = target.methods.0.first().map_or("GET", |method| &**method);
        let Some(reading) = frozen.read(&address, method, &NoLists) else { continue };
        if reading.route().extras.onward.is_none() {
            continue;
        }
        let by = &reading.route().name;
        let (code, message) = if reading.route_id() == id {
            (Code::RedirectLoop, format!("`{by}` redirects to `{address}`, which is its own address"))
        } else {
            (Code::RedirectChain, format!("`{}` redirects to `{address}`, which `{by}` redirects again", route.name))
        };
        report
            .add(code, places.get(&id), message)
            .help_with("lead to a page in one step")
            .witnessed(address)
            .route(&*route.name)
            .route(&**by);
    }
}
