//! One table file, read with the file that it includes: a URL to a page, and a name to a URL.
//!
//! `cargo run --example from_file`

use std::error::Error;
use std::fs;
use std::path::Path;

use vivid_lane::{Decision, Request, Source, TableSpec};

fn main() -> Result<(), Box<dyn Error>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples/larkfell");
    let read = |name: &str| -> Result<Source, String> {
        let text = fs::read_to_string(folder.join(name)).map_err(|error| error.to_string())?;
        Ok(Source::by_name(name, text))
    };
    let table = TableSpec::read_with(read("routes.toml")?, &mut |name| read(name)).build()?;

    // What a server would put in the place of the pages' names.
    let table = table.bind(|page| Some(format!("templates/{page}.html")))?;

    let observers = |list: &str, name: &str| list == "observers" && name == "ada";
    for url in ["/cy", "/nights/2031-04-02", "/nights/2031-02-30", "/observers/ada/logbook/2031", "/objects/M57"] {
        match table.decide(&Request::get(url).lists(&observers)) {
            Decision::Page(found) => {
                let values: Vec<String> = found.values().map(|(name, value)| format!("{name}={value:?}")).collect();
                println!("{url:30} {:36} {}", found.page(), values.join(" "));
            }
            Decision::NotFound(missing) => println!("{url:30} 404 {}", missing.fallback().map_or("", String::as_str)),
            other => println!("{url:30} {}", other.status()),
        }
    }

    let night = table.link("nights.night").set("date", "2031-04-02").to_url()?;
    let search = table.link("search").set("q", "ring nebula").set("page", 1).to_url()?;
    println!("{night}\n{search}");
    assert_eq!((night.as_str(), search.as_str()), ("/nights/2031-04-02", "/search?q=ring%20nebula"));
    Ok(())
}
