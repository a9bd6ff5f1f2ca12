//! References within a document (JSON Pointer, RFC 6901).

use std::collections::HashMap;

use vivid_lane::declare::{Document, DocumentItem};

/// How many references may lead to one value.
const LONGEST_CHAIN: usize = 64;

/// How much is read of schemas, each as often as something refers to it: a key costs a hundred, a comparison of two values one.
const MOST_READ: usize = 50_000_000;

/// Follows references, and remembers where they lead.
pub(super) struct References<'d> {
    root: DocumentItem<'d>,
    /// How much more is read of schemas.
    budget: usize,
    known: HashMap<&'d str, Option<DocumentItem<'d>>>,
}

/// Why a reference leads nowhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Lost {
    /// To another document.
    Elsewhere(String),
    /// To nothing.
    Nowhere(String),
    /// Back to where it came from.
    Circle(Vec<String>),
}

impl Lost {
    pub(super) fn reason(&self) -> String {
        match self {
            Self::Elsewhere(to) => {
                format!("`$ref` leads to another document, `{}`, which is not read", to.escape_debug())
            }
            Self::Nowhere(to) => format!("`$ref` leads nowhere: there is no `{}`", to.escape_debug()),
            Self::Circle(way) => {
                let way: Vec<String> = way.iter().map(|to| format!("`{}`", to.escape_debug())).collect();
                format!("`$ref` leads in a circle: {}", way.join(" → "))
            }
        }
    }
}

impl<'d> References<'d> {
    pub(super) fn new(document: &'d Document) -> Self {
        Self { root: document.root(), budget: MOST_READ, known: HashMap::new() }
    }

    /// Whether schemas are still read. Those that refer to several others can be a great many in a small document.
    pub(super) fn is_spent(&self) -> bool {
        self.budget == 0
    }

    /// Takes what reading costs from what is left, and tells whether there was as much.
    pub(super) fn pay(&mut self, cost: usize) -> bool {
        let left = self.budget.checked_sub(cost);
        self.budget = left.unwrap_or_default();
        left.is_some()
    }

    /// The value that a value stands for: itself, unless it is a reference.
    pub(super) fn follow(&mut self, item: DocumentItem<'d>) -> Result<DocumentItem<'d>, Lost> {
        let mut way: Vec<&str> = Vec::new();
        let mut item = item;
        while let Some(to) = item.get("$ref").and_then(DocumentItem::as_text) {
            if way.contains(&to) || way.len() == LONGEST_CHAIN {
                way.push(to);
                return Err(Lost::Circle(way.into_iter().map(str::to_owned).collect()));
            }
            way.push(to);
            item = self.target(to)?;
        }
        Ok(item)
    }

    fn target(&mut self, to: &'d str) -> Result<DocumentItem<'d>, Lost> {
        let Some(pointer) = to.strip_prefix('#') else { return Err(Lost::Elsewhere(to.to_owned())) };
        let root = self.root;
        let found = self.known.entry(to).or_insert_with(|| point(root, pointer));
        found.ok_or_else(|| Lost::Nowhere(to.to_owned()))
    }
}

fn point<'d>(root: DocumentItem<'d>, pointer: &str) -> Option<DocumentItem<'d>> {
    let mut item = root;
    for part in pointer.split('/').skip(1) {
        let part = decoded(part).replace("~1", "/").replace("~0", "~");
        item = match item.get(&part) {
            Some(inner) => inner,
            None => item.items().nth(part.parse().ok()?)?,
        };
    }
    (pointer.is_empty() || pointer.starts_with('/')).then_some(item)
}

/// The text of a part of a fragment (RFC 6901, section 6).
fn decoded(text: &str) -> String {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text.as_bytes();
    while let Some((&byte, after)) = rest.split_first() {
        let value = (byte == b'%').then(|| after.get(..2)).flatten().and_then(|digits| {
            let digit = |byte: u8| char::from(byte).to_digit(16);
            u8::try_from(digit(digits[0])? * 16 + digit(digits[1])?).ok()
        });
        bytes.push(value.unwrap_or(byte));
        rest = if value.is_some() { &after[2..] } else { after };
    }
    String::from_utf8(bytes).unwrap_or_else(|_| text.to_owned())
}
