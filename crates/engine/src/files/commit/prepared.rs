//! Putting files in place: all of them, or none.

use std::collections::HashMap;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use lease::Openings;
use rustix::fs::OFlags;
use thiserror::Error;

use super::applied::Applied;
use super::journal::{Entry, Journal, Left, Line, Named, Old, Way};
use super::parts::{Prepared, copy, modified_ns, rewrite, set_modified};
use super::written::{CommittedFile, apart};
use crate::files::place::{Folder, Number, Place};
use crate::files::rights::{Rights, is_same_to_everybody};
use crate::files::staged::{number_of, reserve};
use crate::files::temporary::{Temporary, together};

/// Files up to this number are synced one by one; more of them with all that is on their disk.
const SYNCED_ALONE: usize = 16;

/// Bytes of all that was written that are kept to be compared with what others made of it.
const COMPARED_MAX: u64 = 16 << 20;

/// Files of which that is kept.
const COMPARED_FILES: usize = 64;

/// A file that could not be put in place; all are as they were.
#[derive(Debug, Error)]
#[error("cannot write {}: {}", .path.display(), stream::describe(.error))]
pub struct CommitError {
    /// The file.
    pub path: PathBuf,
    /// Why.
    pub error: io::Error,
}

impl Prepared {
    /// Decides how a file is put in place, as things are now. Nothing is changed yet.
    fn of(file: &CommittedFile) -> io::Result<Self> {
        let mut state = file.lock();
        let state = &mut *state;
        if state.failed {
            return Err(io::Error::other("it was not written completely"));
        }
        let place = file.place.clone();
        let content = state.open(OFlags::WRONLY)?;
        let now = match place.open(OFlags::WRONLY) {
            Ok(now) => Some(now),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(error),
        };
        if let Some(times) = state.modified_ns {
            set_modified(&content, i64::try_from(times).unwrap_or(0))?;
        }
        let (way, rights) = match &now {
            Some(_) if state.way == Way::Append => (Way::Append, None),
            Some(now) => Self::way_of(state.way, state.bytes, now, &content),
            // Nothing is there to be added to.
            None => (Way::Rename, state.rights.clone()),
        };
        if way == Way::Rename
            && state
                .temporary
                .as_ref()
                .is_some_and(|one| one.folder().number != place.folder.number)
        {
            return Err(io::Error::other(
                "it was removed meanwhile, and its folder takes no new file",
            ));
        }
        let rights = match (way, rights) {
            (Way::Rename, None) => Some(Rights::of_new(&place.folder)?),
            (_, rights) => rights,
        };
        let old_number = now.as_ref().map(number_of).transpose()?;
        let (old, kept) = Self::aside(&place, way, now.as_ref())?;
        let temporary = state.temporary.take();
        let temporary = temporary.ok_or_else(|| io::Error::other("already written"))?;
        let entry = Entry {
            target: Named::of(&place.path),
            way,
            content: Named::of(&temporary.path()?),
            content_number: number_of(&content)?,
            bytes: state.bytes,
            lines: state.newlines + u64::from(state.open),
            rights,
            old_number,
            old,
        };
        Ok(Self { place, entry, content: temporary, old: kept, written: None })
    }

    /// A file that is emptied, that somebody has open, or that a new one would not be the same as stays
    /// the same file.
    fn way_of(way: Way, bytes: u64, now: &File, content: &File) -> (Way, Option<Rights>) {
        if way != Way::Rename || bytes == 0 || lease::openings(now) != Openings::This {
            return (Way::Rewrite, None);
        }
        let Ok(rights) = Rights::of(now) else { return (Way::Rewrite, None) };
        if rights.give(content).is_ok() && is_same_to_everybody(now, content) {
            (Way::Rename, Some(rights))
        } else {
            (Way::Rewrite, None)
        }
    }

