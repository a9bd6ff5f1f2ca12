//! What a visitor takes for granted.

use std::time::Duration;

use serde_json::json;

use crate::Visitor;

pub(crate) async fn all(visitor: &Visitor) {
    scroll_positions_are_kept(visitor).await;
    parts_of_a_page_are_found_again(visitor).await;
    the_next_page_of_a_list_is_a_page(visitor).await;
    tabs_leave_the_visitor_where_they_are(visitor).await;
    what_is_overtaken_is_not_drawn(visitor).await;
    a_failure_breaks_nothing_beside_it(visitor).await;
    a_record_that_does_not_exist(visitor).await;
    files_are_left_to_the_server(visitor).await;
    titles_are_of_the_page_that_is_shown(visitor).await;
    links_are_marked(visitor).await;
    leaving_is_asked_about(visitor).await;
    nothing_leaves_a_blank_page(visitor).await;
    addresses_may_stand_in_the_fragment(visitor).await;
}

async fn scroll_positions_are_kept(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.scroll_to(700).await;
    // A reload, also of a page whose data comes late.
    visitor.js("set({ slow: { tools: 300 } })").await;
    visitor.browser.reload().await;
    visitor.expect("document.querySelector('h1') === null", true).await;
    // Once more, before anything is drawn.
    visitor.browser.reload().await;
    visitor.expect("Math.round(scrollY)", 700).await;
    // Back from another site.
    visitor.browser.goto("about:blank").await;
    visitor.browser.traverse(-1).await;
    visitor.expect("location.pathname", "/tools").await;
    visitor.expect("Math.round(scrollY)", 700).await;
    // A page that the server has drawn is not moved, and comes back to where it was.
    visitor.begin("/help?adopt").await;
    visitor.scroll_to(600).await;
    visitor.browser.reload().await;
    visitor.expect("[Math.round(scrollY), site?.current?.decision.page]", json!([600, "help"])).await;
    visitor.expect("[made.length, document.querySelector('h1').textContent]", json!([0, "Served"])).await;
    visitor.begin("/help?adopt#low").await;
    visitor.stays("Math.abs(document.querySelector('#low').getBoundingClientRect().top) < 2", true).await;
    visitor.click("#to-tools").await;
    visitor.at("/tools", "Tools", "Tools 1").await;
    // A first page whose data comes late goes to its part.
    visitor.begin("/help").await;
    visitor.js("set({ slow: { tools: 300 } })").await;
    visitor.goto("/tools#low").await;
    visitor.expect("Math.abs(document.querySelector('#low').getBoundingClientRect().top) < 2", true).await;
    // A page that was overtaken leaves no position behind.
    visitor.begin("/tools").await;
    visitor.scroll_to(500).await;
    visitor.js("set({ slow: { help: 400 } })").await;
    visitor.js("(void site.go('help'), setTimeout(() => site.go('tabs'), 50), null)").await;
    visitor.heading("Tab one").await;
    visitor.scroll_to(900).await;
    visitor.browser.traverse(-1).await;
    visitor.heading("Tools 1").await;
    visitor.expect("Math.round(scrollY)", 500).await;
    visitor.browser.traverse(1).await;
    visitor.heading("Tab one").await;
    visitor.expect("Math.round(scrollY)", 900).await;
    visitor.is_well().await;
}

async fn parts_of_a_page_are_found_again(visitor: &Visitor) {
    visitor.begin("/help").await;
    let is_low = "Math.abs(document.querySelector('#low').getBoundingClientRect().top) < 2";
    visitor.scroll_to(300).await;
    visitor.js("document.querySelector('#to-low').style.cssText = 'position: fixed; top: 50px; left: 400px'").await;
    visitor.click("#to-low").await;
    visitor.expect(is_low, true).await;
    visitor.expect("location.hash", "#low").await;
    visitor.browser.traverse(-1).await;
    visitor.expect("Math.round(scrollY)", 300).await;
    visitor.browser.traverse(1).await;
    visitor.expect(is_low, true).await;
    // Also after leaving for another page.
    visitor.js("document.querySelector('#to-low').removeAttribute('style')").await;
    visitor.click("#to-home").await;
    visitor.heading("Home").await;
    visitor.expect("Math.round(scrollY)", 0).await;
    visitor.browser.traverse(-1).await;
    visitor.heading("Help").await;
    visitor.expect(is_low, true).await;
    visitor.browser.traverse(-1).await;
    visitor.expect("[location.hash, Math.round(scrollY)]", json!(["", 300])).await;
    visitor.expect("events.filter((one) => one === 'drawn /help#low').length", 1).await;
    visitor.is_well().await;
}

