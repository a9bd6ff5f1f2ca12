//! Texts that no reader may trip over.

use vivid_lane::Source;
use vivid_lane::declare::Document;

/// What is nested deeper than anyone writes is refused with a word, wherever it is nested, however deep.
#[test]
fn depth_has_an_end() {
    for depth in [79, 80, 81, 500, 200_000] {
        let (names, open, close) = (vec!["a"; depth].join("."), "[".repeat(depth), "]".repeat(depth));
        let tables = "{ a = ".repeat(depth);
        for text in [
            format!("[{names}]\nb = 1\n"),
            format!("{names} = 1\n"),
            format!("b = {{ {names} = 1 }}\n"),
            format!("b = {open}{close}\n"),
            format!("b = {tables}1{}\n", "}".repeat(depth)),
        ] {
            let is_read = Document::read(Source::toml(text)).is_ok();
            assert!(!is_read || depth < 100, "{depth}");
        }
    }
}
