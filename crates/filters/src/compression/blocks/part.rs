//! One block of bzip2 data, decoded for itself.

use std::io;

use bzip2::{Decompress, Status};
use stream::BLOCK_SIZE;

/// How the decoding of a block has ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Outcome {
    /// All of it was read, and its checksum is right.
    Whole,
    /// Its data ends before its end.
    Truncated,
    Damaged,
    /// There is no memory for it.
    Memory,
}

impl From<Outcome> for io::Error {
    fn from(outcome: Outcome) -> Self {
        match outcome {
            Outcome::Truncated => io::ErrorKind::UnexpectedEof,
            Outcome::Memory => io::ErrorKind::OutOfMemory,
            Outcome::Whole | Outcome::Damaged => io::ErrorKind::InvalidData,
        }
        .into()
    }
}

/// A block while it is decoded. Memory: its compressed bytes, what the decoder keeps (about four times
/// its size), and what was asked for and not taken.
pub(super) struct Part {
    input: Vec<u8>,
    taken: usize,
    decoder: Option<Decompress>,
    output: Vec<u8>,
    given: usize,
    outcome: Option<Outcome>,
    /// How it will end, where it was decoded once to know that.
    checked: Option<Outcome>,
}

/// Bytes that are kept of a block while it is checked. A block of one byte again and again has fifty
/// times as many as others; it is decoded twice.
pub(super) const KEPT: usize = 2 << 20;

impl Part {
    /// Decodes a stream that has this block, and others at most after it.
    pub(super) fn new(input: Vec<u8>) -> Self {
        Self {
            input,
            taken: 0,
            decoder: None,
            output: Vec::new(),
            given: 0,
            outcome: None,
            checked: None,
        }
    }

    /// Decodes all of it, so that nothing is given of a block that has other bytes than it should.
    pub(super) fn check(&mut self) {
        let mut kept_all = true;
        while self.outcome.is_none() {
            self.step(BLOCK_SIZE);
            if self.output.len() > KEPT {
                self.output.clear();
                kept_all = false;
            }
        }
        self.checked = self.outcome;
        if kept_all {
            self.input = Vec::new();
        } else {
            self.output.clear();
            (self.taken, self.outcome) = (0, None);
        }
    }

    /// How it will end, once it is checked.
    pub(super) fn checked(&self) -> Option<Outcome> {
        self.checked
    }

    /// Decodes until so many bytes are at hand, or to the end.
    pub(super) fn decode(&mut self, most: usize) {
        while self.outcome.is_none() && self.output.len() - self.given < most {
            self.step(BLOCK_SIZE);
        }
    }

    /// Decodes the first byte and nothing else, for which the whole block must be read.
    pub(super) fn decode_first(&mut self) {
        while self.outcome.is_none() && self.output.is_empty() {
            self.step(1);
        }
    }

    fn step(&mut self, room: usize) {
        let decoder = self.decoder.get_or_insert_with(|| Decompress::new(false));
        let before = (decoder.total_in(), decoder.total_out());
        let len = self.output.len();
        self.output.resize(len + room, 0);
        let status = decoder.decompress(&self.input[self.taken..], &mut self.output[len..]);
        let read = (decoder.total_in() - before.0) as usize;
        let written = (decoder.total_out() - before.1) as usize;
        self.taken += read;
        self.output.truncate(len + written);
        self.outcome = match status {
            Ok(Status::StreamEnd) => Some(Outcome::Whole),
            Ok(Status::MemNeeded) => Some(Outcome::Memory),
            Ok(_) if read == 0 && written == 0 => Some(Outcome::Truncated),
            Ok(_) => None,
            Err(_) => Some(Outcome::Damaged),
        };
        if self.outcome.is_some() {
            self.decoder = None;
        }
    }

    /// Bytes of the stream that the decoder has taken. It takes up to eight more than it needs.
    pub(super) fn taken(&self) -> usize {
        self.taken
    }

    /// How it has ended, once it has.
    pub(super) fn outcome(&self) -> Option<Outcome> {
        self.outcome
    }

    /// True where something is decoded that was not given.
    pub(super) fn has_more_at_hand(&self) -> bool {
        self.given < self.output.len()
    }

    /// Gives some of what is at hand.
    pub(super) fn give(&mut self, buffer: &mut [u8]) -> usize {
        let there = &self.output[self.given..];
        let count = there.len().min(buffer.len());
        buffer[..count].copy_from_slice(&there[..count]);
        self.given += count;
        if self.given == self.output.len() {
            self.output.clear();
            self.given = 0;
        }
        count
    }
}
