//! A file that is written beside its target and takes its place when the command that opened it
//! has ended: until then everybody sees the old one, whole.

use parking_lot::{Mutex, MutexGuard};
use std::collections::VecDeque;
use std::fs::{File, FileTimes};
use std::io::{self, Seek, SeekFrom, Write};
use std::os::fd::AsRawFd;
use std::os::unix::fs::MetadataExt;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use std::sync::{Arc, Weak};

use lease::Openings;
use rustix::fs::{FallocateFlags, OFlags, fallocate};
use rustix::io::Errno;
use stream::{Block, FileFacts, Replacement, Sink, WriteError};

use crate::files::machine::{facts_of, times_of};
use crate::files::place::{Number, Place};
use crate::files::rights::{Rights, Writing, is_same_to_everybody, successor};
use crate::files::temporary::{Temporary, together};

/// Files that are open at the same time for being written. Beyond that the one that was opened
/// first is closed, and opened again when it is written to.
const OPEN_MAX: usize = 200;

fn guarded<T>(value: &Mutex<T>) -> MutexGuard<'_, T> {
    value.lock()
}

/// Old files that are open at the same time.
const OLD_FILES_MAX: usize = 100;

static OLD_FILES: AtomicUsize = AtomicUsize::new(0);

/// The file that one being written is to take the place of, open, where not too many are.
struct OldFile(File);

impl OldFile {
    fn kept(file: File) -> Option<Self> {
        let kept = Self(file);
        (OLD_FILES.fetch_add(1, Relaxed) < OLD_FILES_MAX).then_some(kept)
    }
}

impl Drop for OldFile {
    fn drop(&mut self) {
        OLD_FILES.fetch_sub(1, Relaxed);
    }
}

/// A file being written beside its target, by one or more openings of the same name.
pub(crate) struct Staged {
    place: Place,
    /// The file that it is to take the place of; none where there was none.
    old: Option<Number>,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    temporary: Option<Temporary>,
    /// The old file, open until this takes its place, where not too many are: it may have another name in
    /// the end.
    old_file: Option<OldFile>,
    /// What it gets before it takes its place.
    rights: Option<Rights>,
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
    /// A file of the program's own: who reads it continues with what it was.
    is_own: bool,
    /// The file that what was written was copied into, where it did not take a place itself: whoever continues
    /// writing (after `exec > FILE`) writes there.
    landed: Option<File>,
}

impl Staged {
    /// Begins to write for `place`, where the file `old` is, or nothing.
    ///
    /// # Errors
    /// Where no file can be made that would be the same to everybody.
    pub(crate) fn begin(place: Place, old: Option<File>) -> io::Result<Arc<Self>> {
        let (temporary, _file, rights) = successor(&place, old.as_ref())?;
        let number = old.as_ref().map(number_of).transpose()?;
        let (temporary, rights) = (Some(temporary), Some(rights));
        let old_file = old.and_then(OldFile::kept);
        let state = State { temporary, old_file, rights, ..State::default() };
        Ok(Arc::new(Self { place, old: number, state: Mutex::new(state) }))
    }

    /// Says what it is; a new file gets the rights of that.
    pub(crate) fn set_writing(&self, writing: Writing) {
        let mut state = guarded(&self.state);
        state.is_own = writing == Writing::Own;
        if self.old.is_none()
            && let Some(rights) = &mut state.rights
        {
            rights.suit(writing);
        }
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
            None => self.place.open(flags),
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
        let handle = Handle::of(append, file);
        note_open(&handle);
        Ok(Opening { staged: self.clone(), handle, done: Mutex::new(false) })
    }

    /// Gives it the rights of another file, and its time, when all is written.
    fn resemble(&self, other: &FileFacts) -> io::Result<()> {
        let mut state = guarded(&self.state);
        if let Some(temporary) = &state.temporary {
            let own = temporary.open(OFlags::WRONLY)?;
            state.rights = Some(Rights::like(other.owner, other.group, other.mode, &own)?);
            state.times = Some(times_of(other));
        }
        Ok(())
    }

    /// Leaves the target as it is, whatever was written.
    pub(crate) fn give_up(&self) {
        let mut state = guarded(&self.state);
        (state.temporary, state.old_file) = (None, None);
    }

