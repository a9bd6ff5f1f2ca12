//! The registries of the modules for browsers and servers: with an entry for each page they compile, with one forgotten they do not.

use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

use crate::types::{TABLE, compile};
use crate::workshop::{Workshop, write};

/// A site with an entry for each page and each frame.
const IN_BROWSER: &str = r#"
import { drawIn, start, titled, type Drawing, type Framing, type Site } from "./browser.js";
import type { Found } from "./routes.js";
export const site: Site<Drawing, Framing> = start<Drawing, Framing>({
    draw: drawIn(document.body),
    frames: { shell: () => (place) => place, calendar: (at) => (place) => (place.append(at?.route === "nights" ? at.route : ""), place) },
    pages: {
        home: ({ params }) => titled(params.lang ?? "en", document.body),
        "night-list": () => document.body,
        night: async ({ params: { date } }, { signal }) => (place) => place.append(date.toUpperCase(), String(signal.aborted)),
        exposure: ({ params }) => (place) => place.append(params.number.toFixed()),
        files: { code: async () => ({ default: (found: Found<"files">) => (place: Element) => place.append(...(found.params.path ?? [])) }) },
        observer: () => document.body,
        "sign-in": () => document.body,
        one: () => document.body,
        lost: ({ status }) => (place) => place.append(String(status)),
        "no-such-night": () => document.body,
    },
    otherwise: ({ outcome }) => (place) => place.append(outcome),
    failed: ({ error }) => (place) => place.append(String(error)),
});
export const gone: Promise<void> = site.go("nights.night", { date: "2031-04-02" }, { state: 1, stay: true });
"#;

/// What is taken out of it, or put in the place of something, is found.
const FORGOTTEN_IN_BROWSER: &[(&str, &str)] = &[
    ("one: () => document.body,", ""),
    ("lost: ({ status }) => (place) => place.append(String(status)),", ""),
    ("shell: () => (place) => place,", ""),
    ("frames: {", "frame: {"),
    ("failed: ({ error })", "fails: ({ error })"),
    ("params.number.toFixed()", "params.date"),
    ("(found: Found<\"files\">)", "(found: Found<\"nights.night\">)"),
    ("{ date: \"2031-04-02\" }, { state", "{}, { state"),
];

/// The same on a server, whose state and visitors are of types of its own.
const ON_SERVER: &str = r#"
import { html, json, Missing, site, type Site, type Visit } from "./server.js";
import type { Found } from "./routes.js";
export const own: Site = site({
    state: () => ({ archive: new Map<string, number>() }),
    identify: (asked) => ({ name: asked.field("cookie") ?? "" }),
    meets: (who, need) => who?.name === "ada" && need === "member",
    lists: (list, value, { state }) => list === "observers" && state.archive.has(value),
    layers: [{ below: "nights", layer: (_, next) => next() }, { pages: ["home"], layer: async ({ client }) => new Response(client) }],
    failed: ({ error, page, asked }) => (page === "one" ? html(String(error) + asked.target, { status: 502 }) : undefined),
    pages: {
        home: ({ params, link }) => `${params.lang ?? "en"} ${link("nights.night", { date: "2031-04-02" })}`,
        "night-list": () => new Response("nights"),
        night: async ({ params: { date }, state }) => json([date.toUpperCase(), state.archive.size]),
        exposure: ({ params, link }) => params.number.toFixed() + link("exposure"),
        files: { code: async () => ({ default: (visit: Visit<Found<"files">>) => (visit.params.path ?? []).join() }) },
        observer: ({ visitor }) => visitor?.name ?? "",
        "sign-in": (visit) => visit.comeBack("/"),
        one: async (visit) => visit.seeOther(visit.link("exposure", await visit.values("exposure", 100))),
        lost: ({ at, frames }) => `${at.status} ${at.reason} ${at.position?.route} ${frames.includes("shell")}`,
        "no-such-night": () => {
            throw new Missing();
        },
    },
});
"#;

const FORGOTTEN_ON_SERVER: &[(&str, &str)] = &[
    ("\"night-list\": () => new Response(\"nights\"),", ""),
    ("lost: ({ at, frames })", "last: ({ at, frames })"),
    ("params.number.toFixed()", "params.date"),
    ("(visit: Visit<Found<\"files\">>)", "(visit: Visit<Found<\"nights.night\">>)"),
    ("need === \"member\"", "need === \"members\""),
    ("list === \"observers\"", "list === \"observer\""),
    ("below: \"nights\"", "below: \"night\""),
    ("pages: [\"home\"]", "pages: [\"homes\"]"),
    ("state.archive.size", "state.size"),
    ("visitor?.name", "visitor?.title"),
    ("{ date: \"2031-04-02\" }", "{}"),
    ("() => new Response(\"nights\")", "() => 7"),
    ("frames.includes(\"shell\")", "frames.includes(\"shel\")"),
    ("visit.values(\"exposure\", 100)", "visit.values(\"nights.night\", 100)"),
];

fn holds(name: &str, form: Form, whole: &str, forgotten: &[(&str, &str)]) {
    let workshop = Workshop::new(name);
    let table = Table::from_toml(TABLE).expect("it can be built");
    for file in typescript::files(&table, form).files {
        write(&workshop.folder.join(file.name), &file.text);
    }
    write(&workshop.folder.join("whole.ts"), whole);
    let mut files = vec!["whole.ts".to_owned()];
    for (at, (from, to)) in forgotten.iter().enumerate() {
        assert_eq!(whole.matches(from).count(), 1, "{from}");
        files.push(format!("forgotten{at}.ts"));
        write(&workshop.folder.join(&files[at + 1]), &whole.replace(from, to));
    }
    let files: Vec<&str> = files.iter().map(String::as_str).collect();
    let (_, printed) = compile(&workshop, &["--lib", "es2020,dom,dom.iterable"], &files);
    let is_right = |file: &str| !printed.contains(&format!("{file}("));
    assert!(["whole.ts", "browser.ts", "server.ts"].into_iter().all(is_right), "{printed}");
    for (file, (from, _)) in files[1..].iter().zip(forgotten) {
        assert!(!is_right(file), "{from}\n{printed}");
    }
}

#[test]
fn an_entry_that_is_forgotten_does_not_compile() {
    holds("registry", Form { browser: true, ..Form::default() }, IN_BROWSER, FORGOTTEN_IN_BROWSER);
}

#[test]
fn a_page_that_is_forgotten_on_a_server_does_not_compile() {
    holds("server", Form { server: true, ..Form::default() }, ON_SERVER, FORGOTTEN_ON_SERVER);
}
