//! `check`, `diff` and `replay`, as a user calls them on the demo data.

mod support;

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};

use flate2::Compression;
use flate2::write::GzEncoder;
use serde_json::Value as Json;
use support::{Run, demo, file, tool, with_table};

fn path(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo").join(name)
}

fn text(name: &str) -> String {
    std::fs::read_to_string(path(name)).expect("the demo data is there")
}

fn lines(run: &Run) -> Vec<Json> {
    run.out.lines().map(|line| serde_json::from_str(line).expect("one JSON object a line")).collect()
}

fn check(name: &str, more: &[&str]) -> Run {
    let path = path(name);
    let path = path.to_str().expect("a path in UTF-8");
    tool(&[&["--table", path, "--format", "json", "check"], more].concat(), b"")
}

/// The tables of mistakes say in a comment what is found where; just that is found, and there.
#[test]
fn each_mistake_is_found_where_it_is() {
    for (name, status, strict) in [("mistakes/works.toml", 0, 1), ("mistakes/broken.toml", 1, 1)] {
        let found = check(name, &[]);
        assert_eq!((found.status, check(name, &["--strict"]).status), (status, strict), "{name}");
        let mut told: Vec<(usize, String)> = (1..)
            .zip(text(name).lines())
            .filter_map(|(number, line)| Some((number, line.split_once("# ")?.1.split_once(':')?.0.to_owned())))
            .filter(|(_, code)| !code.contains(' '))
            .collect();
        for finding in lines(&found) {
            let (code, line) = (&finding["code"], finding["line"].as_u64().expect("a line") as usize);
            let near = |(told_at, told): &(usize, String)| {
                code.as_str() == Some(told) && (*told_at..*told_at + 3).contains(&line)
            };
            let at = told.iter().position(near).unwrap_or_else(|| panic!("{name}: {finding} is not told"));
            told.remove(at);
        }
        assert!(told.is_empty(), "{name}: not found: {told:?}");
    }
}

/// A witness is a URL that the route of the finding accepts: the tool itself says so.
#[test]
fn a_witness_shows_what_it_claims() {
    let table = path("mistakes/works.toml");
    let mut shown = 0;
    for finding in lines(&check("mistakes/works.toml", &[])) {
        let (Some(witness), Some(route)) = (finding["witness"].as_str(), finding["routes"][0].as_str()) else {
            continue;
        };
        let call = ["--table", table.to_str().expect("UTF-8"), "--format", "json", "match", "--explain", witness];
        let run = tool(&call, b"");
        let answer = &lines(&run)[0];
        let candidates = answer["candidates"].as_array().expect("candidates");
        let own = candidates.iter().find(|one| one["route"] == route).unwrap_or_else(|| panic!("{finding}: {answer}"));
        let is_hidden =
            ["unreachable", "hidden-redirect", "captured-link"].contains(&finding["code"].as_str().unwrap_or_default());
        assert_eq!(own["verdict"], if is_hidden { "beaten" } else { "answers" }, "{finding}: {answer}");
        if is_hidden {
            assert_eq!(answer["route"], finding["routes"][1], "{finding}");
        }
        shown += 1;
    }
    assert!(shown >= 4, "only {shown} findings have a witness");
}

#[test]
fn sarif_says_what_json_says() {
    let findings = lines(&check("mistakes/broken.toml", &[]));
    let run = check("mistakes/broken.toml", &["--sarif"]);
    let log: Json = serde_json::from_str(&run.out).expect("a log");
    assert_eq!((log["version"].as_str(), log["runs"].as_array().map(Vec::len)), (Some("2.1.0"), Some(1)));
    let run = &log["runs"][0];
    let rules = run["tool"]["driver"]["rules"].as_array().expect("rules");
    let results = run["results"].as_array().expect("results");
    assert_eq!(results.len(), findings.len());
    for (result, finding) in results.iter().zip(&findings) {
        assert_eq!((&result["ruleId"], &result["level"]), (&finding["code"], &finding["severity"]));
        assert_eq!(rules[result["ruleIndex"].as_u64().expect("an index") as usize]["id"], finding["code"]);
        assert!(
            result["message"]["text"]
                .as_str()
                .expect("a text")
                .starts_with(finding["message"].as_str().expect("a text"))
        );
        let place = &result["locations"][0]["physicalLocation"];
        assert_eq!(
            (&place["region"]["startLine"], &place["region"]["startColumn"]),
            (&finding["line"], &finding["column"])
        );
        assert!(place["artifactLocation"]["uri"].as_str().expect("a reference").ends_with("demo/mistakes/broken.toml"));
    }
}

