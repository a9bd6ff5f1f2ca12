//! Serves the demo site on this machine, at the port that is given, or 8031, until it is told to stop.

#![forbid(unsafe_code)]

mod site;

use tokio::net::TcpListener;
use vivid_lane_http::{BoxError, Server};

#[tokio::main]
async fn main() -> Result<(), BoxError> {
    let port = std::env::args().nth(1).map_or(Ok(8031), |port| port.parse())?;
    let listener = TcpListener::bind(("127.0.0.1", port)).await?;
    println!("http://{}/nights/2031-04-02/exposures/7", listener.local_addr()?);
    let stop = async {
        // Where nobody can tell it to stop, it goes on.
        if tokio::signal::ctrl_c().await.is_err() {
            std::future::pending::<()>().await;
        }
    };
    Ok(Server::new(site::site()?).connections(512).run(listener, stop).await?)
}
