//! How a variant of a path grows, piece by piece.

use smol_str::format_smolstr;

use crate::declare::Code;
use crate::lookup::{MOST_SEGMENTS, PathVariant, Piece, Segment, TailKind};
use crate::template::bytes::first_of;
use crate::template::percent::decode;

/// What is wrong with what a path is to go on with.
pub(super) type Pushed = std::result::Result<(), (Code, String)>;

impl PathVariant {
    /// Goes on with literal text, which may hold slashes.
    pub(super) fn push_text(&mut self, text: &str) -> Pushed {
        let mut at = 0;
        loop {
            let end = first_of(text.as_bytes(), at, [b'/', b'/']);
            let chunk = &text[at..end];
            if !chunk.is_empty() {
                let decoded =
                    decode(chunk).map_err(|_| (Code::Escape, format!("`{chunk}` does not decode to text")))?;
                self.push_piece(Piece::Text(decoded.into()))?;
            }
            if end == text.len() {
                return Ok(());
            }
            self.new_segment()?;
            at = end + 1;
        }
    }

    pub(super) fn new_segment(&mut self) -> Pushed {
        self.not_after_tail()?;
        if self.segments.last().is_some_and(Segment::is_empty) {
            return Err((Code::DoubleSlash, "a path may not hold `//`".to_owned()));
        }
        if self.segments.len() == MOST_SEGMENTS {
            return Err((
                Code::TooManySegments,
                format!("a path may have {MOST_SEGMENTS} segments, this one has more"),
            ));
        }
        self.segments.push(Segment::new());
        Ok(())
    }

    pub(super) fn push_piece(&mut self, piece: Piece<u16>) -> Pushed {
        self.not_after_tail()?;
        let level_ends_here =
            self.covers.last().map(|cover| (usize::from(cover.segments), cover.pieces.map(usize::from)));
        let at = self.segments.len();
        let Some(segment) = self.segments.last_mut() else {
            return Err((Code::PathStart, "expected `/` first".to_owned()));
        };
        match (segment.last_mut(), piece) {
            (Some(Piece::Text(before)), Piece::Text(text)) if level_ends_here.is_none_or(|end| end.0 != at) => {
                *before = format_smolstr!("{before}{text}");
            }
            (_, piece) => segment.push(piece),
        }
        Ok(())
    }

    pub(super) fn push_tail(&mut self, param: u16, kind: TailKind) -> Pushed {
        self.not_after_tail()?;
        match (kind, self.segments.last()) {
            (TailKind::Rest, Some(segment)) if segment.is_empty() => {
                self.segments.pop();
            }
            (TailKind::Rest, _) => {
                return Err((Code::Tail, "a tail takes whole segments; write `/` before `{+…}`".to_owned()));
            }
            (TailKind::Items, Some(segment)) if segment.is_empty() => {
                return Err((Code::DoubleSlash, "`{/…}` brings its own slash; leave out the one before it".to_owned()));
            }
            (TailKind::Items, _) => {}
        }
        self.tail = Some((param, kind));
        Ok(())
    }

    fn not_after_tail(&self) -> Pushed {
        match self.tail {
            None => Ok(()),
            Some(_) => Err((Code::Tail, "a tail takes all that follows, so nothing can stand after it".to_owned())),
        }
    }

    pub(super) fn ends_with(&self, param: u16) -> bool {
        self.tail.is_none() && self.segments.last().and_then(|segment| segment.last()) == Some(&Piece::Value(param))
    }
}