#[test]
fn pages_are_compared_with_handlers() {
    let table =
        b"[routes.home]\npath = \"/\"\npage = \"home\"\n[routes.talks]\npath = \"/talks\"\npage = \"talk-list\"\n";
    let handlers = file("handlers.txt", b"home\ntalk-lst\n");
    let run = with_table("handled.toml", table, &["check", "--handlers", handlers.to_str().expect("UTF-8")]);
    assert_eq!(run.status, 1);
    assert!(run.out.contains("error[page-without-handler]: the page `talk-list` has no handler"), "{}", run.out);
    assert!(
        run.out.contains("did you mean `talk-lst`?") && run.out.contains("the handler `talk-lst` has no page"),
        "{}",
        run.out
    );
    let missing = with_table("handled.toml", table, &["check", "--handlers", "no-such-file.txt"]);
    assert_eq!(missing.status, 2);
}

/// The redirects that are printed can be pasted, and mend what was broken.
#[test]
fn pasted_redirects_keep_old_addresses_alive() {
    let older = path("larkfell/older.toml");
    let older = older.to_str().expect("UTF-8");
    let diff = |new: &str| tool(&["--format", "json", "diff", older, new], b"");
    let before = diff(support::DEMO);
    assert_eq!(before.status, 1);
    let broken = |run: &Run| -> Vec<String> {
        let is_broken = |one: &Json| ["moved", "removed"].contains(&one["change"].as_str().unwrap_or_default());
        lines(run)
            .iter()
            .filter(|one| is_broken(one))
            .map(|one| one["route"].as_str().unwrap_or_default().to_owned())
            .collect()
    };
    assert_eq!(broken(&before), ["nights", "plates.plate", "lectures", "newsletter", "search"]);
    let nights = &lines(&before)[0];
    assert_eq!((&nights["before"], &nights["after"]), (&"/observations{?year}".into(), &"/nights{?year}".into()));
    assert_eq!(nights["routes"].as_array().map(Vec::len), Some(5));

    let entries: Vec<String> =
        lines(&before).iter().filter_map(|one| Some(one["redirect"].as_str()?.to_owned())).collect();
    file("about.toml", text("larkfell/about.toml").as_bytes());
    let mended = file("mended.toml", format!("{}\n{}", text("larkfell/routes.toml"), entries.join("\n")).as_bytes());
    let after = diff(mended.to_str().expect("UTF-8"));
    assert_eq!(broken(&after), Vec::<String>::new(), "{}", after.out);
    let run = tool(&["--table", mended.to_str().expect("UTF-8"), "match", "/observations/2031-04-02/exposures/7"], b"");
    assert!(run.out.contains("→  /nights/2031-04-02/exposures/7"), "{}", run.out);
    assert_eq!(diff(older).out, "");
}

#[test]
fn a_renamed_parent_is_one_difference() {
    let table = |path: &str| {
        let mut table = format!("[routes.objects]\npath = \"{path}\"\n");
        for child in 0..50 {
            table.push_str(&format!(
                "[routes.objects.child-{child}]\npath = \"/child-{child}/{{id}}\"\npage = \"page-{child}\"\n"
            ));
        }
        table
    };
    let (old, new) = (file("old.toml", table("/objects").as_bytes()), file("new.toml", table("/things").as_bytes()));
    let run = tool(&["diff", old.to_str().expect("UTF-8"), new.to_str().expect("UTF-8")], b"");
    assert_eq!(run.status, 1);
    assert!(run.out.starts_with("moved      objects  /objects  →  /things\n"), "{}", run.out);
    assert!(run.out.contains("such as /objects/child-0/a, and 50 routes below it\n"), "{}", run.out);
    assert!(run.out.ends_with("old addresses are broken: 1 moved\n"), "{}", run.out);
}

