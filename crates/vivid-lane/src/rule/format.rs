//! The formats that are built in.

use std::sync::{Arc, LazyLock, OnceLock};

use super::classes::Classes;
use super::dfa::{Dfa, TooLarge};
use super::pattern;
use super::sequence::{Atom, sequence};
use super::text::TEXT;
use super::work;

/// A format that is built in.
#[derive(Debug)]
pub(crate) struct BuiltIn {
    pub(super) name: &'static str,
    /// What a value looks like, for errors: "expected …".
    pub(super) expected: &'static str,
    set: fn() -> Result<Dfa, TooLarge>,
}

/// One row a format.
pub(super) static BUILT_IN: &[BuiltIn] = &[
    BuiltIn { name: "integer", expected: "a whole number such as `7` or `-3`", set: || named(INTEGER) },
    BuiltIn { name: "natural", expected: "a whole number from 0 on, such as `7`", set: || named("^(0|[1-9][0-9]*)$") },
    BuiltIn { name: "number", expected: "a number such as `7` or `0.5`", set: || named(NUMBER) },
    BuiltIn { name: "boolean", expected: "`true` or `false`", set: || Dfa::words(["true", "false"]) },
    BuiltIn { name: "digits", expected: "digits", set: || named("^[0-9]+$") },
    BuiltIn { name: "date", expected: "a day such as `2031-04-02`", set: date },
    BuiltIn { name: "time", expected: "a time such as `21:30:00Z`", set: || named(TIME) },
    BuiltIn { name: "date-time", expected: "a moment such as `2031-04-02T21:30:00Z`", set: date_time },
    BuiltIn { name: "uuid", expected: "a UUID", set: || named("^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$") },
    BuiltIn {
        name: "slug",
        expected: "small letters, digits and single hyphens",
        set: || named("^[a-z0-9]+(-[a-z0-9]+)*$"),
    },
    BuiltIn { name: "hex", expected: "hexadecimal digits", set: || named("^[0-9a-fA-F]+$") },
    BuiltIn { name: "email", expected: "a mail address", set: || named(EMAIL) },
    BuiltIn { name: "ipv4", expected: "an IPv4 address", set: || named(&format!("^{}$", ipv4())) },
    BuiltIn { name: "ipv6", expected: "an IPv6 address", set: || named(&ipv6()) },
    BuiltIn { name: "alpha", expected: "the letters a to z", set: || named("^[A-Za-z]+$") },
    BuiltIn { name: "file-name", expected: "the name of a file, without a folder", set: file_name },
    BuiltIn { name: "alnum", expected: "the letters a to z and digits", set: || named("^[A-Za-z0-9]+$") },
];

const INTEGER: &str = "^(0|-?[1-9][0-9]*)$";
const NUMBER: &str = "^(0|-?(0\\.[0-9]*[1-9]|[1-9][0-9]*(\\.[0-9]*[1-9])?))$";
/// RFC 3339, section 5.6, in capitals only, so that one moment has one text; a leap second is a time.
const TIME: &str = "^([01][0-9]|2[0-3]):[0-5][0-9]:([0-5][0-9]|60)(\\.[0-9]+)?(Z|[+-]([01][0-9]|2[0-3]):[0-5][0-9])$";
/// The form that HTML gives to `input type=email`.
const EMAIL: &str = "^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(\\.[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$";

fn ipv4() -> &'static str {
    "(25[0-5]|2[0-4][0-9]|1[0-9]{2}|[1-9]?[0-9])(\\.(25[0-5]|2[0-4][0-9]|1[0-9]{2}|[1-9]?[0-9])){3}"
}

/// RFC 3986, section 3.2.2.
fn ipv6() -> String {
    let group = "[0-9a-fA-F]{1,4}";
    let last = format!("({group}:{group}|{})", ipv4());
    let mut forms = vec![format!("({group}:){{6}}{last}")];
    for before in 0..8u8 {
        let left = if before == 0 { String::new() } else { format!("({group}(:{group}){{0,{}}})?", before - 1) };
        let right = match before {
            0..=5 => format!("({group}:){{{}}}{last}", 5 - before),
            6 => group.to_owned(),
            _ => String::new(),
        };
        forms.push(format!("{left}::{right}"));
    }
    format!("^({})$", forms.join("|"))
}

fn named(pattern: &str) -> Result<Dfa, TooLarge> {
    pattern::search(pattern).map_err(|_| TooLarge::States)
}

