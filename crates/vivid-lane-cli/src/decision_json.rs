//! Decisions in JSON, for `match` and for the page to try URLs in.

use serde_json::{Map, Value as Json};
use vivid_lane::analyse::{Candidate, Explanation, Suggestion, Verdict};
use vivid_lane::{Decision, Position};
use vivid_lane_exchange::data_to_json;

use crate::output::value_to_json;

/// A decision as an object, with the candidates of its explanation.
pub(crate) fn of(url: &[u8], decision: &Decision<'_, '_>, explanation: Option<&Explanation<'_>>) -> Map<String, Json> {
    let mut object = Map::new();
    let mut put = |key: &str, value: Json| drop(object.insert(key.to_owned(), value));
    put("url", String::from_utf8_lossy(url).into());
    let outcome = match decision {
        Decision::Page(_) => "page",
        Decision::Redirect(_) => "redirect",
        Decision::Unmet(_) => "unmet",
        Decision::NotFound(_) => "not-found",
        Decision::WrongMethod(_) => "wrong-method",
        Decision::Options(_) => "options",
        Decision::BadRequest(_) => "bad-request",
        Decision::Unavailable(_) => "unavailable",
        _ => "other",
    };
    put("outcome", outcome.into());
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
        _ => {}
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
        _ => "other",
    }
}
