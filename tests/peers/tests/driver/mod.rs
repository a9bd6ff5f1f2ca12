//! A browser that is driven through WebDriver.

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use fantoccini::{Client, ClientBuilder};
use serde_json::{Map, json};

/// A browser's driver, which ends with the test.
pub(crate) struct Driver(Child);

impl Drop for Driver {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// A browser with a window of 1280x800. What it asks its visitor stays open until it is answered.
pub(crate) async fn browser() -> (Driver, Client) {
    let port = std::net::TcpListener::bind("127.0.0.1:0").and_then(|free| free.local_addr()).expect("a port").port();
    let driver =
        Command::new("chromedriver").arg(format!("--port={port}")).stdout(Stdio::null()).spawn().expect("chromedriver");
    let driver = Driver(driver);
    let options = json!({ "args": ["--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"] });
    let wanted = Map::from_iter([
        ("goog:chromeOptions".to_owned(), options),
        ("unhandledPromptBehavior".to_owned(), json!("ignore")),
    ]);
    for _ in 0..100 {
        let connector = hyper_util::client::legacy::connect::HttpConnector::new();
        let client = ClientBuilder::new(connector)
            .capabilities(wanted.clone())
            .connect(&format!("http://127.0.0.1:{port}"))
            .await;
        match client {
            Ok(client) => return (driver, client),
            Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
        }
    }
    panic!("the browser does not start");
}