async fn the_next_page_of_a_list_is_a_page(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.scroll_to(20).await;
    visitor.click("#next").await;
    visitor.heading("Tools 2").await;
    visitor.at("/tools?page=2", "Tools", "Tools 2").await;
    visitor.expect("Math.round(scrollY)", 0).await;
    assert_eq!(visitor.browser.accessible("heading", "Tools 2").await, 1);
    // A choice for each link, and for each call.
    visitor.scroll_to(20).await;
    visitor.click("#next-here").await;
    visitor.heading("Tools 3").await;
    visitor.expect("[Math.round(scrollY), document.activeElement.textContent]", json!([20, "Next in place"])).await;
    visitor.js("site.go('tools', { page: 4 }, { stay: true })").await;
    visitor.expect("[Math.round(scrollY), document.activeElement.textContent]", json!([20, "Next in place"])).await;
    // Back over it leaves the visitor there as well.
    visitor.browser.traverse(-1).await;
    visitor.heading("Tools 3").await;
    visitor.expect("[Math.round(scrollY), document.activeElement.textContent]", json!([20, "Next in place"])).await;
    // A link to the current address goes to the top, and takes no entry.
    visitor.scroll_to(20).await;
    let count = visitor.js("history.length").await;
    visitor.js("document.querySelector('#to-tools').href = '/tools?page=3'").await;
    visitor.click("#to-tools").await;
    visitor.expect("Math.round(scrollY)", 0).await;
    visitor.at("/tools?page=3", "Tools", "Tools 3").await;
    visitor.expect("history.length", count).await;
    // A form that asks is an address, by the keys.
    visitor.click("#sort").await;
    visitor.browser.keys("name\u{E007}").await;
    visitor.at("/tools?sort=name", "Tools", "Tools 1").await;
    assert_eq!(visitor.witness.seen(), [""; 0], "nothing was asked of the server");
    visitor.is_well().await;
}

async fn tabs_leave_the_visitor_where_they_are(visitor: &Visitor) {
    visitor.begin("/tabs").await;
    visitor.scroll_to(15).await;
    visitor.click("#two").await;
    visitor.heading("Tab two").await;
    visitor.expect("[Math.round(scrollY), document.activeElement.id]", json!([15, "two"])).await;
    // From elsewhere it is a page like any other; a route below another stays with those beside it and above it.
    visitor.click("#to-tools").await;
    visitor.click("#tool-1").await;
    visitor.at("/tools/1", "Tool 1 of many", "Tool 1").await;
    visitor.scroll_to(25).await;
    visitor.click("#part").await;
    visitor.heading("Part 1 of 1").await;
    visitor.expect("Math.round(scrollY)", 25).await;
    visitor.click("#next-part").await;
    visitor.heading("Part 2 of 1").await;
    visitor.expect("[Math.round(scrollY), document.activeElement.id]", json!([25, "next-part"])).await;
    visitor.is_well().await;
}

async fn what_is_overtaken_is_not_drawn(visitor: &Visitor) {
    visitor.begin("/").await;
    visitor.js("set({ slow: { help: 150, tools: 150 }, transitions: true })").await;
    visitor.browser.reload().await;
    // The second begins while the first is fetched, and while it is about to be drawn.
    for delay in [0, 50, 145, 155] {
        visitor.js(&format!("(void site.go('help'), setTimeout(() => site.go('tools'), {delay}), null)")).await;
        visitor.at("/tools", "Tools", "Tools 1").await;
        visitor.stays("site.going ?? null", serde_json::Value::Null).await;
        visitor.at("/tools", "Tools", "Tools 1").await;
        visitor.browser.traverse(-1).await;
        visitor.expect("site.going ?? null", serde_json::Value::Null).await;
        visitor.js("site.go('home')").await;
        visitor.at("/", "Workshop", "Home").await;
    }
    visitor.expect("events.some((one) => one === 'overtaken /help')", true).await;
    visitor.is_well().await;
}

