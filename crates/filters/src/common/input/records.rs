//! An input as records: lines, paragraphs, or what is between matches of a pattern.

use bytes::Bytes;
use memchr::{memchr, memchr_iter};
use pattern::Pattern;
use stream::{Block, Input, LineId, ReadError};

/// Bytes that are looked at behind a separator without an upper bound before it is taken as it
/// is: so what a record is does not depend on how the input was cut.
const WINDOW: usize = 64 * 1024;

/// What ends a record.
#[allow(clippy::large_enum_variant)] // there are few, and they stay where they are
#[derive(Debug)]
pub(crate) enum Separator {
    Byte(u8),
    /// Empty lines.
    Paragraph,
    Pattern(Pattern),
}

/// Where blocks come from.
pub(crate) enum Blocks<'w> {
    Input(Input),
    Command(Box<dyn stream::Running + 'w>),
}

impl Blocks<'_> {
    fn next(&mut self) -> Result<Option<Bytes>, ReadError> {
        match self {
            Self::Input(input) => Ok(input.next_block()?.map(|lines| lines.bytes)),
            Self::Command(running) => Ok(running.next_block()?.map(Block::into_bytes)),
        }
    }
}

/// A record, and the lines it lies on.
pub(crate) struct Found {
    pub(crate) text: Bytes,
    pub(crate) lines: (LineId, LineId),
    /// False for a last record without a separator behind it.
    pub(crate) terminated: bool,
}

pub(crate) struct Records<'w> {
    pub(crate) blocks: Blocks<'w>,
    block: Bytes,
    at: usize,
    /// The line of the byte at `at`.
    line: LineId,
    ended: bool,
    /// True when a separator at the very end is not waited for.
    pub(crate) eager: bool,
}

impl<'w> Records<'w> {
    pub(crate) fn new(blocks: Blocks<'w>, eager: bool) -> Self {
        let number = match &blocks {
            Blocks::Input(input) => input.number(),
            Blocks::Command(_) => 0,
        };
        let line = LineId::new(number, 0);
        Self { blocks, block: Bytes::new(), at: 0, line, ended: false, eager }
    }

    /// Leaves what was read but not used for whoever reads the same input next.
    pub(crate) fn leave(&mut self) {
        if let Blocks::Input(input) = &mut self.blocks {
            let at = self.at.min(self.block.len());
            input.leave(&self.block[at..]);
            (self.block, self.at, self.ended) = (Bytes::new(), 0, true);
        }
    }

    /// Adds the next block to what is left of this one. False at the end of the input.
    fn more(&mut self) -> Result<bool, ReadError> {
        if self.ended {
            return Ok(false);
        }
        let Some(next) = self.blocks.next()? else {
            self.ended = true;
            return Ok(false);
        };
        if self.at >= self.block.len() {
            self.block = next;
        } else {
            let left = &self.block[self.at..];
            let mut joined = Vec::with_capacity(left.len() + next.len());
            joined.extend_from_slice(left);
            joined.extend_from_slice(&next);
            self.block = joined.into();
        }
        self.at = 0;
        Ok(true)
    }

    /// Reads until there is twice as much as there was, so that looking again and again at a long
    /// record takes time in proportion to its length.
    fn much_more(&mut self) -> Result<bool, ReadError> {
        let had = self.block.len() - self.at;
        let mut gathered = self.block[self.at..].to_vec();
        while !self.ended && (gathered.len() == had || !self.eager && gathered.len() < 2 * had) {
            match self.blocks.next()? {
                Some(next) => gathered.extend_from_slice(&next),
                None => self.ended = true,
            }
        }
        let grown = gathered.len() > had;
        (self.block, self.at) = (gathered.into(), 0);
        Ok(grown)
    }

