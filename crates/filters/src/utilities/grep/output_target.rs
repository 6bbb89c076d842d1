//! Where results are written: to the stage's output, or kept until it is their turn.

use stream::{LineId, Origin, StageError, StageIo};

use super::search::Search;

/// Where the results of one file go.
pub(super) enum Sheet<'s, 'w> {
    /// Straight on.
    Stage(&'s mut StageIo<'w>),
    /// Kept, for files that are searched at the same time.
    Kept(&'s mut Kept),
}

/// What is to be written for one file. Memory: all of it.
#[derive(Default)]
pub(super) struct Kept {
    pub(super) out: Vec<u8>,
    pub(super) messages: Vec<String>,
    pub(super) any: bool,
    pub(super) failed: bool,
    pub(super) used: bool,
    pub(super) error: Option<StageError>,
}

impl Sheet<'_, '_> {
    pub(super) fn put(&mut self, bytes: &[u8], origin: Origin<'_>) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => io.out().put(bytes, origin)?,
            Self::Kept(kept) => kept.out.extend_from_slice(bytes),
        }
        Ok(())
    }

    pub(super) fn message(&mut self, text: String) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => io.message(&text),
            Self::Kept(kept) => {
                kept.messages.push(text);
                Ok(())
            }
        }
    }

    pub(super) fn flush(&mut self) -> Result<(), StageError> {
        match self {
            Self::Stage(io) => Ok(io.out().flush()?),
            Self::Kept(_) => Ok(()),
        }
    }

    /// True where lines must not wait for others.
    pub(super) fn is_watched(&mut self) -> bool {
        match self {
            Self::Stage(io) => io.out().is_eager(),
            Self::Kept(_) => false,
        }
    }

    pub(super) fn keeps_origins(&mut self) -> bool {
        match self {
            Self::Stage(io) => io.keeps_origins(),
            Self::Kept(_) => false,
        }
    }
}

/// The terminal's sequences around a coloured part.
fn paint(bytes: &[u8], color: &str, into: &mut Vec<u8>) {
    into.extend_from_slice(b"\x1b[");
    into.extend_from_slice(color.as_bytes());
    into.extend_from_slice(b"m\x1b[K");
    into.extend_from_slice(bytes);
    into.extend_from_slice(b"\x1b[m\x1b[K");
}

const NAME: &str = "35";
const NUMBER: &str = "32";
const SEPARATOR: &str = "36";
const MATCH: &str = "01;31";

impl Search {
    fn part(&self, bytes: &[u8], color: &str, into: &mut Vec<u8>) {
        if self.colored { paint(bytes, color, into) } else { into.extend_from_slice(bytes) }
    }

    /// A file name and what stands behind it.
    pub(super) fn name(&self, name: &[u8], separator: u8, into: &mut Vec<u8>) {
        self.part(name, NAME, into);
        if self.settings.null_names {
            into.push(0);
        } else if separator == b'\n' {
            into.push(b'\n');
        } else {
            self.part(&[separator], SEPARATOR, into);
        }
    }

    /// What stands before a line: name, number, offset.
    pub(super) fn prefix(
        &self,
        name: Option<&[u8]>,
        id: LineId,
        offset: u64,
        separator: u8,
        into: &mut Vec<u8>,
    ) {
        if let Some(name) = name {
            self.name(name, separator, into);
        }
        if self.settings.numbered {
            self.part(itoa::Buffer::new().format(id.line() + 1).as_bytes(), NUMBER, into);
            self.part(&[separator], SEPARATOR, into);
        }
        if self.settings.offsets {
            self.part(itoa::Buffer::new().format(offset).as_bytes(), NUMBER, into);
            self.part(&[separator], SEPARATOR, into);
        }
    }

    /// The line with its matches marked.
    pub(super) fn marked(&self, line: &[u8], into: &mut Vec<u8>) -> Result<(), StageError> {
        let mut from = 0;
        for found in self.pattern.find_all(line) {
            let found = found.map_err(|error| StageError::failed(2, error.to_string()))?;
            into.extend_from_slice(&line[from..found.start]);
            paint(&line[found.clone()], MATCH, into);
            from = found.end;
        }
        into.extend_from_slice(&line[from..]);
        Ok(())
    }

    /// One match alone.
    pub(super) fn matched(&self, part: &[u8], into: &mut Vec<u8>) {
        self.part(part, MATCH, into);
    }

    /// The line between groups of lines.
    pub(super) fn group_separator(&self, into: &mut Vec<u8>) {
        if let Some(separator) = &self.settings.separator {
            self.part(separator, SEPARATOR, into);
            into.push(b'\n');
        }
    }
}