async fn a_failure_breaks_nothing_beside_it(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.js("set({ broken: ['tool'] })").await;
    visitor.click("#tool-1").await;
    // Within the frames that it has.
    visitor.at("/tools/1", "It failed", "It failed").await;
    visitor
        .expect(
            "['shell', 'rack', 'bench'].map((one) => document.querySelectorAll('#' + one).length)",
            json!([1, 1, 1]),
        )
        .await;
    visitor.expect("document.querySelector('main').textContent.includes('tool broke')", true).await;
    visitor.click("#to-tools").await;
    visitor.at("/tools", "Tools", "Tools 1").await;
    visitor.browser.traverse(-1).await;
    visitor.heading("It failed").await;
    visitor.js("set({ broken: [] })").await;
    visitor.click("#again").await;
    visitor.heading("Tool 1").await;
    visitor.expect("document.title", "Tool 1 of many").await;
    // One that cannot be drawn; nothing counts as kept after it.
    visitor.js("set({ undrawable: 'Tool 2' })").await;
    visitor.click("#to-tools").await;
    visitor.click("#tool-2").await;
    visitor.at("/tools/2", "It failed", "It failed").await;
    visitor.expect("document.querySelectorAll('#rack').length", 1).await;
    visitor.click("#to-tools").await;
    visitor.at("/tools", "Tools", "Tools 1").await;
    visitor.expect("document.querySelectorAll('#rack').length", 1).await;
    // A frame that fails: what is around it stays.
    visitor.click("#to-home").await;
    visitor.js("set({ undrawable: '', broken: ['rack'] })").await;
    visitor.click("#to-tools").await;
    visitor.at("/tools", "It failed", "It failed").await;
    visitor
        .expect(
            "[document.querySelectorAll('#shell').length, document.querySelectorAll('#rack').length]",
            json!([1, 0]),
        )
        .await;
    visitor.is_well().await;

    // If code cannot be loaded, the document is loaded again, once; then it is a failure like any other.
    visitor.js("(set({ broken: [] }), window.before = true, null)").await;
    let code = visitor.app.join("lazy.js");
    let text = std::fs::read(&code).expect("the code");
    std::fs::remove_file(&code).expect("it is there");
    visitor.js("(void site.go('lazy'), null)").await;
    visitor.expect("window.before ?? null", serde_json::Value::Null).await;
    visitor.heading("It failed").await;
    visitor.stays("location.pathname", "/lazy").await;
    let seen = visitor.witness.seen();
    assert_eq!(seen.iter().filter(|line| *line == "GET /lazy").count(), 1, "{seen:?}");
    std::fs::write(&code, text).expect("it is back");
    // Browsers remember what they could not load for as long as the document lives.
    visitor.browser.reload().await;
    visitor.heading("Lazy").await;
    visitor.is_well().await;
}

async fn a_record_that_does_not_exist(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.js("set({ missing: ['tool'] })").await;
    visitor.click("#tool-3").await;
    visitor.at("/tools/3", "No such tool", "No such tool").await;
    visitor
        .expect("[site.current.decision.status, site.current.decision.reason]", json!([404, "there is no tool"]))
        .await;
    visitor
        .expect(
            "[document.querySelectorAll('#rack').length, document.querySelectorAll('#bench').length]",
            json!([1, 1]),
        )
        .await;
    visitor.click("#to-home").await;
    visitor.js("set({ missing: ['help'] })").await;
    visitor.click("#help").await;
    visitor.heading("Nothing here").await;
    visitor.expect("location.pathname", "/help").await;
    visitor.is_well().await;
}

