//! `--draw` and `--html`, as a user calls them: what is drawn is whole, within its picture, and says what the tool says.

mod support;

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use proptest::prelude::*;
use quick_xml::Reader;
use quick_xml::events::Event;
use serde_json::{Map, Value as Json, json};
use support::{DEMO, Run, demo, tool, with_table};

fn out(name: &str) -> PathBuf {
    Path::new(env!("CARGO_TARGET_TMPDIR")).join(name)
}

fn text(path: &Path) -> String {
    std::fs::read_to_string(path).expect("it was written")
}

/// A piece of text in a picture: its class, where it is, and what it says.
#[derive(Debug)]
struct Text {
    class: String,
    x: f64,
    y: f64,
    text: String,
}

#[derive(Debug, Default)]
struct Picture {
    width: f64,
    height: f64,
    texts: Vec<Text>,
    /// Left, top, right, bottom of every area.
    areas: Vec<[f64; 4]>,
    arrows: usize,
}

/// Reads a picture, which has to be well-formed.
fn read(svg: &str) -> Picture {
    let mut picture = Picture::default();
    let mut reader = Reader::from_str(svg);
    reader.config_mut().check_end_names = true;
    let mut is_text = false;
    loop {
        let event = reader.read_event().expect("well-formed XML");
        match &event {
            Event::Start(tag) | Event::Empty(tag) => {
                let attributes: HashMap<String, String> = tag
                    .attributes()
                    .map(|one| one.expect("an attribute"))
                    .map(|one| (one.key.as_ref().to_owned(), one.value.into_owned()))
                    .collect();
                let number = |name: &str| attributes.get(name).map_or(0.0, |text| text.parse().expect("a number"));
                let class = attributes.get("class").cloned().unwrap_or_default();
                match tag.name().as_ref() {
                    "svg" => (picture.width, picture.height) = (number("width"), number("height")),
                    "rect" => {
                        let (x, y) = (number("x"), number("y"));
                        assert!(number("width") > 0.0 && number("height") > 0.0, "{attributes:?}");
                        picture.areas.push([x, y, x + number("width"), y + number("height")]);
                    }
                    "path" if class.starts_with("arrow") => picture.arrows += 1,
                    "text" => picture.texts.push(Text { class, x: number("x"), y: number("y"), text: String::new() }),
                    _ => {}
                }
                is_text = tag.name().as_ref() == "text";
            }
            Event::Text(words) if is_text => {
                picture.texts.last_mut().expect("a text").text += words;
            }
            Event::GeneralRef(entity) if is_text => {
                let char = entity.resolve_char_ref().expect("a reference").map(String::from);
                let named =
                    || quick_xml::escape::resolve_predefined_entity(entity).expect("one of the five").to_owned();
                picture.texts.last_mut().expect("a text").text += &char.unwrap_or_else(named);
            }
            Event::End(_) => is_text = false,
            Event::Eof => return picture,
            _ => {}
        }
    }
}

fn is_within(picture: &Picture) {
    for [left, top, right, bottom] in &picture.areas {
        assert!(*left >= 0.0 && *top >= 0.0 && *right <= picture.width && *bottom <= picture.height, "{picture:?}");
    }
    for text in &picture.texts {
        // Narrow letters of the common fonts have more than a quarter of their height in width.
        let least = text.text.chars().count() as f64 * 3.2;
        let right = if text.class.contains("hits") { text.x } else { text.x + least };
        assert!(right <= picture.width && text.y < picture.height, "{text:?} of {picture:?}");
    }
}

/// How many routes a picture shows, and how many it only counts.
fn count(picture: &Picture) -> (usize, usize) {
    let paths = || picture.texts.iter().filter(|text| text.class.starts_with("path ") && !text.class.contains("hits"));
    let more = |text: &Text| text.text.strip_prefix("… ")?.strip_suffix(" more")?.parse::<usize>().ok();
    (paths().filter(|text| text.class != "path group").count(), paths().filter_map(more).sum())
}

