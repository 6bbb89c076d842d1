//! Two ways of reading lines that many filters share.

use bytes::Bytes;
use memchr::memchr_iter;
use stream::{Input, LineId, Origin, ReadError, StageError, StageIo};

/// Writes each line of the inputs as `edit` makes it: one line in, one line out. A last line
/// without a newline stays without one.
pub(crate) fn edit_lines(
    io: &mut StageIo<'_>,
    files: &[Vec<u8>],
    status: u8,
    mut edit: impl FnMut(&[u8], &mut Vec<u8>),
) -> Result<(), StageError> {
    io.each_input(files, status, |io, input, _| {
        let mut edited = Vec::new();
        while let Some(lines) = input.next_lines()? {
            edited.clear();
            edited.reserve(lines.bytes.len());
            for (_, line) in lines.iter() {
                edit(line, &mut edited);
                edited.push(b'\n');
            }
            if !lines.bytes.ends_with(b"\n") {
                edited.pop();
            }
            io.out().put(&edited, Origin::Sequence(lines.first))?;
        }
        Ok(())
    })
}

/// An input line by line, for filters that read several inputs in step. Memory: a block, and eight
/// bytes for each of its lines.
pub(crate) struct LineFeed {
    input: Input,
    block: Bytes,
    /// Where each line of the block ends: all at once are found much faster than one by one.
    ends: Vec<usize>,
    /// How many of them were handed out.
    used: usize,
    start: usize,
    end: usize,
    /// The first line of the block.
    first: LineId,
    at_end: bool,
}

impl LineFeed {
    pub(crate) fn new(input: Input) -> Self {
        let first = LineId::new(input.number(), 0);
        Self {
            input,
            block: Bytes::new(),
            ends: Vec::new(),
            used: 0,
            start: 0,
            end: 0,
            first,
            at_end: false,
        }
    }

    /// Goes to the next line; false at the end.
    #[inline]
    pub(crate) fn advance(&mut self) -> Result<bool, ReadError> {
        if self.used == self.ends.len() && !self.load()? {
            return Ok(false);
        }
        self.start = if self.used == 0 { 0 } else { self.end + 1 };
        self.end = self.ends[self.used];
        self.used += 1;
        Ok(true)
    }

    #[cold]
    #[inline(never)]
    fn load(&mut self) -> Result<bool, ReadError> {
        (self.used, self.start, self.end) = (0, 0, 0);
        self.ends.clear();
        self.block = Bytes::new();
        if self.at_end {
            return Ok(false);
        }
        let Some(lines) = self.input.next_lines()? else {
            self.at_end = true;
            return Ok(false);
        };
        self.ends.extend(memchr_iter(b'\n', &lines.bytes));
        if !lines.bytes.ends_with(b"\n") {
            self.ends.push(lines.bytes.len());
        }
        (self.block, self.first) = (lines.bytes, lines.first);
        Ok(true)
    }

    /// The line, without its newline; empty before the first and behind the last.
    #[inline]
    pub(crate) fn line(&self) -> &[u8] {
        &self.block[self.start..self.end]
    }

    /// The line, sharing the block it came in.
    pub(crate) fn share(&self) -> Bytes {
        self.block.slice(self.start..self.end)
    }

    /// Its number.
    #[inline]
    pub(crate) fn id(&self) -> LineId {
        self.first.plus(self.used.saturating_sub(1) as u64)
    }
}

/// A read error as the end of a stage, with the file's name.
pub(crate) fn read_failure(status: u8, name: &[u8], error: ReadError) -> StageError {
    match error {
        ReadError::Cancelled => StageError::Cancelled,
        ReadError::Io(error) => open_failure(status, name, &error),
    }
}

/// A file that cannot be opened as the end of a stage.
pub(crate) fn open_failure(status: u8, name: &[u8], error: &std::io::Error) -> StageError {
    let name = String::from_utf8_lossy(name);
    StageError::failed(status, format!("{name}: {}", stream::describe(error)))
}
