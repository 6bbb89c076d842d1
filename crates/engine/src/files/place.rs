//! Where a file is: a name in a folder that is held open, whatever becomes of the folder's own name.

use std::collections::HashMap;
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io;
use std::os::fd::{AsRawFd, OwnedFd};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, LazyLock, Weak};

use parking_lot::Mutex;
use rustix::fs::{AtFlags, CWD, Dir, Mode, OFlags, fstat, openat, statat};
use rustix::io::Errno;

/// As many links as the system follows.
const LINKS_MAX: usize = 40;

/// What tells a file from all others: its device and its number there.
pub(crate) type Number = (u64, u64);

/// A folder that files are written in: the folder itself, whatever its name becomes.
pub(crate) struct Folder {
    pub(crate) handle: OwnedFd,
    pub(crate) number: Number,
}

/// Folders in use: one descriptor each.
static FOLDERS: LazyLock<Mutex<HashMap<Number, Weak<Folder>>>> = LazyLock::new(Mutex::default);

impl Folder {
    /// Opens a folder; links are followed.
    ///
    /// # Errors
    /// Where there is none.
    pub(crate) fn open(path: &Path) -> io::Result<Arc<Self>> {
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let handle = openat(CWD, path, flags, Mode::empty())?;
        let facts = fstat(&handle)?;
        let number = (facts.st_dev, facts.st_ino);
        let mut folders = FOLDERS.lock();
        if let Some(known) = folders.get(&number).and_then(Weak::upgrade) {
            return Ok(known);
        }
        let folder = Arc::new(Self { handle, number });
        folders.retain(|_, folder| folder.strong_count() > 0);
        folders.insert(number, Arc::downgrade(&folder));
        Ok(folder)
    }

    fn open_itself(&self) -> io::Result<OwnedFd> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Ok(openat(&self.handle, ".", flags, Mode::empty())?)
    }

    /// The names in it, without `.` and `..`; none where they cannot be read.
    pub(crate) fn names(&self) -> Vec<OsString> {
        let entries = self.open_itself().and_then(|folder| Ok(Dir::new(folder)?));
        let names = entries.into_iter().flatten().flatten();
        let names = names.map(|entry| OsString::from_vec(entry.file_name().to_bytes().to_vec()));
        names.filter(|name| name != "." && name != "..").collect()
    }

    /// Makes sure that names that were changed in it are so on the disk.
    ///
    /// # Errors
    /// Those of fsync(2).
    pub(crate) fn sync(&self) -> io::Result<()> {
        Ok(rustix::fs::fsync(self.open_itself()?)?)
    }

    /// Makes sure that all that was written on its file system is on the disk.
    ///
    /// # Errors
    /// Those of syncfs(2).
    pub(crate) fn sync_all(&self) -> io::Result<()> {
        Ok(rustix::fs::syncfs(self.open_itself()?)?)
    }
}

/// A name in a folder, be there a file or not.
#[derive(Clone)]
pub(crate) struct Place {
    pub(crate) folder: Arc<Folder>,
    pub(crate) name: OsString,
    /// As it was found, to be shown.
    pub(crate) path: PathBuf,
}

impl std::fmt::Debug for Place {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.path.fmt(formatter)
    }
}

/// What places are compared by.
pub(crate) type PlaceKey = (Number, OsString);

impl Place {
    /// The name at the end of a path, which is not followed.
    ///
    /// # Errors
    /// Where its folder is not there, and for a path without a name.
    pub(crate) fn of_name(path: &Path) -> io::Result<Self> {
        let name = path.file_name().filter(|name| !name.as_bytes().is_empty());
        let name = name.ok_or_else(|| io::Error::from(Errno::ISDIR))?;
        let folder = Folder::open(parent_of(path))?;
        Ok(Self { folder, name: name.to_owned(), path: path.to_owned() })
    }

    /// Where the file is that a path leads to, links followed, whether it is there or not: a link that
    /// leads to nothing is written through.
    ///
    /// # Errors
    /// For links that lead in circles, and for a folder that is not there.
    pub(crate) fn of(path: &Path) -> io::Result<Self> {
        Self::of_name(&target_of(path)?)
    }

    /// Where an open file is now.
    ///
    /// # Errors
    /// Where its name is not known, or is another file's by now.
    pub(crate) fn of_file(file: &File) -> io::Result<Self> {
        let path = path_of(file)?;
        let place = Self::of_name(&path)?;
        let facts = file.metadata()?;
        if place.number()? == (facts.dev(), facts.ino()) {
            Ok(place)
        } else {
            Err(io::ErrorKind::NotFound.into())
        }
    }

