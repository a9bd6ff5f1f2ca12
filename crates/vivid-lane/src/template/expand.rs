//! Template and values → text (RFC 6570, section 3).

use super::percent::{encode_reserved, encode_unreserved};
use super::{Expression, Operator, Part, Template, Value, Values};

impl Template {
    /// Expands the template. A variable without a value expands to nothing.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::template::{Template, Values};
    ///
    /// let archive = Template::parse("/archive{/year,month}")?;
    /// assert_eq!(archive.expand(&Values::new()), "/archive");
    /// assert_eq!(archive.expand(&Values::new().set("year", 2031)), "/archive/2031");
    /// # Ok::<(), vivid_lane::template::TemplateError>(())
    /// ```
    #[must_use]
    pub fn expand(&self, values: &Values) -> String {
        let mut out = String::with_capacity(self.as_str().len() + 16);
        for part in self.parts() {
            match part {
                Part::Literal(text) => encode_reserved(&mut out, text),
                Part::Expression(expression) => expression.expand_into(&mut out, values),
            }
        }
        out
    }

    /// Expands the template with texts only.
    pub(crate) fn expand_texts<'v>(&self, text: impl Fn(&str) -> Option<&'v str>) -> String {
        let mut out = String::with_capacity(self.as_str().len() + 16);
        for part in self.parts() {
            match part {
                Part::Literal(literal) => encode_reserved(&mut out, literal),
                Part::Expression(expression) => {
                    let row = expression.operator().row();
                    let mut lead = row.first;
                    for variable in expression.variables() {
                        let Some(value) = text(variable.name()) else { continue };
                        out.push_str(lead);
                        lead = row.separator;
                        row.text(&mut out, variable.name(), value);
                    }
                }
            }
        }
        out
    }
}

/// The row of an operator in the table of RFC 6570, appendix A.
struct Row {
    first: &'static str,
    separator: &'static str,
    /// Whether names are written before values, and what follows a name whose value is empty.
    named: Option<&'static str>,
    encode: fn(&mut String, &str),
}

impl Operator {
    fn row(self) -> Row {
        let first = match self {
            Self::Simple | Self::Reserved => "",
            other => other.symbol(),
        };
        let (separator, named) = match self {
            Self::Simple | Self::Reserved | Self::Fragment => (",", None),
            Self::Label => (".", None),
            Self::Segment => ("/", None),
            Self::PathStyle => (";", Some("")),
            Self::Query | Self::Continuation => ("&", Some("=")),
        };
        let encode = match self {
            Self::Reserved | Self::Fragment => encode_reserved,
            _ => encode_unreserved,
        };
        Row { first, separator, named, encode }
    }
}

impl Expression<'_> {
    /// Appends the expansion (RFC 6570, section 3.2.1 and appendix A).
    pub(crate) fn expand_into(&self, out: &mut String, values: &Values) {
        let row = self.operator().row();
        let mut lead = row.first;
        for variable in self.variables() {
            let Some(value) = values.get(variable.name()) else { continue };
            out.push_str(lead);
            lead = row.separator;
            if variable.is_exploded() {
                row.exploded(out, variable.name(), value);
            } else {
                row.joined(out, variable.name(), value);
            }
        }
    }
}

impl Row {
    /// The name of a named value, with `=` where something follows it.
    fn name(&self, out: &mut String, name: &str, is_empty: bool) {
        if let Some(if_empty) = self.named {
            encode_reserved(out, name);
            out.push_str(if is_empty { if_empty } else { "=" });
        }
    }

    fn text(&self, out: &mut String, name: &str, text: &str) {
        self.name(out, name, text.is_empty());
        (self.encode)(out, text);
    }

    /// A value without the star: the items of a list are joined by commas.
    fn joined(&self, out: &mut String, name: &str, value: &Value) {
        match value {
            Value::Text(text) => self.text(out, name, text),
            Value::List(items) => {
                self.name(out, name, false);
                separated(out, ",", items, |out, item| (self.encode)(out, item));
            }
            Value::Pairs(pairs) => {
                self.name(out, name, false);
                separated(out, ",", pairs, |out, (key, text)| {
                    (self.encode)(out, key);
                    out.push(',');
                    (self.encode)(out, text);
                });
            }
        }
    }

    /// A value with the star: every item stands for itself.
    fn exploded(&self, out: &mut String, name: &str, value: &Value) {
        match value {
            Value::Text(_) => self.joined(out, name, value),
            Value::List(items) => separated(out, self.separator, items, |out, item| {
                self.name(out, name, item.is_empty());
                (self.encode)(out, item);
            }),
            Value::Pairs(pairs) => separated(out, self.separator, pairs, |out, (key, text)| {
                (self.encode)(out, key);
                out.push_str(if text.is_empty() { self.named.unwrap_or("=") } else { "=" });
                (self.encode)(out, text);
            }),
        }
    }
}

fn separated<T>(out: &mut String, separator: &str, items: &[T], mut write: impl FnMut(&mut String, &T)) {
    for (at, item) in items.iter().enumerate() {
        if at > 0 {
            out.push_str(separator);
        }
        write(out, item);
    }
}
