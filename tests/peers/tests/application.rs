//! The example application in a browser, driven through WebDriver: what a visitor does, what the server saw of it, and what the
//! accessibility tree says.

mod driver;
#[path = "../../../crates/vivid-lane-cli/tests/support/server.rs"]
mod server;
#[path = "driver/witness.rs"]
mod witness;

use std::process::{Command, Stdio};
use std::time::Duration;

use driver::{Driver, browser};
use fantoccini::error::CmdError;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, Locator};
use serde_json::{Value as Json, json};
use server::{Server, serve};
use witness::Witness;

const ROOT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

type Outcome = Result<(), Box<dyn std::error::Error>>;

/// A command of the browser's developer tools, which the driver passes on.
#[derive(Debug)]
struct Developer(&'static str, Json);

impl WebDriverCompatibleCommand for Developer {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "cmd": self.0, "params": self.1 }).to_string()))
    }
}

fn tool() -> String {
    std::env::var("VIVID_LANE_TOOL").expect("`.ci/browser` says where the tool is")
}

/// A visitor at a running application.
struct Visitor {
    client: Client,
    witness: Witness,
    _driver: Driver,
    _server: Server,
}

impl Visitor {
    async fn new() -> Self {
        Self::of(&format!("{ROOT}/demo/larkfell/routes.toml"), &format!("{ROOT}/examples/browser/dist")).await
    }

    /// A visitor of an application with a table of its own.
    async fn of(table: &str, app: &str) -> Self {
        let tool = tool();
        let observers = format!("observers={ROOT}/demo/larkfell/observers.txt");
        let mut more = vec!["--app", app];
        if table.contains("larkfell") {
            more.extend(["--list", &observers]);
        }
        let server = serve(&tool, table, &more);
        let (driver, client) = browser().await;
        let witness = Witness::of(&server.url);
        Self { client, witness, _driver: driver, _server: server }
    }

    async fn goto(&self, path: &str) -> Result<(), CmdError> {
        self.client.goto(&format!("{}{path}", self.witness.url)).await?;
        self.wait("document.querySelector('h1') !== null").await
    }

    async fn run(&self, script: &str) -> Result<Json, CmdError> {
        self.client.execute(script, Vec::new()).await
    }

    /// Waits until a condition holds.
    async fn wait(&self, condition: &str) -> Result<(), CmdError> {
        for _ in 0..100 {
            if self.run(&format!("return Boolean({condition})")).await? == json!(true) {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(30)).await;
        }
        panic!("{condition} does not come true at {}", self.client.current_url().await?);
    }

    /// Clicks on what a selector finds, and waits for the heading.
    async fn click(&self, selector: &str, heading: &str) -> Result<(), CmdError> {
        self.client.find(Locator::Css(selector)).await?.click().await?;
        self.heading(heading).await
    }

    async fn heading(&self, heading: &str) -> Result<(), CmdError> {
        self.wait(&format!("document.querySelector('h1')?.textContent === {}", json!(heading))).await
    }

    async fn address(&self) -> Result<String, CmdError> {
        let url = self.client.current_url().await?;
        let query = url.query().map_or_else(String::new, |query| format!("?{query}"));
        let fragment = url.fragment().map_or_else(String::new, |part| format!("#{part}"));
        Ok(format!("{}{query}{fragment}", url.path()))
    }

    /// What the accessibility tree says: the name of what has the focus, and the text of the status.
    async fn heard(&self) -> Result<(String, String), CmdError> {
        let tree = self.client.issue_cmd(Developer("Accessibility.getFullAXTree", json!({}))).await?;
        let nodes = tree["nodes"].as_array().cloned().unwrap_or_default();
        let role = |node: &Json| node["role"]["value"].as_str().unwrap_or_default().to_owned();
        let is_focused = |node: &&Json| {
            role(node) != "RootWebArea"
                && node["properties"]
                    .as_array()
                    .is_some_and(|all| all.iter().any(|one| one["name"] == "focused" && one["value"]["value"] == true))
        };
        let name = |node: &Json| node["name"]["value"].as_str().unwrap_or_default().to_owned();
        let focused =
            nodes.iter().find(is_focused).map(|node| format!("{} {}", role(node), name(node))).unwrap_or_default();
        let status = self.run("return document.querySelector('[role=status]').textContent").await?;
        let has_status = nodes.iter().any(|node| role(node) == "status");
        assert!(has_status, "the tree has no status");
        Ok((focused, status.as_str().unwrap_or_default().to_owned()))
    }

