//! Files that a run from the screen writes: apart until all is done, then put in place together, or
//! none of them; and taken back.

use parking_lot::{Mutex, MutexGuard};
use std::fs::{File, FileTimes};
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rustix::fs::{FallocateFlags, OFlags, fallocate};
use rustix::io::Errno;
use stream::{Block, FileFacts, Replacement, Sink, Source, WriteError};
use thiserror::Error;

use crate::files::block_source::{FileSource, read_first};
use crate::files::identity::Identity;
use crate::files::machine::{facts_of, resemble};
use crate::files::staged::successor;
use crate::files::temporary::{Temporary, target_of, together};
use crate::flow::chain::Chain;

/// Bytes of what was written that are kept to be compared with what others made of it.
const COMPARED_MAX: u64 = 16 << 20;

/// How a file gets its new content.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    /// The new file takes its name.
    Rename,
    /// The content is copied into the file that is there: a new one would have another owner,
    /// other names or other rights, or its folder takes no new files.
    Rewrite,
    /// The content is added to the file that is there.
    Append,
}

/// A file being written apart from its target, to be put in place at the end.
pub(crate) struct CommittedFile {
    target: PathBuf,
    state: Mutex<State>,
}

struct State {
    /// `None` once it is put in place.
    temporary: Option<Temporary>,
    file: File,
    way: Way,
    bytes: u64,
    newlines: u64,
    open: bool,
    /// Something could not be written, so this must not take the place of anything.
    failed: bool,
    /// The time of the last change it gets when all is written.
    times: Option<FileTimes>,
}

impl State {
    fn open(&self, flags: OFlags) -> io::Result<File> {
        let temporary = self.temporary.as_ref();
        temporary.ok_or_else(|| io::Error::other("already written"))?.open(flags)
    }
}

impl CommittedFile {
    /// Begins to write for `path`; with `append`, after what the file has when all is done.
    ///
    /// # Errors
    /// Where nothing can be written there.
    pub(crate) fn begin(path: &Path, append: bool) -> io::Result<Self> {
        let target = target_of(path)?;
        let apart = || Temporary::beside(&std::env::temp_dir().join("x"));
        let ((temporary, file), way) = match (target.exists(), append) {
            (true, true) => (apart()?, Way::Append),
            (true, false) => match successor(&target) {
                Ok(made) => (made, Way::Rename),
                Err(_) => (apart()?, Way::Rewrite),
            },
            (false, _) => (Temporary::beside(&target)?, Way::Rename),
        };
        let state = State {
            temporary: Some(temporary),
            file,
            way,
            bytes: 0,
            newlines: 0,
            open: false,
            failed: false,
            times: None,
        };
        Ok(Self { target, state: Mutex::new(state) })
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock()
    }

    /// True when something could not be written.
    pub(crate) fn has_failed(&self) -> bool {
        self.lock().failed
    }

    /// The file it is written for.
    pub(crate) fn target(&self) -> &Path {
        &self.target
    }

    /// True when this is written for `path`.
    pub(crate) fn is_for(&self, path: &Path) -> bool {
        target_of(path).is_ok_and(|target| target == self.target)
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
        let old = std::fs::metadata(&self.target)?.len();
        chain.0.push_back(read_first(&self.target, old)?);
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
        state.file.set_len(0)?;
        (state.bytes, state.newlines, state.open) = (0, 0, false);
        if state.way == Way::Append {
            state.way = Way::Rewrite;
        }
        Ok(())
    }

    /// Gives it the rights of another file now, and its time when all is written.
    pub(crate) fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        let mut state = self.lock();
        state.times = Some(resemble(&state.file, other)?);
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
        let facts = appends.then(|| std::fs::metadata(&self.whole.target).ok())??;
        Some(facts_of(&facts))
    }
}

/// A new content for one file, put in place when it is said so.
pub(crate) struct CommittedReplacement {
    file: Arc<CommittedFile>,
    sink: Arc<dyn Sink>,
}

impl CommittedReplacement {
    /// Begins to write for `path`.
    ///
    /// # Errors
    /// Where nothing can be written there.
    pub(crate) fn begin(path: &Path) -> io::Result<Box<dyn Replacement>> {
        let file = Arc::new(CommittedFile::begin(path, false)?);
        let sink = Arc::new(file.open(false)?);
        Ok(Box::new(Self { file, sink }))
    }
}

impl Replacement for CommittedReplacement {
    fn sink(&self) -> Arc<dyn Sink> {
        self.sink.clone()
    }

    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        self.file.resemble(other)
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        commit_all(&[self.file]).map(drop).map_err(|failed| failed.error)
    }
}

/// A file that could not be put in place; all are as they were.
#[derive(Debug, Error)]
#[error("cannot write {}: {}", .path.display(), stream::describe(.error))]
pub struct CommitError {
    /// The file.
    pub path: PathBuf,
    /// Why.
    pub error: io::Error,
}

