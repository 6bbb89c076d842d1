//! Files written beside their targets, which take their places when they are complete, and are
//! taken back.

use std::collections::BTreeSet;
use std::fs::{File, FileTimes};
use std::io::{self, Seek, SeekFrom, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use stream::{Block, FileFacts, Replacement, Sink, Source, World, WriteError};
use tempfile::NamedTempFile;

use crate::machine::facts_of;
use crate::overlay::{Chain, real_target};
use crate::world::{RealWorld, read_first};

/// Files that are being written beside their targets now.
static UNFINISHED: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

fn unfinished() -> MutexGuard<'static, BTreeSet<PathBuf>> {
    UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Held while files take their places, so that they all do.
static COMMITTING: Mutex<()> = Mutex::new(());

/// Keeps files that take their places together from being parted by the end of the process.
pub(crate) fn together() -> MutexGuard<'static, ()> {
    COMMITTING.lock().unwrap_or_else(PoisonError::into_inner)
}

/// For a process that is about to end with stages still at work: waits for files that are taking
/// their places, and removes those that are not complete. Nothing may be written after this.
pub fn give_up_writing() {
    let committing = together();
    for path in unfinished().iter() {
        // It may have been removed meanwhile.
        let _ = std::fs::remove_file(path);
    }
    // Nothing takes its place any more.
    std::mem::forget(committing);
}

/// A file that was written, with what is needed to undo that.
#[derive(Debug)]
pub struct Applied {
    /// The file.
    pub path: PathBuf,
    old: Old,
    /// Bytes written.
    pub bytes: u64,
    /// Lines written.
    pub lines: u64,
}

/// What a file was.
#[derive(Debug)]
enum Old {
    /// It was not there.
    Nothing,
    /// Another file, kept open.
    Replaced(File, FileTimes),
    /// The same file with another content, copied here.
    Rewritten(File, FileTimes),
    /// The same file, this long.
    Shorter(u64, FileTimes),
}

/// How a file gets its new content.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    /// The new file takes its name.
    Rename,
    /// The content is copied into the file that is there: a new one would have another owner,
    /// other names or other rights, or its directory takes no new files.
    Rewrite,
    /// The content is added to the file that is there.
    Append,
}

/// A file being written beside its target, to take its place at the end.
#[derive(Clone)]
pub(crate) struct Beside {
    target: PathBuf,
    state: Arc<Mutex<Option<State>>>,
}

struct State {
    file: Scratch,
    way: Way,
    bytes: u64,
    newlines: u64,
    open: bool,
    /// Something could not be written, so this must not take the place of anything.
    failed: bool,
}

impl State {
    /// Notes what came of writing a block.
    fn wrote(&mut self, written: io::Result<()>, block: &Block) -> Result<(), WriteError> {
        if let Err(error) = written {
            self.failed = true;
            return Err(error.into());
        }
        self.bytes += block.len() as u64;
        self.newlines += block.newlines();
        self.open = !block.ends_line();
        Ok(())
    }
}

/// A temporary file that is known as unfinished.
struct Scratch(Option<NamedTempFile>);

impl Scratch {
    fn new(directory: Option<&Path>) -> io::Result<Self> {
        let mut builder = tempfile::Builder::new();
        builder.prefix(".ylotrope-");
        let file = match directory {
            // What the system leaves of this is what any new file gets.
            Some(directory) => builder
                .permissions(std::fs::Permissions::from_mode(0o666))
                .tempfile_in(directory)?,
            None => builder.tempfile()?,
        };
        unfinished().insert(file.path().to_owned());
        Ok(Self(Some(file)))
    }

    fn file(&mut self) -> io::Result<&mut NamedTempFile> {
        self.0.as_mut().ok_or_else(|| io::Error::other("already written"))
    }

    fn take(&mut self) -> io::Result<NamedTempFile> {
        let file = self.0.take().ok_or_else(|| io::Error::other("already written"))?;
        unfinished().remove(file.path());
        Ok(file)
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        // Taking it forgets it; dropping it removes it.
        drop(self.take());
    }
}

fn directory_of(target: &Path) -> &Path {
    match target.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}

/// A scratch file that can take the place of `target` and be as it was to everybody.
///
/// # Errors
/// Where that cannot be.
fn successor(target: &Path) -> io::Result<Scratch> {
    let mut scratch = Scratch::new(Some(directory_of(target)))?;
    let Ok(old) = std::fs::metadata(target) else { return Ok(scratch) };
    let other = || io::Error::other("a new file would not be the same to others");
    let mut no_list = [0_u8; 0];
    let has_list = rustix::fs::getxattr(target, "system.posix_acl_access", &mut no_list);
    if old.nlink() > 1 || has_list.is_ok_and(|bytes| bytes > 0) {
        return Err(other());
    }
    let file = scratch.file()?.as_file();
    let new = file.metadata()?;
    if (new.uid(), new.gid()) != (old.uid(), old.gid()) {
        std::os::unix::fs::fchown(file, Some(old.uid()), Some(old.gid()))?;
    }
    // Behind the change of the owner, which may take rights away.
    file.set_permissions(old.permissions())?;
    Ok(scratch)
}

