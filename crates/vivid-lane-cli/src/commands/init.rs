//! `init`: a first table, and the check that belongs into every build.

use std::io::Write;
use std::path::Path;

use crate::Outcome;
use crate::args::InitArgs;
use crate::output::{FAINT, Failure, GOOD, Styled};
use crate::system::System;

/// What is written.
const FILES: [(&str, &str); 2] =
    [("routes.toml", include_str!("init/routes.toml")), ("check-routes.sh", include_str!("init/check-routes.sh"))];

pub(super) fn run(system: &dyn System, args: &InitArgs, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let folder = args.folder.as_deref().unwrap_or(Path::new(""));
    let paths = FILES.map(|(name, _)| folder.join(name));
    // Nothing is lost: not even one of them is written where another stands.
    if let Some(known) = paths.iter().find(|path| system.open(path).is_ok()) {
        let known = known.display();
        return Err(Failure::Argument(format!("{known} is there already; name another folder: `init DIR`")));
    }
    let failure = |path: &Path| {
        let path = path.to_owned();
        |error| Failure::Write { path, error }
    };
    if !folder.as_os_str().is_empty() {
        system.create_folders(folder).map_err(failure(folder))?;
    }
    for (path, (_, text)) in paths.iter().zip(FILES) {
        system.save(path, text.as_bytes()).map_err(failure(path))?;
        writeln!(out, "{} {}", Styled(GOOD, "wrote"), path.display())?;
    }
    let table = match args.folder {
        Some(_) => format!(" --table {}", paths[0].display()),
        None => String::new(),
    };
    writeln!(out, "\n{}\n", Styled(FAINT, "Try it, change it, and look again:"))?;
    for call in ["tree", "match /nights/2031-04-02 /nihgts", "link nights.night date=2031-04-02", "check --watch"] {
        writeln!(out, "  vivid-lane{table} {call}")?;
    }
    Ok(Outcome::Fine)
}
