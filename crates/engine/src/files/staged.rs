//! A file that is written beside its target and takes its place when the command that opened it
//! has ended: until then everybody sees the old one, whole.

use parking_lot::{Mutex, MutexGuard};
use std::collections::VecDeque;
use std::fs::{File, FileTimes};
use std::io::{self, Seek, SeekFrom, Write};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Weak};

use rustix::fs::OFlags;
use rustix::io::Errno;
use stream::{Block, FileFacts, Replacement, Sink, WriteError};

use crate::files::machine::{facts_of, resemble};
use crate::files::temporary::{Temporary, together};

/// Files that are open at the same time for being written. Beyond that the one that was opened
/// first is closed, and opened again when it is written to.
const OPEN_MAX: usize = 200;

fn guarded<T>(value: &Mutex<T>) -> MutexGuard<'_, T> {
    value.lock()
}

/// A temporary file that can take the place of `target` and be the same to everybody.
///
/// # Errors
/// Where that cannot be: other names lead to the old file, or it has an owner, a list of rights or
/// other attributes that a new one cannot be given, or the folder takes no new files.
pub(crate) fn successor(target: &Path) -> io::Result<(Temporary, File)> {
    let (temporary, file) = Temporary::beside(target)?;
    let Ok(old) = std::fs::metadata(target) else { return Ok((temporary, file)) };
    if old.nlink() > 1 || !same_attributes(target, &file) {
        return Err(io::Error::other("a new file would not keep the links of the old one"));
    }
    let new = file.metadata()?;
    if (new.uid(), new.gid()) != (old.uid(), old.gid()) {
        std::os::unix::fs::fchown(&file, Some(old.uid()), Some(old.gid()))?;
    }
    // After the change of the owner, which may take rights away.
    file.set_permissions(std::fs::Permissions::from_mode(old.mode()))?;
    Ok((temporary, file))
}

/// True when a file has no attributes beyond those that the new one has too: lists of rights,
/// capabilities, security labels.
fn same_attributes(old: &Path, new: &File) -> bool {
    let mut names = vec![0_u8; 4096];
    let length = match rustix::fs::listxattr(old, &mut names[..]) {
        Ok(length) => length,
        // A file system without attributes.
        Err(Errno::NOTSUP) => 0,
        Err(_) => return false,
    };
    names[..length].split(|&byte| byte == 0).filter(|name| !name.is_empty()).all(|name| {
        let (mut one, mut other) = ([0_u8; 4096], [0_u8; 4096]);
        let one =
            rustix::fs::getxattr(old, name, &mut one[..]).map(|length| one[..length].to_vec());
        let other =
            rustix::fs::fgetxattr(new, name, &mut other[..]).map(|length| other[..length].to_vec());
        one.is_ok() && one.ok() == other.ok()
    })
}

/// A file being written beside its target, by one or more openings of the same name.
pub(crate) struct Staged {
    target: PathBuf,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    temporary: Option<Temporary>,
    /// Openings that have not said yet that they are done.
    openings: usize,
    /// One of them was dropped without saying so.
    abandoned: bool,
    /// Why something could not be written, by the system's number.
    failure: Option<i32>,
    /// See [`Sink::keep_when_ended`].
    keep: bool,
    /// The time of the last change it gets when all is written.
    times: Option<FileTimes>,
}

impl Staged {
    /// Begins to write for `target`, a path without links.
    ///
    /// # Errors
    /// Where no file can be made that would be the same to everybody.
    pub(crate) fn begin(target: &Path) -> io::Result<Arc<Self>> {
        let (temporary, _file) = successor(target)?;
        let state = State {
            temporary: Some(temporary),
            openings: 0,
            abandoned: false,
            failure: None,
            keep: false,
            times: None,
        };
        Ok(Arc::new(Self { target: target.to_owned(), state: Mutex::new(state) }))
    }

    /// True until it has taken its place, or was given up.
    pub(crate) fn is_open(&self) -> bool {
        let state = guarded(&self.state);
        state.temporary.is_some() && state.openings > 0
    }

    fn open_with(&self, flags: OFlags) -> io::Result<File> {
        let state = guarded(&self.state);
        match &state.temporary {
            Some(temporary) => temporary.open(flags),
            None => Ok(File::from(rustix::fs::open(
                &self.target,
                flags | OFlags::CLOEXEC,
                rustix::fs::Mode::empty(),
            )?)),
        }
    }

    /// Opens it for reading: what is written so far.
    pub(crate) fn read(&self) -> io::Result<File> {
        self.open_with(OFlags::RDONLY)
    }

    /// Opens it for writing; what is written with `append` always goes to the end, otherwise it is
    /// emptied first.
    pub(crate) fn open(self: &Arc<Self>, append: bool) -> io::Result<Opening> {
        let flags =
            if append { OFlags::WRONLY | OFlags::APPEND } else { OFlags::WRONLY | OFlags::TRUNC };
        let file = self.open_with(flags)?;
        guarded(&self.state).openings += 1;
        let handle = Arc::new(Mutex::new(Handle { append, at: 0, file: Some(file) }));
        note_open(&handle);
        Ok(Opening { staged: self.clone(), handle, done: Mutex::new(false) })
    }

