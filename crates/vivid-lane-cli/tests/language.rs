//! `language-server`, driven over pipes as an editor does.

#[allow(dead_code, reason = "other tests use the rest of it")]
mod support;

use std::collections::HashMap;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};

use proptest::prelude::*;
use serde_json::{Value as Json, json};

/// An editor with one server.
struct Editor {
    child: Child,
    to: ChildStdin,
    from: BufReader<ChildStdout>,
    asked: u64,
    /// The diagnostics that were told last, by file.
    told: std::collections::BTreeMap<String, Vec<Json>>,
}

impl Editor {
    fn new() -> Self {
        Self::with(json!({ "rootUri": null }))
    }

    /// An editor that says something of itself when it begins.
    fn with(mut asked: Json) -> Self {
        asked["capabilities"] = json!({});
        let mut child = Command::new(env!("CARGO_BIN_EXE_vivid-lane"))
            .arg("language-server")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("the server starts");
        let to = child.stdin.take().expect("a pipe");
        let from = BufReader::new(child.stdout.take().expect("a pipe"));
        let mut editor = Self { child, to, from, asked: 0, told: std::collections::BTreeMap::new() };
        let able = editor.ask("initialize", asked);
        assert_eq!(able["capabilities"]["textDocumentSync"]["change"], 2);
        editor.tell("initialized", json!({}));
        editor
    }

    fn send(&mut self, message: &Json) {
        let body = message.to_string();
        write!(self.to, "Content-Length: {}\r\n\r\n{body}", body.len()).expect("the server listens");
        self.to.flush().expect("the server listens");
    }

    fn tell(&mut self, method: &str, params: Json) {
        self.send(&json!({ "jsonrpc": "2.0", "method": method, "params": params }));
    }

    fn read(&mut self) -> Json {
        let mut length = 0;
        loop {
            let mut line = String::new();
            assert!(self.from.read_line(&mut line).expect("UTF-8") > 0, "the server has gone");
            match line.trim_end().split_once(": ") {
                Some(("Content-Length", count)) => length = count.parse().expect("a number"),
                Some(_) => {}
                None => break,
            }
        }
        let mut body = vec![0; length];
        self.from.read_exact(&mut body).expect("a whole message");
        serde_json::from_slice(&body).expect("JSON")
    }

    /// The answer as it comes; diagnostics before it are kept.
    fn raw(&mut self, method: &str, params: Json) -> Json {
        self.asked += 1;
        let id = self.asked;
        self.send(&json!({ "jsonrpc": "2.0", "id": id, "method": method, "params": params }));
        loop {
            let message = self.read();
            if message["method"] == "textDocument/publishDiagnostics" {
                let uri = message["params"]["uri"].as_str().expect("text").to_owned();
                self.told.insert(uri, message["params"]["diagnostics"].as_array().expect("a list").clone());
            }
            if message["id"] == id {
                return message;
            }
        }
    }

    fn ask(&mut self, method: &str, params: Json) -> Json {
        let answer = self.raw(method, params);
        assert!(answer["error"].is_null(), "{method}: {answer}");
        answer["result"].clone()
    }

    fn open(&mut self, path: &Path, text: &str) {
        self.tell(
            "textDocument/didOpen",
            json!({ "textDocument": { "uri": uri(path), "languageId": "toml", "version": 1, "text": text } }),
        );
    }

    fn replace(&mut self, path: &Path, text: &str) {
        self.tell(
            "textDocument/didChange",
            json!({ "textDocument": { "uri": uri(path), "version": 2 }, "contentChanges": [{ "text": text }] }),
        );
    }

    /// Asks about the place where a piece of a text begins, some characters further.
    fn at(&mut self, method: &str, path: &Path, text: &str, piece: &str, further: usize) -> Json {
        let byte = text.find(piece).unwrap_or_else(|| panic!("{piece} is not there")) + further;
        self.ask(method, json!({ "textDocument": { "uri": uri(path) }, "position": position(text, byte), "context": { "includeDeclaration": true } }))
    }

