//! The files of a run as `sh` would run it: `>>` goes straight to the file; what `>` writes takes
//! its place when the command that owns the redirection has ended.

use parking_lot::{Mutex, MutexGuard};
use std::collections::HashMap;
use std::ffi::OsString;
use std::fs::File;
use std::io;
use std::os::unix::fs::FileTypeExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::{Arc, Weak};
use std::time::Duration;

use lease::Openings;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{Mode, OFlags, open};
use rustix::io::Errno;
use stream::{
    Decoding, FileFacts, Files, Machine, Permission, Replacement, RunControl, Scratch, Sink,
    Source, WriteMode,
};

use crate::files::block_source::{DescriptorSink, FileSource};
use crate::files::commit::replacement::CommittedReplacement;
use crate::files::direct::DirectReplacement;
use crate::files::machine::{RealMachine, facts_of};
use crate::files::place::{Number, Place, PlaceKey, place_of_new};
use crate::files::staged::{Opening, Staged, StagedReplacement, number_of};
use crate::files::temporary::PREFIX;
use crate::flow::counted::{CountedSource, Sources};

/// How long to wait before it is looked again whether the other end of a named pipe is open.
const PAUSE: Duration = Duration::from_millis(5);

/// Everything is for real.
#[derive(Clone)]
pub(crate) struct ShellFiles {
    /// Files being written that have not taken their places yet.
    staged: Arc<Mutex<HashMap<PlaceKey, Arc<Staged>>>>,
    /// Files that are open for being added to.
    appended: Arc<Mutex<HashMap<Number, Vec<Weak<Staged>>>>>,
    control: RunControl,
    /// Counts what is read, where somebody looks on.
    sources: Option<Arc<Sources>>,
    /// Files are seen while they are written: what writes them has no end, or is to be as a program
    /// of the machine.
    at_once: Arc<AtomicBool>,
}

impl ShellFiles {
    pub(crate) fn new(control: &RunControl, sources: Option<&Arc<Sources>>) -> Self {
        Self {
            staged: Arc::default(),
            appended: Arc::default(),
            control: control.clone(),
            sources: sources.cloned(),
            at_once: Arc::default(),
        }
    }

    /// From now on files are seen while they are written.
    pub(crate) fn write_at_once(&self) {
        self.at_once.store(true, Relaxed);
    }

