//! One block of bzip2 data, decoded for itself.

use std::io;

use bytes::Bytes;
use bzip2::{Decompress, Status};
use stream::BLOCK_SIZE;

/// How the decoding of a block has ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Outcome {
    /// All of it was read and given, and its checksum is right.
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
    /// Decoded before that, and not given yet.
    ready: Bytes,
    outcome: Option<Outcome>,
}

impl Part {
    /// Decodes the beginning of a stream, of which there is one block.
    pub(super) fn new(input: Vec<u8>) -> Self {
        Self {
            input,
            taken: 0,
            decoder: None,
            output: Vec::new(),
            ready: Bytes::new(),
            outcome: None,
        }
    }

    /// Decodes until about this many bytes are at hand, or to the end.
    pub(super) fn decode(&mut self, most: usize) {
        while self.outcome.is_none() && self.ready.len() + self.output.len() < most {
            self.output.reserve(BLOCK_SIZE);
            self.step(Decompress::decompress_vec);
        }
    }

    /// Decodes the first byte and nothing else, for which the whole block must be read.
    pub(super) fn decode_first(&mut self) {
        while self.outcome.is_none() && self.output.is_empty() {
            self.step(|decoder, input, output| {
                let mut first = [0];
                let before = decoder.total_out();
                let status = decoder.decompress(input, &mut first);
                output.extend((decoder.total_out() > before).then_some(first[0]));
                status
            });
        }
    }

    fn step(
        &mut self,
        decode: impl FnOnce(&mut Decompress, &[u8], &mut Vec<u8>) -> Result<Status, bzip2::Error>,
    ) {
        let decoder = self.decoder.get_or_insert_with(|| Decompress::new(false));
        let before = (decoder.total_in(), decoder.total_out());
        let status = decode(decoder, &self.input[self.taken..], &mut self.output);
        let read = (decoder.total_in() - before.0) as usize;
        let written = decoder.total_out() - before.1;
        self.taken += read;
        self.outcome = match status {
            Ok(Status::StreamEnd) => Some(Outcome::Whole),
            Ok(Status::MemNeeded) => Some(Outcome::Memory),
            // The decoder reads all of a block before it gives the first byte, and asks for what comes
            // after it once its checksum is right.
            Ok(_) if read == 0 && written == 0 && decoder.total_out() > 0 => Some(Outcome::Whole),
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

    /// True where something is decoded that was not given.
    pub(super) fn has_more_at_hand(&self) -> bool {
        !self.ready.is_empty() || !self.output.is_empty()
    }

    /// Gives some of what is at hand.
    pub(super) fn give(&mut self) -> Option<Bytes> {
        if self.ready.is_empty() {
            self.ready = std::mem::take(&mut self.output).into();
        }
        let count = self.ready.len().min(BLOCK_SIZE);
        (count > 0).then(|| self.ready.split_to(count))
    }
}
