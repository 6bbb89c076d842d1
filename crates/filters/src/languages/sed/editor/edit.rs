//! What a script writes, and the two spaces.

use memchr::{memchr, memchr_iter};
use stream::{LineId, Origin, ReadError, StageError};

use super::super::tree::Translation;
use super::{Editor, Queued, Space};
use crate::common::input::records::{Blocks, Records, Separator};

impl Space {
    pub(super) fn copy_from(&mut self, other: &Self) {
        self.text.clone_from(&other.text);
        self.lines.clone_from(&other.lines);
        self.open = other.open;
    }

    pub(super) fn append_from(&mut self, other: &Self, newline: u8) {
        self.text.push(newline);
        self.text.extend_from_slice(&other.text);
        self.lines.extend_from_slice(&other.lines);
        self.open = other.open;
    }
}

impl Translation {
    /// Changes the characters of a text.
    pub(super) fn apply(&self, text: &mut Vec<u8>, spare: &mut Vec<u8>) {
        let Some(pairs) = &self.wide else {
            for byte in text.iter_mut() {
                *byte = self.bytes[usize::from(*byte)];
            }
            return;
        };
        spare.clear();
        for (_, character) in crate::text::characters::each(text) {
            let to = pairs.iter().find(|(from, _)| from == character);
            spare.extend_from_slice(to.map_or(character, |(_, to)| to));
        }
        std::mem::swap(text, spare);
    }
}

