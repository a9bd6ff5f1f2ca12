//! Texts that tables are read from, and places in them.

use super::Place;

/// The text of a table file, with the name under which errors speak of it.
///
/// # Example
/// ```
/// use vivid_lane::{Source, Table};
///
/// let error = Table::from_source(Source::toml("[routes.home]\npth = '/'").named("routes.toml")).unwrap_err();
/// assert!(error.to_string().contains("routes.toml:2:1: unknown key `pth`"));
/// ```
#[derive(Debug, Clone)]
pub struct Source {
    name: Option<String>,
    text: String,
}

impl Source {
    /// A text in TOML.
    pub fn toml(text: impl Into<String>) -> Self {
        Self { name: None, text: text.into() }
    }

    /// Gives the text the name of its file.
    #[must_use]
    pub fn named(mut self, name: impl Into<String>) -> Self {
        self.name = Some(name.into());
        self
    }

    pub(super) fn text(&self) -> &str {
        &self.text
    }
}

/// A stretch of bytes in one of the sources of a table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct Span {
    source: u32,
    start: u32,
    end: u32,
}

impl Span {
    /// The part of this span that starts `offset` bytes into it and is `width` bytes wide.
    pub(crate) fn within(self, offset: usize, width: usize) -> Self {
        let clamp = |bytes: usize| {
            u32::try_from(bytes).map_or(self.end, |bytes| self.start.saturating_add(bytes)).min(self.end)
        };
        Self { source: self.source, start: clamp(offset), end: clamp(offset + width) }
    }

    pub(crate) fn width(self) -> usize {
        (self.end - self.start) as usize
    }
}

/// All texts that a table was read from.
#[derive(Debug, Clone, Default)]
pub(crate) struct Sources {
    texts: Vec<(Source, Vec<usize>)>,
}

impl Sources {
    /// Adds a text and gives the maker of its spans.
    pub(crate) fn add(&mut self, source: Source) -> impl Fn(std::ops::Range<usize>) -> Span + use<> {
        let lines = std::iter::once(0).chain(source.text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        let id = u32::try_from(self.texts.len()).unwrap_or(u32::MAX);
        self.texts.push((source, lines));
        // Sources are far below 4 GiB (the reader refuses longer ones), so the places fit.
        let narrow = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        move |range| Span { source: id, start: narrow(range.start), end: narrow(range.end.max(range.start)) }
    }

    /// Line and column for people.
    pub(crate) fn place(&self, span: Span) -> Option<Place> {
        let (source, lines) = self.texts.get(span.source as usize)?;
        let start = (span.start as usize).min(source.text.len());
        let line = lines.partition_point(|&begin| begin <= start);
        let begin = lines[line.checked_sub(1)?];
        let column = source.text.get(begin..start).map_or(1, |before| before.chars().count() + 1);
        Some(Place::new(source.name.clone(), line, column, start..(span.end as usize).clamp(start, source.text.len())))
    }
}
