//! A browser that is driven by WebDriver BiDi: the same commands for Chromium and for Firefox.

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use fantoccini::{Client, ClientBuilder};
use futures_util::{SinkExt, StreamExt};
use serde_json::{Map, Value as Json, json};
use tokio::net::TcpStream;
use tokio::sync::Mutex;
use tokio_tungstenite::WebSocketStream;
use tokio_tungstenite::tungstenite::Message;

/// A browser's process, which ends with the test.
struct Process(Child);

impl Drop for Process {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

pub(crate) struct Browser {
    socket: Mutex<(WebSocketStream<TcpStream>, u64)>,
    context: String,
    /// The driver of Chromium, which has to end it.
    driver: Option<Client>,
    _process: Process,
    _profile: tempfile::TempDir,
}

fn free_port() -> u16 {
    std::net::TcpListener::bind("127.0.0.1:0").and_then(|free| free.local_addr()).expect("a port").port()
}

impl Browser {
    /// Chromium, through its driver.
    pub(crate) async fn chromium() -> Self {
        let port = free_port();
        let profile = tempfile::tempdir().expect("a folder");
        let driver = Command::new("chromedriver").arg(format!("--port={port}")).stdout(Stdio::null()).spawn();
        let process = Process(driver.expect("chromedriver"));
        let arguments = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--window-size=1280,800",
            // What comes back from another site is loaded again.
            "--disable-features=BackForwardCache",
        ];
        let wanted = Map::from_iter([
            ("goog:chromeOptions".to_owned(), json!({ "args": arguments })),
            ("webSocketUrl".to_owned(), json!(true)),
        ]);
        for _ in 0..100 {
            let connector = hyper_util::client::legacy::connect::HttpConnector::new();
            let client = ClientBuilder::new(connector)
                .capabilities(wanted.clone())
                .connect(&format!("http://127.0.0.1:{port}"))
                .await;
            if let Ok(client) = client {
                let session = client.session_id().await.expect("an answer").expect("a session");
                return Self::at(port, &format!("/session/{session}"), Some(client), process, profile).await;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("Chromium does not start");
    }

    /// Firefox, which needs no driver; nothing where it is not installed.
    pub(crate) async fn firefox() -> Option<Self> {
        let port = free_port();
        let profile = tempfile::tempdir().expect("a folder");
        let settings = "user_pref(\"browser.sessionhistory.max_total_viewers\", 0);\nuser_pref(\"fission.bfcacheInParent\", false);\n";
        std::fs::write(profile.path().join("user.js"), settings).expect("it is written");
        let process = Command::new("firefox-esr")
            .args(["--headless", "--no-remote", "--window-size", "1280,800", "--remote-debugging-port"])
            .arg(port.to_string())
            .arg("--profile")
            .arg(profile.path())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn();
        let process = Process(process.ok()?);
        let browser = Self::at(port, "/session", None, process, profile).await;
        Some(browser)
    }

    async fn at(port: u16, path: &str, driver: Option<Client>, process: Process, profile: tempfile::TempDir) -> Self {
        let url = format!("ws://127.0.0.1:{port}{path}");
        for _ in 0..300 {
            if let Ok(stream) = TcpStream::connect(("127.0.0.1", port)).await
                && let Ok((socket, _)) = tokio_tungstenite::client_async(&url, stream).await
            {
                let socket = Mutex::new((socket, 0));
                let mut browser = Self { socket, context: String::new(), driver, _process: process, _profile: profile };
                if path == "/session" {
                    browser.call("session.new", json!({ "capabilities": {} })).await;
                }
                let tree = browser.call("browsingContext.getTree", json!({})).await;
                tree["contexts"][0]["context"].as_str().expect("a window").clone_into(&mut browser.context);
                let size = json!({ "context": browser.context, "viewport": { "width": 1280, "height": 800 } });
                browser.call("browsingContext.setViewport", size).await;
                return browser;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("{url} does not answer");
    }

    /// A command and its result.
    async fn call(&self, method: &str, params: Json) -> Json {
        self.attempt(method, params).await.unwrap_or_else(|error| panic!("{method}: {error}"))
    }

    async fn attempt(&self, method: &str, params: Json) -> Result<Json, Json> {
        let mut guard = self.socket.lock().await;
        let (socket, last) = &mut *guard;
        *last += 1;
        let command = json!({ "id": *last, "method": method, "params": params }).to_string();
        socket.send(Message::text(command)).await.expect("the browser listens");
        loop {
            let message = socket.next().await.expect("the browser answers").expect("a message");
            let Message::Text(text) = message else { continue };
            let mut answer: Json = serde_json::from_str(&text).expect("JSON");
            if answer["id"] == json!(*last) {
                return if answer["type"] == "error" { Err(answer) } else { Ok(answer["result"].take()) };
            }
        }
    }

    async fn here(&self, method: &str, mut params: Json) -> Json {
        params["context"] = json!(self.context);
        self.call(method, params).await
    }

    pub(crate) async fn goto(&self, url: &str) {
        self.here("browsingContext.navigate", json!({ "url": url, "wait": "complete" })).await;
    }

    pub(crate) async fn reload(&self) {
        self.here("browsingContext.reload", json!({ "wait": "complete" })).await;
    }

    /// Goes through the history, as the buttons of the browser do.
    pub(crate) async fn traverse(&self, steps: i32) {
        self.here("browsingContext.traverseHistory", json!({ "delta": steps })).await;
    }

    /// Closes the windows that were opened beside the own one.
    pub(crate) async fn close_others(&self) {
        let tree = self.call("browsingContext.getTree", json!({})).await;
        for one in tree["contexts"].as_array().into_iter().flatten().filter(|one| one["context"] != self.context) {
            self.call("browsingContext.close", json!({ "context": one["context"] })).await;
        }
        self.here("browsingContext.activate", json!({})).await;
    }

    /// Runs a script before each page's own.
    pub(crate) async fn before_pages(&self, script: &str) {
        self.call("script.addPreloadScript", json!({ "functionDeclaration": format!("() => {{ {script} }}") })).await;
    }

    /// The value of an expression; words that no page says while it is being replaced.
    pub(crate) async fn value(&self, expression: &str) -> Json {
        let expression = format!("(async () => JSON.stringify((await ({expression})) ?? null))()");
        let params = json!({ "expression": expression, "target": { "context": self.context }, "awaitPromise": true });
        let Ok(answer) = self.attempt("script.evaluate", params).await else {
            return json!("the page is being replaced");
        };
        match answer["result"]["value"].as_str() {
            Some(text) => serde_json::from_str(text).expect("JSON"),
            None => json!({ "thrown": answer["exceptionDetails"]["text"] }),
        }
    }

    /// Moves the pointer to the middle of what a selector finds, and clicks if wanted.
    pub(crate) async fn point(&self, selector: &str, is_click: bool) {
        let place = format!(
            "(() => {{ const one = document.querySelector({}); if (!one) return null; let box = one.getBoundingClientRect();
              if (box.top < 0 || box.bottom > innerHeight) {{ one.scrollIntoView({{ block: 'center' }}); box = one.getBoundingClientRect(); }}
              return [Math.round(box.x + box.width / 2), Math.round(box.y + box.height / 2)]; }})()",
            json!(selector)
        );
        let at = self.value(&place).await;
        assert!(at.is_array(), "there is no {selector}");
        let mut actions = vec![json!({ "type": "pointerMove", "x": at[0], "y": at[1] })];
        if is_click {
            actions
                .extend([json!({ "type": "pointerDown", "button": 0 }), json!({ "type": "pointerUp", "button": 0 })]);
        }
        let mouse =
            json!({ "type": "pointer", "id": "mouse", "parameters": { "pointerType": "mouse" }, "actions": actions });
        self.here("input.performActions", json!({ "actions": [mouse] })).await;
    }

