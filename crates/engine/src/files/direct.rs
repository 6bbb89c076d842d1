//! A file that is written in its place at once.

use std::io;
use std::sync::Arc;

use stream::{Replacement, Sink};

/// Written at once.
pub(crate) struct DirectReplacement(pub(crate) Arc<dyn Sink>);

impl Replacement for DirectReplacement {
    fn sink(&self) -> Arc<dyn Sink> {
        self.0.clone()
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        Ok(())
    }
}
