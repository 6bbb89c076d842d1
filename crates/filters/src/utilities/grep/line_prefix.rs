//! What is before a selected line: the name of its file, its number, its offset.

use std::borrow::Cow;

use stream::{LineId, StageError, shown_on_terminal};

use super::search::Search;

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

    /// A file name and what is behind it.
    pub(super) fn name(&self, name: &[u8], separator: u8, into: &mut Vec<u8>) {
        let name = if self.on_terminal { shown_on_terminal(name) } else { Cow::Borrowed(name) };
        self.part(&name, NAME, into);
        if self.settings.null_names {
            into.push(0);
        } else if separator == b'\n' {
            into.push(b'\n');
        } else {
            self.part(&[separator], SEPARATOR, into);
        }
    }

    /// What is before a line: name, number, offset.
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
        if self.settings.tab && (name.is_some() || self.settings.numbered || self.settings.offsets)
        {
            into.push(b'\t');
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
