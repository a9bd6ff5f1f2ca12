//! Table → TypeScript: modules without dependencies that match, decide and link as the table does, with types that know it.
//!
//! `match("/nights/2031-04-02")` gives a page and its values, typed by their rules; `link("nights.night", { date: "2031-04-02" })`
//! compiles only for a route that exists, with the parameters that it has. There are three files: the **table**, a readable line for
//! each route and its types; the **runtime**, a text that is the same for all tables, of which bundlers keep what the table needs; and
//! the **routes**, which are the table with errors in words, for those who make the site. What only a function of the program's own
//! knows is [noted](Files::notes).
//!
//! ```
//! use vivid_lane::Table;
//! use vivid_lane_exchange::typescript::{self, Form};
//!
//! let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night-page'\nparams.date = 'date'")?;
//! let made = typescript::files(&table, Form::default());
//! let of_table = &made.files[0];
//! assert_eq!(of_table.name, "table.ts");
//! assert!(of_table.text.contains(r#"["night", "night-page", "/nights/{date}"],"#));
//! assert!(of_table.text.contains(r#"readonly "night": T.RouteType<"night-page", { readonly date: string }>;"#));
//! # Ok::<(), vivid_lane::TableError>(())
//! ```

mod expressions;
mod lines;
mod params;
mod rules;
mod types;
mod ways;
mod whole;

use serde_json::{Value as Json, json};
use vivid_lane::Table;

use crate::note::Notes;

// `typescript/build.mjs` makes them of the sources beside them.
const RUNTIME_TS: &str = include_str!("../../typescript/dist/runtime.ts");
const RUNTIME_JS: &str = include_str!("../../typescript/dist/runtime.js");
const RUNTIME_D_TS: &str = include_str!("../../typescript/dist/runtime.d.ts");

const ROUTES_TS: &str = include_str!("../../typescript/dist/routes.ts");
const ROUTES_JS: &str = include_str!("../../typescript/dist/routes.js");
const ROUTES_D_TS: &str = include_str!("../../typescript/dist/routes.d.ts");

const BROWSER_TS: &str = include_str!("../../typescript/dist/browser.ts");
const BROWSER_JS: &str = include_str!("../../typescript/dist/browser.js");
const BROWSER_D_TS: &str = include_str!("../../typescript/dist/browser.d.ts");

const SERVER_TS: &str = include_str!("../../typescript/dist/server.ts");
const SERVER_JS: &str = include_str!("../../typescript/dist/server.js");
const SERVER_D_TS: &str = include_str!("../../typescript/dist/server.d.ts");

/// Which files to write.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Form {
    /// Write JavaScript (ECMAScript 2020) with declarations and a `package.json`, instead of TypeScript.
    pub javascript: bool,
    /// Write the module that navigates in a browser, too.
    pub browser: bool,
    /// Write the module that answers requests on a server, too.
    pub server: bool,
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
    /// The files; that of the table is the first.
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
/// let both = Form { browser: true, server: true, ..Form::default() };
/// assert_eq!(names(both), ["table.ts", "runtime.ts", "routes.ts", "browser.ts", "server.ts"]);
/// assert_eq!(names(Form { javascript: true, ..Form::default() })[..3], ["table.js", "table.d.ts", "runtime.js"]);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[must_use]
pub fn files(table: &Table, form: Form) -> Files {
    let mut notes = Notes::default();
    let of_table = whole::write(table, form, &mut notes);
    let file = |name, text: &str| File { name, text: text.to_owned() };
    let mut files = of_table;
    if form.javascript {
        files.extend([
            file("runtime.js", RUNTIME_JS),
            file("runtime.d.ts", RUNTIME_D_TS),
            file("routes.js", ROUTES_JS),
            file("routes.d.ts", ROUTES_D_TS),
        ]);
    } else {
        files.extend([file("runtime.ts", RUNTIME_TS), file("routes.ts", ROUTES_TS)]);
    }
    let modules = [
        (form.browser, [("browser.ts", BROWSER_TS), ("browser.js", BROWSER_JS), ("browser.d.ts", BROWSER_D_TS)]),
        (form.server, [("server.ts", SERVER_TS), ("server.js", SERVER_JS), ("server.d.ts", SERVER_D_TS)]),
    ];
    for (_, [typescript, javascript, declarations]) in modules.into_iter().filter(|(is_wanted, _)| *is_wanted) {
        let wanted = if form.javascript { vec![javascript, declarations] } else { vec![typescript] };
        files.extend(wanted.into_iter().map(|(name, text)| file(name, text)));
    }
    if form.javascript {
        files.push(file("package.json", &format!("{:#}\n", package(form))));
    }
    Files { files, notes }
}

/// What a package manager needs to know. In production the table stands for the routes, so that errors are not put into words.
fn package(form: Form) -> Json {
    let routes = json!({ "types": "./routes.d.ts", "production": "./table.js", "default": "./routes.js" });
    let table = json!({ "types": "./table.d.ts", "default": "./table.js" });
    let mut exports = json!({ "./routes": routes, "./table": table });
    for (name, _) in [("browser", form.browser), ("server", form.server)].into_iter().filter(|(_, is_made)| *is_made) {
        exports[format!("./{name}")] = json!({ "types": format!("./{name}.d.ts"), "default": format!("./{name}.js") });
    }
    json!({ "private": true, "type": "module", "sideEffects": ["./routes.js"], "exports": exports })
}

/// A text as a literal of the language, in which U+2028 and U+2029 are fine since ECMAScript 2019.
fn text(text: &str) -> String {
    Json::from(text).to_string()
}