/// A name that means the same file in its folder, and no other thing, on every common system: no separator of folders, drives
/// or streams, no dot or space at its end, which some systems drop, and no name of a device, with or without an extension.
fn file_name() -> Result<Dfa, TooLarge> {
    let names = named(r"^[^/\\:]*[^/\\:. ]$")?.and(&TEXT)?;
    names.without(&named(
        r"^([cC][oO][nN]|[pP][rR][nN]|[aA][uU][xX]|[nN][uU][lL]|([cC][oO][mM]|[lL][pP][tT])[0-9¹²³]) *(\..*)?$",
    )?)
}

/// How far a date has been read: digits so far and what must be known of them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Day {
    Year { digits: u8, number: u16 },
    YearDash { leap: bool },
    Month { leap: bool },
    MonthDigit { leap: bool, tens: u8 },
    MonthDash { days: u8 },
    Tens { days: u8 },
    Ones { days: u8, tens: u8 },
    Done,
}

/// Leap years come again after 400 years. So of the first digits of a year it is enough to know what they leave when divided by these: the
/// digits that follow make a multiple of 400 of the rest.
const CYCLES: [u16; 3] = [2, 4, 40];

/// `YYYY-MM-DD`, only days that the calendar has (RFC 3339, section 5.7).
fn date() -> Result<Dfa, TooLarge> {
    let step = |at: &Day, byte: u8| {
        let digit = byte.is_ascii_digit().then(|| byte.wrapping_sub(b'0'));
        let dash = (byte == b'-').then_some(());
        Some(match *at {
            Day::Year { digits: 3, number } => Day::YearDash { leap: is_leap(number * 10 + u16::from(digit?)) },
            Day::Year { digits, number } => {
                let number = (number * 10 + u16::from(digit?)) % CYCLES[usize::from(digits)];
                Day::Year { digits: digits + 1, number }
            }
            Day::YearDash { leap } => dash.map(|()| Day::Month { leap })?,
            Day::Month { leap } => Day::MonthDigit { leap, tens: digit? },
            Day::MonthDigit { leap, tens } => Day::MonthDash { days: days_in(tens * 10 + digit?, leap)? },
            Day::MonthDash { days } => dash.map(|()| Day::Tens { days })?,
            Day::Tens { days } => Day::Ones { days, tens: digit? },
            Day::Ones { days, tens } => (1..=days).contains(&(tens * 10 + digit?)).then_some(Day::Done)?,
            Day::Done => return None,
        })
    };
    let classes = Classes::of_bytes(&|byte| byte.is_ascii_digit() || byte == b'-');
    Dfa::explore(classes, Day::Year { digits: 0, number: 0 }, &step, &|at| *at == Day::Done)
}

fn is_leap(year: u16) -> bool {
    year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400))
}

fn days_in(month: u8, leap: bool) -> Option<u8> {
    match month {
        2 => Some(if leap { 29 } else { 28 }),
        4 | 6 | 9 | 11 => Some(30),
        1..=12 => Some(31),
        _ => None,
    }
}

fn date_time() -> Result<Dfa, TooLarge> {
    sequence(&[vec![Atom::Value(Arc::new(date()?)), Atom::Byte(b'T'), Atom::Value(Arc::new(named(TIME)?))]])
}

impl BuiltIn {
    pub(super) fn find(name: &str) -> Option<&'static Self> {
        BUILT_IN.iter().find(|format| format.name == name)
    }

    /// The values of the format; made once for all tables.
    pub(super) fn set(&'static self) -> Arc<Dfa> {
        static SETS: LazyLock<Vec<OnceLock<Arc<Dfa>>>> =
            LazyLock::new(|| BUILT_IN.iter().map(|_| OnceLock::new()).collect());
        let index = BUILT_IN.iter().position(|format| format.name == self.name).unwrap_or_default();
        // Every row is far below the limit; a test builds them all to prove it.
        let made = || {
            (self.set)()
                .and_then(|set| set.and(&TEXT))
                .map(|set| set.minimised().with_marks())
                .unwrap_or_else(|_| unreachable!("{} is too large", self.name))
        };
        Arc::clone(SETS[index].get_or_init(|| Arc::new(work::for_all(made))))
    }

    /// Why a value is refused.
    pub(super) fn refusal(&self, value: &str) -> String {
        let looks_like_a_day = value.len() == 10
            && value
                .bytes()
                .enumerate()
                .all(|(at, byte)| if matches!(at, 4 | 7) { byte == b'-' } else { byte.is_ascii_digit() });
        match self.name {
            "date" if looks_like_a_day => "no such day".to_owned(),
            _ => format!("expected {}", self.expected),
        }
    }
}

