//! The browser module in a browser, driven through WebDriver on the example application: what a visitor does, what the server saw of
//! it, and what the accessibility tree says. Once with the Navigation API of the browser, and once with its history alone.

mod driver;
#[path = "driver/witness.rs"]
mod witness;
#[path = "../../../crates/vivid-lane-cli/tests/support/server.rs"]
mod server;

use std::process::{Command, Stdio};
use std::time::Duration;

use driver::{Driver, browser};
use fantoccini::actions::{InputSource, MouseActions, PointerAction};
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
    async fn new(has_navigation: bool) -> Self {
        Self::at(has_navigation, &format!("{ROOT}/examples/browser/dist")).await
    }

    /// A visitor of the application in a folder.
    async fn at(has_navigation: bool, app: &str) -> Self {
        Self::of(has_navigation, &format!("{ROOT}/demo/larkfell/routes.toml"), app).await
    }

    /// A visitor of an application with a table of its own.
    async fn of(has_navigation: bool, table: &str, app: &str) -> Self {
        let tool = tool();
        let observers = format!("observers={ROOT}/demo/larkfell/observers.txt");
        let mut more = vec!["--app", app];
        if table.contains("larkfell") {
            more.extend(["--list", &observers]);
        }
        let server = serve(&tool, table, &more);
        let (driver, client) = browser().await;
        if !has_navigation {
            let source = "Object.defineProperty(window, 'navigation', { value: undefined })";
            let hide = Developer("Page.addScriptToEvaluateOnNewDocument", json!({ "source": source }));
            client.issue_cmd(hide).await.expect("the tools answer");
        }
        let witness = Witness::of(&server);
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

    async fn point_at(&self, selector: &str) -> Result<(), CmdError> {
        let element = self.client.find(Locator::Css(selector)).await?;
        let to = PointerAction::MoveToElement { element, duration: None, x: 0.0, y: 0.0 };
        self.client.perform_actions(MouseActions::new("mouse".to_owned()).then(to)).await
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
async fn a_visit(has_navigation: bool) -> Outcome {
    let visitor = Visitor::new(has_navigation).await;
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
    visitor.run("document.querySelector('.within').style.minHeight = '4000px'; scrollTo(0, 700)").await?;
    // The driver would scroll to what it clicks on.
    visitor.run("document.querySelector('main a:nth-child(3)').click()").await?;
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
    assert!(visitor.heard().await?.0.starts_with("heading Plates"), "what had the focus is gone");

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

#[tokio::test]
async fn a_visit_with_the_navigation_api() -> Outcome {
    a_visit(true).await
}

#[tokio::test]
async fn a_visit_with_the_history_alone() -> Outcome {
    a_visit(false).await
}

/// Which links stay links: other sites, downloads, other windows, what says that it is external, parts of a page.
async fn what_is_left_alone(has_navigation: bool) -> Outcome {
    let visitor = Visitor::new(has_navigation).await;
    visitor.goto("/plates").await?;
    visitor.run("window.kept = true").await?;
    visitor.witness.seen();
    let links = r##"
        document.querySelector('main').insertAdjacentHTML('beforeend', `
            <a id="blank" href="/nights" target="other">other window</a> <a id="part" href="#low">part</a>
            <a id="download" href="/nights" download>download</a> <a id="external" href="/nights" rel="external">external</a>
            <a id="plain" href="/nights#low">plain</a><p style="height:3000px"></p><p id="low">low</p>`)"##;
    visitor.run(links).await?;
    // A part of the page is the browser's own business, and leaves the page as it is.
    visitor.client.find(Locator::Css("#part")).await?.click().await?;
    visitor.wait("location.hash === '#low' && scrollY > 1000").await?;
    assert_eq!(visitor.run("return document.querySelector('h1').textContent").await?, json!("Plates"));
    for id in ["#blank", "#download"] {
        visitor.client.find(Locator::Css(id)).await?.click().await?;
        tokio::time::sleep(Duration::from_millis(200)).await;
        assert_eq!(visitor.run("return document.querySelector('h1').textContent").await?, json!("Plates"), "{id}");
        assert!(visitor.witness.seen().contains(&"GET /nights".to_owned()), "{id} was not followed by the browser");
    }
    // With a key held down, a link opens elsewhere.
    visitor.run("document.querySelector('#plain').dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true, ctrlKey: true }))").await?;
    tokio::time::sleep(Duration::from_millis(200)).await;
    assert_eq!(visitor.run("return document.querySelector('h1').textContent").await?, json!("Plates"));
    // What is external is fetched from the server.
    visitor.witness.seen();
    visitor.client.find(Locator::Css("#external")).await?.click().await?;
    visitor.heading("Nights").await?;
    assert_eq!(visitor.run("return window.kept").await?, Json::Null);
    assert!(visitor.witness.seen().contains(&"GET /nights".to_owned()));

    // Nothing is made ready where the visitor saves data.
    visitor
        .run("Object.defineProperty(navigator, 'connection', { value: { saveData: true }, configurable: true })")
        .await?;
    visitor.point_at("aside li:nth-child(2) a").await?;
    tokio::time::sleep(Duration::from_millis(100)).await;
    assert_eq!(visitor.run("return document.querySelector('aside .ready')").await?, Json::Null);
    visitor.run("delete navigator.connection").await?;
    visitor.point_at("h1").await?;
    // What a link leads to is made ready once, when the pointer comes near, and not again.
    visitor.point_at("aside li:nth-child(2) a").await?;
    visitor.wait("document.querySelector('aside li:nth-child(2) a').classList.contains('ready')").await?;
    visitor.run("document.querySelector('aside .ready').classList.remove('ready')").await?;
    visitor.point_at("h1").await?;
    visitor.point_at("aside li:nth-child(2) a").await?;
    tokio::time::sleep(Duration::from_millis(100)).await;
    assert_eq!(visitor.run("return document.querySelector('aside .ready')").await?, Json::Null);
    visitor.client.close().await?;
    Ok(())
}

#[tokio::test]
async fn links_stay_links_with_the_navigation_api() -> Outcome {
    what_is_left_alone(true).await
}

#[tokio::test]
async fn links_stay_links_with_the_history_alone() -> Outcome {
    what_is_left_alone(false).await
}

/// The same application with its addresses in the fragment, as on a host that serves files only.
async fn in_the_fragment(has_navigation: bool) -> Outcome {
    let visitor = Visitor::new(has_navigation).await;
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

#[tokio::test]
async fn in_the_fragment_with_the_navigation_api() -> Outcome {
    in_the_fragment(true).await
}

#[tokio::test]
async fn in_the_fragment_with_the_history_alone() -> Outcome {
    in_the_fragment(false).await
}

const FIXTURE: &str = r#"<!doctype html><meta charset="utf-8"><title>first</title>
<meta http-equiv="content-security-policy" content="default-src 'none'; script-src 'self'; connect-src 'self'">
<script type="module" src="/fixture.js"></script><nav><a href="/nights">nights</a></nav><main><h1>served</h1></main>"#;

/// Pages that take their time, pages that fail, a first page that is there already, and an end.
async fn what_goes_wrong(has_navigation: bool) -> Outcome {
    let app = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("fixture-{has_navigation}"));
    std::fs::create_dir_all(app.join("routes"))?;
    std::fs::write(app.join("index.html"), FIXTURE)?;
    std::fs::write(app.join("fixture.js"), include_str!("fixture.js"))?;
    for name in ["routes.js", "table.js", "runtime.js", "browser.js"] {
        std::fs::copy(format!("{ROOT}/examples/browser/dist/routes/{name}"), app.join("routes").join(name))?;
    }
    let visitor = Visitor::at(has_navigation, app.to_str().expect("a path")).await;
    let seen = async |expected: &[&str]| -> Result<(), CmdError> {
        let seen: Vec<String> =
            serde_json::from_value(visitor.run("return window.seen.splice(0)").await?).expect("texts");
        assert_eq!(seen, expected);
        Ok(())
    };
    // The first page is the server's: nothing is drawn, and its title and focus are left alone.
    visitor.goto("/nights?adopt").await?;
    visitor.wait("window.site?.current").await?;
    visitor.heading("served").await?;
    seen(&["current night-list"]).await?;
    assert_eq!(visitor.client.title().await?, "Nights");
    // What is drawn then is drawn within a view transition.
    visitor.run("site.go('nights.night', { date: '2031-04-02' })").await?;
    visitor.heading("night").await?;
    seen(&["transition", "drawn night push kept=with-calendar entered= changed=", "current night"]).await?;
    visitor.run("site.go('nights.night', { date: '2031-04-03' })").await?;
    visitor.wait("window.seen.length === 3").await?;
    seen(&["transition", "drawn night push kept=with-calendar entered= changed=date", "current night"]).await?;

    // The latest navigation wins, and one that is overtaken is aborted and draws nothing.
    visitor.run("site.go('talks'); setTimeout(() => site.go('plates'), 50)").await?;
    visitor.heading("plate-list").await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    assert_eq!(visitor.address().await?, "/plates");
    seen(&["aborted 400", "transition", "drawn plate-list push kept= entered=archive changed=", "current plate-list"])
        .await?;

    // What is thrown is shown, and the address is the one that it is about.
    visitor.run("site.go('domes')").await?;
    visitor.heading("failed").await?;
    assert_eq!(visitor.address().await?, "/domes");
    seen(&["failed the domes are closed dome-list"]).await?;
    visitor.run("site.back()").await?;
    visitor.heading("plate-list").await?;
    assert_eq!(visitor.address().await?, "/plates");
    seen(&["transition", "drawn plate-list traverse kept=archive entered= changed=", "current plate-list"]).await?;
    visitor.run("site.replace('plates.plate', { plate: 'b-1042' })").await?;
    visitor.heading("plate").await?;
    let count = visitor.run("return history.length").await?;
    visitor.run("site.replace('plates', { band: ['b', 'v'] })").await?;
    visitor.heading("plate-list").await?;
    assert_eq!(visitor.run("return [history.length, location.search]").await?, json!([count, "?band=b&band=v"]));
    visitor.run("window.seen.length = 0").await?;

    // A part of a page is gone to.
    visitor.run("site.open('/nights/2031-04-02#low')").await?;
    visitor.wait("scrollY > 1000").await?;
    assert_eq!(visitor.address().await?, "/nights/2031-04-02#low");
    visitor.run("window.seen.length = 0").await?;

    // Who has asked for less motion sees none.
    let still = json!({ "features": [{ "name": "prefers-reduced-motion", "value": "reduce" }] });
    visitor.client.issue_cmd(Developer("Emulation.setEmulatedMedia", still)).await?;
    visitor.run("site.go('home')").await?;
    visitor.heading("home").await?;
    seen(&["drawn home push kept= entered= changed=", "current home"]).await?;

    // After its end, links are links again.
    visitor.run("site.stop(); window.kept = true").await?;
    visitor.witness.seen();
    visitor.client.find(Locator::Css("nav a")).await?.click().await?;
    visitor.heading("night-list").await?;
    assert_eq!(visitor.run("return window.kept").await?, Json::Null);
    assert!(visitor.witness.seen().contains(&"GET /nights".to_owned()));
    visitor.client.close().await?;
    Ok(())
}

#[tokio::test]
async fn what_goes_wrong_with_the_navigation_api() -> Outcome {
    what_goes_wrong(true).await
}

#[tokio::test]
async fn what_goes_wrong_with_the_history_alone() -> Outcome {
    what_goes_wrong(false).await
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
    for (name, language) in [("routes.toml", "toml"), ("main.js", "js"), ("index.html", "html")] {
        std::fs::write(app.join(name), block(language))?;
    }
    let own = block("js").lines().count() + block("html").lines().count();
    assert!(own < 30, "{own} lines");
    let call = docs.lines().find(|line| line.contains("--browser --javascript")).expect("a call");
    let words = call.split('#').next().expect("the call").split_whitespace().skip(1);
    let status = Command::new(tool()).args(words).current_dir(&app).stderr(Stdio::null()).status()?;
    assert!(status.success());
    let table = app.join("routes.toml");
    let visitor = Visitor::of(true, table.to_str().expect("a path"), app.to_str().expect("a path")).await;
    visitor.goto("/").await?;
    visitor.heading("Larkfell").await?;
    assert_eq!(visitor.client.title().await?, "Larkfell Observatory");
    visitor.click("main a", "Nights").await?;
    visitor.click("main a", "2031-04-02").await?;
    assert_eq!(
        (visitor.address().await?.as_str(), visitor.client.title().await?.as_str()),
        ("/nights/2031-04-02", "Nights")
    );
    visitor.goto("/nights/never").await?;
    visitor.heading("Nothing is here").await?;
    visitor.client.close().await?;
    Ok(())
}