    /// Where the old file, or its content, will be; nothing is there yet.
    fn aside(place: &Place, way: Way, now: Option<&File>) -> io::Result<(Old, Option<Temporary>)> {
        let Some(now) = now else { return Ok((Old::Nothing, None)) };
        Ok(match way {
            Way::Append => (Old::Shorter(now.metadata()?.len(), modified_ns(now)?), None),
            Way::Rewrite => {
                let kept = apart(place)?;
                (Old::Rewritten(Named::of(&kept.path()?), modified_ns(now)?), Some(kept))
            }
            Way::Rename => {
                let kept = Temporary::named(&place.folder);
                (Old::Linked(Named::of(&kept.path()?)), Some(kept))
            }
        })
    }

    /// Makes everything that needs room, or may be refused, before the first file is touched.
    fn make_ready(&mut self, sync: bool) -> io::Result<()> {
        let bytes = self.content.open(OFlags::RDONLY)?.metadata()?.len();
        match (&self.entry.old, &self.old) {
            (Old::Linked(_), Some(kept)) => kept.link(&self.place)?,
            (Old::Rewritten(..), Some(kept)) => {
                let mut target = self.place.open(OFlags::RDWR)?;
                let length = target.metadata()?.len();
                let mut before = kept.open(OFlags::WRONLY)?;
                copy(&mut target, &mut before)?;
                reserve(&target, length, bytes.saturating_sub(length))?;
            }
            (Old::Shorter(length, _), _) => {
                reserve(&self.place.open(OFlags::WRONLY)?, *length, bytes)?;
            }
            _ => {}
        }
        if sync { self.content.open(OFlags::RDONLY)?.sync_all() } else { Ok(()) }
    }

    /// A file system on which a file has one name only: the old content is copied instead.
    fn copy_instead_of_link(&mut self) -> io::Result<()> {
        let target = self.place.open(OFlags::RDONLY)?;
        let (kept, mut file) = Temporary::beside(&self.place)?;
        copy(&mut target.try_clone()?, &mut file)?;
        let named = Named::of(&kept.path()?);
        self.entry.old = Old::Copied(named, Rights::of(&target)?, modified_ns(&target)?);
        self.old = Some(kept);
        Ok(())
    }

    /// Puts it in place. May be called again where a process was ended in the middle of it.
    fn place(&mut self) -> io::Result<()> {
        let Entry { way, rights, old_number, .. } = &self.entry;
        match way {
            Way::Append => {
                let mut target = self.place.open(OFlags::RDWR | OFlags::APPEND)?;
                is_still(&target, *old_number)?;
                // Others may have added to it since.
                let length = target.metadata()?.len();
                if let Old::Shorter(before, _) = &mut self.entry.old {
                    *before = length;
                }
                copy(&mut self.content.open(OFlags::RDONLY)?, &mut target).inspect_err(|_| {
                    let _ = target.set_len(length);
                })
            }
            Way::Rewrite => {
                let mut target = self.place.open(OFlags::WRONLY)?;
                is_still(&target, *old_number)?;
                rewrite(&mut target, &mut self.content.open(OFlags::RDONLY)?)
            }
            Way::Rename => {
                if let Some(rights) = rights {
                    rights.give(&self.content.open(OFlags::WRONLY)?)?;
                }
                match old_number {
                    Some(_) => self.content.put_in_place(&self.place),
                    None => self.content.put_where_nothing_is(&self.place),
                }
            }
        }
    }

    /// Keeps a copy of what was written.
    fn keep_written(&mut self) {
        let copy = || {
            let mut kept = tempfile::tempfile()?;
            io::copy(&mut self.place.open(OFlags::RDONLY)?, &mut kept)?;
            io::Result::Ok(kept)
        };
        self.written = copy().ok();
    }
}

/// Fails where another file has the name by now.
fn is_still(file: &File, number: Option<Number>) -> io::Result<()> {
    if Some(number_of(file)?) == number {
        Ok(())
    } else {
        Err(io::Error::other("another file has its name now"))
    }
}

