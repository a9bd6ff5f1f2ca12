//! What has no counterpart.

use std::fmt;

use vivid_lane::declare::Place;

/// A note about something that could not be converted as it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Note {
    code: &'static str,
    subject: String,
    message: String,
    place: Option<Place>,
}

impl Note {
    /// The kind of the note, a short, stable word: `left-out`, `renamed` or `changed`.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.code
    }

    /// What the note is about: a word of the source format, such as `requestBody`. Notes with the same code and subject
    /// can be shown as one.
    #[must_use]
    pub fn subject(&self) -> &str {
        &self.subject
    }

    /// What happened to it, and why.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }

    /// Its place in the source.
    #[must_use]
    pub fn place(&self) -> Option<&Place> {
        self.place.as_ref()
    }
}

impl fmt::Display for Note {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(place) = &self.place {
            write!(f, "{place}: ")?;
        }
        f.write_str(&self.message)
    }
}

/// How many notes are kept, so that the notes on a document take bounded space, however strange it is.
const MOST_NOTES: usize = 100_000;

/// The notes of one conversion.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Notes {
    all: Vec<Note>,
    more: usize,
}

impl Notes {
    /// All notes, in the order in which they came up.
    #[must_use]
    pub fn all(&self) -> &[Note] {
        &self.all
    }

    /// How many more notes there were than were kept.
    #[must_use]
    pub fn more(&self) -> usize {
        self.more
    }

    /// Adds a note that something was left out.
    pub fn leave_out(&mut self, subject: &str, message: impl Into<String>) {
        self.left_out(subject, None, message);
    }

    pub(crate) fn left_out(&mut self, subject: &str, place: Option<Place>, message: impl Into<String>) {
        self.add("left-out", subject, place, message.into());
    }

    pub(crate) fn renamed(&mut self, subject: &str, place: Option<Place>, message: impl Into<String>) {
        self.add("renamed", subject, place, message.into());
    }

    pub(crate) fn changed(&mut self, subject: &str, place: Option<Place>, message: impl Into<String>) {
        self.add("changed", subject, place, message.into());
    }

    fn add(&mut self, code: &'static str, subject: &str, place: Option<Place>, message: String) {
        if self.all.len() == MOST_NOTES {
            self.more += 1;
        } else {
            self.all.push(Note { code, subject: subject.to_owned(), message, place });
        }
    }
}
