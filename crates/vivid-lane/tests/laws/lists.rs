//! Laws of lists and pairs: what RFC 6570 writes for them is read back, by a naive reading that is made from the RFC's own
//! words and shares no code with the library.

use proptest::prelude::*;
use vivid_lane::{Decision, Request, RouteSpec, Rule, Table, TableSpec, Value};

use crate::reference::model::encode;
use crate::reference::{decode, is_writable, read_query};
use crate::scaled;

/// Where the items stand, as RFC 6570 writes them: the template, what stands before and after, what parts two items, what parts
/// a name and its value, and whether reserved characters stay as they are.
struct Place {
    template: &'static str,
    before: &'static str,
    after: &'static str,
    part: &'static str,
    pair: &'static str,
    is_reserved: bool,
    is_optional: bool,
}

const fn place(template: &'static str, before: &'static str, part: &'static str, pair: &'static str) -> Place {
    Place { template, before, after: "", part, pair, is_reserved: false, is_optional: true }
}

const PLACES: [Place; 17] = [
    Place { is_optional: false, ..place("/x/{m}", "/x/", ",", ",") },
    Place { is_optional: false, ..place("/x/{m*}", "/x/", ",", "=") },
    Place { is_optional: false, after: ".y", ..place("/x/m-{m}.y", "/x/m-", ",", ",") },
    Place { is_optional: false, after: "/y", ..place("/x/{m*}/y", "/x/", ",", "=") },
    place("/x{/m}", "/x/", ",", ","),
    place("/x{/m*}", "/x/", "/", "="),
    place("/x{.m}", "/x.", ",", ","),
    place("/x{.m*}", "/x.", ".", "="),
    place("/x{;m}", "/x;m=", ",", ","),
    // The name before each item of a list, or none before pairs, is put in below.
    place("/x{;m*}", "/x;", ";", "="),
    Place { is_optional: false, is_reserved: true, ..place("/x/{+m}", "/x/", ",", ",") },
    Place { is_optional: false, is_reserved: true, ..place("/x/{+m*}", "/x/", ",", "=") },
    place("/x{?m}", "/x?m=", ",", ","),
    place("/x{?m*}", "/x?", "&", "="),
    place("/x?k=v{&m}", "/x?k=v&m=", ",", ","),
    place("/x?k=v{&m*}", "/x?k=v&", "&", "="),
    Place { is_optional: false, ..place("/x?k={m}", "/x?k=", ",", ",") },
];

/// The rule of an item, and what it accepts.
type Items = (fn() -> Rule, fn(&str) -> bool);

const ITEMS: [Items; 4] = [
    (Rule::new, |_| true),
    (|| Rule::format("natural"), |text| text.parse::<u64>().is_ok_and(|number| number.to_string() == text)),
    (|| Rule::one_of(["a", "b,", "=", "1.5"]), |text| ["a", "b,", "=", "1.5"].contains(&text)),
    (|| Rule::pattern("^[a-c.,;=]+$"), |text| !text.is_empty() && text.chars().all(|c| "abc.,;=".contains(c))),
];

/// More items than any case has.
const NO_END: i64 = 99;

/// A rule of many.
#[derive(Debug, Clone)]
struct Many {
    place: usize,
    is_pairs: bool,
    items: usize,
    least: usize,
    most: usize,
    is_unique: bool,
}

fn many() -> impl Strategy<Value = Many> {
    let counts = prop_oneof![3 => Just((0, NO_END as usize)), 1 => Just((2, NO_END as usize)), 1 => Just((0, 2)), 1 => Just((1, 3))];
    (0..PLACES.len(), any::<bool>(), 0..ITEMS.len(), counts, prop::bool::weighted(0.2)).prop_map(
        |(place, is_pairs, items, (least, most), is_unique)| Many {
            place,
            is_pairs,
            items,
            least,
            most,
            is_unique: is_unique && !is_pairs,
        },
    )
}

