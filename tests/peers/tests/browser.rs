//! `serve` in a browser, driven through WebDriver. `.ci/browser` installs what it needs and runs it.

mod driver;
#[path = "../../../crates/vivid-lane-cli/tests/support/server.rs"]
mod server;

use driver::browser;
use fantoccini::Locator;
use fantoccini::key::Key;
use server::serve;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/larkfell/routes.toml");

#[tokio::test]
async fn a_developer_tries_urls_by_keyboard_and_signs_in() -> Result<(), Box<dyn std::error::Error>> {
    let observers = concat!("observers=", env!("CARGO_MANIFEST_DIR"), "/../../demo/larkfell/observers.txt");
    let tool = std::env::var("VIVID_LANE_TOOL").expect("`.ci/browser` says where the tool is");
    let server = serve(&tool, DEMO, &["--list", observers]);
    let (_driver, client) = browser().await;
    let text = |css: &'static str| {
        let client = client.clone();
        async move { client.find(Locator::Css(css)).await?.text().await }
    };
    // The field has the focus, so one types and presses enter.
    client.goto(&format!("{}/-/try", server.url)).await?;
    let field = client.active_element().await?;
    assert_eq!(field.attr("name").await?.as_deref(), Some("url"));
    field.send_keys("/nights/2031-04-02").await?;
    field.send_keys(&char::from(Key::Enter).to_string()).await?;
    client.wait().for_element(Locator::Id("verdict")).await?;
    assert_eq!(text("#verdict").await?, "200nights.night");
    let mut lit = Vec::new();
    for one in client.find_all(Locator::Css(".tree .lit")).await? {
        lit.push(one.text().await?.split_whitespace().next().unwrap_or_default().to_owned());
    }
    assert_eq!(lit, ["nights", "night"]);

    // A link appears while one types the values, and what refuses one as well; the address and the title follow.
    client.find(Locator::Css("[name=link]")).await?.send_keys("nights.night").await?;
    let date = client.wait().for_element(Locator::Css("[name='p.date']")).await?;
    date.send_keys("2031-02-3").await?;
    client.wait().for_element(Locator::Css("[name='p.date'][aria-invalid]")).await?;
    date.send_keys(&format!("{}28", char::from(Key::Backspace))).await?;
    client.wait().for_element(Locator::Css("#made a")).await?;
    assert_eq!(text("#made").await?, "/nights/2031-02-28");
    assert_eq!(text("#verdict").await?, "200nights.night");
    assert_eq!(client.title().await?, "200 /nights/2031-02-28 · Try URLs");
    assert!(client.current_url().await?.query().is_some_and(|query| query.contains("p.date=2031-02-28")));

    // Sent to sign in, and back.
    client.goto(&format!("{}/observers/ada/logbook", server.url)).await?;
    assert_eq!(text("h1").await?, "sign-in");
    client.find(Locator::Css("form.ask button")).await?.click().await?;
    client.wait().for_url(&format!("{}/observers/ada/logbook", server.url).parse()?).await?;
    assert_eq!(text("h1").await?, "logbook");

    // A page follows a link that the table made.
    client.find(Locator::LinkText("/talks/next")).await?.click().await?;
    assert_eq!(client.current_url().await?.path(), "/talks/next");
    // Nothing comes from elsewhere, and nothing runs.
    assert!(client.find_all(Locator::Css("script, img, iframe, [src^=http], [href^=http]")).await?.is_empty());
    client.close().await?;
    Ok(())
}
