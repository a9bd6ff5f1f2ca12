//! Any text as summaries of a log, a line each: they are read or refused, and neither order nor grouping matters when they are merged.

#![no_main]

#[allow(dead_code, reason = "the tool's own file, of which a part is held against laws")]
#[path = "../../crates/vivid-lane-cli/src/replay/summary.rs"]
mod summary;

use libfuzzer_sys::fuzz_target;
use summary::Summary;

const TABLE: &str = "0";

fn merged(parts: &[Summary], order: impl Iterator<Item = usize>) -> Summary {
    let mut all = Summary::of(TABLE);
    order.for_each(|at| all.merge(parts[at].clone()));
    all
}

fuzz_target!(|text: &str| {
    let parts: Vec<Summary> = text.lines().take(6).filter_map(|line| Summary::read(line, TABLE).ok()).collect();
    for part in &parts {
        let written = serde_json::to_string(part).expect("JSON");
        assert_eq!(Summary::read(&written, TABLE).as_ref(), Ok(part), "{written}");
    }
    let forth = merged(&parts, 0..parts.len());
    assert_eq!(merged(&parts, (0..parts.len()).rev()), forth);
    // Each half by itself, and then the two.
    let half = parts.len() / 2;
    let (one, other) = (merged(&parts, 0..half), merged(&parts, half..parts.len()));
    assert_eq!(merged(&[other, one], 0..2), forth);
});
