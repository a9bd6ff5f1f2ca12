//! The page to play in, in a browser, opened from a disk. `.ci/wasm` builds it, says in `VIVID_LANE_PLAYGROUND` where, and runs this.

mod driver;

use std::time::Duration;

use driver::{Driver, browser};
use fantoccini::{Client, Locator};
use serde_json::{Value as Json, json};

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

fn page() -> String {
    let folder = std::env::var("VIVID_LANE_PLAYGROUND").expect("VIVID_LANE_PLAYGROUND names the folder of the page");
    format!("file://{folder}/index.html")
}

/// Waits until a script gives something else than `null`.
async fn until(client: &Client, script: &str) -> Outcome<Json> {
    for _ in 0..200 {
        let value = client.execute(script, Vec::new()).await?;
        if !value.is_null() {
            return Ok(value);
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let seen = client.execute("return document.body.innerText", Vec::new()).await?;
    Err(format!("waited in vain for `{script}` on a page that says {seen}").into())
}

/// Waits until the text of an element holds a piece.
async fn until_text(client: &Client, id: &str, piece: &str) -> Outcome<String> {
    let script = format!(
        "const text = document.getElementById('{id}').innerText; return text.includes({}) ? text : null",
        json!(piece)
    );
    Ok(until(client, &script).await?.as_str().unwrap_or_default().to_owned())
}

/// A browser in which the first example has been proven.
async fn opened() -> Outcome<(Driver, Client)> {
    let (driver, client) = browser().await;
    client.goto(&page()).await?;
    until_text(&client, "verdict", "Works").await?;
    Ok((driver, client))
}

/// Puts the caret behind a piece of the table, and types.
async fn type_behind(client: &Client, piece: &str, keys: &str) -> Outcome {
    let script = "const content = document.getElementById('editor').shadowRoot.querySelector('.cm-content');
        content.focus();
        const walker = document.createTreeWalker(content, NodeFilter.SHOW_TEXT);
        for (let node; (node = walker.nextNode()); ) {
            const at = node.data.indexOf(arguments[0]);
            if (at >= 0) { getSelection().collapse(node, at + arguments[0].length); return true; }
        }
        return null";
    let found = client.execute(script, vec![json!(piece)]).await?;
    assert_eq!(found, json!(true), "{piece} is not in the editor");
    // The caret is taken over in a moment.
    tokio::time::sleep(Duration::from_millis(100)).await;
    client.active_element().await?.send_keys(keys).await?;
    Ok(())
}

async fn choose(client: &Client, id: &str, value: &str) -> Outcome {
    client.find(Locator::Id(id)).await?.select_by_value(value).await?;
    Ok(())
}

#[tokio::test]
async fn a_table_is_changed_tried_linked_and_compared() -> Outcome {
    let (_driver, client) = opened().await?;
    // A breach of the policy is told, and there is none.
    let listen = "self.breaches = [];
        addEventListener('securitypolicyviolation', (event) => breaches.push(event.blockedURI))";
    client.execute(listen, Vec::new()).await?;

    // URLs beside it.
    let shown = "return [...document.querySelectorAll('#urls .status')].map((one) => one.innerText).join() || null";
    assert_eq!(until(&client, shown).await?, json!("200,200,404,404"));
    let field = client.find(Locator::Css("#urls li:nth-child(1) input")).await?;
    field.click().await?;
    field.send_keys("/tonight").await?;
    until_text(&client, "why", "date refused").await?;
    let lit = "return [...document.querySelectorAll('.tree .lit > button > span:first-child')].map((one) => one.innerText).join()";
    assert_eq!(client.execute(lit, Vec::new()).await?, json!("nights,tonight"));

    // A mistake as it is typed: underlined, told with its mend, while what was before still answers.
    type_behind(&client, "\"tonight", "x\"\npgae = \"").await?;
    until_text(&client, "verdict", "Broken").await?;
    until_text(&client, "findings", "did you mean page?").await?;
    until_text(&client, "urls-title", "before the mistake").await?;
    let underlined =
        "return document.getElementById('editor').shadowRoot.querySelector('.cm-lintRange-error')?.innerText ?? null";
    assert_eq!(until(&client, underlined).await?, json!("pgae"));

    // The example again; another path is a change, with the redirect that mends it.
    choose(&client, "example", "1").await?;
    until_text(&client, "verdict", "Works").await?;
    choose(&client, "example", "0").await?;
    until_text(&client, "verdict", "nothing is found").await?;
    type_behind(&client, "\"/tonight", "-now").await?;
    until_text(&client, "tab-changes", "(1)").await?;
    client.find(Locator::Id("tab-changes")).await?.click().await?;
    until_text(&client, "changes", "redirect = \"nights.tonight\"").await?;

    // A link by its form, refused and made.
    client.find(Locator::Id("tab-links")).await?.click().await?;
    client.find(Locator::Css("#links select")).await?.select_by_value("nights.night").await?;
    until(&client, "return document.getElementById('value-date')").await?;
    client.find(Locator::Id("value-date")).await?.send_keys("2031-04-3").await?;
    until_text(&client, "links", "refused 2031-04-3").await?;
    client.find(Locator::Id("value-date")).await?.send_keys("0").await?;
    until_text(&client, "links", "/nights/2031-04-30").await?;

    assert_eq!(client.execute("return breaches", Vec::new()).await?, json!([]));

    // The address holds all of it.
    let address = until(&client, "return location.hash.length > 20 ? location.href : null").await?;
    client.goto("about:blank").await?;
    client.goto(address.as_str().expect("text")).await?;
    until_text(&client, "tree", "/nights/tonight-now").await?;

    // One that holds nonsense does no harm.
    client.goto("about:blank").await?;
    client.goto(&format!("{}#!nonsense", page())).await?;
    until_text(&client, "verdict", "Works").await?;
    client.close().await?;
    Ok(())
}

#[tokio::test]
async fn it_fits_a_phone_and_works_by_keyboard() -> Outcome {
    let (_driver, client) = opened().await?;
    client.set_window_size(500, 900).await?;
    let narrow =
        "document.body.style.width = '390px'; return document.body.scrollWidth <= 390 || document.body.scrollWidth";
    assert_eq!(client.execute(narrow, Vec::new()).await?, json!(true));
    // All that can be done is reached by the tabulator, and the views by arrows.
    client.find(Locator::Id("tab-tree")).await?.send_keys("\u{e014}").await?;
    until(
        &client,
        "return document.activeElement.id === 'tab-links' && !document.getElementById('links').hidden || null",
    )
    .await?;
    let nameless = "return [...document.querySelectorAll('button, input, select')].filter((one) =>
        !(one.innerText || one.ariaLabel || one.labels?.length)).length";
    assert_eq!(client.execute(nameless, Vec::new()).await?, json!(0));
    client.close().await?;
    Ok(())
}

#[tokio::test]
async fn a_table_that_takes_too_long_is_cancelled_while_one_goes_on_typing() -> Outcome {
    let (_driver, client) = opened().await?;
    // As many routes as a link can bring, many of which contest each other.
    let script = "const routes = Array.from({ length: 6000 }, (_, at) =>
            `[routes.r${at}]\\npath = '/${Array.from({ length: at % 7 + 1 }, (_, x) => `{x${x}}-`).join('')}${at}/{a}/{b}'\\npage = 'p'\\nparams.a = { pattern = '^[a-z]*${at}' }\\n`).join('');
        const state = { files: { 'routes.toml': routes }, main: 'routes.toml', urls: ['/x'], visitor: {} };
        const packed = new Blob([JSON.stringify(state)]).stream().pipeThrough(new CompressionStream('deflate-raw'));
        new Response(packed).arrayBuffer().then((bytes) => {
            const text = Array.from(new Uint8Array(bytes), (byte) => String.fromCharCode(byte)).join('');
            location.hash = btoa(text).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '');
        })";
    client.execute(script, Vec::new()).await?;
    until_text(&client, "state", "cancelled").await?;
    choose(&client, "example", "0").await?;
    until_text(&client, "verdict", "nothing is found").await?;
    client.close().await?;
    Ok(())
}
