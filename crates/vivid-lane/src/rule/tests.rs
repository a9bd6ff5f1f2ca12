//! Laws of sets and rules: what an automaton says is what plain code says.

use std::collections::BTreeSet;
use std::sync::Arc;

use proptest::prelude::*;

use super::number::{Decimal, Step, bounded, multiples};
use super::{Atom, Check, Dfa, SEPARATOR, TEXT, is_anchored, pattern, sequence, unmarked};
use crate::declare::{Data, Rule};

/// Short words over a small alphabet, so that sets of them meet often.
fn word() -> impl Strategy<Value = String> {
    "[ab]{0,4}"
}

fn words() -> impl Strategy<Value = BTreeSet<String>> {
    prop::collection::btree_set(word(), 0..8)
}

fn set(words: &BTreeSet<String>) -> Dfa {
    Dfa::words(words.iter().map(String::as_str)).expect("few words")
}

/// All words of up to five letters.
fn all_words() -> Vec<String> {
    let mut all = vec![String::new()];
    let mut from = 0;
    for _ in 0..5 {
        let to = all.len();
        for at in from..to {
            for letter in ["a", "b"] {
                all.push(format!("{}{letter}", all[at]));
            }
        }
        from = to;
    }
    all
}

fn decimal() -> impl Strategy<Value = String> {
    prop_oneof!["-?(0|[1-9][0-9]{0,3})", "-?(0|[1-9][0-9]{0,2})\\.[0-9]{0,2}[1-9]"]
        .prop_filter("minus nothing is written without its sign", |text| text != "-0")
}

/// Values of all kinds, most of them near the edge of some rule.
fn value() -> impl Strategy<Value = String> {
    prop_oneof![
        decimal(),
        "[0-9]{4}-[01][0-9]-[0-3][0-9]",
        "[a-cx-]{1,5}",
        "\\PC{0,4}",
        prop::sample::select(vec![
            "true",
            "false",
            "en",
            "007",
            "1.50",
            "+7",
            "ada@larkfell.example",
            "::1",
            "192.0.2.1",
            ""
        ])
        .prop_map(str::to_owned),
    ]
}

