//! The same kind of table, declared in Rust: handlers as pages, values as the types of the program, and a
//! second table mounted below the first.
//!
//! `cargo run --example builder`

use std::error::Error;

use vivid_lane::{Match, RouteSpec, Rule, TableSpec};

type Answer = Result<String, Box<dyn Error>>;

/// What a page is here: a function from a match to its text.
#[derive(Clone, Copy)]
struct Handler(fn(&Match<'_, '_, Handler>) -> Answer);

#[derive(serde::Deserialize)]
struct Exposure {
    date: String,
    number: u16,
}

fn nights(_: &Match<'_, '_, Handler>) -> Answer {
    Ok("All nights".to_owned())
}

fn exposure(found: &Match<'_, '_, Handler>) -> Answer {
    let Exposure { date, number } = found.params()?;
    Ok(format!("Exposure {number} of the night of {date}"))
}

fn plate(found: &Match<'_, '_, Handler>) -> Answer {
    Ok(format!("Plate {}", found.get::<u32>("plate")?))
}

fn main() -> Result<(), Box<dyn Error>> {
    // Another crate could declare this one.
    let archive = TableSpec::new()
        .param("plate", Rule::integer().minimum(1))
        .route(RouteSpec::new("plate").path("/{plate}").page("plate"));

    let table = TableSpec::new()
        .param("date", Rule::format("date"))
        .route(
            RouteSpec::new("nights").path("/nights").page("nights").frame("with-calendar").route(
                RouteSpec::new("exposure")
                    .path("/{date}/exposures/{number}")
                    .page("exposure")
                    .param("number", Rule::integer().minimum(1).maximum(9999)),
            ),
        )
        .route(RouteSpec::new("archive").path("/plates").mount(archive))
        .build()?;

    let table = table.bind(|page| match page {
        "nights" => Some(Handler(nights)),
        "exposure" => Some(Handler(exposure)),
        "plate" => Some(Handler(plate)),
        _ => None,
    })?;

    for url in ["/nights", "/nights/2031-04-02/exposures/7", "/nights/2031-04-02/exposures/0", "/plates/1021"] {
        match table.find(url) {
            Some(found) => println!("{url:32} {}", found.page().0(&found)?),
            None => println!("{url:32} not found"),
        }
    }
    assert_eq!(table.link("archive.plate").set("plate", 1021).to_url()?, "/plates/1021");
    Ok(())
}