/// Texts in which everything is a delimiter somewhere.
fn text() -> impl Strategy<Value = String> {
    let piece = prop::sample::select(vec![
        "a", "b", "1", "0", ",", ";", "=", ".", "/", "&", "é", " ", "%", "%41", "~", "+", "?", "#", "b,", "1.5",
    ]);
    prop::collection::vec(piece, 0..4).prop_map(|pieces| pieces.concat())
}

impl Many {
    fn place(&self) -> &'static Place {
        &PLACES[self.place]
    }

    fn is_exploded(&self) -> bool {
        self.place().template.contains("*}")
    }

    fn is_in_query(&self) -> bool {
        self.place().template.contains("m}") && self.place().before.contains('?')
            || self.place().before.ends_with(['?', '&'])
    }

    fn table(&self) -> Table {
        let item = ITEMS[self.items].0();
        let (least, most) = (self.least as i64, self.most as i64);
        let rule = if self.is_pairs {
            Rule::pairs_of(item).min_properties(least)
        } else {
            Rule::list_of(item).min_items(least)
        };
        let rule = match most {
            NO_END => rule,
            _ if self.is_pairs => rule.max_properties(most),
            _ => rule.max_items(most),
        };
        let rule = if self.is_unique { rule.unique_items() } else { rule };
        let route = RouteSpec::new("r").path(self.place().template).page("page").param("m", rule);
        TableSpec::new().route(route).build().unwrap_or_else(|error| panic!("{self:?}: {error}"))
    }

    /// Section 3.2.1, and nothing else.
    fn expanded(&self, value: &Value) -> String {
        let place = self.place();
        let text = |text: &str| if place.is_reserved { kept(text) } else { encode(text) };
        let named = |item: String| if self.names_items() { format!("m={item}") } else { item };
        let items: Vec<String> = match value {
            Value::Text(one) => vec![named(text(one))],
            Value::List(items) => items.iter().map(|item| named(text(item))).collect(),
            Value::Pairs(pairs) => {
                pairs.iter().map(|(name, value)| format!("{}{}{}", text(name), place.pair, text(value))).collect()
            }
        };
        format!("{}{}{}", place.before, items.join(place.part), place.after)
    }

    /// Is each item of a list written with the name of the parameter?
    fn names_items(&self) -> bool {
        !self.is_pairs && self.is_exploded() && self.place().before.ends_with([';', '?', '&'])
    }

    /// What a URL says: `None` where it is not of the route, else its value, if it has one.
    fn read(&self, url: &str) -> Option<Option<Value>> {
        let (path, query) = url.split_once('?').map_or((url, None), |(path, query)| (path, Some(query)));
        let segments: Vec<&str> = path.split('/').skip(1).collect();
        let is_whole = |segment: &&str| decode(segment).is_some_and(|text| !["", ".", ".."].contains(&text.as_str()));
        if !segments.iter().all(is_whole) {
            return None;
        }
        let items: Option<Vec<String>> =
            if self.is_in_query() { self.of_query(path, query)? } else { self.of_path(path)? };
        let Some(items) = items else {
            return self
                .place()
                .is_optional
                .then_some(None)
                .filter(|_| self.place().template != "/x{/m*}" || self.least == 0);
        };
        let value = if self.is_pairs {
            let pairs = items.chunks(2).map(|pair| Some((pair[0].clone(), pair.get(1)?.clone())));
            Value::Pairs(pairs.collect::<Option<_>>()?)
        } else {
            Value::List(items)
        };
        self.accepts(&value).then_some(Some(value))
    }

    fn accepts(&self, value: &Value) -> bool {
        let (accepts, is_free) = (ITEMS[self.items].1, self.items == 0);
        let fits = |text: &str| accepts(text) && (self.is_in_query() && is_free || !text.is_empty());
        match value {
            Value::Text(_) => false,
            Value::List(items) => {
                let is_new = |at: usize| !items[..at].contains(&items[at]);
                (self.least..=self.most).contains(&items.len())
                    && items.iter().all(|item| fits(item))
                    && (!self.is_unique || (0..items.len()).all(is_new))
            }
            Value::Pairs(pairs) => {
                let fits_name = |name: &str| self.is_in_query() || !name.is_empty();
                (self.least..=self.most).contains(&pairs.len())
                    && pairs.iter().all(|(name, value)| fits_name(name) && fits(value))
            }
        }
    }

    /// The items of a path, or names and values in turn; nothing inside where there are none.
    fn of_path(&self, path: &str) -> Option<Option<Vec<String>>> {
        let place = self.place();
        if place.is_optional && path == "/x" {
            return Some(None);
        }
        let raw = after_literal(path, place.before)?.strip_suffix(place.after)?;
        // A delimiter is one where it is not escaped; in a tail it is one however it is written.
        let raw = if place.is_reserved { decode(raw)? } else { raw.to_owned() };
        if !place.is_reserved && place.part != "/" && raw.contains('/') {
            return None;
        }
        if place.is_reserved && !is_writable(&raw) {
            return None;
        }
        let text = |text: &str| if place.is_reserved { Some(text.to_owned()) } else { decode(text) };
        let mut items = Vec::new();
        for (at, item) in raw.split(place.part).enumerate() {
            let item = match at {
                _ if !self.names_items() => item,
                // The first name is a literal of the template.
                0 => after_literal(item, "m=")?,
                _ => item.strip_prefix("m=")?,
            };
            match self.is_pairs.then(|| item.split_once(place.pair)) {
                Some(Some((name, value))) if place.pair == "=" => items.extend([text(name)?, text(value)?]),
                Some(None) if place.pair == "=" => return None,
                _ => items.push(text(item)?),
            }
        }
        Some(Some(items))
    }

    fn of_query(&self, path: &str, query: Option<&str>) -> Option<Option<Vec<String>>> {
        let query = query.unwrap_or_default();
        let pairs = read_query(query);
        if path != "/x"
            || (self.place().template.contains("k=v")
                && !pairs.iter().any(|pair| *pair == ("k".to_owned(), "v".to_owned())))
        {
            return None;
        }
        if self.is_exploded() && self.is_pairs {
            let is_own = |name: &str| name != "k" || !self.place().template.contains("k=v");
            let all: Vec<String> =
                pairs.into_iter().filter(|(name, _)| is_own(name)).flat_map(|(name, value)| [name, value]).collect();
            return Some((!all.is_empty()).then_some(all));
        }
        if self.is_exploded() {
            let counts = |value: &String| !value.is_empty() || self.items == 0;
            let all: Vec<String> =
                pairs.into_iter().filter(|(name, _)| name == "m").map(|(_, value)| value).filter(counts).collect();
            return Some((!all.is_empty()).then_some(all));
        }
        let wanted = if self.place().template.contains("k={") { "k" } else { "m" };
        let raws = query.split('&').map(|pair| pair.split_once('=').unwrap_or((pair, "")));
        let one = |text: &str| read_query(&format!("x={text}")).pop().map_or_else(String::new, |(_, value)| value);
        let raw = raws
            .filter(|(name, _)| !name.is_empty())
            .find(|(name, _)| read_query(name).pop().is_some_and(|(name, _)| name == wanted));
        let is_unfilled = |raw: &str| raw.is_empty() && self.place().is_optional && (self.items > 0 || self.is_pairs);
        let raw = raw.map(|(_, raw)| raw).filter(|raw| !is_unfilled(raw));
        Some(raw.map(|raw| raw.split(',').map(one).collect()))
    }
}

