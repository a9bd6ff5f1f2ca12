//! The tree of segments, with its values put together: what becomes a route.

use std::collections::BTreeMap;

use super::class::{Kind, Kinds};
use super::partition::fixed;
use super::tree::{CHOICE, Node, Page};

/// A place in the table that is learned: a segment, what was seen there, and what is below it.
#[derive(Debug, Clone)]
pub(super) struct Place {
    pub(super) segment: Segment,
    pub(super) page: Page,
    pub(super) below: Vec<Place>,
}

/// A segment of a path.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Segment {
    /// As it stands.
    Fixed(String),
    /// A fixed segment, and endings that may follow it.
    Endings(String, Vec<String>),
    /// All that is below a folder of files.
    Files(String),
    /// A name in the query and its value, which choose one page of a script.
    Choice(String, String),
    /// Texts and values, in turn.
    Values(Vec<Piece>),
}

/// A part of a segment.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Piece {
    Text(String),
    Value(Values),
}

/// What is known of the values of a parameter.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Values {
    /// What all of them are.
    pub(super) kinds: Kinds,
    /// How many were seen.
    pub(super) count: usize,
    /// The shortest and the longest, in bytes.
    pub(super) lengths: (usize, usize),
    /// A pattern that all of them fit, where they have a form of their own.
    pub(super) pattern: Option<String>,
    /// All of them, where there are few and each is asked for often.
    pub(super) words: Vec<String>,
    /// Whether they are languages.
    pub(super) are_languages: bool,
}

impl Values {
    fn of<'v>(values: impl IntoIterator<Item = &'v str>) -> Self {
        let mut all = Self {
            kinds: Kinds::ANY,
            count: 0,
            lengths: (usize::MAX, 0),
            pattern: None,
            words: Vec::new(),
            are_languages: false,
        };
        for value in values {
            all.kinds = all.kinds.and(Kinds::of(value));
            all.count += 1;
            all.lengths = (all.lengths.0.min(value.len()), all.lengths.1.max(value.len()));
        }
        all
    }
}

/// The form of a label: what it is put together by.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Form {
    Date,
    Uuid,
    Month,
    Number,
    Hash,
    /// A number, a hyphen and words.
    NumberSlug,
    /// Two values with this between them.
    Joined(&'static str),
    /// Few letters and digits, by what is letter, digit and sign.
    Code(String),
    /// The name of a file.
    Ending(String),
    Word,
}

/// Endings of files that no page has.
const FILES: [&str; 30] = [
    "css",
    "js",
    "mjs",
    "map",
    "png",
    "jpg",
    "jpeg",
    "gif",
    "svg",
    "webp",
    "avif",
    "ico",
    "woff",
    "woff2",
    "ttf",
    "otf",
    "eot",
    "mp3",
    "mp4",
    "webm",
    "ogg",
    "wav",
    "pdf",
    "zip",
    "gz",
    "txt",
    "xml",
    "json",
    "wasm",
    "webmanifest",
];

fn ending(label: &str) -> Option<(&str, &str)> {
    let (stem, ending) = label.rsplit_once('.')?;
    let is_ending = (1..=11).contains(&ending.len())
        && ending.bytes().all(|byte| byte.is_ascii_alphanumeric())
        && ending.bytes().any(|byte| byte.is_ascii_alphabetic());
    (!stem.is_empty() && is_ending).then_some((stem, ending))
}

fn form(label: &str) -> Form {
    match Kinds::of(label).best() {
        Some(Kind::Date) => return Form::Date,
        Some(Kind::Uuid) => return Form::Uuid,
        Some(Kind::Month) => return Form::Month,
        Some(Kind::Year | Kind::Natural | Kind::Digits) => return Form::Number,
        Some(Kind::Hash) => return Form::Hash,
        _ => {}
    }
    if label.matches("...").count() == 1 && !label.starts_with('.') && !label.ends_with('.') {
        return Form::Joined("...");
    }
    if let Some((_, ending)) = ending(label) {
        return Form::Ending(ending.to_owned());
    }
    let digits = label.bytes().take_while(u8::is_ascii_digit).count();
    if digits > 0 && label[digits..].strip_prefix('-').is_some_and(|rest| Kinds::of(rest).has(Kind::Slug)) {
        return Form::NumberSlug;
    }
    let letters = label.bytes().filter(u8::is_ascii_alphabetic).count();
    let has_digit = label.bytes().any(|byte| byte.is_ascii_digit());
    if has_digit && (1..=3).contains(&letters) && label.is_ascii() {
        return Form::Code(coded(label));
    }
    Form::Word
}

