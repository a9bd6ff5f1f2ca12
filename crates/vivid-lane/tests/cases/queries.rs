//! Queries: what is read of them, however many names a route has and a URL gives.

use std::collections::BTreeMap;

use proptest::prelude::*;
use vivid_lane::{Table, Value};

proptest! {
    /// Each parameter has the first value of its name, and all other pairs go to the one that takes the rest.
    #[test]
    fn the_first_of_a_name_counts(
        count in 1_usize..14,
        has_rest: bool,
        pairs in prop::collection::vec((0_usize..16, "[a-z/ é&=+%]{0,4}", any::<bool>()), 0..40),
    ) {
        let encoded = |text: &str| text.bytes().map(|byte| format!("%{byte:02X}")).collect::<String>();
        // In an order that is not that of the alphabet.
        let names: Vec<String> = (0..16).map(|at| format!("p{}", (at * 7) % 16)).collect();
        let rest = if has_rest { ",rest*" } else { "" };
        let path = format!("/search{{?{}{rest}}}", names[..count].join(","));
        let table = Table::from_toml(&format!("[routes.search]\npath = '{path}'\npage = 'search'{}", if has_rest { "\nparams.rest.type = 'object'" } else { "" })).expect("a table");
        let query: Vec<String> = pairs.iter().map(|(name, value, is_escaped)| {
            let name = if *is_escaped { encoded(&names[*name]) } else { names[*name].clone() };
            // A name without a value has the empty one.
            if value.is_empty() { name } else { format!("{name}={}", encoded(value)) }
        }).collect();
        let url = format!("/search?{}", query.join("&"));
        let url = url.trim_end_matches('?');
        let Some(found) = table.find(url) else { return Err(TestCaseError::fail(format!("{path} {url}"))) };
        let mut expected = BTreeMap::new();
        for (name, value, _) in pairs.iter().filter(|(name, _, _)| *name < count) {
            expected.entry(names[*name].as_str()).or_insert(value.as_str());
        }
        let mut read: BTreeMap<String, Value> = found.values().map(|(name, value)| (name.to_owned(), value)).collect();
        let others = pairs.iter().filter(|(name, _, _)| *name >= count && has_rest);
        let others: Vec<(String, String)> = others.map(|(name, value, _)| (names[*name].clone(), value.clone())).collect();
        prop_assert_eq!(read.remove("rest"), (!others.is_empty()).then_some(Value::Pairs(others)));
        for name in &names[..count] {
            let value = expected.get(name.as_str()).map(|value| (*value).to_owned());
            prop_assert_eq!(found.param(name).map(|value| value.into_owned()), value.clone(), "{} of {}", name, url);
            prop_assert_eq!(read.remove(name), value.map(Value::Text), "{} of {}", name, url);
        }
        prop_assert!(read.is_empty(), "{:?}", read);
    }
}
