//! What `basename` and `dirname` share.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{Filter, Verb};

/// Writes names.
pub(crate) struct Names {
    results: Vec<Vec<u8>>,
    end: u8,
}

impl Names {
    /// Names that end with a newline, or with NUL.
    pub(crate) fn new(results: Vec<Vec<u8>>, zero: bool) -> Self {
        Self { results, end: if zero { 0 } else { b'\n' } }
    }
}

impl Filter for Names {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        for result in &self.results {
            let mut line = result.clone();
            line.push(self.end);
            io.out().put(&line, Origin::None)?;
        }
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
