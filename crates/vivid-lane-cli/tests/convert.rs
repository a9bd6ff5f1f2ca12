//! `convert`, as a user calls it on the demo data.

mod support;

use std::path::{Path, PathBuf};

use serde_json::Value as Json;
use support::{DEMO, Run, demo, file, tool, with_table};

fn data(name: &str) -> String {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/larkfell").join(name).display().to_string()
}

fn folder(name: &str) -> PathBuf {
    let folder = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(name);
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(&folder).expect("the folder can be made");
    folder
}

/// The decision for a URL of a table in a file.
fn matched(table: &Path, call: &[&str]) -> Run {
    let table = table.to_str().expect("a path in UTF-8");
    tool(&[&["--table", table, "match"], call].concat(), b"")
}

/// Each format leads back to where it came from, and decides the same; what is included stays a file of its own.
#[test]
fn a_table_goes_through_every_format_and_back() {
    let formats = folder("formats");
    std::fs::copy(data("about.toml"), formats.join("about.toml")).expect("it can be copied");
    let mut input = DEMO.to_owned();
    for ending in ["yaml", "json", "toml", "yaml", "toml"] {
        let out = formats.join(format!("routes.{ending}"));
        let path = out.to_str().expect("a path in UTF-8");
        let run = tool(&["convert", &input, "--to", ending, "--out", path], b"");
        assert_eq!((run.status, run.out.as_str()), (0, ""), "{}", run.err);
        assert_eq!(
            run.err.contains("JSON has no comments: 13 comment lines left out"),
            ending == "json",
            "{}",
            run.err
        );
        let urls = ["/nights/2031-04-02", "/about/history", "/view.cgi?page=plate", "/nihgts"];
        assert_eq!(matched(&out, &urls).out, demo(&format!("match {}", urls.join(" "))).out, "{ending}");
        input = path.to_owned();
    }
    // In its own format a file stays as it is, also from standard input.
    let text = std::fs::read(DEMO).expect("the demo data is there");
    assert_eq!(demo("convert").out.as_bytes(), text);
    assert_eq!(tool(&["convert", "-"], &text).out.as_bytes(), text);
    // Whatever it is written in.
    for to in ["yaml", "json"] {
        let other = tool(&["convert", "-", "--to", to], &text);
        let back = tool(&["convert", "-"], other.out.as_bytes());
        assert_eq!((other.status, back.status), (0, 0), "{to}: {}{}", other.err, back.err);
        assert_eq!(tool(&["convert", "-", "--to", to], back.out.as_bytes()).out, other.out);
    }
    for yaml in ["---\nroutes: {a: {path: /, page: x}}\n", "# =\n\n'routes = ':\n"] {
        let read = tool(&["convert", "-", "--to", "yaml"], yaml.as_bytes());
        assert!(!read.err.contains("TOML"), "{yaml}: {}", read.err);
    }
    assert!(
        tool(&["convert", "-", "--to", "toml"], b"{\"routes\":{\"a\":{\"path\":\"/\"}}}")
            .out
            .starts_with("[routes.a]\n")
    );
}

#[test]
fn a_description_becomes_a_table_and_a_description() {
    let work = folder("descriptions");
    let (table, again) = (work.join("routes.toml"), work.join("again.toml"));
    let text = |path: &Path| path.to_str().expect("a path in UTF-8").to_owned();
    let run = tool(&["convert", "--from", "openapi", &data("api.yaml"), "--out", &text(&table)], b"");
    assert_eq!(run.status, 0, "{}", run.err);
    // Those of one kind are told together.
    assert!(
        run.err.contains("api.yaml:20:7: `responses` has no counterpart in a table (and 7 like it)\n"),
        "{}",
        run.err
    );
    assert!(run.err.contains("renamed: "), "{}", run.err);
    assert_eq!(matched(&table, &["/v4/nights/2031-04-02"]).status, 0);
    for ending in ["json", "yaml"] {
        let description = work.join(format!("api.{ending}"));
        let run = tool(&["--table", &text(&table), "convert", "--to", "openapi", "--out", &text(&description)], b"");
        assert_eq!((run.status, run.err.as_str()), (0, ""));
        let run = tool(&["convert", "--from", "openapi", &text(&description), "--out", &text(&again)], b"");
        assert_eq!(run.status, 0, "{}", run.err);
        let read = |path: &Path| std::fs::read_to_string(path).expect("it was written");
        assert_eq!(read(&again), read(&table));
    }
    // For programs, each note is a line.
    let run = tool(&["--format", "json", "convert", "--from", "openapi", &data("api.yaml")], b"");
    let notes: Vec<Json> = run.err.lines().map(|line| serde_json::from_str(line).expect("an object a line")).collect();
    assert_eq!(notes.iter().filter(|note| note["subject"] == "responses").count(), 8);
    assert!(notes.iter().all(|note| note["line"].is_u64() && note["code"].is_string() && note["severity"] == "note"));
}

