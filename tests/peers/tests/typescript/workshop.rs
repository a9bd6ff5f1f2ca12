//! A folder with the module of each table, and the cases that are tried in all of them.

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::{Map, Value as Json, json};
use vivid_lane::link::{Active, LinkErrorKind};
use vivid_lane::lookup::Position;
use vivid_lane::navigate::transition;
use vivid_lane::{Answer, Decision, Match, Question, Request, RouteRef, Table, Value};
use vivid_lane_exchange::data_to_json;
use vivid_lane_exchange::typescript::{self, Form};

pub(crate) struct Workshop {
    pub(crate) folder: PathBuf,
    cases: Vec<Json>,
    modules: usize,
}

/// Who is asked: the observers of the lists, the needs that are met, and whom nobody can reach.
#[derive(Debug, Clone, Default)]
pub(crate) struct Visitor {
    pub(crate) method: String,
    pub(crate) host: Option<String>,
    pub(crate) meets: Vec<String>,
    /// Are lists and needs out of reach?
    pub(crate) is_cut_off: bool,
}

impl Visitor {
    pub(crate) fn get() -> Self {
        Self { method: "GET".to_owned(), ..Self::default() }
    }
}

/// The values that all lists hold.
pub(crate) const LISTED: [&str; 2] = ["ada", "grace"];

/// For node as it is.
const JAVASCRIPT: Form = Form { javascript: true, browser: false, server: false };

/// Runs every case in the modules, and gathers those that differ.
const RUNNER: &str = include_str!("run.mjs");

impl Workshop {
    pub(crate) fn new(name: &str) -> Self {
        // Several runs at once, each with its own seed, stay apart.
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("{name}-{}", std::process::id()));
        let _ = std::fs::remove_dir_all(&folder);
        std::fs::create_dir_all(&folder).expect("the folder can be made");
        write(&folder.join("package.json"), r#"{ "type": "module" }"#);
        // The runtime is the same for all tables, and so are the words of errors.
        let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'").expect("a table");
        for file in typescript::files(&table, JAVASCRIPT).files.iter().filter(|file| file.name.ends_with(".js")) {
            write(&folder.join(file.name), &file.text);
        }
        Self { folder, cases: Vec::new(), modules: 0 }
    }

    /// Writes the module of a table, in JavaScript.
    pub(crate) fn module(&mut self, table: &Table) -> usize {
        self.modules += 1;
        let made = typescript::files(table, JAVASCRIPT);
        write(&self.folder.join(format!("table{}.js", self.modules)), &made.files[0].text);
        self.modules
    }

    pub(crate) fn len(&self) -> usize {
        self.cases.len()
    }

    /// What the table makes of these values, for the module to make as well.
    pub(crate) fn link(&mut self, module: usize, table: &Table, route: &str, values: &[(String, Value)]) {
        let link = values.iter().fold(table.link(route), |link, (name, value)| link.set(name.as_str(), value.clone()));
        let values: Map<String, Json> = values.iter().map(|(name, value)| (name.clone(), to_json(value))).collect();
        let expected = made(link.to_url());
        self.cases
            .push(json!({ "call": "link", "module": module, "route": route, "values": values, "expected": expected }));
    }

    /// What the table decides, for the module to decide as well: at once and in steps.
    pub(crate) fn decide(&mut self, module: usize, table: &Table, url: &str, visitor: &Visitor) {
        let unknown = Answer::Unknown { retry_after: Some(30) };
        let lists = |_: &str, value: &str| if visitor.is_cut_off { unknown } else { LISTED.contains(&value).into() };
        let meets = |need: &str| {
            if visitor.is_cut_off { unknown } else { visitor.meets.iter().any(|met| met == need).into() }
        };
        let mut request = Request::new(&visitor.method, url).lists(&lists).meets(&meets);
        if let Some(host) = &visitor.host {
            request = request.host(host);
        }
        let found = table.find(url).map(|found| found.route().name().to_owned());
        // Coming back is a `GET`.
        let mut coming = Request::get(url).lists(&lists).meets(&meets);
        if let Some(host) = &visitor.host {
            coming = coming.host(host);
        }
        let back = table.return_address(&coming, "/else");
        let asks = json!({ "method": visitor.method, "host": visitor.host, "meets": visitor.meets, "cutOff": visitor.is_cut_off });
        let expected = json!({ "decision": decision(&table.decide(&request)), "found": found, "back": back });
        self.cases.push(json!({ "call": "decide", "module": module, "url": url, "asks": asks, "expected": expected }));
    }

    /// What can be done from a page: up, to every route and from it to another page.
    pub(crate) fn stand(&mut self, module: usize, table: &Table, url: &str, next: &str) {
        let (Some(found), Some(to)) = (table.find(url), table.find(next)) else { return };
        let links: Map<String, Json> = table
            .routes()
            .take(12)
            .map(|route| {
                let link = found.link(route.name());
                let active = match table.link(route.name()).active(&found) {
                    Active::Exactly => json!("page"),
                    Active::Ancestor => json!("true"),
                    Active::No => Json::Null,
                };
                let back = link.clone().return_here().to_url().ok();
                (route.name().to_owned(), json!({ "link": made(link.to_url()), "active": active, "back": back }))
            })
            .collect();
        let expected = json!({ "up": found.up(), "links": links, "change": change(&found, &to) });
        self.cases.push(json!({ "call": "stand", "module": module, "url": url, "next": next, "expected": expected }));
    }

