//! Sitemaps: each URL stands once, decides to a page, and no file is larger than the protocol lets it be.

use std::cell::RefCell;
use std::collections::HashSet;
use std::io;

use proptest::prelude::*;
use quick_xml::Reader;
use quick_xml::events::Event;
use vivid_lane::declare::Data;
use vivid_lane::{Decision, Request, Table, Value};
use vivid_lane_exchange::sitemap::{Hints, MOST_URLS, Record, Sitemap, Written, write_index};

/// Files in memory.
#[derive(Default)]
struct Files(RefCell<Vec<Vec<u8>>>);

struct File<'f> {
    files: &'f Files,
    number: usize,
}

impl io::Write for File<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.files.0.borrow_mut()[self.number - 1].extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fn written(sitemap: Sitemap<'_>) -> (Written, Vec<String>) {
    let files = Files::default();
    let written = sitemap
        .write(|number| {
            files.0.borrow_mut().push(Vec::new());
            assert_eq!(files.0.borrow().len(), number, "files are opened in their order");
            Ok(File { files: &files, number })
        })
        .expect("nothing stands in the way");
    let texts = files.0.into_inner().into_iter().map(|file| String::from_utf8(file).expect("it is UTF-8")).collect();
    (written, texts)
}

/// The texts of the elements of that name, and the addresses of alternates, as an XML parser reads them.
fn read(xml: &str, name: &str) -> Vec<String> {
    let mut reader = Reader::from_str(xml);
    let (mut all, mut is_inside) = (Vec::new(), false);
    loop {
        match reader.read_event().expect("it is XML") {
            Event::Start(start) => {
                is_inside = start.name().as_ref() == name;
                if is_inside {
                    all.push(String::new());
                }
            }
            Event::Text(text) if is_inside => all.last_mut().expect("it has begun").push_str(&text),
            Event::GeneralRef(reference) if is_inside => {
                let text = quick_xml::escape::resolve_predefined_entity(&reference).expect("it is one of the five");
                all.last_mut().expect("it has begun").push_str(text);
            }
            Event::End(_) => is_inside = false,
            Event::Empty(link) if name == "alternates" => {
                let href = link.attributes().flatten().find(|one| one.key.as_ref() == "href");
                let href = href.expect("it leads somewhere");
                all.push(href.normalized_value(quick_xml::XmlVersion::Implicit1_0).expect("it is text").into_owned());
            }
            Event::Eof => return all,
            _ => {}
        }
    }
}

const TABLE: &str = r#"
lists = ["observers"]
[site]
origin = "https://larkfell.example"
base = "/app"
[needs.observer]
[routes.home]
path = "{/lang}"
page = "home"
params.lang = { enum = ["en", "cy"] }
data.sitemap = { priority = 1.0, changefreq = "daily" }
[routes.objects]
path = "/objects"
page = "objects"
data.sitemap = { lastmod = "2031-04-02T21:30Z" }
[routes.objects.tonight]
path = "/tonight"
page = "tonight"
[routes.objects.object]
path = "/{object}"
page = "object"
[routes.archive]
path = "/archive{/year,month}"
page = "archive"
[routes.search]
path = "/search{?q}"
page = "search"
required = ["q"]
[routes.observer]
path = "/observers/{observer}"
page = "observer"
params.observer = { listed = "observers" }
[routes.hidden]
path = "/hidden"
page = "hidden"
data.sitemap = false
[routes.secret]
path = "/secret"
page = "secret"
needs = ["observer"]
[routes.save]
path = "/save"
page = "save"
methods = ["POST"]
[routes.old]
path = "/old"
redirect = "objects"
[routes.about]
path = "/{lang}/about/{topic}"
page = "about"
params.lang = { enum = ["en", "cy"] }
params.topic = { enum = ["visit", "people"] }
"#;