async fn files_are_left_to_the_server(visitor: &Visitor) {
    visitor.begin("/").await;
    visitor.js("(window.before = true, null)").await;
    // What is missing within a part of the site is shown there.
    visitor.click("#to-tools").await;
    visitor.click("#none").await;
    visitor.at("/tools/none", "No such tool", "No such tool").await;
    visitor
        .expect(
            "site.current.decision.reason",
            "`tool` of `tools.tool` refused `none`: expected a whole number such as `7` or `-3`",
        )
        .await;
    assert_eq!(visitor.witness.seen(), [""; 0]);
    visitor.click("#to-home").await;
    visitor.click("#nowhere").await;
    visitor.expect("window.before ?? null", serde_json::Value::Null).await;
    visitor.heading("Nothing here").await;
    assert!(visitor.witness.seen().contains(&"GET /nowhere".to_owned()));
    visitor.goto("/").await;
    visitor.js("(document.querySelector('#file').setAttribute('download', ''), null)").await;
    visitor.click("#file").await;
    visitor.stays("document.querySelector('h1').textContent", "Home").await;
    assert!(visitor.witness.seen().contains(&"GET /paper.pdf".to_owned()));
}

/// Other windows, downloads, a key held down; and all of them once the site is stopped.
pub(crate) async fn links_stay_links(visitor: &Visitor) {
    visitor.begin("/").await;
    visitor.js("(window.before = true, null)").await;
    for (name, value) in [("target", "other"), ("download", "")] {
        visitor.js(&format!("(document.querySelector('#help').setAttribute('{name}', '{value}'), null)")).await;
        visitor.click("#help").await;
        visitor.stays("[document.querySelector('h1').textContent, window.before]", json!(["Home", true])).await;
        assert!(visitor.witness.seen().contains(&"GET /help".to_owned()), "{name}");
        visitor.browser.close_others().await;
        visitor.js(&format!("(document.querySelector('#help').removeAttribute('{name}'), null)")).await;
    }
    let held = "(document.querySelector('#help').dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true, ctrlKey: true })), null)";
    visitor.js(held).await;
    visitor.stays("[document.querySelector('h1').textContent, window.before]", json!(["Home", true])).await;
    // Without `data-stay="false"` beneath what says that one stays, one does.
    visitor.js("(document.querySelector('#root').setAttribute('data-stay', ''), document.querySelector('#help').setAttribute('data-stay', 'false'), null)").await;
    visitor.click("#help").await;
    visitor.at("/help", "The workshop", "Help").await;
    visitor.js("(document.querySelector('#root').removeAttribute('data-stay'), site.stop(), null)").await;
    visitor.click("#to-tools").await;
    visitor.expect("window.before ?? null", serde_json::Value::Null).await;
    visitor.heading("Tools 1").await;
    assert!(visitor.witness.seen().contains(&"GET /tools".to_owned()));
}

async fn titles_are_of_the_page_that_is_shown(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.expect("document.title", "Tools").await;
    // A page without one has that of the document; its heading is said.
    visitor.click("#to-help").await;
    visitor.heading("Help").await;
    visitor
        .expect(
            "[document.title, document.querySelector('[role=status]').textContent]",
            json!(["The workshop", "Help"]),
        )
        .await;
    visitor.js("document.documentElement.lang = 'cy-GB'").await;
    visitor.click("#to-tools").await;
    visitor.at("/tools", "Offer", "Tools 1").await;
    visitor.is_well().await;
}

async fn links_are_marked(visitor: &Visitor) {
    let marks = "Object.fromEntries([...document.querySelectorAll('header a')].map((one) => [one.id, one.getAttribute('aria-current')]))";
    let are = |home: Option<&str>, tools: Option<&str>, help: Option<&str>, member: Option<&str>| json!({ "to-home": home, "to-tools": tools, "to-help": help, "to-member": member });
    visitor.begin("/tools/7").await;
    visitor.expect(marks, are(None, Some("true"), None, None)).await;
    visitor.goto("/tools").await;
    visitor.expect(marks, are(None, Some("page"), None, None)).await;
    visitor.click("#next").await;
    visitor.expect(marks, are(None, Some("true"), None, None)).await;
    visitor.click("#to-home").await;
    visitor.expect(marks, are(Some("page"), None, None, None)).await;
    // One to a route with a live list, and one that its author has marked.
    visitor.js("document.querySelector('#to-help').setAttribute('aria-current', 'step')").await;
    visitor.click("#to-member").await;
    visitor.expect(marks, are(None, None, Some("step"), Some("page"))).await;
    // One that comes later, and one that changes.
    visitor.js("(document.querySelector('header').append(Object.assign(document.createElement('a'), { href: '/members/ada', id: 'later', textContent: 'x' })), document.querySelector('#to-home').href = '/members/ada', null)").await;
    visitor
        .expect(
            "['later', 'to-home'].map((one) => document.getElementById(one).getAttribute('aria-current'))",
            json!(["page", "page"]),
        )
        .await;
    visitor.is_well().await;
}