/// A file that was written, with what is needed to undo that.
#[derive(Debug)]
pub struct Applied {
    /// The file.
    pub path: PathBuf,
    /// Bytes written.
    pub bytes: u64,
    /// Lines written.
    pub lines: u64,
    old: Old,
    /// What it was right after.
    left: Option<Identity>,
    /// What was written, where that is not too much to be compared.
    written: Option<File>,
}

/// What a file was.
#[derive(Debug)]
enum Old {
    /// It was not there.
    Nothing,
    /// Another file, which has another name now.
    Renamed(Temporary),
    /// Another file, on a system where a file has one name only: its content and its times.
    Copied(File, FileTimes),
    /// The same file with another content, copied here.
    Rewritten(File, FileTimes),
    /// The same file, this long.
    Shorter(u64, FileTimes),
}

fn times_of(file: &File) -> FileTimes {
    let changed = file.metadata().and_then(|facts| facts.modified());
    let times = FileTimes::new();
    changed.map_or(times, |changed| times.set_modified(changed))
}

fn copy(from: &mut File, to: &mut File) -> io::Result<()> {
    from.seek(SeekFrom::Start(0))?;
    io::copy(from, to)?;
    to.sync_all()
}

/// Makes room for `bytes` bytes from `at` on, without changing the file. Systems that cannot are
/// passed over: there a full disk shows while the file is written.
fn reserve(file: &File, at: u64, bytes: u64) -> io::Result<()> {
    if bytes == 0 {
        return Ok(());
    }
    match fallocate(file, FallocateFlags::KEEP_SIZE, at, bytes) {
        Ok(()) | Err(Errno::OPNOTSUPP | Errno::NOSYS | Errno::INVAL) => Ok(()),
        Err(error) => Err(error.into()),
    }
}

fn rewrite(target: &mut File, content: &mut File) -> io::Result<()> {
    let before = target.metadata()?.len();
    target.seek(SeekFrom::Start(0))?;
    copy(content, target)?;
    let end = target.stream_position()?;
    target.set_len(end)?;
    // The room that the old content had stays, so that it can be brought back on a full disk too.
    let _ = reserve(target, end, before.saturating_sub(end));
    target.sync_all()
}

/// A file with all that is needed to put it in place, and to take that back.
struct Prepared {
    path: PathBuf,
    temporary: Temporary,
    content: File,
    target: Option<File>,
    old: Old,
    way: Way,
    bytes: u64,
    lines: u64,
}

impl Prepared {
    fn of(file: &CommittedFile) -> io::Result<Self> {
        let mut state = file.lock();
        let state = &mut *state;
        if state.failed {
            return Err(io::Error::other("it was not written completely"));
        }
        let path = file.target.clone();
        let content = state.file.try_clone()?;
        let (target, old) = match state.way {
            Way::Rename => {
                if let Some(times) = state.times {
                    state.file.set_times(times)?;
                }
                state.file.sync_all()?;
                (None, Self::aside(&path)?)
            }
            Way::Append => {
                let target = File::options().append(true).open(&path)?;
                let length = target.metadata()?.len();
                // Making room changes the times.
                let old = Old::Shorter(length, times_of(&target));
                reserve(&target, length, state.bytes)?;
                (Some(target), old)
            }
            Way::Rewrite => {
                let mut target = File::options().read(true).write(true).open(&path)?;
                let times = times_of(&target);
                let mut before = tempfile::tempfile()?;
                io::copy(&mut target, &mut before)?;
                let length = target.metadata()?.len();
                reserve(&target, length, content.metadata()?.len().saturating_sub(length))?;
                (Some(target), Old::Rewritten(before, times))
            }
        };
        let temporary = state.temporary.take();
        let temporary = temporary.ok_or_else(|| io::Error::other("already written"))?;
        let (way, bytes) = (state.way, state.bytes);
        let lines = state.newlines + u64::from(state.open);
        Ok(Self { path, temporary, content, target, old, way, bytes, lines })
    }

    /// Gives the old file another name.
    fn aside(path: &Path) -> io::Result<Old> {
        let mut file = match File::open(path) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Old::Nothing),
            // It may be written but not read: then it can be moved all the same.
            Err(_) => return Temporary::link_of(path).map(Old::Renamed),
        };
        if let Ok(linked) = Temporary::link_of(path) {
            return Ok(Old::Renamed(linked));
        }
        let times = times_of(&file);
        let mut kept = tempfile::tempfile()?;
        io::copy(&mut file, &mut kept)?;
        Ok(Old::Copied(kept, times))
    }

    fn place(&mut self) -> io::Result<()> {
        match (self.way, &mut self.target) {
            (Way::Append, Some(target)) => {
                // Others may have added to it since.
                let length = target.metadata()?.len();
                if let Old::Shorter(before, _) = &mut self.old {
                    *before = length;
                }
                copy(&mut self.content, target).inspect_err(|_| {
                    let _ = target.set_len(length);
                })
            }
            (Way::Rewrite, Some(target)) => rewrite(target, &mut self.content),
            _ => {
                self.temporary.put_in_place(&self.path)?;
                self.temporary.sync_folder()
            }
        }
    }

    fn applied(mut self) -> Applied {
        let written = (self.bytes <= COMPARED_MAX).then(|| {
            let mut kept = tempfile::tempfile().ok()?;
            self.content.seek(SeekFrom::Start(0)).ok()?;
            io::copy(&mut self.content, &mut kept).ok()?;
            Some(kept)
        });
        Applied {
            left: Identity::now(&self.path).ok(),
            path: self.path,
            bytes: self.bytes,
            lines: self.lines,
            old: self.old,
            written: written.flatten(),
        }
    }
}

