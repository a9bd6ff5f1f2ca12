//! What a sitemap says of a page beside its URL.

use vivid_lane::declare::Data;

/// `lastmod`, `changefreq` and `priority` of a page (Sitemap protocol, "XML tag definitions").
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Hints {
    pub(super) last_changed: Option<String>,
    pub(super) frequency: Option<String>,
    pub(super) priority: Option<f64>,
}

const FREQUENCIES: &[&str] = &["always", "hourly", "daily", "weekly", "monthly", "yearly", "never"];

impl Hints {
    /// Reads hints from data. Errors are returned by name and reason.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::declare::Data;
    /// use vivid_lane_exchange::sitemap::Hints;
    ///
    /// let data = Data::Table(vec![("lastmod".to_owned(), "yesterday".into()), ("priority".to_owned(), 0.5.into())]);
    /// let (_, wrong) = Hints::read(&data);
    /// assert_eq!(wrong, ["`lastmod`: expected a day such as `2031-04-02` or a moment, found `yesterday`"]);
    /// ```
    #[must_use]
    pub fn read(data: &Data) -> (Self, Vec<String>) {
        let mut wrong = Vec::new();
        let last_changed = data.get("lastmod").and_then(|value| {
            let text = value.as_text().unwrap_or_default();
            if !is_moment(text) {
                let found = text.escape_debug();
                wrong.push(format!("`lastmod`: expected a day such as `2031-04-02` or a moment, found `{found}`"));
                return None;
            }
            Some(text.to_owned())
        });
        let frequency = data.get("changefreq").and_then(|value| {
            let text = value.as_text().unwrap_or_default();
            if !FREQUENCIES.contains(&text) {
                let found = text.escape_debug();
                wrong.push(format!("`changefreq`: expected one of {}, found `{found}`", FREQUENCIES.join(", ")));
                return None;
            }
            Some(text.to_owned())
        });
        let priority = data.get("priority").and_then(|value| {
            let number = match value {
                Data::Integer(number) => *number as f64,
                Data::Float(number) => *number,
                _ => f64::NAN,
            };
            if !(0.0..=1.0).contains(&number) {
                wrong.push("`priority`: expected a number from 0.0 to 1.0".to_owned());
                return None;
            }
            Some(number)
        });
        (Self { last_changed, frequency, priority }, wrong)
    }

    /// These hints, with those of another where there are none.
    pub(super) fn or(&self, other: &Self) -> Self {
        Self {
            last_changed: self.last_changed.clone().or_else(|| other.last_changed.clone()),
            frequency: self.frequency.clone().or_else(|| other.frequency.clone()),
            priority: self.priority.or(other.priority),
        }
    }
}

/// Whether it is a date or a moment as W3C's note on date and time formats has them: a year, a month, a day, or a day with a time.
fn is_moment(text: &str) -> bool {
    let fits = |text: &str, form: &str| {
        text.len() == form.len()
            && text.bytes().zip(form.bytes()).all(
                |(byte, wanted)| {
                    if wanted == b'9' { byte.is_ascii_digit() } else { byte == wanted }
                },
            )
    };
    let within =
        |text: &str, least: u8, most: u8| text.parse().is_ok_and(|number: u8| (least..=most).contains(&number));
    let is_day = |text: &str| {
        ["9999", "9999-99", "9999-99-99"].iter().any(|form| fits(text, form))
            && text.get(5..7).is_none_or(|month| within(month, 1, 12))
            && text.get(8..10).is_none_or(|day| within(day, 1, 31))
    };
    let Some((day, time)) = text.split_once('T') else { return is_day(text) };
    let zone = time.find(['Z', '+', '-']).unwrap_or(time.len());
    let (clock, zone) = time.split_at(zone);
    let (clock, fraction) = clock.split_once('.').unwrap_or((clock, "0"));
    let is_time = |text: &str| within(&text[..2], 0, 23) && within(&text[3..5], 0, 59);
    day.len() == 10
        && is_day(day)
        && (fits(clock, "99:99") || fits(clock, "99:99:99"))
        && is_time(clock)
        && !fraction.is_empty()
        && fraction.bytes().all(|byte| byte.is_ascii_digit())
        && (zone == "Z" || (zone.len() == 6 && fits(&zone[1..], "99:99") && is_time(&zone[1..])))
}
