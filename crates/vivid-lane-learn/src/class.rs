//! Kinds of values: what can be said of all values at one place.

/// A set of kinds, one bit each. The kinds of several values are what all of them have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Kinds(u32);

/// What a value may be. The earlier ones say more.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Kind {
    Date,
    Uuid,
    Month,
    Year,
    Natural,
    Digits,
    Hash,
    Slug,
}

const ALL: [Kind; 8] =
    [Kind::Date, Kind::Uuid, Kind::Month, Kind::Year, Kind::Natural, Kind::Digits, Kind::Hash, Kind::Slug];

impl Kind {
    fn bit(self) -> u32 {
        1 << self as u32
    }
}

impl Kinds {
    /// What no value contradicts.
    pub(super) const ANY: Self = Self(u32::MAX);

    pub(super) fn of(value: &str) -> Self {
        let bytes = value.as_bytes();
        let digits = |range: &[u8]| !range.is_empty() && range.iter().all(u8::is_ascii_digit);
        let number = |range: &[u8]| range.iter().fold(0_u32, |sum, byte| sum * 10 + u32::from(byte - b'0'));
        let mut kinds = 0;
        let mut add = |kind: Kind, is_so: bool| kinds |= if is_so { kind.bit() } else { 0 };
        let is_month = |bytes: &[u8]| {
            bytes.len() == 7
                && digits(&bytes[..4])
                && bytes[4] == b'-'
                && digits(&bytes[5..])
                && (1..=12).contains(&number(&bytes[5..]))
        };
        let is_date = bytes.len() == 10
            && is_month(&bytes[..7])
            && bytes[7] == b'-'
            && digits(&bytes[8..])
            && (1..=days(number(&bytes[..4]), number(&bytes[5..7]))).contains(&number(&bytes[8..]));
        add(Kind::Date, is_date);
        add(Kind::Month, is_month(bytes));
        let is_hex = |range: &[u8]| !range.is_empty() && range.iter().all(u8::is_ascii_hexdigit);
        let is_uuid = bytes.len() == 36
            && [8, 13, 18, 23].iter().all(|at| bytes[*at] == b'-')
            && value.split('-').all(|part| is_hex(part.as_bytes()));
        add(Kind::Uuid, is_uuid);
        let is_digits = digits(bytes);
        let is_natural = is_digits && (bytes.len() == 1 || bytes[0] != b'0');
        add(Kind::Year, is_natural && bytes.len() == 4 && (1900..2100).contains(&number(bytes)));
        add(Kind::Natural, is_natural);
        add(Kind::Digits, is_digits);
        // Long, of digits and letters, as no word is.
        let is_lower_hex = bytes.iter().all(|byte| matches!(byte, b'0'..=b'9' | b'a'..=b'f'));
        add(Kind::Hash, bytes.len() >= 8 && is_lower_hex && bytes.iter().any(u8::is_ascii_digit));
        let is_slug = !value.is_empty()
            && value.split('-').all(|part| {
                !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit())
            });
        add(Kind::Slug, is_slug);
        Self(kinds)
    }

    pub(super) fn and(self, other: Self) -> Self {
        Self(self.0 & other.0)
    }

    pub(super) fn has(self, kind: Kind) -> bool {
        self.0 & kind.bit() != 0
    }

    /// The kind that says most.
    pub(super) fn best(self) -> Option<Kind> {
        ALL.into_iter().find(|kind| self.has(*kind))
    }

    pub(super) fn bits(self) -> u32 {
        self.0
    }

    pub(super) fn from_bits(bits: u32) -> Self {
        Self(bits)
    }
}

fn days(year: u32, month: u32) -> u32 {
    match month {
        2 if year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400)) => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

/// A value with what tells it from others of its form masked: digits, and what is made by machines.
pub(super) fn masked(value: &str, kinds: Kinds) -> String {
    let mut out = String::with_capacity(value.len());
    mask(value, kinds, |char| out.push(char));
    out
}

/// The characters of a mask, one by one.
pub(super) fn mask(value: &str, kinds: Kinds, mut push: impl FnMut(char)) {
    match kinds.best() {
        Some(Kind::Date) => push('D'),
        Some(Kind::Uuid) => push('U'),
        Some(Kind::Hash) => push('H'),
        _ => {
            let mut is_digit = false;
            for char in value.chars() {
                let was_digit = std::mem::replace(&mut is_digit, char.is_ascii_digit());
                match char {
                    _ if !is_digit => push(char),
                    _ if !was_digit => push('0'),
                    _ => {}
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_have_their_kinds() {
        for (value, kind) in [
            ("2031-04-02", Some(Kind::Date)),
            ("2031-02-30", Some(Kind::Slug)),
            ("2031-04", Some(Kind::Month)),
            ("2031", Some(Kind::Year)),
            ("7", Some(Kind::Natural)),
            ("007", Some(Kind::Digits)),
            ("c0ffee00c0ffee", Some(Kind::Hash)),
            ("0b4c9d8e-1111-4222-8333-123456789abc", Some(Kind::Uuid)),
            ("first-frost", Some(Kind::Slug)),
            ("M31", None),
            ("", None),
        ] {
            assert_eq!(Kinds::of(value).best(), kind, "{value}");
        }
        let masked = |value: &str| masked(value, Kinds::of(value));
        assert_eq!(
            (masked("b-1021"), masked("12-first-frost"), masked("2031-04-02")),
            ("b-0".into(), "0-first-frost".into(), "D".into())
        );
    }
}
