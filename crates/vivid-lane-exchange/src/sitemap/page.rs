//! The pages of a table, one after the other.

use std::collections::HashMap;
use std::io::{self, Write};

use vivid_lane::declare::Data;
use vivid_lane::link::LinkErrorKind;
use vivid_lane::lookup::{ParamKind, Parameter, Shape};
use vivid_lane::{Decision, Request, RouteRef, Value};

use super::xml::{Page, UrlSets};
use super::{Hints, Record, Records, Sitemap};
use crate::note::Notes;

/// Finds pages and writes them.
pub(super) struct Pages<'p, 't, W, F> {
    pub(super) sitemap: &'p Sitemap<'t>,
    pub(super) sets: &'p mut UrlSets<W, F>,
    pub(super) notes: &'p mut Notes,
}

/// What a parameter can be: absent, or one of some values.
struct Choices {
    name: String,
    values: Vec<Option<Value>>,
}

impl<W: Write, F: FnMut(usize) -> io::Result<W>> Pages<'_, '_, W, F> {
    pub(super) fn write(&mut self, mut records: HashMap<String, Records<'_>>) -> io::Result<()> {
        for route in self.sitemap.table.routes() {
            let records = records.remove(route.name());
            if route.page().is_none() || route.redirect_status().is_some() {
                continue;
            }
            let Some(hints) = self.hints(route) else { continue };
            if !route.methods().any(|method| method == "GET") {
                self.left_out("methods", route, "it does not answer `GET`");
                continue;
            }
            if route.needs().len() > 0 {
                self.left_out("needs", route, "it has a need, which a crawler does not meet");
                continue;
            }
            match records {
                Some(records) => self.records(route, &hints, records)?,
                None => self.all(route, &hints, &[])?,
            }
        }
        for name in records.into_keys() {
            self.notes.left_out(
                "records",
                None,
                format!("there is no route `{}` for its records", name.escape_debug()),
            );
        }
        Ok(())
    }

    fn left_out(&mut self, subject: &str, route: RouteRef<'_>, reason: &str) {
        self.notes.left_out(subject, None, format!("`{}` is left out: {reason}", route.name()));
    }

    /// What the route says of itself; `None` where it wants to be left out.
    fn hints(&mut self, route: RouteRef<'_>) -> Option<Hints> {
        let Some(data) = route.data().get("sitemap") else { return Some(Hints::default()) };
        if *data == Data::Bool(false) {
            return None;
        }
        let (hints, wrong) = Hints::read(data);
        for wrong in wrong {
            self.notes.left_out("data", None, format!("`{}`: {wrong}", route.name()));
        }
        Some(hints)
    }

    fn records(&mut self, route: RouteRef<'_>, hints: &Hints, records: Records<'_>) -> io::Result<()> {
        for record in records {
            let Record { values, hints: own } = record?;
            self.all(route, &own.or(hints), &values)?;
        }
        Ok(())
    }

    /// The pages of a route, for all values that are known of the parameters that have none yet.
    fn all(&mut self, route: RouteRef<'_>, hints: &Hints, given: &[(String, Value)]) -> io::Result<()> {
        let mut choices = Vec::new();
        let mut languages = None;
        for param in route.parameters() {
            if given.iter().any(|(name, _)| name == param.name()) {
                continue;
            }
            let known = self.known(param, !given.is_empty());
            if known.is_empty() {
                let reason = format!("no values of `{}` are known", param.name());
                self.left_out("values", route, &reason);
                return Ok(());
            }
            let one = Choices { name: param.name().to_owned(), values: known };
            if param.name() == self.sitemap.language {
                languages = Some((one, param.default_value().and_then(Value::as_text)));
            } else {
                choices.push(one);
            }
        }
        // An odometer over the choices, so that they are written as they are made.
        let mut at = vec![0; choices.len()];
        loop {
            let mut values = given.to_vec();
            for (choice, &at) in choices.iter().zip(&at) {
                values.extend(choice.values[at].clone().map(|value| (choice.name.clone(), value)));
            }
            match &languages {
                Some((languages, default)) => self.in_languages(route, hints, &values, languages, *default)?,
                None => {
                    if let Some(url) = self.url(route, &values, None) {
                        self.sets.page(&Page { url: &url, hints, alternates: &[] })?;
                    }
                }
            }
            let Some(turned) = (0..at.len()).rev().find(|&wheel| at[wheel] + 1 < choices[wheel].values.len()) else {
                return Ok(());
            };
            at[turned] += 1;
            at[turned + 1..].fill(0);
        }
    }