impl crate::declare::Format {
    /// The formats that are built in, each with what a value looks like, in words.
    ///
    /// ```
    /// let known: Vec<_> = vivid_lane::declare::Format::built_in().collect();
    /// assert!(known.contains(&("date", "a day such as `2031-04-02`")));
    /// ```
    pub fn built_in() -> impl ExactSizeIterator<Item = (&'static str, &'static str)> {
        BUILT_IN.iter().map(|format| (format.name, format.expected))
    }
}

#[cfg(test)]
mod tests {
    use super::{BUILT_IN, BuiltIn};

    #[test]
    fn every_format_has_values() {
        for format in BUILT_IN {
            let set = (format.set)().unwrap_or_else(|_| panic!("`{}` is too large", format.name));
            assert!(!set.is_empty(), "`{}` accepts nothing", format.name);
        }
    }

    #[test]
    fn every_year_has_its_days() {
        let date = BuiltIn::find("date").expect("it is built in").set();
        for year in 0..10_000 {
            let has_leap_day = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
            assert_eq!(date.contains(format!("{year:04}-02-29").as_bytes()), has_leap_day, "{year}");
            assert!(date.contains(format!("{year:04}-12-31").as_bytes()), "{year}");
        }
    }

    #[test]
    fn formats_accept_what_they_say() {
        let cases = [
            ("integer", &["0", "-3", "120"][..], &["007", "+7", "-0", "1.0", "", "-"][..]),
            ("natural", &["0", "3", "120"], &["-3", "007", "+7", "1.0", ""]),
            (
                "file-name",
                &["plate.fits", ".profile", "a b", "...x", "con-1", "COM", "com10", "é"],
                &[
                    "", ".", "..", "...", "a/b", "a\\b", "c:x", "a.", "a ", "a\u{7}", "CON", "nul.txt", "Lpt1 .x",
                    "com¹",
                ],
            ),
            ("number", &["0", "0.5", "-1.25", "10"], &["0.50", ".5", "1.", "-0.0", "1e3"]),
            (
                "date",
                &["2032-02-29", "2000-02-29", "1999-12-31"],
                &["2031-02-29", "1900-02-29", "2031-13-01", "2031-4-2", "2031-04-00"],
            ),
            ("time", &["21:30:00Z", "23:59:60+02:00", "00:00:00.25Z"], &["24:00:00Z", "21:30Z", "21:30:00"]),
            ("date-time", &["2031-04-02T21:30:00Z"], &["2031-02-30T21:30:00Z", "2031-04-02 21:30:00Z"]),
            ("uuid", &["f81d4fae-7dec-11d0-a765-00a0c91e6bf6"], &["f81d4fae7dec11d0a76500a0c91e6bf6"]),
            ("slug", &["ring-nebula", "m57"], &["-a", "a--b", "A", "a_"]),
            ("email", &["ada@larkfell.example"], &["ada", "ada@", "@x"]),
            ("ipv4", &["192.0.2.255"], &["256.0.0.1", "1.2.3", "01.2.3.4"]),
            ("boolean", &["true", "false"], &["yes", "True"]),
        ];
        for (name, right, wrong) in cases {
            let set = BuiltIn::find(name).unwrap().set();
            right.iter().for_each(|value| assert!(set.contains(value.as_bytes()), "{name} refuses {value}"));
            wrong.iter().for_each(|value| assert!(!set.contains(value.as_bytes()), "{name} accepts {value}"));
        }
    }

    #[test]
    fn ipv6_agrees_with_the_standard_library() {
        let set = BuiltIn::find("ipv6").unwrap().set();
        for text in [
            "::",
            "::1",
            "1::",
            "2001:db8::ff00:42:8329",
            "1:2:3:4:5:6:7:8",
            "1:2:3:4:5:6:7::",
            "::2:3:4:5:6:7:8",
            "::ffff:192.0.2.1",
            "1:2:3:4:5:6:192.0.2.1",
            "1::3:4:5:6:7:8",
            "1:2:3:4:5::8",
            "1::8::9",
            "12345::",
            "1:2:3",
            "::g",
            "1:2:3:4:5:6:7:8:9",
            "1:2:3:4:5:6:7::8",
        ] {
            assert_eq!(set.contains(text.as_bytes()), text.parse::<core::net::Ipv6Addr>().is_ok(), "{text}");
        }
    }
}
