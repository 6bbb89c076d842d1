//! The lines with names that `head` and `tail` write before each of several files.

use stream::{Origin, StageError, StageIo};

use crate::common::input::nul_lines::swapped;
use crate::spec::Arguments;

/// The lines with names.
#[derive(Clone, Copy)]
pub(crate) struct Headers {
    /// With several files, unless told otherwise.
    pub(crate) wanted: bool,
    /// Lines end with NUL: what is written is changed after this.
    zero: bool,
    /// None was written yet.
    first: bool,
}

impl Headers {
    pub(crate) fn of(arguments: &Arguments, files: usize) -> Self {
        let told = arguments.options.iter().rev().find(|given| given.is_one_of("qv"));
        let wanted = told.map_or(files > 1, |given| given.id == 'v');
        Self { wanted, zero: arguments.has('z'), first: true }
    }

    /// Writes the line with a file's name before its lines, where that is wanted. It ends with a
    /// newline whatever lines end with.
    pub(crate) fn write(&mut self, io: &mut StageIo<'_>, operand: &[u8]) -> Result<(), StageError> {
        if !self.wanted {
            return Ok(());
        }
        let name = if operand == b"-" { b"standard input" } else { operand };
        let gap: &[u8] = if self.first { b"" } else { b"\n" };
        self.first = false;
        let name = io.shown_name(name);
        let line = [gap, b"==> ", &*name, b" <==\n"].concat();
        io.out().put(&if self.zero { swapped(&line) } else { line }, Origin::None)?;
        Ok(())
    }
}