fn packed(text: &[u8]) -> Vec<u8> {
    let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
    packed.write_all(text).expect("memory takes it");
    packed.finish().expect("memory takes it")
}

/// Plain, packed, from standard input, in parts and merged in any order: one log comes to one report.
#[test]
fn a_log_comes_to_the_same_however_it_is_read() {
    let log = text("larkfell/access.log");
    let replay = |call: &[&str], input: &[u8]| {
        let run = tool(&[&["--table", support::DEMO, "replay"], call].concat(), input);
        assert_eq!((run.status, run.err.as_str()), (0, ""), "{call:?}");
        run.out
    };
    let whole = replay(&["--format", "json", "-"], log.as_bytes());
    let report: Json = serde_json::from_str(&whole).expect("one object");
    let count = |key: &str| report[key].as_u64().expect("a number");
    let kinds = ["page", "redirect", "unmet", "not_found", "wrong_method", "options", "bad_request", "unavailable"];
    assert_eq!(kinds.iter().map(|kind| count(kind)).sum::<u64>(), count("requests"));
    assert_eq!(count("requests") + count("malformed"), log.lines().count() as u64);
    assert!(report["never"].as_array().expect("routes").contains(&"talks.next".into()));
    assert!(
        report["missing"]
            .as_array()
            .expect("URLs")
            .iter()
            .any(|one| one["url"] == "/nihgts" || one["url"] == "/newsletter")
    );
    assert_eq!(replay(&["--format", "json", "-"], &packed(log.as_bytes())), whole);

    // In three parts, cut at lines, each counted apart.
    let all: Vec<&str> = log.lines().collect();
    let parts: Vec<String> = all
        .chunks(1100)
        .enumerate()
        .map(|(number, lines)| {
            let summary = replay(&["--partial", "-"], (lines.join("\n") + "\n").as_bytes());
            file(&format!("part-{number}.json"), summary.as_bytes()).to_str().expect("UTF-8").to_owned()
        })
        .collect();
    let [one, two, three] = &parts[..] else { panic!("three parts") };
    let without_places = |report: &str| {
        let mut report: BTreeMap<String, Json> = serde_json::from_str(report).expect("an object");
        // The lines of each part are counted from its own beginning.
        report.remove("unread");
        report
    };
    let merged = replay(&["--format", "json", "--merge", one, two, three], b"");
    assert_eq!(without_places(&merged), without_places(&whole));
    assert_eq!(replay(&["--format", "json", "--merge", three, one, two], b""), merged);
    let reduced = replay(&["--merge", "--partial", two, three], b"");
    let reduced = file("reduced.json", reduced.as_bytes());
    assert_eq!(replay(&["--format", "json", "--merge", one, reduced.to_str().expect("UTF-8")], b""), merged);
    // What was counted by another table says nothing of this one.
    let older = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/larkfell/older.toml");
    let run = tool(&["--table", older, "replay", "--merge", one], b"");
    assert!(run.status == 2 && run.err.contains("it was made with another table"), "{}", run.err);
}

#[test]
fn a_log_that_breaks_off_is_counted_as_far_as_it_goes() {
    let log = text("larkfell/access.log");
    let whole = packed(log.as_bytes());
    let path = file("broken.log.gz", &whole[..whole.len() / 2]);
    let run = demo(&format!("replay {}", path.display()));
    assert_eq!(run.status, 2);
    // About a half of it, and not nothing.
    let requests: usize = run.out.split(' ').next().expect("a number").replace(',', "").parse().expect("a number");
    assert!(requests > 500 && run.out.contains("never reached"), "{}", run.out);
    assert!(run.err.contains("cannot be read to its end"), "{}", run.err);

    let nothing = demo("replay no-such.log");
    assert_eq!((nothing.status, nothing.out.as_str()), (2, ""));
    let wrong = file("wrong.json", b"{\"requests\": 1}\n");
    let run = demo(&format!("replay --merge {}", wrong.display()));
    assert_eq!(run.status, 2);
    assert!(run.err.contains("wrong.json:1: not a summary that `replay --partial` wrote"), "{}", run.err);
    let empty = tool(&["--table", support::DEMO, "replay", "-"], b"");
    assert!(empty.status == 0 && empty.out.starts_with("0 requests\n"), "{}", empty.out);
}
