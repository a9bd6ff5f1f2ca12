//! Serves the demo site on this machine.

#![forbid(unsafe_code)]

use tokio::net::TcpListener;
use vivid_lane_http::BoxError;

#[tokio::main]
async fn main() -> Result<(), BoxError> {
    let listener = TcpListener::bind("127.0.0.1:8031").await?;
    println!("http://{}/nights/2031-04-02/exposures/7", listener.local_addr()?);
    example_server::serve(listener).await
}
