//! Where a script writes: the stage's output or the file being edited, and files of `w`.

use std::sync::Arc;

use stream::{BLOCK_SIZE, Block, LineId, Origin, Sink, StageError, StageIo, WriteError, describe};

/// Bytes that are gathered before they are handed on.
const OUT_SIZE: usize = 16 * 1024;

/// One place to write to. A last line without its newline gets it when more follows.
pub(super) struct Place {
    name: Vec<u8>,
    /// `None` for the stage's output.
    sink: Option<Arc<dyn Sink>>,
    buffer: Vec<u8>,
    owes_newline: bool,
    /// Hands on each line at once.
    unbuffered: bool,
}

impl Place {
    pub(super) fn standard() -> Self {
        Self {
            name: Vec::new(),
            sink: None,
            buffer: Vec::new(),
            owes_newline: false,
            unbuffered: false,
        }
    }

    /// Hands on each line at once, where asked.
    pub(super) fn unbuffered(self, unbuffered: bool) -> Self {
        Self { unbuffered, ..self }
    }

    pub(super) fn file(name: &[u8], sink: Arc<dyn Sink>) -> Self {
        Self {
            name: name.to_vec(),
            sink: Some(sink),
            buffer: Vec::new(),
            owes_newline: false,
            unbuffered: false,
        }
    }

    /// True for the stage's output.
    pub(super) fn is_standard(&self) -> bool {
        self.sink.is_none()
    }

    /// What was written last gets no newline: what follows comes directly after it.
    pub(super) fn leave_open(&mut self) {
        self.owes_newline = false;
    }

    /// What was written last is made a whole line.
    pub(super) fn end_line(
        &mut self,
        io: &mut StageIo<'_>,
        newline: u8,
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        if !std::mem::take(&mut self.owes_newline) {
            return Ok(());
        }
        self.put(io, b"", Some(newline), newline, origin)
    }

    /// Writes a text that comes from `origin`, and its newline (or `end`) where it has one.
    pub(super) fn put(
        &mut self,
        io: &mut StageIo<'_>,
        text: &[u8],
        end: Option<u8>,
        newline: u8,
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        if std::mem::take(&mut self.owes_newline) {
            self.buffer.push(newline);
        }
        let straight = self.sink.is_none() && io.keeps_origins();
        self.buffer.extend_from_slice(text);
        match end {
            Some(end) => self.buffer.push(end),
            None => self.owes_newline = true,
        }
        if straight {
            io.out().put(&self.buffer, origin)?;
            self.buffer.clear();
        } else if self.buffer.len() >= OUT_SIZE || self.unbuffered {
            self.flush(io)?;
            if self.unbuffered && self.sink.is_none() {
                io.out().flush()?;
            }
        }
        Ok(())
    }

    /// Writes whole lines at once, the first of them from `first`.
    pub(super) fn pass(
        &mut self,
        io: &mut StageIo<'_>,
        lines: bytes::Bytes,
        newline: u8,
        first: LineId,
    ) -> Result<(), StageError> {
        if std::mem::take(&mut self.owes_newline) {
            self.buffer.push(newline);
        }
        if self.sink.is_some() || lines.len() < BLOCK_SIZE / 4 && !io.keeps_origins() {
            self.buffer.extend_from_slice(&lines);
            return if self.buffer.len() >= OUT_SIZE { self.flush(io) } else { Ok(()) };
        }
        self.flush(io)?;
        Ok(io.out().pass(lines, first)?)
    }

    /// Hands on what was gathered.
    pub(super) fn flush(&mut self, io: &mut StageIo<'_>) -> Result<(), StageError> {
        if self.buffer.is_empty() {
            return Ok(());
        }
        let Some(sink) = &self.sink else {
            io.out().put(&self.buffer, Origin::None)?;
            self.buffer.clear();
            return Ok(());
        };
        let block = Block::new(std::mem::take(&mut self.buffer));
        sink.write(block).map_err(|error| match error {
            WriteError::Cancelled => StageError::Cancelled,
            WriteError::Io(error) => {
                let name = String::from_utf8_lossy(&self.name);
                StageError::failed(4, format!("couldn't write {name}: {}", describe(&error)))
            }
            closed @ WriteError::Closed => closed.into(),
        })
    }
}