async fn leaving_is_asked_about(visitor: &Visitor) {
    visitor.begin("/tools").await;
    visitor.js("site.go('draft')").await;
    visitor.click("#text").await;
    visitor.browser.keys("words").await;
    for is_link in [true, false] {
        for is_left in [false, true] {
            if is_link {
                visitor.click("#to-help").await;
            } else {
                visitor.browser.traverse(-1).await;
            }
            visitor
                .expect(
                    "document.querySelector('#leave')?.firstChild.textContent",
                    if is_link { "Leave for /help?" } else { "Leave for /tools?" },
                )
                .await;
            visitor.expect("location.pathname", "/draft").await;
            visitor.click(if is_left { "#leave-yes" } else { "#leave-no" }).await;
            if !is_left {
                visitor
                    .stays("[location.pathname, document.querySelector('#text').value]", json!(["/draft", "words"]))
                    .await;
            }
        }
        if is_link {
            visitor.at("/help", "The workshop", "Help").await;
        } else {
            visitor.heading("Tools 1").await;
            visitor.expect("location.pathname", "/tools").await;
        }
        if is_link {
            visitor.browser.traverse(-1).await;
            visitor.heading("Draft").await;
            visitor.click("#text").await;
            visitor.browser.keys("words").await;
        }
    }
    // Does going back stay in the application?
    visitor.expect("site.canGoBack", false).await;
    visitor.click("#to-help").await;
    visitor.expect("site.canGoBack", true).await;
    visitor.browser.reload().await;
    visitor.expect("site?.canGoBack", true).await;
    visitor.is_well().await;
}

