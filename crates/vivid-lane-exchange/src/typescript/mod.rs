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

use serde_json::{Value as Json, json};
use vivid_lane::Table;

use crate::note::Notes;

/// A module in each language, with notes.
#[derive(Debug)]
pub struct Module {
    /// The module in TypeScript.
    pub typescript: String,
    /// The module in JavaScript (ECMAScript 2020), for projects without a compiler.
    pub javascript: String,
    /// The type declarations for the JavaScript.
    pub declarations: String,
    /// Notes on what the module leaves to the server.
    pub notes: Notes,
}

// `typescript/build.mjs` makes them of the sources beside them.
const MATCHER_TS: &str = include_str!("../../typescript/dist/matcher.ts");
const MATCHER_JS: &str = include_str!("../../typescript/dist/matcher.js");
const MATCHER_D_TS: &str = include_str!("../../typescript/dist/matcher.d.ts");

const BROWSER_TS: &str = include_str!("../../typescript/dist/browser.ts");
const BROWSER_JS: &str = include_str!("../../typescript/dist/browser.js");
const BROWSER_D_TS: &str = include_str!("../../typescript/dist/browser.d.ts");

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
        typescript: format!(
            "{HEADER}{types}\n{has}\n{MATCHER_TS}\nconst data: Data = {data}\n\nconst table: Table = {thawed}\n"
        ),
        javascript: format!(
            "{HEADER}{}\n{MATCHER_JS}\nconst data = {data}\n\nconst table = {thawed}\n",
            has.replace(": boolean", "")
        ),
        declarations: format!("{HEADER}{types}\n{MATCHER_D_TS}\nexport {{}};\n"),
        notes,
    }
}

/// Which files to write.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Form {
    /// Write JavaScript with declarations and a `package.json`, instead of TypeScript.
    pub javascript: bool,
    /// Write the module that navigates in a browser, too.
    pub browser: bool,
}

/// A file of a module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct File {
    /// The name of the file.
    pub name: &'static str,
    /// The text of the file.
    pub text: String,
}

/// The files of a module, with notes.
#[derive(Debug)]
pub struct Files {
    /// The files; the module itself is the first.
    pub files: Vec<File>,
    /// Notes on what the module leaves to the server.
    pub notes: Notes,
}

/// Writes the files of a table.
///
/// # Example
/// ```
/// use vivid_lane::Table;
/// use vivid_lane_exchange::typescript::{self, Form};
///
/// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
/// let names = |form| typescript::files(&table, form).files.into_iter().map(|file| file.name).collect::<Vec<_>>();
/// assert_eq!(names(Form { javascript: false, browser: true }), ["routes.ts", "browser.ts"]);
/// assert_eq!(names(Form { javascript: true, browser: false }), ["routes.js", "routes.d.ts", "package.json"]);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[must_use]
pub fn files(table: &Table, form: Form) -> Files {
    let Module { typescript, javascript, declarations, notes } = write(table);
    let file = |name, text: &str| File { name, text: text.to_owned() };
    let mut files = Vec::new();
    if form.javascript {
        files.extend([file("routes.js", &javascript), file("routes.d.ts", &declarations)]);
    } else {
        files.push(file("routes.ts", &typescript));
    }
    match form {
        Form { browser: false, .. } => {}
        Form { javascript: false, .. } => files.push(file("browser.ts", BROWSER_TS)),
        Form { javascript: true, .. } => {
            files.extend([file("browser.js", BROWSER_JS), file("browser.d.ts", BROWSER_D_TS)]);
        }
    }
    if form.javascript {
        let names: &[&str] = if form.browser { &["routes", "browser"] } else { &["routes"] };
        let export = |name: &&str| {
            let paths = json!({ "types": format!("./{name}.d.ts"), "default": format!("./{name}.js") });
            (format!("./{name}"), paths)
        };
        let exports: Json = names.iter().map(export).collect();
        let package = json!({ "private": true, "type": "module", "sideEffects": false, "exports": exports });
        files.push(file("package.json", &format!("{package:#}\n")));
    }
    Files { files, notes }
}

/// A text as a literal of the language, in which U+2028 and U+2029 are fine since ECMAScript 2019.
fn text(text: &str) -> String {
    Json::from(text).to_string()
}