    /// The links that are marked as current, with how.
    async fn current(&self) -> Result<Vec<String>, CmdError> {
        let script = "return [...document.querySelectorAll('header [aria-current], aside [aria-current]')].map((one) => one.textContent + '=' + one.getAttribute('aria-current'))";
        Ok(serde_json::from_value(self.run(script).await?).expect("texts"))
    }
}

/// All that a visitor does without a reload.
#[tokio::test]
async fn a_visit() -> Outcome {
    let visitor = Visitor::new().await;
    // An address that is not in its normal form is mended, and the first page leaves focus and scroll position alone.
    visitor.goto("/nights/").await?;
    visitor.heading("Nights").await?;
    assert_eq!(visitor.address().await?, "/nights");
    assert_eq!(visitor.current().await?, ["Nights=page"]);
    assert_eq!(visitor.client.title().await?, "Nights · Larkfell");
    visitor.run("window.kept = document.querySelector('aside')").await?;
    visitor.witness.seen();

    // List → detail: the frame stays, the heading has the focus, the title is said, the links are marked.
    visitor.click("aside li:nth-child(2) a", "The night of 2031-04-02").await?;
    assert_eq!(visitor.address().await?, "/nights/2031-04-02");
    assert_eq!(visitor.run("return window.kept === document.querySelector('aside')").await?, json!(true));
    let title = "The night of 2031-04-02 · Larkfell";
    assert_eq!(visitor.heard().await?, ("heading The night of 2031-04-02".to_owned(), title.to_owned()));
    assert_eq!(visitor.current().await?, ["Nights=true", "2031-04-02=page"]);
    // The same page with another value is a change, too.
    visitor.click("aside li:nth-child(3) a", "The night of 2031-04-03").await?;
    visitor.click("main li:nth-child(2) a", "Exposure 2").await?;
    assert_eq!(visitor.current().await?, ["Nights=true", "2031-04-03=true"]);

    // Through the history, with its scroll positions.
    visitor.run("document.querySelector('.frame > div').style.minHeight = '4000px'; scrollTo(0, 700)").await?;
    // The driver would scroll to what it clicks on.
    visitor.run("document.querySelector('main p a:last-child').click()").await?;
    visitor.heading("The night of 2031-04-03").await?;
    visitor.wait("scrollY === 0").await?;
    assert_eq!(visitor.run("return scrollY").await?, json!(0));
    visitor.client.back().await?;
    visitor.heading("Exposure 2").await?;
    visitor.wait("scrollY === 700").await?;
    visitor.client.forward().await?;
    visitor.heading("The night of 2031-04-03").await?;

    // A form that asks is an address: a filter given twice.
    visitor.click("nav a:nth-child(3)", "Plates").await?;
    visitor.client.find(Locator::Css("input[value=b]")).await?.click().await?;
    visitor.client.find(Locator::Css("input[value=v]")).await?.click().await?;
    visitor.click("form button", "Plates").await?;
    visitor.wait("document.querySelectorAll('table tr').length === 3").await?;
    assert_eq!(visitor.address().await?, "/plates?band=b&band=v");
    // It says that one stays: the button that takes the place of the one that was pressed has the focus.
    assert_eq!(visitor.heard().await?.0, "button Filter");

    // A subtree's own page for what is missing, in its frame.
    visitor.click("a.name", "The sky over Larkfell").await?;
    visitor.click("main a:nth-of-type(3)", "No such plate").await?;
    assert_eq!(visitor.run("return document.querySelector('aside h2').textContent").await?, json!("The archive"));
    assert_eq!(visitor.address().await?, "/plates/nothing");

    // Sent to sign in, through joining, and back.
    visitor.click("a.name", "The sky over Larkfell").await?;
    visitor.click("main a:nth-of-type(2)", "Sign in").await?;
    assert_eq!(visitor.address().await?, "/observers/sign-in?return=%2Fobservers%2Fada%2Flogbook");
    visitor.click("main a", "Join").await?;
    visitor.click("main a", "Sign in").await?;
    assert_eq!(visitor.witness.seen(), [""; 0], "nothing was asked of the server");
    visitor.click("#in", "The logbook of ada").await?;
    assert_eq!(visitor.address().await?, "/observers/ada/logbook");
    assert_eq!(visitor.witness.seen(), ["POST /-/session"]);

    // A guard on what is not kept.
    visitor.client.find(Locator::Css("#entry input")).await?.send_keys("clear").await?;
    visitor.client.find(Locator::Css("nav a:nth-child(3)")).await?.click().await?;
    visitor.client.dismiss_alert().await?;
    visitor.heading("The logbook of ada").await?;
    assert_eq!(visitor.address().await?, "/observers/ada/logbook");
    visitor.client.find(Locator::Css("nav a:nth-child(3)")).await?.click().await?;
    visitor.client.accept_alert().await?;
    visitor.heading("Plates").await?;

    // Signing out decides the address anew; a reload keeps who one is.
    visitor.client.back().await?;
    visitor.heading("The logbook of ada").await?;
    visitor.client.refresh().await?;
    visitor.heading("The logbook of ada").await?;
    assert!(visitor.witness.seen().contains(&"GET /observers/ada/logbook".to_owned()));
    visitor.click("#session", "Sign in").await?;
    assert_eq!(visitor.witness.seen(), ["POST /-/session"]);
    visitor.client.close().await?;
    Ok(())
}