async fn nothing_leaves_a_blank_page(visitor: &Visitor) {
    visitor.begin("/help").await;
    visitor.click("#percent").await;
    visitor.expect("location.hash", "#100%").await;
    visitor.browser.reload().await;
    visitor.heading("Help").await;
    // A link in a drawing, and one in a shadow tree that is external.
    let links = "(() => {
        const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
        const link = document.createElementNS('http://www.w3.org/2000/svg', 'a');
        link.setAttribute('href', '/tools');
        for (const [name, value] of Object.entries({ width: 60, height: 18 })) svg.setAttribute(name, value);
        link.id = 'drawn';
        const box = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
        for (const [name, value] of Object.entries({ width: 60, height: 30 })) box.setAttribute(name, value);
        link.append(box);
        svg.append(link);
        const host = document.createElement('div');
        host.id = 'host';
        const outside = Object.assign(document.createElement('a'), { href: '/tools', rel: 'external', textContent: 'outside' });
        host.attachShadow({ mode: 'open' }).append(outside);
        document.querySelector('header').append(svg, host);
        window.before = true;
        return null;
    })()";
    visitor.js(links).await;
    visitor.witness.seen();
    visitor.click("#drawn").await;
    visitor.heading("Tools 1").await;
    visitor.expect("window.before", true).await;
    assert_eq!(visitor.witness.seen(), [""; 0]);
    // Other code takes the state of the entry away.
    visitor.scroll_to(20).await;
    visitor.js("history.replaceState(null, '')").await;
    visitor.click("#next").await;
    visitor.heading("Tools 2").await;
    visitor.browser.traverse(-1).await;
    visitor.heading("Tools 1").await;
    visitor.expect("Math.round(scrollY)", 20).await;
    // What cannot be kept with an entry, and no script by way of an address.
    visitor
        .expect("site.open('javascript:window.evil = true').then(() => 'done', ({ name }) => name)", "TypeError")
        .await;
    visitor
        .expect(
            "site.go('tools.tool', { tool: 'x' }).then(() => 'done', ({ name, kind }) => name + ' ' + kind)",
            "LinkError refused",
        )
        .await;
    visitor.js("(void site.go('help', {}, { state: () => 1 }), null)").await;
    // It is drawn, cannot be kept, and so is loaded as a document.
    let loaded = "[window.before ?? null, document.readyState, document.querySelector('h1')?.textContent]";
    visitor.expect(loaded, json!([null, "complete", "Help"])).await;
    // A link in a shadow tree that says that it is external.
    visitor.js(links).await;
    visitor.witness.seen();
    visitor.browser.point("#host", false).await;
    visitor.js("document.querySelector('#host').style.display = 'inline-block'").await;
    visitor.browser.point("#host", true).await;
    visitor.heading("Tools 1").await;
    assert!(visitor.witness.seen().contains(&"GET /tools".to_owned()));
    // A store that is closed to the page.
    visitor.goto("/tabs?tab=blocked").await;
    visitor
        .expect(
            "(() => { try { return String(sessionStorage); } catch ({ name }) { return name; } })()",
            "SecurityError",
        )
        .await;
    visitor.js("scrollTo(0, 400)").await;
    visitor.click("#to-help").await;
    visitor.heading("Help").await;
    visitor.browser.traverse(-1).await;
    visitor.heading("Tab blocked").await;
    visitor.expect("Math.round(scrollY)", 400).await;
    visitor.is_well().await;
    // One that is broken, and one that is full.
    visitor.goto("/tools").await;
    for broken in ["sessionStorage.setItem('lane:scroll', '{not json')", "set({ storage: 'full' })"] {
        visitor.js(&format!("({broken}, null)")).await;
        visitor.browser.reload().await;
        visitor.heading("Tools 1").await;
    }
    visitor
        .js("(Storage.prototype.setItem = () => { throw new DOMException('full', 'QuotaExceededError') }, null)")
        .await;
    visitor.click("#to-help").await;
    visitor.heading("Help").await;
    tokio::time::sleep(Duration::from_millis(50)).await;
    visitor.is_well().await;
}

async fn addresses_may_stand_in_the_fragment(visitor: &Visitor) {
    let at = "location.pathname + location.search + location.hash";
    visitor.begin("/hash/index.html").await;
    visitor.js("(window.before = true, null)").await;
    visitor.heading("Home").await;
    visitor.click("#to-tools").await;
    visitor.at("/hash/index.html#/tools", "Tools", "Tools 1").await;
    visitor.click("#tool-2").await;
    visitor.heading("Tool 2").await;
    visitor.expect("document.querySelector('#to-tools').getAttribute('aria-current')", "true").await;
    // A part of the page is gone to, and is no address.
    visitor.click("#to-low").await;
    visitor.expect("document.querySelector('#low').getBoundingClientRect().top < 100", true).await;
    visitor.expect(at, "/hash/index.html#/tools/2").await;
    visitor.heading("Tool 2").await;
    visitor.browser.traverse(-1).await;
    visitor.heading("Tools 1").await;
    // A form that asks.
    visitor.click("#sort").await;
    visitor.browser.keys("name\u{E007}").await;
    visitor.expect(at, "/hash/index.html#/tools?sort=name").await;
    visitor.heading("Tools 1").await;
    // Other code, a part of the page by other code, and what no route covers.
    visitor.js("(location.hash = '#/help', null)").await;
    visitor.heading("Help").await;
    visitor.js("(location.hash = '#low', null)").await;
    visitor.expect(at, "/hash/index.html#/help").await;
    visitor.js("(location.hash = '#/nothing', null)").await;
    visitor.heading("Nothing here").await;
    visitor.expect("window.before", true).await;
    assert_eq!(visitor.witness.seen(), [""; 0]);
    // What older links wrote.
    visitor.browser.goto("about:blank").await;
    visitor.goto("/hash/index.html#!/tools/3").await;
    visitor.heading("Tool 3").await;
    visitor.expect(at, "/hash/index.html#/tools/3").await;
    visitor.is_well().await;
}