    /// One page in each of its languages.
    fn in_languages(
        &mut self,
        route: RouteRef<'_>,
        hints: &Hints,
        values: &[(String, Value)],
        languages: &Choices,
        default: Option<&str>,
    ) -> io::Result<()> {
        let mut all: Vec<(String, String)> = Vec::new();
        for language in &languages.values {
            let label = match language.as_ref().and_then(Value::as_text) {
                Some(text) => text.to_owned(),
                // Without a language the page is in the default one, or for all who have no other.
                None => default.unwrap_or("x-default").to_owned(),
            };
            let given = language.as_ref().map(|value| (languages.name.as_str(), value));
            if let Some(url) = self.url(route, values, given).filter(|url| !all.iter().any(|(_, known)| known == url)) {
                all.push((label, url));
            }
        }
        let alternates: &[(String, String)] = if all.len() > 1 { &all } else { &[] };
        for (_, url) in &all {
            self.sets.page(&Page { url, hints, alternates })?;
        }
        Ok(())
    }

    /// The URL of a page; `None` where it does not decide to that page.
    fn url(&mut self, route: RouteRef<'_>, values: &[(String, Value)], more: Option<(&str, &Value)>) -> Option<String> {
        let table = self.sitemap.table;
        let all = values.iter().map(|(name, value)| (name.as_str(), value)).chain(more);
        let link = all.fold(table.link(route.name()), |link, (name, value)| link.set(name, value.clone()));
        let url = match link.to_absolute_url() {
            Ok(url) => url,
            // An optional value without the one before it: there is no such page.
            Err(error) if error.kind() == LinkErrorKind::Gap => return None,
            Err(error) => {
                self.notes.left_out("values", None, format!("a page of `{}` is left out: {error}", route.name()));
                return None;
            }
        };
        let lists = |list: &str, value: &str| {
            self.sitemap.lists.get(list).is_some_and(|values| values.iter().any(|known| known == value))
        };
        match table.decide(&Request::get(&url).lists(&lists)) {
            Decision::Page(found) if found.route() == route => Some(url),
            other => {
                let message = format!("`{url}` of `{}` is left out: its status is {}", route.name(), other.status());
                self.notes.left_out("values", None, message);
                None
            }
        }
    }

    /// What a parameter can be: absent first, where it may be.
    fn known(&self, param: Parameter<'_>, has_record: bool) -> Vec<Option<Value>> {
        let mut all = Vec::new();
        if param.is_optional() {
            all.push(None);
        }
        let is_language = param.name() == self.sitemap.language;
        // A query shows the same page in another way, a fragment a part of it; and a record has all that it wants to have.
        let stays_absent =
            matches!(param.kind(), ParamKind::Query | ParamKind::Pairs | ParamKind::Fragment) || has_record;
        if param.is_optional() && stays_absent && !is_language {
            return all;
        }
        // A list of one item speaks for all lists; pairs have no values that could be named.
        let one = if param.shape() == Shape::List { param.items().unwrap_or(param) } else { param };
        let given = self.sitemap.values.get(param.name()).or_else(|| {
            let list = one.keyword("listed").and_then(Data::as_text)?;
            self.sitemap.lists.get(list)
        });
        let value = |text: &str| match (param.shape(), param.kind()) {
            (Shape::List, ParamKind::Items) => Value::List(text.split('/').map(str::to_owned).collect()),
            (Shape::List, _) => Value::List(text.split(',').map(str::to_owned).collect()),
            _ => Value::from(text),
        };
        match (given, one.keyword("enum"), one.keyword("const")) {
            (Some(given), _, _) => all.extend(given.iter().map(|text| Some(value(text)))),
            (None, Some(Data::List(values)), _) => {
                all.extend(values.iter().filter_map(Data::to_url_text).map(|text| Some(value(&text))));
            }
            (None, _, Some(one)) => all.extend(one.to_url_text().map(|text| Some(value(&text)))),
            _ => {}
        }
        all
    }
}
