//! What the commands find, as JSON objects. The keys are those that the commands print, one object a line.

use std::collections::HashMap;

use serde_json::{Map, Value as Json};
use vivid_lane::analyse::{
    Candidate, Difference, DifferenceKind, Differences, Explanation, NotCompared, ProposedRedirect, Suggestion, Verdict,
};
use vivid_lane::lookup::{ParamKind, Parameter};
use vivid_lane::{Decision, Finding, Position, RouteRef, Table, Value};
use vivid_lane_exchange::{Note, data_to_json};

/// A finding as an object.
#[must_use]
pub fn finding(finding: &Finding) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("severity".into(), finding.severity().as_str().into());
    object.insert("code".into(), finding.code().as_str().into());
    object.insert("message".into(), finding.message().into());
    if let Some(help) = finding.help() {
        object.insert("help".into(), help.into());
    }
    object.insert("routes".into(), finding.routes().iter().map(String::as_str).collect());
    if let Some(witness) = finding.witness() {
        object.insert("witness".into(), witness.into());
    }
    let only = [("only_first", finding.only_first()), ("only_second", finding.only_second())];
    object.extend(only.into_iter().filter_map(|(name, only)| Some((name.to_owned(), only?.into()))));
    if let Some(place) = finding.place() {
        if let Some(file) = place.file() {
            object.insert("file".into(), file.into());
        }
        object.insert("line".into(), place.line().into());
        object.insert("column".into(), place.column().into());
        let range = place.range();
        object.insert("range".into(), vec![range.start, range.end].into());
    }
    object
}

/// What holds for a whole table as an object: the site, its needs, and its live lists.
#[must_use]
pub fn site(table: &Table) -> Map<String, Json> {
    let site: Map<String, Json> = table.site_keys().map(|(key, value)| (key.to_owned(), value.into())).collect();
    let need = |name: &str| {
        let otherwise = table.need_otherwise(name).map(|route| ("otherwise".to_owned(), Json::from(route.name())));
        (name.to_owned(), Json::Object(otherwise.into_iter().collect()))
    };
    let mut object = Map::new();
    object.insert("site".into(), site.into());
    object.insert("needs".into(), table.needs().map(need).collect());
    object.insert("lists".into(), table.lists().collect());
    object
}

/// A route of the tree as an object.
#[must_use]
pub fn route(route: RouteRef<'_>) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("route".into(), route.name().into());
    object.insert("path".into(), route.path().as_str().into());
    let texts = [
        ("page", route.page().map(String::as_str)),
        ("frame", route.frame()),
        ("fallback", route.fallback().map(String::as_str)),
        ("parent", route.parent().map(RouteRef::name)),
    ];
    for (key, value) in texts {
        if let Some(value) = value {
            object.insert(key.into(), value.into());
        }
    }
    if route.has_no_fallback() {
        object.insert("fallback".into(), false.into());
    }
    object.insert("methods".into(), route.methods().collect());
    if let Some(host) = route.host() {
        object.insert("host".into(), host.as_str().into());
    }
    if let Some(status) = route.redirect_status() {
        let to = route.redirects_to().map(|to| ("to", to.name()));
        let url = route.redirects_to_url().map(|url| ("url", url.as_str()));
        let mut redirect: Map<String, Json> =
            to.into_iter().chain(url).map(|(key, text)| (key.to_owned(), text.into())).collect();
        let params: Map<String, Json> =
            route.redirect_params().map(|(name, text)| (name.to_owned(), text.into())).collect();
        if !params.is_empty() {
            redirect.insert("params".to_owned(), params.into());
        }
        redirect.insert("status".to_owned(), status.into());
        object.insert("redirect".into(), redirect.into());
    }
    if route.needs().len() > 0 {
        object.insert("needs".into(), route.needs().collect());
    }
    let rules = route.rules().map(|(name, rule)| (name.to_owned(), Json::from(rule)));
    object.insert("params".into(), rules.collect());
    let is_required = |param: &Parameter<'_>| param.kind() == ParamKind::Query && !param.is_optional();
    let required: Vec<Json> = route.parameters().filter(is_required).map(|param| param.name().into()).collect();
    if !required.is_empty() {
        object.insert("required".into(), required.into());
    }
    if !route.data().is_empty() {
        object.insert("data".into(), data_to_json(route.data()));
    }
    object
}