#[test]
fn what_a_description_contradicts_itself_in_is_told() {
    let text = b"openapi: 3.0.0\npaths:\n  /pets/{id}: { get: {} }\n  /pets/{name}: { get: {} }\n";
    let path = file("contradiction.yaml", text);
    let run = tool(&["convert", "--from", "openapi", path.to_str().expect("a path in UTF-8")], b"");
    assert_eq!(run.status, 1, "{}", run.err);
    assert!(
        run.err.contains("`pets-id` and `pets-name` both accept `/pets/a`, and neither is narrower"),
        "{}",
        run.err
    );
    // The table is written all the same, so that it can be mended.
    assert!(run.out.contains("[routes.pets-name]\npath = \"/pets/{name}\"\n"), "{}", run.out);
}

#[test]
fn a_folder_of_pages_is_a_table() {
    let run = tool(&["convert", "--from", "pages", &data("pages")], b"");
    assert_eq!(run.status, 0, "{}", run.err);
    assert_eq!(run.err, format!("\nleft out: {}/help/style.css does not end like a page\n", data("pages")));
    let table = file("pages.toml", run.out.as_bytes());
    let run = matched(&table, &["/nights/2031-04-02", "/objects/M31", "/cy/about", "/help/a/b"]);
    let pages: Vec<&str> =
        run.out.lines().filter_map(|line| line.trim().strip_prefix("page ")).map(str::trim).collect();
    assert_eq!(
        pages,
        ["nights/{date}.html", "objects/M{number}.html", "{lang}/about.md", "help/{+tail}.md"],
        "{}",
        run.out
    );
    assert!(run.out.contains("frame.html"), "{}", run.out);

    let work = folder("site");
    for (name, text) in [("a.html", ""), ("a/index.html", ""), (".hidden.html", ""), ("b.txt", "")] {
        std::fs::create_dir_all(work.join(name).parent().expect("a folder")).expect("it can be made");
        std::fs::write(work.join(name), text).expect("it can be written");
    }
    let site = work.to_str().expect("a path in UTF-8");
    let run = tool(&["convert", "--from", "pages", site], b"");
    assert_eq!(run.status, 1);
    assert!(
        run.err.contains("the files `a.html` and `a/index.html` exclude each other: both are the page of one URL"),
        "{}",
        run.err
    );
    let run = tool(&["convert", "--from", "pages", site, "--ending", ".txt"], b"");
    assert_eq!((run.status, run.out.as_str()), (0, "[routes.b]\npath = \"/b\"\npage = \"b.txt\"\n"), "{}", run.err);
    let run = tool(&["convert", "--from", "pages", site, "--ending", "jpg"], b"");
    assert!(run.status == 2 && run.err.contains("expected names that end with .jpg"), "{}", run.err);
}

#[cfg(unix)]
#[test]
fn links_out_of_a_folder_are_not_followed() {
    let work = folder("linked");
    std::fs::write(work.join("a.html"), "").expect("it can be written");
    std::os::unix::fs::symlink("/etc", work.join("etc")).expect("it can be linked");
    std::os::unix::fs::symlink(&work, work.join("circle")).expect("it can be linked");
    let run = tool(&["convert", "--from", "pages", work.to_str().expect("a path in UTF-8")], b"");
    assert_eq!((run.status, run.out.as_str()), (0, "[routes.a]\npath = \"/a\"\npage = \"a.html\"\n"));
    assert!(run.err.contains("is a symbolic link, and is not followed (and 1 like it)"), "{}", run.err);
}

