//! A log in chunks of whole lines.

use std::io::{self, Read};

/// How many bytes are read at once. It is also the longest line that is looked at.
const SIZE: usize = 1 << 20;

/// Some whole lines of a log.
#[derive(Debug)]
pub(crate) struct Chunk {
    pub(super) text: Vec<u8>,
    /// The number of the first of them, counted from 1.
    pub(super) first_line: u64,
    /// Whether the first line was too long to be read whole. Then this is its beginning, and nothing follows it.
    pub(super) is_cut: bool,
}

/// Cuts a log into chunks.
#[derive(Debug)]
pub(super) struct Chunks<R> {
    log: R,
    /// The beginning of a line whose end has not been read yet.
    rest: Vec<u8>,
    line: u64,
    /// Whether the rest of a line that was too long is still to come.
    is_skipping: bool,
    is_over: bool,
    /// Why it broke off, once all before that has been given out.
    broken: Option<io::Error>,
}

impl<R: Read> Chunks<R> {
    pub(super) fn new(log: R) -> Self {
        Self { log, rest: Vec::new(), line: 1, is_skipping: false, is_over: false, broken: None }
    }

    /// The next chunk, if there is one.
    pub(super) fn next(&mut self) -> io::Result<Option<Chunk>> {
        loop {
            if self.is_over && self.rest.is_empty() {
                return self.broken.take().map_or(Ok(None), Err);
            }
            let mut text = std::mem::take(&mut self.rest);
            let wanted = SIZE.saturating_sub(text.len());
            text.reserve(wanted);
            match (&mut self.log).take(wanted as u64).read_to_end(&mut text) {
                Ok(read) => self.is_over = read < wanted,
                // What was read before it counts, but for the line that is cut off.
                Err(error) => {
                    text.truncate(memchr::memrchr(b'\n', &text).map_or(0, |last| last + 1));
                    (self.is_over, self.broken) = (true, Some(error));
                }
            }
            if self.is_skipping {
                let Some(end) = memchr::memchr(b'\n', &text) else { continue };
                self.is_skipping = false;
                self.line += 1;
                self.rest = text.split_off(end + 1);
                continue;
            }
            let whole = match memchr::memrchr(b'\n', &text) {
                Some(last) => last + 1,
                None if self.is_over => text.len(),
                None => {
                    self.is_skipping = true;
                    text.truncate(200);
                    return Ok(Some(Chunk { text, first_line: self.line, is_cut: true }));
                }
            };
            let whole = if self.is_over { text.len() } else { whole };
            self.rest = text.split_off(whole);
            let first_line = self.line;
            self.line += memchr::memchr_iter(b'\n', &text).count() as u64;
            if !text.is_empty() {
                return Ok(Some(Chunk { text, first_line, is_cut: false }));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// The lines with their numbers.
    fn lines(log: &[u8]) -> Vec<(u64, Vec<u8>)> {
        let mut chunks = Chunks::new(log);
        let mut lines = Vec::new();
        while let Some(chunk) = chunks.next().unwrap() {
            let text = chunk.text.strip_suffix(b"\n").unwrap_or(&chunk.text);
            lines.extend((chunk.first_line..).zip(text.split(|byte| *byte == b'\n').map(<[u8]>::to_vec)));
        }
        lines
    }

    #[test]
    fn a_line_that_is_too_long_is_passed_over() {
        let mut log = b"first\n".to_vec();
        log.resize(log.len() + 3 * SIZE, b'x');
        log.extend(b"\nlast");
        let found = lines(&log);
        assert_eq!(found.iter().map(|(number, _)| *number).collect::<Vec<_>>(), [1, 2, 3]);
        assert_eq!((found[1].1.len(), found[2].1.as_slice()), (200, &b"last"[..]));
    }

    /// A log that breaks off after some bytes.
    struct Broken<'a>(&'a [u8]);

    impl Read for Broken<'_> {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            if self.0.is_empty() { Err(io::ErrorKind::UnexpectedEof.into()) } else { self.0.read(buffer) }
        }
    }

    #[test]
    fn what_stands_before_a_break_is_given_out() {
        let mut chunks = Chunks::new(Broken(b"one\ntwo\nthr"));
        assert_eq!(chunks.next().unwrap().unwrap().text, b"one\ntwo\n");
        assert!(chunks.next().is_err() && chunks.next().unwrap().is_none());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(16))]
        #[test]
        fn every_line_comes_once_with_its_number(widths in prop::collection::vec(0usize..90_000, 1..60)) {
            let all: Vec<Vec<u8>> = widths.iter().map(|width| vec![b'a'; *width]).collect();
            let log = all.join(&b'\n');
            let mut expected: Vec<(u64, Vec<u8>)> = (1..).zip(all).collect();
            // What follows the last line break is a line only if there is something.
            expected.pop_if(|(_, line)| line.is_empty());
            prop_assert_eq!(lines(&log), expected);
        }
    }
}