    fn lock(&self) -> MutexGuard<'_, HashMap<PlaceKey, Arc<Staged>>> {
        self.staged.lock()
    }

    /// The file that is written for a place now.
    fn staged(&self, place: &Place) -> Option<Arc<Staged>> {
        let mut staged = self.lock();
        let key = place.key();
        let found = staged.get(&key)?.clone();
        if found.is_open() {
            return Some(found);
        }
        staged.remove(&key);
        None
    }

    /// The same for a path of any kind.
    fn staged_at(&self, path: &Path) -> Option<Arc<Staged>> {
        if self.lock().is_empty() {
            return None;
        }
        self.staged(&Place::of(path).ok()?)
    }

    /// Begins a file in the place of `old`, or of nothing.
    fn stage(&self, place: Place, old: Option<File>) -> io::Result<Opening> {
        let key = place.key();
        let staged = Staged::begin(place, old)?;
        let opening = staged.open(false)?;
        let mut all = self.lock();
        if all.len() == all.capacity() {
            all.retain(|_, file| file.is_open());
        }
        all.insert(key, staged);
        Ok(opening)
    }

    /// True where somebody adds to this very file now: it must stay the same file.
    fn is_appended(&self, file: Number) -> bool {
        let appended = self.appended.lock();
        let open = |file: &Weak<Staged>| file.strong_count() > 0;
        appended.get(&file).is_some_and(|files| files.iter().any(open))
    }

    /// What `>` writes to a file that is there, or to nothing: beside it, where a new file would be the same to
    /// everybody, and nobody has the old one open.
    fn replaced(&self, path: &Path) -> io::Result<Arc<dyn Sink>> {
        let flags = OFlags::WRONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
        let mode = Mode::from_raw_mode(0o666);
        // As `sh` opens it, but that it is not emptied yet: the kernel decides whether this may be
        // opened at all, by its rules for links and files in shared folders too (proc_sys_fs(5),
        // protected_symlinks, protected_regular).
        match open(path, flags, Mode::empty()) {
            Ok(_) => {}
            Err(Errno::NOENT) => return self.made(path),
            Err(error) => return Err(error.into()),
        }
        let old = File::from(open(path, flags | OFlags::CREATE, mode)?);
        let number = number_of(&old)?;
        let place = Place::of_file(&old);
        if let Ok(place) = &place
            && let Some(staged) = self.staged(place)
        {
            return Ok(Arc::new(staged.open(false)?));
        }
        if let Ok(place) = place
            && !self.at_once.load(Relaxed)
            && !self.is_appended(number)
            && lease::openings(&old) == Openings::This
            && let Ok(copy) = old.try_clone()
            && let Ok(opening) = self.stage(place, Some(copy))
        {
            return Ok(Arc::new(opening));
        }
        old.set_len(0)?;
        self.opened(path, old)
    }

    /// What `>` writes to a name that leads to nothing.
    fn made(&self, path: &Path) -> io::Result<Arc<dyn Sink>> {
        let place = place_of_new(path)?;
        if let Some(staged) = self.staged(&place) {
            return Ok(Arc::new(staged.open(false)?));
        }
        if !self.at_once.load(Relaxed)
            && let Ok(opening) = self.stage(place, None)
        {
            return Ok(Arc::new(opening));
        }
        self.open_as_it_is(path, WriteMode::Replace)
    }

    /// A regular file that is written where it is.
    fn opened(&self, path: &Path, file: File) -> io::Result<Arc<dyn Sink>> {
        let place = Place::of_file(&file).or_else(|_| Place::of(path))?;
        let number = number_of(&file)?;
        let opening = Opening::in_place(place, file);
        let mut appended = self.appended.lock();
        if appended.len() == appended.capacity() {
            appended.retain(|_, files| files.iter().any(|file| file.strong_count() > 0));
        }
        let files = appended.entry(number).or_default();
        files.retain(|file| file.strong_count() > 0);
        files.push(opening.weak());
        Ok(Arc::new(opening))
    }

    /// Opens a named pipe, which waits for the other end as long as the run is not ended.
    fn open_pipe(&self, path: &Path, flags: OFlags) -> io::Result<File> {
        let flags = flags | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
        let pipe = loop {
            match open(path, flags, Mode::from_raw_mode(0o666)) {
                Ok(pipe) => break pipe,
                // Nobody reads yet.
                Err(Errno::NXIO) if !self.control.is_cancelled() => std::thread::sleep(PAUSE),
                Err(error) => return Err(error.into()),
            }
        };
        if !flags.contains(OFlags::WRONLY) {
            let wait = Timespec { tv_sec: 0, tv_nsec: PAUSE.subsec_nanos().into() };
            // It is readable, or at its end, once somebody has opened it for writing.
            let nothing_yet = || {
                let polled = poll(&mut [PollFd::new(&pipe, PollFlags::IN)], Some(&wait));
                matches!(polled, Ok(0) | Err(Errno::INTR))
            };
            while nothing_yet() {
                if self.control.is_cancelled() {
                    return Err(io::ErrorKind::Interrupted.into());
                }
            }
        }
        rustix::io::ioctl_fionbio(&pipe, false)?;
        Ok(File::from(pipe))
    }

    /// Opens what is there as a shell does: for what has no content to keep, or must stay the same
    /// file.
    fn open_as_it_is(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        let flags = match mode {
            WriteMode::Replace => OFlags::WRONLY | OFlags::CREATE | OFlags::TRUNC,
            WriteMode::Append => OFlags::WRONLY | OFlags::CREATE | OFlags::APPEND,
        };
        let facts = std::fs::metadata(path).ok();
        if facts.as_ref().is_some_and(|facts| facts.file_type().is_fifo()) {
            let pipe = self.open_pipe(path, OFlags::WRONLY | OFlags::CREATE)?;
            return Ok(Arc::new(DescriptorSink::of(pipe.into())));
        }
        let file = File::from(open(path, flags | OFlags::CLOEXEC, Mode::from_raw_mode(0o666))?);
        if file.metadata()?.is_file() {
            return self.opened(path, file);
        }
        Ok(Arc::new(DescriptorSink::of(file.into())))
    }
}

