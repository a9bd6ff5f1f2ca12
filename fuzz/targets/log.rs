//! Any bytes as a line of an access log: it is read or not, and what is read can be written and read again.

#![no_main]

#[allow(dead_code, reason = "the tool's own file, with its tests")]
#[path = "../../crates/vivid-lane-cli/src/replay/line.rs"]
mod line;

use std::fmt::Write;

use libfuzzer_sys::fuzz_target;

fuzz_target!(|data: &[u8]| {
    let Ok(read) = line::parse(data) else { return };
    assert!(!read.target.is_empty() && (100..1000).contains(&read.status), "{read:?}");
    let mut again = format!("h - - [t] \"{} ", read.method);
    for byte in read.target.iter() {
        let _ = write!(again, "\\x{byte:02x}");
    }
    let _ = write!(again, " HTTP/1.1\" {}", read.status);
    assert_eq!(line::parse(again.as_bytes()).as_ref(), Ok(&read), "{again}");
});
