//! Tables over texts. Results are JSON, and so is what is wrong: a list of findings.

use std::collections::{HashMap, HashSet};
use std::io::Read;
use std::path::Path;

use serde_json::{Map, Value as Json};
use vivid_lane::analyse::Differences;
use vivid_lane::{Finding, Request, Review, Source, TableSpec, Value};
use vivid_lane_cli::json;
use vivid_lane_cli::system::System;
use wasm_bindgen::prelude::wasm_bindgen;

use crate::machine::Machine;

/// Reads a declaration; what it includes comes from the machine.
fn read(name: &str, text: String, machine: &Machine) -> TableSpec {
    TableSpec::read_with(Source::by_name(name, text), &mut |file| {
        let mut text = String::new();
        let mut opened = machine.open(Path::new(file)).map_err(|error| error.to_string())?;
        opened.read_to_string(&mut text).map_err(|error| error.to_string())?;
        Ok(Source::by_name(file, text))
    })
}

fn list<T>(all: impl IntoIterator<Item = T>, to_json: impl Fn(T) -> Map<String, Json>) -> String {
    Json::Array(all.into_iter().map(|one| Json::Object(to_json(one))).collect()).to_string()
}

fn findings(all: &[Finding]) -> String {
    list(all, json::finding)
}

/// Everything that can be found about a table, and the table where it can be built.
#[wasm_bindgen]
pub struct Reviewed {
    findings: String,
    table: Option<vivid_lane::Table>,
}

#[wasm_bindgen]
impl Reviewed {
    /// Reviews a table, held against the names of the program's handlers if they are given.
    pub fn of(name: &str, text: String, machine: &Machine, handlers: Option<Vec<String>>) -> Reviewed {
        let mut review = Review::new(read(name, text, machine));
        if let Some(handlers) = handlers {
            review = review.handlers(handlers.iter().map(String::as_str));
        }
        let reviewed = review.run();
        Reviewed { findings: findings(reviewed.findings()), table: reviewed.into_table() }
    }

    /// The list of findings, once.
    pub fn findings(&mut self) -> String {
        std::mem::take(&mut self.findings)
    }

    /// The table, once.
    pub fn table(&mut self) -> Option<Table> {
        self.table.take().map(|table| Table { table })
    }
}

/// What becomes of the addresses of a table with another in its place: a list of differences.
#[wasm_bindgen]
pub fn diff(old: &Table, name: &str, text: String, machine: &Machine) -> Result<String, String> {
    let differences = Differences::since(old.table.clone(), read(name, text, machine));
    let differences = differences.map_err(|error| findings(error.findings()))?;
    Ok(list(json::differences(&differences), |one| one))
}

/// A table that is built.
#[wasm_bindgen]
pub struct Table {
    table: vivid_lane::Table,
}

#[wasm_bindgen]
impl Table {
    /// Builds a table. It throws a list of findings.
    pub fn build(name: &str, text: String, machine: &Machine) -> Result<Table, String> {
        let built = read(name, text, machine).build();
        built.map(|table| Table { table }).map_err(|error| findings(error.findings()))
    }

    /// What holds for the whole table.
    pub fn site(&self) -> String {
        Json::Object(json::site(&self.table)).to_string()
    }

    /// A list of all routes, parents first.
    pub fn tree(&self) -> String {
        list(self.table.routes(), json::route)
    }

    /// What a URL leads to. `lists` is an object of arrays.
    pub fn decide(
        &self,
        url: &str,
        method: &str,
        host: Option<String>,
        meets: Vec<String>,
        lists: &str,
        explain: bool,
    ) -> Result<String, String> {
        let lists: HashMap<String, HashSet<String>> = serde_json::from_str(lists).map_err(|error| error.to_string())?;
        let is_listed = |list: &str, value: &str| lists.get(list).is_some_and(|values| values.contains(value));
        let is_met = |need: &str| meets.iter().any(|met| met == need);
        let mut request = Request::new(method, url).lists(&is_listed).meets(&is_met);
        if let Some(host) = &host {
            request = request.host(host);
        }
        let explanation = explain.then(|| self.table.explain(&request));
        let decision = self.table.decide(&request);
        Ok(Json::Object(json::decision(url.as_bytes(), &decision, explanation.as_ref())).to_string())
    }

    /// The URL of a route. `values` is an object of texts, arrays of texts, and arrays of pairs. It throws why there is none.
    pub fn link(&self, name: &str, values: &str, from: Option<String>, absolute: bool) -> Result<String, String> {
        let values: Map<String, Json> = serde_json::from_str(values).map_err(|error| error.to_string())?;
        let mut link = match &from {
            None => self.table.link(name),
            Some(from) => vivid_lane_cli::link_from(&self.table, name, from)?,
        };
        for (key, value) in &values {
            link = link.set(key, to_value(key, value)?);
        }
        let url = if absolute { link.to_absolute_url() } else { link.to_url() };
        url.map_err(|error| error.to_string())
    }
}

fn to_value(key: &str, value: &Json) -> Result<Value, String> {
    let text = |value: &Json| match value {
        Json::String(text) => Some(text.clone()),
        Json::Number(number) => Some(number.to_string()),
        Json::Bool(value) => Some(value.to_string()),
        Json::Null | Json::Array(_) | Json::Object(_) => None,
    };
    let pair = |value: &Json| match value.as_array()?.as_slice() {
        [name, value] => Some((text(name)?, text(value)?)),
        _ => None,
    };
    let read = match value {
        Json::Array(items) if items.first().is_some_and(Json::is_array) => {
            items.iter().map(pair).collect::<Option<_>>().map(Value::Pairs)
        }
        Json::Array(items) => items.iter().map(text).collect::<Option<_>>().map(Value::List),
        other => text(other).map(Value::Text),
    };
    read.ok_or_else(|| {
        format!("expected a text, a number, a list of them, or a list of pairs as `{key}`, found {value}")
    })
}
