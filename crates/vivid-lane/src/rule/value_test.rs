//! How a set is asked at run time: common sets by plain code, the others by their automaton.
//!
//! A step of an automaton waits for the step before it; code that looks at all bytes at once does not. Which
//! set a rule has is found by comparing sets, so it does not matter how the rule was written.

use std::sync::{Arc, LazyLock};

use super::dfa::{Comparison, Dfa};
use super::format::BuiltIn;

/// How values are judged.
#[derive(Debug, Clone)]
pub(crate) enum ValueTest {
    /// Every value.
    Any,
    /// One byte or more, each of these.
    Bytes(Arc<[bool; 256]>),
    Simple(Simple),
    /// Whatever the automaton accepts.
    Automaton(Arc<Dfa>),
}

/// Sets for which there is code.
static KNOWN: LazyLock<Vec<(Arc<Dfa>, ValueTest)>> = LazyLock::new(|| {
    let known = [("integer", Simple::Integer), ("date", Simple::Date)];
    let known = known.into_iter();
    known.filter_map(|(name, code)| Some((BuiltIn::find(name)?.set(), ValueTest::Simple(code)))).collect()
});

/// Sets that a few lines of code can test. Each is a variant, so that one byte says which.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Simple {
    /// Every text.
    Any,
    /// A whole number, canonical.
    Integer,
    /// A day of the calendar.
    Date,
}

impl Simple {
    pub(crate) fn accepts(self, value: &[u8]) -> bool {
        match self {
            Self::Any => true,
            Self::Integer => is_integer(value),
            Self::Date => is_date(value),
        }
    }
}

impl ValueTest {
    /// The best way to test the values of a set.
    pub(super) fn of(set: Option<&Arc<Dfa>>) -> Self {
        let Some(set) = set else { return Self::Any };
        if let Some(bytes) = set.repeated_bytes() {
            return Self::Bytes(Arc::new(bytes));
        }
        let is_same = |known: &Dfa| {
            known.states() == set.states()
                && matches!(known.compare(set), Ok(Comparison { only_left: None, only_right: None, .. }))
        };
        let known = KNOWN.iter().find(|(known, _)| is_same(known));
        known.map_or_else(|| Self::Automaton(Arc::clone(set)), |(_, code)| code.clone())
    }

    pub(crate) fn accepts(&self, value: &[u8]) -> bool {
        match self {
            Self::Any => true,
            Self::Bytes(allowed) => !value.is_empty() && value.iter().all(|&byte| allowed[usize::from(byte)]),
            Self::Simple(simple) => simple.accepts(value),
            Self::Automaton(set) => set.contains(value),
        }
    }
}

/// `0`, or digits without a zero in front, with or without a minus.
#[inline(never)]
fn is_integer(value: &[u8]) -> bool {
    match value {
        b"0" => true,
        [b'-', digits @ ..] | digits => matches!(digits, [b'1'..=b'9', ..]) && digits.iter().all(u8::is_ascii_digit),
    }
}

/// RFC 3339, section 5.6: `full-date`, with the days that the months have.
#[inline(never)]
fn is_date(value: &[u8]) -> bool {
    let (10, Some(head), Some(&[d1, d2])) = (value.len(), value.first_chunk::<8>(), value.last_chunk::<2>()) else {
        return false;
    };
    // What is left of each byte once the one is taken away that a digit or a dash has: digits are 0 to 9, dashes 0.
    let rest = u64::from_le_bytes(*head) ^ u64::from_le_bytes(*b"0000-00-");
    let beyond = (rest.wrapping_add(u64::from_le_bytes([0x76, 0x76, 0x76, 0x76, 0x7f, 0x76, 0x76, 0x7f]))) | rest;
    if beyond & 0x8080_8080_8080_8080 != 0 || !d1.is_ascii_digit() || !d2.is_ascii_digit() {
        return false;
    }
    // Each pair of digits as a number, in the byte of the first of them.
    let pairs = (rest * 10 + (rest >> 8)).to_le_bytes();
    let (century, year, month, day) = (pairs[0], pairs[2], pairs[5], (d1 - b'0') * 10 + (d2 - b'0'));
    let is_leap = year % 4 == 0 && (year != 0 || century % 4 == 0);
    let days = match month {
        1 | 3 | 5 | 7 | 8 | 10 | 12 => 31,
        4 | 6 | 9 | 11 => 30,
        2 if is_leap => 29,
        2 => 28,
        _ => return false,
    };
    (1..=days).contains(&day)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::{KNOWN, ValueTest};
    use crate::rule::format::BuiltIn;

    #[test]
    fn plain_code_is_chosen_where_there_is_some() {
        for (name, wanted) in [
            ("integer", "Simple(Integer)"),
            ("date", "Simple(Date)"),
            ("digits", "Bytes"),
            ("alnum", "Bytes"),
            ("slug", "Automaton"),
        ] {
            let set = BuiltIn::find(name).expect("a format").set();
            let code = format!("{:?}", ValueTest::of(Some(&set)));
            assert!(code.starts_with(wanted), "{name}: {}", &code[..20.min(code.len())]);
        }
    }

    proptest! {
        /// ValueTest and automaton give the same answers.
        #[test]
        fn code_agrees_with_its_set(
            text in prop_oneof![
                "-?[0-9]{0,6}",
                "[0-9]{4}-[01][0-9]-[0-3][0-9]",
                "(00|19|20|21)(00|04|96|99|00)-(01|02|04|12|13|00)-(00|01|28|29|30|31|32)",
                "\\PC{0,12}",
            ],
        ) {
            for (set, code) in KNOWN.iter() {
                prop_assert_eq!(code.accepts(text.as_bytes()), set.contains(text.as_bytes()), "{:?} of {}", code, text);
            }
            for name in ["digits", "hex", "alpha"] {
                let set = BuiltIn::find(name).expect("a format").set();
                prop_assert_eq!(ValueTest::of(Some(&set)).accepts(text.as_bytes()), set.contains(text.as_bytes()), "{} of {}", name, text);
            }
        }
    }
}
