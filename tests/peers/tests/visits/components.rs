//! The example that is drawn by React, and once more by custom elements: a visit of either is the same.

use std::path::PathBuf;

use serde_json::json;

use crate::bidi::Browser;
use crate::{Visitor, serve, tool};

pub(crate) async fn all(drawn: &str, browser: Browser) {
    let example = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/components"));
    let app = example.join("dist").join(drawn);
    assert!(app.join("main.js").is_file(), "`examples/components/make` builds it");
    let table = example.join("routes.toml");
    let server = serve(&tool(), table.to_str().expect("a path"), &["--app", app.to_str().expect("a path")]);
    let visitor = Visitor::of(app, server, browser);
    let archive =
        if drawn == "react" { "document.querySelector('#archive')" } else { "document.querySelector('archive-frame')" };
    let at = "[location.pathname + location.search, document.title, document.activeElement.textContent, document.querySelector('[role=status]').textContent]";

    // Focus, scroll position and what is said wait until the components are drawn.
    visitor.goto("/").await;
    visitor.click("nav a:nth-child(2)").await;
    visitor.expect(at, json!(["/plates", "Plates", "Plates, page 1", "Plates"])).await;
    visitor.expect(&format!("(window.kept = {archive}) !== null"), true).await;
    visitor.js("(document.body.style.minHeight = '3000px', null)").await;
    visitor.scroll_to(30).await;
    visitor.click("#more").await;
    visitor.expect(at, json!(["/plates?page=2", "Plates", "Plates, page 2", "Plates\u{a0}"])).await;
    visitor.expect("Math.round(scrollY)", 0).await;
    // The frame stays, and shows its new value.
    let words =
        format!("[window.kept === {archive}, ({archive}.shadowRoot ?? {archive}).textContent.includes('page 2')]");
    visitor.expect(&words, json!([true, true])).await;
    if drawn == "react" {
        visitor.click("#archive button").await;
        visitor.expect("document.querySelector('#archive button').textContent", "1 looks").await;
    }
    visitor.browser.traverse(-1).await;
    visitor.heading("Plates, page 1").await;
    visitor.expect("Math.round(scrollY)", 30).await;
    // A page whose code comes when it is needed, with a title of its data.
    visitor.click("main a").await;
    visitor.expect(at, json!(["/plates/b-1042", "Plate b-1042", "Plate b-1042", "Plate b-1042"])).await;
    visitor.expect(&format!("window.kept === {archive}"), true).await;
    if drawn == "react" {
        visitor.expect("document.querySelector('#archive button').textContent", "1 looks").await;
    }
    // One that does not exist, within its frame; one that fails, and comes at last.
    visitor.goto("/plates/b-9999").await;
    visitor.heading("No such plate: there is no plate b-9999").await;
    visitor.expect(&format!("{archive} !== null"), true).await;
    let failing = "(window.fetch = ((fetch) => (url, more) => (window.isDown ? Promise.reject(new TypeError('down')) : fetch(url, more)))(fetch), window.isDown = true, null)";
    visitor.js(failing).await;
    visitor.click("nav a:nth-child(2)").await;
    visitor.heading("It failed").await;
    visitor.js("(window.isDown = false, null)").await;
    visitor.click("#again").await;
    visitor.heading("Plates, page 1").await;
    visitor.browser.close().await;
}
