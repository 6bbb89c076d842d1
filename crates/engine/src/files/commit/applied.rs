//! Files that were written, and how that is taken back.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::FileExt;
use std::path::PathBuf;
use std::sync::Arc;

use rustix::fs::{AtFlags, OFlags, unlinkat};
use thiserror::Error;

use super::journal::{Entry, Journal, Left, Line, Old, Way};
use super::parts::{Prepared, copy, rewrite, set_modified};
use crate::files::place::Place;
use crate::files::staged::number_of;
use crate::files::temporary::{Temporary, together};

/// Bytes of what was written that are read to be compared with what others made of it.
const COMPARED_MAX: u64 = 16 << 20;

/// A file that was written, with what is needed to undo that.
#[derive(Debug)]
pub struct Applied {
    /// The file.
    pub path: PathBuf,
    /// Bytes written.
    pub bytes: u64,
    /// Lines written.
    pub lines: u64,
    /// Where it is noted that this may be undone, also by a later process. First to be dropped.
    journal: Option<Arc<Journal>>,
    /// Its number there.
    number: usize,
    place: Place,
    entry: Entry,
    /// What was written, where that was copied into the file; none once it is undone.
    content: Option<Temporary>,
    /// The old file, or what was in it.
    old: Option<Temporary>,
    /// What it was right after.
    left: Option<Left>,
    /// A copy of what was written, where that took the place of the file.
    written: Option<File>,
}

/// Why a file was not taken back.
#[derive(Debug, Error)]
pub enum UndoError {
    /// Others have changed it since; it is as they left it.
    #[error("{} was changed by others since; it is left as it is", .0.path.display())]
    Changed(Box<Changed>),
    /// It cannot be written.
    #[error("{}: {}", .0.display(), stream::describe(.1))]
    Io(PathBuf, io::Error),
}

/// A file that others have changed after it was written.
#[derive(Debug)]
pub struct Changed {
    /// The file.
    pub path: PathBuf,
    /// What was written, where that is kept (up to 16 MiB).
    pub ours: Option<Vec<u8>>,
    /// What is there now: all of it, or of a file that was added to, what follows the old content.
    /// Where there is more than 16 MiB, or no regular file, nothing.
    pub now: Option<Vec<u8>>,
}

impl Applied {
    pub(super) fn of(
        prepared: Prepared,
        left: Option<Left>,
        number: usize,
        journal: Option<Arc<Journal>>,
    ) -> Self {
        let Prepared { place, entry, content, old, written } = prepared;
        Self {
            path: place.path.clone(),
            bytes: entry.bytes,
            lines: entry.lines,
            journal,
            number,
            place,
            entry,
            content: Some(content),
            old,
            left,
            written,
        }
    }

    /// True where the file is just as it was left. Asks the system.
    pub fn is_as_left(&self) -> bool {
        let now = Left::now(&self.place).ok();
        matches!((&self.left, now), (Some(left), Some(now)) if left.has_same_content(&now))
    }

    /// What follows the first `length` bytes now.
    fn tail(&self, length: u64) -> Option<Vec<u8>> {
        let file = self.place.open(OFlags::RDONLY).ok()?;
        let facts = file.metadata().ok().filter(std::fs::Metadata::is_file)?;
        let bytes = facts.len().checked_sub(length)?;
        if bytes > COMPARED_MAX {
            return None;
        }
        let mut tail = vec![0; bytes as usize];
        file.read_exact_at(&mut tail, length).ok()?;
        Some(tail)
    }

    fn ours(&self) -> Option<Vec<u8>> {
        let mut file = match self.entry.way {
            Way::Rename => self.written.as_ref()?.try_clone().ok()?,
            Way::Rewrite | Way::Append => self.content.as_ref()?.open(OFlags::RDONLY).ok()?,
        };
        if file.metadata().ok()?.len() > COMPARED_MAX {
            return None;
        }
        let mut bytes = Vec::new();
        file.seek(SeekFrom::Start(0)).ok()?;
        file.read_to_end(&mut bytes).ok()?;
        Some(bytes)
    }

    /// Looks whether it may be taken back.
    fn check(&self) -> Result<(), UndoError> {
        let start = if let Old::Shorter(length, _) = &self.entry.old { *length } else { 0 };
        if self.is_as_left() {
            return Ok(());
        }
        let (ours, now) = (self.ours(), self.tail(start));
        // What was added is still there, and nothing after it.
        if matches!(self.entry.old, Old::Shorter(..)) && ours.is_some() && ours == now {
            return Ok(());
        }
        Err(UndoError::Changed(Box::new(Changed { path: self.path.clone(), ours, now })))
    }

    fn note(&self, line: &Line) -> io::Result<()> {
        self.journal.as_ref().map_or(Ok(()), |journal| journal.note(line))
    }

    /// Brings back what the file was. Where it is so already nothing happens.
    pub(super) fn restore(&mut self) -> io::Result<()> {
        match (&self.entry.old, &self.old) {
            (Old::Nothing, _) => {
                let handle = &self.place.folder.handle;
                match self.place.number() {
                    Ok(number) if number == self.entry.content_number => {
                        Ok(unlinkat(handle, &self.place.name, AtFlags::empty())?)
                    }
                    _ => Ok(()),
                }
            }
            (Old::Linked(_), Some(old)) => match old.put_back(&self.place) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
                put => put,
            },
            (Old::Copied(_, rights, modified), Some(old)) => {
                let mut content = old.open(OFlags::RDONLY)?;
                let (temporary, mut file) = Temporary::beside(&self.place)?;
                copy(&mut content, &mut file)?;
                set_modified(&file, *modified)?;
                rights.give(&file)?;
                temporary.put_in_place(&self.place)
            }
            (Old::Rewritten(_, modified), Some(old)) => {
                let mut target = self.place.open(OFlags::WRONLY)?;
                if Some(number_of(&target)?) != self.entry.old_number {
                    return Err(io::Error::other("another file has its name now"));
                }
                rewrite(&mut target, &mut old.open(OFlags::RDONLY)?)?;
                set_modified(&target, *modified)
            }
            (Old::Shorter(length, modified), _) => {
                let target = self.place.open(OFlags::WRONLY)?;
                if target.metadata()?.len() > *length {
                    target.set_len(*length)?;
                }
                set_modified(&target, *modified)
            }
            (_, None) => Err(io::Error::other("the old content is gone")),
        }
    }
}

/// Brings back what a file was before it was written, unless others have changed it since.
///
/// # Errors
/// When they have, or the old content cannot be brought back. The file stays as it is then, and
/// this may be tried again.
pub fn undo(applied: &mut Applied) -> Result<(), UndoError> {
    let path = applied.path.clone();
    let failed = |error| UndoError::Io(path.clone(), error);
    let _together = together().map_err(failed)?;
    applied.check()?;
    applied.note(&Line::Undoing(applied.number)).map_err(failed)?;
    applied.restore().map_err(failed)?;
    applied.note(&Line::Undone(applied.number)).map_err(failed)?;
    // Nothing of this is needed any more.
    (applied.content, applied.old) = (None, None);
    Ok(())
}