/// What is a small letter, a capital, or digits.
fn coded(label: &str) -> String {
    let mut out = String::new();
    for char in label.chars() {
        match char {
            'a'..='z' => out.push('a'),
            'A'..='Z' => out.push('A'),
            '0'..='9' if out.ends_with('0') => {}
            '0'..='9' => out.push('0'),
            other => out.push(other),
        }
    }
    out
}

/// The places of a tree: first that of the root.
pub(super) fn places(root: Node) -> Place {
    let (languages, others): (BTreeMap<_, _>, BTreeMap<_, _>) =
        root.children.into_iter().partition(|(label, _)| is_language(label));
    // One alone may be a word; so may all be, where most of what is as long is no language.
    let alike = others.keys().filter(|label| has_form_of_language(label)).count();
    let (languages, others) = match languages.len() {
        count if count > alike.max(1) => (languages, others),
        _ => (BTreeMap::new(), languages.into_iter().chain(others).collect()),
    };
    let mut places = below(others);
    if !languages.is_empty() {
        let words: Vec<String> = languages.keys().cloned().collect();
        let named = |all| vec![Piece::Value(Values { words, are_languages: true, ..all })];
        places.push(values(languages.into_iter().collect(), named));
    }
    Place { segment: Segment::Fixed(String::new()), page: root.page, below: places }
}

/// The languages that sites are written in most (ISO 639-1).
const LANGUAGES: [&str; 48] = [
    "ar", "bg", "bn", "ca", "cs", "cy", "da", "de", "el", "en", "es", "et", "eu", "fa", "fi", "fr", "ga", "gl", "he",
    "hi", "hr", "hu", "id", "is", "it", "ja", "ko", "lt", "lv", "mk", "nb", "nl", "nn", "no", "pl", "pt", "ro", "ru",
    "sk", "sl", "sq", "sr", "sv", "th", "tr", "uk", "vi", "zh",
];

/// Whether it is a language, or a language with a region (RFC 5646).
fn is_language(label: &str) -> bool {
    has_form_of_language(label) && LANGUAGES.contains(&&label[..2])
}

/// Whether it is two letters, and perhaps a hyphen and two more.
fn has_form_of_language(label: &str) -> bool {
    let mut parts = label.split('-');
    let are_letters = |part: &str| part.len() == 2 && part.bytes().all(|byte| byte.is_ascii_alphabetic());
    parts.next().is_some_and(are_letters) && parts.next().is_none_or(are_letters) && parts.next().is_none()
}

/// With more forms of codes at one place, letters and digits stand in them as they come.
const MOST_CODES: usize = 3;

fn is_code(form: &Form, members: &[(String, Node)]) -> bool {
    matches!(form, Form::Code(_)) && members.len() > 2
}

fn below(children: BTreeMap<String, Node>) -> Vec<Place> {
    let (choices, children): (BTreeMap<_, _>, BTreeMap<_, _>) =
        children.into_iter().partition(|(label, _)| label.starts_with(CHOICE));
    let mut groups: BTreeMap<Form, Vec<(String, Node)>> = BTreeMap::new();
    for (label, node) in children {
        groups.entry(form(&label)).or_default().push((label, node));
    }
    let mut places = Vec::new();
    for (label, node) in choices {
        let (name, value) = label[CHOICE.len_utf8()..].split_once('=').unwrap_or((&label, ""));
        let segment = Segment::Choice(name.to_owned(), value.to_owned());
        places.push(Place { segment, page: node.page, below: Vec::new() });
    }
    let mut words = groups.remove(&Form::Word).unwrap_or_default();
    let code_forms = groups.iter().filter(|(form, members)| is_code(form, members)).count();
    for (form, members) in groups {
        match form {
            Form::Date | Form::Uuid | Form::Hash => places.push(values(members, |all| vec![Piece::Value(all)])),
            Form::Month if members.len() > 1 => places.push(split(members, "-")),
            Form::NumberSlug if members.len() > 1 => places.push(split(members, "-")),
            Form::Joined(between) if members.len() > 1 => places.push(split(members, between)),
            Form::Number if members.len() > 1 => places.push(values(members, |all| vec![Piece::Value(all)])),
            Form::Code(ref code) if is_code(&form, &members) && code_forms <= MOST_CODES => {
                places.push(codes(code, members));
            }
            Form::Ending(_) => places.extend(files(members)),
            _ => words.extend(members),
        }
    }
    let known: Vec<(&str, &Node)> = words.iter().map(|(label, node)| (label.as_str(), node)).collect();
    let fixed: Vec<String> = fixed(&known).into_iter().map(str::to_owned).collect();
    let (pages, others): (Vec<_>, Vec<_>) =
        words.into_iter().partition(|(label, _)| fixed.binary_search(label).is_ok());
    for (label, node) in pages {
        places.push(page(label, node));
    }
    if !others.is_empty() {
        places.push(values(others, |all| vec![Piece::Value(all)]));
    }
    endings(places)
}

