//! A live list in PostgreSQL: observers have pages as long as the database knows them. While it is away, their pages are 503, and no other
//! page minds. `examples/postgres/outage` tries it, `examples/postgres/chaos` for long and with all that can go wrong at once. Arguments:
//! a port, how the database is reached (`host=… dbname=…`), and a table file, if not the one below is wanted; it is read again at a
//! hangup signal, and where it is broken the table stays as it was.

#![forbid(unsafe_code)]

use std::sync::Arc;
use std::time::Duration;

use http::Response;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use tokio::sync::Mutex;
use tokio_postgres::{Client, NoTls};
use vivid_lane::{Answer, Table};
use vivid_lane_http::{Body, BoxError, Handler, LiveTable, Pages, Routed, Server, Visit, Visitor, html};

const TABLE: &str = r#"
    lists = ["observers"]
    [routes.home]
    path = "/"
    page = "home"
    [routes.observer]
    path = "/observers/{observer}"
    page = "observer"
    params.observer = { listed = "observers" }
"#;

/// A database that may go away and come back. It is connected to when it is asked, and anew after an error.
struct Database {
    reached_by: String,
    client: Mutex<Option<Client>>,
}

/// For so long an answer is waited for.
const PATIENCE: Duration = Duration::from_secs(2);

impl Database {
    async fn has_observer(&self, name: &str) -> Result<bool, BoxError> {
        let mut client = self.client.lock().await;
        // It is put back when it has answered.
        let connected = match client.take().filter(|client| !client.is_closed()) {
            Some(client) => client,
            None => {
                let (client, connection) = tokio_postgres::connect(&self.reached_by, NoTls).await?;
                tokio::spawn(connection);
                client
            }
        };
        let sql = "SELECT EXISTS (SELECT 1 FROM observers WHERE name = $1)";
        let row = connected.query_one(sql, &[&name]).await?;
        *client = Some(connected);
        Ok(row.try_get(0)?)
    }

    /// An outage is no "no".
    async fn answer(&self, name: &str) -> Answer {
        match tokio::time::timeout(PATIENCE, self.has_observer(name)).await {
            Ok(Ok(is_known)) => is_known.into(),
            Ok(Err(error)) => {
                eprintln!("the database: {error}");
                Answer::Unknown { retry_after: Some(5) }
            }
            Err(_) => Answer::Unknown { retry_after: Some(5) },
        }
    }
}

async fn observer(visit: Visit) -> Response<Body> {
    html(format!("<h1>{}</h1>", visit.param("observer").unwrap_or_default().replace('<', "&lt;")))
}

/// The table of a file, or the one above, with a handler for each of its pages.
fn table(file: Option<&str>) -> Result<Table<Handler>, BoxError> {
    let table = match file {
        Some(file) => Table::from_toml(&std::fs::read_to_string(file)?)?,
        None => Table::from_toml(TABLE)?,
    };
    let pages = Pages::new(()).page("home", async |_: Visit| html("<h1>Larkfell</h1>")).page("observer", observer);
    Ok(pages.bind(&table)?)
}

#[tokio::main]
async fn main() -> Result<(), BoxError> {
    let mut arguments = std::env::args().skip(1);
    let (Some(port), Some(reached_by)) = (arguments.next(), arguments.next()) else {
        return Err(
            "expected a port and how the database is reached, such as `8031 'host=localhost user=postgres'`".into()
        );
    };
    let database = Arc::new(Database { reached_by, client: Mutex::default() });
    let visitor = Visitor::new().lists(move |_, _, name| {
        let (database, name) = (Arc::clone(&database), name.to_owned());
        async move { database.answer(&name).await }
    });
    let file = arguments.next();
    let live = LiveTable::new(table(file.as_deref())?);
    let mut hangups = signal(SignalKind::hangup())?;
    let exchanged = live.clone();
    tokio::spawn(async move {
        while hangups.recv().await.is_some() {
            if let Err(error) = exchanged.replace_with(|| table(file.as_deref())) {
                eprintln!("the table stays as it was: {error}");
            }
        }
    });
    let site = Routed::new(live).visitor(visitor);
    let listener = TcpListener::bind(("127.0.0.1", port.parse()?)).await?;
    println!("http://{}/observers/ada", listener.local_addr()?);
    Ok(Server::new(site).run(listener, std::future::pending()).await?)
}
