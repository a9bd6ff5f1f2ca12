//! Any text as a description of an interface: it is read or refused, and what is read can be built or says why not.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::Source;
use vivid_lane::declare::Syntax;
use vivid_lane_exchange::{openapi, write_data};

fuzz_target!(|data: &[u8]| {
    let Some((&kind, text)) = data.split_first() else { return };
    let Ok(text) = std::str::from_utf8(text) else { return };
    let source = if kind % 2 == 0 { Source::yaml(text) } else { Source::json(text) };
    let Ok(read) = openapi::read(source) else { return };
    let Ok(table) = read.table.build() else { return };
    // What is written of a table is a description again.
    let written = openapi::write(&table);
    let text = write_data(&written.document, Syntax::Json);
    if written.document.get("paths").is_some() && table.routes().any(|route| route.page().is_some()) {
        let _ = openapi::read(Source::json(text));
    }
});
