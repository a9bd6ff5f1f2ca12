//! A page that the server in JavaScript has drawn, taken over in the browser: nothing is drawn, decided or asked again.

use std::path::Path;

use serde_json::json;

use crate::Visitor;
use crate::bidi::Browser;
use crate::node::Node;
use crate::witness::Witness;

pub(crate) async fn all(browser: Browser) {
    let example = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/javascript-server/dist");
    let node = Node::start(&example.join("server.js"), &["0"]);
    let witness = Witness::of(&node.address);
    let visitor = Visitor { browser, witness, app: example, _server: Box::new(node) };
    // The elements from before any script runs are the same elements afterwards.
    let mark = "document.addEventListener('DOMContentLoaded', () => { window.served = document.querySelector('h1'); window.asked = []; })";
    visitor.browser.before_pages(mark).await;
    let is_kept = "[document.querySelector('h1') === window.served, document.querySelectorAll('#frames *').length > 3]";
    for path in ["/nights/2031-04-02", "/plates?band=b", "/observers/ada", "/nights/2031-02-30"] {
        visitor.browser.runs_scripts(false).await;
        visitor.browser.goto(&format!("{}{path}", visitor.witness.url)).await;
        let served = visitor.browser.tree().await;
        assert!(served.iter().any(|(role, name)| role == "heading" && !name.is_empty()), "{served:?}");
        visitor.browser.runs_scripts(true).await;
        visitor.goto(path).await;
        visitor.witness.seen();
        visitor.goto(path).await;
        visitor.stays(is_kept, json!([true, true])).await;
        assert_eq!(visitor.browser.tree().await, served, "{path}");
        // The document and its files, and nothing else: neither the page nor who the visitor is was asked for.
        let seen = visitor.witness.seen();
        let others: Vec<&String> =
            seen.iter().filter(|line| !line.ends_with(".js") && !line.ends_with(".css")).collect();
        assert!(others.len() == 1 && others[0] == &format!("GET {path}"), "{path}: {seen:?}");
    }
    // It goes on in the browser, frames included, and asks when it has to.
    visitor.goto("/nights/2031-04-02").await;
    visitor.witness.seen();
    visitor.click("main a").await;
    visitor.heading("Exposure 1").await;
    visitor.expect("document.querySelector('aside h2').textContent", "Calendar").await;
    visitor
        .expect(
            "[location.pathname, document.activeElement.textContent]",
            json!(["/nights/2031-04-02/exposures/1", "Exposure 1"]),
        )
        .await;
    assert_eq!(visitor.witness.seen(), [""; 0]);
    // Signing in, and a page that only those see who have: drawn by the server, and not asked for again.
    visitor.goto("/observers/ada/logbook").await;
    visitor.heading("Sign in").await;
    visitor.click("#in").await;
    visitor.heading("The logbook of ada").await;
    visitor.expect("location.pathname", "/observers/ada/logbook").await;
    visitor.witness.seen();
    visitor.browser.reload().await;
    visitor.heading("The logbook of ada").await;
    visitor
        .stays(
            "[document.querySelector('h1') === window.served, document.querySelector('#session').hidden]",
            json!([true, false]),
        )
        .await;
    assert!(!visitor.witness.seen().iter().any(|line| line.contains("session")));
    visitor.click("#session").await;
    visitor.heading("Sign in").await;
    visitor.browser.close().await;
}