#[test]
fn a_sitemap_is_one_file_or_an_index_of_several() {
    let observers = format!("observers={}", data("observers.txt"));
    let run = demo(&format!("convert --to sitemap --list {observers}"));
    assert_eq!(run.status, 0, "{}", run.err);
    assert!(run.out.contains("<loc>https://larkfell.example/observers/ada</loc>"), "{}", run.out);
    assert!(run.err.contains("`nights.night` is left out: no values of `date` are known (and "), "{}", run.err);

    let work = folder("sitemaps");
    let out = work.join("sitemap.xml").display().to_string();
    let objects = file("objects.txt", (0..50_001).map(|number| format!("o{number}\n")).collect::<String>().as_bytes());
    let nights =
        file("nights.jsonl", b"{\"date\":\"2031-04-02\",\"lastmod\":\"2031-04-03\"}\n\n{\"date\":\"2031-04-03\"}\n");
    let objects = format!("object={}", objects.display());
    let nights = format!("nights.night={}", nights.display());
    let run = demo(&format!("convert --to sitemap --values {objects} --values {nights} --out {out}"));
    assert!(run.status == 0 && run.err.contains("URLs in 3 files, "), "{}", run.err);
    let read = |name: &str| std::fs::read_to_string(work.join(name)).expect("it was written");
    assert!(read("sitemap.xml").contains("<loc>https://larkfell.example/sitemap-2.xml</loc>"));
    assert!(read("sitemap-1.xml").contains("/nights/2031-04-02</loc><lastmod>2031-04-03</lastmod></url>"));
    let run = demo(&format!("convert --to sitemap --values {objects}"));
    assert!(run.status == 2 && run.err.contains("a file has at most 50000 URLs; name one with `--out`"), "{}", run.err);
    let run = demo(&format!("convert --to sitemap --out {out}"));
    assert!(run.status == 0 && !read("sitemap.xml").contains("sitemapindex"), "{}", run.err);
}

#[test]
fn modules_are_written_whole_and_checked() {
    let out = folder("modules").join("routes");
    let call = |more: &str| demo(&format!("convert --to typescript --out {} {more}", out.display()));
    let read = |name: &str| std::fs::read_to_string(out.join(name)).expect("it was written");
    let run = call("--browser --check");
    assert!(run.status == 1 && run.out.contains("table.ts: is missing"), "{}", run.out);
    let run = call("--browser");
    assert!(run.status == 0 && run.err.starts_with("wrote 4 files in "), "{}", run.err);
    assert!(
        read("table.ts").contains("  [\"nights.night\", \"night\", \"/{date}\"],\n")
            && read("browser.ts").contains("export function start<")
    );
    assert_eq!(demo("convert --to typescript").out, read("table.ts"));
    // Others can read it, as far as they can read any file that is made here.
    let plain = out.join("plain");
    std::fs::write(&plain, "").expect("a file");
    let rights = |path: &Path| std::fs::metadata(path).expect("a file").permissions();
    assert_eq!(rights(&out.join("table.ts")), rights(&plain));
    assert!(call("--browser --check").out.starts_with("current 4 files in "));
    std::fs::write(out.join("table.ts"), "// mine\n").expect("a file");
    let run = call("--check");
    assert!(run.status == 1 && run.out.contains("table.ts: differs from what the table makes"), "{}", run.out);
    let run = call("--javascript --browser");
    assert!(run.status == 0 && run.err.starts_with("wrote 9 files in "), "{}", run.err);
    assert!(
        read("package.json").contains("\"production\": \"./table.js\"")
            && read("table.d.ts").contains("export declare function match(")
    );
    // What it writes depends on the table alone.
    let before = read("table.js");
    call("--javascript");
    assert_eq!(read("table.js"), before);
    for (more, expected) in [("--browser", "`--browser` needs a folder"), ("--check", "`--check` needs a folder")] {
        let run = demo(&format!("convert --to typescript {more}"));
        assert!(run.status == 2 && run.err.contains(expected), "{}", run.err);
    }
    let file = out.join("table.ts");
    let run = demo(&format!("convert --to typescript --out {}", file.display()));
    assert!(
        run.status == 2 && run.err.contains("table.ts is a file; for TypeScript `--out` names the folder"),
        "{}",
        run.err
    );
    let run = call("--check --watch");
    assert!(run.status == 2 && run.err.contains("cannot be combined"), "{}", run.err);
}

