//! The lines with names that `head` and `tail` write before each of several files.

use stream::{Origin, StageError, StageIo};

use crate::spec::Arguments;

/// Whether each file gets a line with its name: with several files, unless told otherwise.
pub(crate) fn headers_wanted(arguments: &Arguments, files: usize) -> bool {
    let told = arguments.options.iter().rev().find(|given| "qv".contains(given.short));
    told.map_or(files > 1, |given| given.short == 'v')
}

/// Writes the line with a file's name before its lines.
pub(crate) fn header(
    io: &mut StageIo<'_>,
    operand: &[u8],
    first: &mut bool,
) -> Result<(), StageError> {
    let name = if operand == b"-" { b"standard input" } else { operand };
    let gap = if *first { "" } else { "\n" };
    *first = false;
    let text = format!("{gap}==> {} <==\n", String::from_utf8_lossy(name));
    io.out().put(text.as_bytes(), Origin::None)?;
    Ok(())
}
