//! Patterns as regular expressions of the browser, where it is certain that they are linear there: such engines go back and forth.

use regex_syntax::ParserBuilder;
use regex_syntax::hir::{Class, ClassBytesRange, Hir, HirKind, Look};

/// How many repetitions of a pattern may end in more than one place.
const MOST_OPEN: usize = 1;
/// How often the parts of a pattern that may be left out, or are one of several, can be chosen.
const MOST_CHOICES: usize = 64;
/// From how many characters on a repetition counts as one without an end.
const LONG: u32 = 64;

/// The expression of a pattern that is anchored at both ends, of ASCII, and linear; `None` for any other.
pub(super) fn linear(pattern: &str) -> Option<String> {
    let hir = ParserBuilder::new().unicode(false).utf8(false).build().parse(pattern).ok()?;
    let HirKind::Concat(parts) = hir.kind() else { return None };
    let [first, inner @ .., last] = parts.as_slice() else { return None };
    let is = |hir: &Hir, look| matches!(hir.kind(), HirKind::Look(found) if *found == look);
    if !is(first, Look::Start) || !is(last, Look::End) {
        return None;
    }
    let mut writer = Writer { open: 0, choices: 1 };
    let mut text = String::from("^");
    writer.parts(&mut text, inner, true)?;
    (writer.open <= MOST_OPEN && writer.choices <= MOST_CHOICES).then_some(text + "$")
}

struct Writer {
    /// The repetitions without an end that can end in more than one place.
    open: usize,
    choices: usize,
}

impl Writer {
    /// Parts in a row; where they are the last of all, what follows them is the end.
    fn parts(&mut self, out: &mut String, parts: &[Hir], are_last: bool) -> Option<()> {
        for (at, part) in parts.iter().enumerate() {
            let next = parts.get(at + 1);
            if let HirKind::Repetition(repetition) = part.kind() {
                let is_long = repetition.max.is_none_or(|max| max > LONG);
                let ends_at_next = match next {
                    None => are_last,
                    Some(next) => disjoint(&repetition.sub, next),
                };
                self.open += usize::from(is_long && !ends_at_next);
            }
            self.part(out, part, are_last && next.is_none())?;
        }
        Some(())
    }

    fn part(&mut self, out: &mut String, part: &Hir, is_last: bool) -> Option<()> {
        match part.kind() {
            HirKind::Literal(literal) => literal.0.iter().try_for_each(|byte| push(out, *byte, false)),
            HirKind::Class(Class::Bytes(class)) => {
                out.push('[');
                for range in class.ranges() {
                    write_range(out, range)?;
                }
                out.push(']');
                Some(())
            }
            HirKind::Repetition(repetition) => {
                let is_single = matches!(repetition.sub.kind(), HirKind::Class(_))
                    || matches!(repetition.sub.kind(), HirKind::Literal(literal) if literal.0.len() == 1);
                if is_single {
                    self.part(out, &repetition.sub, false)?;
                } else {
                    // A group is left out or not: more would be a repetition within a repetition.
                    if (repetition.min, repetition.max) != (0, Some(1)) {
                        return None;
                    }
                    self.choices *= 2;
                    self.group(out, &repetition.sub, is_last)?;
                }
                match (repetition.min, repetition.max) {
                    (0, Some(1)) => out.push('?'),
                    (0, None) => out.push('*'),
                    (1, None) => out.push('+'),
                    (min, None) => out.push_str(&format!("{{{min},}}")),
                    (min, Some(max)) if min == max => out.push_str(&format!("{{{min}}}")),
                    (min, Some(max)) => out.push_str(&format!("{{{min},{max}}}")),
                }
                Some(())
            }
            HirKind::Capture(capture) => self.group(out, &capture.sub, is_last),
            HirKind::Concat(parts) => self.parts(out, parts, is_last),
            HirKind::Alternation(_) => self.group(out, part, is_last),
            HirKind::Empty => Some(()),
            HirKind::Class(Class::Unicode(_)) | HirKind::Look(_) => None,
        }
    }

    fn group(&mut self, out: &mut String, inner: &Hir, is_last: bool) -> Option<()> {
        if let HirKind::Capture(capture) = inner.kind() {
            return self.group(out, &capture.sub, is_last);
        }
        out.push_str("(?:");
        if let HirKind::Alternation(ways) = inner.kind() {
            self.choices = self.choices.saturating_mul(ways.len());
            for (at, way) in ways.iter().enumerate() {
                if at > 0 {
                    out.push('|');
                }
                self.parts(out, std::slice::from_ref(way), is_last)?;
            }
        } else {
            self.parts(out, std::slice::from_ref(inner), is_last)?;
        }
        out.push(')');
        Some(())
    }
}

/// Writes a byte that may be in a value.
fn push(out: &mut String, byte: u8, in_class: bool) -> Option<()> {
    if !byte.is_ascii() || byte.is_ascii_control() {
        return None;
    }
    let special = if in_class { r"\]^-[" } else { r"\^$.*+?()[]{}|/" };
    if special.as_bytes().contains(&byte) {
        out.push('\\');
    }
    out.push(char::from(byte));
    Some(())
}

fn write_range(out: &mut String, range: &ClassBytesRange) -> Option<()> {
    let (start, end) = (range.start(), range.end());
    push(out, start, true)?;
    if end > start {
        if end > start + 1 {
            out.push('-');
        }
        push(out, end, true)?;
    }
    Some(())
}

/// Does what follows a repetition begin with a character that the repetition cannot have?
fn disjoint(repeated: &Hir, next: &Hir) -> bool {
    let bytes = |hir: &Hir| -> Option<Vec<(u8, u8)>> {
        match hir.kind() {
            HirKind::Class(Class::Bytes(class)) => {
                Some(class.ranges().iter().map(|range| (range.start(), range.end())).collect())
            }
            HirKind::Literal(literal) => literal.0.first().map(|&byte| vec![(byte, byte)]),
            _ => None,
        }
    };
    let first = match next.kind() {
        HirKind::Repetition(repetition) if repetition.min > 0 => &repetition.sub,
        HirKind::Look(Look::End) => return true,
        _ => next,
    };
    match (bytes(repeated), bytes(first)) {
        (Some(own), Some(others)) => {
            own.iter().all(|(from, to)| others.iter().all(|(start, end)| to < start || end < from))
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::linear;

    #[test]
    fn only_what_is_linear_is_an_expression() {
        let cases = [
            ("^[a-z]-[0-9]{3,5}$", Some("^[a-z]-[0-9]{3,5}$")),
            ("^(0[1-9]|1[0-2])$", Some("^(?:0[1-9]|1[0-2])$")),
            (r"^\d+\.\d+$", Some(r"^[0-9]+\.[0-9]+$")),
            ("^[a-z]+(-[0-9]+)?$", Some("^[a-z]+(?:-[0-9]+)?$")),
            ("^[a-z]+x?$", Some("^[a-z]+x?$")),
            // Not anchored, not ASCII, or not certain to be linear.
            ("[a-z]+", None),
            ("^.+$", None),
            ("^[^/]+$", None),
            ("^é$", None),
            ("^([a-z]+)+$", None),
            ("^([a-z]*[0-9]*)*$", None),
            ("^[a-z]*[a-z]*[a-z]*x$", None),
            (r"^\p{Greek}+$", None),
        ];
        for (pattern, expected) in cases {
            assert_eq!(linear(pattern).as_deref(), expected, "{pattern}");
        }
    }
}
