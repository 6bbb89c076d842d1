//! bzip2 data read block by block, several at the same time. The format is every block on its
//! own: a mark, a checksum, the data. Marks are looked for; what is between two of them is decoded as
//! a stream of one block. The bits of a mark may also come up within a block: then what was cut off
//! there is not whole, and the end of the block is found by decoding on.

use std::collections::VecDeque;
use std::io::{self, BufRead};

use bytes::Bytes;
use stream::Processors;

use super::form::{Form, MAGIC_BYTES};
use super::reader::SourceReader;
use bits::{BLOCK_MARK, Bits, END_MARK, MARK_BITS, SUM_BITS};
use part::{Outcome, Part};

mod bits;
mod part;
#[cfg(test)]
mod tests;

/// Bytes that a block of level 9 takes at most: its symbols of 20 bits each, and their tables.
const COMPRESSED_MAX: u64 = 2_400_000;
/// Bytes that are decoded of all blocks before they are asked for. A block of one byte again and again
/// has fifty times as many as others.
const AHEAD: usize = 32 << 20;
/// Blocks that are decoded at the same time at most, about 6 MB each besides.
const PARTS_MAX: usize = 8;
/// Bytes of the head of a member: `BZh` and its level.
const HEAD: u64 = 4;
/// Bytes of a block that are tried first where its end is looked for.
const TRIED_FIRST: u64 = 32 << 10;
/// Bits before its end that a decoder may take.
const TAKEN_AHEAD: u64 = 72;

/// What comes next in the data.
enum Step {
    /// A block, from its mark to the next one, which is not there where the data ends before.
    Block { begin: u64, end: Option<u64>, level: u8, part: Part },
    /// The end of a member with its checksum, and the bit after it.
    End { sum: u32, end: u64 },
    /// What ends the data early.
    Broken(Outcome),
}

/// Reads members of bzip2 data, one after the other as long as they follow without a gap.
pub(super) struct Blocks {
    reader: SourceReader,
    bits: Bits,
    level: u8,
    /// Where the next step begins that is not planned yet.
    next: u64,
    steps: VecDeque<Step>,
    /// True once nothing more can be planned.
    planned: bool,
    /// The checksums of the blocks of this member.
    sum: u32,
    /// The place of what was given last.
    place: u64,
}

impl Blocks {
    /// Reads on from the beginning of a member, which is not taken yet.
    pub(super) fn new(reader: SourceReader) -> Self {
        let place = reader.taken();
        let mut blocks = Self {
            reader,
            bits: Bits::new(place),
            level: 0,
            next: place * 8,
            steps: VecDeque::new(),
            planned: false,
            sum: 0,
            place,
        };
        if !blocks.begin_member() {
            blocks.plan_failure();
        }
        blocks
    }

    pub(super) fn reader_mut(&mut self) -> &mut SourceReader {
        &mut self.reader
    }

    /// Bytes of the data before what comes next.
    pub(super) fn place(&self) -> u64 {
        self.place
    }

    /// The reader, at the byte after the last member.
    pub(super) fn end(mut self) -> SourceReader {
        self.reader.put_back(self.bits.bytes_from(self.place * 8));
        self.reader
    }

