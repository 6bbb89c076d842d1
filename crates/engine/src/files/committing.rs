//! The files of a full run from the screen: they are written apart and take their places when all
//! is done.

use parking_lot::{Mutex, MutexGuard};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

use rustix::fs::{Access, access};
use stream::{Decoding, FileFacts, Files, Machine, Replacement, Sink, Source, WriteMode};

use crate::base::sinks::Nowhere;
use crate::files::commit::applied::Applied;
use crate::files::commit::prepared::{CommitError, commit_all};
use crate::files::commit::written::{CommittedFile, Part};
use crate::files::direct::DirectReplacement;
use crate::files::emptied::Readers;
use crate::files::machine::RealMachine;
use crate::files::place::target_of;
use crate::files::plain::read_plain;
use crate::flow::chain::Chain;
use crate::flow::counted::{CountedSource, Sources};
use crate::kept::lines::Kept;

/// What a run wrote for a file that it was told to leave as it is.
#[derive(Clone)]
pub struct Unwritten {
    /// The file itself, links followed.
    pub path: PathBuf,
    /// What would take its place, or be added to it.
    pub kept: Arc<Kept>,
}

/// Reads for real; files that are written take their places at the end, all or none.
pub(crate) struct CommittingFiles {
    files: Arc<Mutex<Vec<Arc<CommittedFile>>>>,
    /// Who reads files that are not written yet.
    readers: Readers,
    /// Counts what is read.
    sources: Arc<Sources>,
    /// Files are followed as they grow.
    live: bool,
    /// A file was to be written, whatever came of it.
    wrote: AtomicBool,
}

impl CommittingFiles {
    /// Nothing but files changes, and only at the end. What is read is counted in `sources`.
    pub(crate) fn new(sources: &Arc<Sources>, live: bool) -> Self {
        Self {
            files: Arc::default(),
            readers: Readers::default(),
            sources: sources.clone(),
            live,
            wrote: AtomicBool::new(false),
        }
    }

    /// Whoever reads a file that is replaced finds it empty from here on, and then what was written.
    fn emptied(&self, file: &Arc<CommittedFile>, part: &Arc<Part>, append: bool) {
        if append {
            return;
        }
        let (file, part) = (Arc::downgrade(file), Arc::downgrade(part));
        let target = file.upgrade().map(|file| file.target().to_owned());
        let reopen = move || {
            let written = part.strong_count() == 0;
            written.then(|| file.upgrade().map(|file| file.read())).flatten()
        };
        self.readers.empty(&target.unwrap_or_default(), reopen);
    }

    fn lock(&self) -> MutexGuard<'_, Vec<Arc<CommittedFile>>> {
        self.files.lock()
    }

    /// Puts all files that are `wanted` in place, or none; the others are given up.
    ///
    /// # Errors
    /// The first that could not; all are as they were.
    pub(crate) fn commit(
        &self,
        wanted: impl Fn(&CommittedFile) -> bool,
    ) -> Result<Vec<Applied>, CommitError> {
        let mut files = std::mem::take(&mut *self.lock());
        files.retain(|file| wanted(file));
        commit_all(&files)
    }

    /// What was written for each file, which is then given up.
    ///
    /// # Errors
    /// Where it cannot be read back, or kept.
    pub(crate) fn unwritten(&self) -> io::Result<Vec<Unwritten>> {
        let files = std::mem::take(&mut *self.lock());
        let keep = |file: &Arc<CommittedFile>| {
            let mut source = file.read_written()?;
            let kept = Kept::default();
            while let Some(block) =
                source.next_block().map_err(|error| io::Error::other(error.to_string()))?
            {
                kept.append(&block)?;
            }
            kept.end();
            Ok(Unwritten { path: file.target().to_owned(), kept: Arc::new(kept) })
        };
        files.iter().map(keep).collect()
    }

    /// True where a file was to be written, whatever came of it.
    pub(crate) fn has_written(&self) -> bool {
        self.wrote.load(Relaxed)
    }

    /// True where something of a file could not be written.
    pub(crate) fn has_failed(&self) -> bool {
        self.lock().iter().any(|file| file.has_failed())
    }
}

impl Files for CommittingFiles {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        // What the same text has written before is read, not what is still there.
        let files = self.lock();
        if let Some(written) = files.iter().rev().find(|file| file.is_for(path)) {
            return written.read();
        }
        drop(files);
        let Some(file) = read_plain(path)? else { return Ok(Box::new(Chain::default())) };
        let source = CountedSource::of(Box::new(file), &self.sources);
        Ok(match target_of(path) {
            Ok(target) => self.readers.add(target, source, true),
            Err(_) => source,
        })
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        self.wrote.store(true, Relaxed);
        let target = target_of(path)?;
        match std::fs::metadata(&target) {
            Ok(facts) if facts.is_dir() => {
                return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
            }
            Ok(facts) if !facts.is_file() => return Ok(Arc::new(Nowhere)),
            Ok(_) => access(&target, Access::WRITE_OK)?,
            Err(_) => {}
        }
        let append = mode == WriteMode::Append;
        let mut files = self.lock();
        if let Some(written) = files.iter().rev().find(|file| file.target() == target) {
            if !append {
                written.empty()?;
            }
            let part = Arc::new(written.open(append)?);
            self.emptied(written, &part, append);
            return Ok(part);
        }
        let file = Arc::new(CommittedFile::begin(&target, append)?);
        let part = Arc::new(file.open(append)?);
        self.emptied(&file, &part, append);
        files.push(file);
        Ok(part)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        self.wrote.store(true, Relaxed);
        if let Ok(facts) = std::fs::metadata(path) {
            if !facts.is_file() {
                return Ok(Box::new(DirectReplacement(self.write(path, WriteMode::Replace)?)));
            }
            access(path, Access::WRITE_OK)?;
        }
        let file = Arc::new(CommittedFile::begin(path, false)?);
        let sink = Arc::new(file.open(false)?);
        Ok(Box::new(Complete { file, sink, files: self.files.clone() }))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        // Nothing takes the place of a file that is not in this list at the end.
        self.lock().retain(|file| !file.is_for(path));
        Ok(())
    }

    fn is_live(&self) -> bool {
        self.live
    }

    fn machine(&self) -> &dyn Machine {
        &RealMachine
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        self.read(path).map(decoding.open)
    }

    fn remove_original(&self, _path: &Path) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn may_remove_original(&self) -> bool {
        false
    }

    fn set_file_mask(&self, _mask: u32) {
        // Only a run in the place of a shell has a mask of its own.
    }
}

/// A file that takes its place with the others once it is complete.
struct Complete {
    file: Arc<CommittedFile>,
    sink: Arc<dyn Sink>,
    files: Arc<Mutex<Vec<Arc<CommittedFile>>>>,
}

impl Replacement for Complete {
    fn sink(&self) -> Arc<dyn Sink> {
        self.sink.clone()
    }

    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        self.file.resemble(other)
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        let mut files = self.files.lock();
        files.retain(|file| file.target() != self.file.target());
        files.push(self.file);
        Ok(())
    }
}