/// Puts all files in place, on the disk before this returns, or none of them.
///
/// Everything that needs room or may be refused is done before the first one: contents are
/// written, old files have a second name, room for what is added is reserved.
///
/// # Errors
/// The first file that could not; all are as they were then.
pub(crate) fn commit_all(files: &[Arc<CommittedFile>]) -> Result<Vec<Applied>, CommitError> {
    tracing::info!(files = files.len(), "files take their places");
    let _together = together();
    let at = |path: &Path| {
        let path = path.to_owned();
        move |error| CommitError { path, error }
    };
    let mut prepared = Vec::with_capacity(files.len());
    for file in files {
        prepared.push(Prepared::of(file).map_err(at(&file.target))?);
    }
    for number in 0..prepared.len() {
        let placed = prepared[number].place();
        if let Err(error) = placed {
            let path = prepared[number].path.clone();
            // This one may be there in part; those before it are.
            prepared.truncate(number + 1);
            for one in prepared.iter_mut().rev() {
                // Nothing more can be done than to try.
                let _ = restore(&one.path, &mut one.old);
            }
            return Err(CommitError { path, error });
        }
    }
    Ok(prepared.into_iter().map(Prepared::applied).collect())
}

/// Brings back what a file was.
fn restore(path: &Path, old: &mut Old) -> io::Result<()> {
    match old {
        Old::Nothing => match std::fs::remove_file(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            removed => removed,
        },
        Old::Renamed(old) => old.put_back(path),
        Old::Copied(old, times) => {
            let (temporary, mut file) = successor(path)?;
            copy(old, &mut file)?;
            file.set_times(*times)?;
            temporary.put_in_place(path)
        }
        Old::Rewritten(old, times) => {
            let mut target = File::options().write(true).open(path)?;
            rewrite(&mut target, old)?;
            target.set_times(*times)
        }
        Old::Shorter(length, times) => {
            let target = File::options().write(true).open(path)?;
            target.set_len(*length)?;
            target.set_times(*times)
        }
    }
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
    /// Where there is more than 16 MiB, or no file, nothing.
    pub now: Option<Vec<u8>>,
}

impl Applied {
    /// True where the file is just as it was left.
    fn is_as_left(&self) -> bool {
        self.left.is_some() && Identity::now(&self.path).ok() == self.left
    }

    /// What follows the first `length` bytes now.
    fn tail(&self, length: u64) -> Option<Vec<u8>> {
        let file = File::open(&self.path).ok()?;
        let bytes = file.metadata().ok()?.len().checked_sub(length)?;
        if bytes > COMPARED_MAX {
            return None;
        }
        let mut tail = vec![0; bytes as usize];
        file.read_exact_at(&mut tail, length).ok()?;
        Some(tail)
    }

    fn ours(&self) -> Option<Vec<u8>> {
        let mut file = self.written.as_ref()?.try_clone().ok()?;
        let mut bytes = Vec::new();
        file.seek(SeekFrom::Start(0)).ok()?;
        file.read_to_end(&mut bytes).ok()?;
        Some(bytes)
    }

    /// Looks whether it may be taken back.
    fn check(&self) -> Result<(), UndoError> {
        let start = if let Old::Shorter(length, _) = &self.old { *length } else { 0 };
        if self.is_as_left() {
            return Ok(());
        }
        let (ours, now) = (self.ours(), self.tail(start));
        // What was added is still there, and nothing after it.
        if matches!(self.old, Old::Shorter(..)) && ours.is_some() && ours == now {
            return Ok(());
        }
        Err(UndoError::Changed(Box::new(Changed { path: self.path.clone(), ours, now })))
    }
}

/// Brings back what a file was before it was written, unless others have changed it since.
///
/// # Errors
/// When they have, or the old content cannot be brought back. The file stays as it is then, and
/// this may be tried again.
pub fn undo(applied: &mut Applied) -> Result<(), UndoError> {
    let _together = together();
    applied.check()?;
    let failed = |error| UndoError::Io(applied.path.clone(), error);
    restore(&applied.path, &mut applied.old).map_err(failed)
}

#[cfg(test)]
mod tests;
