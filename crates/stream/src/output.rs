//! The output of a stage: lines gathered into blocks, with their origins.

use parking_lot::Mutex;
use std::sync::Arc;

use bytes::Bytes;

use crate::{
    BLOCK_SIZE, Block, FileFacts, LineId, Lines, Origin, OriginStore, Sink, SinkLayer, WriteError,
};

/// Bytes from which a run of lines is passed on shared instead of copied.
const SHARE_FROM: usize = 8 * 1024;

/// The standard output of a stage: gathers small writes into blocks, passes large ones on
/// shared, and notes the origin of each line where the run keeps origins.
///
/// Nothing is written when it is dropped: the stage's driver calls [`Output::flush`].
pub struct Output {
    sink: Arc<dyn Sink>,
    buffer: Vec<u8>,
    block_size: usize,
    origins: Option<Arc<Mutex<OriginStore>>>,
    at_line_start: bool,
    eager: bool,
    /// A whole block was written: the next one will be too.
    flows: bool,
}

/// The room that is made for the first bytes, so that many short outputs cost little.
const FIRST_ROOM: usize = 8 * 1024;

impl Output {
    /// Writes to `sink`, keeping origins where a store is given.
    pub fn new(sink: Arc<dyn Sink>, origins: Option<Arc<Mutex<OriginStore>>>) -> Self {
        Self {
            sink,
            buffer: Vec::new(),
            block_size: BLOCK_SIZE,
            origins,
            at_line_start: true,
            eager: false,
            flows: false,
        }
    }

    /// Sets the size at which blocks are flushed (tests use tiny ones).
    #[must_use]
    pub fn with_block_size(mut self, bytes: usize) -> Self {
        self.block_size = bytes.max(1);
        self
    }

    /// Hands on what is written at once, for streams that go on for ever and are watched.
    #[must_use]
    pub fn eager(mut self, eager: bool) -> Self {
        self.eager = eager;
        self
    }

    /// True where somebody watches; see [`Output::eager`]. Nothing should then wait for more
    /// input than it needs.
    pub fn is_eager(&self) -> bool {
        self.eager
    }

    /// True when this run keeps origins: worth the work of finding line numbers.
    pub fn keeps_origins(&self) -> bool {
        self.origins.is_some()
    }

    /// True when what was written so far ends a line, or nothing was written.
    pub fn at_line_start(&self) -> bool {
        self.at_line_start
    }

    fn note(&mut self, bytes: &[u8], origin: Origin<'_>) {
        let Some(&last) = bytes.last() else { return };
        let starts_inside = !self.at_line_start;
        self.at_line_start = last == b'\n';
        let Some(store) = &self.origins else { return };
        let newlines = memchr::memchr_iter(b'\n', bytes).count() as u64;
        let mut begun = newlines + u64::from(last != b'\n');
        let mut store = store.lock();
        let mut origin = origin;
        if starts_inside {
            store.extend_last(origin);
            begun -= 1;
            if let Origin::Sequence(id) = origin {
                origin = Origin::Sequence(id.plus(1));
            }
        }
        store.push(begun, origin);
    }

    /// Writes bytes that come from `origin`: a line, several lines, or a part of one.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write). What was written before may come out with a later call.
    #[inline]
    pub fn put(&mut self, bytes: &[u8], origin: Origin<'_>) -> Result<(), WriteError> {
        self.note(bytes, origin);
        self.append(bytes)
    }

    #[inline]
    fn append(&mut self, mut bytes: &[u8]) -> Result<(), WriteError> {
        let ends_line = bytes.last() == Some(&b'\n');
        while self.buffer.len() + bytes.len() >= self.block_size {
            let (head, tail) =
                bytes.split_at(self.block_size.saturating_sub(self.buffer.len()).min(bytes.len()));
            self.buffer.extend_from_slice(head);
            bytes = tail;
            self.flows = true;
            self.flush()?;
        }
        if self.buffer.capacity() - self.buffer.len() < bytes.len() {
            let small = !self.flows && self.buffer.len() + bytes.len() <= FIRST_ROOM;
            let room = if small { FIRST_ROOM.min(self.block_size) } else { self.block_size };
            self.buffer.reserve_exact(room - self.buffer.len());
        }
        self.buffer.extend_from_slice(bytes);
        if self.eager && ends_line {
            return self.flush();
        }
        Ok(())
    }