/// True for a regular file that may be written, as opening it says; it is not changed.
fn may_be_written(path: &Path) -> io::Result<()> {
    let flags = OFlags::WRONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    open(path, flags, Mode::empty()).map(drop).map_err(Into::into)
}

impl Files for ShellFiles {
    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        if let Some(staged) = self.staged_at(path) {
            return Ok(Box::new(FileSource::of(staged.read()?)?));
        }
        let is_pipe = std::fs::metadata(path)?.file_type().is_fifo();
        let file = if is_pipe { self.open_pipe(path, OFlags::RDONLY)? } else { File::open(path)? };
        let source: Box<dyn Source> = Box::new(FileSource::of(file)?);
        let source = match &self.sources {
            Some(sources) => CountedSource::of(source, sources),
            None => source,
        };
        Ok(source)
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        if mode == WriteMode::Append {
            return match self.staged_at(path) {
                Some(staged) => Ok(Arc::new(staged.open(true)?)),
                None => self.open_as_it_is(path, mode),
            };
        }
        match std::fs::metadata(path) {
            Ok(facts) if !facts.is_file() => self.open_as_it_is(path, mode),
            _ => self.replaced(path),
        }
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        match std::fs::metadata(path) {
            Ok(facts) if facts.is_file() => may_be_written(path)?,
            // Nothing can be put in the place of a device or a pipe.
            Ok(_) => {
                let sink = self.open_as_it_is(path, WriteMode::Replace)?;
                return Ok(Box::new(DirectReplacement(sink)));
            }
            Err(_) => {}
        }
        let place = Place::of(path)?;
        let old = match place.open(OFlags::WRONLY) {
            Ok(old) => Some(old),
            Err(error) if error.kind() == io::ErrorKind::NotFound => None,
            Err(error) => return Err(error),
        };
        match Staged::begin(place, old).and_then(|staged| staged.open(false)) {
            Ok(opening) => Ok(Box::new(StagedReplacement(Arc::new(opening)))),
            // A new file would not be the same to everybody.
            Err(_) => CommittedReplacement::begin(path),
        }
    }

    fn remove_original(&self, path: &Path) -> io::Result<()> {
        std::fs::remove_file(path)
    }

    fn may_remove_original(&self) -> bool {
        true
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        if let Some(staged) = self.staged_at(path) {
            staged.give_up();
        }
        match std::fs::remove_file(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            removed => removed,
        }
    }

    fn is_live(&self) -> bool {
        true
    }

    fn set_file_mask(&self, mask: u32) {
        super::rights::set_file_mask(mask);
    }

    fn machine(&self) -> &dyn Machine {
        self
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        self.read(path).map(decoding.open)
    }
}

impl ShellFiles {
    /// What is known of a file that is being written.
    fn staged_facts(&self, path: &Path) -> Option<FileFacts> {
        let staged = self.staged_at(path)?;
        staged.read().ok()?.metadata().ok().map(|facts| facts_of(&facts))
    }
}

impl Machine for ShellFiles {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        let mut names = RealMachine.list(directory)?;
        // Files that are not complete are nobody's yet.
        names.retain(|name| !name.as_encoded_bytes().starts_with(PREFIX.as_bytes()));
        Ok(names)
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.staged_facts(path).map_or_else(|| RealMachine.facts(path), Ok)
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        match RealMachine.link_facts(path) {
            Ok(facts) if !facts.is_regular() => Ok(facts),
            found => self.staged_facts(path).map_or(found, Ok),
        }
    }

    fn permits(&self, path: &Path, permission: Permission) -> bool {
        RealMachine.permits(path, permission)
            || permission != Permission::Execute && self.staged_facts(path).is_some()
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
