//! Where a log comes from: a file, plain or packed by gzip, or standard input.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read};
use std::path::Path;

use flate2::bufread::MultiGzDecoder;
use indicatif::{ProgressBar, ProgressStyle};

use crate::output::Failure;

fn is_standard_input(path: &Path) -> bool {
    path == Path::new("-")
}

/// The name that messages use for a log.
pub(crate) fn name_of(path: &Path) -> String {
    if is_standard_input(path) { "standard input".to_owned() } else { path.display().to_string() }
}

/// A file, or standard input; the bar follows what is read of a file.
pub(crate) fn open(path: &Path, bar: Option<&ProgressBar>) -> Result<Box<dyn Read>, Failure> {
    if is_standard_input(path) {
        return Ok(Box::new(io::stdin()));
    }
    let failure = |error| Failure::File { path: path.to_owned(), error };
    let file = File::open(path).map_err(failure)?;
    let length = file.metadata().map_err(failure)?.len();
    Ok(match bar {
        Some(bar) => {
            bar.set_length(length);
            Box::new(bar.wrap_read(file))
        }
        None => Box::new(file),
    })
}

/// Reads one log, plain or packed by gzip: what comes of it, and why it broke off if it did.
pub(crate) fn read_log<T>(
    path: &Path,
    read: impl FnOnce(Box<dyn Read>) -> (T, Option<io::Error>),
) -> Result<(T, Option<Failure>), Failure> {
    // Drawn on a terminal only, and taken away at the end.
    let bar = ProgressBar::no_length().with_style(
        ProgressStyle::with_template("{bar:40} {percent:>3} %  {bytes_per_sec}  {eta} left")
            .unwrap_or_else(|_| ProgressStyle::default_bar()),
    );
    let failure = |error| Failure::Log { path: path.to_owned(), error };
    let mut log = BufReader::with_capacity(1 << 16, open(path, Some(&bar))?);
    // The first two bytes of a gzip member (RFC 1952, section 2.3.1).
    let is_packed = log.fill_buf().map_err(failure)?.starts_with(&[0x1f, 0x8b]);
    let (result, error) = read(if is_packed { Box::new(MultiGzDecoder::new(log)) } else { Box::new(log) });
    bar.finish_and_clear();
    Ok((result, error.map(failure)))
}