/// A keyword with a value that it takes.
fn keyword() -> impl Strategy<Value = (&'static str, Data)> {
    let formats =
        ["integer", "number", "boolean", "digits", "date", "slug", "hex", "email", "ipv4", "ipv6", "alpha", "alnum"];
    prop_oneof![
        prop::sample::select(formats.to_vec()).prop_map(|name| ("format", Data::from(name))),
        prop::sample::select(vec!["^[a-c]+$", "x", "^(a+)+$", "[0-9]{2}", "^\\w+$", "\\bx\\b", "^.{2}$"])
            .prop_map(|text| ("pattern", Data::from(text))),
        (-20i64..2000).prop_map(|number| ("minimum", Data::from(number))),
        (-20i64..2000).prop_map(|number| ("maximum", Data::from(number))),
        (-20i64..20).prop_map(|number| ("exclusiveMinimum", Data::from(number as f64 / 4.0))),
        (-20i64..20).prop_map(|number| ("exclusiveMaximum", Data::from(number as f64 / 4.0))),
        (1i64..20).prop_map(|number| ("multipleOf", Data::from(number))),
        (1i64..8).prop_map(|number| ("multipleOf", Data::from(number as f64 / 4.0))),
        (0i64..6).prop_map(|count| ("minLength", Data::from(count))),
        (1i64..9).prop_map(|count| ("maxLength", Data::from(count))),
        prop::collection::vec(value().prop_map(Data::Text), 1..4).prop_map(|values| ("enum", Data::List(values))),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128 * ProptestConfig::default().cases / 256, ..ProptestConfig::default() })]

    #[test]
    fn operations_do_to_automata_what_they_do_to_sets(left in words(), right in words()) {
        let (a, b) = (set(&left), set(&right));
        let (both, rest) = (a.and(&b).expect("small"), a.without(&b).expect("small"));
        let (with_empty, small) = (a.with_empty().expect("small"), a.clone().minimised());
        for word in all_words() {
            let (in_left, in_right) = (left.contains(&word), right.contains(&word));
            prop_assert_eq!(a.contains(word.as_bytes()), in_left);
            prop_assert_eq!(both.contains(word.as_bytes()), in_left && in_right);
            prop_assert_eq!(rest.contains(word.as_bytes()), in_left && !in_right);
            prop_assert_eq!(with_empty.contains(word.as_bytes()), in_left || word.is_empty());
            prop_assert_eq!(small.contains(word.as_bytes()), in_left);
        }
        prop_assert!(small.states() <= a.states());
        prop_assert_eq!(a.is_empty(), left.is_empty());
        let sole = (left.len() == 1).then(|| left.first().map(|word| word.as_bytes().to_vec())).flatten();
        prop_assert_eq!(a.sole_word(), sole);

        let compared = a.compare(&b).expect("small");
        let shortest = |words: Vec<&String>| words.iter().map(|word| word.len()).min();
        let length = |found: &Option<Vec<u8>>| found.as_ref().map(Vec::len);
        prop_assert_eq!(length(&compared.both), shortest(left.intersection(&right).collect()));
        prop_assert_eq!(length(&compared.only_left), shortest(left.difference(&right).collect()));
        prop_assert_eq!(length(&compared.only_right), shortest(right.difference(&left).collect()));
        prop_assert!(compared.both.iter().all(|word| a.contains(word) && b.contains(word)));
    }

    #[test]
    fn a_sequence_holds_what_can_be_cut_into_its_parts(left in words(), right in words(), word in "[ab.]{0,8}") {
        let atoms = vec![Atom::Value(Arc::new(set(&left))), Atom::Byte(b'.'), Atom::Value(Arc::new(set(&right)))];
        let cut = word.match_indices('.').any(|(at, _)| {
            // An empty value is no part of a segment, so the words of the sets are not empty.
            left.contains(&word[..at]) && right.contains(&word[at + 1..]) && at > 0 && at + 1 < word.len()
        });
        let joined = sequence(&[atoms]).expect("small");
        let has_empty = left.contains("") || right.contains("");
        prop_assert!(has_empty || joined.contains(word.as_bytes()) == cut);
    }

    #[test]
    fn a_repetition_counts_its_items(words in words(), items in prop::collection::vec(word(), 0..6), min in 0u16..3, more in 0u16..3) {
        let mut words = words;
        words.remove("");
        let repeat = Atom::Repeat { lead: SEPARATOR, item: Arc::new(set(&words)), min, max: min + more };
        let path: Vec<u8> = items.iter().flat_map(|item| std::iter::once(SEPARATOR).chain(item.bytes())).collect();
        let count = u16::try_from(items.len()).expect("few");
        let wanted = (min..=min + more).contains(&count) && items.iter().all(|item| words.contains(item));
        prop_assert_eq!(sequence(&[vec![repeat]]).expect("small").contains(&path), wanted);
    }

    #[test]
    fn bounds_are_those_of_numbers(bound in decimal(), number in decimal()) {
        let (limit, value) = (Decimal::parse(&bound).expect("canonical"), Decimal::parse(&number).expect("canonical"));
        let order = number.parse::<f64>().expect("a number").total_cmp(&bound.parse::<f64>().expect("a number"));
        prop_assert_eq!(value.cmp(&limit), order);
        for orders in [&[order][..], &[order.reverse()]] {
            let set = bounded(&limit, orders).expect("small");
            prop_assert_eq!(set.contains(number.as_bytes()), orders.contains(&order), "{} against {}", number, bound);
        }
    }

    #[test]
    fn multiples_are_those_of_numbers(units in 1i64..50, places in 0u32..3, number in decimal()) {
        let step = Data::from(units as f64 / f64::from(10u32.pow(places)));
        let Data::Float(step) = step else { unreachable!() };
        let step = Step::new(&Decimal::parse(&step.to_string()).expect("canonical")).expect("small");
        let value = Decimal::parse(&number).expect("canonical");
        // In thousandths everything here is whole.
        let thousandths = |number: f64| (number * 1000.0).round() as i64;
        let wanted = thousandths(number.parse().expect("a number")) % thousandths(units as f64 / f64::from(10u32.pow(places))) == 0;
        prop_assert_eq!(value.is_multiple_of(&step), wanted, "{}", number);
        prop_assert_eq!(multiples(step).expect("small").contains(number.as_bytes()), wanted, "{}", number);
    }

    /// The set of a rule and the reasons of its keywords agree on every value.
    #[test]
    fn a_value_is_refused_with_a_reason_or_accepted(
        keywords in prop::collection::vec(keyword(), 0..4),
        values in prop::collection::vec(value(), 40),
    ) {
        let rule = keywords.into_iter().fold(Rule::new(), |rule, (name, value)| rule.keyword(name, value));
        match Check::new(&rule, &[], &[]) {
            Ok(check) => for value in values.iter().filter(|value| TEXT.contains(value.as_bytes())) {
                let reason = check.keywords.iter().find_map(|keyword| keyword.refusal(value));
                prop_assert_eq!(check.accepts(value), reason.is_none(), "{} {:?} {:?}", value, check, reason);
            },
            Err(problems) => prop_assert!(problems.iter().all(|problem| problem.code == "empty-rule"), "{:?}", problems),
        }
    }

    #[test]
    fn text_is_utf8_without_controls(bytes in prop::collection::vec(any::<u8>(), 0..8), text in "\\PC{0,6}") {
        let is_text = |bytes: &[u8]| std::str::from_utf8(bytes).is_ok_and(|text| !text.is_empty() && !text.bytes().any(|byte| byte.is_ascii_control()));
        // A mark is taken for its character.
        let plain: Vec<u8> = bytes.iter().map(|&byte| unmarked(byte)).collect();
        prop_assert_eq!(TEXT.contains(&bytes), is_text(&plain));
        prop_assert_eq!(TEXT.contains(text.as_bytes()), is_text(text.as_bytes()));
    }
}

