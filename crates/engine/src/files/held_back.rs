//! The world of the workbench: writes are held back, and commands that may change something.

use parking_lot::Mutex;
use std::ffi::OsString;
use std::io;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use stream::{
    Decoding, FileFacts, Files, Machine, Permission, Replacement, RunControl, Scratch, Sink,
    Source, WriteMode,
};

use crate::base::limits::Limits;
use crate::base::sinks::Nowhere;
use crate::files::block_source::FileSource;
use crate::files::cut_short::{EndSeen, TellsEnd};
use crate::files::direct::DirectReplacement;
use crate::files::machine::RealMachine;
use crate::files::overlay::Overlay;
use crate::files::pending::PendingFile;
use crate::files::plain::read_plain;
use crate::files::sample::{PartialRead, Sample, SampleCache, SampledInput};
use crate::flow::chain::Chain;
use crate::kept::lines::Kept;
use crate::kept::sinks::HoldBudget;

/// How files are read: a sample of each, or all of it.
#[derive(Clone)]
pub(crate) struct Sampler {
    pub(crate) sample: Sample,
    pub(crate) limits: Limits,
    pub(crate) cache: Arc<SampleCache>,
}

pub(crate) struct HeldBackFiles {
    /// `None` where files are read whole.
    pub(crate) sampler: Option<Sampler>,
    pub(crate) control: RunControl,
    /// Files that would be written, also by stages before those that run now.
    pub(crate) pending: Arc<Overlay>,
    /// Files are followed as they grow.
    live: bool,
    /// Samples that were read, by the name the stage used.
    pub(crate) read: Mutex<Vec<(PathBuf, Arc<SampledInput>)>>,
    /// Set once the end of a sample was reached that is not the end of its file.
    pub(crate) cut: EndSeen,
    /// Set once the end of a file was reached that the text itself would write.
    pub(crate) written: EndSeen,
}

impl HeldBackFiles {
    pub(crate) fn new(sampler: Option<Sampler>, control: RunControl) -> Self {
        Self {
            sampler,
            control,
            pending: Arc::default(),
            live: false,
            read: Mutex::default(),
            cut: EndSeen::default(),
            written: EndSeen::default(),
        }
    }

    /// The same files for a stage that writes `out`, of which it is known apart what it reads.
    pub(crate) fn of_stage(&self, out: &Arc<Kept>) -> Self {
        let own = Self::new(self.sampler.clone(), self.control.clone());
        Self {
            pending: self.pending.clone(),
            live: self.live,
            cut: EndSeen::of_stage(out.clone()),
            ..own
        }
    }

    /// The samples read that are not the whole.
    pub(crate) fn partial(&self) -> Vec<PartialRead> {
        let read = self.read.lock();
        let partial = read.iter().filter(|(_, sampled)| !sampled.complete);
        let partial = partial
            .map(|(path, sampled)| PartialRead { path: path.clone(), sampled: sampled.clone() });
        partial.collect()
    }

    /// All samples read, also the whole ones, by the names the stage and what runs inside it used.
    pub(crate) fn all_read(&self) -> Vec<PartialRead> {
        let read = self.read.lock();
        let all = read
            .iter()
            .map(|(path, sampled)| PartialRead { path: path.clone(), sampled: sampled.clone() });
        all.collect()
    }

    /// Keeps at most this many bytes of what would be written; beyond that the run is ended.
    pub(crate) fn holding(self, bytes: u64) -> Self {
        self.pending.set_budget(HoldBudget::new(bytes, &self.control));
        self
    }

    /// Follows files as they grow, where a stage asks for that.
    pub(crate) fn live(self) -> Self {
        Self { live: true, ..self }
    }

    /// The sample read under this name.
    pub(crate) fn sampled(&self, path: &Path) -> Option<Arc<SampledInput>> {
        let read = self.read.lock();
        read.iter().rev().find(|(name, _)| name == path).map(|(_, sampled)| sampled.clone())
    }

