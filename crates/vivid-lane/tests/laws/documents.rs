//! A TOML text is read in sections: the same comes of it as of the whole, read by the `toml` crate at once.

use proptest::prelude::*;
use toml::de::{DeTable, DeValue};
use vivid_lane::Source;
use vivid_lane::declare::{Data, Document, DocumentItem};

/// Pieces of TOML, most of them whole lines, some of them wrong; names from few, so that they meet.
fn line() -> impl Strategy<Value = String> {
    let name = prop_oneof![8 => "[abc]", 1 => Just("\"a b\"".to_owned()), 4 => "r[0-9]", 4 => "r[0-9][0-9]"];
    let path = prop::collection::vec(name, 1..4).prop_map(|names| names.join("."));
    let value = prop::sample::select(vec![
        "1",
        "'x'",
        "\"\\u0041\"",
        "[1, 2]",
        "[\n  [1],\n[2]\n  ]",
        "{ b = 1, c.a = 2 }",
        "\"\"\"\n[a]\n\"\"\"",
        "'''\n[a.b]'''",
        "[ # [c]\n{ a = [ 1 ] } ]",
        "1.5",
        "1979-05-27",
    ]);
    prop_oneof![
        6 => path.clone().prop_map(|path| format!("[{path}]\n")),
        1 => path.clone().prop_map(|path| format!("[[{path}]]\n")),
        1 => path.clone().prop_map(|path| format!("  [ {path} ] # [b]\n")),
        6 => (path, value).prop_map(|(path, value)| format!("{path} = {value}\n")),
        1 => prop::sample::select(vec!["\n", "# [a]\r\n", "\t\n", "]\n", "[", "a = [\n", "}", "b = {", "=", "[a]]\n", "\u{feff}"])
            .prop_map(str::to_owned),
    ]
}

/// A document of the text; of those that are right most have their keys and headers in an order that allows all of them.
fn text() -> impl Strategy<Value = String> {
    let any = || prop::collection::vec(line(), 0..12).prop_map(|lines| lines.concat());
    let many = prop::collection::btree_set(("r[0-9][0-9]?", "[abc]"), 0..60).prop_map(|headers| {
        headers.into_iter().map(|(above, name)| format!("[a.{above}.{name}]\nb = '{name}'\n")).collect::<String>()
    });
    prop_oneof![3 => any(), 1 => (many, any()).prop_map(|(many, any)| many + &any)]
}

fn is_same(item: DocumentItem<'_>, value: &DeValue<'_>) -> bool {
    match value {
        DeValue::Table(table) => {
            let mut keys: Vec<_> = table.iter().collect();
            keys.sort_by_key(|(key, _)| key.span().start);
            item.entries().len() == keys.len()
                && item.entries().zip(keys).all(|((key, item), (known, value))| {
                    key.name() == known.get_ref()
                        && key.place().range() == known.span()
                        && item.place().range() == value.span()
                        && is_same(item, value.get_ref())
                })
        }
        DeValue::Array(items) => {
            item.items().len() == items.len()
                && item
                    .items()
                    .zip(items.iter())
                    .all(|(item, value)| item.place().range() == value.span() && is_same(item, value.get_ref()))
        }
        DeValue::String(text) => item.as_text() == Some(text.as_ref()),
        DeValue::Boolean(value) => item.as_bool() == Some(*value),
        DeValue::Integer(digits) => item.to_data() == Data::Integer(digits.as_str().parse().unwrap_or_default()),
        _ => !item.is_table() && !item.is_list() && item.as_text().is_none(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(crate::scaled(6000)))]

    #[test]
    fn sections_make_the_whole(text in text()) {
        let (whole, errors) = DeTable::parse_recoverable(&text);
        match Document::read(Source::toml(text.clone())) {
            Ok(document) => {
                let is_of_names = |error: &toml::de::Error| error.message() == "duplicate key";
                prop_assert!(errors.iter().all(is_of_names), "{errors:?}");
                prop_assert_eq!(document.findings().len(), errors.len());
                prop_assert!(is_same(document.root(), &DeValue::Table(whole.into_inner())), "{:?}", document.root());
            }
            Err(error) => prop_assert!(!errors.is_empty(), "{error}"),
        }
    }
}

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
