//! The world of a real run: files are written beside their targets and take their places when all
//! is done.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use rustix::fs::{Access, access};
use stream::{
    Cancel, FileFacts, Job, JobEnd, Joined, Machine, Permission, Replacement, Running, Scratch,
    Sink, Source, World, WriteMode,
};

use crate::beside::{Applied, Beside, Opening, together};
use crate::dry::readable;
use crate::job::{Companion, Later, run_filters, run_job};
use crate::machine::RealMachine;
use crate::run::Nowhere;
use crate::watch::{CountedSource, Sources, Watch};
use crate::world::{RealWorld, Straight};

/// Reads for real; files that are written take their places at the end, all or none.
///
/// Where programs are started and files are looked at as `sh` would do it, files that are complete
/// take their places before that, because they must be seen.
#[derive(Clone)]
pub(crate) struct WriteWorld {
    pub(crate) files: Arc<Mutex<Vec<Arc<Beside>>>>,
    /// As in a shell: programs are started, devices and pipes are read and written.
    as_shell: bool,
    cancel: Cancel,
    /// What could not take its place when it was complete.
    failures: Arc<Mutex<Vec<String>>>,
    /// Counts what is read, where somebody looks on.
    sources: Option<Arc<Sources>>,
    /// Files are followed as they grow.
    live: bool,
    /// A file was to be written, whatever came of it.
    wrote: Arc<AtomicBool>,
    /// Files are written as they are, because what is written has no end that could be waited for.
    straight: Arc<AtomicBool>,
}

impl WriteWorld {
    /// Nothing but files changes, and only at the end.
    pub(crate) fn new(cancel: &Cancel) -> Self {
        Self {
            files: Arc::default(),
            as_shell: false,
            cancel: cancel.clone(),
            failures: Arc::default(),
            sources: None,
            live: false,
            wrote: Arc::default(),
            straight: Arc::default(),
        }
    }

    /// From now on files are written as they are, for what has no end.
    pub(crate) fn write_straight(&self) {
        self.straight.store(true, Relaxed);
    }

    /// Counts what is read of files.
    pub(crate) fn counted(self, watch: &Watch) -> Self {
        Self { sources: Some(watch.sources().clone()), ..self }
    }

    /// Follows files as they grow, where a stage asks for that.
    pub(crate) fn live(self) -> Self {
        Self { live: true, ..self }
    }

    /// Everything is for real.
    pub(crate) fn as_shell(cancel: &Cancel) -> Self {
        Self { as_shell: true, live: true, ..Self::new(cancel) }
    }

    fn lock(&self) -> MutexGuard<'_, Vec<Arc<Beside>>> {
        self.files.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets complete files take their places, where somebody is about to look.
    pub(crate) fn settle(&self) {
        if !self.as_shell || self.cancel.was_cancelled() {
            return;
        }
        let _together = together();
        let mut files = self.lock();
        let (complete, open): (Vec<_>, Vec<_>) =
            files.drain(..).partition(|file| Arc::strong_count(file) == 1);
        *files = open;
        drop(files);
        for file in complete {
            if let Err(error) = file.commit(false) {
                let path = file.target().display();
                self.failures
                    .lock()
                    .unwrap_or_else(PoisonError::into_inner)
                    .push(format!("cannot write {path}: {}", stream::describe(&error)));
            }
        }
    }

    /// Lets all files that are `wanted` take their places; the others are given up.
    ///
    /// # Errors
    /// The first that could not; those before it have taken theirs.
    pub(crate) fn commit(
        &self,
        wanted: impl Fn(&Beside) -> bool,
        safely: bool,
    ) -> io::Result<Vec<Applied>> {
        let _together = together();
        let files = std::mem::take(&mut *self.lock());
        let chosen = files.iter().filter(|file| wanted(file));
        chosen.map(|file| file.commit(safely)).collect()
    }

    /// True where a file was to be written, whatever came of it.
    pub(crate) fn has_written(&self) -> bool {
        self.wrote.load(Relaxed)
    }