    /// Decodes the next blocks at the same time.
    fn decode_ahead(&mut self, processors: &dyn Processors) {
        let most = processors.count().min(PARTS_MAX);
        let mut blocks = 0;
        while blocks < most && !self.planned {
            self.plan();
            blocks += usize::from(matches!(self.steps.back(), Some(Step::Block { .. })));
        }
        let parts = self.steps.iter_mut().filter_map(|step| match step {
            Step::Block { part, .. } => Some(part),
            _ => None,
        });
        let jobs: Vec<_> = parts
            .map(|part| Box::new(|| part.decode(AHEAD / most)) as Box<dyn FnOnce() + Send + '_>)
            .collect();
        if !jobs.is_empty() {
            processors.run(jobs);
        }
    }

    /// Reads until bits up to this one are at hand. False where the data ends before.
    fn load(&mut self, end: u64) -> bool {
        while self.bits.end() < end {
            // What ended the reading is asked of the reader by whoever gets the error.
            let Ok(bytes) = self.reader.fill_buf() else { return false };
            if bytes.is_empty() {
                return false;
            }
            let count = bytes.len();
            self.bits.push(bytes);
            self.reader.consume(count);
        }
        true
    }

    /// Reads the head of a member where there is one next.
    fn begin_member(&mut self) -> bool {
        self.load(self.next + MAGIC_BYTES as u64 * 8);
        let head = self.bits.bytes_from(self.next);
        if Form::of_content(head) != Some(Form::Bzip2) {
            return false;
        }
        self.level = head[HEAD as usize - 1];
        self.next += HEAD * 8;
        true
    }

    fn plan_failure(&mut self) {
        self.planned = true;
        // Too few bits for what should be there.
        let there = self.load(self.next + MARK_BITS + SUM_BITS);
        let outcome = if there { Outcome::Damaged } else { Outcome::Truncated };
        self.steps.push_back(Step::Broken(outcome));
    }

    /// Finds the next step.
    fn plan(&mut self) {
        let begin = self.next;
        self.load(begin + MARK_BITS + SUM_BITS);
        let sum = self.bits.get(begin + MARK_BITS, SUM_BITS);
        match (self.bits.get(begin, MARK_BITS), sum) {
            (Some(BLOCK_MARK), Some(_)) => {
                let end = self.find_mark(begin);
                self.next = end.unwrap_or(self.bits.end());
                self.planned = end.is_none();
                let part = self.part(begin, self.next);
                self.steps.push_back(Step::Block { begin, end, level: self.level, part });
            }
            (Some(END_MARK), Some(sum)) => {
                let end = (begin + MARK_BITS + SUM_BITS).next_multiple_of(8);
                self.steps.push_back(Step::End { sum: sum as u32, end });
                self.next = end;
                self.planned = !self.begin_member();
            }
            _ => self.plan_failure(),
        }
    }

    /// The mark after the block at `begin`, as far as one block may reach.
    fn find_mark(&mut self, begin: u64) -> Option<u64> {
        let most = begin + COMPRESSED_MAX * 8;
        let mut from = begin + MARK_BITS + SUM_BITS;
        loop {
            if let Some(mark) = self.bits.find_mark(from) {
                return Some(mark);
            }
            let end = self.bits.end();
            // The last bits may be the beginning of a mark.
            from = from.max(end.saturating_sub(MARK_BITS - 1));
            if end >= most || !self.load(end + 8) {
                return None;
            }
        }
    }

    /// What is from the mark at `begin` on to a bit as a stream of its own, with the bits that fill its
    /// last byte: no bit is there that is not in the data. So a block that is cut off gives nothing,
    /// and one that ends there is whole. No mark begins less than eight bits after another one.
    fn part(&self, begin: u64, to: u64) -> Part {
        let mut input = vec![b'B', b'Z', b'h', self.level];
        self.bits.copy(begin, to, &mut input);
        Part::new(input)
    }

    /// Looks for the end of a block that is not where a mark is: decodes on until the block begins to
    /// come, for which all of it must have been read, and takes the mark that is there.
    fn find_end(&mut self, begin: u64) -> (Option<u64>, Part) {
        // Most blocks are much smaller than one may be.
        let mut most = begin + TRIED_FIRST * 8;
        let part = loop {
            let is_more = self.load(most);
            let mut part = self.part(begin, most.min(self.bits.end()));
            part.decode_first();
            let is_short = part.outcome() == Some(Outcome::Truncated);
            if !is_short || !is_more || most >= begin + COMPRESSED_MAX * 8 {
                break part;
            }
            most = begin + (most - begin) * 4;
        };
        if part.has_more_at_hand() {
            let taken = begin + (part.taken() as u64).saturating_sub(HEAD) * 8;
            let first = taken.saturating_sub(TAKEN_AHEAD).max(begin + MARK_BITS + SUM_BITS);
            self.load(taken + MARK_BITS);
            let mut mark = self.bits.find_mark(first);
            while let Some(end) = mark.filter(|end| *end <= taken) {
                let mut cut = self.part(begin, end);
                cut.decode_first();
                if cut.has_more_at_hand() {
                    return (Some(end), cut);
                }
                mark = self.bits.find_mark(end + 1);
            }
        }
        (None, part)
    }

    /// Takes the first steps of which nothing is left to give.
    ///
    /// # Errors
    /// Where the first step cannot be taken; then always again.
    fn settle(&mut self) -> Result<(), Outcome> {
        while let Some(step) = self.steps.front_mut() {
            let (end, done) = match step {
                Step::Broken(outcome) => return Err(*outcome),
                Step::End { sum, end } if self.sum != *sum => {
                    self.place = *end / 8;
                    return Err(Outcome::Damaged);
                }
                Step::End { end, .. } => {
                    self.sum = 0;
                    (Some(*end), Outcome::Whole)
                }
                Step::Block { begin, end, level, part } => {
                    let (begin, end, level) = (*begin, *end, *level);
                    if part.has_more_at_hand() {
                        return Ok(());
                    }
                    let Some(done) = part.outcome() else { return Ok(()) };
                    let done = match (done, end) {
                        // The mark is made of bits of the block, which ends later.
                        (Outcome::Truncated, Some(_)) => {
                            self.mend(begin, level);
                            continue;
                        }
                        (Outcome::Whole, None) => Outcome::Truncated,
                        (done, _) => done,
                    };
                    let sum = self.bits.get(begin + MARK_BITS, SUM_BITS).unwrap_or(0);
                    self.sum = self.sum.rotate_left(1) ^ sum as u32;
                    (end, done)
                }
            };
            let end = end.unwrap_or(self.bits.end());
            self.place = end / 8;
            if done != Outcome::Whole {
                // A block longer than any can be does not end early.
                let longer = done == Outcome::Truncated && self.load(self.bits.end() + 8);
                return Err(if longer { Outcome::Damaged } else { done });
            }
            self.steps.pop_front();
            self.bits.forget(end);
        }
        Ok(())
    }

    /// Plans the block at `begin` again, whose end was no mark between blocks: what was planned after
    /// it is nothing.
    fn mend(&mut self, begin: u64, level: u8) {
        self.level = level;
        let (end, part) = self.find_end(begin);
        self.steps.clear();
        self.steps.push_back(Step::Block { begin, end, level, part });
        self.next = end.unwrap_or(self.bits.end());
        self.planned = end.is_none();
    }

    /// The next bytes; `None` after the last member. Where nothing is decoded, the next blocks are, at
    /// the same time where there are processors for it.
    ///
    /// # Errors
    /// What ends the data early, after all that is before it.
    pub(super) fn next(
        &mut self,
        processors: Option<&dyn Processors>,
    ) -> io::Result<Option<Bytes>> {
        loop {
            self.settle()?;
            match self.steps.front_mut() {
                Some(Step::Block { part, .. }) => {
                    part.decode(1);
                    if let Some(bytes) = part.give() {
                        return Ok(Some(bytes));
                    }
                }
                Some(_) => {}
                None if self.planned => return Ok(None),
                None => match processors {
                    Some(processors) => self.decode_ahead(processors),
                    None => self.plan(),
                },
            }
        }
    }
}