    /// Reads what a file has now, or what was in it before it was compressed.
    fn read_old(
        &self,
        path: &Path,
        decoding: Option<&'static Decoding>,
    ) -> io::Result<Box<dyn Source>> {
        let Some(file) = read_plain(path)? else { return Ok(Box::new(Chain::default())) };
        let decoded = |file: FileSource| -> Box<dyn Source> {
            match decoding {
                Some(decoding) => (decoding.open)(Box::new(file)),
                None => Box::new(file),
            }
        };
        let Some(sampler) = &self.sampler else { return Ok(decoded(file)) };
        let Sampler { mut sample, limits, cache } = sampler.clone();
        if decoding.is_none() && sample != Sample::Everything && is_compressed(&file) {
            // A part of compressed data is of no use to whoever reads it: all of it is there, as far
            // as the limits let it.
            sample = Sample::Everything;
        }
        let sampled = cache.file(path, file, decoding, sample, &limits, &self.control)?;
        let mut source = sampled.source();
        if !sampled.complete {
            if !sample.begins() {
                // With all of the data its first lines would be others already.
                self.cut.set();
            }
            source = Box::new(TellsEnd::new(source, self.cut.clone()));
        }
        self.read.lock().push((path.to_owned(), sampled));
        Ok(source)
    }
}

impl Files for HeldBackFiles {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        let Some(content) = self.pending.content(path) else {
            return Ok(self.pending.reader(path, self.read_old(path, None)?, true));
        };
        let mut chain = Chain::default();
        if content.old && path.exists() {
            chain.0.push_back(self.read_old(path, None)?);
        }
        chain.0.extend(content.parts.iter().map(Kept::source));
        Ok(Box::new(TellsEnd::new(Box::new(chain), self.written.clone())))
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        if self.pending.content(path).is_some() {
            return self.read(path).map(decoding.open);
        }
        Ok(self.pending.reader(path, self.read_old(path, Some(decoding))?, false))
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        self.pending.write(path, mode, &self.control)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        match self.pending.begin(path, WriteMode::Replace, &self.control)? {
            None => Ok(Box::new(DirectReplacement(Arc::new(Nowhere)))),
            Some(file) => Ok(Box::new(Held { file, pending: self.pending.clone() })),
        }
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.pending.remove(path);
        Ok(())
    }

    fn is_live(&self) -> bool {
        self.live
    }

    fn machine(&self) -> &dyn Machine {
        self
    }

    fn remove_original(&self, _path: &Path) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    fn may_remove_original(&self) -> bool {
        false
    }

    fn set_file_mask(&self, _mask: u32) {
        // No file is made.
    }
}

impl Machine for HeldBackFiles {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        let mut names = RealMachine.list(directory)?;
        self.pending.add_names(directory, &mut names);
        Ok(names)
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.pending.facts(path).map_or_else(|| RealMachine.facts(path), Ok)
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        match RealMachine.link_facts(path) {
            Ok(facts) if !facts.is_regular() => Ok(facts),
            found => self.pending.facts(path).map_or(found, Ok),
        }
    }

    fn permits(&self, path: &Path, permission: Permission) -> bool {
        if std::fs::metadata(path).is_err() && self.pending.facts(path).is_some() {
            return permission != Permission::Execute;
        }
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
        // A preview shows what comes of it all; nobody waits for `sleep` at every key.
        if self.sampler.is_none() {
            RealMachine.pause(duration);
        }
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

/// True for a file that is compressed, by its first bytes.
fn is_compressed(file: &FileSource) -> bool {
    let mut first = [0; 6];
    let read = file.file.read_at(&mut first, 0).unwrap_or(0);
    filters::Form::of_content(&first[..read]).is_some()
}

/// A file that is seen only once it is complete.
struct Held {
    file: PendingFile,
    pending: Arc<Overlay>,
}

impl Replacement for Held {
    fn sink(&self) -> Arc<dyn Sink> {
        self.pending.sink(&self.file.kept)
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        self.pending.add(self.file);
        Ok(())
    }
}
