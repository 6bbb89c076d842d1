//! Sorted lines on their way out.

use std::ops::Range;

use stream::{LineId, Origin, StageError, StageIo};

use super::line_store::{Entry, Held};
use super::output_target::OutputTarget;

/// Runs from this many bytes on are passed on shared.
const SHARED_RUN: usize = 8 << 10;

/// Writes lines. Where origins are kept they are gathered with their lines; else lines that stood
/// one after the other in the input go out together, shared.
pub(super) struct Writer<'h> {
    held: &'h Held,
    /// The lines gathered: the first of them, and its part of the chunk so far.
    run: Option<(Entry, Range<usize>)>,
    lines: Vec<u8>,
    ids: Vec<LineId>,
    traced: bool,
}

impl<'h> Writer<'h> {
    pub(super) fn new(held: &'h Held, traced: bool) -> Self {
        Self { held, run: None, lines: Vec::new(), ids: Vec::new(), traced }
    }

    /// Writes the line of an entry.
    #[inline]
    pub(super) fn write(
        &mut self,
        io: &mut StageIo<'_>,
        entry: &Entry,
        target: &mut OutputTarget<'_>,
    ) -> Result<(), StageError> {
        let whole = self.held.whole(entry);
        if self.traced || whole.is_none() {
            self.lines.extend_from_slice(self.held.line(entry));
            self.lines.push(b'\n');
            self.ids.push(self.held.id(entry));
            if !self.traced || self.lines.len() >= stream::BLOCK_SIZE {
                self.flush(io, target)?;
            }
            return Ok(());
        }
        let part = whole.unwrap_or_default();
        if let Some((first, run)) = &mut self.run {
            if first.chunk == entry.chunk && run.end == part.start {
                run.end = part.end;
                return Ok(());
            }
            self.flush(io, target)?;
        }
        self.run = Some((*entry, part));
        Ok(())
    }

    /// Hands on what was gathered.
    #[inline]
    pub(super) fn flush(
        &mut self,
        io: &mut StageIo<'_>,
        target: &mut OutputTarget<'_>,
    ) -> Result<(), StageError> {
        if let Some((first, run)) = self.run.take() {
            let id = self.held.id(&first);
            if run.len() < SHARED_RUN {
                target.put(io, self.held.bytes(first.chunk, run), Origin::Sequence(id))?;
            } else {
                target.pass(io, self.held.share(first.chunk, run), id)?;
            }
        }
        if !self.lines.is_empty() {
            target.put_each(io, &self.lines, &self.ids)?;
            self.lines.clear();
            self.ids.clear();
        }
        Ok(())
    }
}