    /// The codes of the diagnostics of a file, once all that was sent has been heeded.
    fn codes(&mut self, path: &Path) -> Vec<String> {
        self.ask("textDocument/documentSymbol", json!({ "textDocument": { "uri": uri(path) } }));
        let told = self.told.get(&uri(path)).cloned().unwrap_or_default();
        told.iter().map(|one| one["code"].as_str().unwrap_or_default().to_owned()).collect()
    }
}

impl Drop for Editor {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn uri(path: &Path) -> String {
    format!("file://{}", path.display()).replace('{', "%7B").replace('}', "%7D")
}

fn position(text: &str, byte: usize) -> Json {
    let before = &text[..byte];
    let line = before.rsplit('\n').next().unwrap_or_default();
    json!({ "line": before.matches('\n').count(), "character": line.encode_utf16().count() })
}

/// A folder with the demo data.
fn demo(name: &str) -> (PathBuf, String) {
    let from = Path::new(support::DEMO).parent().expect("a folder");
    let folder = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::create_dir_all(&folder).expect("a folder");
    for file in ["routes.toml", "about.toml"] {
        std::fs::copy(from.join(file), folder.join(file)).expect("the file can be copied");
    }
    let path = folder.join("routes.toml");
    let text = std::fs::read_to_string(&path).expect("the file can be read");
    (path, text)
}

#[test]
fn an_editor_is_told_and_answered() {
    let (path, text) = demo("language-demo");
    let about = path.with_file_name("about.toml");
    let mut editor = Editor::new();
    editor.open(&path, &text);
    assert_eq!(editor.codes(&path), ["captured-link", "captured-link"]);
    assert_eq!(editor.told[&uri(&about)], Vec::<Json>::new());

    let night = "[routes.nights.night]";
    let hover = editor.at("textDocument/hover", &path, &text, night, 16);
    let told = hover["contents"]["value"].as_str().expect("text");
    assert!(told.starts_with("**nights.night**  `/nights/{date}`\n\n- page: `night`\n"), "{told}");
    assert!(told.contains("- `date`: date"), "{told}");
    assert!(told.contains("- for example: `/nights/"), "{told}");
    let object = editor.at("textDocument/hover", &path, &text, "[routes.objects.object]", 18);
    let told = object["contents"]["value"].as_str().expect("text");
    assert!(told.contains("- loses to: `objects.messier`, as in `/objects/M1`"), "{told}");
    // Anywhere in a header it is about the route of that header.
    let parent = editor.at("textDocument/hover", &path, &text, "[routes.objects.object]", 10);
    assert_eq!(parent["contents"], object["contents"]);
    let tonight = editor.at("textDocument/hover", &path, &text, "[routes.objects.tonight]", 18);
    assert!(
        tonight["contents"]["value"].as_str().expect("text").contains("- wins against: `objects.object`"),
        "{tonight}"
    );
    let plate = editor.at("textDocument/hover", &path, &text, "/{plate}", 3);
    assert_eq!(plate["contents"]["value"], "`plate`: /^[a-z]-[0-9]{3,5}$/, such as `a-000`");
    let key = editor.at("textDocument/hover", &path, &text, "frame", 2);
    assert_eq!(key["contents"]["value"], "`frame`: A wrapper around every page.");

    // A need leads to a route, and back.
    let otherwise = "\"observers.sign-in\"";
    let defined = editor.at("textDocument/definition", &path, &text, otherwise, 3);
    let line = defined[0]["range"]["start"]["line"].as_u64().expect("a number");
    assert_eq!(text.lines().nth(usize::try_from(line).expect("it fits")), Some("[routes.observers.sign-in]"));
    let used = editor.at("textDocument/references", &path, &text, otherwise, 3);
    assert!(used.as_array().expect("a list").len() >= 2, "{used}");

    let symbols = editor.ask("textDocument/documentSymbol", json!({ "textDocument": { "uri": uri(&path) } }));
    let nights = symbols.as_array().expect("a list").iter().find(|one| one["name"] == "nights").expect("it is there");
    assert_eq!((&nights["detail"], &nights["children"][0]["name"]), (&json!("/nights{?year}"), &json!("night")));
    let hints = editor.ask("textDocument/inlayHint", json!({ "textDocument": { "uri": uri(&path) }, "range": {} }));
    assert!(hints.as_array().expect("a list").iter().any(|one| one["label"] == "/nights/{date}/exposures"), "{hints}");

    let folds = editor.ask("textDocument/foldingRange", json!({ "textDocument": { "uri": uri(&path) } }));
    let fold = folds.as_array().expect("a list").iter().find(|one| one["startLine"] == line).expect("it is there");
    let end = usize::try_from(fold["endLine"].as_u64().expect("a number")).expect("it fits");
    assert!(end > usize::try_from(line).expect("it fits"), "{fold}");
    assert!(!text.lines().nth(end).expect("a line").trim().is_empty(), "{fold}");

    let tried = json!({ "command": "vivid-lane.try", "arguments": [uri(&path), "/objects/tonight"] });
    let tried = editor.ask("workspace/executeCommand", tried);
    assert!(tried.as_str().expect("text").contains("is narrower"), "{tried}");

    // Renamed in both files, in its quotes.
    let frame = text.lines().find(|line| line.starts_with("frame")).expect("there is one");
    let byte = text.find(frame).expect("there is one") + frame.len() - 2;
    let params =
        json!({ "textDocument": { "uri": uri(&path) }, "position": position(&text, byte), "newName": "other" });
    let edits = editor.ask("textDocument/rename", params.clone());
    assert_eq!(edits["changes"][uri(&path)][0]["newText"], "\"other\"");
    let mut wrong = params;
    wrong["newName"] = json!("a\"b");
    assert!(
        editor.raw("textDocument/rename", wrong)["error"]["message"]
            .as_str()
            .expect("text")
            .starts_with("expected letters")
    );
    assert_eq!(editor.raw("textDocument/foldingRangeX", json!({}))["error"]["code"], -32601);

    // What it includes belongs to the same table, also where only that is open.
    editor.tell("textDocument/didClose", json!({ "textDocument": { "uri": uri(&path) } }));
    let part = std::fs::read_to_string(&about).expect("the file can be read");
    editor.open(&about, &part);
    let hover = editor.at("textDocument/hover", &about, &part, "[routes.", 9);
    assert!(hover["contents"]["value"].as_str().expect("text").starts_with("**about."), "{hover}");

    assert_eq!(editor.ask("shutdown", Json::Null), Json::Null);
    editor.tell("exit", Json::Null);
    assert!(editor.child.wait().expect("it ends").success());
}

#[test]
fn mistakes_are_told_as_one_types_and_mended() {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("language-mistakes.toml");
    let mut editor = Editor::new();
    let text = "[routes.\"größe\"]\npath = 'x'\npgae = 'é'\n\n[routes.old]\npath = '/old'\nredirect = 'große'\n";
    editor.open(&path, text);
    let codes = editor.codes(&path);
    assert!(
        codes.iter().any(|code| code == "unknown-key") && codes.iter().any(|code| code == "path-start"),
        "{codes:?}"
    );
    let whole = json!({ "start": { "line": 0, "character": 0 }, "end": { "line": 99, "character": 0 } });
    let actions = editor.ask(
        "textDocument/codeAction",
        json!({ "textDocument": { "uri": uri(&path) }, "range": whole, "context": { "diagnostics": [] } }),
    );
    let edits: Vec<Json> =
        actions.as_array().expect("a list").iter().map(|one| one["edit"]["changes"][uri(&path)][0].clone()).collect();
    let new: Vec<&str> = edits.iter().filter_map(|one| one["newText"].as_str()).collect();
    assert!(new.contains(&"page") && new.contains(&"'/x'"), "{new:?}");
    // The mends are what they say: with them the table has fewer mistakes.
    for edit in edits.into_iter().rev() {
        let change = json!({ "range": edit["range"], "text": edit["newText"] });
        editor.tell(
            "textDocument/didChange",
            json!({ "textDocument": { "uri": uri(&path), "version": 3 }, "contentChanges": [change] }),
        );
    }
    assert_eq!(editor.codes(&path), Vec::<String>::new());

    let completed = |editor: &mut Editor, text: &str, behind: &str| -> Vec<String> {
        editor.replace(&path, text);
        let items = editor.at("textDocument/completion", &path, text, behind, behind.len());
        items["items"]
            .as_array()
            .expect("a list")
            .iter()
            .map(|one| one["label"].as_str().expect("text").to_owned())
            .collect()
    };
    let table =
        "[routes.a]\npath = '/a/{x}'\npage = 'shown'\nparams.x = 'da'\n[routes.a.b]\npath = '/b'\nredirect = 'a'\n";
    assert_eq!(completed(&mut editor, table, "redirect = '"), ["a", "a.b"]);
    assert!(completed(&mut editor, table, "params.x = 'da").contains(&"date-time".to_owned()));
    assert_eq!(completed(&mut editor, &table.replace("redirect = 'a'", "page = ''"), "/b'\npage = '"), ["shown"]);
    assert!(completed(&mut editor, &table.replace("redirect = 'a'", "pa"), "/b'\npa").contains(&"params".to_owned()));
    assert!(completed(&mut editor, "[site]\n", "[site]\n").contains(&"fallback".to_owned()));
}

/// The front matter of page files, which the editor says where they are.
#[test]
fn page_files_are_a_table() {
    let folder = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("language-site");
    let night = folder.join("pages/nights/{date}.html");
    std::fs::create_dir_all(night.parent().expect("a folder")).expect("a folder");
    std::fs::write(folder.join("pages/nights/index.html"), "<h1>Nights</h1>").expect("a file");
    let text = "---\nroute:\n  params: { date: dat }\n  methods: [GET]\ntitle: A night\n---\n<h1>A night</h1>\n";
    std::fs::write(&night, text).expect("a file");
    let mut editor = Editor::with(json!({ "rootUri": uri(&folder), "initializationOptions": { "pages": ["pages"] } }));
    editor.open(&night, text);
    assert_eq!(editor.codes(&night), ["rule"]);
    let mended = text.replace("dat }", "date }");
    editor.replace(&night, &mended);
    assert_eq!(editor.codes(&night), Vec::<String>::new());
    let hover = editor.at("textDocument/hover", &night, &mended, "date:", 1);
    assert_eq!(hover["contents"]["value"], "`date`: date, such as `2031-04-02`");
    let tried = json!({ "command": "vivid-lane.try", "arguments": [uri(&night), "/nights/2031-02-30"] });
    let tried = editor.ask("workspace/executeCommand", tried);
    assert!(tried.as_str().expect("text").contains("no such day"), "{tried}");
}

/// Applies what an editor was offered to the texts of its files.
fn applied(texts: &HashMap<String, String>, edit: &Json) -> HashMap<String, String> {
    let mut texts = texts.clone();
    for (uri, edits) in edit["changes"].as_object().expect("changes") {
        let text = texts.get_mut(uri).expect("a file that is known");
        let byte = |at: &Json| {
            let number = |key: &str| usize::try_from(at[key].as_u64().expect("a number")).expect("it fits");
            let begin: usize = text.split_inclusive('\n').take(number("line")).map(str::len).sum();
            // What is edited here is ASCII before the place.
            begin + number("character")
        };
        let mut edits: Vec<(usize, usize, &str)> = edits
            .as_array()
            .expect("a list")
            .iter()
            .map(|one| {
                (byte(&one["range"]["start"]), byte(&one["range"]["end"]), one["newText"].as_str().expect("text"))
            })
            .collect();
        edits.sort_unstable();
        for (from, to, new) in edits.into_iter().rev() {
            text.replace_range(from..to, new);
        }
    }
    texts
}

/// Each mend that is offered for the demo's mistakes does what it says: its finding is gone.
#[test]
fn mends_mend() {
    let mut offered: Vec<String> = Vec::new();
    let mistakes = |name: &str| {
        let from = Path::new(support::DEMO).with_file_name("").join(format!("../mistakes/{name}.toml"));
        std::fs::read_to_string(from).expect("the demo data is there")
    };
    let narrower = "[routes.by-number]\npath = '/o/{id}'\npage = 'a'\nparams.id = 'integer'\n\n[routes.by-code]\npath = '/o/{code}'\npage = 'b'\nparams.code = { minLength = 3, maxLength = 3 } # three\n";
    let tables = [("works", mistakes("works")), ("broken", mistakes("broken")), ("narrower", narrower.to_owned())];
    for (name, text) in tables {
        let path = support::file(&format!("language-{name}.toml"), text.as_bytes());
        let mut editor = Editor::new();
        editor.open(&path, &text);
        editor.codes(&path);
        let told = editor.told[&uri(&path)].clone();
        for one in told {
            let href = one["codeDescription"]["href"].as_str().expect("a link");
            assert!(href.ends_with(&format!("/docs/FINDINGS.md#{}", one["code"].as_str().expect("a code"))), "{one}");
            let params = json!({ "textDocument": { "uri": uri(&path) }, "range": one["range"], "context": {} });
            for action in editor.ask("textDocument/codeAction", params).as_array().expect("a list") {
                let texts = HashMap::from([(uri(&path), text.clone())]);
                editor.replace(&path, &applied(&texts, &action["edit"])[&uri(&path)]);
                editor.codes(&path);
                assert!(
                    !editor.told[&uri(&path)].iter().any(|then| then["message"] == one["message"]),
                    "{action} for {one}"
                );
                editor.replace(&path, &text);
                offered.push(format!(
                    "{}: {}",
                    one["code"].as_str().expect("a code"),
                    action["title"].as_str().expect("text")
                ));
            }
            if one["code"] == "overlap" && name == "broken" {
                assert_eq!(one["relatedInformation"][0]["message"], "the route `by-letter`", "{one}");
            }
        }
    }
    for expected in [
        "unanchored-pattern: Write `^[a-z]-[0-9]+$`",
        "other-notation: Write `/lines/{line}`",
        "unknown-key: Write `data.colour`",
        "unknown-route: Write `sign-in`",
        "unknown-need: Declare this need",
        "redirect-chain: Write `sign-in`",
        "overlap: Write `format = \"integer\"` into the rule of `code`",
        "overlap: Let `by-letter` win, with `priority = 1`",
        "overlap: Let `by-end` win, with `priority = 1`",
    ] {
        assert!(offered.iter().any(|one| one == expected), "{expected} is not among {offered:#?}");
    }
}

/// What a table says of its routes, with a name in the place of another.
fn routes(table: &Path) -> Vec<String> {
    let run = support::tool(&["--table", table.to_str().expect("UTF-8"), "--format", "json", "tree"], b"");
    assert_eq!(run.status, 0, "{}", run.err);
    run.out.lines().map(str::to_owned).collect()
}

#[test]
fn routes_and_parameters_are_renamed_everywhere() {
    let (path, text) = demo("language-rename");
    let about = path.with_file_name("about.toml");
    let part = std::fs::read_to_string(&about).expect("the file can be read");
    let before = routes(&path);
    let mut editor = Editor::new();
    editor.open(&path, &text);
    let texts = HashMap::from([(uri(&path), text.clone()), (uri(&about), part)]);
    let mut renamed = |piece: &str, further: usize, new: &str| {
        let at = position(&text, text.find(piece).unwrap_or_else(|| panic!("{piece} is not there")) + further);
        let params = json!({ "textDocument": { "uri": uri(&path) }, "position": at, "newName": new });
        let answer = editor.raw("textDocument/rename", params);
        match answer["error"]["message"].as_str() {
            Some(reason) => Err(reason.to_owned()),
            None => {
                let folder = path.with_file_name("renamed");
                std::fs::create_dir_all(&folder).expect("a folder");
                for (uri, text) in applied(&texts, &answer["result"]) {
                    let name = uri.rsplit('/').next().expect("a name").to_owned();
                    std::fs::write(folder.join(name), text).expect("the file is written");
                }
                Ok(routes(&folder.join("routes.toml")))
            }
        }
    };
    // The names of routes below it, of its parent's children, and of what redirects there.
    let told = |old: &str, new: &str| before.iter().map(|line| line.replace(old, new)).collect::<Vec<_>>();
    assert_eq!(renamed("[routes.nights]", 9, "evenings"), Ok(told("\"nights", "\"evenings")));
    assert_eq!(renamed("[routes.nights.night]", 16, "nights.evening"), Ok(told("\"nights.night", "\"nights.evening")));
    assert_eq!(renamed("[routes.about]", 9, "house"), Ok(told("\"about", "\"house")));
    assert_eq!(renamed("[routes.observers.sign-in]", 18, "enter"), Ok(told("observers.sign-in", "observers.enter")));
    // A parameter of one route, from its path; one whose rule is shared, from the rule.
    let object = |line: &String| line.replace("{object}", "{thing}").replace("\"object\":\"\"", "\"thing\":\"\"");
    assert_eq!(renamed("path  = \"/{object}\"", 11, "thing"), Ok(before.iter().map(object).collect()));
    let date = |line: &String| {
        let line = line.replace("{date}", "{day}").replace("\"date\":\"date\"", "\"day\":\"date\"");
        line.replace("\"date\":\"{d}\"", "\"day\":\"{d}\"")
    };
    assert_eq!(renamed("date = \"date\"", 1, "day"), Ok(before.iter().map(date).collect()));
    let name =
        |line: &String| line.replace("{&name}", "{&dome}").replace("{name}", "{dome}").replace("\"name\"", "\"dome\"");
    assert_eq!(renamed("required = [\"name\"]", 13, "dome"), Ok(before.iter().map(name).collect()));
    // What would change the table is refused: another route has the name, a need wants `return`.
    for (piece, further, new, reason) in [
        ("[routes.nights]", 9, "objects", "the table would change"),
        ("{?return}", 3, "back", "the table would change"),
        ("[routes.nights]", 9, "a b", "expected letters"),
    ] {
        let refused = renamed(piece, further, new).expect_err(piece);
        assert!(refused.contains(reason), "{refused}");
    }
}

/// A path that changes leaves an address behind, and the editor offers the redirect.
#[test]
fn a_moved_path_is_offered_a_redirect() {
    let (path, text) = demo("language-moved");
    let mut editor = Editor::new();
    editor.open(&path, &text);
    let actions = |editor: &mut Editor, text: &str| {
        let at = position(text, text.find("path  = \"/n").expect("the path of nights") + 10);
        let params =
            json!({ "textDocument": { "uri": uri(&path) }, "range": { "start": at, "end": at }, "context": {} });
        editor.ask("textDocument/codeAction", params).as_array().expect("a list").clone()
    };
    assert!(actions(&mut editor, &text).is_empty());
    let moved = text.replace("\"/nights{?year}\"", "\"/nocturnes{?year}\"");
    editor.replace(&path, &moved);
    let offered = actions(&mut editor, &moved);
    assert_eq!(offered[0]["title"], "Keep 5 old addresses alive with redirects", "{offered:?}");
    let texts = HashMap::from([(uri(&path), moved)]);
    let with_redirects = applied(&texts, &offered[0]["edit"]).remove(&uri(&path)).expect("it is changed");
    assert!(
        with_redirects.contains("[routes.old-nights]\npath     = \"/nights\"\nredirect = \"nights\"\n"),
        "{with_redirects}"
    );
    editor.replace(&path, &with_redirects);
    assert!(actions(&mut editor, &with_redirects).is_empty());
}

/// The same in the other formats: before the first route, as far in as that.
#[test]
fn redirects_are_written_in_the_format_of_the_file() {
    let json = "{\n  \"routes\": {\n    \"nights\": { \"path\": \"/nights{?y}\", \"page\": \"nights\" }\n  }\n}\n";
    let yaml = "site: { fallback: lost }\nroutes:\n    nights:\n        path: /nights{?y}\n        page: nights\n";
    for (name, text, expected) in [
        (
            "moved.json",
            json,
            "    \"old-nights\": {\n      \"path\": \"/nights\",\n      \"redirect\": \"nights\"\n    },\n    \"nights\"",
        ),
        ("moved.yaml", yaml, "    old-nights:\n      path: /nights\n      redirect: nights\n    nights:\n"),
    ] {
        let path = support::file(name, text.as_bytes());
        let mut editor = Editor::new();
        editor.open(&path, text);
        let moved = text.replace("/nights{", "/nocturnes{");
        editor.replace(&path, &moved);
        let at = position(&moved, moved.find("/nocturnes").expect("the path") + 3);
        let params =
            json!({ "textDocument": { "uri": uri(&path) }, "range": { "start": at, "end": at }, "context": {} });
        let offered = editor.ask("textDocument/codeAction", params).as_array().expect("a list").clone();
        let edit = &offered.first().unwrap_or_else(|| panic!("{name}: nothing is offered"))["edit"];
        let new = applied(&HashMap::from([(uri(&path), moved)]), edit).remove(&uri(&path)).expect("it is changed");
        assert!(new.contains(expected), "{new}");
        editor.replace(&path, &new);
        assert!(editor.codes(&path).is_empty(), "{new}");
    }
}

/// The memory that a process takes, in kilobytes.
#[cfg(target_os = "linux")]
fn memory(process: &Child) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{}/status", process.id())).expect("the process runs");
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).expect("it has a memory");
    line.trim().trim_end_matches(" kB").parse().expect("a number")
}