    /// Gives it the rights of another file now, and its time when all is written.
    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        let mut state = guarded(&self.state);
        if let Some(temporary) = &state.temporary {
            state.times = Some(resemble(&temporary.open(OFlags::WRONLY)?, other)?);
        }
        Ok(())
    }

    /// Leaves the target as it is, whatever was written.
    pub(crate) fn give_up(&self) {
        guarded(&self.state).temporary = None;
    }

    fn finish(&self, wanted: bool) -> io::Result<()> {
        let _together = together();
        let mut state = guarded(&self.state);
        state.openings = state.openings.saturating_sub(1);
        state.abandoned |= !wanted;
        if state.openings > 0 {
            return Ok(());
        }
        let Some(temporary) = &state.temporary else { return Ok(()) };
        if state.abandoned && !state.keep {
            state.temporary = None;
            return Ok(());
        }
        if let Some(times) = state.times {
            temporary.open(OFlags::WRONLY)?.set_times(times)?;
        }
        let placed = match state.failure {
            Some(errno) => Err(io::Error::from_raw_os_error(errno)),
            None => put_in_place(temporary, &self.target),
        };
        state.temporary = None;
        placed
    }

    /// Lets it take its place now, and stay open there.
    ///
    /// # Errors
    /// Where it cannot.
    pub(crate) fn place_now(&self) -> io::Result<()> {
        let _together = together();
        let mut state = guarded(&self.state);
        if let Some(temporary) = state.temporary.take() {
            temporary.put_in_place(&self.target)?;
        }
        Ok(())
    }
}

/// Takes the place of a file, or of its content where its name is one that cannot be given to
/// another file (one that is mounted by itself).
fn put_in_place(temporary: &Temporary, target: &Path) -> io::Result<()> {
    match temporary.put_in_place(target) {
        Err(error) if error.kind() == io::ErrorKind::ResourceBusy => {
            let mut content = temporary.open(OFlags::RDONLY)?;
            let mut old = File::options().write(true).truncate(true).open(target)?;
            io::copy(&mut content, &mut old).map(drop)
        }
        placed => placed,
    }
}

/// An open file, or the place in one that was closed for a while.
struct Handle {
    append: bool,
    at: u64,
    file: Option<File>,
}

/// Files that are open, the oldest first.
static OPEN: Mutex<VecDeque<Weak<Mutex<Handle>>>> = Mutex::new(VecDeque::new());

/// Notes an open file, and closes another one where there are too many.
fn note_open(handle: &Arc<Mutex<Handle>>) {
    let mut open = guarded(&OPEN);
    open.push_back(Arc::downgrade(handle));
    if open.len() <= OPEN_MAX {
        return;
    }
    open.retain(|handle| handle.strong_count() > 0);
    while open.len() > OPEN_MAX {
        let Some(oldest) = open.pop_front().and_then(|handle| handle.upgrade()) else { continue };
        // One that is being written to is not waited for.
        let Some(mut oldest) = oldest.try_lock() else { continue };
        if let Some(mut file) = oldest.file.take() {
            oldest.at = file.stream_position().unwrap_or(oldest.at);
        }
    }
}

/// One of several descriptors on a file that is being written, each with its own place in it.
pub(crate) struct Opening {
    staged: Arc<Staged>,
    handle: Arc<Mutex<Handle>>,
    done: Mutex<bool>,
}

impl Opening {
    /// A file that is written where it is, always at its end or from the place it is at.
    pub(crate) fn in_place(target: &Path, file: File) -> Self {
        let state = State { openings: 1, ..State::default() };
        let staged = Arc::new(Staged { target: target.to_owned(), state: Mutex::new(state) });
        let append =
            rustix::fs::fcntl_getfl(&file).is_ok_and(|flags| flags.contains(OFlags::APPEND));
        let handle = Arc::new(Mutex::new(Handle { append, at: 0, file: Some(file) }));
        note_open(&handle);
        Self { staged, handle, done: Mutex::new(false) }
    }

    /// The file it is of, as long as that is open.
    pub(crate) fn weak(&self) -> Weak<Staged> {
        Arc::downgrade(&self.staged)
    }

    fn write_all(&self, bytes: &[u8]) -> io::Result<()> {
        let mut handle = guarded(&self.handle);
        if handle.file.is_none() {
            let flags = if handle.append { OFlags::APPEND } else { OFlags::empty() };
            let mut file = self.staged.open_with(OFlags::WRONLY | flags)?;
            if !handle.append {
                file.seek(SeekFrom::Start(handle.at))?;
            }
            handle.file = Some(file);
            note_open(&self.handle);
        }
        match &mut handle.file {
            Some(file) => file.write_all(bytes),
            None => Err(Errno::BADF.into()),
        }
    }

    /// Lets the file take its place now, and stay open there.
    ///
    /// # Errors
    /// Where it cannot.
    pub(crate) fn place_now(&self) -> io::Result<()> {
        self.staged.place_now()
    }
}

