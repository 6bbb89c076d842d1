//! What a write from the screen is about to do, on the disk before it does it: whoever comes after a
//! process that was killed finishes it or takes it back.
//!
//! A journal is a file of lines, each a JSON text: what is to be done; that everything is ready, from
//! where on it is finished and not taken back; that it is done; and what was undone later. Its writer
//! holds a lock on it (flock(2)), which the kernel gives back however that process ends. Without a folder
//! for it (no home) none is kept.

use std::collections::HashSet;
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io::{self, Write};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use parking_lot::Mutex;
use rustix::fs::{FlockOperation, flock};
use serde::{Deserialize, Serialize};

use crate::files::place::{Number, Place};
use crate::files::plain::open_regular;
use crate::files::rights::Rights;
use crate::files::temporary::{Temporary, ask_before_clearing};

/// Journals end so.
const SUFFIX: &str = "journal";

/// More than this is no journal.
const BYTES_MAX: u64 = 1 << 30;

static FOLDER: OnceLock<PathBuf> = OnceLock::new();

/// Says where journals of writes are kept: a folder that only this user writes. Once, at the beginning of
/// the process; later calls change nothing.
pub fn keep_journals_in(folder: PathBuf) {
    let _ = FOLDER.set(folder);
    ask_before_clearing(names_in_use);
}

/// Where journals are kept, if they are: what others may write there would be done in this user's name.
pub(super) fn folder() -> Option<&'static Path> {
    let folder = FOLDER.get()?.as_path();
    let facts = std::fs::metadata(folder).ok()?;
    let own = facts.uid() == rustix::process::geteuid().as_raw() && facts.mode() & 0o022 == 0;
    own.then_some(folder)
}

/// The same, made where it is not there.
pub(super) fn made_folder() -> Option<&'static Path> {
    let mut builder = std::fs::DirBuilder::new();
    builder.mode(0o700);
    // Where it cannot be made there is none.
    let _ = builder.recursive(true).create(FOLDER.get()?);
    folder()
}

/// A name in a folder, as bytes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Named(Vec<u8>);

impl Named {
    pub(super) fn of(path: &Path) -> Self {
        Self(path.as_os_str().as_bytes().to_vec())
    }

    pub(super) fn path(&self) -> &Path {
        Path::new(OsStr::from_bytes(&self.0))
    }

    pub(super) fn place(&self) -> io::Result<Place> {
        Place::of_name(self.path())
    }

    /// The file of this name, to be removed when it is no longer needed.
    pub(super) fn temporary(&self) -> io::Result<Temporary> {
        let place = self.place()?;
        Ok(Temporary::adopted(&place.folder, place.name))
    }
}

/// How a file gets its new content.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) enum Way {
    /// The new file takes its name.
    Rename,
    /// The content is copied into the file that is there: it is emptied, somebody has it open, or a new
    /// one would have another owner, other names or other rights, or its folder takes no new files.
    Rewrite,
    /// The content is added to the file that is there.
    Append,
}

/// A file that is written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) struct Entry {
    pub(super) target: Named,
    pub(super) way: Way,
    /// What was written, under its temporary name.
    pub(super) content: Named,
    /// The file with that name.
    pub(super) content_number: Number,
    pub(super) bytes: u64,
    pub(super) lines: u64,
    /// What the new file has before it takes its place.
    pub(super) rights: Option<Rights>,
    /// The file that was there.
    pub(super) old_number: Option<Number>,
    pub(super) old: Old,
}

/// What a file was. Times are of its last change, in nanoseconds since 1970.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) enum Old {
    /// It was not there.
    Nothing,
    /// Another file, which gets this name too.
    Linked(Named),
    /// Another file, on a system where a file has one name only: its content is here.
    Copied(Named, Rights, i64),
    /// The same file with another content, which is here.
    Rewritten(Named, i64),
    /// The same file, this long.
    Shorter(u64, i64),
}

impl Old {
    /// Where the old file or its content is.
    pub(super) fn named(&self) -> Option<&Named> {
        match self {
            Self::Nothing | Self::Shorter(..) => None,
            Self::Linked(named) | Self::Copied(named, ..) | Self::Rewritten(named, _) => {
                Some(named)
            }
        }
    }
}

/// What a file was right after it was written: nobody has changed it since while it is this.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Left {
    number: Number,
    bytes: u64,
    modified: (i64, u64),
    changed: (i64, u64),
}

impl Left {
    /// The file that has the name now, which is not followed.
    pub(super) fn now(place: &Place) -> io::Result<Self> {
        use rustix::fs::{AtFlags, statat};
        let facts = statat(&place.folder.handle, &place.name, AtFlags::SYMLINK_NOFOLLOW)?;
        Ok(Self {
            number: (facts.st_dev, facts.st_ino),
            bytes: facts.st_size as u64,
            modified: (facts.st_mtime, facts.st_mtime_nsec),
            changed: (facts.st_ctime, facts.st_ctime_nsec),
        })
    }

    /// True for the same content of the same file: a second name, or other rights, change nothing of that.
    pub(super) fn has_same_content(&self, other: &Self) -> bool {
        Self { changed: other.changed, ..*self } == *other
    }
}