    /// Writes one line and its newline.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    #[inline]
    pub fn line(&mut self, line: &[u8], origin: Origin<'_>) -> Result<(), WriteError> {
        if self.origins.is_some() {
            // One note for both parts, so that an empty line counts.
            let at_start = self.at_line_start;
            if let Some(store) = &self.origins {
                let mut store = store.lock();
                if at_start { store.push(1, origin) } else { store.extend_last(origin) }
            }
        }
        self.at_line_start = true;
        self.append(line)?;
        self.append(b"\n")
    }

    /// Writes whole lines, each with its newline, of which each comes from one line: `ids` has
    /// one for each.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn put_each(&mut self, lines: &[u8], ids: &[LineId]) -> Result<(), WriteError> {
        if let Some(store) = &self.origins {
            let mut store = store.lock();
            let mut ids = ids.iter();
            if !self.at_line_start
                && let Some(&id) = ids.next()
            {
                store.extend_last(Origin::Line(id));
            }
            for &id in ids {
                store.push(1, Origin::Line(id));
            }
        }
        self.at_line_start |= !lines.is_empty();
        self.append(lines)
    }

    /// Passes on bytes unchanged, the first of them from line `first`, without copying where
    /// that is worth it.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn pass(&mut self, bytes: Bytes, first: LineId) -> Result<(), WriteError> {
        if bytes.len() < SHARE_FROM {
            return self.put(&bytes, Origin::Sequence(first));
        }
        self.note(&bytes, Origin::Sequence(first));
        self.flush()?;
        self.sink.write(Block::new(bytes))
    }

    /// As [`Output::pass`], for lines as they were read.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn pass_lines(&mut self, lines: Lines) -> Result<(), WriteError> {
        let Lines { bytes, first, newlines } = lines;
        if bytes.len() < SHARE_FROM {
            return self.put(&bytes, Origin::Sequence(first));
        }
        self.note(&bytes, Origin::Sequence(first));
        self.flush()?;
        self.sink.write(Block::counted(bytes, newlines))
    }

    /// Writes a block the filter made itself, each line of it from the line at the same place
    /// after `first`.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn put_owned(&mut self, bytes: Vec<u8>, first: LineId) -> Result<(), WriteError> {
        self.pass(bytes.into(), first)
    }

    /// Hands everything gathered so far to the reader.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn flush(&mut self) -> Result<(), WriteError> {
        if self.buffer.is_empty() {
            return Ok(());
        }
        let block = Block::gathered(&mut self.buffer);
        self.sink.write(block)
    }

    /// True when it is known that nobody reads any more.
    pub fn is_closed(&self) -> bool {
        self.sink.is_closed()
    }

    /// True when the output goes straight to a terminal.
    pub fn is_terminal(&self) -> bool {
        self.sink.is_terminal()
    }

    /// What is known of the file the output goes to; `None` where it goes elsewhere.
    pub fn file_facts(&self) -> Option<FileFacts> {
        self.sink.facts()
    }

    /// A sink that writes to the same place, for a command a stage starts: every line it writes
    /// comes from the lines from `first` to `last`. What was gathered here goes out first.
    ///
    /// # Errors
    /// Those of [`Sink::write`](crate::Sink::write).
    pub fn side(&mut self, lines: Option<(LineId, LineId)>) -> Result<Arc<Side>, WriteError> {
        self.flush()?;
        self.at_line_start = true;
        Ok(Arc::new(Side {
            sink: self.sink.clone(),
            origins: self.origins.clone(),
            lines,
            at_line_start: Mutex::new(true),
        }))
    }
}

/// A second way into an [`Output`]; see [`Output::side`].
pub struct Side {
    sink: Arc<dyn Sink>,
    origins: Option<Arc<Mutex<OriginStore>>>,
    lines: Option<(LineId, LineId)>,
    at_line_start: Mutex<bool>,
}

impl SinkLayer for Side {
    fn inner(&self) -> &dyn Sink {
        &*self.sink
    }

    fn pass(&self, block: Block) -> Result<(), WriteError> {
        let mut at_line_start = self.at_line_start.lock();
        if let Some(store) = &self.origins
            && !block.is_empty()
        {
            let origin = match self.lines {
                Some((first, last)) => Origin::Range(first, last),
                None => Origin::None,
            };
            let begun = block.newlines() + u64::from(!block.ends_line());
            let mut store = store.lock();
            store.push(begun - u64::from(!*at_line_start), origin);
        }
        *at_line_start = block.is_empty() && *at_line_start || block.ends_line();
        self.sink.write(block)
    }
}

#[cfg(test)]
mod tests;
