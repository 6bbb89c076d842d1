//! The blocks of a source as the decoders want to read them.

use std::io::{self, BufRead, Read};

use bytes::{Buf, Bytes};
use stream::{ReadError, Source};

/// Reads a source, counts what was taken of it, and keeps the error that ended it.
pub(super) struct SourceReader {
    source: Box<dyn Source>,
    block: Bytes,
    at_end: bool,
    taken: u64,
    /// Why the source itself could not be read further.
    failure: Option<ReadError>,
}

impl SourceReader {
    pub(super) fn new(source: Box<dyn Source>) -> Self {
        Self { source, block: Bytes::new(), at_end: false, taken: 0, failure: None }
    }

    /// Bytes taken so far.
    pub(super) fn taken(&self) -> u64 {
        self.taken
    }

    /// True where more can be had without waiting for the source.
    pub(super) fn has_more_at_hand(&self) -> bool {
        !self.block.is_empty()
    }

    /// Why the source ended before its end, once.
    pub(super) fn take_failure(&mut self) -> Option<ReadError> {
        self.failure.take()
    }

    /// Puts bytes back that were taken last.
    pub(super) fn put_back(&mut self, bytes: &[u8]) {
        self.taken -= bytes.len() as u64;
        self.block = [bytes, &self.block[..]].concat().into();
    }

    fn read_on(&mut self) -> io::Result<Option<Bytes>> {
        if self.at_end {
            return Ok(None);
        }
        match self.source.next_block() {
            Ok(Some(block)) => Ok(Some(block.into_bytes())),
            Ok(None) => {
                self.at_end = true;
                Ok(None)
            }
            Err(error) => {
                self.at_end = true;
                self.failure = Some(error);
                // Only ends the decoder; who asked gets the error itself.
                Err(io::ErrorKind::Other.into())
            }
        }
    }

    /// The next bytes, at least this many where there are as many, without taking them.
    pub(super) fn peek(&mut self, bytes: usize) -> io::Result<&[u8]> {
        while self.block.len() < bytes {
            let Some(more) = self.read_on()? else { break };
            self.block = if self.block.is_empty() {
                more
            } else {
                [&self.block[..], &more[..]].concat().into()
            };
        }
        Ok(&self.block)
    }
}

impl Read for SourceReader {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let bytes = self.fill_buf()?;
        let count = bytes.len().min(buffer.len());
        buffer[..count].copy_from_slice(&bytes[..count]);
        self.consume(count);
        Ok(count)
    }
}

impl BufRead for SourceReader {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        self.peek(1)
    }

    fn consume(&mut self, count: usize) {
        self.block.advance(count);
        self.taken += count as u64;
    }
}