/// A line of a journal.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) enum Line {
    /// This is about to be done. Until the next line nothing of a target has changed.
    Begun(Vec<Entry>),
    /// Everything is ready: it is finished from here on, whatever happens.
    Decided,
    /// It cannot be: what was done is taken back.
    TakenBack,
    /// It is done, and this was left.
    Done(Vec<Option<Left>>),
    /// One is being undone.
    Undoing(usize),
    /// It was.
    Undone(usize),
    /// Nothing of it is needed any more.
    Closed,
}

/// The journal of one write. When it is dropped nothing of it is needed any more.
#[derive(Debug)]
pub(super) struct Journal {
    file: Mutex<File>,
    path: PathBuf,
    /// It is left to whoever comes next.
    stays: bool,
}

impl Journal {
    /// Notes what is about to be done, on the disk before this returns; `None` where no journals are
    /// kept.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub(super) fn begin(entries: &[Entry]) -> io::Result<Option<Self>> {
        let Some(folder) = made_folder() else { return Ok(None) };
        let place = Place::of_name(&folder.join("x"))?;
        // A name that nobody has, but not one that is cleared away with its writer.
        let name = Temporary::named(&place.folder);
        name.forget();
        let name = name.name().to_string_lossy().trim_start_matches('.').to_owned();
        let path = folder.join(format!("{name}.{SUFFIX}"));
        let mut options = File::options();
        options.mode(0o600).append(true).create_new(true);
        let file = options.open(&path)?;
        flock(&file, FlockOperation::NonBlockingLockExclusive)?;
        let journal = Self { file: Mutex::new(file), path, stays: false };
        journal.note(&Line::Begun(entries.to_vec()))?;
        place.folder.sync()?;
        Ok(Some(journal))
    }

    /// Adds a line, on the disk before this returns.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub(super) fn note(&self, line: &Line) -> io::Result<()> {
        let mut text = serde_json::to_vec(line).map_err(io::Error::other)?;
        text.push(b'\n');
        let mut file = self.file.lock();
        file.write_all(&text)?;
        file.sync_data()
    }

    /// Leaves it to whoever comes next.
    pub(super) fn leave(mut self) {
        // The lock ends with the descriptor.
        self.stays = true;
    }

    /// Journals that nobody is at work with, the oldest first, each with its lines; they are this
    /// process's now.
    pub(super) fn left_behind() -> Vec<(Self, Vec<Line>)> {
        let mut all = Vec::new();
        for path in paths() {
            let Ok(Some(_)) = open_regular(&path) else { continue };
            let Ok(file) = File::options().read(true).append(true).open(&path) else { continue };
            if flock(&file, FlockOperation::NonBlockingLockExclusive).is_err() {
                continue;
            }
            // Somebody may have finished with it meanwhile.
            let Ok(lines) = read(&path) else { continue };
            let modified = file.metadata().and_then(|facts| facts.modified()).ok();
            all.push((modified, Self { file: Mutex::new(file), path, stays: false }, lines));
        }
        all.sort_by_key(|(modified, ..)| *modified);
        all.into_iter().map(|(_, journal, lines)| (journal, lines)).collect()
    }
}

impl Drop for Journal {
    fn drop(&mut self) {
        if self.stays {
            return;
        }
        // What was not said is said by the file that is gone.
        let _ = self.note(&Line::Closed);
        let _ = std::fs::remove_file(&self.path);
    }
}

fn paths() -> Vec<PathBuf> {
    let Some(entries) = folder().and_then(|folder| std::fs::read_dir(folder).ok()) else {
        return Vec::new();
    };
    let own = |entry: &std::fs::DirEntry| {
        entry.metadata().is_ok_and(|facts| facts.uid() == rustix::process::geteuid().as_raw())
    };
    let paths = entries.flatten().filter(own).map(|entry| entry.path());
    paths.filter(|path| path.extension().is_some_and(|suffix| suffix == SUFFIX)).collect()
}

/// The lines of a journal; one that was cut off, and what follows it, was never said.
fn read(path: &Path) -> io::Result<Vec<Line>> {
    use io::Read;
    let mut text = Vec::new();
    let file = open_regular(path)?.ok_or(io::ErrorKind::NotFound)?;
    file.take(BYTES_MAX).read_to_end(&mut text)?;
    let whole = text.split_inclusive(|&byte| byte == b'\n').filter(|line| line.ends_with(b"\n"));
    Ok(whole.map_while(|line| serde_json::from_slice(line).ok()).collect())
}

/// Names that writes need which were cut off, or may be undone: they are not cleared away.
fn names_in_use() -> HashSet<OsString> {
    let lines = paths().into_iter().filter_map(|path| read(&path).ok()).flatten();
    let entries = lines.filter_map(|line| match line {
        Line::Begun(entries) => Some(entries),
        _ => None,
    });
    let names = entries.flatten().flat_map(|entry| {
        [Some(entry.content.clone()), entry.old.named().cloned()].into_iter().flatten()
    });
    names.filter_map(|named| named.path().file_name().map(OsStr::to_owned)).collect()
}