#[cfg(feature = "serve")]
#[test]
fn a_saved_table_is_written_again() {
    let work = folder("watched");
    let (table, out) = (work.join("routes.toml"), work.join("out"));
    std::fs::write(&table, "[routes.home]\npath = '/'\npage = 'home'\n").expect("a file");
    /// Ends with the test.
    struct Watching(std::process::Child);
    impl Drop for Watching {
        fn drop(&mut self) {
            let _ = self.0.kill().and_then(|()| self.0.wait());
        }
    }
    let child = std::process::Command::new(env!("CARGO_BIN_EXE_vivid-lane"))
        .args(["--table", table.to_str().expect("a path"), "convert", "--to", "typescript", "--watch", "--out"])
        .arg(&out)
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::null())
        .spawn();
    let _watching = Watching(child.expect("the tool starts"));
    let wait_for = |piece: &str| {
        let start = std::time::Instant::now();
        while !std::fs::read_to_string(out.join("table.ts")).is_ok_and(|text| text.contains(piece)) {
            assert!(start.elapsed().as_secs() < 20, "`{piece}` is not written");
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
    };
    wait_for("\"home\"");
    // A broken table changes nothing, and ends nothing.
    std::fs::write(&table, "[routes.home]\npath = 'x'\n").expect("a file");
    std::thread::sleep(std::time::Duration::from_millis(300));
    std::fs::write(&table, "[routes.nights]\npath = '/nights'\npage = 'night-list'\n").expect("a file");
    wait_for("\"nights\"");
}

#[test]
fn what_cannot_be_read_is_refused() {
    let broken = file("broken.json", b"{ \"openapi\": \"3.1.0\", \"paths\": { \"/a\": ");
    let old = file("old.yaml", b"swagger: '2.0'\n");
    let records = file("records.jsonl", b"{\"date\":\"2031-04-02\"}\n{\"date\":\n");
    let long = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join("long.yaml");
    std::fs::File::create(&long).and_then(|file| file.set_len(100 << 20)).expect("it can be made long");
    let path = |path: &Path| path.to_str().expect("a path in UTF-8").to_owned();
    let at = |words: &[&str]| {
        [&["--table", DEMO, "convert"], words].concat().into_iter().map(str::to_owned).collect::<Vec<_>>()
    };
    for (call, expected) in [
        (at(&["--from", "openapi"]), "expected a description: `convert --from openapi FILE`, found no name"),
        (at(&["--from", "pages"]), "expected a folder: `convert --from pages DIR`, found no name"),
        (at(&["--from", "pages", "nowhere"]), "cannot read nowhere"),
        (at(&["--from", "openapi", "nowhere.yaml"]), "cannot read nowhere.yaml"),
        (at(&["--from", "openapi", &path(&broken)]), "broken.json:1:"),
        (at(&["--from", "openapi", &path(&old)]), "expected OpenAPI 3.0 or 3.1, found `2.0`"),
        (at(&["--from", "openapi", &path(&long)]), "is longer than 64 MiB"),
        (at(&["--to", "json", "--out", "/nowhere/at/all.json"]), "cannot write /nowhere/at/all.json"),
        (at(&["--to", "sitemap", "--values", "date"]), "expected NAME=FILE for `--values`, found `date`"),
        (at(&["--to", "sitemap", "--values", "moon=x.txt"]), "`moon` is neither a parameter nor a route of the table"),
        (
            at(&["--to", "sitemap", "--values", &format!("nights.night={}", path(&records))]),
            "records.jsonl:2: this is not JSON",
        ),
    ] {
        let run = tool(&call, b"");
        assert!(run.status == 2 && run.err.contains(expected), "{call:?}: `{expected}` is not in {}", run.err);
    }
    let run = with_table("unread.toml", b"[routes.a\n", &["convert", "--to", "yaml"]);
    assert!(run.status == 1 && run.err.contains("this is not TOML"), "{}", run.err);
}

