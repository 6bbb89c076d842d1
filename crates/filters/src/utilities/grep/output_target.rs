//! Where results are written: to the stage's output, or kept until it is their turn.

use stream::{Origin, StageError, StageIo};

/// Where the results of one file go.
pub(super) enum OutputTarget<'s, 'w> {
    /// Straight on.
    Stage(&'s mut StageIo<'w>),
    /// Kept, for files that are searched at the same time.
    Kept(&'s mut HeldResults),
}

/// What is to be written for one file. Memory: all of it.
#[derive(Default)]
pub(super) struct HeldResults {
    pub(super) out: Vec<u8>,
    pub(super) messages: Vec<String>,
    pub(super) any: bool,
    pub(super) failed: bool,
    pub(super) used: bool,
    pub(super) error: Option<StageError>,
}

impl OutputTarget<'_, '_> {
    pub(super) fn put(&mut self, bytes: &[u8], origin: Origin<'_>) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => io.out().put(bytes, origin)?,
            Self::Kept(kept) => kept.out.extend_from_slice(bytes),
        }
        Ok(())
    }

    pub(super) fn message(&mut self, text: String) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => io.message(&text),
            Self::Kept(kept) => {
                kept.messages.push(text);
                Ok(())
            }
        }
    }

    pub(super) fn flush(&mut self) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => Ok(io.out().flush()?),
            Self::Kept(_) => Ok(()),
        }
    }

    /// True where lines must not wait for others.
    pub(super) fn is_watched(&mut self) -> bool {
        match self {
            Self::Stage(io) => io.out().is_eager(),
            Self::Kept(_) => false,
        }
    }

    pub(super) fn keeps_origins(&mut self) -> bool {
        match self {
            Self::Stage(io) => io.keeps_origins(),
            Self::Kept(_) => false,
        }
    }
}
