//! Text → template (RFC 6570, section 2).

use smallvec::SmallVec;

use super::TemplateError;
use super::bytes::first_of;
use super::parts::{LONGEST, Operator, Piece, PieceKind, Template};
use super::percent::{kinds, triplet};

/// Most templates have few.
type Pieces = SmallVec<[Piece; 8]>;

impl Template {
    /// Parses a template.
    ///
    /// # Errors
    /// A brace without its partner, empty braces, a character that RFC 6570 does not allow where it stands,
    /// the prefix modifier, an operator that the RFC reserves, or more than a million bytes. The error says at which byte.
    pub fn parse(text: &str) -> Result<Self, TemplateError> {
        if text.len() > LONGEST {
            return Err(TemplateError::long(text, LONGEST));
        }
        let mut pieces = Pieces::new();
        let mut at = 0;
        while at < text.len() {
            at = if text.as_bytes()[at] == b'{' {
                expression(text, at, &mut pieces)?
            } else {
                literal(text, at, &mut pieces)?
            };
        }
        Ok(Self::new(text, &pieces))
    }
}

/// Literal text from `start` up to the next opening brace (section 2.1).
fn literal(text: &str, start: usize, pieces: &mut Pieces) -> Result<usize, TemplateError> {
    let end = first_of(text.as_bytes(), start, [b'{', b'{']);
    pieces.push(Piece::new(start, end, PieceKind::Literal));
    if kinds(&text.as_bytes()[start..end]).is_plain() {
        return Ok(end);
    }
    for (offset, found) in text[start..end].char_indices() {
        let at = start + offset;
        match found {
            '}' => return Err(TemplateError::unopened(text, at)),
            '%' if triplet(&text.as_bytes()[at + 1..end]).is_none() => return Err(TemplateError::escape(text, at)),
            ' ' | '"' | '<' | '>' | '\\' | '^' | '`' | '|' => return Err(TemplateError::literal(text, at, found)),
            _ if found.is_control() => return Err(TemplateError::literal(text, at, found)),
            _ => {}
        }
    }
    Ok(end)
}

/// The expression whose brace opens at `start` (section 2.2).
fn expression(text: &str, start: usize, pieces: &mut Pieces) -> Result<usize, TemplateError> {
    let end = first_of(text.as_bytes(), start + 1, [b'}', b'{']);
    if text.as_bytes().get(end) != Some(&b'}') {
        return Err(TemplateError::unclosed(text, start));
    }
    let mut at = start + 1;
    let Some(first) = text[at..end].chars().next() else { return Err(TemplateError::empty(text, start)) };
    let operator = match Operator::from_symbol(first) {
        Some(operator) => {
            at += 1;
            operator
        }
        None if matches!(first, '=' | ',' | '!' | '@' | '|') => return Err(TemplateError::reserved(text, at, first)),
        None => Operator::Simple,
    };
    let mut is_first = true;
    loop {
        let stop = first_of(text.as_bytes(), at, [b',', b'}']);
        let name_end = variable(text, at, stop)?;
        let kind = PieceKind::Variable { operator, explode: name_end < stop, is_first };
        pieces.push(Piece::new(at, name_end, kind));
        is_first = false;
        if stop == end {
            break;
        }
        at = stop + 1;
    }
    Ok(end + 1)
}

/// Where the name of the variable between `start` and `end` ends (sections 2.3 and 2.4); behind it there may be a star.
fn variable(text: &str, start: usize, end: usize) -> Result<usize, TemplateError> {
    let mut stop = end;
    let mut after_dot = true;
    let mut characters = text[start..end].char_indices();
    while let Some((offset, found)) = characters.next() {
        let at = start + offset;
        match found {
            '*' | ':' if after_dot => return Err(TemplateError::name(text, at, Some(found))),
            '*' if at + 1 == end => stop = at,
            ':' if text[at + 1..end].bytes().all(|byte| byte.is_ascii_digit()) => {
                return Err(TemplateError::prefix(text, at, &text[start..at]));
            }
            '.' if !after_dot => after_dot = true,
            '%' if triplet(&text.as_bytes()[at + 1..end]).is_some() => {
                characters.next();
                characters.next();
                after_dot = false;
            }
            '_' => after_dot = false,
            _ if found.is_ascii_alphanumeric() => after_dot = false,
            _ => return Err(TemplateError::name(text, at, Some(found))),
        }
    }
    if after_dot {
        return Err(TemplateError::name(text, stop.min(text.len() - 1), None));
    }
    Ok(stop)
}