fn route() -> impl Strategy<Value = Json> {
    let page = prop_oneof![
        Just("a<b>&\"'`\u{7}"),
        Just("観測所"),
        Just("a-page-whose-name-is-longer-than-any-line-can-be"),
        Just("p")
    ];
    (page, prop::option::of("[a-z]{1,3}"), any::<bool>()).prop_map(|(page, frame, needs)| {
        let mut route = json!({ "page": page });
        if let Some(frame) = frame {
            route["frame"] = frame.into();
        }
        if needs {
            route["methods"] = json!(["GET", "POST"]);
        }
        route
    })
}

/// A table: each route stands below one of those before it, or at the top.
fn table() -> impl Strategy<Value = (Json, usize)> {
    let few = prop::collection::vec((route(), any::<prop::sample::Index>(), 0u8..4), 1..40);
    let many = prop::collection::vec((route(), any::<prop::sample::Index>(), 0u8..4), 250..400);
    prop_oneof![2 => few, 1 => many].prop_map(|routes| {
        let count = routes.len();
        let mut nodes: Vec<(Json, Vec<usize>)> = Vec::new();
        let mut tops = Vec::new();
        for (at, (mut route, above, is_top)) in routes.into_iter().enumerate() {
            route["path"] = format!("/{}/n{at}", ["a", "b", "c"][at % 3]).into();
            nodes.push((route, Vec::new()));
            if at == 0 || is_top == 0 { tops.push(at) } else { nodes[above.index(at)].1.push(at) }
        }
        // From the last to the first, so that what is below a route is done before it.
        for at in (0..count).rev() {
            let below: Map<String, Json> =
                nodes[at].1.clone().into_iter().map(|child| (format!("r{child}"), nodes[child].0.clone())).collect();
            nodes[at].0.as_object_mut().expect("an object").extend(below);
        }
        let mut tops: Map<String, Json> = tops.into_iter().map(|at| (format!("r{at}"), nodes[at].0.clone())).collect();
        tops.insert("old".into(), json!({ "path": "/old", "redirect": "r0" }));
        (json!({ "routes": tops }), count + 1)
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, max_shrink_iters: 40, ..ProptestConfig::default() })]

    /// Of any table, each route is drawn or counted, nothing stands outside of the picture, and the picture stays small.
    #[test]
    fn a_map_has_all_routes_and_holds_them((table, routes) in table()) {
        let svg = out("drawn.svg");
        let call = ["tree", "--draw", svg.to_str().expect("UTF-8")];
        let run = with_table("drawn.json", table.to_string().as_bytes(), &call);
        prop_assert_eq!(run.status, 0, "{}", run.err);
        let picture = read(&text(&svg));
        is_within(&picture);
        let (shown, folded) = count(&picture);
        prop_assert_eq!(shown + folded, routes);
        prop_assert!(shown <= 260 && (folded == 0 || shown >= 16), "{} shown", shown);
    }
}

fn draw(call: &[&str], name: &str) -> (Run, Picture) {
    let svg = out(name);
    let words: Vec<&str> = call.iter().copied().chain(["--draw", svg.to_str().expect("UTF-8")]).collect();
    let run = tool(&words, b"");
    assert!(run.err.contains("wrote"), "{run:?}");
    (run, read(&text(&svg)))
}

#[test]
fn the_map_of_a_log_has_its_hits() {
    let list = format!("observers={}", Path::new(DEMO).with_file_name("observers.txt").display());
    let log = Path::new(DEMO).with_file_name("access.log");
    let call = ["--table", DEMO, "--format", "json", "replay", "--list", &list, log.to_str().expect("UTF-8")];
    let (run, picture) = draw(&call, "hits.svg");
    let report: Json = serde_json::from_str(&run.out).expect("JSON");
    is_within(&picture);
    let hits = |class: &str| {
        let hits = picture.texts.iter().filter(|text| text.class == format!("path hits {class}"));
        hits.map(|text| text.text.replace(',', "").parse::<u64>().expect("a number")).collect::<Vec<_>>()
    };
    let told = |lists: &[&str]| {
        lists
            .iter()
            .flat_map(|list| report[*list].as_array().expect("a list"))
            .map(|one| one["hits"].as_u64().expect("hits"))
            .sum::<u64>()
    };
    assert_eq!(hits("usual").iter().sum::<u64>(), told(&["routes", "redirects"]));
    assert_eq!(hits("missing").iter().sum::<u64>(), told(&["missing"]));
    assert_eq!(hits("quiet"), vec![0; report["never"].as_array().expect("a list").len()]);
}

