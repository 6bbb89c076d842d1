//! Takes a sample out of a source, in one pass.

use parking_lot::Mutex;
use std::collections::BinaryHeap;
use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};
use std::time::Instant;

use memchr::memchr_iter;
use rand_xoshiro::SplitMix64;
use rand_xoshiro::rand_core::{Rng, SeedableRng};
use stream::{Block, DecodingError, Input, ReadError, RunControl, Source};

use super::sampled::{Numbers, Sample, SampledInput};
use crate::base::limits::{Limit, Limits};
use crate::kept::lines::Kept;

/// Takes a sample of a source. Memory: the sample.
pub(crate) fn take(
    source: Box<dyn Source>,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
    whole_bytes: Option<u64>,
) -> io::Result<SampledInput> {
    take_from(source, sample, limits, control, whole_bytes).map(|(sampled, ..)| sampled)
}

/// As [`take`]; with the bytes that were read for it, and the place reached in the file behind.
pub(super) fn take_from(
    source: Box<dyn Source>,
    sample: Sample,
    limits: &Limits,
    control: &RunControl,
    whole_bytes: Option<u64>,
) -> io::Result<(SampledInput, u64, Option<u64>)> {
    let mut failure = None;
    let mut taker = Taker::new(sample, limits, control);
    let bound = Arc::new(Bound::default());
    let bounded = Bounded { source, left: limits.bytes, hit: false, read: 0, bound: bound.clone() };
    let mut input = Input::new(Box::new(bounded), 0);
    loop {
        if taker.stop() {
            break;
        }
        match input.next_lines() {
            Ok(Some(lines)) => taker.add(&lines.bytes)?,
            Ok(None) => {
                taker.at_end = true;
                break;
            }
            Err(ReadError::Io(error)) => {
                // What was readable of damaged data is shown, and then why there is no more.
                let Some(known) = DecodingError::inside(&error) else { return Err(error) };
                if let Some(rest) = input.next_lines().ok().flatten() {
                    taker.add(&rest.bytes)?;
                }
                failure = Some(known.clone());
                taker.at_end = true;
                break;
            }
            Err(ReadError::Cancelled) => break,
        }
    }
    if taker.at_end && bound.hit.load(Relaxed) && failure.is_none() {
        // The end of what was given is not the end of what there is.
        taker.at_end = false;
        taker.cut.get_or_insert(Limit::Bytes(limits.bytes));
    }
    let (read, position) = (bound.read.load(Relaxed), input.position());
    let sampled = taker.finish(whole_bytes)?;
    Ok((SampledInput { failure, ..sampled }, read, position))
}

/// A source that ends after this many bytes: a line longer than that is cut, not gathered.
struct Bounded {
    source: Box<dyn Source>,
    left: u64,
    hit: bool,
    read: u64,
    bound: Arc<Bound>,
}

/// What became of a bounded source, for who has handed it on.
#[derive(Default)]
struct Bound {
    hit: AtomicBool,
    /// Bytes that were read, more than were given where the bound was hit.
    read: AtomicU64,
}

impl Source for Bounded {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        if self.hit {
            return Ok(None);
        }
        let Some(block) = self.source.next_block()? else { return Ok(None) };
        self.read += block.len() as u64;
        self.bound.read.store(self.read, Relaxed);
        if block.len() as u64 <= self.left {
            self.left -= block.len() as u64;
            return Ok(Some(block));
        }
        self.hit = true;
        self.bound.hit.store(true, Relaxed);
        let part = block.into_bytes().slice(..self.left as usize);
        Ok((!part.is_empty()).then(|| Block::new(part)))
    }

    fn position(&self) -> Option<u64> {
        self.source.position()
    }
}

struct Taker<'l> {
    sample: Sample,
    limits: &'l Limits,
    control: &'l RunControl,
    started: Instant,
    kept: Arc<Kept>,
    numbers: Vec<u64>,
    seen_lines: u64,
    seen_bytes: u64,
    random: Reservoir,
    last: std::collections::VecDeque<Vec<u8>>,
    cut: Option<Limit>,
    at_end: bool,
    full: bool,
}

impl<'l> Taker<'l> {
    fn new(sample: Sample, limits: &'l Limits, control: &'l RunControl) -> Self {
        let random = match sample {
            Sample::Random { lines, seed } => Reservoir::new(lines, seed),
            _ => Reservoir::new(0, 0),
        };
        Self {
            sample,
            limits,
            control,
            started: Instant::now(),
            kept: Arc::default(),
            numbers: Vec::new(),
            seen_lines: 0,
            seen_bytes: 0,
            random,
            last: std::collections::VecDeque::new(),
            cut: None,
            at_end: false,
            full: matches!(sample, Sample::First(0) | Sample::Quick(0)),
        }
    }

    fn stop(&mut self) -> bool {
        if self.started.elapsed() > self.limits.time {
            self.cut = Some(Limit::Time(self.limits.time));
        }
        self.full || self.cut.is_some() || self.control.is_cancelled()
    }