/// Calls `each` with the origin of a text made of these lines.
fn with_origin<T>(lines: &[(LineId, LineId)], each: impl FnOnce(Origin<'_>) -> T) -> T {
    match lines {
        [] => each(Origin::None),
        [(from, to)] => each(Origin::Range(*from, *to)),
        several => {
            let all: Vec<_> = several.iter().map(|(first, _)| *first).collect();
            each(Origin::List(&all))
        }
    }
}

impl<'s> Editor<'s, '_, '_> {
    /// True where each line of the space is one line of the input.
    pub(super) fn has_line_each(&self) -> bool {
        self.tracks
            && self.space.lines.len() > 1
            && memchr_iter(self.newline, &self.space.text).count() + 1 == self.space.lines.len()
    }

    /// Where the output goes: into the file that is edited, if one is.
    fn put(
        &mut self,
        place: Option<usize>,
        text: &[u8],
        end: Option<u8>,
        origin: Origin<'_>,
    ) -> Result<(), StageError> {
        let named = place.and_then(|place| self.written.get_mut(place));
        // `w /dev/stdout` goes the way of everything else, in order.
        let standard = &mut self.standard;
        let out = match (named, &mut self.edited) {
            (Some(named), _) if !named.is_standard() => named,
            (Some(_), _) => standard,
            (None, Some((edited, _))) => edited,
            (None, None) => standard,
        };
        out.put(self.io, text, end, self.newline, origin)
    }

    /// Writes the pattern space.
    pub(super) fn print(&mut self) -> Result<(), StageError> {
        self.print_at(None)
    }

    pub(super) fn print_to(&mut self, place: usize) -> Result<(), StageError> {
        self.print_at(Some(place))
    }

    fn print_at(&mut self, place: Option<usize>) -> Result<(), StageError> {
        if place.is_none() && !self.tracks {
            let end = (!self.space.open).then_some(self.newline);
            let out = match &mut self.edited {
                Some((edited, _)) => edited,
                None => &mut self.standard,
            };
            return out.put(self.io, &self.space.text, end, self.newline, Origin::None);
        }
        let space = std::mem::take(&mut self.space);
        let end = (!space.open).then_some(self.newline);
        let newline = self.newline;
        let line_each = space.lines.len() > 1
            && memchr_iter(newline, &space.text).count() + 1 == space.lines.len();
        let written = if place.is_none() && line_each {
            let parts = space.text.split(|byte| *byte == newline).zip(&space.lines);
            let last = space.lines.len() - 1;
            parts.enumerate().try_for_each(|(number, (part, (from, to)))| {
                let end = if number < last { Some(newline) } else { end };
                self.put(None, part, end, Origin::Range(*from, *to))
            })
        } else {
            with_origin(&space.lines, |origin| self.put(place, &space.text, end, origin))
        };
        self.space = space;
        written
    }

    /// Writes the first line of the pattern space.
    pub(super) fn print_first(&mut self, place: Option<usize>) -> Result<(), StageError> {
        let space = std::mem::take(&mut self.space);
        let end = memchr(self.newline, &space.text);
        let each = end.is_some()
            && memchr_iter(self.newline, &space.text).count() + 1 == space.lines.len();
        let lines = if each { &space.lines[..1] } else { &space.lines[..] };
        let text = &space.text[..end.unwrap_or(space.text.len())];
        let newline = (end.is_some() || !space.open).then_some(self.newline);
        let written = with_origin(lines, |origin| self.put(place, text, newline, origin));
        self.space = space;
        written
    }

    /// Writes a text of the script itself, which ends with a newline.
    pub(super) fn put_made(&mut self, text: &[u8]) -> Result<(), StageError> {
        let (text, end) = match text.split_last() {
            Some((b'\n', text)) => (text, Some(b'\n')),
            Some(_) => (text, None),
            None => return Ok(()),
        };
        let line = self.space.lines.last().copied();
        match line {
            Some((from, to)) => self.put(None, text, end, Origin::Range(from, to)),
            None => self.put(None, text, end, Origin::None),
        }
    }

    /// Makes what was written last a whole line.
    pub(super) fn end_line(&mut self) -> Result<(), StageError> {
        let out = match &mut self.edited {
            Some((edited, _)) => edited,
            None => &mut self.standard,
        };
        let origin = match self.space.lines.last() {
            Some((from, to)) => Origin::Range(*from, *to),
            None => Origin::None,
        };
        out.end_line(self.io, self.newline, origin)
    }

    /// Writes what waited for the end of the cycle.
    pub(super) fn write_queue(&mut self) -> Result<(), StageError> {
        if self.queue.is_empty() {
            return Ok(());
        }
        for queued in std::mem::take(&mut self.queue) {
            match queued {
                Queued::Text(text) => self.put_made(text)?,
                Queued::Line(line, terminated) => {
                    let end = terminated.then_some(self.newline);
                    self.put(None, &line, end, Origin::None)?;
                    if !terminated {
                        self.leave_open();
                    }
                }
                Queued::File(name) => self.copy_file(name)?,
            }
        }
        Ok(())
    }

    /// A file is copied as it is: a last line without newline does not get one.
    fn leave_open(&mut self) {
        match &mut self.edited {
            Some((edited, _)) => edited.leave_open(),
            None => self.standard.leave_open(),
        }
    }

    /// Writes a whole file; one that cannot be read counts as empty.
    fn copy_file(&mut self, name: &[u8]) -> Result<(), StageError> {
        let name = if name == b"/dev/stdin" { b"-" } else { name };
        let Ok(mut input) = self.io.open(name) else { return Ok(()) };
        loop {
            match input.next_lines() {
                Ok(Some(lines)) => {
                    let (text, end) = match lines.bytes.split_last() {
                        Some((b'\n', text)) => (text, Some(b'\n')),
                        _ => (&lines.bytes[..], None),
                    };
                    self.put(None, text, end, Origin::Sequence(lines.first))?;
                    if end.is_none() {
                        self.leave_open();
                    }
                }
                Ok(None) | Err(ReadError::Io(_)) => return Ok(()),
                Err(ReadError::Cancelled) => return Err(StageError::Cancelled),
            }
        }
    }

    /// The next line of a file that is read line by line, and whether it has a newline; `None` at
    /// its end or without it.
    pub(super) fn next_line_of(
        &mut self,
        name: &'s [u8],
    ) -> Result<Option<(Vec<u8>, bool)>, StageError> {
        let io = &mut *self.io;
        let reader = self.readers.entry(name).or_insert_with(|| {
            let opened = io.open(if name == b"/dev/stdin" { b"-" } else { name });
            opened.ok().map(|input| Records::new(Blocks::Input(input), false))
        });
        let Some(records) = reader else { return Ok(None) };
        match records.next(&Separator::Byte(self.newline), false) {
            Ok(found) => Ok(found.map(|found| (found.text.to_vec(), found.terminated))),
            Err(ReadError::Cancelled) => Err(StageError::Cancelled),
            Err(ReadError::Io(_)) => Ok(None),
        }
    }
}