/// A fixed segment, or a folder of files.
fn page(label: String, node: Node) -> Place {
    if is_of_files(&node) {
        let mut page = node.page;
        let mut open: Vec<Node> = node.children.into_values().collect();
        while let Some(node) = open.pop() {
            let mut own = Node { page, ..Node::default() };
            own.merge(Node { page: node.page, ..Node::default() });
            page = own.page;
            open.extend(node.children.into_values());
        }
        page.query.clear();
        return Place { segment: Segment::Files(label), page, below: Vec::new() };
    }
    Place { segment: Segment::Fixed(label), page: node.page, below: below(node.children) }
}

/// Whether nearly everything below it is files that are no pages.
fn is_of_files(node: &Node) -> bool {
    let (mut files, mut others) = (0_usize, 0_usize);
    let mut open: Vec<&Node> = vec![node];
    while let Some(node) = open.pop() {
        for (label, child) in &node.children {
            if child.page.total() > 0 {
                let is_file = ending(label).is_some_and(|(_, ending)| FILES.contains(&ending));
                *(if is_file { &mut files } else { &mut others }) += 1;
            }
            open.push(child);
        }
    }
    files >= 3 && files > 9 * others
}

/// Members as values of one parameter, or of several in one segment.
fn values(members: Vec<(String, Node)>, pieces: impl FnOnce(Values) -> Vec<Piece>) -> Place {
    let mut all = Values::of(members.iter().map(|(label, _)| label.as_str()));
    let mut hits: Vec<(String, u64)> = Vec::new();
    let mut merged = Node::default();
    for (label, node) in members {
        // Of what was left out of the sample, the kinds are known as well.
        all.kinds = node.kinds.map_or(all.kinds, |kinds| all.kinds.and(kinds));
        hits.push((label, node.total()));
        merged.merge(node);
    }
    let total: u64 = hits.iter().map(|(_, hits)| hits).sum();
    let is_closed =
        hits.len() <= 8 && total >= 50 * hits.len() as u64 && all.kinds.best().is_none_or(|kind| kind == Kind::Slug);
    if is_closed && hits.iter().all(|(_, hits)| *hits >= 10) {
        all.words = hits.into_iter().map(|(label, _)| label).collect();
    }
    Place { segment: Segment::Values(pieces(all)), page: merged.page, below: below(merged.children) }
}

/// Two values in one segment.
fn split(members: Vec<(String, Node)>, between: &str) -> Place {
    let parts: Vec<(&str, &str)> = members.iter().filter_map(|(label, _)| label.split_once(between)).collect();
    let left = Values::of(parts.iter().map(|(left, _)| *left));
    let right = Values::of(parts.iter().map(|(_, right)| *right));
    values(members, |_| vec![Piece::Value(left), Piece::Text(between.to_owned()), Piece::Value(right)])
}

