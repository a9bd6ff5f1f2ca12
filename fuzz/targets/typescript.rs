//! Any table as a TypeScript module: its data is JSON, stands in the module as one text that nothing in the table ends early, and names
//! each route.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::Table;

/// What a template literal of JavaScript stands for (ECMA-262, section 12.9.6), and what follows it.
fn template_literal(text: &str) -> Option<(String, &str)> {
    let mut out = String::new();
    let mut rest = text.strip_prefix('`')?.char_indices();
    while let Some((at, one)) = rest.next() {
        match one {
            '`' => return Some((out, &text[at + 2..])),
            '\\' => out.push(rest.next()?.1),
            '$' if text[at + 1..].starts_with("${") => return None,
            one => out.push(one),
        }
    }
    None
}

fuzz_target!(|text: &str| {
    let Ok(table) = Table::from_toml(text) else { return };
    let module = vivid_lane_exchange::typescript::write(&table);
    for code in [&module.typescript, &module.javascript] {
        let (_, after) = code.rsplit_once("JSON.parse(").expect("the data");
        let (data, end) = template_literal(after).unwrap_or_else(|| panic!("{after}"));
        assert!(end.starts_with(");"), "{end}");
        let data: serde_json::Value = serde_json::from_str(&data).unwrap_or_else(|error| panic!("{error}: {data}"));
        for route in table.routes() {
            let own = route.name().rsplit('.').next().unwrap_or_default();
            assert!(
                data.to_string().contains(serde_json::Value::from(own).to_string().trim_matches('"')),
                "{own}: {data}"
            );
        }
    }
    // A name is no code: each line of the declarations that holds one holds it in quotes or in a comment.
    assert!(!module.declarations.contains("*/ alert"), "{}", module.declarations);
});