    fn add(&mut self, bytes: &bytes::Bytes) -> io::Result<()> {
        let mut used = bytes.len();
        match self.sample {
            Sample::First(most) | Sample::Quick(most) => {
                let wanted = most - self.seen_lines;
                let end = memchr_iter(b'\n', bytes).nth(wanted as usize - 1).map(|at| at + 1);
                let part = bytes.slice(..end.unwrap_or(bytes.len()));
                self.seen_lines += memchr_iter(b'\n', &part).count() as u64;
                self.full = self.seen_lines >= most;
                used = part.len();
                self.kept.append(&Block::new(part))?;
            }
            Sample::Everything => {
                let block = Block::new(bytes.clone());
                self.seen_lines += block.newlines();
                self.kept.append(&block)?;
                if self.kept.lines() >= self.limits.lines {
                    self.cut = Some(Limit::Lines(self.limits.lines));
                }
            }
            _ => {
                for line in bytes.split_inclusive(|&byte| byte == b'\n') {
                    let number = self.seen_lines;
                    self.seen_lines += 1;
                    match self.sample {
                        Sample::Every(step) => {
                            if number.is_multiple_of(step.max(1)) {
                                self.numbers.push(number);
                                self.kept.append(&Block::new(line.to_vec()))?;
                            }
                        }
                        Sample::Random { .. } => self.random.offer(number, line),
                        _ => {
                            self.last.push_back(line.to_vec());
                            if let Sample::Last(most) = self.sample
                                && self.last.len() as u64 > most
                            {
                                self.last.pop_front();
                            }
                        }
                    }
                }
            }
        }
        self.seen_bytes += used as u64;
        Ok(())
    }

    fn finish(mut self, whole_bytes: Option<u64>) -> io::Result<SampledInput> {
        let mut numbers = Numbers::From(0);
        match self.sample {
            Sample::Every(_) => numbers = Numbers::List(std::mem::take(&mut self.numbers)),
            Sample::Random { .. } => {
                let mut list = Vec::new();
                for (number, line) in self.random.take_chosen() {
                    list.push(number);
                    self.kept.append(&Block::new(line))?;
                }
                numbers = Numbers::List(list);
            }
            Sample::Last(_) => {
                numbers = Numbers::From(self.seen_lines - self.last.len() as u64);
                for line in &self.last {
                    self.kept.append(&Block::new(line.clone()))?;
                }
            }
            Sample::First(_) | Sample::Quick(_) | Sample::Everything => {}
        }
        self.kept.end();
        if self.at_end
            && self.cut.is_none()
            && whole_bytes.is_some_and(|bytes| bytes > self.seen_bytes)
        {
            self.cut = Some(Limit::Bytes(self.limits.bytes));
        }
        let read_all =
            whole_bytes.map_or(self.at_end, |bytes| self.seen_bytes >= bytes) && self.cut.is_none();
        let whole_lines = match self.sample {
            Sample::First(_) | Sample::Quick(_) => read_all.then(|| self.kept.lines()),
            Sample::Everything if self.cut.is_none() => Some(self.kept.lines()),
            _ if self.at_end && self.cut.is_none() => Some(self.seen_lines),
            _ => None,
        };
        let complete = read_all && whole_lines == Some(self.kept.lines());
        Ok(SampledInput {
            kept: self.kept,
            numbers,
            whole_bytes: whole_bytes.or(self.at_end.then_some(self.seen_bytes)),
            whole_lines: Mutex::new(whole_lines),
            complete,
            cut: self.cut,
            identity: None,
            changed: false,
            decoding: None,
            failure: None,
            arrivals: None,
        })
    }
}

/// Keeps the lines with the smallest random keys.
struct Reservoir {
    lines: u64,
    /// The same numbers for the same seed, for ever.
    chance: SplitMix64,
    heap: BinaryHeap<(u64, u64, Vec<u8>)>,
}

impl Reservoir {
    fn new(lines: u64, seed: u64) -> Self {
        Self { lines, chance: SplitMix64::seed_from_u64(seed), heap: BinaryHeap::new() }
    }

    fn offer(&mut self, number: u64, line: &[u8]) {
        let key = self.chance.next_u64();
        if (self.heap.len() as u64) < self.lines {
            self.heap.push((key, number, line.to_vec()));
        } else if self.heap.peek().is_some_and(|largest| key < largest.0) {
            self.heap.pop();
            self.heap.push((key, number, line.to_vec()));
        }
    }

    /// The chosen lines in their order; none are left.
    fn take_chosen(&mut self) -> Vec<(u64, Vec<u8>)> {
        let mut chosen: Vec<(u64, Vec<u8>)> =
            self.heap.drain().map(|(_, number, line)| (number, line)).collect();
        chosen.sort_by_key(|(number, _)| *number);
        chosen
    }
}

#[cfg(test)]
mod tests {
    use stream::testing::CutSource;

    use super::*;

    #[test]
    fn a_bounded_source_ends_at_its_bound() {
        for (left, blocks) in [
            (0, vec![]),
            (2, vec!["ab"]),
            (3, vec!["abc"]),
            (8, vec!["abc", "def", "gh"]),
            (9, vec!["abc", "def", "ghi"]),
            (20, vec!["abc", "def", "ghi", "j"]),
        ] {
            let source = Box::new(CutSource::new(b"abcdefghij", 3));
            let bound = Arc::default();
            let mut bounded = Bounded { source, left, hit: false, read: 0, bound };
            let mut found = Vec::new();
            while let Some(block) = bounded.next_block().unwrap() {
                found.push(String::from_utf8(block.bytes().to_vec()).unwrap());
            }
            assert_eq!(found, blocks, "{left}");
            assert_eq!(bounded.hit, left < 10, "{left}");
        }
        let source = Box::new(CutSource::new(b"0123456789abcdef", 7));
        let bound = Arc::default();
        let mut bounded = Bounded { source, left: 14, hit: false, read: 0, bound };
        assert_eq!(bounded.next_block().unwrap().unwrap().len(), 7);
        assert_eq!(bounded.next_block().unwrap().unwrap().len(), 7);
        assert!(bounded.next_block().unwrap().is_none() && bounded.hit);
    }
}
