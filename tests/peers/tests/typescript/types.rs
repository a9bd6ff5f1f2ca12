//! What compiles, and what must not.

use std::process::Command;

use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

use crate::workshop::{Workshop, write};

pub(crate) const TABLE: &str = r#"
    lists = ["observers"]
    [site]
    frame = "shell"
    fallback = "lost"
    [needs.member]
    otherwise = "sign-in"
    [routes.home]
    path = "{/lang}"
    page = "home"
    params.lang = ["en", "cy"]
    [routes.nights]
    path = "/nights"
    page = "night-list"
    frame = "calendar"
    fallback = "no-such-night"
    data = { title = "Nights", order = 1 }
    [routes.nights.night]
    path = "/{date}"
    page = "night"
    params.date = "date"
    [routes.exposure]
    path = "/exposures/{number}{?deep,page}"
    page = "exposure"
    params.number = "integer"
    params.deep = "boolean"
    params.page = { type = "integer", default = 1 }
    [routes.files]
    path = "/files{/path*}{?rest*}"
    params.rest.type = "object"
    page = "files"
    [routes.observer]
    path = "/observers/{name}"
    page = "observer"
    needs = ["member"]
    params.name.listed = "observers"
    [routes.sign-in]
    path = "/sign-in{?return}"
    page = "sign-in"
    [routes.old]
    path = "/old/{date}"
    redirect = "nights.night"
    params.date = "date"
    [routes.group]
    path = "/group"
    [routes.group.one]
    path = "/one"
    page = "one"
"#;

/// The strictest options of the language, for environments with and without a browser.
const OPTIONS: &[&str] = &[
    "--strict",
    "--noUncheckedIndexedAccess",
    "--exactOptionalPropertyTypes",
    "--noPropertyAccessFromIndexSignature",
    "--noImplicitOverride",
    "--noUnusedLocals",
    "--noUnusedParameters",
    "--isolatedModules",
    "--declaration",
    "--isolatedDeclarations",
    "--erasableSyntaxOnly",
    "--verbatimModuleSyntax",
    "--target",
    "es2020",
    "--module",
    "nodenext",
    "--outDir",
    "out",
];

pub(crate) fn compile(workshop: &Workshop, more: &[&str], files: &[&str]) -> (bool, String) {
    let compiler = std::env::var("TYPESCRIPT").expect("`TYPESCRIPT` names the compiler; the script sets it");
    let output =
        Command::new("node").arg(compiler).args(OPTIONS).args(more).args(files).current_dir(&workshop.folder).output();
    let output = output.expect("`node` can be run");
    (output.status.success(), String::from_utf8_lossy(&output.stdout).into_owned())
}

const HEAD: &str = "import { address, dataOf, decide, frames, isActive, levels, link, linkFrom, match, transition, up } from \"./routes.js\";\n\
    import type { Decision, Found, FrameName, LevelName, ListName, Match, NeedName, PageName, Params, RouteName } from \"./routes.js\";\n\
    export type All = [Decision, FrameName, LevelName, ListName, Match, NeedName, PageName, RouteName];\n\
    export const functions: unknown = [address, dataOf, decide, frames, isActive, levels, link, linkFrom, match, transition, up];\n\
    export type Night = Found<\"nights.night\">; export type Of = Params<\"exposure\">;\n";

const RIGHT: &str = r#"
const urls: string[] = [
    link("home"), link("home", {}), link("home", { lang: "cy" }), link("nights"), link("nights.night", { date: "2031-04-02" }),
    link("exposure", { number: 7, deep: true }), link("exposure", { number: 7n, page: undefined }),
    link("files", { path: ["a", "b c"], rest: [["x", "1"]] }), link("files", { rest: { x: "1" } }), link("group.one"),
];
/** The pages of the table, and those for what is missing: the compiler finds one that is left out. */
export function title(page: PageName): string {
    switch (page) {
        case "home": return "Home";
        case "night-list": return "Nights";
        case "night": return "A night";
        case "exposure": return "An exposure";
        case "files": return "Files";
        case "observer": return "An observer";
        case "sign-in": return "Sign in";
        case "one": return "One";
        case "lost": return "Lost";
        case "no-such-night": return "No such night";
    }
}
export function shown(found: Match): string {
    if (found.page === "night") return found.params.date.toUpperCase();
    if (found.page === "exposure") {
        const { number, deep, page } = found.params;
        const next: number = number + page;
        return deep === undefined ? `${next}` : deep ? "deep" : "flat";
    }
    if (found.route === "files") {
        const first: readonly [string, string] | undefined = found.params.rest?.[0];
        return (found.params.path ?? []).join("+") + (first?.[0] ?? "");
    }
    if (found.page === "home") {
        const lang: "en" | "cy" | undefined = found.params.lang;
        return lang ?? "none";
    }
    if (found.route === "nights") {
        const title: "Nights" = dataOf(found.route).title;
        return title;
    }
    return frames(found).join(" ") + levels(found).map((level) => level.covered).join("");
}
export function answered(decision: Decision): string {
    switch (decision.outcome) {
        case "page": return shown(decision);
        case "redirect": return decision.location;
        case "unmet": return decision.location ?? decision.need;
        case "not-found": return decision.page ?? "";
        case "wrong-method":
        case "options": return decision.allow.join(" ");
        case "bad-request": return decision.reason;
        case "unavailable": return `${decision.retryAfter}`;
    }
}
const night = match("/nights/2031-04-02?more=1");
const lists = { observers: new Set(["ada"]) };
const meets = (need: NeedName): boolean => need === "member";
const all: string[] = [
    ...urls, title("night"),
    ...["/nights/2031-04-02", "/exposures/41?deep=false", "/exposures/41", "/files/a/b?x=1", "/cy", "/", "/nights", "/group/one", "/old/2031-04-02",
        "/nights/never", "/%"].map((url) => answered(decide(url))),
    answered(decide("/observers/ada", { lists, meets })), answered(decide("/observers/ada", { lists })),
];
if (night) {
    all.push(linkFrom(night, "nights"), up(night) ?? "", isActive(night, "nights") ?? "", transition(undefined, night).entered.join("+"));
    if (night.page === "night") all.push(linkFrom(night, "nights.night"));
    all.push(address(night), dataOf("nights").title, link("home", { lang: null }), linkFrom(night, "home", { lang: null }));
}
declare const console: { log(text: string): void };
console.log(all.join("\n"));
"#;

