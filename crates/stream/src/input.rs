//! The input of a stage: its lines, whole, wherever the blocks end.

use std::sync::Arc;

use bytes::Bytes;
use memchr::{memchr, memrchr};

use crate::{Arrivals, Block, FileFacts, LineId, Processors, ReadError, Source, Tail};

/// One input of a stage, numbered, read as blocks or as runs of whole lines.
///
/// Memory: one block, plus the line that is being put together where lines are asked for.
pub struct Input {
    source: Box<dyn Source>,
    /// The start of a line whose end has not been read yet.
    partial: Vec<u8>,
    /// Read but not handed out.
    queued: Bytes,
    number: usize,
    line: u64,
    /// True when the last byte handed out ended a line (or nothing was handed out).
    at_line_start: bool,
}

/// A run of bytes of an input and the line its first byte belongs to.
#[derive(Clone, Debug)]
pub struct Lines {
    /// The bytes. From [`Input::next_lines`]: whole lines, each with its newline, but for the
    /// last line of an input that does not end in one.
    pub bytes: Bytes,
    /// The line of the first byte.
    pub first: LineId,
    /// How many newlines there are in it.
    pub newlines: u64,
}

impl Lines {
    /// Each line without its newline, with its number.
    pub fn iter(&self) -> impl Iterator<Item = (LineId, &[u8])> {
        let mut rest: &[u8] = &self.bytes;
        let mut id = self.first;
        std::iter::from_fn(move || {
            if rest.is_empty() {
                return None;
            }
            let end = memchr(b'\n', rest);
            let line = &rest[..end.unwrap_or(rest.len())];
            rest = &rest[end.map_or(rest.len(), |at| at + 1)..];
            let this = id;
            id = id.plus(1);
            Some((this, line))
        })
    }
}

impl Input {
    /// Reads `source` as input number `number` of its stage.
    pub fn new(source: Box<dyn Source>, number: usize) -> Self {
        Self {
            source,
            partial: Vec::new(),
            queued: Bytes::new(),
            number,
            line: 0,
            at_line_start: true,
        }
    }

    /// The number of this input within its stage.
    pub fn number(&self) -> usize {
        self.number
    }

