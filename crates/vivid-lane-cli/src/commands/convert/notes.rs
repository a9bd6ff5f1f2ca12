//! What a conversion could not carry over, on standard error.

use std::collections::HashMap;
use std::io::{self, Write};

use serde_json::Value as Json;
use vivid_lane::Finding;
use vivid_lane::declare::Severity;
use vivid_lane_exchange::{Note, Notes};

use crate::args::Format;
use crate::json;
use crate::output::{BAD, FAINT, STRONG, Styled, counted, shown};

/// How many findings are printed.
const MOST_FINDINGS: usize = 40;

/// Tells notes, after the result: for people those of one kind together, in JSON each on a line.
pub(super) fn tell(notes: &[&Notes], format: Format, is_below_result: bool, err: &mut dyn Write) -> io::Result<()> {
    let mut all = notes.iter().flat_map(|notes| notes.all()).peekable();
    match format {
        Format::Json => all.try_for_each(|note| writeln!(err, "{}", Json::Object(json::note(note))))?,
        Format::Text => {
            if is_below_result && all.peek().is_some() {
                writeln!(err)?;
            }
            let mut groups: Vec<(&Note, usize)> = Vec::new();
            let mut known: HashMap<(&str, &str), usize> = HashMap::new();
            for note in all {
                let at = *known.entry((note.code(), note.subject())).or_insert(groups.len());
                match groups.get_mut(at) {
                    Some((_, count)) => *count += 1,
                    None => groups.push((note, 1)),
                }
            }
            for (note, count) in groups {
                let word = note.code().replace('-', " ");
                let more = match count {
                    1 => String::new(),
                    _ => format!(" {}", Styled(FAINT, format!("(and {} like it)", count - 1))),
                };
                writeln!(err, "{} {}{more}", Styled(STRONG, format!("{word}:")), shown(&note.to_string()))?;
            }
        }
    }
    let more: usize = notes.iter().map(|notes| notes.more()).sum();
    if more > 0 {
        writeln!(err, "{} {} more", Styled(STRONG, "and"), counted(more, "note"))?;
    }
    Ok(())
}

/// Tells why the table that was written cannot be built yet.
pub(super) fn tell_findings(findings: &[Finding], err: &mut dyn Write) {
    let errors: Vec<&Finding> = findings.iter().filter(|finding| finding.severity() == Severity::Error).collect();
    // Where this cannot be written, the exit status still tells.
    for finding in errors.iter().take(MOST_FINDINGS) {
        let witness = finding.witness().filter(|witness| !finding.message().contains(*witness));
        let witness = witness.map(|witness| format!(", for example `{witness}`")).unwrap_or_default();
        let _ = writeln!(err, "{} {}{}", Styled(BAD, "error:"), shown(&finding.to_string()), shown(&witness));
    }
    if errors.len() > MOST_FINDINGS {
        let _ = writeln!(err, "{} {} more", Styled(BAD, "and"), counted(errors.len() - MOST_FINDINGS, "error"));
    }
}