/// A decision as an object, with the candidates of its explanation.
#[must_use]
pub fn decision(url: &[u8], decision: &Decision<'_, '_>, explanation: Option<&Explanation<'_>>) -> Map<String, Json> {
    let mut object = Map::new();
    let mut put = |key: &str, value: Json| drop(object.insert(key.to_owned(), value));
    put("url", String::from_utf8_lossy(url).into());
    put("outcome", decision.kind().as_str().into());
    put("status", decision.status().into());
    match decision {
        Decision::Page(found) => {
            put("route", found.route().name().into());
            put("page", found.page().as_str().into());
            position_to_json(found, &mut put);
        }
        Decision::NotFound(missing) => {
            if let Some(page) = missing.fallback() {
                put("page", page.as_str().into());
            }
            if let Some(reason) = missing.reason() {
                put("reason", reason.into());
            }
            match missing.position() {
                Some(position) => {
                    put("under", position.route().name().into());
                    position_to_json(&position, &mut put);
                }
                None => put("frames", missing.frames().into_iter().collect()),
            }
            let suggestion = |one: &Suggestion<'_>| -> Json {
                let texts = [("url", one.url()), ("route", one.route()), ("reason", one.reason())];
                texts.into_iter().map(|(key, value)| (key.to_owned(), Json::from(value))).collect()
            };
            let suggestions = missing.suggestions();
            if !suggestions.is_empty() {
                put("suggestions", suggestions.iter().map(suggestion).collect());
            }
        }
        Decision::Redirect(redirect) => {
            if let Some(route) = redirect.route() {
                put("route", route.into());
            }
            put("location", redirect.location().into());
            put("reason", redirect.to_string().into());
        }
        Decision::Unmet(unmet) => {
            put("need", unmet.need().into());
            if let Some(location) = unmet.location() {
                put("location", location.into());
            }
            if let Some(position) = unmet.position() {
                put("route", position.route().name().into());
                position_to_json(&position, &mut put);
            }
        }
        Decision::WrongMethod(wrong) => {
            put("allow", wrong.allow().iter().copied().collect());
            if let Some(position) = wrong.position() {
                put("route", position.route().name().into());
                position_to_json(&position, &mut put);
            }
        }
        Decision::Options(allow) => put("allow", allow.allow().iter().copied().collect()),
        Decision::Unavailable(unavailable) => put("reason", unavailable.to_string().into()),
        Decision::BadRequest(bad) => {
            put("reason", bad.to_string().into());
        }
    }
    if let Some(explanation) = explanation {
        let candidate = |one: &Candidate<'_>| {
            let texts = [
                ("route", one.route().name()),
                ("path", one.route().path().as_str()),
                ("verdict", verdict(one.verdict())),
                ("reason", one.reason()),
            ];
            texts.into_iter().map(|(key, value)| (key.to_owned(), Json::from(value))).collect::<Json>()
        };
        put("candidates", explanation.candidates().iter().map(candidate).collect());
    }
    object
}

/// What holds of a place in the table: frames, values, and the user's own data.
fn position_to_json(found: &Position<'_, '_>, put: &mut dyn FnMut(&str, Json)) {
    put("frames", found.frames().collect());
    put("params", found.values().map(|(name, value)| (name.to_owned(), value_to_json(&value))).collect());
    if !found.data().is_empty() {
        put("data", data_to_json(found.data()));
    }
}

fn verdict(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::LeftOver => "left-over",
        Verdict::Missing => "missing",
        Verdict::Misspelt => "misspelt",
        Verdict::Refused => "refused",
        Verdict::Elsewhere => "elsewhere",
        Verdict::Beaten => "beaten",
        Verdict::Answers => "answers",
    }
}

/// A note of a conversion as an object.
#[must_use]
pub fn note(note: &Note) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("severity".into(), "note".into());
    object.insert("code".into(), note.code().into());
    object.insert("subject".into(), note.subject().into());
    object.insert("message".into(), note.message().into());
    if let Some(place) = note.place() {
        object.extend(place.file().map(|file| ("file".to_owned(), file.into())));
        object.insert("line".into(), place.line().into());
        object.insert("column".into(), place.column().into());
    }
    object
}

/// What two tables differ in, as objects, and what was not compared.
pub fn differences(found: &Differences) -> impl Iterator<Item = Map<String, Json>> {
    let redirects: Redirects<'_> = found.redirects().iter().map(|one| (one.route(), one)).collect();
    let changes = found.all().iter().map(move |one| difference(one, &redirects));
    changes.chain(found.not_compared().iter().map(not_compared))
}

/// The redirects by the routes whose addresses they keep alive.
type Redirects<'a> = HashMap<&'a str, &'a ProposedRedirect>;

fn difference(one: &Difference, redirects: &Redirects<'_>) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("change".into(), one.kind().as_str().into());
    object.insert("route".into(), one.route().into());
    object.insert("routes".into(), one.routes().iter().map(String::as_str).collect());
    object.insert("witness".into(), one.witness().into());
    for (key, value) in [("before", one.before()), ("after", one.after())] {
        if let Some(value) = value {
            object.insert(key.into(), value.into());
        }
    }
    let is_broken = matches!(one.kind(), DifferenceKind::Moved | DifferenceKind::Removed);
    let names = one.routes().iter().filter(|_| is_broken);
    let entries: Vec<String> = names.filter_map(|name| redirects.get(name.as_str())).map(ToString::to_string).collect();
    if !entries.is_empty() {
        object.insert("redirect".into(), entries.join("\n").into());
    }
    object
}

fn not_compared(one: &NotCompared) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("change".into(), "not-compared".into());
    object.extend(one.route().map(|route| ("route".into(), route.into())));
    object.extend(one.witness().map(|witness| ("witness".into(), witness.into())));
    object.insert("message".into(), one.to_string().into());
    object
}

/// A value as JSON: text, a list, or a list of pairs.
fn value_to_json(value: &Value) -> Json {
    match value {
        Value::Text(text) => text.as_str().into(),
        Value::List(items) => items.iter().map(String::as_str).collect(),
        Value::Pairs(pairs) => {
            pairs.iter().map(|(name, text)| Json::from(vec![name.as_str(), text.as_str()])).collect()
        }
    }
}
