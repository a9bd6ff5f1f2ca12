//! An access log, run through a table.
//!
//! One thread reads and cuts the log into chunks of whole lines, the others decide what each line asked for. Each keeps
//! its own tally, and the tallies are [merged](Summary::merge) at the end, as those of several machines are. What is
//! kept is bounded, whatever the length of the log.

mod frequent;
mod line;
mod reader;
mod summary;
mod tally;

use std::io::{self, Read};
use std::sync::Mutex;
use std::sync::mpsc::sync_channel;
use std::thread;

use vivid_lane::Table;

pub(crate) use summary::Summary;
pub(crate) use tally::{KINDS, Visitor};

use reader::Chunks;
use tally::Tally;

/// Runs a log through a table. Where reading breaks off, what was read counts, and the error comes with it.
pub(crate) fn run(
    table: &Table,
    visitor: &Visitor<'_>,
    name: &str,
    log: impl Read,
    most_missing: usize,
) -> (Summary, Option<io::Error>) {
    // The reader has little to do beside waiting.
    let workers = thread::available_parallelism().map_or(1, usize::from);
    let (send, receive) = sync_channel(2 * workers);
    let receive = Mutex::new(receive);
    thread::scope(|scope| {
        let work = || {
            let mut tally = Tally::new(table, visitor, name, most_missing);
            // A worker that panicked takes nothing with it.
            while let Ok(chunk) = { receive.lock().unwrap_or_else(std::sync::PoisonError::into_inner).recv() } {
                tally.chunk(&chunk);
            }
            tally.into_summary()
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
        let mut all = Summary::default();
        for worker in workers {
            match worker.join() {
                Ok(summary) => all.merge(summary),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        }
        (all, broken)
    })
}
