//! A folder of page files as a table: each file is the page of its own path, whatever the order, and whatever it is called.

use proptest::prelude::*;
use vivid_lane::declare::Severity;
use vivid_lane::{Decision, Request, Table, TableSpec};

fn page(table: &Table, url: &str) -> String {
    match table.decide(&Request::get(url)) {
        Decision::Page(found) => found.page().clone(),
        Decision::NotFound(missing) => format!("404 {}", missing.fallback().map_or("", String::as_str)),
        other => format!("{} {}", other.status(), other.location().unwrap_or_default()),
    }
}

fn findings(files: &[(&str, &str)]) -> Vec<String> {
    let error = TableSpec::from_pages(files.iter().copied()).build().expect_err("something is wrong");
    error.findings().iter().filter(|one| one.severity() == Severity::Error).map(ToString::to_string).collect()
}

#[test]
fn files_are_routes() {
    let table = TableSpec::from_pages([
        ("index.html", "---\ntitle: Larkfell\n---\n"),
        ("frame.html", ""),
        ("fallback.html", ""),
        ("nights/index.html", "---\nroute:\n  path: /nights{?year}\n  params: { year: integer }\n---\n"),
        ("nights/frame.html", ""),
        ("nights/{date}.html", "\u{feff}+++\r\nroute.params.date = 'date'\r\ntitle = 'A night'\r\n+++\r\n"),
        ("objects.html", "--- no front matter ---"),
        ("objects/tonight.html", ""),
        ("objects/M{number}.html", "---\n---\n"),
        ("objects/fallback.html", ""),
        ("objects/{object}/index.md", ""),
        ("objects/{object}/page.html", ""),
        ("help/{+tail}.md", ""),
        ("50% off?.html", ""),
        ("report{.format}.html", ""),
    ]);
    let remarks = table.to_data();
    let table = table.build().unwrap_or_else(|error| panic!("{error}"));
    for (url, wanted) in [
        ("/", "index.html"),
        ("/nights", "nights/index.html"),
        ("/nights?year=x", "404 fallback.html"),
        ("/nights/2031-04-02", "nights/{date}.html"),
        ("/nights/2031-02-30", "404 fallback.html"),
        ("/objects", "objects.html"),
        ("/objects/tonight", "objects/tonight.html"),
        ("/objects/M31", "objects/M{number}.html"),
        ("/objects/x", "objects/{object}/index.md"),
        ("/objects/x/page", "objects/{object}/page.html"),
        ("/objects/x/y/z", "404 objects/fallback.html"),
        ("/help/a/b", "help/{+tail}.md"),
        ("/50%25%20off%3F", "50% off?.html"),
        ("/report.csv", "report{.format}.html"),
        ("/report", "report{.format}.html"),
        ("/index", "404 fallback.html"),
        ("/nights/", "308 /nights"),
    ] {
        assert_eq!(page(&table, url), wanted, "{url}");
    }
    let night = table.find("/nights/2031-04-02").expect("it is a page");
    assert_eq!(night.frames().collect::<Vec<_>>(), ["frame.html", "nights/frame.html"]);
    assert_eq!(night.data().get("title").and_then(|title| title.as_text()), Some("A night"));
    // A key of a route cannot be the name of a child, so that the table can be written as a file.
    assert_eq!(table.find("/objects/x/page").expect("it is a page").route().name(), "objects.object.page-2");
    assert!(remarks.get("routes").and_then(|routes| routes.get("objects")?.get("object")?.get("page-2")).is_some());
}

