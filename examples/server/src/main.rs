//! Serves the demo site on this machine, at the port that is given, or 8031, until it is told to stop.

#![forbid(unsafe_code)]

mod site;

use std::sync::Arc;
use std::time::Duration;

use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto::Builder;
use hyper_util::server::graceful::GracefulShutdown;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use vivid_lane_http::BoxError;

/// The most connections at a time.
const MOST_CONNECTIONS: usize = 1024;
/// For how long requests that have begun are waited for at the end.
const PATIENCE: Duration = Duration::from_secs(10);

#[tokio::main]
async fn main() -> Result<(), BoxError> {
    let port = std::env::args().nth(1).map_or(Ok(8031), |port| port.parse())?;
    let listener = TcpListener::bind(("127.0.0.1", port)).await?;
    println!("http://{}/nights/2031-04-02/exposures/7", listener.local_addr()?);
    let site = site::site()?;
    let mut server = Builder::new(TokioExecutor::new());
    server.http1().timer(TokioTimer::new()).header_read_timeout(Duration::from_secs(10)).max_buf_size(32 * 1024);
    let (room, running) = (Arc::new(Semaphore::new(MOST_CONNECTIONS)), GracefulShutdown::new());
    let mut stop = std::pin::pin!(tokio::signal::ctrl_c());
    loop {
        let place = Arc::clone(&room).acquire_owned().await?;
        let stream = tokio::select! {
            _ = &mut stop => break,
            accepted = listener.accept() => match accepted {
                Ok((stream, _)) => stream,
                // Too many open files, say: it passes.
                Err(error) => {
                    eprintln!("cannot accept: {error}");
                    tokio::time::sleep(Duration::from_millis(100)).await;
                    continue;
                }
            },
        };
        let connection = running.watch(server.serve_connection(TokioIo::new(stream), site.clone()).into_owned());
        tokio::spawn(async move {
            // Whoever hangs up in the middle is no trouble of ours.
            let _ = connection.await;
            drop(place);
        });
    }
    tokio::select! {
        () = running.shutdown() => Ok(()),
        () = tokio::time::sleep(PATIENCE) => Err("some requests did not end".into()),
    }
}
