//! Parameters of an operation.

use vivid_lane::declare::{DocumentItem, Place as At};

use super::reference::References;
use super::schema::Schemas;
use super::trial::{Keywords, Trials};
use crate::note::Notes;

/// Where a parameter stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Place {
    Path,
    /// In the path, with a dot before it.
    Label,
    /// In the path, with a semicolon and its name before it.
    Matrix,
    Query,
    /// All of the query that no other parameter takes.
    Pairs,
}

/// A parameter with its rule.
#[derive(Debug, Clone)]
pub(super) struct Read {
    pub(super) name: String,
    pub(super) place: Place,
    pub(super) is_required: bool,
    /// Whether each item stands for itself.
    pub(super) is_exploded: bool,
    pub(super) keywords: Keywords,
    pub(super) at: At,
}

/// Reads parameters.
pub(super) struct Parameters<'r, 'd, 'n> {
    pub(super) references: &'r mut References<'d>,
    pub(super) trials: &'r mut Trials,
    pub(super) notes: &'n mut Notes,
}

impl<'d> Parameters<'_, 'd, '_> {
    /// The parameters of an operation: its own, and those of its path that it does not declare again.
    pub(super) fn read(
        &mut self,
        own: Option<DocumentItem<'d>>,
        shared: Option<DocumentItem<'d>>,
        of: &str,
    ) -> Vec<Read> {
        let mut seen: Vec<(&str, &str)> = Vec::new();
        let mut all = Vec::new();
        for (list, is_own) in [(own, true), (shared, false)] {
            for item in list.into_iter().flat_map(DocumentItem::items) {
                let at = item.place();
                let item = match self.references.follow(item) {
                    Ok(item) => item,
                    Err(lost) => {
                        self.notes.left_out("parameter", Some(at), format!("{of}: a parameter: {}", lost.reason()));
                        continue;
                    }
                };
                let text = |key| item.get(key).and_then(DocumentItem::as_text);
                let (Some(name), Some(place)) = (text("name"), text("in")) else {
                    let message = format!("{of}: expected `name` and `in` of a parameter; the parameter is left out");
                    self.notes.left_out("parameter", Some(at), message);
                    continue;
                };
                if seen.contains(&(name, place)) {
                    if is_own {
                        let message = format!("{of}: `{}` is declared twice", name.escape_debug());
                        self.notes.left_out("parameter", Some(at), message);
                    }
                    continue;
                }
                seen.push((name, place));
                all.extend(self.parameter(item, name, place, at, of));
            }
        }
        all
    }

    fn parameter(&mut self, item: DocumentItem<'d>, name: &str, place: &str, at: At, of: &str) -> Option<Read> {
        let of = format!("{of}: `{}`", name.escape_debug());
        let schema = item.get("schema").or_else(|| {
            let (_, content) = item.get("content")?.entries().next()?;
            content.get("schema")
        });
        let style = item.get("style").and_then(DocumentItem::as_text);
        let explode = item.get("explode").and_then(DocumentItem::as_bool);
        let mut schemas = Schemas { references: self.references, notes: self.notes, of: of.clone() };
        let kind = schema.and_then(|schema| schemas.kind(schema));
        let is_many = matches!(kind, Some("object" | "array"));
        // A form writes each item for itself where nothing else is said, a path does not.
        let is_form = place == "query" && style.is_none_or(|it| it == "form");
        let is_exploded = is_many && explode.unwrap_or(is_form);
        let is_pairs = is_form && kind == Some("object") && is_exploded;
        let place = match (place, style) {
            ("path", None | Some("simple")) => Place::Path,
            ("path", Some("label")) => Place::Label,
            ("path", Some("matrix")) => Place::Matrix,
            ("query", None | Some("form")) if is_pairs => Place::Pairs,
            ("query", Some(style)) if is_many && !is_form => {
                let message = format!(
                    "{of}: {} in the style `{}` is none of the table's; URLs may have it all the same",
                    if kind == Some("array") { "a list" } else { "an object" },
                    style.escape_debug()
                );
                self.notes.left_out("parameter", Some(at), message);
                return None;
            }
            ("query", _) => Place::Query,
            (other, _) => {
                let subject = if matches!(other, "header" | "cookie") { other } else { "parameter" };
                let message = format!("{of}: a parameter in `{}` has no part in a URL", other.escape_debug());
                self.notes.left_out(subject, Some(at), message);
                return None;
            }
        };
        let is_required = item.get("required").and_then(DocumentItem::as_bool) == Some(true);
        let mut keywords = match schema {
            Some(schema) => schemas.keywords(schema),
            None => Keywords::new(),
        };
        for (key, value) in item.entries() {
            match key.name() {
                "name" | "in" | "required" | "schema" | "style" | "explode" | "content" => {}
                other => {
                    let message = format!("{of}: `{other}` of a parameter has no counterpart in a table");
                    self.notes.left_out(other, Some(value.place()), message);
                }
            }
        }
        let notes = &mut *self.notes;
        if (is_required || !matches!(place, Place::Query)) && keywords.iter().any(|(name, _)| name == "default") {
            keywords.retain(|(name, _)| name != "default");
            notes.left_out("default", Some(at.clone()), format!("{of}: a value that is always there needs no default"));
        }
        self.trials.mend(&mut keywords, |keyword, reason| {
            notes.left_out(keyword, Some(at.clone()), format!("{of}: `{keyword}` is left out: {reason}"));
        });
        Some(Read { name: name.to_owned(), place, is_required, is_exploded, keywords, at })
    }
}