    /// Cuts the source; see [`Source::split`]. `None` too when something was read already.
    pub fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
        let untouched = self.line == 0
            && self.at_line_start
            && self.partial.is_empty()
            && self.queued.is_empty();
        if untouched { self.source.split(parts) } else { None }
    }

    /// The length of the file behind this input, where it is a regular one.
    pub fn file_bytes(&self) -> Option<u64> {
        self.source.file_bytes()
    }

    /// What is known by now of the file behind this input; see [`Source::facts`].
    pub fn file_facts(&self) -> Option<FileFacts> {
        self.source.facts()
    }

    /// The place reached in the file behind this input; see [`Source::position`].
    pub fn position(&self) -> Option<u64> {
        self.source.position()
    }

    /// When its lines came, where that was noted; they have the numbers of this input.
    pub fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.source.arrivals()
    }

    /// Goes back to the beginning of a file; what was read and not handed out is forgotten.
    pub fn rewind(&mut self) -> bool {
        self.partial.clear();
        self.queued.clear();
        self.source.rewind()
    }

    /// Reads through another source from here on. Nothing may have been handed out yet; what was only
    /// looked at ([`Input::peek`]) goes through it too.
    pub fn wrap(&mut self, wrapper: impl FnOnce(Box<dyn Source>) -> Box<dyn Source>) {
        let source = std::mem::replace(&mut self.source, Box::new(crate::end::AtEnd));
        let first = std::mem::take(&mut self.queued);
        self.source = if first.is_empty() {
            wrapper(source)
        } else {
            wrapper(Box::new(LookedAt { first: Some(Block::new(first)), rest: source }))
        };
    }

    /// Skips to the last part where the source can; see [`Source::seek_last`].
    ///
    /// # Errors
    /// Those of [`Source::seek_last`].
    pub fn seek_last(&mut self, part: Tail) -> Result<bool, ReadError> {
        self.source.seek_last(part)
    }

    fn hand_out(&mut self, bytes: Bytes, newlines: u64) -> Lines {
        let first = LineId::new(self.number, self.line);
        self.line += newlines;
        self.at_line_start = bytes.last().is_none_or(|&byte| byte == b'\n');
        Lines { bytes, first, newlines }
    }

    /// How many newlines have been handed out.
    pub fn newlines(&self) -> u64 {
        self.line
    }

    /// True when the bytes handed out so far end a line.
    pub fn at_line_start(&self) -> bool {
        self.at_line_start
    }

    /// The next bytes however they are cut; `None` at the end.
    ///
    /// # Errors
    /// Those of [`Source::next_block`](crate::Source::next_block).
    pub fn next_block(&mut self) -> Result<Option<Lines>, ReadError> {
        self.next_block_of(|source| source.next_block())
    }

    /// As [`Input::next_block`], with the help of other processors where the source has use for them.
    ///
    /// # Errors
    /// Those of [`Source::next_block`](crate::Source::next_block).
    pub fn next_block_with(
        &mut self,
        processors: &dyn Processors,
    ) -> Result<Option<Lines>, ReadError> {
        self.next_block_of(|source| source.next_block_with(processors))
    }

    fn next_block_of(
        &mut self,
        next: impl FnOnce(&mut dyn Source) -> Result<Option<Block>, ReadError>,
    ) -> Result<Option<Lines>, ReadError> {
        if !self.partial.is_empty() || !self.queued.is_empty() {
            let mut bytes = std::mem::take(&mut self.partial);
            bytes.extend_from_slice(&std::mem::take(&mut self.queued));
            let newlines = memchr::memchr_iter(b'\n', &bytes).count() as u64;
            return Ok(Some(self.hand_out(bytes.into(), newlines)));
        }
        Ok(next(&mut *self.source)?.map(|block| {
            let newlines = block.newlines();
            self.hand_out(block.into_bytes(), newlines)
        }))
    }

    /// The next whole lines; `None` at the end. A line spread over several blocks is put
    /// together; all other bytes are shared, not copied.
    ///
    /// # Errors
    /// Those of [`Source::next_block`](crate::Source::next_block).
    pub fn next_lines(&mut self) -> Result<Option<Lines>, ReadError> {
        loop {
            if !self.queued.is_empty() {
                let block = std::mem::take(&mut self.queued);
                if let Some(last) = memrchr(b'\n', &block) {
                    let whole = block.slice(..=last);
                    self.partial.extend_from_slice(&block[last + 1..]);
                    let newlines = memchr::memchr_iter(b'\n', &whole).count() as u64;
                    return Ok(Some(self.hand_out(whole, newlines)));
                }
                self.partial.extend_from_slice(&block);
            }
            let Some(block) = self.source.next_block()? else {
                if self.partial.is_empty() {
                    return Ok(None);
                }
                let bytes = std::mem::take(&mut self.partial);
                return Ok(Some(self.hand_out(bytes.into(), 0)));
            };
            if block.newlines() == 0 {
                self.partial.extend_from_slice(block.bytes());
                continue;
            }
            let newlines = block.newlines();
            let mut bytes = block.into_bytes();
            if self.partial.is_empty() {
                let last = memrchr(b'\n', &bytes).unwrap_or(0);
                if last + 1 < bytes.len() {
                    self.partial.extend_from_slice(&bytes[last + 1..]);
                    bytes.truncate(last + 1);
                }
                return Ok(Some(self.hand_out(bytes, newlines)));
            }
            let first = memchr(b'\n', &bytes).unwrap_or(0);
            let mut joined = std::mem::take(&mut self.partial);
            joined.extend_from_slice(&bytes[..=first]);
            self.queued = bytes.slice(first + 1..);
            return Ok(Some(self.hand_out(joined.into(), 1)));
        }
    }

    /// Leaves what was read but not used for whoever reads the same input next: `rest`, which was
    /// handed out last, and what is held here.
    pub fn leave(&mut self, rest: &[u8]) {
        let mut left = rest.to_vec();
        left.append(&mut self.partial);
        left.extend_from_slice(&std::mem::take(&mut self.queued));
        if !left.is_empty() {
            self.source.give_back(left.into());
        }
    }

    /// Reads until at least `bytes` bytes (or the end) are at hand, and shows the first of them
    /// without handing them out. How the source was cut does not matter.
    ///
    /// # Errors
    /// Those of [`Source::next_block`](crate::Source::next_block).
    pub fn peek(&mut self, bytes: usize) -> Result<&[u8], ReadError> {
        if self.partial.len() + self.queued.len() < bytes {
            let queued = std::mem::take(&mut self.queued);
            self.partial.extend_from_slice(&queued);
            while self.partial.len() < bytes {
                let Some(block) = self.source.next_block()? else { break };
                self.partial.extend_from_slice(block.bytes());
            }
            self.queued = std::mem::take(&mut self.partial).into();
        }
        Ok(&self.queued[..self.queued.len().min(bytes)])
    }
}