#[test]
fn patterns_mean_what_they_mean_in_json_schema() {
    let cases = [
        ("x", &["x", "axe"][..], &["a", "X"][..]),
        ("^x$", &["x"], &["xx", "ax"]),
        ("^a|b$", &["ax", "xb"], &["xax", "bx"]),
        // ASCII only, whatever the builder of automata makes of them.
        ("^\\d+$", &["42"], &["٤٢", "4x"]),
        ("^\\w+$", &["a_1"], &["é", "a-b"]),
        ("\\bx\\b", &["a x b", "x", "éx"], &["axe"]),
        ("^[\\w.]+$", &["a.b"], &["a/b"]),
        ("^\\D$", &["a", "é"], &["1", "ab"]),
        ("^é{2}$", &["éé"], &["é"]),
        ("^\\u00e9$", &["é"], &["e"]),
        ("^\\p{Lu}$", &["É"], &["é"]),
        ("", &["anything"], &[]),
    ];
    for (text, right, wrong) in cases {
        let set = pattern::search(text).unwrap_or_else(|error| panic!("{text}: {error}"));
        right.iter().for_each(|value| assert!(set.contains(value.as_bytes()), "{text} refuses {value}"));
        wrong.iter().for_each(|value| assert!(!set.contains(value.as_bytes()), "{text} accepts {value}"));
    }
}

#[test]
fn patterns_that_mean_nothing_are_refused_with_the_reason() {
    for (text, wanted) in [
        ("(", "not a regular expression"),
        ("a(?=b)", "looks around"),
        ("(?i)a", "sets flags"),
        ("(?i:a)", "sets flags"),
        ("\\Aa", "is not in ECMA-262"),
        ("(a)\\1", "not a regular expression"),
        (&"a".repeat(5000), "may have 4096 bytes"),
        (&"(".repeat(4000), "not a regular expression"),
    ] {
        let error = pattern::search(text).expect_err(text);
        assert!(error.contains(wanted), "{error}");
    }
}

#[test]
fn anchors_are_seen() {
    for text in ["^a$", "^(a|b)$", "^a$|^b$"] {
        assert!(is_anchored(text), "{text}");
    }
    for text in ["a", "^a", "a$", "^a$|b", "^a|b$", ""] {
        assert!(!is_anchored(text), "{text}");
    }
}
