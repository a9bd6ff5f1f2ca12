//! `demo`: the whole job on the demo data, in the order in which people do it.

use std::io::Write;

use clap::Parser;

use crate::Outcome;
use crate::args::Cli;
use crate::output::{FAINT, Failure, STRONG, Styled};
use crate::table_file::TableFile;

/// What a step shows: why, and the calls that show it.
struct Step {
    title: &'static str,
    calls: &'static [&'static str],
}

const STEPS: &[Step] = &[
    Step { title: "One table file is the whole site", calls: &["tree"] },
    Step { title: "A URL leads to a page, gibberish to a proper 404", calls: &["match /domes /qwerty"] },
    Step {
        title: "One route stands for a hundred pages; the page reads the parameter",
        calls: &["match /nights/2031-04-02"],
    },
    Step {
        title: "A fixed page beside a parameter that could swallow it: the narrower wins",
        calls: &["match /objects/tonight /objects/ring%20nebula"],
    },
    Step {
        title: "Children live under their parent's path, inside its frame",
        calls: &["match /nights/2031-04-02/exposures/7"],
    },
    Step { title: "A subtree can have a 404 page of its own", calls: &["match /plates/b-1021/scan/front"] },
    Step {
        title: "Links are made from route names, encoded and checked",
        calls: &[
            "link nights.night date=2031-04-02",
            "link objects.object object=M57/Lyra",
            "link nights.nigth date=2031-04-02",
            "link objects.object object=tonight",
        ],
    },
    Step { title: "Scripts read JSON, one object a line", calls: &["--format json match /plates/b-1021"] },
    Step { title: "Before it ships, the table is checked", calls: &["check"] },
];

pub(super) fn run(out: &mut dyn Write) -> Result<Outcome, Failure> {
    let file = TableFile::demo();
    writeln!(
        out,
        "{}",
        Styled(FAINT, "Every call below runs on demo/larkfell/routes.toml, the site of a made-up observatory.")
    )?;
    for (number, step) in (1..).zip(STEPS) {
        writeln!(out, "\n{}", Styled(STRONG, format_args!("{number}. {}", step.title)))?;
        for call in step.calls {
            writeln!(out, "\n{}", Styled(FAINT, format_args!("$ vivid-lane {call}")))?;
            let words = std::iter::once("vivid-lane").chain(call.split(' '));
            let cli = Cli::try_parse_from(words).map_err(|error| Failure::Argument(error.to_string()))?;
            match super::run_on(&file, &cli, out) {
                Ok(_) => {}
                // A refused link is part of the tour: it is shown where a user would see it.
                Err(Failure::Link(error)) => writeln!(out, "error: {error}")?,
                Err(failure) => return Err(failure),
            }
        }
    }
    Ok(Outcome::Fine)
}