/// A source of which the first bytes were taken to be looked at.
struct LookedAt {
    first: Option<Block>,
    rest: Box<dyn Source>,
}

impl Source for LookedAt {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        match self.first.take() {
            Some(first) => Ok(Some(first)),
            None => self.rest.next_block(),
        }
    }

    fn is_part(&self) -> bool {
        self.rest.is_part()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::CutSource;
    use proptest::prelude::*;

    fn read_lines(data: &[u8], cut: usize) -> (Vec<u8>, Vec<(u64, Vec<u8>)>) {
        let mut input = Input::new(Box::new(CutSource::new(data, cut)), 0);
        let mut all = Vec::new();
        let mut lines = Vec::new();
        while let Some(run) = input.next_lines().unwrap() {
            all.extend_from_slice(&run.bytes);
            lines.extend(run.iter().map(|(id, line)| (id.line(), line.to_vec())));
        }
        (all, lines)
    }

    /// A source that can be cut in as many parts as are asked for.
    struct Cuttable;

    impl Source for Cuttable {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            Ok(Some(Block::new(Bytes::from_static(b"a\nb"))))
        }

        fn split(&mut self, parts: usize) -> Option<Vec<Box<dyn Source>>> {
            Some((0..parts).map(|_| Box::new(Self) as Box<dyn Source>).collect())
        }
    }

    #[test]
    fn what_is_at_hand_is_shown_without_reading_on() {
        struct Once(bool);
        impl Source for Once {
            fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
                assert!(!std::mem::replace(&mut self.0, true), "nobody needs more");
                Ok(Some(Block::new(Bytes::from_static(b"abcd"))))
            }
        }
        let mut input = Input::new(Box::new(Once(false)), 0);
        for bytes in [4, 4, 2, 0] {
            assert_eq!(input.peek(bytes).unwrap(), &b"abcd"[..bytes]);
        }
        assert_eq!(Input::new(Box::new(Once(true)), 0).peek(0).unwrap(), b"");
    }

    #[test]
    fn only_what_was_not_touched_is_cut_in_parts() {
        let parts = |input: &mut Input| input.split(3).map(|parts| parts.len());
        let new = || Input::new(Box::new(Cuttable), 0);
        assert_eq!(parts(&mut new()), Some(3));
        assert!(new().at_line_start());
        let mut looked_at = new();
        looked_at.peek(1).unwrap();
        assert_eq!(parts(&mut looked_at), None);
        let mut read = new();
        read.next_lines().unwrap();
        assert_eq!(parts(&mut read), None);
        let mut read = new();
        read.next_block().unwrap();
        assert!(!read.at_line_start());
        assert_eq!(parts(&mut read), None);
    }

    #[test]
    fn a_last_line_without_newline_is_a_line() {
        assert_eq!(read_lines(b"a\nb", 1).1, vec![(0, b"a".to_vec()), (1, b"b".to_vec())]);
        assert_eq!(read_lines(b"", 1).1, vec![]);
        assert_eq!(read_lines(b"\n", 1).1, vec![(0, b"".to_vec())]);
    }

    proptest! {
        #[test]
        fn lines_do_not_depend_on_the_cut(data in "[ab\n]{0,60}", cut in 1usize..20) {
            let whole = read_lines(data.as_bytes(), 1000);
            let cut = read_lines(data.as_bytes(), cut);
            prop_assert_eq!(&whole.0, data.as_bytes());
            prop_assert_eq!(whole, cut);
        }

        #[test]
        fn peeking_loses_nothing(data in "[ab\n]{0,60}", cut in 1usize..20, want in 0usize..80) {
            let mut input = Input::new(Box::new(CutSource::new(data.as_bytes(), cut)), 0);
            let seen = input.peek(want).unwrap().to_vec();
            prop_assert_eq!(&seen[..], &data.as_bytes()[..want.min(data.len())]);
            let mut all = Vec::new();
            let mut number = 0;
            while let Some(run) = input.next_lines().unwrap() {
                prop_assert_eq!(run.first.line(), number);
                number += run.iter().count() as u64;
                all.extend_from_slice(&run.bytes);
            }
            prop_assert_eq!(&all[..], data.as_bytes());
        }
    }
}