    /// Hands out `length` bytes and passes over `separator` more.
    fn take(&mut self, length: usize, separator: usize, tracks: bool) -> Found {
        let (start, end) = (self.at, self.at + length);
        let text = self.block.slice(start..end);
        let from = self.line;
        let mut to = from;
        if tracks {
            let newlines = |range| memchr_iter(b'\n', &self.block[range]).count() as u64;
            let inside = newlines(start..end);
            self.line = from.plus(inside + newlines(end..end + separator));
            // A record that ends with its newline does not reach into the line after it.
            to = from.plus(inside - u64::from(inside > 0 && text.ends_with(b"\n")));
        }
        self.at = end + separator;
        Found { text, lines: (from, to), terminated: separator > 0 }
    }

    /// The next record; `None` at the end.
    #[inline]
    pub(crate) fn next(
        &mut self,
        separator: &Separator,
        tracks: bool,
    ) -> Result<Option<Found>, ReadError> {
        if let Separator::Byte(b'\n') = separator
            && let Some(length) = memchr(b'\n', &self.block[self.at..])
        {
            let text = self.block.slice(self.at..self.at + length);
            self.at += length + 1;
            let line = self.line;
            self.line = line.plus(1);
            return Ok(Some(Found { text, lines: (line, line), terminated: true }));
        }
        match separator {
            Separator::Byte(byte) => self.next_by_byte(*byte, tracks),
            Separator::Paragraph => self.next_paragraph(tracks),
            Separator::Pattern(pattern) => self.next_by_pattern(pattern, tracks),
        }
    }

    /// As [`Records::next`], but adds the text to `out`: no part of a block is held for it. Gives
    /// the lines, and whether there was a separator.
    #[inline]
    pub(crate) fn next_into(
        &mut self,
        separator: &Separator,
        tracks: bool,
        out: &mut Vec<u8>,
    ) -> Result<Option<((LineId, LineId), bool)>, ReadError> {
        if let Separator::Byte(b'\n') = separator
            && let Some((start, end, line)) = self.next_in_block()
        {
            out.extend_from_slice(&self.block[start..end]);
            return Ok(Some(((line, line), true)));
        }
        Ok(self.next(separator, tracks)?.map(|found| {
            out.extend_from_slice(&found.text);
            (found.lines, found.terminated)
        }))
    }

    fn next_by_byte(&mut self, byte: u8, tracks: bool) -> Result<Option<Found>, ReadError> {
        if let Some(length) = memchr(byte, &self.block[self.at..]) {
            return Ok(Some(self.take(length, 1, tracks)));
        }
        // Each block is searched once, however long the record grows.
        let mut gathered = self.block[self.at..].to_vec();
        while !self.ended {
            let Some(next) = self.blocks.next()? else {
                self.ended = true;
                break;
            };
            let found = memchr(byte, &next);
            let had = gathered.len();
            if let (Some(length), 0) = (found, had) {
                (self.block, self.at) = (next, 0);
                return Ok(Some(self.take(length, 1, tracks)));
            }
            match found {
                Some(length) => {
                    gathered.extend_from_slice(&next[..=length]);
                    (self.block, self.at) = (gathered.into(), 0);
                    let record = self.take(had + length, 1, tracks);
                    (self.block, self.at) = (next, length + 1);
                    return Ok(Some(record));
                }
                None => gathered.extend_from_slice(&next),
            }
        }
        (self.block, self.at) = (gathered.into(), 0);
        self.last(tracks)
    }

    /// The next line where it lies in the block at hand: its part of the block, and its number.
    #[inline]
    pub(crate) fn next_in_block(&mut self) -> Option<(usize, usize, LineId)> {
        let start = self.at;
        let length = memchr(b'\n', &self.block[start..])?;
        self.at = start + length + 1;
        let line = self.line;
        self.line = line.plus(1);
        Some((start, start + length, line))
    }

    /// Passes over the lines before the next one that may match, as far as the block at hand
    /// goes; gives how many.
    pub(crate) fn skip_to(&mut self, pattern: &Pattern) -> u64 {
        let Some(last) = memchr::memrchr(b'\n', &self.block[self.at..]) else { return 0 };
        let whole = &self.block[..=self.at + last];
        let next = match pattern.find_candidate(whole, self.at) {
            Some((place, _)) => self.at + line_start(&whole[self.at..], place - self.at),
            None => whole.len(),
        };
        let lines = memchr_iter(b'\n', &self.block[self.at..next]).count() as u64;
        self.at = next;
        self.line = self.line.plus(lines);
        lines
    }