#[test]
fn what_is_wrong_names_the_files() {
    for (files, expected) in [
        (vec![("a.html", ""), ("a.md", "")], "a.md:1:1: the files `a.html` and `a.md` exclude each other"),
        (vec![("a.html", ""), ("a/index.html", "")], "the files `a.html` and `a/index.html` exclude each other"),
        (vec![("{x}.html", ""), ("{y}.md", "")], "the files `{x}.html` and `{y}.md` exclude each other"),
        (vec![("frame.html", ""), ("frame.md", "")], "the files `frame.html` and `frame.md` exclude each other"),
        (vec![("../a.html", "")], "`..` in the name of the file `../a.html` cannot be a part of a path"),
        (vec![("a/...html", "")], "`..` in the name of the file `a/...html` cannot be a part of a path"),
        (vec![("/a.html", "")], "`` in the name of the file"),
        (vec![("a\u{7}b.html", "")], "`a\\u{7}b.html` in the name of the file"),
        (vec![("a\\b.html", "")], "`a\\\\b.html` in the name of the file"),
        (vec![("a.html", "---\nroute: {}\n")], "a.html:1:1: the front matter that begins with `---` has no end"),
        (vec![("a.html", "---\nroute: [\n---\n")], "a.html:2:8: this is not YAML: unclosed bracket"),
        (vec![("a.html", "+++\nx = \n+++\n")], "a.html:2:5: this is not TOML"),
        (vec![("a.html", "---\nroute:\n  pth: /x\n---\n")], "a.html:3:3: unknown key `pth`; did you mean `path`?"),
        (
            vec![("a.html", "---\nroute:\n  page: x\n---\n")],
            "a.html:3:3: the files decide `page`, so front matter cannot set it",
        ),
        (
            vec![("{a.html", ""), ("b.html", "---\nroute:\n  params: { x: dat }\n---\n")],
            "unknown format `dat`; did you mean `date`?",
        ),
        (vec![("{a b}.html", "")], "{a b}.html:1:1: "),
    ] {
        let found = findings(&files);
        assert!(found.iter().any(|one| one.contains(expected)), "`{expected}` is not in {found:#?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 2000, ..ProptestConfig::default() })]

    /// Files with plain names, in any folders, are the pages of the URLs that they are called after.
    #[test]
    fn a_file_is_the_page_of_its_path(
        files in prop::collection::btree_set(prop::collection::vec("[a-c%? é']{1,3}|tonight|page", 1..4), 1..8),
        rotation in 0usize..8,
    ) {
        let mut names: Vec<String> = files.iter().map(|parts| format!("{}.html", parts.join("/"))).collect();
        let table = TableSpec::from_pages(names.iter().map(|name| (name.as_str(), "")));
        // The order in which files come does not matter.
        let count = names.len();
        names.rotate_left(rotation % count);
        let turned = TableSpec::from_pages(names.iter().map(|name| (name.as_str(), "")));
        prop_assert_eq!(turned.to_data(), table.to_data());
        let table = table.build().expect("plain names mean different URLs");
        for (parts, name) in files.iter().map(|parts| (parts, format!("{}.html", parts.join("/")))) {
            let encode = |part: &String| part.bytes().map(|byte| format!("%{byte:02X}")).collect::<String>();
            let url: String = parts.iter().map(|part| format!("/{}", encode(part))).collect();
            // Escapes that are needless are redirected; the page is the same.
            let url = match table.decide(&Request::get(&url)) {
                Decision::Redirect(redirect) => redirect.location().to_owned(),
                _ => url,
            };
            prop_assert_eq!(page(&table, &url), name);
        }
    }

    /// Whatever files are called, and whatever stands in them: a table or findings, never a panic, and names that a table
    /// file can have.
    #[test]
    fn hostile_files_are_refused_or_read(files in prop::collection::vec((
        prop_oneof![3 => "[{}./+*?,a-b;&#-]{0,12}", 1 => "\\PC{0,12}", 1 => any::<String>(), 1 => Just("x".repeat(300))],
        prop_oneof!["---\n[a-z:{} \n]{0,30}\n---\n", "\\+\\+\\+\n[a-z=.'\n]{0,30}\n\\+\\+\\+\n", any::<String>()],
    ), 0..6)) {
        let spec = TableSpec::from_pages(files.clone());
        if let Ok(table) = spec.clone().build() {
            prop_assert!(table.routes().all(|route| route.page().is_none_or(|page| files.iter().any(|(name, _)| name == page))));
        }
    }
}
