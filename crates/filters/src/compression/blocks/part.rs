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
    /// True once something was given.
    began: bool,
    outcome: Option<Outcome>,
}

impl Part {
    /// Decodes a stream that has this block, and others at most after it.
    pub(super) fn new(input: Vec<u8>) -> Self {
        Self {
            input,
            taken: 0,
            decoder: None,
            output: Vec::new(),
            given: 0,
            began: false,
            outcome: None,
        }
    }

    /// Decodes until so many bytes are at hand, or to the end.
    pub(super) fn decode(&mut self, most: usize) {
        while self.outcome.is_none() && self.output.len() - self.given < most {
            self.step(BLOCK_SIZE);
        }
    }

    /// Decodes the first byte and nothing else, for which the whole block must be read.
    pub(super) fn decode_first(&mut self) {
        while self.outcome.is_none() && self.is_without_output() {
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
            self.input = Vec::new();
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

    /// True before the first byte is given or at hand.
    pub(super) fn is_without_output(&self) -> bool {
        !self.began && self.output.is_empty()
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
        self.began |= count > 0;
        count
    }
}
