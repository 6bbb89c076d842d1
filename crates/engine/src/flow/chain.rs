//! Several sources one after the other.

use stream::{Block, ReadError, Source};

/// Sources one after the other.
#[derive(Default)]
pub(crate) struct Chain(pub(crate) std::collections::VecDeque<Box<dyn Source>>);

impl Source for Chain {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        while let Some(first) = self.0.front_mut() {
            if let Some(block) = first.next_block()? {
                return Ok(Some(block));
            }
            self.0.pop_front();
        }
        Ok(None)
    }
}