#[test]
fn the_map_of_a_change_has_what_is_new_and_what_is_gone() {
    let old = Path::new(DEMO).with_file_name("older.toml");
    let (run, picture) = draw(&["diff", old.to_str().expect("UTF-8"), DEMO, "--format", "json"], "changes.svg");
    assert_eq!(run.status, 1);
    is_within(&picture);
    let changes: Vec<Json> = run.out.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
    let routes = |kinds: &[&str]| {
        let of_kind = changes.iter().filter(|one| kinds.contains(&one["change"].as_str().expect("a kind")));
        of_kind.map(|one| one["routes"].as_array().expect("routes").len()).sum::<usize>()
    };
    let drawn = |class: &str| picture.texts.iter().filter(|text| text.class == format!("path {class}")).count();
    assert_eq!(drawn("new"), routes(&["added"]));
    assert_eq!(drawn("missing"), routes(&["removed", "moved"]));
    // From each that is gone to where it would redirect, beside the redirects that the table has.
    assert_eq!(picture.arrows, routes(&["removed", "moved"]) + 3);
}

#[test]
fn reports_are_whole_pages_that_need_nothing_else() {
    let mistakes = Path::new(DEMO).with_file_name("").join("../mistakes");
    let table = |name: &str| mistakes.join(name).display().to_string();
    let log = Path::new(DEMO).with_file_name("access.log").display().to_string();
    let page = |call: &[&str], name: &str| {
        let path = out(name);
        let words: Vec<&str> = call.iter().copied().chain(["--html", path.to_str().expect("UTF-8")]).collect();
        let run = tool(&words, b"");
        let html = text(&path);
        for error in html5gum::Tokenizer::new(&html) {
            let html5gum::Token::Error(error) = error.expect("text") else { continue };
            panic!("{name}: {error:?}");
        }
        // It may lead to the docs, and loads nothing.
        let loads = ["<script", "<link", "src=", "@import", "url(h", "url(/"];
        assert!(loads.iter().all(|word| !html.contains(word)), "{name}");
        (run, html)
    };
    for name in ["works.toml", "broken.toml"] {
        let (run, html) = page(&["--table", &table(name), "--format", "json", "check"], "check.html");
        let findings: Vec<Json> = run.out.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
        assert_eq!(html.matches("<article").count(), findings.len(), "{name}");
        assert_eq!(html.contains("<svg"), name == "works.toml");
        for finding in &findings {
            assert!(html.contains(&format!("<code>{}</code>", finding["code"].as_str().expect("a code"))), "{finding}");
        }
    }
    let (run, html) = page(&["--table", DEMO, "replay", &log], "replay.html");
    for line in run.out.lines().filter(|line| !line.is_empty() && !line.starts_with(' ')) {
        assert!(html.contains(line), "{line}");
    }
}

#[test]
fn a_picture_that_cannot_be_made_is_refused() {
    for (call, reason) in [
        ("tree --draw site.gif", "a picture is SVG; name a file that ends with .svg instead of `site.gif`"),
        ("tree --draw no/such/folder/site.svg", "cannot write no/such/folder/site.svg"),
        ("replay --partial --draw a.svg access.log", "cannot be used with"),
    ] {
        let run = demo(call);
        assert!(run.status == 2 && run.err.contains(reason), "{call}: {run:?}");
    }
}
