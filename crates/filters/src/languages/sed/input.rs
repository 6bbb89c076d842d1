//! The files a script runs over, as lines of one text or of each file.

use std::collections::VecDeque;

use stream::{LineId, ReadError, StageError, StageIo, describe};

use crate::common::input::records::{Blocks, Records, Separator};

pub(super) struct Files<'w> {
    /// Operands not opened yet.
    waiting: VecDeque<Vec<u8>>,
    current: Option<(Vec<u8>, Records<'w>)>,
    /// Opened to see whether anything follows.
    ahead: VecDeque<(Vec<u8>, Records<'w>)>,
    separator: Separator,
    /// Each file is a text of its own.
    separate: bool,
    tracks: bool,
}

/// What came next.
pub(super) enum Next {
    /// A line was added; the lines of the input it lies on, and whether it had its newline.
    Line((LineId, LineId), bool),
    /// A file ended, and nothing was read; only where files are separate.
    FileEnd,
    End,
}

impl<'w> Files<'w> {
    pub(super) fn new(operands: Vec<Vec<u8>>, zero: bool, separate: bool, tracks: bool) -> Self {
        Self {
            waiting: operands.into(),
            current: None,
            ahead: VecDeque::new(),
            separator: Separator::Byte(if zero { 0 } else { b'\n' }),
            separate,
            tracks,
        }
    }

    /// The name of the file that is read.
    pub(super) fn name(&self) -> &[u8] {
        self.current.as_ref().map_or(b"-", |(name, _)| name)
    }

    /// What is read now.
    pub(super) fn records(&mut self) -> Option<&mut Records<'w>> {
        self.current.as_mut().map(|(_, records)| records)
    }

    /// Leaves the rest of what is read to others.
    pub(super) fn leave(&mut self) {
        if let Some(records) = self.records() {
            records.leave();
        }
    }

    /// Opens the next operand that can be read; others are reported. False when there is none.
    fn open(&mut self, io: &mut StageIo<'w>) -> Result<Option<(Vec<u8>, Records<'w>)>, StageError> {
        while let Some(name) = self.waiting.pop_front() {
            match io.open(&name) {
                Ok(input) => {
                    let eager = io.out().is_eager();
                    return Ok(Some((name, Records::new(Blocks::Input(input), eager))));
                }
                Err(error) => {
                    io.note_status(2);
                    let shown = String::from_utf8_lossy(&name).into_owned();
                    io.message(&format!("can't read {shown}: {}", describe(&error)))?;
                }
            }
        }
        Ok(None)
    }

    /// Goes to the next file. False when there is none.
    pub(super) fn advance(&mut self, io: &mut StageIo<'w>) -> Result<bool, StageError> {
        self.current = match self.ahead.pop_front() {
            Some(ahead) => Some(ahead),
            None => self.open(io)?,
        };
        Ok(self.current.is_some())
    }

    /// Adds the next line to `out`.
    pub(super) fn next(
        &mut self,
        io: &mut StageIo<'w>,
        out: &mut Vec<u8>,
    ) -> Result<Next, StageError> {
        loop {
            let Some((name, records)) = &mut self.current else {
                if !self.advance(io)? {
                    return Ok(Next::End);
                }
                if self.separate {
                    return Ok(Next::FileEnd);
                }
                continue;
            };
            match records.next_into(&self.separator, self.tracks, out) {
                Ok(Some((lines, terminated))) => return Ok(Next::Line(lines, terminated)),
                Ok(None) => {}
                Err(error) => trouble(io, name, error)?,
            }
            self.current = None;
        }
    }

    /// True when the line read last is the last one of the text. Where files are one text this
    /// looks into those that follow.
    pub(super) fn is_last(&mut self, io: &mut StageIo<'w>) -> Result<bool, StageError> {
        if let Some((name, records)) = &mut self.current {
            match records.is_at_end() {
                Ok(false) => return Ok(false),
                Ok(true) => {}
                Err(error) => trouble(io, name, error)?,
            }
        }
        if self.separate {
            return Ok(true);
        }
        loop {
            if self.ahead.is_empty() {
                match self.open(io)? {
                    Some(opened) => self.ahead.push_back(opened),
                    None => return Ok(true),
                }
            }
            let Some((name, records)) = self.ahead.front_mut() else { return Ok(true) };
            match records.is_at_end() {
                Ok(false) => return Ok(false),
                Ok(true) => {}
                Err(error) => trouble(io, name, error)?,
            }
            self.ahead.pop_front();
        }
    }
}

fn trouble(io: &mut StageIo<'_>, name: &[u8], error: ReadError) -> Result<(), StageError> {
    match error {
        ReadError::Cancelled => Err(StageError::Cancelled),
        ReadError::Io(error) => {
            io.note_status(2);
            let shown = String::from_utf8_lossy(name).into_owned();
            io.message(&format!("couldn't read {shown}: {}", describe(&error)))
        }
    }
}