    pub(crate) async fn keys(&self, text: &str) {
        let pressed =
            |key: char| [json!({ "type": "keyDown", "value": key }), json!({ "type": "keyUp", "value": key })];
        let actions: Vec<Json> = text.chars().flat_map(pressed).collect();
        self.here("input.performActions", json!({ "actions": [{ "type": "key", "id": "keys", "actions": actions }] }))
            .await;
    }

    /// How many nodes the accessibility tree has with a role and a name.
    pub(crate) async fn accessible(&self, role: &str, name: &str) -> usize {
        let locator = json!({ "type": "accessibility", "value": { "role": role, "name": name } });
        let found = self.here("browsingContext.locateNodes", json!({ "locator": locator })).await;
        found["nodes"].as_array().map_or(0, Vec::len)
    }

    /// A command of the tools for developers that Chromium has.
    async fn developer(&self, method: &str, params: Json) -> Json {
        let session = self.call("goog:cdp.getSession", json!({ "context": self.context })).await;
        let command = json!({ "method": method, "params": params, "session": session["session"] });
        self.call("goog:cdp.sendCommand", command).await["result"].take()
    }

    /// Whether pages may run scripts, in Chromium.
    pub(crate) async fn runs_scripts(&self, is_so: bool) {
        self.developer("Emulation.setScriptExecutionDisabled", json!({ "value": !is_so })).await;
    }

    /// The accessibility tree of Chromium, as roles with names, without empty nodes.
    pub(crate) async fn tree(&self) -> Vec<(String, String)> {
        let tree = self.developer("Accessibility.getFullAXTree", json!({})).await;
        let text = |node: &Json, key: &str| node[key]["value"].as_str().unwrap_or_default().to_owned();
        let nodes = tree["nodes"].as_array().into_iter().flatten().filter(|node| node["ignored"] != true);
        nodes.map(|node| (text(node, "role"), text(node, "name"))).filter(|(role, _)| role != "status").collect()
    }

    pub(crate) async fn close(mut self) {
        if let Some(driver) = self.driver.take() {
            driver.close().await.expect("it ends");
        }
    }
}
