//! A file that is written apart from its target.

use parking_lot::{Mutex, MutexGuard};
use std::fs::File;
use std::io;
use std::path::Path;
use std::sync::Arc;

use lease::Openings;
use rustix::fs::OFlags;
use stream::{Block, FileFacts, Sink, Source, WriteError};

use super::journal::{self, Way};
use crate::files::block_source::{FileSource, read_first};
use crate::files::machine::facts_of;
use crate::files::place::Place;
use crate::files::rights::{Rights, successor};
use crate::files::temporary::Temporary;
use crate::flow::chain::Chain;

/// A file being written apart from its target, to be put in place at the end.
pub(crate) struct CommittedFile {
    pub(super) place: Place,
    state: Mutex<State>,
}

pub(super) struct State {
    /// `None` once it is put in place.
    pub(super) temporary: Option<Temporary>,
    pub(super) way: Way,
    /// What a new file is to get, where no old one says it.
    pub(super) rights: Option<Rights>,
    pub(super) bytes: u64,
    pub(super) newlines: u64,
    pub(super) open: bool,
    /// Something could not be written, so this must not take the place of anything.
    pub(super) failed: bool,
    /// The time of the last change it gets when all is written, in nanoseconds since 1970.
    pub(super) modified_ns: Option<i128>,
}

impl State {
    pub(super) fn open(&self, flags: OFlags) -> io::Result<File> {
        let temporary = self.temporary.as_ref();
        temporary.ok_or_else(|| io::Error::other("already written"))?.open(flags)
    }
}

/// A file for content that is copied into another one: where journals are, so that it is found again after
/// a loss of power too, and takes no room beside the file; else beside it. Without journals it is nothing
/// that anybody comes back for.
pub(super) fn apart(place: &Place) -> io::Result<Temporary> {
    let journals = journal::made_folder().map(|folder| folder.join("x"));
    let passing = journals.is_none().then(|| std::env::temp_dir().join("x"));
    let mut places = [journals, passing].into_iter().flatten();
    let kept = places.find_map(|path| Temporary::beside(&Place::of_name(&path).ok()?).ok());
    match kept {
        Some((temporary, _)) => Ok(temporary),
        None => Ok(Temporary::beside(place)?.0),
    }
}

impl CommittedFile {
    /// Begins to write for `path`; with `append`, after what the file has when all is done.
    ///
    /// # Errors
    /// Where nothing can be written there.
    pub(crate) fn begin(path: &Path, append: bool) -> io::Result<Self> {
        let place = Place::of(path)?;
        let (temporary, way, rights) = match place.open(OFlags::WRONLY) {
            Ok(_) if append => (apart(&place)?, Way::Append, None),
            Ok(old) => {
                let alone = lease::openings(&old) == Openings::This;
                match alone.then(|| successor(&place, Some(&old))) {
                    Some(Ok((temporary, ..))) => (temporary, Way::Rename, None),
                    _ => (apart(&place)?, Way::Rewrite, None),
                }
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                let (temporary, _, rights) = successor(&place, None)?;
                (temporary, Way::Rename, Some(rights))
            }
            Err(error) => return Err(error),
        };
        let state = State {
            temporary: Some(temporary),
            way,
            rights,
            bytes: 0,
            newlines: 0,
            open: false,
            failed: false,
            modified_ns: None,
        };
        Ok(Self { place, state: Mutex::new(state) })
    }

    pub(super) fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock()
    }

    /// True when something could not be written.
    pub(crate) fn has_failed(&self) -> bool {
        self.lock().failed
    }

    /// The file it is written for.
    pub(crate) fn target(&self) -> &Path {
        &self.place.path
    }

    /// True when this is written for `path`.
    pub(crate) fn is_for(&self, path: &Path) -> bool {
        Place::of(path).is_ok_and(|place| place.key() == self.place.key())
    }

    /// Reads what the file will have, as far as it is written.
    pub(crate) fn read(&self) -> io::Result<Box<dyn Source>> {
        let state = self.lock();
        let new = Box::new(FileSource::of(state.open(OFlags::RDONLY)?)?);
        if state.way != Way::Append {
            return Ok(new);
        }
        let mut chain = Chain::default();
        // What is written may be added to the same file while this is read.
        let old = self.place.open(OFlags::RDONLY)?.metadata()?.len();
        chain.0.push_back(read_first(&self.place.path, old)?);
        chain.0.push_back(new);
        Ok(Box::new(chain))
    }

    /// Reads what was written, without what the file has before it.
    pub(crate) fn read_written(&self) -> io::Result<Box<dyn Source>> {
        Ok(Box::new(FileSource::of(self.lock().open(OFlags::RDONLY)?)?))
    }

    /// Forgets all that was written so far, and what the file had.
    pub(crate) fn empty(&self) -> io::Result<()> {
        let mut state = self.lock();
        state.open(OFlags::WRONLY)?.set_len(0)?;
        (state.bytes, state.newlines, state.open) = (0, 0, false);
        if state.way == Way::Append {
            state.way = Way::Rewrite;
        }
        Ok(())
    }

    /// Gives it the rights of another file, and its time, when all is written.
    pub(crate) fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        let mut state = self.lock();
        let own = state.open(OFlags::WRONLY)?;
        state.rights = Some(Rights::like(other.owner, other.group, other.mode, &own)?);
        state.modified_ns = Some(other.modified_ns);
        Ok(())
    }

    /// Opens it once more; what is written with `append` always goes to the end.
    pub(crate) fn open(self: &Arc<Self>, append: bool) -> io::Result<Part> {
        let flags = if append { OFlags::APPEND } else { OFlags::empty() };
        let file = self.lock().open(OFlags::WRONLY | flags)?;
        Ok(Part { whole: self.clone(), file: Mutex::new(file) })
    }
}

/// One of several descriptors on a file that is being written, each with its own place in it.
pub(crate) struct Part {
    whole: Arc<CommittedFile>,
    file: Mutex<File>,
}

impl Sink for Part {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        use std::io::Write;
        if block.is_empty() {
            return Ok(());
        }
        let written = self.file.lock().write_all(block.bytes());
        let mut state = self.whole.lock();
        if let Err(error) = written {
            state.failed = true;
            return Err(error.into());
        }
        state.bytes += block.len() as u64;
        state.newlines += block.newlines();
        state.open = !block.ends_line();
        Ok(())
    }

    fn facts(&self) -> Option<FileFacts> {
        // What is added to a file goes to that very file.
        let appends = self.whole.lock().way == Way::Append;
        let target = appends.then(|| self.whole.place.open(OFlags::RDONLY).ok())??;
        let facts = target.metadata().ok()?;
        Some(facts_of(&facts))
    }
}
