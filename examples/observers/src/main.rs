//! A live list that is kept in a database file: the decision stops at each question of the list, the program asks
//! the database in its own way, and the decision goes on with the answer.
//!
//! `cargo run -p example-observers`

#![forbid(unsafe_code)]

use std::error::Error;

use rusqlite::Connection;
use vivid_lane::decide::{Counters, Step};
use vivid_lane::{Decision, Question, Request, Table};

const TABLE: &str = r#"
    lists = ["observers"]
    [site]
    fallback = "lost"
    [routes.observers]
    path = "/observers"
    page = "observer-list"
    [routes.observers.join]
    path = "/join"
    page = "join"
    [routes.observers.observer]
    path = "/{observer}"
    page = "observer"
    params.observer = { listed = "observers" }
"#;

/// A database with the observers of Larkfell, in a file.
fn database(folder: &std::path::Path) -> rusqlite::Result<Connection> {
    let database = Connection::open(folder.join("observers.sqlite"))?;
    database.execute_batch(
        "CREATE TABLE observers (name TEXT PRIMARY KEY) STRICT;
         INSERT INTO observers VALUES ('ada'), ('grace'), ('wang zhenyi');",
    )?;
    Ok(database)
}

/// Decides a URL. A program with an asynchronous database would wait for it where this one asks.
fn decide<'t, 'u>(
    table: &'t Table,
    database: &Connection,
    request: Request<'u>,
) -> Result<Decision<'t, 'u>, Box<dyn Error>> {
    let mut steps = table.decide_in_steps(request);
    loop {
        match steps.resume() {
            Step::Done(decision) => return Ok(decision),
            Step::Ask(question) => {
                let Question::Listed { value: name, .. } = &question else { return Err("there are no needs".into()) };
                let sql = "SELECT EXISTS (SELECT 1 FROM observers WHERE name = ?1)";
                let is_listed: bool = database.query_row(sql, [name], |row| row.get(0))?;
                println!("{:38} asked for {name:?}: {is_listed}", "");
                steps.answer(question, is_listed);
            }
        }
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let table = Table::from_toml(TABLE)?;
    let folder = tempfile::tempdir()?;
    let database = database(folder.path())?;
    let counters = Counters::new(&table);

    let mut answers = Vec::new();
    for url in ["/observers/ada", "/observers/join", "/observers/wang%20zhenyi", "/observers/'; DROP TABLE observers"] {
        let decision = decide(&table, &database, Request::get(url).counted(&counters))?;
        let page = match &decision {
            Decision::Page(found) => found.page().as_str(),
            Decision::NotFound(missing) => missing.fallback().map_or("", String::as_str),
            _ => "",
        };
        println!("{url:38} {} {page}", decision.status());
        answers.push(format!("{} {page}", decision.status()));
    }
    assert_eq!(answers, ["200 observer", "200 join", "200 observer", "404 lost"]);

    // A new observer is there at once: the table is not built again, the list lives outside of it.
    database.execute("INSERT INTO observers VALUES ('hypatia')", [])?;
    assert!(matches!(decide(&table, &database, Request::get("/observers/hypatia"))?, Decision::Page(_)));

    for (list, asked, found) in counters.lists() {
        println!("list {list}: asked {asked} times, found {found}");
    }
    for (route, hits) in counters.routes(&table) {
        println!("{:20} {hits} hits", route.name());
    }
    Ok(())
}