/// A table is learned from a log: it is proven, answers what the log answered, and may be learned from parts.
#[test]
fn a_table_is_learned_from_a_log() {
    let place = folder("learned");
    let log = data("access.log");
    let text = std::fs::read_to_string(&log).expect("the demo data is there");
    let path = |name: &str| place.join(name).display().to_string();
    let learned = tool(&["convert", "--from", "log", &log, "--out", &path("routes.toml")], b"");
    assert!(learned.status == 0 && learned.err.contains("learned"), "{learned:?}");
    let checked = tool(&["--table", &path("routes.toml"), "check"], b"");
    assert!(checked.status == 0 && checked.out.starts_with("fine"), "{checked:?}");
    // Whatever got a page gets one, after one redirect at most.
    let pages = text.lines().filter_map(|line| {
        let (request, rest) = line.split_once('"')?.1.split_once('"')?;
        let target = request.strip_prefix("GET ")?.split(' ').next()?;
        rest.trim_start().starts_with("200").then_some(target)
    });
    let pages: Vec<&str> = pages.collect();
    assert!(pages.len() > 1000, "{} pages", pages.len());
    let run = tool(&["--table", &path("routes.toml"), "--format", "json", "match", "-"], pages.join("\n").as_bytes());
    for line in run.out.lines() {
        let answer: Json = serde_json::from_str(line).expect("JSON");
        assert!(answer["outcome"] == "page" || answer["outcome"] == "redirect", "{line}");
    }
    // The parts of a log, one of them packed, in another order.
    let half = text.len() / 2 + text[text.len() / 2..].find('\n').expect("a line") + 1;
    std::fs::write(place.join("one.log"), &text[..half]).expect("a file");
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    std::io::Write::write_all(&mut packed, &text.as_bytes()[half..]).expect("it is packed");
    std::fs::write(place.join("two.log.gz"), packed.finish().expect("it is packed")).expect("a file");
    let whole = std::fs::read_to_string(place.join("routes.toml")).expect("it was written");
    let from_two = tool(&["convert", "--from", "log", &path("two.log.gz"), &path("one.log")], b"");
    assert_eq!(from_two.out, whole);
    let part = |name: &str| tool(&["convert", "--from", "log", "--partial", &path(name)], b"").out;
    std::fs::write(place.join("parts.json"), part("two.log.gz") + &part("one.log")).expect("a file");
    let merged = tool(&["convert", "--from", "log", "--merge", &path("parts.json")], b"");
    assert_eq!(merged.out, whole);
    // Only what a table has no answer for.
    let kept = tool(&["convert", "--from", "log", "--keep", DEMO, &log], b"");
    assert!(kept.out.contains("path = \"/lectures\"") && !kept.out.contains("path = \"/nights"), "{}", kept.out);
    let yaml = tool(&["convert", "--from", "log", &log, "--to", "yaml", "--out", &path("routes.yaml")], b"");
    let tree = |name: &str| tool(&["--table", &path(name), "tree"], b"").out;
    assert_eq!(tree("routes.yaml"), tree("routes.toml"), "{yaml:?}");
}

