//! An input that is at its end.

use crate::{Block, ReadError, Source};

pub(crate) struct AtEnd;

impl Source for AtEnd {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        Ok(None)
    }
}
