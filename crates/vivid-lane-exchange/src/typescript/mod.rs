//! Table → TypeScript: one module without dependencies that matches, decides and links as the table does, with types that know it.
//!
//! `match("/nights/2031-04-02")` gives a page and its values, typed by their rules; `link("nights.night", { date: "2031-04-02" })`
//! compiles only for a route that exists, with the parameters that it has. The module holds the frozen table as data, and the matcher,
//! which is written in TypeScript, in the folder `typescript` of this crate. What only a function of the program's own knows is
//! [noted](Module::notes).
//!
//! ```
//! use vivid_lane::Table;
//! use vivid_lane_exchange::typescript;
//!
//! let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night-page'\nparams.date = 'date'")?;
//! let module = typescript::write(&table);
//! assert!(module.typescript.contains("readonly \"date\": string;"));
//! assert!(module.declarations.contains("readonly \"night\": \"night-page\";"));
//! assert!(module.javascript.contains("export function match(url"));
//! # Ok::<(), vivid_lane::TableError>(())
//! ```

mod data;
mod flags;
mod formats;
mod types;

use serde_json::Value as Json;
use vivid_lane::Table;

use crate::note::Notes;

/// A module in its forms, and what it does not know of the table.
#[derive(Debug)]
pub struct Module {
    /// In TypeScript: all in one.
    pub typescript: String,
    /// In JavaScript (ECMAScript 2020), for those who have no compiler.
    pub javascript: String,
    /// The declarations that go with the JavaScript.
    pub declarations: String,
    /// What is not known to it.
    pub notes: Notes,
}

// `typescript/build.mjs` makes them of the sources beside them.
const MATCHER_TS: &str = include_str!("../../typescript/dist/matcher.ts");
const MATCHER_JS: &str = include_str!("../../typescript/dist/matcher.js");
const MATCHER_D_TS: &str = include_str!("../../typescript/dist/matcher.d.ts");

const HEADER: &str = "// The routes of a table, made by `vivid-lane convert --to typescript`.\n\
    // A change belongs into the table; then make this file again.\n\n";

/// Writes the module of a table.
#[must_use]
pub fn write(table: &Table) -> Module {
    let mut notes = Notes::default();
    let export = table.export();
    // JSON in a text is read several times faster than the same as a literal of the language.
    let data = data::write(table, &export, &mut notes).replace('\\', "\\\\").replace('`', "\\`").replace("${", "\\${");
    let data = format!("/* @__PURE__ */ JSON.parse(`{data}`);");
    let has = flags::write(table, &export);
    let mut types = String::new();
    types::write(&mut types, table);
    let thawed = "/* @__PURE__ */ new Table(data);";
    Module {
        typescript: format!("{HEADER}{types}\n{has}\n{MATCHER_TS}\nconst data: Data = {data}\n\nconst table: Table = {thawed}\n"),
        javascript: format!("{HEADER}{}\n{MATCHER_JS}\nconst data = {data}\n\nconst table = {thawed}\n", has.replace(": boolean", "")),
        declarations: format!("{HEADER}{types}\n{MATCHER_D_TS}\nexport {{}};\n"),
        notes,
    }
}

/// A text as a literal of the language, in which U+2028 and U+2029 are fine since ECMAScript 2019.
fn text(text: &str) -> String {
    Json::from(text).to_string()
}