#[test]
fn logs_of_nothing_and_of_anything_are_told() {
    let place = folder("odd-logs");
    let write = |name: &str, bytes: &[u8]| {
        std::fs::write(place.join(name), bytes).expect("a file");
        place.join(name).display().to_string()
    };
    let line = |target: &str, status: u16| {
        format!("h - - [01/Jan/2031:00:00:00 +0000] \"GET {target} HTTP/1.1\" {status} 1\n")
    };
    let learn = |path: &str| tool(&["convert", "--from", "log", path], b"");
    for (name, bytes, reason) in [
        ("empty.log", Vec::new(), "there is no request in it"),
        ("binary.log", (0..=255u8).cycle().take(100_000).collect(), "there is no request in it"),
        ("missing.log", line("/a", 404).into_bytes(), "no request in it got a page"),
    ] {
        let run = learn(&write(name, &bytes));
        assert!(run.status == 2 && run.err.contains(reason), "{name}: {run:?}");
    }
    let one = learn(&write("one.log", line("/a%20b", 200).as_bytes()));
    assert!(one.status == 0 && one.out.contains("path = \"/a%20b\""), "{one:?}");
    // Many different addresses at the top are a parameter, whatever they are.
    let word = |at: usize| -> String {
        at.to_string().chars().map(|digit| char::from(b'a' + digit as u8 - b'0')).collect::<String>().repeat(2)
    };
    let many: String = (0..20_000).map(|at| line(&format!("/{}", word(at)), 200)).collect();
    let many = learn(&write("many.log", many.as_bytes()));
    assert!(many.status == 0 && many.out.matches("[routes.").count() < 5, "{} {}", many.err, many.out.len());
    // Names that would break out of a table file do not.
    let hostile = ["/%22%0A[routes.x]", "/'''", "/{a}", "/a?b%5Dc=1", "/%7B%7D", "/page/path", "/a/%5C", "/.../..x"];
    let hostile: String = hostile.iter().map(|target| line(target, 200)).collect();
    let hostile = learn(&write("hostile.log", hostile.as_bytes()));
    assert_eq!(hostile.status, 0, "{hostile:?}");
    let table = write("hostile.toml", hostile.out.as_bytes());
    assert_eq!(tool(&["--table", &table, "check"], b"").status, 0, "{}", hostile.out);
    // However deep, it is a table, or told as what no table has.
    let deep = |depth: usize| (0..depth).map(|at| format!("/s{at}x")).collect::<String>();
    let deepest: String = (1..=70).chain([200, 600]).map(|depth| line(&deep(depth), 200)).collect();
    let deepest = learn(&write("deep.log", deepest.as_bytes()));
    assert!(deepest.status == 0 && deepest.err.contains("8 of no address"), "{}", deepest.err);
    let table = write("deep.toml", deepest.out.as_bytes());
    assert_eq!(tool(&["--table", &table, "match", &deep(64)], b"").status, 0);
    // What breaks off is learned from as far as it goes, and said.
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::none());
    (0..5000).for_each(|_| std::io::Write::write_all(&mut packed, line("/a", 200).as_bytes()).expect("it is packed"));
    let packed = packed.finish().expect("it is packed");
    let cut = learn(&write("cut.log.gz", &packed[..packed.len() / 2]));
    assert!(cut.out.contains("path = \"/a\"") && cut.err.contains("cannot be read to its end"), "{cut:?}");
    let wrong = tool(&["convert", "--from", "log", "--merge", &write("wrong.json", b"{}\n")], b"");
    assert!(wrong.status == 2 && wrong.err.contains("wrong.json:1: not a sample"), "{wrong:?}");
}

/// A sitemap is learned from as a log is: what was written of a table leads to one with the same pages.
#[test]
fn a_table_is_learned_from_a_sitemap() {
    let place = folder("from-sitemap");
    let path = |name: &str| place.join(name).display().to_string();
    let days: String = (1..=28).map(|day| format!("2031-02-{day:02}\n")).collect();
    std::fs::write(place.join("dates.txt"), days).expect("a file");
    let written =
        demo(&format!("convert --to sitemap --values date={} --out {}", path("dates.txt"), path("sitemap.xml")));
    assert_eq!(written.status, 0, "{}", written.err);
    let learned = tool(&["convert", "--from", "sitemap", &path("sitemap.xml")], b"");
    for expected in [
        "path = \"/about/history\"",
        "path = \"/{date}\"",
        "params.date = \"date\"",
        "path = \"/{lang}\"",
        "path = \"/objects\"",
    ] {
        assert!(
            learned.out.replace("path = \"/history\"", "path = \"/about/history\"").contains(expected),
            "{expected}: {}",
            learned.out
        );
    }
    // An index names files beside it, and is followed once.
    let index = "<sitemapindex><sitemap><loc>https://a.example/maps/sitemap.xml</loc></sitemap></sitemapindex>";
    std::fs::write(place.join("index.xml"), index).expect("a file");
    assert_eq!(tool(&["convert", "--from", "sitemap", &path("index.xml")], b"").out, learned.out);
    for (text, reason) in [
        ("", "found no element"),
        ("<html></html>", "expected `urlset` or `sitemapindex`, found `html`"),
        ("<urlset><url><loc>/a</loc>", "the file ends in the middle"),
        ("<urlset><url><loc>&x;</loc></url></urlset>", "an entity that is not known"),
    ] {
        std::fs::write(place.join("wrong.xml"), text).expect("a file");
        let run = tool(&["convert", "--from", "sitemap", &path("wrong.xml")], b"");
        assert!(run.status == 2 && run.err.contains(reason), "{text}: {run:?}");
    }
}

