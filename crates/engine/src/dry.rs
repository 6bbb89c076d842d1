//! The world of the workbench: reads are samples, writes are held back.

use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use rustix::fs::{Access, access};
use stream::{
    Block, Cancel, Job, JobEnd, Joined, Machine, Replacement, Running, Sink, Source, World,
    WriteError, WriteMode,
};

use crate::job::{Later, run_filters};
use crate::kept::Kept;
use crate::machine::RealMachine;
use crate::pending::{Beside, PendingFile, PendingMode};
use crate::preview::Limits;
use crate::run::Nowhere;
use crate::sample::{Sample, SampleCache, Sampled, count_lines};
use crate::world::{RealWorld, Straight};

/// Files up to this size are counted when they would be written over.
const COUNTED_UP_TO: u64 = 64 << 20;

pub(crate) struct DryWorld {
    pub(crate) sample: Sample,
    pub(crate) limits: Limits,
    pub(crate) cache: Arc<SampleCache>,
    pub(crate) cancel: Cancel,
    /// Files that would be written, also by stages before those that run now.
    pub(crate) pending: Mutex<Vec<PendingFile>>,
    /// Samples that were read, by the name the stage used.
    pub(crate) read: Mutex<Vec<(PathBuf, Arc<Sampled>)>>,
}

impl DryWorld {
    fn pending_for(&self, path: &Path) -> Option<PendingFile> {
        let pending = self.pending.lock().unwrap_or_else(PoisonError::into_inner);
        pending.iter().rev().find(|file| file.path == path).cloned()
    }

    /// The sample read under this name.
    pub(crate) fn sampled(&self, path: &Path) -> Option<Arc<Sampled>> {
        let read = self.read.lock().unwrap_or_else(PoisonError::into_inner);
        read.iter().rev().find(|(name, _)| name == path).map(|(_, sampled)| sampled.clone())
    }
}

/// Only regular files are read in the workbench: others may block, or be changed by reading.
fn readable(path: &Path) -> io::Result<bool> {
    let facts = std::fs::metadata(path)?;
    if facts.is_dir() {
        return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
    }
    if !facts.is_file() && path != Path::new("/dev/null") {
        return Err(io::Error::other("not a regular file, read only by a real run"));
    }
    Ok(facts.is_file())
}

impl World for DryWorld {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        if let Some(pending) = self.pending_for(path) {
            return Ok(pending.kept.source());
        }
        if !readable(path)? {
            return RealWorld.read(path);
        }
        let sampled = self.cache.file(path, self.sample, &self.limits, &self.cancel)?;
        let source = sampled.kept.source();
        self.read.lock().unwrap_or_else(PoisonError::into_inner).push((path.to_owned(), sampled));
        Ok(source)
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        let facts = std::fs::metadata(path).ok();
        if let Some(facts) = &facts {
            if facts.is_dir() {
                return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
            }
            access(path, Access::WRITE_OK)?;
            if !facts.is_file() {
                return Ok(Arc::new(Nowhere));
            }
        } else {
            let parent = match path.parent() {
                Some(parent) if !parent.as_os_str().is_empty() => parent,
                _ => Path::new("."),
            };
            access(parent, Access::WRITE_OK | Access::EXEC_OK)?;
        }
        let bytes_now = facts.as_ref().map_or(0, std::fs::Metadata::len);
        let lines_now = match &facts {
            None => Some(0),
            Some(_) if bytes_now <= COUNTED_UP_TO => count_lines(path, &self.cancel),
            Some(_) => None,
        };
        let pending_mode = match (facts.is_some(), mode) {
            (false, _) => PendingMode::New,
            (true, WriteMode::Replace) => PendingMode::Replace,
            (true, WriteMode::Append) => PendingMode::Append,
        };
        let kept = Arc::new(Kept::default());
        self.pending.lock().unwrap_or_else(PoisonError::into_inner).push(PendingFile {
            path: path.to_owned(),
            mode: pending_mode,
            kept: kept.clone(),
            bytes_now,
            lines_now,
        });
        Ok(Arc::new(KeptSink(kept)))
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        Ok(Box::new(Straight(self.write(path, WriteMode::Replace)?)))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        // What was only held back is not written at all.
        let mut pending = self.pending.lock().unwrap_or_else(PoisonError::into_inner);
        pending.retain(|file| file.path != path);
        Ok(())
    }

    fn run(&self, job: Job<'_>) -> JobEnd {
        run_filters(job, self)
    }

    fn start(&self, job: Job<'_>, joined: Joined) -> Result<Box<dyn Running + '_>, JobEnd> {
        Ok(Box::new(Later::new(job, joined, self)?))
    }

    fn is_live(&self) -> bool {
        false
    }

    fn machine(&self) -> &dyn Machine {
        &RealMachine
    }
}

/// Keeps what is written, of any size.
pub(crate) struct KeptSink(pub(crate) Arc<Kept>);

impl Sink for KeptSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        Ok(self.0.append(&block)?)
    }
}

/// Reads for real; writes beside the targets, which are replaced only when all is done.
#[derive(Default)]
pub(crate) struct WriteWorld {
    pub(crate) files: Mutex<Vec<Arc<Beside>>>,
}

impl World for WriteWorld {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        readable(path)?;
        RealWorld.read(path)
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        match std::fs::metadata(path) {
            Ok(facts) if facts.is_dir() => {
                return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
            }
            Ok(facts) if !facts.is_file() => return Ok(Arc::new(Nowhere)),
            Ok(_) => access(path, Access::WRITE_OK)?,
            Err(_) => {}
        }
        let file = Arc::new(Beside::open(path, mode == WriteMode::Append)?);
        self.files.lock().unwrap_or_else(PoisonError::into_inner).push(file.clone());
        Ok(file)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        Ok(Box::new(Straight(self.write(path, WriteMode::Replace)?)))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        // Nothing takes the place of a file that is not in this list at the end.
        let mut files = self.files.lock().unwrap_or_else(PoisonError::into_inner);
        files.retain(|file| !file.is_for(path));
        Ok(())
    }

    fn run(&self, job: Job<'_>) -> JobEnd {
        run_filters(job, self)
    }

    fn start(&self, job: Job<'_>, joined: Joined) -> Result<Box<dyn Running + '_>, JobEnd> {
        Ok(Box::new(Later::new(job, joined, self)?))
    }

    fn is_live(&self) -> bool {
        false
    }

    fn machine(&self) -> &dyn Machine {
        &RealMachine
    }
}
