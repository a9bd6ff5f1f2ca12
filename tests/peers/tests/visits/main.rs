//! What a visitor takes for granted of an application in the browser, by real input: pointer, keys and the buttons of the history. In
//! Chromium with its Navigation API, in Chromium without it, and in Firefox.

#[path = "../driver/node.rs"]
mod node;
#[path = "../../../../crates/vivid-lane-cli/tests/support/server.rs"]
mod server;
#[path = "../driver/witness.rs"]
mod witness;

mod adopted;
mod bidi;
mod components;
mod made_once;
mod taken_for_granted;

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

use bidi::Browser;
use serde_json::{Value as Json, json};
use server::{Server, serve};
use witness::Witness;

fn tool() -> String {
    std::env::var("VIVID_LANE_TOOL").expect("`.ci/browser` says where the tool is")
}

/// A visitor of the application in the folder `app`.
pub(crate) struct Visitor {
    pub(crate) browser: Browser,
    pub(crate) witness: Witness,
    pub(crate) app: PathBuf,
    /// It ends with the visitor.
    _server: Box<dyn std::any::Any + Send + Sync>,
}

impl Visitor {
    fn new(name: &str, browser: Browser) -> Self {
        let tool = tool();
        let app = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("visits-{name}"));
        // It is not there the first time.
        let _ = std::fs::remove_dir_all(&app);
        make(&tool, &app, |_, text| text);
        std::fs::write(app.join("paper.pdf"), "%PDF-1.4").expect("a file");
        // The same site on a host that serves files only.
        make(&tool, &app.join("hash"), |name, text| match name {
            "index.html" => text.replace("/main.js", "/hash/main.js"),
            "routes.toml" => text.replace("[site]", "[site]\nlocation = \"fragment\"\nbase = \"/hash/index.html\""),
            _ => text,
        });
        let table = app.join("routes.toml");
        let table = table.to_str().expect("a path");
        let members = app.join("members.txt");
        std::fs::write(&members, "ada\n").expect("a list");
        let list = format!("members={}", members.display());
        let server = serve(&tool, table, &["--app", app.to_str().expect("a path"), "--list", &list]);
        Self::of(app, server, browser)
    }

    fn of(app: PathBuf, server: Server, browser: Browser) -> Self {
        let witness = Witness::of(&server.url);
        Self { browser, witness, app, _server: Box::new(server) }
    }

    /// Begins anew at an address.
    pub(crate) async fn begin(&self, path: &str) {
        self.goto("/help").await;
        self.js("(sessionStorage.clear(), null)").await;
        // Another document, so that nothing of the one before is kept as it is left.
        self.browser.goto("about:blank").await;
        self.goto(path).await;
        self.witness.seen();
    }

    pub(crate) async fn goto(&self, path: &str) {
        self.browser.goto(&format!("{}{path}", self.witness.url)).await;
        self.expect("document.querySelector('h1') !== null", true).await;
    }

    pub(crate) async fn js(&self, expression: &str) -> Json {
        self.browser.value(expression).await
    }

    /// Waits until an expression has a value.
    pub(crate) async fn expect(&self, expression: &str, value: impl Into<Json>) {
        let value = value.into();
        let mut found = Json::Null;
        for _ in 0..120 {
            found = self.js(expression).await;
            if found == value {
                return;
            }
            tokio::time::sleep(Duration::from_millis(25)).await;
        }
        let wrong = self.js("[location.href, window.wrong, window.events]").await;
        panic!("{expression}: expected {value}, found {found}; {wrong}");
    }

    /// Holds for a while.
    pub(crate) async fn stays(&self, expression: &str, value: impl Into<Json>) {
        tokio::time::sleep(Duration::from_millis(250)).await;
        self.expect(expression, value).await;
    }

    pub(crate) async fn click(&self, selector: &str) {
        self.expect(&format!("document.querySelector({}) !== null", json!(selector)), true).await;
        self.browser.point(selector, true).await;
    }

    pub(crate) async fn heading(&self, text: &str) {
        self.expect("document.querySelector('h1')?.textContent", text).await;
    }

    /// All that belongs together: the address, the title, what has the focus and what is said.
    pub(crate) async fn at(&self, address: &str, title: &str, heading: &str) {
        self.heading(heading).await;
        let all = "[location.pathname + location.search + location.hash, document.title, document.activeElement.textContent, document.querySelector('[role=status]').textContent.trim()]";
        // A page without a title of its own is called by its heading.
        let said = if title == "The workshop" { heading } else { title };
        self.expect(all, json!([address, title, heading, said])).await;
        self.expect("site.current.address", address).await;
    }

    pub(crate) async fn scroll_to(&self, y: u32) {
        self.js(&format!("scrollTo(0, {y})")).await;
        self.expect("Math.round(scrollY)", y).await;
        // The event comes with the next frame.
        self.js("new Promise((done) => requestAnimationFrame(() => setTimeout(done, 20)))").await;
    }

    /// Nothing was reported as an error, and no rule about scripts was broken.
    pub(crate) async fn is_well(&self) {
        self.expect("window.wrong", json!([])).await;
    }
}

/// Copies the application, and makes the modules of its table.
fn make(tool: &str, folder: &Path, change: impl Fn(&str, String) -> String) {
    std::fs::create_dir_all(folder).expect("a folder");
    for file in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/visits/app")).expect("the application") {
        let file = file.expect("a file");
        let name = file.file_name().into_string().expect("a name");
        let text = std::fs::read_to_string(file.path()).expect("a text");
        std::fs::write(folder.join(&name), change(&name, text)).expect("a copy");
    }
    let made = Command::new(tool)
        .arg("--table")
        .arg(folder.join("routes.toml"))
        .args(["convert", "--to", "typescript", "--browser", "--javascript", "--out"])
        .arg(folder.join("routes"))
        .stderr(Stdio::null())
        .status();
    assert!(made.is_ok_and(|made| made.success()), "the modules are not made");
}

async fn all(name: &str, browser: Browser) {
    let blocked = "if (location.search.includes('blocked')) Object.defineProperty(window, 'sessionStorage', { get() { throw new DOMException('blocked', 'SecurityError'); } })";
    browser.before_pages(blocked).await;
    let visitor = Visitor::new(name, browser);
    taken_for_granted::all(&visitor).await;
    made_once::all(&visitor).await;
    // It opens a window, behind which a browser takes its time.
    taken_for_granted::links_stay_links(&visitor).await;
    visitor.browser.close().await;
}

#[tokio::test]
async fn in_chromium() {
    all("chromium", Browser::chromium().await).await;
}

#[tokio::test]
async fn in_chromium_without_the_navigation_api() {
    let browser = Browser::chromium().await;
    browser.before_pages("Object.defineProperty(window, 'navigation', { value: undefined })").await;
    all("history", browser).await;
}

#[tokio::test]
async fn in_firefox() {
    match Browser::firefox().await {
        Some(browser) => all("firefox", browser).await,
        None => println!("skipped: firefox-esr is not installed"),
    }
}

#[tokio::test]
async fn components_of_react() {
    components::all("react", Browser::chromium().await).await;
}

#[tokio::test]
async fn custom_elements() {
    components::all("elements", Browser::chromium().await).await;
}

#[tokio::test]
async fn pages_of_a_server_are_taken_over() {
    adopted::all(Browser::chromium().await).await;
}