const PRINTED: &str = "/\n/\n/cy\n/nights\n/nights/2031-04-02\n/exposures/7?deep=true\n/exposures/7\n/files/a/b%20c?x=1\n/files?x=1\n/group/one\nA night\n\
    2031-04-02\nflat\n42\na+bx\ncy\nnone\nNights\nshell/group/one\n/nights/2031-04-02\nno-such-night\nexpected two hexadecimal digits after `%`\n\
    shell/observers/ada\n/sign-in?return=%2Fobservers%2Fada\n/nights\n/nights\ntrue\nnights+nights.night\n/nights/2031-04-02\n\
    /nights/2031-04-02?more=1\nNights\n/\n/";

const WRONG: &[(&str, &str)] = &[
    ("unknown", r#"link("nights.nigth", { date: "2031-04-02" });"#),
    ("missing", r#"link("nights.night");"#),
    ("missing2", r#"link("nights.night", {});"#),
    ("extra", r#"link("nights.night", { date: "2031-04-02", day: "x" });"#),
    ("extra2", r#"link("nights", { date: "2031-04-02" });"#),
    ("type", r#"link("exposure", { number: "7" });"#),
    ("type2", r#"link("exposure", { number: 7, deep: "yes" });"#),
    ("type3", r#"link("nights.night", { date: 2031 });"#),
    ("choice", r#"link("home", { lang: "fr" });"#),
    ("list", r#"link("files", { path: "a/b" });"#),
    ("group", r#"link("group");"#),
    ("redirect", r#"link("old", { date: "2031-04-02" });"#),
    ("page", r#"export const page: PageName = "nigth";"#),
    ("page2", r#"export function f(page: PageName): string { switch (page) { case "home": return "x"; } }"#),
    ("narrow", r#"export function f(found: Match): unknown { return found.page === "home" ? found.params.date : 1; }"#),
    ("absent", r#"export function f(found: Match): string { return found.page === "home" ? found.params.lang : ""; }"#),
    ("outcome", r#"export function f(decision: Decision): string { return decision.location; }"#),
    ("need", r#"decide("/", { meets: new Set(["membre"]) });"#),
    ("lists", r#"decide("/", { lists: { observer: new Set(["ada"]) } });"#),
    ("async", r#"decide("/", { meets: async () => true });"#),
    ("frame", r#"export const frame: FrameName = "calender";"#),
    ("from", r#"export function f(found: Match): string { return linkFrom(found, "nights.night"); }"#),
    ("from2", r#"export function f(found: Found<"nights">): string { return linkFrom(found, "nights.night", {}); }"#),
    (
        "from3",
        r#"export function f(found: Found<"home">): string { return linkFrom(found, "exposure", { deep: true }); }"#,
    ),
    ("null", r#"link("nights.night", { date: null });"#),
    ("data", r#"export const title: "Night" = dataOf("nights").title;"#),
];

/// Writes the files of a table into a folder.
fn write_modules(workshop: &Workshop, table: &Table, javascript: bool) {
    for file in typescript::files(table, Form { javascript, ..Form::default() }).files {
        write(&workshop.folder.join(file.name), &file.text);
    }
}

#[test]
fn only_what_the_table_has_compiles() {
    let workshop = Workshop::new("types");
    let table = Table::from_toml(TABLE).expect("it can be built");
    write_modules(&workshop, &table, false);
    write(&workshop.folder.join("right.ts"), &format!("{HEAD}{RIGHT}"));
    for lib in ["es2020", "es2020,dom", "esnext,dom,dom.iterable"] {
        let (is_compiled, told) = compile(&workshop, &["--lib", lib], &["right.ts"]);
        assert!(is_compiled, "{lib}: {told}");
    }
    let (_, told) = workshop.node("out/right.js");
    assert_eq!(told.trim(), PRINTED);

    // All of them at once: each must be found wrong where it is wrong.
    let files: Vec<String> = WRONG.iter().map(|(name, _)| format!("{name}.ts")).collect();
    for (file, (_, text)) in files.iter().zip(WRONG) {
        write(&workshop.folder.join(file), &format!("{HEAD}{text}\n"));
    }
    let (_, told) = compile(&workshop, &["--lib", "es2020"], &files.iter().map(String::as_str).collect::<Vec<_>>());
    let line = HEAD.lines().count() + 1;
    for (file, (_, text)) in files.iter().zip(WRONG) {
        assert!(told.contains(&format!("{file}({line},")), "{text}\n{told}");
    }
    for words in NAMED {
        assert!(words.iter().all(|word| told.contains(word)), "{words:?}\n{told}");
    }

    // The same for those who have no compiler: the declarations say what the modules are.
    let plain = Workshop::new("declared");
    write_modules(&plain, &table, true);
    write(&plain.folder.join("right.ts"), &format!("{HEAD}{RIGHT}"));
    let (is_compiled, told) = compile(&plain, &["--lib", "es2020"], &["right.ts"]);
    assert!(is_compiled, "{told}");
    std::fs::rename(plain.folder.join("out/right.js"), plain.folder.join("right.js")).expect("it was compiled");
    let (_, told) = plain.node("right.js");
    assert_eq!(told.trim(), PRINTED);

    // A table and a runtime of two versions do not work together, and say so at once.
    let of_table = plain.folder.join("table.js");
    let text = std::fs::read_to_string(&of_table).expect("it was written");
    let version = format!("new Table(\"{}\"", env!("CARGO_PKG_VERSION"));
    assert!(text.contains(&version));
    write(&of_table, &text.replace(&version, "new Table(\"0.0.0\""));
    let (has_run, told) = plain.node("right.js");
    assert!(!has_run && told.contains("this table is for version 0.0.0 of the runtime"), "{told}");
}

/// What errors name: the route, the parameter, and what was expected.
const NAMED: &[&[&str]] = &[
    &["'\"nights.nigth\"' is not assignable to parameter of type", "keyof Routes"],
    &["Property 'date' is missing in type '{}' but required in type 'LinkValues<\"nights.night\","],
    &["'day' does not exist in type 'LinkValues<\"nights.night\","],
];

/// A table of many routes, and a program with a link to each and a registry of all pages.
fn large(count: usize) -> (Table, String) {
    let mut text = String::new();
    let (mut links, mut views) = (String::new(), String::new());
    for at in 0..count / 5 {
        for (name, path, values) in [
            ("", format!("/res{at}"), ""),
            (".new", "/new".to_owned(), ""),
            (".one", "/{id}".to_owned(), ", { id: 7 }"),
            (".one.edit", "/edit".to_owned(), ", { id: 7 }"),
            (".one.log", "/log".to_owned(), ", { id: 7 }"),
        ] {
            let rule = if name == ".one" { "params.id = 'natural'\n" } else { "" };
            text.push_str(&format!("[routes.res{at}{name}]\npath = '{path}'\npage = 'p{at}{name}'\n{rule}"));
            links.push_str(&format!("link(\"res{at}{name}\"{values}),\n"));
            views.push_str(&format!("\"p{at}{name}\": (found) => found.page,\n"));
        }
    }
    let program = format!(
        "import {{ link, match, type Registry }} from \"./routes.js\";\nexport const links: string[] = [{links}];\n\
         export const views: Registry<string> = {{{views}}};\nexport const found = (): string => match(\"/\")?.page ?? \"\";\n"
    );
    (Table::from_toml(&text).expect("it can be built"), program)
}

/// What the compiler does for a table, in its own measure: the types that it makes.
fn types_made(count: usize) -> usize {
    let workshop = Workshop::new(&format!("large{count}"));
    let (table, program) = large(count);
    write_modules(&workshop, &table, false);
    write(&workshop.folder.join("uses.ts"), &program);
    let (is_compiled, told) = compile(&workshop, &["--lib", "es2020", "--extendedDiagnostics"], &["uses.ts"]);
    assert!(is_compiled, "{told}");
    let instantiations = told.lines().find_map(|line| line.strip_prefix("Instantiations:"));
    instantiations.and_then(|count| count.trim().parse().ok()).expect("the compiler says what it did")
}

#[test]
fn tables_of_any_size_compile() {
    let [small, middle, large] = [10, 1000, 5000].map(types_made);
    // Linear: what a route takes does not grow with the table.
    assert!((large - small) / 4990 <= (middle - small) / 990 + 1, "{small}, {middle}, {large}");
}