    /// The file that has the name now; a link is one.
    ///
    /// # Errors
    /// Where there is none.
    pub(crate) fn number(&self) -> io::Result<Number> {
        let facts = statat(&self.folder.handle, &self.name, AtFlags::SYMLINK_NOFOLLOW)?;
        Ok((facts.st_dev, facts.st_ino))
    }

    /// Opens what has the name now, not following a link, without waiting.
    ///
    /// # Errors
    /// Those of openat(2).
    pub(crate) fn open(&self, flags: OFlags) -> io::Result<File> {
        let flags = flags | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
        let mode = Mode::from_raw_mode(0o666);
        Ok(File::from(openat(&self.folder.handle, &self.name, flags, mode)?))
    }

    /// What this is compared by.
    pub(crate) fn key(&self) -> PlaceKey {
        (self.folder.number, self.name.clone())
    }
}

/// The name that the kernel has for what is open (proc(5)).
///
/// # Errors
/// Where `/proc` is not there.
pub(crate) fn path_of(open: &impl AsRawFd) -> io::Result<PathBuf> {
    std::fs::read_link(format!("/proc/self/fd/{}", open.as_raw_fd()))
}

fn parent_of(path: &Path) -> &Path {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}

/// The path of a file that a path leads to, whether it is there or not.
///
/// # Errors
/// For links that lead in circles, and for a folder that is not there.
pub(crate) fn target_of(path: &Path) -> io::Result<PathBuf> {
    let mut path = path.to_owned();
    for _ in 0..LINKS_MAX {
        match std::fs::canonicalize(&path) {
            Ok(real) => return Ok(real),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Err(error),
        }
        let parent = parent_of(&path);
        match std::fs::read_link(&path) {
            // A link that leads to nothing is written through.
            Ok(to) => path = parent.join(to),
            Err(_) => {
                let name = path.file_name().ok_or(io::ErrorKind::NotFound)?;
                return Ok(std::fs::canonicalize(parent)?.join(name));
            }
        }
    }
    Err(Errno::LOOP.into())
}

/// As [`Place::of`] for a name that leads to nothing: through folders that are held, so that it is there
/// whatever they are called by then.
///
/// # Errors
/// As there.
pub(crate) fn place_of_new(path: &Path) -> io::Result<Place> {
    let mut path = path.to_owned();
    for _ in 0..LINKS_MAX {
        let place = Place::of_name(&path)?;
        match rustix::fs::readlinkat(&place.folder.handle, &place.name, Vec::new()) {
            Ok(to) => path = parent_of(&path).join(OsStr::from_bytes(to.to_bytes())),
            Err(_) => return Ok(place),
        }
    }
    Err(Errno::LOOP.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn links_are_followed_to_what_is_not_there_yet_and_not_in_circles() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let real = std::fs::canonicalize(folder.path()).unwrap();
        std::fs::create_dir(at("sub")).unwrap();
        std::os::unix::fs::symlink("sub/none", at("one")).unwrap();
        std::os::unix::fs::symlink(at("one"), at("two")).unwrap();
        std::os::unix::fs::symlink("circle", at("circle")).unwrap();
        assert_eq!(target_of(&at("two")).unwrap(), real.join("sub/none"));
        assert_eq!(target_of(&at("new")).unwrap(), real.join("new"));
        assert!(target_of(&at("circle")).is_err() && target_of(&at("none/x")).is_err());
        let new = place_of_new(&at("two")).unwrap();
        assert_eq!(new.key(), Place::of(&at("two")).unwrap().key());
        assert!(place_of_new(&at("circle")).is_err() && place_of_new(&at("none/x")).is_err());
    }

    #[test]
    fn an_open_file_is_found_under_the_name_it_has_now() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        std::fs::write(at("one"), "x").unwrap();
        let file = File::open(at("one")).unwrap();
        assert_eq!(Place::of_file(&file).unwrap().name, "one");
        std::fs::rename(at("one"), at("two")).unwrap();
        assert_eq!(Place::of_file(&file).unwrap().name, "two");
        std::fs::remove_file(at("two")).unwrap();
        assert!(Place::of_file(&file).is_err());
        std::fs::write(at("two (deleted)"), "y").unwrap();
        assert!(Place::of_file(&file).is_err(), "another file of that name");
    }
}