    fn finish(&self, wanted: bool) -> io::Result<()> {
        let _together = together()?;
        let mut state = guarded(&self.state);
        state.openings = state.openings.saturating_sub(1);
        state.abandoned |= !wanted;
        if state.openings > 0 {
            return Ok(());
        }
        let old_file = state.old_file.take();
        if state.abandoned && !state.keep {
            state.temporary = None;
        }
        let Some(temporary) = state.temporary.take() else { return Ok(()) };
        match state.failure {
            Some(errno) => Err(io::Error::from_raw_os_error(errno)),
            None => {
                state.landed = self.put_in_place(&temporary, &state, old_file.as_ref())?;
                Ok(())
            }
        }
    }

    /// Lets it take the place of the file that was there at the beginning, or copies it into that one, which
    /// this gives then.
    fn put_in_place(
        &self,
        temporary: &Temporary,
        state: &State,
        old_file: Option<&OldFile>,
    ) -> io::Result<Option<File>> {
        let file = temporary.open(OFlags::WRONLY)?;
        if let Some(times) = state.times {
            file.set_times(times)?;
        }
        let Some(old) = self.old else {
            return self.put_where_nothing_was(temporary, &file, state);
        };
        let moved = old_file.filter(|old| {
            // It has some name, but is it this one?
            let named = old.0.metadata().is_ok_and(|facts| facts.nlink() > 0);
            named && self.place.number().ok() != self.old
        });
        if let Some(moved) = moved {
            // As `sh`, which has the file open whatever its name is.
            return write_through(temporary, moved.0.try_clone()?);
        }
        let named = match self.place.number() {
            Ok(named) => named,
            // It was removed: what was written is not lost with it.
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return self.put_where_nothing_was(temporary, &file, state);
            }
            Err(error) => return Err(error),
        };
        let now = match old_file {
            Some(old) => old.0.try_clone()?,
            None => self.place.open(OFlags::WRONLY)?,
        };
        if named != old || number_of(&now)? != old {
            return Err(io::Error::other("another file has its name now"));
        }
        if file.metadata()?.len() == 0 {
            // Whoever has it open continues with the same file.
            now.set_len(0)?;
            return Ok(Some(now));
        }
        // Who has it open would go on with a file that nobody sees any more; and its rights may have
        // been changed meanwhile.
        let takes_place = (state.is_own || lease::openings(&now) == Openings::This)
            && Rights::of(&now)?.give(&file).is_ok()
            && is_same_to_everybody(&now, &file);
        if !takes_place {
            return write_through(temporary, now);
        }
        match temporary.put_in_place(&self.place) {
            // Its name is one that cannot be given to another file: it is mounted by itself.
            Err(error) if error.kind() == io::ErrorKind::ResourceBusy => {
                write_through(temporary, now)
            }
            placed => placed.map(|()| None),
        }
    }

    fn put_where_nothing_was(
        &self,
        temporary: &Temporary,
        file: &File,
        state: &State,
    ) -> io::Result<Option<File>> {
        if let Some(rights) = &state.rights {
            rights.give(file)?;
        }
        match temporary.put_where_nothing_is(&self.place) {
            // Somebody has made one meanwhile: it is opened as any file that is there.
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                write_through(temporary, self.place.open(OFlags::WRONLY | OFlags::CREATE)?)
            }
            placed => placed.map(|()| None),
        }
    }
}

/// Copies what was written into a file that stays the same file. The room it needs is there before
/// anything of it is changed. Gives that file.
fn write_through(temporary: &Temporary, mut old: File) -> io::Result<Option<File>> {
    let mut content = temporary.open(OFlags::RDONLY)?;
    let (before, bytes) = (old.metadata()?.len(), content.metadata()?.len());
    reserve(&old, before, bytes.saturating_sub(before))?;
    io::copy(&mut content, &mut old)?;
    old.set_len(bytes)?;
    Ok(Some(old))
}

/// Makes room for `bytes` bytes from `at` on, without changing the file. Systems that cannot are
/// passed over: there a full disk shows while the file is written.
///
/// # Errors
/// Where there is none.
pub(crate) fn reserve(file: &File, at: u64, bytes: u64) -> io::Result<()> {
    if bytes == 0 {
        return Ok(());
    }
    match fallocate(file, FallocateFlags::KEEP_SIZE, at, bytes) {
        Ok(()) | Err(Errno::OPNOTSUPP | Errno::NOSYS | Errno::INVAL | Errno::NODEV) => Ok(()),
        Err(error) => Err(error.into()),
    }
}

