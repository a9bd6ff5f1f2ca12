//! A path → the sequence of segments that it accepts.

use crate::matcher::Param;
use crate::template::percent::decode;
use crate::template::{Part, Template};

/// The segments of a path.
#[derive(Debug, Default)]
pub(super) struct Shape {
    pub(super) segments: Vec<Segment>,
    /// For each level of the chain, how many segments there are up to its end.
    pub(super) covers: Vec<u16>,
}

/// One segment of a path.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Segment {
    /// Decoded text.
    Literal(String),
    /// The value of the parameter of that index.
    Value(u16),
}

/// The shape of a chain of templates, or why there is none.
pub(super) fn shape(templates: &[Template], params: &[Param]) -> Result<Shape, String> {
    let mut shape = Shape::default();
    for template in templates {
        let mut rest = template.parts().iter();
        while let Some(part) = rest.next() {
            match part {
                Part::Literal(text) => literal(text, rest.len() > 0, &mut shape)?,
                Part::Expression(expression) => {
                    for variable in expression.variables() {
                        let index = params.iter().position(|param| *param.name == *variable.name());
                        let index = index.and_then(|index| u16::try_from(index).ok()).ok_or("too many parameters")?;
                        shape.segments.push(Segment::Value(index));
                    }
                }
            }
        }
        shape.covers.push(u16::try_from(shape.segments.len()).map_err(|_| "too many segments")?);
    }
    Ok(shape)
}

fn literal(text: &str, goes_on: bool, shape: &mut Shape) -> Result<(), String> {
    let Some(text) = text.strip_prefix('/') else {
        return Err(format!("expected a whole segment after the parameter, found `{text}`"));
    };
    let mut segments = text.split('/').peekable();
    while let Some(segment) = segments.next() {
        let is_last = segments.peek().is_none();
        if is_last && goes_on {
            return match segment {
                "" => Ok(()),
                _ => Err(format!("expected `/` before the parameter, found `{segment}`")),
            };
        }
        let literal = decode(segment).map_err(|_| format!("`{segment}` does not decode to text"))?;
        match &*literal {
            "" if is_last => return Err("a path may not end with `/`; leave it out".to_owned()),
            "" => return Err("a path may not hold `//`".to_owned()),
            "." | ".." => return Err(format!("`{segment}` is removed from a URL before it is matched")),
            _ => shape.segments.push(Segment::Literal(literal.into_owned())),
        }
    }
    Ok(())
}