/// A conversion that would lose a duplicate key or a number that does not fit is refused, and nothing is written.
#[test]
fn a_table_that_would_lose_something_is_not_converted() {
    for (at, table) in [
        "[routes.a]\npath = '/a'\npage = 'p'\n[routes.a]\npath = '/b'\npage = 'q'\n",
        "[routes.a]\npath = '/a'\npage = 'p'\ndata.n = 123456789012345678901234567890\n",
        "[routes.a]\npath = '/a'\npage = 'p'\ndata.n = inf\n",
        "[routes.a]\npath = '/a'\npage = 'p'\ndata.n = nan\n",
    ]
    .into_iter()
    .enumerate()
    {
        for to in ["toml", "json", "yaml"] {
            let out = file(&format!("lossy{at}.{to}.out"), b"before");
            let run = with_table(
                "lossy.toml",
                table.as_bytes(),
                &["convert", "--to", to, "--out", out.to_str().expect("UTF-8")],
            );
            assert_eq!((run.status, run.out.as_str()), (1, ""), "{table}: {}", run.err);
            assert!(run.err.contains("lossy.toml:"), "{}", run.err);
            assert_eq!(std::fs::read(&out).expect("the file"), b"before", "{table}");
        }
    }
}

#[cfg(unix)]
mod streams {
    use std::io::Read;
    use std::os::unix::fs::{FileTypeExt, PermissionsExt};
    use std::path::PathBuf;
    use std::process::Command;

    use super::{DEMO, file, tool, with_table};

    fn pipe(name: &str) -> PathBuf {
        let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(name);
        let _ = std::fs::remove_file(&path);
        assert!(Command::new("mkfifo").arg(&path).status().expect("mkfifo is part of every system").success());
        path
    }

    /// A device or a pipe may never end, so only regular files are read whole.
    #[test]
    fn streams_are_no_files_to_read() {
        let pipe = pipe("read.pipe");
        let named = pipe.to_str().expect("UTF-8");
        let reason = "it is a device, a pipe or a socket; expected a file";
        for stream in [named, "/dev/zero"] {
            let run = tool(&["check", "--table", stream], b"");
            assert_eq!(run.status, 2, "{}", run.err);
            assert!(run.err.contains(reason), "{}", run.err);
            let table = format!("[routes.a]\npath = '/a'\ninclude = '{stream}'\n");
            let run = with_table("including.toml", table.as_bytes(), &["check"]);
            assert_eq!(run.status, 1, "{}", run.err);
            assert!((run.out + &run.err).contains(reason));
            let run = tool(&["serve", "--table", DEMO, "--port", "0", "--list", &format!("observers={stream}")], b"");
            assert_eq!(run.status, 2, "{}", run.err);
            assert!(run.err.contains(reason), "{}", run.err);
        }
    }

