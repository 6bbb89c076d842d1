//! Where sorted lines go.

use std::sync::Arc;

use bytes::Bytes;
use stream::{Block, LineId, Origin, Sink, StageError, StageIo};

use super::runs::Runs;

/// Where the result goes.
pub(super) enum OutputTarget<'r> {
    /// To the stage's output.
    Stage,
    /// To the file of `-o`.
    File { sink: Arc<dyn Sink>, gathered: Vec<u8> },
    /// To disk, as a run to be merged later.
    Run(&'r mut Runs),
}

impl OutputTarget<'_> {
    pub(super) fn put(
        &mut self,
        io: &mut StageIo<'_>,
        bytes: &[u8],
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        match self {
            Self::Stage => Ok(io.out().put(bytes, origin)?),
            Self::Run(runs) => runs.write(bytes),
            Self::File { gathered, .. } => {
                gathered.extend_from_slice(bytes);
                if gathered.len() >= stream::BLOCK_SIZE { self.flush() } else { Ok(()) }
            }
        }
    }

    pub(super) fn pass(
        &mut self,
        io: &mut StageIo<'_>,
        bytes: Bytes,
        first: LineId,
    ) -> Result<(), StageError> {
        match self {
            Self::Stage => Ok(io.out().pass(bytes, first)?),
            _ => self.put(io, &bytes, Origin::None),
        }
    }

    pub(super) fn put_each(
        &mut self,
        io: &mut StageIo<'_>,
        lines: &[u8],
        ids: &[LineId],
    ) -> Result<(), StageError> {
        match self {
            Self::Stage => Ok(io.out().put_each(lines, ids)?),
            _ => self.put(io, lines, Origin::None),
        }
    }

    pub(super) fn flush(&mut self) -> Result<(), StageError> {
        if let Self::File { sink, gathered } = self
            && !gathered.is_empty()
        {
            sink.write(Block::new(std::mem::take(gathered)))?;
        }
        Ok(())
    }
}
