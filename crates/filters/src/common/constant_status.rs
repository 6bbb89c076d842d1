//! What `true` and `false` share.

use stream::{ExitStatus, StageError, StageIo};

use crate::spec::{Filter, Verb};

/// Does nothing and ends with this status.
pub(crate) struct Constant(pub(crate) u8);

impl Filter for Constant {
    fn run(&mut self, _io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        Ok(ExitStatus(self.0))
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