fn times_of(file: &File) -> FileTimes {
    let changed = file.metadata().and_then(|facts| facts.modified());
    let times = FileTimes::new();
    changed.map_or(times, |changed| times.set_modified(changed))
}

impl Beside {
    /// Begins to write for `path`; with `append`, behind what the file has when it is complete.
    pub(crate) fn open(path: &Path, append: bool) -> io::Result<Self> {
        let target = real_target(path);
        let there = target.exists();
        let (file, way) = if append && there {
            (Scratch::new(None)?, Way::Append)
        } else {
            match successor(&target) {
                Ok(file) => (file, Way::Rename),
                Err(_) if there => (Scratch::new(None)?, Way::Rewrite),
                Err(error) => return Err(error),
            }
        };
        let state = State { file, way, bytes: 0, newlines: 0, open: false, failed: false };
        Ok(Self { target, state: Arc::new(Mutex::new(Some(state))) })
    }

    fn lock(&self) -> MutexGuard<'_, Option<State>> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// True when something could not be written.
    pub(crate) fn has_failed(&self) -> bool {
        self.lock().as_ref().is_some_and(|state| state.failed)
    }

    /// The file it takes the place of.
    pub(crate) fn target(&self) -> &Path {
        &self.target
    }

    /// True when this is written for `path`.
    pub(crate) fn is_for(&self, path: &Path) -> bool {
        self.target == real_target(path)
    }

    /// Reads what the file will have, as far as it is written.
    pub(crate) fn read(&self) -> io::Result<Box<dyn Source>> {
        let mut state = self.lock();
        let Some(state) = state.as_mut() else { return RealWorld.read(&self.target) };
        let new = RealWorld.read(state.file.file()?.path())?;
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

    /// Forgets all that was written so far, and what the file had.
    pub(crate) fn empty(&self) -> io::Result<()> {
        let mut state = self.lock();
        if let Some(state) = state.as_mut() {
            let file = state.file.file()?.as_file_mut();
            file.set_len(0)?;
            file.seek(SeekFrom::Start(0))?;
            (state.bytes, state.newlines, state.open) = (0, 0, false);
            if state.way == Way::Append {
                state.way = Way::Rewrite;
            }
        }
        Ok(())
    }

    /// Puts the new content in the place of the old one; with `safely`, on the disk before
    /// anything else happens.
    ///
    /// # Errors
    /// When that is not possible; the file is then as it was.
    pub(crate) fn commit(&self, safely: bool) -> io::Result<Applied> {
        let Some(mut state) = self.lock().take() else {
            return Err(io::Error::other("already written"));
        };
        if state.failed {
            return Err(io::Error::other("not written to its end"));
        }
        let mut file = state.file.take()?;
        if safely && state.way == Way::Rename {
            file.as_file().sync_all()?;
        }
        let old = match state.way {
            Way::Rename => {
                let old = File::open(&self.target).map_or(Old::Nothing, |old| {
                    let times = times_of(&old);
                    Old::Replaced(old, times)
                });
                file.persist(&self.target).map_err(|error| error.error)?;
                old
            }
            Way::Append => {
                let mut target = File::options().append(true).open(&self.target)?;
                let (length, times) = (target.metadata()?.len(), times_of(&target));
                copy(file.as_file_mut(), &mut target, safely).inspect_err(|_| {
                    // Nothing more can be done than to try.
                    let _ = target.set_len(length);
                })?;
                Old::Shorter(length, times)
            }
            Way::Rewrite => {
                let mut target = File::options().read(true).write(true).open(&self.target)?;
                let times = times_of(&target);
                let mut before = tempfile::tempfile()?;
                io::copy(&mut target, &mut before)?;
                if let Err(error) = rewrite(&mut target, file.as_file_mut(), safely) {
                    // Nothing more can be done than to try.
                    let _ = rewrite(&mut target, &mut before, safely);
                    return Err(error);
                }
                Old::Rewritten(before, times)
            }
        };
        let lines = state.newlines + u64::from(state.open);
        Ok(Applied { path: self.target.clone(), old, bytes: state.bytes, lines })
    }
}

/// One of several descriptors on a file that is being written, each with its own place in it.
pub(crate) struct Opening {
    beside: Arc<Beside>,
    file: Mutex<File>,
}

impl Opening {
    /// Opens it; what is written with `append` always goes to the end.
    pub(crate) fn of(beside: &Arc<Beside>, append: bool) -> io::Result<Self> {
        let mut state = beside.lock();
        let Some(state) = state.as_mut() else { return Err(io::Error::other("already written")) };
        let path = state.file.file()?.path();
        let file = File::options().append(append).write(!append).open(path)?;
        Ok(Self { beside: beside.clone(), file: Mutex::new(file) })
    }
}

impl Sink for Opening {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        let written = file.write_all(block.bytes());
        drop(file);
        let mut state = self.beside.lock();
        let Some(state) = state.as_mut() else { return Err(WriteError::Closed) };
        state.wrote(written, &block)
    }