/// What tells an open file from all others.
pub(crate) fn number_of(file: &File) -> io::Result<Number> {
    let facts = file.metadata()?;
    Ok((facts.dev(), facts.ino()))
}

/// An open file, or the place in one that was closed for a while.
struct Handle {
    append: bool,
    at: u64,
    file: Option<File>,
    /// It is of the file that was copied into.
    landed: bool,
}

impl Handle {
    fn of(append: bool, file: File) -> Arc<Mutex<Self>> {
        Arc::new(Mutex::new(Self { append, at: 0, file: Some(file), landed: false }))
    }

    /// Goes on in another file, at the place where it is.
    fn go_on_in(&mut self, landed: &File) -> io::Result<()> {
        if let Some(file) = &mut self.file {
            self.at = file.stream_position()?;
        }
        let append = if self.append { OFlags::APPEND } else { OFlags::empty() };
        let flags = OFlags::WRONLY | OFlags::CLOEXEC | append;
        let name = format!("/proc/self/fd/{}", landed.as_raw_fd());
        // With a place of its own; where it cannot be opened once more, with that of all others.
        let mut file = match rustix::fs::open(name, flags, rustix::fs::Mode::empty()) {
            Ok(file) => File::from(file),
            Err(_) => landed.try_clone()?,
        };
        file.seek(SeekFrom::Start(self.at))?;
        (self.file, self.landed) = (Some(file), true);
        Ok(())
    }
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
    pub(crate) fn in_place(place: Place, file: File) -> Self {
        let state = State { openings: 1, ..State::default() };
        let staged = Arc::new(Staged { place, old: None, state: Mutex::new(state) });
        let append =
            rustix::fs::fcntl_getfl(&file).is_ok_and(|flags| flags.contains(OFlags::APPEND));
        let handle = Handle::of(append, file);
        note_open(&handle);
        Self { staged, handle, done: Mutex::new(false) }
    }

    /// The file it is of, as long as that is open.
    pub(crate) fn weak(&self) -> Weak<Staged> {
        Arc::downgrade(&self.staged)
    }

