//! Serves the demo site on this machine, at the port that is given, or 8031, until it is told to stop. A line on standard error
//! tells of each request, and a second port has the counts of them all.

#![forbid(unsafe_code)]

mod site;

use tokio::net::TcpListener;
use tracing_subscriber::fmt::format::FmtSpan;
use vivid_lane::Table;
use vivid_lane_http::{BoxError, Counts, Handler, Pages, Routed, Server, Visit};

/// The counts, for a collector of metrics.
fn metrics(counts: &Counts) -> Result<Routed<Handler>, BoxError> {
    let table = Table::from_toml("[routes.metrics]\npath = '/metrics'\npage = 'metrics'")?;
    let shown = async |visit: Visit<Counts>| visit.state().to_response();
    Ok(Routed::new(Pages::new(counts.clone()).page("metrics", shown).bind(&table)?))
}

#[tokio::main]
async fn main() -> Result<(), BoxError> {
    tracing_subscriber::fmt().with_writer(std::io::stderr).with_span_events(FmtSpan::CLOSE).init();
    let port: u16 = std::env::args().nth(1).map_or(Ok(8031), |port| port.parse())?;
    let listener = TcpListener::bind(("127.0.0.1", port)).await?;
    let beside = TcpListener::bind(("127.0.0.1", if port == 0 { 0 } else { port + 1 })).await?;
    println!("http://{}/nights/2031-04-02/exposures/7", listener.local_addr()?);
    println!("http://{}/metrics", beside.local_addr()?);
    let counts = Counts::new();
    tokio::spawn(Server::new(metrics(&counts)?).connections(8).run(beside, std::future::pending()));
    let stop = async {
        // Where nobody can tell it to stop, it goes on.
        if tokio::signal::ctrl_c().await.is_err() {
            std::future::pending::<()>().await;
        }
    };
    Ok(Server::new(site::site(&counts)?).connections(512).run(listener, stop).await?)
}