    fn facts(&self) -> Option<FileFacts> {
        self.beside.facts()
    }
}

fn copy(from: &mut File, to: &mut File, safely: bool) -> io::Result<()> {
    from.seek(SeekFrom::Start(0))?;
    io::copy(from, to)?;
    if safely { to.sync_all() } else { Ok(()) }
}

fn rewrite(target: &mut File, content: &mut File, safely: bool) -> io::Result<()> {
    target.seek(SeekFrom::Start(0))?;
    copy(content, target, false)?;
    let end = target.stream_position()?;
    target.set_len(end)?;
    if safely { target.sync_all() } else { Ok(()) }
}

impl Replacement for Beside {
    fn sink(&self) -> Arc<dyn Sink> {
        Arc::new(self.clone())
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        let _together = together();
        Beside::commit(&self, true).map(drop)
    }
}

impl Sink for Beside {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut state = self.lock();
        let Some(state) = state.as_mut() else { return Err(WriteError::Closed) };
        let written = state.file.file().and_then(|file| file.write_all(block.bytes()));
        state.wrote(written, &block)
    }

    fn facts(&self) -> Option<FileFacts> {
        // What is added to a file goes to that very file.
        let appends = self.lock().as_ref().is_some_and(|state| state.way == Way::Append);
        let facts = appends.then(|| std::fs::metadata(&self.target).ok())??;
        Some(facts_of(&facts))
    }
}

/// Brings back what a file was before it was written.
///
/// # Errors
/// When the old content cannot be written back; the new one then stays.
pub fn undo(applied: &mut Applied) -> io::Result<()> {
    let _together = together();
    match &mut applied.old {
        Old::Nothing => std::fs::remove_file(&applied.path),
        Old::Replaced(old, times) => {
            let mut scratch = successor(&applied.path)?;
            let file = scratch.file()?.as_file_mut();
            copy(old, file, false)?;
            file.set_times(*times)?;
            file.sync_all()?;
            scratch.take()?.persist(&applied.path).map_err(|error| error.error)?;
            Ok(())
        }
        Old::Rewritten(old, times) => {
            let mut target = File::options().write(true).open(&applied.path)?;
            rewrite(&mut target, old, true)?;
            target.set_times(*times)
        }
        Old::Shorter(length, times) => {
            let target = File::options().write(true).open(&applied.path)?;
            target.set_len(*length)?;
            target.set_times(*times)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(file: &Beside, text: &str) {
        file.write(Block::new(text.as_bytes().to_vec())).unwrap();
    }

    #[test]
    fn a_file_with_two_names_stays_one_file() {
        let directory = tempfile::tempdir().unwrap();
        let (one, two) = (directory.path().join("one"), directory.path().join("two"));
        std::fs::write(&one, "old and long\n").unwrap();
        std::fs::hard_link(&one, &two).unwrap();
        let file = Beside::open(&one, false).unwrap();
        write(&file, "new\n");
        assert_eq!(std::fs::read(&two).unwrap(), b"old and long\n");
        let mut applied = file.commit(true).unwrap();
        assert_eq!(std::fs::read(&two).unwrap(), b"new\n");
        undo(&mut applied).unwrap();
        assert_eq!(std::fs::read(&two).unwrap(), b"old and long\n");
        assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), 2);
    }

    #[test]
    fn what_others_add_meanwhile_stays() {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("log");
        std::fs::write(&path, "one\n").unwrap();
        let file = Beside::open(&path, true).unwrap();
        write(&file, "mine\n");
        File::options().append(true).open(&path).unwrap().write_all(b"theirs\n").unwrap();
        let mut read = file.read().unwrap();
        let mut seen = Vec::new();
        while let Some(block) = read.next_block().unwrap() {
            seen.extend_from_slice(block.bytes());
        }
        assert_eq!(seen, b"one\ntheirs\nmine\n");
        let mut applied = file.commit(true).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"one\ntheirs\nmine\n");
        undo(&mut applied).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"one\ntheirs\n");
    }

    #[test]
    fn what_is_not_committed_leaves_nothing() {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("out");
        let file = Beside::open(&path, false).unwrap();
        write(&file, "half");
        drop(file);
        assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), 0);
    }
}