/// Codes of one form: a prefix that all have and a number, or a pattern.
fn codes(code: &str, members: Vec<(String, Node)>) -> Place {
    let first = members.first().map_or("", |(label, _)| label.as_str());
    let prefix = first.find(|c: char| c.is_ascii_digit()).map_or("", |at| &first[..at]).to_owned();
    let is_number = |label: &str| {
        label
            .strip_prefix(&prefix)
            .is_some_and(|rest| !rest.is_empty() && rest.bytes().all(|byte| byte.is_ascii_digit()))
    };
    if members.iter().all(|(label, _)| is_number(label)) {
        let numbers = Values::of(members.iter().map(|(label, _)| &label[prefix.len()..]));
        return values(members, |_| vec![Piece::Text(prefix), Piece::Value(numbers)]);
    }
    // How many digits stand in each place.
    let runs = |label: &str| -> Vec<usize> {
        label.split(|c: char| !c.is_ascii_digit()).map(str::len).filter(|length| *length > 0).collect()
    };
    let mut lengths: Vec<(usize, usize)> = Vec::new();
    for (label, _) in &members {
        for (at, length) in runs(label).into_iter().enumerate() {
            match lengths.get_mut(at) {
                Some((least, most)) => (*least, *most) = ((*least).min(length), (*most).max(length)),
                None => lengths.push((length, length)),
            }
        }
    }
    let mut pattern = String::from("^");
    let mut lengths = lengths.into_iter();
    for char in code.chars() {
        match char {
            'a' => pattern.push_str("[a-z]"),
            'A' => pattern.push_str("[A-Z]"),
            '0' => match lengths.next() {
                Some((least, most)) if least == most => pattern.push_str(&format!("[0-9]{{{least}}}")),
                Some((least, most)) => pattern.push_str(&format!("[0-9]{{{least},{most}}}")),
                None => pattern.push_str("[0-9]+"),
            },
            other if other.is_ascii_alphanumeric() || matches!(other, '-' | '_' | '~') => pattern.push(other),
            other => {
                pattern.push('\\');
                pattern.push(other);
            }
        }
    }
    pattern.push('$');
    values(members, |all| vec![Piece::Value(Values { pattern: Some(pattern), ..all })])
}

/// Names of files with one ending: values where there are many, else fixed segments.
fn files(members: Vec<(String, Node)>) -> Vec<Place> {
    let known: Vec<(&str, &Node)> = members.iter().map(|(label, node)| (label.as_str(), node)).collect();
    let fixed: Vec<String> = fixed(&known).into_iter().map(str::to_owned).collect();
    let (pages, others): (Vec<_>, Vec<_>) =
        members.into_iter().partition(|(label, _)| fixed.binary_search(label).is_ok());
    let mut places: Vec<Place> = pages.into_iter().map(|(label, node)| page(label, node)).collect();
    if let Some(ending) = others.first().and_then(|(label, _)| ending(label)).map(|(_, ending)| format!(".{ending}")) {
        let stems = Values::of(others.iter().filter_map(|(label, _)| label.strip_suffix(&ending)));
        places.push(values(others, |_| vec![Piece::Value(stems), Piece::Text(ending)]));
    }
    places
}

/// Puts a fixed segment together with the same one that has an ending.
fn endings(places: Vec<Place>) -> Vec<Place> {
    let mut stems: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for place in &places {
        if let Segment::Fixed(label) = &place.segment
            && let Some((stem, ending)) = ending(label)
            && place.below.is_empty()
        {
            stems.entry(stem.to_owned()).or_default().push(ending.to_owned());
        }
    }
    let is_bare = |stem: &str| places.iter().any(|place| place.segment == Segment::Fixed(stem.to_owned()));
    stems.retain(|stem, endings| is_bare(stem) && endings.len() > 1);
    let mut pages: BTreeMap<String, Vec<Page>> = BTreeMap::new();
    let mut kept = Vec::new();
    for place in places {
        let stem = match &place.segment {
            Segment::Fixed(label) => ending(label).map(|(stem, _)| stem).filter(|stem| stems.contains_key(*stem)),
            _ => None,
        };
        match stem.map(str::to_owned) {
            Some(stem) => pages.entry(stem).or_default().push(place.page),
            None => kept.push(place),
        }
    }
    for place in &mut kept {
        if let Segment::Fixed(label) = &place.segment
            && let Some(found) = stems.get(label)
        {
            let mut node = Node { page: std::mem::take(&mut place.page), ..Node::default() };
            for page in pages.remove(label).unwrap_or_default() {
                node.merge(Node { page, ..Node::default() });
            }
            place.page = node.page;
            place.segment = Segment::Endings(label.clone(), found.clone());
        }
    }
    kept
}