/// The same application with its addresses in the fragment, as on a host that serves files only.
#[tokio::test]
async fn in_the_fragment() -> Outcome {
    let visitor = Visitor::new().await;
    visitor.goto("/hash/index.html").await?;
    visitor.heading("The sky over Larkfell").await?;
    visitor.run("window.kept = true").await?;
    visitor.witness.seen();
    visitor.click("nav a:nth-child(1)", "Nights").await?;
    assert_eq!(visitor.address().await?, "/hash/index.html#/nights");
    visitor.click("aside li:nth-child(2) a", "The night of 2031-04-02").await?;
    assert_eq!(visitor.current().await?, ["Nights=true", "2031-04-02=page"]);
    visitor.client.back().await?;
    visitor.heading("Nights").await?;
    visitor.run("location.hash = '#/nights/2031-04-03'").await?;
    visitor.heading("The night of 2031-04-03").await?;
    visitor.run("location.hash = '#/nihgts'").await?;
    visitor.heading("Nothing is here").await?;
    assert_eq!(visitor.run("return window.kept").await?, json!(true));
    assert_eq!(visitor.witness.seen(), [""; 0]);
    visitor.client.close().await?;
    Ok(())
}

/// The first page of `docs/BROWSER.md`, followed to the letter.
#[tokio::test]
async fn the_first_page_of_the_docs_works() -> Outcome {
    let docs = std::fs::read_to_string(format!("{ROOT}/docs/BROWSER.md"))?;
    let block = |language: &str| {
        let start = docs.find(&format!("```{language}\n")).expect("a block") + language.len() + 4;
        &docs[start..start + docs[start..].find("```").expect("its end")]
    };
    let app = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("docs");
    std::fs::create_dir_all(&app)?;
    std::fs::create_dir_all(app.join("data"))?;
    let files = [("routes.toml", "toml"), ("main.js", "js"), ("index.html", "html"), ("data/2031-04-02.json", "json")];
    for (name, language) in files {
        std::fs::write(app.join(name), block(language))?;
    }
    let own = block("js").lines().count() + block("html").lines().count();
    assert!(own < 40, "{own} lines");
    let call = docs.lines().find(|line| line.contains("--browser --javascript")).expect("a call");
    let words = call.split('#').next().expect("the call").split_whitespace().skip(1);
    let status = Command::new(tool()).args(words).current_dir(&app).stderr(Stdio::null()).status()?;
    assert!(status.success());
    let table = app.join("routes.toml");
    let visitor = Visitor::of(table.to_str().expect("a path"), app.to_str().expect("a path")).await;
    visitor.goto("/").await?;
    visitor.heading("Larkfell").await?;
    assert_eq!(visitor.client.title().await?, "Larkfell Observatory");
    visitor.click("main a", "Nights").await?;
    visitor.click("nav a", "2031-04-02").await?;
    assert_eq!(visitor.run("return document.querySelector('p').textContent").await?, json!("41 exposures"));
    assert_eq!(
        (visitor.address().await?.as_str(), visitor.client.title().await?.as_str()),
        ("/nights/2031-04-02", "Nights")
    );
    visitor.goto("/nights/never").await?;
    visitor.heading("Nothing is here").await?;
    visitor.client.close().await?;
    Ok(())
}
