//! An access log, run through a table.
//!
//! One thread reads and cuts the log into chunks of whole lines, the others decide what each line asked for. Each keeps
//! its own tally, and the tallies are [merged](Summary::merge) at the end, as those of several machines are. What is
//! kept is bounded, whatever the length of the log.

mod frequent;
mod line;
mod reader;
mod source;
mod summary;
mod tally;

use std::io::{self, Read};
use std::sync::Mutex;
use std::sync::mpsc::sync_channel;
use std::thread;

use vivid_lane::Table;

pub(crate) use line::Line;
pub(crate) use reader::Chunk;
pub(crate) use source::{name_of, open, read_log};
pub(crate) use summary::Summary;
pub(crate) use tally::Visitor;

use line::parse;
use reader::Chunks;
use tally::Tally;

/// What is done with the lines of a log.
pub(crate) trait Counting: Send {
    fn line(&mut self, line: &Line<'_>);

    /// Takes note of a line that could not be read.
    fn unread(&mut self, number: u64, reason: &str, raw: &[u8]);

    /// Counts the lines of a chunk.
    fn chunk(&mut self, chunk: &Chunk) {
        if chunk.is_cut {
            return self.unread(chunk.first_line, "the line is longer than 1 MiB", &chunk.text);
        }
        let text = chunk.text.strip_suffix(b"\n").unwrap_or(&chunk.text);
        let mut start = 0;
        for (number, end) in (chunk.first_line..).zip(memchr::memchr_iter(b'\n', text).chain([text.len()])) {
            let raw = &text[start..end];
            start = end + 1;
            let raw = raw.strip_suffix(b"\r").unwrap_or(raw);
            if raw.is_empty() {
                continue;
            }
            match parse(raw) {
                Ok(line) => self.line(&line),
                Err(reason) => self.unread(number, reason, raw),
            }
        }
    }
}

/// Runs a log through a table. Where reading breaks off, what was read counts, and the error comes with it.
pub(crate) fn run(
    table: &Table,
    visitor: &Visitor<'_>,
    name: &str,
    log: impl Read,
    most_missing: usize,
) -> (Summary, Option<io::Error>) {
    let (tallies, broken) = count(log, || Tally::new(table, visitor, name, most_missing));
    let mut all = Summary::default();
    tallies.into_iter().for_each(|tally| all.merge(tally.into_summary()));
    (all, broken)
}

/// Counts the lines of a log, on as many threads as there are processors, each with a counting of its own.
pub(crate) fn count<C: Counting>(log: impl Read, new: impl Fn() -> C + Sync) -> (Vec<C>, Option<io::Error>) {
    // The reader has little to do beside waiting.
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let (send, receive) = sync_channel(2 * workers);
    let receive = Mutex::new(receive);
    thread::scope(|scope| {
        let work = || {
            let mut counting = new();
            // A worker that panicked takes nothing with it.
            while let Ok(chunk) = { receive.lock().unwrap_or_else(std::sync::PoisonError::into_inner).recv() } {
                counting.chunk(&chunk);
            }
            counting
        };
        let workers: Vec<_> = (0..workers).map(|_| scope.spawn(work)).collect();
        let mut chunks = Chunks::new(log);
        let mut broken = None;
        loop {
            match chunks.next() {
                Ok(Some(chunk)) => {
                    // Nobody takes it only if all workers are gone, which the join below tells.
                    if send.send(chunk).is_err() {
                        break;
                    }
                }
                Ok(None) => break,
                Err(error) => {
                    broken = Some(error);
                    break;
                }
            }
        }
        drop(send);
        let join = |worker: thread::ScopedJoinHandle<'_, C>| match worker.join() {
            Ok(counting) => counting,
            Err(panic) => std::panic::resume_unwind(panic),
        };
        (workers.into_iter().map(join).collect(), broken)
    })
}