    /// What could not take its place before the end.
    pub(crate) fn failures(&self) -> Vec<String> {
        self.failures.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

impl World for WriteWorld {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        // What the same text has written before is read, not what is still there.
        let files = self.lock();
        if let Some(written) = files.iter().rev().find(|file| file.is_for(path)) {
            return written.read();
        }
        drop(files);
        if !self.as_shell {
            readable(path)?;
        }
        let source = RealWorld.read(path)?;
        Ok(match &self.sources {
            Some(sources) => CountedSource::of(source, sources),
            None => source,
        })
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        self.wrote.store(true, Relaxed);
        match std::fs::metadata(path) {
            Ok(facts) if facts.is_dir() => {
                return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
            }
            Ok(facts) if !facts.is_file() && self.as_shell => return RealWorld.write(path, mode),
            _ if self.straight.load(Relaxed) => {
                self.settle();
                return RealWorld.write(path, mode);
            }
            Ok(facts) if !facts.is_file() => return Ok(Arc::new(Nowhere)),
            Ok(_) => access(path, Access::WRITE_OK)?,
            Err(_) => {}
        }
        let mut files = self.lock();
        if let Some(written) = files.iter().rev().find(|file| file.is_for(path)) {
            if mode == WriteMode::Replace {
                written.empty()?;
            }
            return Ok(Arc::new(Opening::of(written, mode == WriteMode::Append)?));
        }
        let file = Arc::new(Beside::open(path, mode == WriteMode::Append)?);
        let opening = Opening::of(&file, mode == WriteMode::Append)?;
        files.push(file);
        Ok(Arc::new(opening))
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        self.wrote.store(true, Relaxed);
        if self.straight.load(Relaxed) {
            self.settle();
            return RealWorld.replace(path);
        }
        if let Ok(facts) = std::fs::metadata(path) {
            if !facts.is_file() {
                return Ok(Box::new(Straight(self.write(path, WriteMode::Replace)?)));
            }
            access(path, Access::WRITE_OK)?;
        }
        let file = Arc::new(Beside::open(path, false)?);
        Ok(Box::new(Complete { file, files: self.files.clone() }))
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        // Nothing takes the place of a file that is not in this list at the end.
        let mut files = self.lock();
        let before = files.len();
        files.retain(|file| !file.is_for(path));
        let gone = files.len() < before;
        drop(files);
        if gone || !self.as_shell { Ok(()) } else { RealWorld.remove(path) }
    }

    fn run(&self, job: Job<'_>) -> JobEnd {
        if !self.as_shell {
            return run_filters(job, self);
        }
        self.settle();
        run_job(job, self, false)
    }

    fn start(&self, job: Job<'_>, joined: Joined) -> Result<Box<dyn Running + '_>, JobEnd> {
        if !self.as_shell {
            return Ok(Box::new(Later::new(job, joined, self)?));
        }
        self.settle();
        Ok(Box::new(Companion::start(job, joined, self.clone())))
    }

    fn is_live(&self) -> bool {
        self.live
    }

    fn machine(&self) -> &dyn Machine {
        if self.as_shell { self } else { &RealMachine }
    }
}

impl Machine for WriteWorld {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        self.settle();
        let mut names = RealMachine.list(directory)?;
        // Files that are not complete are nobody's yet.
        names.retain(|name| !name.as_encoded_bytes().starts_with(b".ylotrope-"));
        Ok(names)
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.settle();
        RealMachine.facts(path)
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.settle();
        RealMachine.link_facts(path)
    }

    fn permits(&self, path: &Path, permission: Permission) -> bool {
        self.settle();
        RealMachine.permits(path, permission)
    }

    fn user(&self) -> (u32, u32) {
        RealMachine.user()
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        RealMachine.variable(name)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        RealMachine.variables()
    }

    fn directory(&self) -> PathBuf {
        RealMachine.directory()
    }

    fn now_ns(&self) -> i128 {
        RealMachine.now_ns()
    }

    fn pause(&self, duration: Duration) {
        RealMachine.pause(duration);
    }

    fn random(&self) -> u64 {
        RealMachine.random()
    }

    fn memory_bytes(&self) -> u64 {
        RealMachine.memory_bytes()
    }

    fn is_terminal(&self, descriptor: u8) -> bool {
        RealMachine.is_terminal(descriptor)
    }

    fn scratch(&self, directory: Option<&Path>) -> io::Result<Box<dyn Scratch>> {
        RealMachine.scratch(directory)
    }
}

/// A file that takes its place with the others once it is complete.
struct Complete {
    file: Arc<Beside>,
    files: Arc<Mutex<Vec<Arc<Beside>>>>,
}

impl Replacement for Complete {
    fn sink(&self) -> Arc<dyn Sink> {
        self.file.clone()
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        let mut files = self.files.lock().unwrap_or_else(PoisonError::into_inner);
        files.retain(|file| !file.is_for(self.file.target()));
        files.push(self.file);
        Ok(())
    }
}
