//! The built tool, as a user calls it.

mod support;

use std::ffi::OsStr;

use proptest::prelude::*;
use support::{DEMO, demo, file, tool, with_table};

#[test]
fn match_and_link_are_inverses() {
    let found = demo("match /nights/2031-04-02");
    assert_eq!(found.status, 0);
    assert_eq!(
        found.out,
        "200  /nights/2031-04-02  →  nights.night\n     page    night\n     path    /nights/{date}\n     \
         params  date = 2031-04-02\n     frames  with-calendar\n     chain   nights /nights › night /2031-04-02\n"
    );
    assert_eq!(demo("link nights.night date=2031-04-02").out, "/nights/2031-04-02\n");
}

#[test]
fn json_is_one_object_a_line() {
    let run = demo("--format json match /plates/b-1021 /observers/join /nihgts /%zz");
    assert_eq!(run.status, 1);
    let lines: Vec<serde_json::Value> = run.out.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
    let field = |key: &str| lines.iter().map(|line| line[key].clone()).collect::<Vec<_>>();
    assert_eq!(field("outcome"), ["page", "page", "not-found", "bad-request"]);
    assert_eq!(field("status"), [200, 200, 404, 400]);
    assert_eq!(lines[0]["params"], serde_json::json!({ "plate": "b-1021" }));
    assert_eq!(lines[0]["frames"], serde_json::json!(["archive"]));
    assert_eq!(lines[2]["page"], "lost");
    let link = demo("--format json link files path=a path=b,c");
    assert_eq!(link.out, "{\"url\":\"/files/a/b%2Cc\"}\n");
    let link = demo("link files path=a path=..");
    assert!(
        link.err.contains("`path` of `files` refused `..`: expected the name of a file, without a folder"),
        "{}",
        link.err
    );
    assert_eq!(demo("link plates band=b band=v").out, "/plates?band=b&band=v\n");
    let bands = demo("--format json match /plates?band=b&band=v");
    assert!(bands.out.contains(r#""params":{"band":["b","v"]}"#), "{}", bands.out);
    let post = demo("--format json match --method PUT /observers/join");
    let post: serde_json::Value = serde_json::from_str(&post.out).expect("JSON");
    assert_eq!(
        (&post["outcome"], &post["allow"]),
        (&"wrong-method".into(), &serde_json::json!(["GET", "HEAD", "OPTIONS", "POST"]))
    );
    // What holds for the whole table stands before its routes.
    assert_eq!(demo("--format json tree").out.lines().count(), demo("tree").out.lines().count() + 1);
}

#[test]
fn the_tree_has_what_a_redirect_hands_on() {
    let routes = demo("--format json tree").out;
    let routes: Vec<serde_json::Value> = routes.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
    let redirect = |name: &str| routes.iter().find(|one| one["route"] == name).expect("a route")["redirect"].clone();
    let to = serde_json::json!({ "to": "nights.night", "params": { "date": "{d}" }, "status": 301 });
    assert_eq!(redirect("old-night"), to);
    assert_eq!(redirect("old-plates"), serde_json::json!({ "to": "plates", "status": 308 }));
}

/// Help has the options that mean something to the command, and no others.
#[test]
fn help_shows_what_applies() {
    for (command, options) in [
        ("init", vec![]),
        ("schema", vec![]),
        ("diff", vec!["--draw", "--redirects", "--format"]),
        ("link", vec!["--from", "--absolute", "--table", "--format"]),
        (
            "serve",
            vec!["--port", "--address", "--app", "--proxy", "--reload", "--host", "--meets", "--list", "--table"],
        ),
    ] {
        let help = demo(&format!("{command} -h")).out;
        let shown = help.lines().filter_map(|line| line.split_whitespace().next());
        let shown: Vec<&str> = shown.filter(|word| word.starts_with("--")).collect();
        assert_eq!(shown, options, "{help}");
    }
    // They stand before the command all the same.
    assert_eq!(demo("schema").status, 0);
}

/// What a shell is offered for a call that ends with an unfinished word.
fn completed(call: &str) -> Vec<String> {
    let words: Vec<&str> = ["vivid-lane", "--table", DEMO].into_iter().chain(call.split(' ')).collect();
    let output = std::process::Command::new(env!("CARGO_BIN_EXE_vivid-lane"))
        .env("COMPLETE", "bash")
        .env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string())
        .env("_CLAP_IFS", "\n")
        .arg("--")
        .args(&words)
        .output()
        .expect("the tool runs");
    String::from_utf8(output.stdout).expect("UTF-8").lines().map(str::to_owned).collect()
}

#[test]
fn a_shell_completes_names_of_the_table() {
    assert_eq!(completed("link domes.dome.i"), ["domes.dome.instrument", "domes.dome.instrument.manual"]);
    assert_eq!(completed("match /tal"), ["/talks", "/talks/", "/talks/next"]);
    assert_eq!(completed("match --meets "), ["observer"]);
    assert_eq!(completed("match --list o"), ["observers="]);
    assert_eq!(completed("chec"), ["check"]);
    // Without a table there is nothing to offer, and nothing to say.
    let none = tool(&["completions", "zsh"], b"");
    assert!(none.status == 0 && none.out.contains("COMPLETE=\"zsh\""), "{}", none.out);
}

#[test]
fn decisions_are_told_with_their_reasons() {
    for (call, status, outcome, rest) in [
        (
            "/night.cgi?d=2031-04-02&x=1",
            0,
            "redirect",
            r#""status":301,"route":"old-night","location":"/nights/2031-04-02?x=1""#,
        ),
        ("//nights/", 0, "redirect", r#""location":"/nights","reason":"the address in its canonical form""#),
        (
            "/observers/ada/logbook",
            0,
            "unmet",
            r#""need":"observer","location":"/observers/sign-in?return=%2Fobservers%2Fada%2Flogbook""#,
        ),
        ("--meets observer /observers/ada/logbook", 0, "page", r#""page":"logbook""#),
        ("--method OPTIONS /domes", 0, "options", r#""status":204,"allow":["GET","HEAD","OPTIONS"]"#),
        (
            "/night.cgi?d=2031-02-30",
            1,
            "not-found",
            r#""reason":"`date` of `nights.night` refused `2031-02-30`: no such day""#,
        ),
        (
            "/nihgts",
            1,
            "not-found",
            r#""suggestions":[{"url":"/nights","route":"nights","reason":"`nights` for `nihgts`"}]"#,
        ),
    ] {
        let list = file("ada.txt", b"ada\n");
        let run = demo(&format!("--format json match --list observers={} {call}", list.display()));
        assert_eq!(run.status, status, "{call}: {}", run.out);
        assert!(
            run.out.contains(&format!("\"outcome\":\"{outcome}\"")) && run.out.contains(rest),
            "{call}: {}",
            run.out
        );
    }
    // What is missing stands under a route, and says so.
    for (url, pieces) in [
        ("/cy/abuot", r#""under":"home","frames":[],"params":{"lang":"cy"}"#),
        ("/plates/x/y", r#""page":"no-such-plate","under":"plates","frames":["archive"]"#),
        ("/objects/ring/x", r#""under":"objects.object","frames":["object-frame"],"params":{"object":"ring"}"#),
    ] {
        let run = demo(&format!("--format json match {url}"));
        assert!(run.out.contains(pieces), "{url}: {}", run.out);
    }
    let run = demo("match /plates/x/y");
    assert!(run.out.contains("     under     plates  /plates{?band*}\n     frames    archive\n"), "{}", run.out);
    let run = demo("match /2031-04-02 //domes");
    assert_eq!(
        run.out,
        "404  /2031-04-02  →  not found\n     fallback  lost\n     near      /nights/2031-04-02  with `nights` before `2031-04-02`\n\
         308  //domes  →  /domes\n     because  the address in its canonical form\n"
    );
}

#[test]
fn links_inherit_from_the_page_that_they_stand_on() {
    assert_eq!(demo("link nights.night.exposures --from /nights/2031-04-02").out, "/nights/2031-04-02/exposures\n");
    assert_eq!(
        demo("link nights.night --from /nights/2031-04-02 date=2031-04-03 --absolute").out,
        "https://larkfell.example/nights/2031-04-03\n"
    );
    let run = demo("link nights.night --from //nights");
    assert_eq!(
        (run.status, run.err.as_str()),
        (2, "error: expected the URL of a page for `--from`, found `//nights`: it redirects to `/nights`\n")
    );
}

/// What a route says of the page for what is missing is shown, and a page that is switched off is too.
#[test]
fn a_tree_shows_what_is_missing() {
    let table = b"site.fallback = 'lost'\nroutes.api = { path = '/api', fallback = false, domes = { path = '/domes', page = 'domes' } }\n";
    let text = with_table("no-fallback.toml", table, &["tree"]).out;
    assert!(text.lines().any(|line| line.starts_with("api ") && line.ends_with("no fallback")), "{text}");
    let json = with_table("no-fallback.toml", table, &["--format", "json", "tree"]).out;
    assert!(json.contains(r#""route":"api","path":"/api","fallback":false"#), "{json}");
    let json = with_table("no-fallback.toml", table, &["--format", "json", "match", "/api/dmes", "/dmes"]).out;
    let pages: Vec<bool> = json.lines().map(|line| line.contains(r#""page":"lost""#)).collect();
    assert_eq!(pages, [false, true], "{json}");
}

#[test]
fn lists_and_standard_input_are_read() {
    let list = file("observers.txt", b"ada\r\ngrace\n");
    let list = format!("observers={}", list.display());
    let words = ["--table", DEMO, "--format", "json", "match", "--list", &list, "-"];
    let run = tool(&words, b"/observers/ada\r\n/observers/nobody\n\xff\n/observers/grace");
    let pages: Vec<bool> = run.out.lines().map(|line| line.contains("\"outcome\":\"page\"")).collect();
    assert_eq!(pages, [true, false, false, true]);
    assert_eq!(run.status, 1);
}

#[test]
fn findings_show_the_line_and_the_mend() {
    let table = b"[routes.home]\npath = '/'\npgae = 'home'\n";
    let run = with_table("typo.toml", table, &["check"]);
    assert_eq!(run.status, 1);
    for piece in [
        "error[unknown-key]: unknown key `pgae`",
        "typo.toml:3:1",
        "3 | pgae = 'home'",
        "did you mean `page`?",
        "broken: 1 error",
    ] {
        assert!(run.out.contains(piece), "`{piece}` is not in:\n{}", run.out);
    }
    let json = with_table("typo.toml", table, &["--format", "json", "check"]);
    let finding: serde_json::Value = serde_json::from_str(&json.out).expect("JSON");
    assert_eq!((&finding["severity"], &finding["line"], &finding["column"]), (&"error".into(), &3.into(), &1.into()));
    let run = with_table("typo.toml", table, &["match", "/"]);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains("did you mean `page`?"));
    assert_eq!(demo("check").status, 0);
}

#[test]
fn what_is_wrong_with_a_call_ends_with_2() {
    for call in [
        "link nights.night",
        "link nights.night date",
        "link nope",
        "mtach /",
        "match",
        "--format xml tree",
        "match --list x /",
        "match --meets nothing /",
        "link nights --from /nihgts",
        "link old-night d=2031-04-02",
    ] {
        let run = demo(call);
        assert_eq!(run.status, 2, "{call}: {}", run.out);
        assert!(run.err.starts_with("error: "), "{call}: {}", run.err);
    }
    let run = tool(&["tree"], b"");
    assert_eq!(run.status, 2);
    assert!(run.err.contains("no `routes.toml`"), "{}", run.err);
}

#[test]
fn files_that_are_no_tables_end_with_2() {
    let mebibyte = |unit: &[u8]| unit.iter().copied().cycle().take(1 << 20).collect::<Vec<u8>>();
    let files: &[(&str, Vec<u8>)] = &[
        ("empty.toml", Vec::new()),
        ("latin1.toml", b"[routes.caf\xe9]".to_vec()),
        ("brackets.toml", mebibyte(b"[")),
        ("dots.toml", mebibyte(b"a.")),
        ("braces.json", mebibyte(b"{\"a\":")),
        ("flow.yaml", mebibyte(b"[")),
        ("words.yaml", mebibyte(b"- ")),
        ("text.toml", mebibyte(b"x = 'y'\n")),
        ("path.toml", [b"[routes.a]\npage = 'a'\npath = '/".to_vec(), mebibyte(b"{a}"), b"'".to_vec()].concat()),
        ("optional.toml", [b"[routes.a]\npage = 'a'\npath = '{/".to_vec(), mebibyte(b"a,"), b"b}'".to_vec()].concat()),
    ];
    for (name, bytes) in files {
        let run = with_table(name, bytes, &["tree"]);
        assert_eq!(run.status, 2, "{name}: {}", run.err.chars().take(400).collect::<String>());
        assert!(run.err.contains("error"), "{name}: {}", run.err.chars().take(400).collect::<String>());
    }
}

#[test]
fn every_command_has_help_with_an_example() {
    for command in ["check", "tree", "match", "link", "schema", "demo"] {
        let run = tool(&[command, "--help"], b"");
        assert_eq!(run.status, 0);
        assert!(run.out.contains("Example"), "{command}: {}", run.out);
    }
}

#[test]
fn the_demo_shows_the_whole_job() {
    let run = tool(&["demo"], b"");
    assert_eq!(run.status, 0, "{}", run.err);
    assert!(!run.out.contains('\x1b'), "colour without a terminal");
    assert!(run.out.contains("`date` of `nights.night` refused `2031-02-30`: no such day"));
    for told in
        ["\nfine: 41 routes, ", "\nmoved      nights ", "\n2,971 requests, and 29 lines that could not be read\n"]
    {
        assert!(run.out.contains(told), "{told}");
    }
    assert_eq!(run.err, "");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24 * ProptestConfig::default().cases / 256, ..ProptestConfig::default() })]

    /// Random bytes as a table, as a URL and as arguments: an answer or exit status 2, never a panic.
    #[test]
    fn random_bytes_never_end_in_a_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        use std::os::unix::ffi::OsStrExt;
        let run = with_table("random.toml", &bytes, &["check"]);
        prop_assert!(run.status == 2 || run.status == 1, "{}", run.err);
        let plain: Vec<u8> = bytes.iter().copied().filter(|&byte| byte != 0).collect();
        let argument = OsStr::from_bytes(&plain);
        let words = [OsStr::new("--table"), OsStr::new(DEMO), OsStr::new("match"), OsStr::new("--"), argument];
        prop_assert!((0..=1).contains(&tool(&words, &bytes).status));
        let words = [OsStr::new("--table"), OsStr::new(DEMO), OsStr::new("link"), OsStr::new("--"), argument, argument];
        prop_assert_eq!(tool(&words, b"").status, 2);
        let log = tool(&["--table", DEMO, "replay", "-"], &bytes);
        prop_assert!(log.status == 0 || bytes.starts_with(&[0x1f, 0x8b]), "{}", log.err);
        let merged = tool(&["--table", DEMO, "replay", "--merge", "-"], &bytes);
        prop_assert!(merged.status == 2 || bytes.trim_ascii().is_empty(), "{}", merged.out);
        let words = [OsStr::new("--table"), OsStr::new(DEMO), OsStr::new("match"), OsStr::new("-")];
        prop_assert!((0..=1).contains(&tool(&words, &bytes).status));
    }
}

/// What a terminal would act on reaches none, in text and in JSON, where it is kept.
#[test]
fn no_control_reaches_a_terminal() {
    for call in
        ["match /objects/a%C2%9B31m", "match --explain /objects/a%C2%9B31m", "--format json match /objects/a%C2%9B31m"]
    {
        let run = demo(call);
        let is_control = |c: char| c.is_control() && c != '\n';
        assert!(!run.out.contains(is_control) && !run.err.contains(is_control), "{call}: {:?}", run.out);
        if call.contains("json") {
            let json: serde_json::Value = serde_json::from_str(&run.out).expect("JSON");
            assert_eq!(json["params"]["object"], "a\u{9b}31m");
        }
    }
}
