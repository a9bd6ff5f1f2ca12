//! Any bytes as a table, in three formats: they are read or refused, what is read can be written and read again, and what is built
//! decides the witnesses of its findings.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::declare::{Document, Syntax};
use vivid_lane::{Request, Review, Source, TableSpec};

fuzz_target!(|data: &[u8]| {
    let Some((&kind, text)) = data.split_first() else { return };
    let Ok(text) = std::str::from_utf8(text) else { return };
    let source = match kind % 3 {
        0 => Source::toml(text),
        1 => Source::json(text),
        _ => Source::yaml(text),
    };
    if let Ok(document) = Document::read(source.clone()) {
        for syntax in [Syntax::Toml, Syntax::Json, Syntax::Yaml] {
            let Ok(written) = vivid_lane_exchange::rewrite(source.clone(), syntax) else { continue };
            let again = match syntax {
                Syntax::Toml => Source::toml(&*written.text),
                Syntax::Json => Source::json(&*written.text),
                Syntax::Yaml => Source::yaml(&*written.text),
            };
            let again = Document::read(again).unwrap_or_else(|error| panic!("{error}\n{}", written.text));
            if written.notes.all().is_empty() {
                assert_eq!(again.root().to_data(), document.root().to_data(), "{}", written.text);
            }
        }
    }
    let reviewed = Review::new(TableSpec::read(source)).run();
    for finding in reviewed.findings() {
        // A place lies within the text, and is no half of a character.
        let Some(place) = finding.place() else { continue };
        assert!(text.get(place.range()).is_some() || place.range().start >= text.len(), "{finding:?}");
    }
    if let Some(table) = reviewed.table() {
        for witness in reviewed.findings().iter().filter_map(|finding| finding.witness()) {
            let _ = table.decide(&Request::get(witness)).status();
        }
    }
});
