//! Sinks that keep what they are given.

use parking_lot::Mutex;
use std::sync::Arc;

use stream::{Block, Sink, WriteError};

use super::lines::Kept;

/// Keeps what is written, of any size.
pub(crate) struct KeptSink(pub(crate) Arc<Kept>);

impl Sink for KeptSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        Ok(self.0.append(&block)?)
    }
}

/// Keeps the beginning of what a stage says on standard error.
#[derive(Default)]
pub(crate) struct Messages(pub(crate) Mutex<Vec<u8>>);

const MESSAGES_MAX: usize = 64 << 10;

impl Messages {
    /// What was said so far.
    pub(crate) fn text(&self) -> String {
        let text = self.0.lock();
        String::from_utf8_lossy(&text).into_owned()
    }
}

impl Sink for Messages {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut text = self.0.lock();
        let room = MESSAGES_MAX.saturating_sub(text.len()).min(block.len());
        text.extend_from_slice(&block.bytes()[..room]);
        Ok(())
    }
}