impl Sink for Opening {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        self.write_all(block.bytes()).map_err(|error| {
            let mut state = guarded(&self.staged.state);
            state.failure.get_or_insert(error.raw_os_error().unwrap_or(Errno::IO.raw_os_error()));
            WriteError::Io(error)
        })
    }

    fn put_in_place(&self) -> io::Result<()> {
        let mut done = guarded(&self.done);
        if std::mem::replace(&mut *done, true) { Ok(()) } else { self.staged.finish(true) }
    }

    fn keep_when_ended(&self) {
        let mut state = guarded(&self.staged.state);
        state.keep = true;
        if let Some(temporary) = &state.temporary {
            // A target always has a name.
            let _ = temporary.keep_as(&self.staged.target);
        }
    }

    fn facts(&self) -> Option<FileFacts> {
        let facts = match &guarded(&self.handle).file {
            Some(file) => file.metadata(),
            None => std::fs::metadata(&self.staged.target),
        };
        facts.ok().map(|facts| facts_of(&facts))
    }
}

impl Drop for Opening {
    fn drop(&mut self) {
        if !*guarded(&self.done) {
            // Nobody is left to be told.
            let _ = self.staged.finish(false);
        }
    }
}

/// A new file for a filter that replaces one when it says so.
pub(crate) struct StagedReplacement(pub(crate) Arc<Opening>);

impl Replacement for StagedReplacement {
    fn sink(&self) -> Arc<dyn Sink> {
        self.0.clone()
    }

    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        self.0.staged.resemble(other)
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        self.0.put_in_place()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(opening: &Opening, text: &str) {
        opening.write(Block::new(text.as_bytes().to_vec())).unwrap();
    }

    fn contents(file: &mut File) -> Vec<u8> {
        use std::io::Read;
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).unwrap();
        bytes
    }

    fn files(folder: &Path) -> usize {
        std::fs::read_dir(folder).unwrap().count()
    }

    #[test]
    fn the_old_file_is_seen_until_all_openings_are_done() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        std::fs::write(&path, "old\n").unwrap();
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o604)).unwrap();
        let staged = Staged::begin(&path).unwrap();
        let (one, two) = (staged.open(false).unwrap(), staged.open(true).unwrap());
        write(&one, "a\n");
        write(&two, "b\n");
        write(&one, "c");
        two.put_in_place().unwrap();
        two.put_in_place().unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"old\n");
        assert_eq!(contents(&mut staged.read().unwrap()), b"a\nc\n");
        one.put_in_place().unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"a\nc\n");
        assert_eq!(std::fs::metadata(&path).unwrap().mode() & 0o777, 0o604);
        assert_eq!(files(folder.path()), 1);
    }

    #[test]
    fn what_is_dropped_leaves_nothing_unless_it_is_wanted() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        for keep in [false, true] {
            std::fs::write(&path, "old\n").unwrap();
            let opening = Staged::begin(&path).unwrap().open(false).unwrap();
            write(&opening, "half");
            if keep {
                opening.keep_when_ended();
            }
            drop(opening);
            let expected: &[u8] = if keep { b"half" } else { b"old\n" };
            assert_eq!(std::fs::read(&path).unwrap(), expected);
            assert_eq!(files(folder.path()), 1);
        }
    }

    #[test]
    fn files_with_other_names_are_not_replaced() {
        let folder = tempfile::tempdir().unwrap();
        let (one, two) = (folder.path().join("one"), folder.path().join("two"));
        std::fs::write(&one, "old\n").unwrap();
        std::fs::hard_link(&one, &two).unwrap();
        assert!(Staged::begin(&one).is_err());
        assert_eq!(files(folder.path()), 2);
    }

    #[test]
    fn a_file_that_has_taken_its_place_is_written_on() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        let opening = Staged::begin(&path).unwrap().open(false).unwrap();
        write(&opening, "a\n");
        opening.place_now().unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"a\n");
        write(&opening, "b\n");
        drop(opening);
        assert_eq!(std::fs::read(&path).unwrap(), b"a\nb\n");
    }

    #[test]
    fn more_files_are_written_than_may_be_open() {
        let folder = tempfile::tempdir().unwrap();
        let open = |number: usize| {
            let path = folder.path().join(number.to_string());
            Staged::begin(&path).unwrap().open(false).unwrap()
        };
        let all: Vec<Opening> = (0..OPEN_MAX * 3).map(open).collect();
        for round in 0..2 {
            for opening in &all {
                write(opening, &format!("{round}\n"));
            }
        }
        let is_open = |opening: &&Opening| guarded(&opening.handle).file.is_some();
        assert!(all.iter().filter(is_open).count() <= OPEN_MAX);
        for opening in &all {
            opening.put_in_place().unwrap();
        }
        for number in 0..all.len() {
            let path = folder.path().join(number.to_string());
            assert_eq!(std::fs::read(path).unwrap(), b"0\n1\n", "{number}");
        }
    }
}