    /// Runs all cases in node.
    pub(crate) fn run(&self) {
        let lines: Vec<String> = self.cases.iter().map(Json::to_string).collect();
        write(&self.folder.join("cases.jsonl"), &lines.join("\n"));
        write(&self.folder.join("run.mjs"), RUNNER);
        let (is_same, told) = self.node("run.mjs");
        assert!(is_same, "{told}");
        println!("{told}");
    }

    pub(crate) fn node(&self, file: &str) -> (bool, String) {
        let output = Command::new("node").arg(file).current_dir(&self.folder).output().expect("`node` can be run");
        let text = [output.stdout, output.stderr].concat();
        (output.status.success(), String::from_utf8_lossy(&text).into_owned())
    }
}

/// What differs can be looked at afterwards; all else goes.
impl Drop for Workshop {
    fn drop(&mut self) {
        if !std::thread::panicking() {
            let _ = std::fs::remove_dir_all(&self.folder);
        }
    }
}

pub(crate) fn write(path: &Path, text: &str) {
    std::fs::write(path, text).expect("the file can be written");
}

fn to_json(value: &Value) -> Json {
    match value {
        Value::Text(text) => json!(text),
        Value::List(items) => json!(items),
        Value::Pairs(pairs) => json!(pairs),
    }
}

/// A link, or why there is none.
fn made(link: Result<String, vivid_lane::LinkError>) -> Json {
    match link {
        Ok(url) => json!({ "url": url }),
        Err(error) => {
            let kind = match error.kind() {
                LinkErrorKind::UnknownRoute => "unknown-route",
                LinkErrorKind::Group => "group",
                LinkErrorKind::Redirect => "redirect",
                LinkErrorKind::NoOrigin => "no-origin",
                LinkErrorKind::Gap => "gap",
                LinkErrorKind::UnknownParam => "unknown-param",
                LinkErrorKind::Missing => "missing",
                LinkErrorKind::Form => "form",
                LinkErrorKind::Refused => "refused",
                LinkErrorKind::Long => "long",
                LinkErrorKind::Captured => "captured",
                LinkErrorKind::NotReversible => "not-reversible",
                LinkErrorKind::Unreadable => panic!("no struct is read here: {error}"),
            };
            json!({ "kind": kind, "route": error.route(), "param": error.param(), "message": error.to_string() })
        }
    }
}

fn names(routes: &[RouteRef<'_>]) -> Json {
    routes.iter().map(|route| route.name()).collect()
}

fn change(from: &Match<'_, '_>, to: &Match<'_, '_>) -> Json {
    let change = transition(Some(from), to);
    let changed: Vec<Json> = change
        .changed()
        .iter()
        .map(|one| {
            let value = |value: Option<&Value>| value.map(to_json);
            json!({ "name": one.name(), "route": one.route(), "before": value(one.before()), "after": value(one.after()) })
        })
        .collect();
    json!({ "kept": names(change.kept()), "left": names(change.left()), "entered": names(change.entered()), "changed": changed })
}

/// A position, key by key; values as their texts.
fn position(found: &Position<'_, '_>) -> Json {
    let params: Map<String, Json> = found.values().map(|(name, value)| (name.to_owned(), to_json(&value))).collect();
    let levels: Vec<Json> = found
        .levels()
        .map(|level| {
            let route = level.route();
            let params: Map<String, Json> =
                level.values().map(|(name, value)| (name.to_owned(), to_json(&value))).collect();
            json!({
                "route": route.name(), "path": route.path().as_str(), "covered": level.covered(), "frame": route.frame(),
                "params": params, "data": data_to_json(route.data()),
            })
        })
        .collect();
    json!({
        "route": found.route().name(), "params": params, "address": found.address(), "levels": levels,
        "frames": found.frames().collect::<Vec<_>>(), "data": data_to_json(found.data()),
    })
}

/// A decision, key by key.
fn decision(decision: &Decision<'_, '_>) -> Json {
    let status = decision.status();
    let place = |found: Option<Position<'_, '_>>| found.as_ref().map(position);
    match decision {
        Decision::Page(found) => {
            let mut object = position(found);
            object["outcome"] = json!("page");
            object["status"] = json!(status);
            object["page"] = json!(found.page());
            object
        }
        Decision::Redirect(redirect) => json!({
            "outcome": "redirect", "status": status, "location": redirect.location(), "route": redirect.route(),
            "isExternal": redirect.is_external(),
        }),
        Decision::Unmet(unmet) => json!({
            "outcome": "unmet", "status": status, "need": unmet.need(), "location": unmet.location(),
            "position": place(unmet.position()),
        }),
        Decision::NotFound(missing) => json!({
            "outcome": "not-found", "status": status, "page": missing.fallback(), "frames": missing.frames(),
            "position": place(missing.position()), "reason": missing.reason(),
        }),
        Decision::WrongMethod(wrong) => json!({
            "outcome": "wrong-method", "status": status, "allow": wrong.allow(), "position": place(wrong.position()),
        }),
        Decision::Options(allow) => json!({ "outcome": "options", "status": status, "allow": allow.allow() }),
        Decision::BadRequest(bad) => json!({ "outcome": "bad-request", "status": status, "reason": bad.to_string() }),
        Decision::Unavailable(unavailable) => {
            let question = match unavailable.question() {
                Question::Listed { list, value } => json!({ "list": list, "value": value }),
                Question::Meets { need } => json!({ "need": need }),
            };
            json!({ "outcome": "unavailable", "status": status, "question": question, "retryAfter": unavailable.retry_after() })
        }
    }
}