    /// True when nothing is left. Reads on where nothing is at hand.
    pub(crate) fn is_at_end(&mut self) -> Result<bool, ReadError> {
        Ok(self.at >= self.block.len() && !self.more()?)
    }

    /// The whole lines at hand.
    pub(crate) fn lines_at_hand(&self) -> &[u8] {
        let rest = &self.block[self.at..];
        &rest[..memchr::memrchr(b'\n', rest).map_or(0, |last| last + 1)]
    }

    /// Passes over `length` bytes of whole lines at hand, of which there are `lines`; gives them
    /// and the number of the first.
    pub(crate) fn pass(&mut self, length: usize, lines: u64) -> (Bytes, LineId) {
        let passed = self.block.slice(self.at..self.at + length);
        let first = self.line;
        self.at += length;
        self.line = first.plus(lines);
        (passed, first)
    }

    /// The block at hand.
    pub(crate) fn block(&self) -> &Bytes {
        &self.block
    }

    /// What is left at the end of the input, if anything.
    fn last(&mut self, tracks: bool) -> Result<Option<Found>, ReadError> {
        let length = self.block.len() - self.at;
        Ok((length > 0).then(|| self.take(length, 0, tracks)))
    }

    fn next_paragraph(&mut self, tracks: bool) -> Result<Option<Found>, ReadError> {
        // Newlines before a paragraph belong to none.
        loop {
            let newlines = self.block[self.at..].iter().take_while(|byte| **byte == b'\n').count();
            self.at += newlines;
            self.line = self.line.plus(newlines as u64);
            if self.at < self.block.len() {
                break;
            }
            if !self.more()? {
                return Ok(None);
            }
        }
        let mut searched = 0;
        loop {
            let rest = &self.block[self.at..];
            let mut newlines = memchr_iter(b'\n', &rest[searched..]);
            let end = newlines.find(|at| rest.get(searched + at + 1) == Some(&b'\n'));
            if let Some(end) = end {
                return Ok(Some(self.take(searched + end, 2, tracks)));
            }
            searched = rest.len().saturating_sub(1);
            if !self.much_more()? {
                let rest = &self.block[self.at..];
                let length = rest.strip_suffix(b"\n").unwrap_or(rest).len();
                let separator = rest.len() - length;
                return Ok(Some(self.take(length, separator, tracks)));
            }
        }
    }

    fn next_by_pattern(
        &mut self,
        pattern: &Pattern,
        tracks: bool,
    ) -> Result<Option<Found>, ReadError> {
        let window = pattern.longest_match().unwrap_or(WINDOW);
        loop {
            let rest = &self.block[self.at..];
            let mut from = 0;
            let found = loop {
                match pattern.find(rest, from).ok().flatten() {
                    Some(found) if found.is_empty() && found.end < rest.len() => {
                        from = found.end + 1;
                    }
                    Some(found) if found.is_empty() => break None,
                    other => break other,
                }
            };
            if let Some(found) = found {
                let settled = self.ended
                    || self.eager && found.end < rest.len()
                    || found.start + window < rest.len();
                if settled {
                    return Ok(Some(self.take(found.start, found.len(), tracks)));
                }
            }
            if !self.much_more()? && self.ended && found_none(pattern, &self.block[self.at..]) {
                return self.last(tracks);
            }
        }
    }
}

/// Where the line begins that a match ends in, in whole lines. A match behind the last newline is
/// in no line: all of them are before it.
pub(crate) fn line_start(lines: &[u8], place: usize) -> usize {
    if place >= lines.len() {
        return lines.len();
    }
    memchr::memrchr(b'\n', &lines[..place]).map_or(0, |newline| newline + 1)
}

/// True where nothing that is not empty matches.
fn found_none(pattern: &Pattern, text: &[u8]) -> bool {
    pattern.find_all(text).next().is_none_or(|found| found.is_err())
}