/// What follows a literal, of which any character may be escaped.
fn after_literal<'u>(raw: &'u str, literal: &str) -> Option<&'u str> {
    literal.bytes().try_fold(raw, |raw, byte| {
        let escaped = format!("%{byte:02X}");
        raw.strip_prefix(char::from(byte)).or_else(|| raw.strip_prefix(&*escaped))
    })
}

/// Section 1.5: reserved characters and escapes stay as they are.
fn kept(text: &str) -> String {
    let bytes = text.as_bytes();
    let is_escape =
        |at: usize| bytes.get(at + 1..at + 3).is_some_and(|digits| digits.iter().all(u8::is_ascii_hexdigit));
    let one = |(at, &byte): (usize, &u8)| match byte {
        b'%' if is_escape(at) => "%".to_owned(),
        b':' | b'/' | b'?' | b'#' | b'[' | b']' | b'@' | b'!' | b'$' | b'&' | b'\'' | b'(' | b')' | b'*' | b'+'
        | b',' | b';' | b'=' => char::from(byte).to_string(),
        byte if byte.is_ascii_alphanumeric() || b"-._~".contains(&byte) => char::from(byte).to_string(),
        byte => format!("%{byte:02X}"),
    };
    bytes.iter().enumerate().map(one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(3072), max_shrink_iters: 2000, ..ProptestConfig::default() })]

    /// What the RFC writes for a value is the link, if it is read as that value; if it is not, there is no link.
    #[test]
    fn what_is_written_is_read(many in many(), pairs in prop::collection::vec((text(), text()), 0..4)) {
        let table = many.table();
        let value = if many.is_pairs { Value::Pairs(pairs) } else { Value::List(pairs.into_iter().map(|(_, text)| text).collect()) };
        let is_absent = matches!(&value, Value::List(items) if items.is_empty()) || matches!(&value, Value::Pairs(pairs) if pairs.is_empty());
        let expanded = if is_absent { many.place().before.trim_end_matches(['/', '.', ';', '=', 'm']).to_owned() } else { many.expanded(&value) };
        let link = table.link("r").set("m", value.clone()).to_url();
        if is_absent {
            prop_assert!(link.is_ok() || !many.place().is_optional || many.least > 0, "{:?} of {}", link, expanded);
            return Ok(());
        }
        let is_read = many.read(&expanded) == Some(Some(value.clone()));
        prop_assert_eq!(link.as_deref().ok(), is_read.then_some(&*expanded), "{:?} of {:?}: {:?}", value, many, link);
        if is_read {
            let Decision::Page(found) = table.decide(&Request::get(&expanded)) else { return Err(TestCaseError::fail(expanded)) };
            prop_assert_eq!(found.value("m"), Some(value));
            prop_assert_eq!(found.address(), expanded);
        }
    }

    /// A URL means what the naive reading says, whatever stands in it.
    #[test]
    fn what_is_sent_is_read(
        many in many(),
        pieces in prop::collection::vec(prop::sample::select(vec!["a", "b", "1", "0", "b%2C", ",", "%2C", ";", "%3B", "=", "%3D", ".", "/", "%2F", "&", "m=", "m%3D", ";m=", "&m=", "%C3%A9", "%25", "k=v", "?", "%20"]), 0..6),
    ) {
        let table = many.table();
        let url = format!("{}{}{}", many.place().before, pieces.concat(), many.place().after);
        let sent_on = table.decide(&Request::get(&url)).location().map(str::to_owned);
        let url = sent_on.unwrap_or(url);
        let read = match table.decide(&Request::get(&url)) {
            Decision::Page(found) => Some(found.value("m")),
            Decision::NotFound(_) => None,
            other => return Err(TestCaseError::fail(format!("{url}: {other:?}"))),
        };
        prop_assert_eq!(&read, &many.read(&url), "{} of {:?}", url, many);
        // Whatever is read, a link writes, and it is read as the same.
        if let Some(Some(value)) = read {
            let link = table.link("r").set("m", value.clone()).to_url();
            let link = link.map_err(|error| TestCaseError::fail(format!("{url} is {value:?}, but {error}")))?;
            prop_assert_eq!(table.find(&link).and_then(|found| found.value("m")), Some(value), "{} → {}", url, link);
        }
    }
}