    /// What is written goes into a pipe, and in the place of a file with its mode, behind its link.
    #[test]
    fn what_is_written_takes_the_place_of_files_only() {
        let pipe = pipe("written.pipe");
        let reader = std::thread::spawn({
            let pipe = pipe.clone();
            move || {
                let mut text = String::new();
                std::fs::File::open(pipe).expect("the pipe").read_to_string(&mut text).expect("a text");
                text
            }
        });
        let convert = |out: &PathBuf| {
            let run = tool(&["convert", DEMO, "--to", "json", "--out", out.to_str().expect("UTF-8")], b"");
            assert_eq!(run.status, 0, "{}", run.err);
        };
        convert(&pipe);
        let text = reader.join().expect("it reads");
        assert!(text.starts_with("{\n") && text.ends_with("}\n"), "{text}");
        assert!(pipe.metadata().expect("it is there").file_type().is_fifo());

        let target = file("target.json", b"before");
        std::fs::set_permissions(&target, PermissionsExt::from_mode(0o640)).expect("it is ours");
        let link = target.with_file_name("link.json");
        let _ = std::fs::remove_file(&link);
        std::os::unix::fs::symlink(&target, &link).expect("a link");
        convert(&link);
        // A sitemap is written in parts, which get their names at the end.
        let sitemap = pipe.with_file_name("sitemap.pipe");
        let _ = std::fs::remove_file(&sitemap);
        std::fs::rename(&pipe, &sitemap).expect("it is ours");
        let reader = std::thread::spawn({
            let sitemap = sitemap.clone();
            move || std::fs::read_to_string(sitemap).expect("a text")
        });
        let named = sitemap.to_str().expect("UTF-8");
        let run = tool(&["--table", DEMO, "convert", "--to", "sitemap", "--out", named], b"");
        assert_eq!(run.status, 0, "{}", run.err);
        assert!(reader.join().expect("it reads").contains("<urlset"));
        assert!(sitemap.metadata().expect("it is there").file_type().is_fifo());

        assert!(link.symlink_metadata().expect("it is there").is_symlink());
        assert_eq!(std::fs::read_to_string(&target).expect("the file"), text);
        assert_eq!(target.metadata().expect("it is there").permissions().mode() & 0o777, 0o640);
    }
}

/// No file that a call reads is replaced by it, whatever its name is; a comparison writes nothing.
#[test]
fn what_is_read_is_never_written() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = |name: &str| folder.path().join(name).to_str().expect("a path").to_owned();
    let (table, more, log) = (path("routes.toml"), path("more.toml"), path("access.log"));
    let text =
        "# kept\n[routes.home]\npath = '/'\npage = 'home'\n[routes.more]\npath = '/more'\ninclude = 'more.toml'\n";
    std::fs::write(&table, text).expect("a file");
    std::fs::write(&more, "[routes.one]\npath = '/one'\npage = 'one'\n").expect("a file");
    let line = "192.0.2.1 - - [02/Apr/2031:10:00:00 +0000] \"GET /two HTTP/1.1\" 200 12\n";
    std::fs::write(&log, line.repeat(9)).expect("a file");
    let linked = if cfg!(unix) { path("link.toml") } else { table.clone() };
    #[cfg(unix)]
    std::os::unix::fs::symlink(&table, &linked).expect("a link");
    let before: Vec<_> = [&table, &more, &log].map(|path| std::fs::read(path).expect("a file")).into();
    let run = |words: &[&str]| support::tool(&words.iter().map(|word| (*word).to_owned()).collect::<Vec<_>>(), b"");
    let around =
        format!("{}/../{}/routes.toml", folder.path().display(), folder.path().file_name().expect("a name").display());
    for words in [
        vec!["--table", &*table, "convert", "--to", "json", "--out", &*table],
        vec!["--table", &*table, "convert", "--to", "openapi", "--out", &*more],
        vec!["--table", &*table, "convert", "--to", "yaml", "--out", &*around],
        vec!["--table", &*table, "convert", "--to", "toml", "--out", &*linked],
        vec!["convert", &*table, "--to", "json", "--out", &*table],
        vec!["convert", "--from", "log", &*log, "--out", &*log],
        vec!["convert", "--from", "log", &*log, "--keep", &*table, "--out", &*table],
    ] {
        let run = run(&words);
        assert!(
            run.status == 2 && run.err.contains("is read by this command"),
            "{words:?}: {} {}",
            run.status,
            run.err
        );
    }
    let after: Vec<_> = [&table, &more, &log].map(|path| std::fs::read(path).expect("a file")).into();
    assert_eq!(before, after);
    let fine = run(&["--table", &table, "convert", "--to", "json", "--out", &path("routes.json")]);
    assert_eq!(fine.status, 0, "{}", fine.err);
    let report = run(&["--table", &table, "check", "--html", &table]);
    assert!(report.status == 2 && report.err.contains("ends with .html"), "{}", report.err);
}
