//! What a developer writes once, and the module does at every visit.

use std::time::Duration;

use serde_json::json;

use crate::Visitor;

pub(crate) async fn all(visitor: &Visitor) {
    frames_stay_and_are_told(visitor).await;
    what_is_made_ahead_is_shared(visitor).await;
    waiting_is_known_from_the_first_moment(visitor).await;
    a_state_is_kept_with_its_entry(visitor).await;
    one_signs_in_and_comes_back(visitor).await;
}

async fn frames_stay_and_are_told(visitor: &Visitor) {
    visitor.begin("/tools").await;
    let made = "['shell', 'rack', 'bench'].map((one) => document.getElementById(one)?.dataset.made ?? null)";
    visitor.expect(made, json!(["1", "2", null])).await;
    visitor.click("#tool-1").await;
    visitor.heading("Tool 1").await;
    visitor.expect(made, json!(["1", "2", "3"])).await;
    visitor.expect("document.querySelector('#bench').firstChild.textContent", "bench 1").await;
    // A frame shows the values that lead to it: it is updated, or made again.
    visitor.click(".in-frame").await;
    visitor.heading("Tool 2").await;
    visitor.expect(made, json!(["1", "2", "4"])).await;
    visitor.expect("document.querySelector('#bench').firstChild.textContent", "bench 2").await;
    visitor.click("#to-tools").await;
    visitor.click("#next").await;
    visitor.heading("Tools 2").await;
    visitor.expect("JSON.parse(document.querySelector('#rack').dataset.changed).page", 2).await;
    visitor.expect(made, json!(["1", "2", null])).await;
    visitor.is_well().await;
}

async fn what_is_made_ahead_is_shared(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.js("(set({ slow: { tool: 300 } }), made.length = 0, null)").await;
    // Rows that are crossed are not fetched; the one on which the pointer rests is, once.
    for row in ["#tool-1", "#tool-2", "#tool-3"] {
        visitor.browser.point(row, false).await;
    }
    visitor.expect("made", json!(["tool ahead"])).await;
    // A route with a live list, which has to be asked first.
    visitor.browser.point("#to-member", false).await;
    visitor.expect("made", json!(["tool ahead", "member ahead"])).await;
    visitor.js("(made.length = 1, null)").await;
    visitor.click("#tool-3").await;
    visitor.heading("Tool 3").await;
    visitor.expect("made", json!(["tool ahead"])).await;
    // A reload of the data without a new address keeps focus and scroll position.
    visitor.scroll_to(20).await;
    visitor.js("(document.querySelector('#part').focus(), null)").await;
    visitor.js("site.refresh()").await;
    visitor.expect("made", json!(["tool ahead", "tool"])).await;
    visitor.expect("[Math.round(scrollY), document.activeElement.id]", json!([20, "part"])).await;
    // What was made ahead expires, and nothing is made ahead for who saves data.
    visitor.click("#to-tools").await;
    visitor.heading("Tools 1").await;
    visitor.js("(made.length = 0, null)").await;
    visitor.browser.point("#tool-1", false).await;
    visitor.expect("made", json!(["tool ahead"])).await;
    visitor.js("(Date.now = ((now) => () => now() + 31_000)(Date.now), null)").await;
    visitor.click("#tool-1").await;
    visitor.heading("Tool 1").await;
    visitor.expect("made", json!(["tool ahead", "tool"])).await;
    visitor.click("#to-tools").await;
    visitor.heading("Tools 1").await;
    visitor
        .js("(Object.defineProperty(navigator, 'connection', { value: { saveData: true }, configurable: true }), null)")
        .await;
    visitor.browser.point("#tool-2", false).await;
    visitor.stays("made", json!(["tool ahead", "tool", "tools"])).await;
    visitor.js("(delete navigator.connection, null)").await;
    // What fails ahead is tried again.
    visitor.click("#to-tools").await;
    visitor.heading("Tools 1").await;
    visitor.js("(set({ slow: {}, broken: ['tool'] }), made.length = 0, null)").await;
    visitor.browser.point("#tool-1", false).await;
    visitor.expect("made", json!(["tool ahead"])).await;
    visitor.js("set({ broken: [] })").await;
    visitor.click("#tool-1").await;
    visitor.heading("Tool 1").await;
    visitor.is_well().await;
}

async fn waiting_is_known_from_the_first_moment(visitor: &Visitor) {
    visitor.begin("/").await;
    visitor.js("(set({ slow: { help: 1500 } }), window.going = [], site.subscribe(() => window.going.push([site.going?.address ?? null, site.going?.isLate ?? null])), null)").await;
    visitor.click("#help").await;
    visitor.expect("document.documentElement.hasAttribute('data-waiting')", true).await;
    visitor.expect("[location.pathname, document.title]", json!(["/", "Workshop"])).await;
    visitor.heading("Help").await;
    visitor.expect("document.documentElement.hasAttribute('data-waiting')", false).await;
    visitor.expect("[window.going[0], window.going.at(-1)]", json!([["/help", false], [null, null]])).await;
    visitor.expect("window.going.some(([, isLate]) => isLate)", true).await;
    visitor
        .expect(
            "events.filter((one) => one.endsWith(' /help'))",
            json!(["asked /help", "decided /help", "waiting /help", "fetched /help", "drawn /help"]),
        )
        .await;
    visitor.is_well().await;
}

async fn a_state_is_kept_with_its_entry(visitor: &Visitor) {
    visitor.begin("/tools").await;
    let state = "document.querySelector('#state').textContent";
    visitor.click("#with-state").await;
    visitor.expect(state, r#"{"from":"list"}"#).await;
    visitor.js("site.go('help', {}, { state: { step: 2 } })").await;
    visitor.expect(state, r#"{"step":2}"#).await;
    visitor.browser.reload().await;
    visitor.expect(state, r#"{"step":2}"#).await;
    visitor.js("(site.keep({ step: 3 }), null)").await;
    visitor.browser.traverse(-1).await;
    visitor.expect(state, r#"{"from":"list"}"#).await;
    visitor.browser.traverse(1).await;
    visitor.expect(state, r#"{"step":3}"#).await;
    visitor.is_well().await;
}

async fn one_signs_in_and_comes_back(visitor: &Visitor) {
    visitor.begin("/").await;
    visitor.js("(void site.go('account'), null)").await;
    visitor.at("/sign-in?return=%2Faccount", "The workshop", "Sign in").await;
    visitor.click("#in").await;
    visitor.heading("Account").await;
    visitor.expect("location.pathname", "/account").await;
    tokio::time::sleep(Duration::from_millis(20)).await;
    visitor.is_well().await;
}
