//! Sorted runs, on disk or as files, merged into one.

use std::cmp::Ordering;

use stream::{LineId, Scratch, StageError};

use super::keys::Order;
use crate::common::input::line_feed::LineFeed;

/// Bytes read from a run at a time.
const READ_SIZE: usize = 256 << 10;

/// Runs merged at the same time; more are merged into longer ones first.
pub(super) const RUNS_MAX: usize = 64;

/// Sorted runs one after the other in space on disk.
pub(super) struct Runs {
    scratch: Box<dyn Scratch>,
    /// Where each begins and ends.
    places: Vec<(u64, u64)>,
    written: u64,
    buffer: Vec<u8>,
}

fn failed(error: std::io::Error) -> StageError {
    StageError::failed(2, format!("cannot use space on disk: {}", stream::describe(&error)))
}

impl Runs {
    pub(super) fn new(scratch: Box<dyn Scratch>) -> Self {
        Self { scratch, places: Vec::new(), written: 0, buffer: Vec::with_capacity(READ_SIZE) }
    }

    pub(super) fn len(&self) -> usize {
        self.places.len()
    }

    /// Begins the next run.
    pub(super) fn begin(&mut self) {
        let at = self.written + self.buffer.len() as u64;
        self.places.push((at, at));
    }

    /// Writes lines of the run, each with its newline.
    pub(super) fn write(&mut self, lines: &[u8]) -> Result<(), StageError> {
        self.buffer.extend_from_slice(lines);
        if self.buffer.len() >= READ_SIZE { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> Result<(), StageError> {
        self.scratch.append(&self.buffer).map_err(failed)?;
        self.written += self.buffer.len() as u64;
        self.buffer.clear();
        Ok(())
    }

    /// Ends the run.
    pub(super) fn end(&mut self) -> Result<(), StageError> {
        self.flush()?;
        if let Some(place) = self.places.last_mut() {
            place.1 = self.written;
        }
        Ok(())
    }

    /// A reader of each run, in the order they were written.
    pub(super) fn readers(&self) -> Vec<Run<'_>> {
        self.places
            .iter()
            .map(|(start, end)| {
                Run::Disk(DiskRun {
                    scratch: &*self.scratch,
                    at: *start,
                    end: *end,
                    buffer: Vec::new(),
                    from: 0,
                    to: 0,
                })
            })
            .collect()
    }
}

/// A sorted run being read.
pub(super) enum Run<'r> {
    Disk(DiskRun<'r>),
    File(Box<LineFeed>, String),
}

pub(super) struct DiskRun<'r> {
    scratch: &'r dyn Scratch,
    at: u64,
    end: u64,
    buffer: Vec<u8>,
    /// The line: from here to its newline.
    from: usize,
    to: usize,
}

impl DiskRun<'_> {
    fn advance(&mut self) -> Result<bool, StageError> {
        let mut next = if self.buffer.is_empty() { 0 } else { self.to + 1 };
        loop {
            let rest = &self.buffer[next.min(self.buffer.len())..];
            if let Some(length) = memchr::memchr(b'\n', rest) {
                (self.from, self.to) = (next, next + length);
                return Ok(true);
            }
            if self.at >= self.end {
                return Ok(false);
            }
            // What is left of the buffer is the start of a line.
            let left = self.buffer.len() - next.min(self.buffer.len());
            let start = self.buffer.len() - left;
            self.buffer.copy_within(start.., 0);
            let room = (self.end - self.at).min(READ_SIZE as u64) as usize;
            self.buffer.resize(left + room, 0);
            let read = self.scratch.read_at(self.at, &mut self.buffer[left..]).map_err(failed)?;
            if read == 0 {
                return Err(StageError::failed(2, "space on disk was cut off"));
            }
            self.buffer.truncate(left + read);
            self.at += read as u64;
            next = 0;
        }
    }
}

impl Run<'_> {
    fn advance(&mut self) -> Result<bool, StageError> {
        match self {
            Self::Disk(run) => run.advance(),
            Self::File(feed, name) => {
                feed.advance().map_err(|error| super::failure::read_failed(name, error))
            }
        }
    }

    fn line(&self) -> &[u8] {
        match self {
            Self::Disk(run) => &run.buffer[run.from..run.to],
            Self::File(feed, _) => feed.line(),
        }
    }

    fn id(&self) -> Option<LineId> {
        match self {
            Self::File(feed, _) => Some(feed.id()),
            Self::Disk(_) => None,
        }
    }
}

/// Hands the lines of all runs to `write` in order; of equal ones those of earlier runs first,
/// and with `unique` only the first.
pub(super) fn merge(
    mut runs: Vec<Run<'_>>,
    order: &Order,
    mut write: impl FnMut(&[u8], Option<LineId>) -> Result<(), StageError>,
) -> Result<(), StageError> {
    // A heap of runs by their first lines; the prefix tells most of them apart.
    let mut heap: Vec<(u64, usize)> = Vec::new();
    for (number, run) in runs.iter_mut().enumerate() {
        if run.advance()? {
            heap.push((order.prefix(run.line(), 0), number));
        }
    }
    let before = |runs: &[Run<'_>], one: (u64, usize), other: (u64, usize)| {
        let compared = one.0.cmp(&other.0).then_with(|| {
            order.compare(runs[one.1].line(), runs[other.1].line()).then(one.1.cmp(&other.1))
        });
        compared == Ordering::Less
    };
    let sift = |runs: &[Run<'_>], heap: &mut [(u64, usize)], mut at: usize| {
        loop {
            let mut least = at;
            for child in [2 * at + 1, 2 * at + 2] {
                if child < heap.len() && before(runs, heap[child], heap[least]) {
                    least = child;
                }
            }
            if least == at {
                break;
            }
            heap.swap(at, least);
            at = least;
        }
    };
    for at in (0..heap.len() / 2).rev() {
        sift(&runs, &mut heap, at);
    }
    let mut last: Option<Vec<u8>> = None;
    while let Some(&(_, number)) = heap.first() {
        let run = &runs[number];
        let repeated =
            order.unique && last.as_ref().is_some_and(|last| order.same(last, run.line()));
        if !repeated {
            write(run.line(), run.id())?;
            if order.unique {
                let kept = last.get_or_insert_default();
                kept.clear();
                kept.extend_from_slice(run.line());
            }
        }
        if runs[number].advance()? {
            heap[0].0 = order.prefix(runs[number].line(), 0);
        } else {
            let end = heap.len() - 1;
            heap.swap(0, end);
            heap.pop();
        }
        sift(&runs, &mut heap, 0);
    }
    Ok(())
}
