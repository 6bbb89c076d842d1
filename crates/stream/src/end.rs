//! An input that is at its end.

use crate::{Block, ReadError, Source};

/// Has nothing to read, or nothing more.
pub struct AtEnd;

impl Source for AtEnd {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(None)
    }
}