    /// The handle, of the file that was copied into once that was done.
    fn current(&self) -> io::Result<MutexGuard<'_, Handle>> {
        let mut handle = guarded(&self.handle);
        if *guarded(&self.done) && (!handle.landed || handle.file.is_none()) {
            let state = guarded(&self.staged.state);
            if let Some(landed) = &state.landed {
                handle.go_on_in(landed)?;
                drop(state);
                note_open(&self.handle);
            }
        }
        Ok(handle)
    }

    pub(crate) fn write_all(&self, bytes: &[u8]) -> io::Result<()> {
        let mut handle = self.current()?;
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
        let State { temporary: Some(temporary), rights, .. } = &*state else { return };
        // It may have to take its place without another word. Where it cannot have its rights it is
        // removed then.
        let file = temporary.open(OFlags::WRONLY);
        let given = match (file, rights) {
            (Ok(file), Some(rights)) => rights.give(&file),
            (file, _) => file.map(drop),
        };
        if given.is_ok() {
            temporary.keep_as(&self.staged.place);
        }
    }

    fn facts(&self) -> Option<FileFacts> {
        let facts = match &self.current().ok()?.file {
            Some(file) => file.metadata(),
            None => self.staged.read().and_then(|file| file.metadata()),
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
    use std::os::unix::fs::PermissionsExt;
    use std::path::Path;

    use super::*;

    fn begin(path: &Path) -> io::Result<Arc<Staged>> {
        let old = File::options().write(true).open(path).ok();
        Staged::begin(Place::of(path)?, old)
    }

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
        let staged = begin(&path).unwrap();
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
            let opening = begin(&path).unwrap().open(false).unwrap();
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
        assert!(begin(&one).is_err());
        assert_eq!(files(folder.path()), 2);
    }

    #[test]
    fn who_has_the_file_open_stays_with_it() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        std::fs::write(&path, "old and long\n").unwrap();
        let number = || std::fs::metadata(&path).unwrap().ino();
        let first = number();
        // Opened by somebody while it was written.
        let opening = begin(&path).unwrap().open(false).unwrap();
        write(&opening, "new\n");
        let mut reader = File::open(&path).unwrap();
        opening.put_in_place().unwrap();
        assert_eq!((number(), contents(&mut reader)), (first, b"new\n".to_vec()));
        // Whoever continues writing does so in the file that stayed.
        write(&opening, "more\n");
        assert_eq!(std::fs::read(&path).unwrap(), b"new\nmore\n");
        drop((opening, reader));
        // What is emptied stays the same file in any case.
        begin(&path).unwrap().open(false).unwrap().put_in_place().unwrap();
        assert_eq!((number(), std::fs::read(&path).unwrap()), (first, Vec::new()));
        // And nobody has it open, but for processes that other tests are just starting.
        let replaced = (0..1_000).any(|_| {
            let opening = begin(&path).unwrap().open(false).unwrap();
            write(&opening, "x\n");
            opening.put_in_place().unwrap();
            number() != first
        });
        assert!(replaced);
        assert_eq!(files(folder.path()), 1);
    }

    #[test]
    fn what_has_come_to_the_name_meanwhile_is_not_replaced() {
        let folder = tempfile::tempdir().unwrap();
        let (path, other) = (folder.path().join("f"), folder.path().join("other"));
        std::fs::write(&path, "old\n").unwrap();
        std::fs::write(&other, "other\n").unwrap();
        let opening = begin(&path).unwrap().open(false).unwrap();
        write(&opening, "new\n");
        std::fs::rename(&other, &path).unwrap();
        opening.put_in_place().unwrap_err();
        assert_eq!(std::fs::read(&path).unwrap(), b"other\n");
        // The file that was opened, by another name.
        let opening = begin(&path).unwrap().open(false).unwrap();
        write(&opening, "new and longer\n");
        std::fs::rename(&path, &other).unwrap();
        std::fs::write(&path, "other\n").unwrap();
        opening.put_in_place().unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"other\n");
        assert_eq!(std::fs::read(&other).unwrap(), b"new and longer\n");
        std::fs::remove_file(&other).unwrap();
        // A new file that somebody else has made too, and a link.
        let new = folder.path().join("new");
        let opening = begin(&new).unwrap().open(false).unwrap();
        write(&opening, "new\n");
        std::fs::write(&new, "theirs and long\n").unwrap();
        opening.put_in_place().unwrap();
        assert_eq!(std::fs::read(&new).unwrap(), b"new\n");
        let link = folder.path().join("link");
        let opening = begin(&link).unwrap().open(false).unwrap();
        write(&opening, "new\n");
        std::os::unix::fs::symlink(&path, &link).unwrap();
        opening.put_in_place().unwrap_err();
        assert_eq!(std::fs::read(&path).unwrap(), b"other\n");
        assert_eq!(files(folder.path()), 3);
    }

    #[test]
    fn nobody_else_may_read_what_is_being_written() {
        let folder = tempfile::tempdir().unwrap();
        let mode = |path: &Path| std::fs::metadata(path).unwrap().mode() & 0o777;
        let beside = || {
            let names = std::fs::read_dir(folder.path()).unwrap().flatten();
            let mut paths = names.map(|entry| entry.path());
            paths.find(|path| path.to_string_lossy().contains(".ylotrope-")).unwrap()
        };
        for (old, after) in [(None, None), (Some(0o600), Some(0o600)), (Some(0o644), Some(0o644))] {
            let path = folder.path().join("f");
            let _ = std::fs::remove_file(&path);
            if let Some(old) = old {
                std::fs::write(&path, "old").unwrap();
                std::fs::set_permissions(&path, std::fs::Permissions::from_mode(old)).unwrap();
            }
            let opening = begin(&path).unwrap().open(false).unwrap();
            write(&opening, "secret");
            assert_eq!(mode(&beside()), 0o600);
            opening.put_in_place().unwrap();
            let plain = folder.path().join("plain");
            std::fs::write(&plain, "").unwrap();
            assert_eq!(mode(&path), after.unwrap_or_else(|| mode(&plain)));
            std::fs::remove_file(plain).unwrap();
        }
    }

    #[test]
    fn more_files_are_written_than_may_be_open() {
        let folder = tempfile::tempdir().unwrap();
        let open = |number: usize| {
            let path = folder.path().join(number.to_string());
            begin(&path).unwrap().open(false).unwrap()
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
