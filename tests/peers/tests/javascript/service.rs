//! What the server in JavaScript promises beside the law: each sentence is a function of `service.mjs`, which node runs.

use std::process::Command;

use vivid_lane::Table;

use crate::sites::folder;

const TABLE: &str = r#"
    lists = ["members"]
    [site]
    origin   = "https://larkfell.example"
    fallback = "lost"
    frame    = "shell"
    [needs.member]
    otherwise = "sign-in"
    [routes.home]
    path = "/"
    page = "home"
    [routes.sign-in]
    path    = "/sign-in{?return}"
    page    = "sign-in"
    methods = ["GET", "POST"]
    [routes.talks]
    path    = "{/lang}/talks"
    page    = "talks"
    frame   = "with-list"
    methods = ["GET", "POST"]
    params.lang = ["en", "cy"]
    [routes.talks.talk]
    path = "/{year}"
    page = "talk"
    params.year = { type = "integer", minimum = 1987, maximum = 2031 }
    [routes.nights]
    path    = "/nights{?page,band*}"
    page    = "nights"
    methods = ["GET", "POST"]
    params.page = { type = "integer", minimum = 1, default = 1 }
    params.band = { type = "array", items = ["b", "v"] }
    [routes.nights.night]
    path = "/{date}"
    page = "night"
    params.date = "date"
    [routes.members]
    path  = "/members"
    page  = "members"
    needs = ["member"]
    [routes.members.member]
    path = "/{member}"
    page = "member"
    params.member = { listed = "members" }
"#;

fn run(sentence: &str) {
    let table = Table::from_toml(TABLE).expect("a table");
    let programs = [("service.mjs", include_str!("service.mjs")), ("late.mjs", "export default () => \"late\";\n")];
    let folder = folder(sentence, &table, &programs);
    let said = Command::new("node")
        .arg("--expose-gc")
        .arg(folder.join("service.mjs"))
        .arg(sentence)
        .output()
        .expect("node runs");
    assert!(
        said.status.success(),
        "{}{}",
        String::from_utf8_lossy(&said.stdout),
        String::from_utf8_lossy(&said.stderr)
    );
    assert_eq!(String::from_utf8_lossy(&said.stdout).trim(), "held");
}

macro_rules! sentences {
    ($($sentence:ident)*) => {
        $(#[test]
        fn $sentence() {
            run(stringify!($sentence));
        })*
    };
}

sentences! {
    a_page_gives_text_a_stream_or_a_response
    code_is_fetched_when_it_is_needed
    layers_stand_around_all_some_and_a_subtree
    the_state_and_the_identity_are_made_once
    questions_are_put_once_and_in_time
    one_function_sees_what_fails
    a_failed_page_is_shown_by_the_fallback
    bodies_have_limits_and_types
    values_are_judged_by_the_table
    only_our_proxies_are_believed
    links_inherit_language_and_way_back
    nobody_is_led_astray
    what_is_sent_over_is_harmless
    streams_go_both_ways
    whoever_hangs_up_ends_the_page
    tables_are_exchanged_while_requests_run
}