fn table() -> Table {
    Table::from_toml(TABLE).unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn every_page_that_is_known_is_listed() {
    let table = table();
    let sitemap = Sitemap::new(&table)
        .values("object", ["m-31", "tonight", "a & b"])
        .values("year", ["2031", "2032"])
        .values("month", ["04"])
        .list("observers", ["ada", "grace"]);
    let (written, files) = written(sitemap);
    let urls: Vec<String> =
        read(&files[0], "loc").iter().map(|url| url.replace("https://larkfell.example/app", "")).collect();
    assert_eq!(
        urls,
        [
            "",
            "/en",
            "/cy",
            "/objects",
            "/objects/tonight",
            "/objects/m-31",
            "/objects/a%20%26%20b",
            "/archive",
            "/archive/2031",
            "/archive/2031/04",
            "/archive/2032",
            "/archive/2032/04",
            "/observers/ada",
            "/observers/grace",
            "/en/about/visit",
            "/cy/about/visit",
            "/en/about/people",
            "/cy/about/people",
        ]
    );
    assert_eq!((written.urls(), written.files()), (18, 1));
    let told: Vec<String> = written.notes.all().iter().map(ToString::to_string).collect();
    assert_eq!(told.len(), 4, "{told:#?}");
    for (told, expected) in told.iter().zip([
        "a page of `objects.object` is left out: `/app/objects/tonight` would be answered by `objects.tonight`",
        "`search` is left out: no values of `q` are known",
        "`secret` is left out: it has a need",
        "`save` is left out: it does not answer `GET`",
    ]) {
        assert!(told.contains(expected.split(':').next().expect("a text")), "`{expected}` is not in {told}");
    }
    assert!(files[0].contains("<changefreq>daily</changefreq><priority>1.0</priority>"), "{}", files[0]);
    assert!(files[0].contains("/objects</loc><lastmod>2031-04-02T21:30Z</lastmod></url>"), "{}", files[0]);
    let alternates = read(&files[0], "alternates");
    assert_eq!(alternates.len(), 3 * 3 + 2 * 2 * 2);
    assert!(
        files[0].contains(r#"<xhtml:link rel="alternate" hreflang="x-default" href="https://larkfell.example/app"/>"#),
        "{}",
        files[0]
    );
}

/// A list of segments is given with slashes, any other with commas.
#[test]
fn lists_are_values_too() {
    let table = Table::from_toml(
        "site.origin = 'https://larkfell.example'\n[routes.compare]\npath = '/compare/{objects}'\npage = 'compare'\nparams.objects = { type = 'array', items = 'slug' }\n\
         [routes.file]\npath = '/files{/path*}'\npage = 'file'\nparams.path = { items = 'slug', minItems = 1 }",
    )
    .expect("it can be built");
    let (_, files) = written(Sitemap::new(&table).values("objects", ["moon,mars", "io", "A"]).values("path", ["a/b"]));
    let text = files.concat();
    for url in ["/compare/moon,mars", "/compare/io", "/files/a/b"] {
        assert!(text.contains(&format!("<loc>https://larkfell.example{url}</loc>")), "{url}: {text}");
    }
    assert!(!text.contains("/compare/A"), "{text}");
}

#[test]
fn records_hold_values_that_belong_together() {
    let table = table();
    let record = |year: &str, month: &str, hints: Data| {
        let (hints, wrong) = Hints::read(&hints);
        assert!(wrong.is_empty(), "{wrong:?}");
        Ok(Record::new([("year".to_owned(), Value::from(year)), ("month".to_owned(), Value::from(month))], hints))
    };
    let changed = Data::Table(vec![("lastmod".to_owned(), "2031-05".into()), ("priority".to_owned(), 0.5.into())]);
    let records = [record("2031", "04", changed), record("2030", "12", Data::default())];
    let (_, files) = written(Sitemap::new(&table).records("archive", records).values("object", [""; 0]));
    assert!(
        files[0].contains("/archive/2031/04</loc><lastmod>2031-05</lastmod><priority>0.5</priority></url>"),
        "{}",
        files[0]
    );
    assert!(files[0].contains("/archive/2030/12</loc></url>"), "{}", files[0]);
    assert!(!files[0].contains("/archive</loc>"), "a route with records has those pages only");
    let broken = [Err(io::Error::other("line 1 is broken"))];
    let error = Sitemap::new(&table).records("archive", broken).write(|_| Ok(io::sink())).expect_err("it is broken");
    assert_eq!(error.to_string(), "the sitemap cannot be written: line 1 is broken");
}

#[test]
fn long_sitemaps_are_split() {
    let table = table();
    let (written, files) =
        written(Sitemap::new(&table).values("object", (0..100_000).map(|number| format!("o{number}"))));
    assert_eq!((written.urls(), written.files(), files.len()), (100_000 + 9 + 1, 3, 3));
    let counts: Vec<usize> = files.iter().map(|file| file.matches("<url>").count()).collect();
    assert_eq!(counts, [MOST_URLS, MOST_URLS, 10]);
    assert!(files.iter().all(|file| file.starts_with("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<urlset ")
        && file.ends_with("</urlset>\n")));
    let mut index = Vec::new();
    write_index(&mut index, (1..=3).map(|number| format!("https://larkfell.example/a&b-{number}.xml")))
        .expect("it is written");
    let index = String::from_utf8(index).expect("it is UTF-8");
    assert_eq!(read(&index, "loc")[2], "https://larkfell.example/a&b-3.xml");
}

#[test]
fn what_cannot_be_a_sitemap_is_refused() {
    let refused = |site: &str| {
        let table =
            Table::from_toml(&format!("{site}\n[routes.home]\npath = '/'\npage = 'home'")).expect("it can be built");
        Sitemap::new(&table).write(|_| Ok(io::sink())).expect_err("it is refused").to_string()
    };
    assert!(refused("").contains("the table has no `origin`; add `origin"));
    assert!(refused("[site]\norigin = 'https://a.example'\nlocation = 'fragment'").contains("stand after `#`"));
    let hints = |name: &str, value: Data| Hints::read(&Data::Table(vec![(name.to_owned(), value)])).1;
    for moment in ["2031", "2031-04", "2031-04-02", "2031-04-02T21:30Z", "2031-04-02T21:30:00.25+01:00"] {
        assert!(hints("lastmod", moment.into()).is_empty(), "{moment}");
    }
    for moment in [
        "",
        "31",
        "2031-13",
        "2031-04-32",
        "2031-04-02T",
        "2031-04-02T25:00Z",
        "2031-04T21:30Z",
        "2031-04-02T21:30",
        "2031-04-02T21:30:00.Z",
        "été",
    ] {
        assert_eq!(hints("lastmod", moment.into()).len(), 1, "{moment}");
    }
    assert_eq!(hints("changefreq", "sometimes".into()).len() + hints("priority", 1.5.into()).len(), 2);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64 * ProptestConfig::default().cases / 256, ..ProptestConfig::default() })]

    /// Whatever the values: each URL is canonical, decides to a page, and stands once.
    #[test]
    fn every_url_decides_to_a_page(values in prop::collection::vec(any::<String>(), 0..12)) {
        let table = table();
        let unique: HashSet<&String> = values.iter().collect();
        let sitemap = Sitemap::new(&table).values("object", unique.iter().copied()).list("observers", unique.iter().copied());
        let (written, files) = written(sitemap.values("year", ["2031"]));
        let urls = read(&files[0], "loc");
        let listed = |_: &str, value: &str| values.iter().any(|known| known == value);
        for url in &urls {
            let decision = table.decide(&Request::get(url).lists(&listed));
            prop_assert!(matches!(decision, Decision::Page(_)), "{} {}", url, decision.status());
        }
        prop_assert_eq!(urls.iter().collect::<HashSet<_>>().len(), urls.len());
        prop_assert_eq!(urls.len(), written.urls());
        for alternate in read(&files[0], "alternates") {
            prop_assert!(urls.contains(&alternate), "{}", alternate);
        }
    }
}
