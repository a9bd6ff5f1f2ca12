//! The data files of the core, with the module as one more matcher: what the table says of each case, the module says too.

use toml::{Table as Toml, Value as Data};
use vivid_lane::template::Template;
use vivid_lane::{RouteSpec, Rule, Source, Table, TableSpec, Value};

use crate::workshop::{Visitor, Workshop};

const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../data");

fn file(name: &str) -> Toml {
    let text = std::fs::read_to_string(format!("{FOLDER}/{name}")).expect("the file can be read");
    text.parse().expect("the data is TOML")
}

fn texts(data: Option<&Data>) -> Vec<&str> {
    data.and_then(Data::as_array).into_iter().flatten().filter_map(Data::as_str).collect()
}

fn value(data: &Data) -> Value {
    let text = |data: &Data| data.as_str().expect("text").to_owned();
    match data {
        Data::Array(items) if items.iter().any(Data::is_array) => {
            Value::pairs(items.iter().map(|pair| (text(&pair[0]), text(&pair[1]))))
        }
        Data::Array(items) => Value::List(items.iter().map(text).collect()),
        Data::Table(entries) => Value::pairs(entries.iter().map(|(name, data)| (name.clone(), text(data)))),
        other => Value::Text(text(other)),
    }
}

/// The tables of `decisions.toml`, each with the URLs that are asked there.
pub(crate) fn visited() -> Vec<(Table, Vec<String>)> {
    let data = file("decisions.toml");
    let visit = |case: &Data| {
        let pairs = |key: &str| case.get(key).and_then(Data::as_array).into_iter().flatten();
        let asked = pairs("stands").chain(pairs("decides")).filter_map(|pair| pair[0].as_str()?.split_once(' '));
        let table = Table::from_toml(case["table"].as_str().expect("text")).expect("a table");
        (table, asked.map(|(_, url)| url.to_owned()).collect())
    };
    data["case"].as_array().expect("cases").iter().map(visit).collect()
}

/// Requests and what is decided: `decisions.toml`.
fn decisions(workshop: &mut Workshop) {
    for case in file("decisions.toml")["case"].as_array().expect("cases") {
        let table = Table::from_toml(case["table"].as_str().expect("text")).expect("a table");
        let module = workshop.module(&table);
        let pairs = |key: &str| case.get(key).and_then(Data::as_array).into_iter().flatten();
        let asked: Vec<&str> = pairs("stands").chain(pairs("decides")).filter_map(|pair| pair[0].as_str()).collect();
        let meets: Vec<String> = texts(case.get("meets")).into_iter().map(str::to_owned).collect();
        for (at, one) in asked.iter().enumerate() {
            let (method, url) = one.split_once(' ').expect("a method and a URL");
            for is_cut_off in [false, true] {
                let visitor = Visitor { method: method.to_owned(), meets: meets.clone(), host: None, is_cut_off };
                workshop.decide(module, &table, url, &visitor);
            }
            let next = asked[(at + 1) % asked.len()].split_once(' ').expect("a method and a URL").1;
            workshop.stand(module, &table, url, next);
        }
    }
}

/// The path language, row by row: `paths.toml`.
fn paths(workshop: &mut Workshop) {
    for case in file("paths.toml")["path"].as_array().expect("a list") {
        let mut route = case.as_table().expect("a table").clone();
        route.retain(|key, _| !matches!(key, "reads" | "refuses"));
        route.insert("page".to_owned(), "page".into());
        let text = serde_json::json!({ "routes": { "it": route } }).to_string();
        let table = Table::from_source(Source::json(text)).expect("a table");
        let module = workshop.module(&table);
        for read in case["reads"].as_array().expect("a list") {
            workshop.decide(module, &table, read["url"].as_str().expect("text"), &Visitor::get());
            let values = read["values"].as_table().expect("a table");
            let values: Vec<_> = values.iter().map(|(name, data)| (name.clone(), value(data))).collect();
            workshop.link(module, &table, "it", &values);
        }
        for url in texts(case.get("refuses")) {
            workshop.decide(module, &table, url, &Visitor::get());
        }
    }
}

