//! `demo`: the whole job on the demo data, in the order in which people do it.

use std::io::Write;

use clap::Parser;

use crate::Outcome;
use crate::args::Cli;
use crate::output::{BAD, FAINT, Failure, STRONG, Styled};
use crate::system::System;

/// The demo data, so that the demo runs wherever the tool is installed.
const FILES: &[(&str, &str)] = &[
    ("routes.toml", include_str!("../../demo/larkfell/routes.toml")),
    ("about.toml", include_str!("../../demo/larkfell/about.toml")),
    ("older.toml", include_str!("../../demo/larkfell/older.toml")),
    ("access.log", include_str!("../../demo/larkfell/access.log")),
    ("observers.txt", include_str!("../../demo/larkfell/observers.txt")),
    ("api.yaml", include_str!("../../demo/larkfell/api.yaml")),
    ("pages/index.html", include_str!("../../demo/larkfell/pages/index.html")),
    ("pages/frame.html", include_str!("../../demo/larkfell/pages/frame.html")),
    ("pages/fallback.html", include_str!("../../demo/larkfell/pages/fallback.html")),
    ("pages/nights/{date}.html", include_str!("../../demo/larkfell/pages/nights/{date}.html")),
    ("pages/objects/tonight.html", include_str!("../../demo/larkfell/pages/objects/tonight.html")),
    ("pages/objects/{object}.html", include_str!("../../demo/larkfell/pages/objects/{object}.html")),
    ("pages/help/{+tail}.md", include_str!("../../demo/larkfell/pages/help/{+tail}.md")),
];

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
        calls: &["match /domes/east-dome/instruments/transit-telescope"],
    },
    Step {
        title: "A fixed page beside a parameter that could swallow it: the narrower wins",
        calls: &["match --explain /objects/tonight"],
    },
    Step {
        title: "A rule turns a wrong value into a 404, and other shapes of value go to other pages",
        calls: &[
            "match --explain /nights/2031-02-30",
            "match /objects/M57 /objects/M111",
            "match --list observers=observers.txt /observers/ada /observers/nobody",
        ],
    },
    Step {
        title: "Optional parts may be absent; a tail takes whatever follows",
        calls: &["match /cy /plates/archive/2031/04 /files/2031/a%20b.txt", "match --explain /plates/archive/2031/13"],
    },
    Step {
        title: "A filter that is given twice is a list, and each of its values keeps the rule",
        calls: &["match /plates?band=b&band=v /plates?band=b&band=x /plates?band=", "link plates band=b band=v"],
    },
    Step {
        title: "Children live under their parent's path, inside its frame; a subtree can have its own 404 page",
        calls: &["match /nights/2031-04-02/exposures/7 /plates/b-1021/front"],
    },
    Step {
        title: "Links are made from route names: encoded, checked, and sure to come back",
        calls: &[
            "link nights.night date=2031-04-02",
            "link objects.object object=M57/Lyra",
            "link search page=1 q=moon",
            "link nights.night date=2031-02-30",
            "link nights.nigth date=2031-04-02",
            "link objects.object object=tonight",
            "link nights.night.exposures --from /nights/2031-04-02",
        ],
    },
    Step {
        title: "One page has one address; old ones lead there in one step, whatever else is in their query",
        calls: &[
            "match //nights/ /x/../%6Eights?year=2031 /search?q=moon&page=1",
            "match /night.cgi?d=2031-04-02&print=1 /night.cgi?d=2031-02-30 /view.cgi?page=plate /forum/optics",
        ],
    },
    Step {
        title: "Visitors who may not see a page are sent to sign in, and back",
        calls: &[
            "match --list observers=observers.txt /observers/ada/logbook/2031",
            "match --list observers=observers.txt --meets observer /observers/ada/logbook/2031",
        ],
    },
    Step {
        title: "A 404 says what may have been meant; a wrong method is told which ones are right",
        calls: &["match /nihgts/2031-04-02 /plates/b-10 /observers", "match --method DELETE /observers/join"],
    },
    Step { title: "Scripts read JSON, one object a line", calls: &["--format json match /plates/b-1021"] },
    Step {
        title: "Before it ships, the table is proven: no dead route, no contested URL, nothing declared in vain",
        calls: &["check"],
    },
    Step {
        title: "Before a change ships, old addresses are compared, and the redirects that keep them alive are written",
        calls: &["diff older.toml routes.toml"],
    },
    Step {
        title: "After it shipped, the access log says what visitors really met",
        calls: &["replay --list observers=observers.txt access.log"],
    },
    Step {
        title: "Where there is no table yet, the log has one: routes to name and tidy",
        calls: &["convert --from log access.log --out learned.toml", "--table learned.toml tree"],
    },
    Step {
        title: "A folder of page files is a table: one more file is one more page",
        calls: &["convert --from pages pages"],
    },
    Step {
        title: "A description of an interface becomes a table; what cannot be carried over is reported",
        calls: &["convert --from openapi api.yaml --to yaml"],
    },
];

pub(super) fn run(system: &dyn System, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let folder = tempfile::tempdir().map_err(Failure::Demo)?;
    for (name, text) in FILES {
        let path = folder.path().join(name);
        path.parent().map_or(Ok(()), std::fs::create_dir_all).map_err(Failure::Demo)?;
        std::fs::write(path, text).map_err(Failure::Demo)?;
    }
    let before = std::env::current_dir().map_err(Failure::Demo)?;
    // In that folder every call below is what a user would type in `demo/larkfell`.
    std::env::set_current_dir(folder.path()).map_err(Failure::Demo)?;
    let outcome = steps(system, out);
    std::env::set_current_dir(before).map_err(Failure::Demo)?;
    outcome
}

fn steps(system: &dyn System, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let about = "The site of Larkfell Observatory, which is made up. Its table is demo/larkfell/routes.toml.";
    writeln!(out, "{}", Styled(FAINT, about))?;
    for (number, step) in (1..).zip(STEPS) {
        writeln!(out, "\n{}", Styled(STRONG, format_args!("{number}. {}", step.title)))?;
        for call in step.calls {
            writeln!(out, "\n{}", Styled(FAINT, format_args!("$ vivid-lane {call}")))?;
            let words = std::iter::once("vivid-lane").chain(call.split(' '));
            let cli = Cli::try_parse_from(words).map_err(|error| Failure::Argument(error.to_string()))?;
            // What is said of a result is a part of the tour as well.
            let mut said = Vec::new();
            let ran = super::run(&cli, system, out, &mut said);
            out.write_all(&said)?;
            match ran {
                Ok(_) => {}
                // A refused link is part of the tour: it is shown where a user would see it.
                Err(Failure::Link(error)) => writeln!(out, "{}: {error}", Styled(BAD, "error"))?,
                Err(failure) => return Err(failure),
            }
        }
    }
    Ok(Outcome::Fine)
}
