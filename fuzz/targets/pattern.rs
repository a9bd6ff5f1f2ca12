//! Any text as a pattern, held against a judge of its own: `regex`.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::{RouteSpec, Rule, TableSpec};

fuzz_target!(|data: (&str, Vec<&str>)| {
    let (pattern, values) = data;
    // What the two take for a digit, a word or a space is not the same, and neither is what `.` leaves out.
    if pattern.len() > 200
        || ["\\d", "\\w", "\\s", "\\b", "\\D", "\\W", "\\S", "\\B", ".", "\\p", "\\P"]
            .iter()
            .any(|one| pattern.contains(one))
    {
        return;
    }
    let route = RouteSpec::new("r").path("/r{?v}").page("p").required(["v"]).param("v", Rule::pattern(pattern));
    let Ok(table) = TableSpec::new().route(route).build() else { return };
    let Ok(judge) = regex::Regex::new(pattern) else { return };
    for value in values.into_iter().take(8) {
        if value.is_empty() || value.len() > 200 || value.chars().any(char::is_control) {
            continue;
        }
        let ours = table.link("r").set("v", value).to_url();
        assert_eq!(ours.is_ok(), judge.is_match(value), "{pattern:?} {value:?} {ours:?}");
    }
});
