//! Sinks that keep nothing, and messages for standard error.

use stream::{Block, Sink, WriteError};

/// Writes to nowhere.
pub(crate) struct Nowhere;

impl Sink for Nowhere {
    fn write(&self, _block: Block) -> Result<(), WriteError> {
        Ok(())
    }
}

/// Says something on standard error.
pub(crate) fn say(errors: &dyn Sink, message: &str) {
    // A standard error that cannot be written has nobody to be told.
    let _ = errors.write(Block::new(format!("{}\n", stream::visible(message)).into_bytes()));
}