/// 1,024 edits, and more with more cases.
#[cfg(target_os = "linux")]
#[test]
fn memory_stays_flat_over_many_edits() {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("language-memory.toml");
    let text = "[routes.a]\npath = '/a/{b}'\npage = 'a'\nparams.b = 'date'\n[routes.a.c]\npath = '/c'\npage = 'c'\n";
    let mut editor = Editor::new();
    editor.open(&path, text);
    let edit = |editor: &mut Editor, count: usize| {
        for at in 0..count {
            let cut = at % text.len();
            editor.replace(&path, &format!("{}x{}", &text[..cut], &text[cut..]));
            editor.codes(&path);
        }
        memory(&editor.child)
    };
    let times = ProptestConfig::default().cases as usize * 4;
    let early = edit(&mut editor, times / 4);
    let late = edit(&mut editor, times);
    assert!(late < early + early / 10, "{early} kB became {late} kB");
}

#[test]
fn every_piece_of_the_demo_gets_an_answer() {
    let (path, text) = demo("language-pieces");
    let mut editor = Editor::new();
    editor.open(&path, &text);
    // At each byte, with ten times as many cases as usual.
    let step = (61 * 256 / ProptestConfig::default().cases.max(1) as usize).clamp(1, 61);
    let step = if step < 7 { 1 } else { step };
    for end in (0..text.len()).step_by(step).filter(|&end| text.is_char_boundary(end)) {
        editor.replace(&path, &text[..end]);
        let at = json!({ "textDocument": { "uri": uri(&path) }, "position": position(&text, end), "range": {}, "context": {} });
        for method in ["hover", "completion", "definition", "inlayHint", "codeAction"] {
            editor.ask(&format!("textDocument/{method}"), at.clone());
        }
    }
    editor.replace(&path, &text);
    assert_eq!(editor.codes(&path), ["captured-link", "captured-link"]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases / 16, ..ProptestConfig::default() })]
    /// After any edits, what the editor was told is what `check` finds in the text.
    #[test]
    fn edits_add_up(edits in prop::collection::vec((0usize..200, 0usize..12, "[a-z{}/=\"'\n\u{e9}\u{1F52D}]{0,6}"), 1..12)) {
        let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("language-edits.toml");
        let mut text = "[routes.n\u{e4}chte]\npath = \"/n/{d}\"\npage = \"\u{1F52D}\"\nparams.d = \"date\"\n\n[routes.old]\npath = \"/o\"\nredirect = \"n\"\n".to_owned();
        let mut editor = Editor::new();
        editor.open(&path, &text);
        for (from, length, new) in edits {
            let boundary = |at: usize| (0..=at.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
            let (from, to) = (boundary(from), boundary(from + length));
            let range = json!({ "start": position(&text, from), "end": position(&text, to) });
            let change = json!({ "range": range, "text": new });
            editor.tell("textDocument/didChange", json!({ "textDocument": { "uri": uri(&path), "version": 2 }, "contentChanges": [change] }));
            text.replace_range(from..to, &new);
        }
        let codes = editor.codes(&path);
        let run = support::with_table("language-edits.toml", text.as_bytes(), &["--format", "json", "check"]);
        let found: Vec<String> = run.out.lines().map(|line| serde_json::from_str::<Json>(line).expect("JSON")["code"].as_str().expect("text").to_owned()).collect();
        // A text that cannot be read at all has its findings on the other stream.
        if run.status != 2 {
            prop_assert_eq!(codes, found, "{}", text);
        } else {
            prop_assert!(!codes.is_empty(), "{}", text);
        }
    }
}