/// The examples of the RFC as paths of a table, where they can be read back: `rfc6570.toml`.
fn examples(workshop: &mut Workshop) {
    let data = file("rfc6570.toml");
    let values = data["values"].as_table().expect("a table");
    let sections = data.iter().filter(|(name, _)| !matches!(name.as_str(), "values" | "refused" | "unread"));
    for template in sections.flat_map(|(_, cases)| cases.as_table().expect("a table").keys()) {
        let before = match template.get(..2) {
            Some("{/") => "",
            Some("{&") => "/?fixed=yes",
            _ if template.starts_with('/') => "",
            _ => "/",
        };
        let path = format!("{before}{template}");
        let mut route = RouteSpec::new("it").path(&*path).page("page");
        let mut given = Vec::new();
        for variable in Template::parse(&path).expect("a template").variables() {
            let Some(data) = values.get(variable.name()) else { continue };
            let value = value(data);
            let rule = match &value {
                Value::Text(_) => Rule::new(),
                Value::List(_) => Rule::list_of(Rule::new()),
                Value::Pairs(_) => Rule::pairs_of(Rule::new()),
            };
            route = route.param(variable.name(), rule);
            given.push((variable.name().to_owned(), value));
        }
        let Ok(table) = TableSpec::new().route(route).build() else { continue };
        let module = workshop.module(&table);
        workshop.link(module, &table, "it", &given);
        let link = given.into_iter().fold(table.link("it"), |link, (name, value)| link.set(name, value));
        if let Ok(url) = link.to_url() {
            workshop.decide(module, &table, &url, &Visitor::get());
        }
    }
}

/// Return addresses that strangers put into links: `returns.toml`.
fn returns(workshop: &mut Workshop) {
    let data = file("returns.toml");
    let routes = "[routes]\nhome = { path = '/', page = 'home' }\nlogbook = { path = '/logbook{?year}', page = 'logbook' }\n\
        files = { path = '/files/{+path}', page = 'files' }\no = { path = '/o/{object}', page = 'o' }\nold = { path = '/old', redirect = 'home' }";
    let table = Table::from_toml(routes).expect("a table");
    let module = workshop.module(&table);
    let wanted: Vec<&str> = ["accepted", "refused"].iter().flat_map(|key| texts(data.get(*key))).collect();
    assert!(wanted.len() > 40);
    for url in wanted {
        workshop.decide(module, &table, url, &Visitor::get());
    }
}

/// The demo: every link that the types of its table allow to guess, and what visitors may type.
fn demo(workshop: &mut Workshop) {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/larkfell");
    let read = |name: &str| std::fs::read_to_string(format!("{folder}/{name}")).expect("the file can be read");
    let mut include = |name: &str| Ok(Source::toml(read(name)));
    let table = TableSpec::read_with(Source::toml(read("routes.toml")), &mut include).build().expect("the demo");
    let module = workshop.module(&table);
    let urls = [
        "/",
        "/cy",
        "/fr",
        "/nights",
        "/nights?year=2031",
        "/nights?year=9",
        "/nights/2031-04-02",
        "/nights/2031-02-30",
        "/nights/2031-04-02/exposures/7",
        "/nights/2031-04-02/report.csv",
        "/nights/2031-04-02/report",
        "/objects/tonight",
        "/objects/M31",
        "/objects/M111",
        "/objects/moon/images/3",
        "/objects/compare/a...b",
        "/plates?band=b&band=v",
        "/plates?band=x",
        "/plates/b-1042",
        "/plates/nothing",
        "/plates/b-1042/scan-1.fits",
        "/plates/archive/2031/04",
        "/files/2031/plate.fits",
        "/files/CON",
        "/observers/ada",
        "/observers/eve",
        "/observers/ada/logbook/2031",
        "/observers/sign-in?return=%2Fnights",
        "/search?q=moon",
        "/search?q=moon&page=1",
        "/search",
        "/night.cgi?d=2031-04-02",
        "/night.cgi?d=x&more=1",
        "/view.cgi?page=dome&name=north",
        "/view.cgi?page=plate&more=1",
        "/forum/telescopes",
        "/about/visit/directions/north",
        "//nights/",
        "/%6Eights",
        "/nihgts",
    ];
    for (at, url) in urls.into_iter().enumerate() {
        for method in ["GET", "POST"] {
            for meets in [vec![], vec!["observer".to_owned()]] {
                for is_cut_off in [false, true] {
                    let visitor = Visitor { method: method.to_owned(), host: None, meets: meets.clone(), is_cut_off };
                    workshop.decide(module, &table, url, &visitor);
                }
            }
        }
        for next in &urls[..at] {
            workshop.stand(module, &table, url, next);
        }
    }
}

#[test]
fn the_module_agrees_with_the_data_files() {
    let mut workshop = Workshop::new("data");
    decisions(&mut workshop);
    paths(&mut workshop);
    examples(&mut workshop);
    returns(&mut workshop);
    demo(&mut workshop);
    assert!(workshop.len() > 1500, "only {} cases", workshop.len());
    workshop.run();
}