/// Makes sure that names that were changed are so on the disk; with `contents`, all that was written
/// there too.
fn sync(files: &[Prepared], contents: bool) -> Result<(), CommitError> {
    let mut folders: HashMap<Number, (&Arc<Folder>, &Path)> = HashMap::new();
    for file in files {
        for folder in [file.content.folder(), &file.place.folder] {
            folders.insert(folder.number, (folder, &file.place.path));
        }
    }
    for (folder, path) in folders.into_values() {
        let synced = if contents { folder.sync_all() } else { folder.sync() };
        // What a folder on some file systems cannot do is not needed there.
        if let Err(error) = synced
            && error.raw_os_error() != Some(rustix::io::Errno::INVAL.raw_os_error())
        {
            return Err(CommitError { path: path.to_owned(), error });
        }
    }
    Ok(())
}

/// Puts all files in place, on the disk before this returns, or none of them; a journal is kept, so that
/// this holds where the process is killed, too.
///
/// Everything that needs room or may be refused is done before the first one: contents are
/// written, old files have a second name, room for what is added is reserved.
///
/// # Errors
/// The first file that could not; all are as they were then.
pub(crate) fn commit_all(files: &[Arc<CommittedFile>]) -> Result<Vec<Applied>, CommitError> {
    tracing::info!(files = files.len(), "files take their places");
    let at = |path: &Path| {
        let path = path.to_owned();
        move |error| CommitError { path, error }
    };
    let first = files.first().map_or(Path::new(""), |file| file.target());
    let _together = together().map_err(at(first))?;
    let mut all = Vec::with_capacity(files.len());
    for file in files {
        all.push(Prepared::of(file).map_err(at(file.target()))?);
    }
    let Some(first) = all.first() else { return Ok(Vec::new()) };
    let entries = |all: &[Prepared]| all.iter().map(|one| one.entry.clone()).collect::<Vec<_>>();
    let journal_path = super::journal::folder().unwrap_or(&first.place.path).to_owned();
    let journal = Journal::begin(&entries(&all)).map_err(at(&journal_path))?;
    let note = |line: &Line| match &journal {
        Some(journal) => journal.note(line).map_err(at(&journal_path)),
        None => Ok(()),
    };
    let few = all.len() <= SYNCED_ALONE;
    let mut copied = false;
    for one in &mut all {
        if let Err(error) = one.make_ready(few) {
            if !matches!(one.entry.old, Old::Linked(_)) {
                return Err(at(&one.place.path)(error));
            }
            one.copy_instead_of_link().map_err(at(&one.place.path))?;
            copied = true;
        }
    }
    sync(&all, !few)?;
    if copied {
        note(&Line::Begun(entries(&all)))?;
    }
    note(&Line::Decided)?;
    for number in 0..all.len() {
        if let Err(error) = all[number].place() {
            let path = all[number].place.path.clone();
            note(&Line::TakenBack)?;
            // This one may be there in part; those before it are.
            all.truncate(number + 1);
            for one in all.into_iter().rev() {
                // Nothing more can be done than to try.
                let _ = Applied::of(one, None, 0, None).restore();
            }
            return Err(CommitError { path, error });
        }
    }
    sync(&all, false)?;
    let left: Vec<Option<Left>> = all.iter().map(|one| Left::now(&one.place).ok()).collect();
    note(&Line::Done(left.clone()))?;
    let written: u64 = all.iter().map(|one| one.entry.bytes).sum();
    if written <= COMPARED_MAX && all.len() <= COMPARED_FILES {
        for one in all.iter_mut().filter(|one| one.entry.way == Way::Rename) {
            one.keep_written();
        }
    }
    let journal = journal.map(Arc::new);
    let applied = all.into_iter().zip(left).enumerate();
    Ok(applied
        .map(|(number, (one, left))| Applied::of(one, left, number, journal.clone()))
        .collect())
}
