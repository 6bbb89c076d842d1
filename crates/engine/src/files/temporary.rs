//! Files being written beside their targets: their names, what becomes of them when the process
//! ends, and what a process that was killed has left of them.

use parking_lot::{Mutex, MutexGuard};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io;
use std::os::fd::OwnedFd;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::sync::{Arc, LazyLock, Weak};

use procfs::process::Process;
use rustix::fs::{AtFlags, CWD, Mode, OFlags, openat, renameat, unlinkat};

/// All names begin with this.
pub(crate) const PREFIX: &str = ".ylotrope-";

fn guarded<T>(value: &Mutex<T>) -> MutexGuard<'_, T> {
    value.lock()
}

/// Held while files take their places, so that the process does not end in the middle of that.
static COMMITTING: Mutex<()> = Mutex::new(());

/// Keeps files that take their places together from being parted by the end of the process.
pub(crate) fn together() -> MutexGuard<'static, ()> {
    guarded(&COMMITTING)
}

/// A file that has its temporary name now.
struct Unfinished {
    folder: Arc<Folder>,
    name: OsString,
    /// The name it takes where the process ends before it is complete; none where it is removed.
    kept_as: Option<OsString>,
}

static UNFINISHED: Mutex<BTreeMap<u64, Unfinished>> = Mutex::new(BTreeMap::new());

/// For a process that is about to end with stages still at work: waits for files that are taking
/// their places, and removes those that are not complete, or puts in place what is wanted of them.
/// Nothing may be written after this.
pub fn give_up_writing() {
    let committing = together();
    for file in std::mem::take(&mut *guarded(&UNFINISHED)).into_values() {
        // It may be gone already; there is nobody left to tell.
        let _ = match file.kept_as {
            Some(target) => renameat(&file.folder.handle, &file.name, &file.folder.handle, &target),
            None => unlinkat(&file.folder.handle, &file.name, AtFlags::empty()),
        };
    }
    // Nothing takes its place any more.
    std::mem::forget(committing);
}

/// A folder that files are written in: the folder itself, whatever its name becomes.
pub(crate) struct Folder {
    handle: OwnedFd,
    path: PathBuf,
}

/// Folders in use, by their devices and numbers, and those that were looked through for what others
/// have left.
static FOLDERS: LazyLock<Mutex<(HashMap<(u64, u64), Weak<Folder>>, HashSet<(u64, u64, PathBuf)>)>> =
    LazyLock::new(Mutex::default);

impl Folder {
    /// The folder that `target` is in. What a killed process has left there is removed at the
    /// first call.
    ///
    /// # Errors
    /// Where there is no such folder.
    pub(crate) fn of(target: &Path) -> io::Result<Arc<Self>> {
        let path = match target.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        };
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let handle = openat(CWD, path, flags, Mode::empty())?;
        let facts = rustix::fs::fstat(&handle)?;
        let key = (facts.st_dev, facts.st_ino);
        let mut folders = guarded(&FOLDERS);
        if let Some(known) = folders.0.get(&key).and_then(Weak::upgrade) {
            return Ok(known);
        }
        let folder = Arc::new(Self { handle, path: path.to_owned() });
        folders.0.retain(|_, folder| folder.strong_count() > 0);
        folders.0.insert(key, Arc::downgrade(&folder));
        let new = folders.1.insert((key.0, key.1, path.to_owned()));
        drop(folders);
        if new {
            folder.clean();
        }
        Ok(folder)
    }

    /// Removes files of this user whose writers are gone.
    fn clean(&self) {
        let Ok(entries) = std::fs::read_dir(&self.path) else { return };
        for entry in entries.flatten() {
            let name = entry.file_name();
            let Some(writer) = name.to_str().and_then(Writer::of_name) else { continue };
            let ours = entry.metadata().is_ok_and(|facts| {
                facts.is_file() && facts.uid() == rustix::process::geteuid().as_raw()
            });
            if ours && writer.is_gone() {
                // Somebody else may clean here too.
                let _ = unlinkat(&self.handle, &name, AtFlags::empty());
            }
        }
    }
}

/// Who writes a file: a process of one start of one machine.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Writer {
    machine: String,
    /// This start of it.
    boot: String,
    /// Where its process numbers count.
    namespace: u64,
    process: u32,
    /// When it began, in ticks since the machine was started.
    began: u64,
}

fn first_letters(path: &str) -> String {
    let text = std::fs::read_to_string(path).unwrap_or_default();
    let letters: String = text.chars().filter(char::is_ascii_alphanumeric).take(12).collect();
    if letters.is_empty() { "none".to_owned() } else { letters }
}

/// When a process began, in ticks; `None` where there is none of this number.
fn began(process: u32) -> Option<u64> {
    let process = Process::new(i32::try_from(process).ok()?);
    process.and_then(|process| process.stat()).ok().map(|stat| stat.starttime)
}

static OWN: LazyLock<Writer> = LazyLock::new(|| {
    let namespace = std::fs::metadata("/proc/self/ns/pid").map_or(0, |facts| facts.ino());
    let process = std::process::id();
    Writer {
        machine: first_letters("/etc/machine-id"),
        boot: first_letters("/proc/sys/kernel/random/boot_id"),
        namespace,
        process,
        began: began(process).unwrap_or(0),
    }
});

static COUNT: AtomicU64 = AtomicU64::new(0);

impl Writer {
    fn new_name(&self) -> String {
        let number = COUNT.fetch_add(1, Relaxed);
        let Self { machine, boot, namespace, process, began } = self;
        format!("{PREFIX}{machine}-{boot}-{namespace}-{process}-{began}-{number}")
    }

    fn of_name(name: &str) -> Option<Self> {
        let mut parts = name.strip_prefix(PREFIX)?.split('-');
        let writer = Self {
            machine: parts.next()?.to_owned(),
            boot: parts.next()?.to_owned(),
            namespace: parts.next()?.parse().ok()?,
            process: parts.next()?.parse().ok()?,
            began: parts.next()?.parse().ok()?,
        };
        let number: Option<u64> = parts.next()?.parse().ok();
        (number.is_some() && parts.next().is_none()).then_some(writer)
    }

    /// True where it is known that it does not run any more.
    fn is_gone(&self) -> bool {
        let own = &*OWN;
        if self.machine != own.machine {
            return false;
        }
        if self.boot != own.boot {
            // The machine was started again since, unless it does not say which machine it is.
            return self.machine != "none" && self.boot != "none" && own.boot != "none";
        }
        self.namespace == own.namespace && began(self.process) != Some(self.began)
    }
}

/// A file with a temporary name beside its target. Dropping it removes it.
pub(crate) struct Temporary {
    folder: Arc<Folder>,
    name: OsString,
    number: u64,
}

impl std::fmt::Debug for Temporary {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.name.fmt(formatter)
    }
}

impl Temporary {
    /// Makes a file beside `target`, with the rights that any new file gets.
    ///
    /// # Errors
    /// Where no file can be made there.
    pub(crate) fn beside(target: &Path) -> io::Result<(Self, File)> {
        let folder = Folder::of(target)?;
        let name = OsString::from(OWN.new_name());
        let flags = OFlags::CREATE | OFlags::EXCL | OFlags::RDWR | OFlags::CLOEXEC;
        let file = openat(&folder.handle, &name, flags, Mode::from_raw_mode(0o666))?;
        let temporary = Self { folder, name, number: COUNT.fetch_add(1, Relaxed) };
        temporary.note(None);
        Ok((temporary, File::from(file)))
    }

    /// Gives the file of `target` one more name, beside the one it has.
    ///
    /// # Errors
    /// Where that is not possible.
    pub(crate) fn link_of(target: &Path) -> io::Result<Self> {
        let folder = Folder::of(target)?;
        let name = OsString::from(OWN.new_name());
        let from = name_of(target)?;
        rustix::fs::linkat(&folder.handle, from, &folder.handle, &name, AtFlags::empty())?;
        let temporary = Self { folder, name, number: COUNT.fetch_add(1, Relaxed) };
        temporary.note(None);
        Ok(temporary)
    }

    fn note(&self, kept_as: Option<&OsStr>) {
        let unfinished = Unfinished {
            folder: self.folder.clone(),
            name: self.name.clone(),
            kept_as: kept_as.map(OsStr::to_owned),
        };
        guarded(&UNFINISHED).insert(self.number, unfinished);
    }

    /// Has it take the place of `target` where the process ends before it is complete.
    ///
    /// # Errors
    /// Where `target` has no name.
    pub(crate) fn keep_as(&self, target: &Path) -> io::Result<()> {
        self.note(Some(name_of(target)?));
        Ok(())
    }

    /// Opens it once more.
    pub(crate) fn open(&self, flags: OFlags) -> io::Result<File> {
        let flags = flags | OFlags::CLOEXEC;
        Ok(File::from(openat(&self.folder.handle, &self.name, flags, Mode::empty())?))
    }

    /// Takes the place of `target`, which is in the same folder.
    ///
    /// # Errors
    /// Where that is not possible; it is as before then.
    pub(crate) fn put_in_place(&self, target: &Path) -> io::Result<()> {
        let handle = &self.folder.handle;
        renameat(handle, &self.name, handle, name_of(target)?)?;
        guarded(&UNFINISHED).remove(&self.number);
        Ok(())
    }

    /// As [`Temporary::put_in_place`], where `target` may still be the same file by another name.
    ///
    /// # Errors
    /// As there.
    pub(crate) fn put_back(&self, target: &Path) -> io::Result<()> {
        self.put_in_place(target)?;
        // Two names of one file both stay.
        let _ = unlinkat(&self.folder.handle, &self.name, AtFlags::empty());
        Ok(())
    }

    /// Makes sure that a name that was changed in its folder is so on the disk.
    pub(crate) fn sync_folder(&self) -> io::Result<()> {
        File::open(&self.folder.path)?.sync_all()
    }
}

impl Drop for Temporary {
    fn drop(&mut self) {
        if guarded(&UNFINISHED).remove(&self.number).is_some() {
            // It may be gone already.
            let _ = unlinkat(&self.folder.handle, &self.name, AtFlags::empty());
        }
    }
}

fn name_of(target: &Path) -> io::Result<&OsStr> {
    let no_name = || io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error());
    target.file_name().filter(|name| !name.as_bytes().is_empty()).ok_or_else(no_name)
}

/// The file that a path leads to, whether it is there or not.
///
/// # Errors
/// For links that lead in circles, and for a folder that is not there.
pub(crate) fn target_of(path: &Path) -> io::Result<PathBuf> {
    /// As many as the system follows.
    const LINKS_MAX: usize = 40;
    let mut path = path.to_owned();
    for _ in 0..LINKS_MAX {
        match std::fs::canonicalize(&path) {
            Ok(real) => return Ok(real),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Err(error),
        }
        let parent = match path.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        };
        match std::fs::read_link(&path) {
            // A link that leads to nothing is written through.
            Ok(to) => path = parent.join(to),
            Err(_) => {
                let name = path.file_name().ok_or(io::ErrorKind::NotFound)?;
                return Ok(std::fs::canonicalize(parent)?.join(name));
            }
        }
    }
    Err(io::Error::from_raw_os_error(rustix::io::Errno::LOOP.raw_os_error()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_tell_who_writes() {
        let name = OWN.new_name();
        assert_eq!(Writer::of_name(&name).as_ref(), Some(&*OWN));
        assert!(!OWN.is_gone());
        for other in [".ylotrope-", ".ylotrope-a-b-1-2-3", ".ylotrope-a-b-1-2-x-4", "x"] {
            assert_eq!(Writer::of_name(other), None, "{other}");
        }
    }

    #[test]
    fn a_writer_of_another_start_of_this_machine_is_gone() {
        let writer = |machine: &str, boot: &str| Writer {
            machine: machine.to_owned(),
            boot: boot.to_owned(),
            ..OWN.clone()
        };
        assert!(!writer(&OWN.machine, &OWN.boot).is_gone());
        // Only where it is known which machine and which start is meant.
        let named = OWN.machine != "none" && OWN.boot != "none";
        assert_eq!(writer(&OWN.machine, "earlier").is_gone(), named);
        assert!(!writer(&OWN.machine, "none").is_gone());
        assert!(
            !writer("other", "earlier").is_gone() && !writer("none", "earlier").is_gone()
                || OWN.machine == "none"
        );
        assert_eq!(first_letters("/no/such"), "none");
    }

    #[test]
    fn only_what_a_gone_writer_has_left_is_removed() {
        let folder = tempfile::tempdir().unwrap();
        let named = |writer: &Writer| {
            let path = folder.path().join(writer.new_name());
            std::fs::write(&path, "x").unwrap();
            path
        };
        let own = OWN.clone();
        let gone = named(&Writer { process: 4_000_000, ..own.clone() });
        let reused = named(&Writer { began: own.began + 1, ..own.clone() });
        let alive = named(&own);
        let elsewhere = named(&Writer { machine: "other".into(), process: 1, ..own.clone() });
        let contained = named(&Writer { namespace: 1, process: 4_000_000, ..own });
        let foreign = folder.path().join(".ylotrope-notes");
        std::fs::write(&foreign, "x").unwrap();
        Folder::of(&folder.path().join("target")).unwrap();
        assert!(!gone.exists() && !reused.exists());
        for path in [alive, elsewhere, contained, foreign] {
            assert!(path.exists(), "{}", path.display());
        }
    }

    #[test]
    fn a_renamed_folder_is_still_the_folder() {
        let outer = tempfile::tempdir().unwrap();
        let (before, after) = (outer.path().join("before"), outer.path().join("after"));
        std::fs::create_dir(&before).unwrap();
        let target = before.join("x");
        let (temporary, _file) = Temporary::beside(&target).unwrap();
        std::fs::rename(&before, &after).unwrap();
        temporary.put_in_place(&target).unwrap();
        assert!(after.join("x").exists());
        assert_eq!(std::fs::read_dir(&after).unwrap().count(), 1);
    }

    #[test]
    fn links_are_followed_to_what_is_not_there_yet_and_not_in_circles() {
        let folder = tempfile::tempdir().unwrap();
        let real = std::fs::canonicalize(folder.path()).unwrap();
        let (link, round) = (folder.path().join("link"), folder.path().join("round"));
        std::os::unix::fs::symlink("new", &link).unwrap();
        std::os::unix::fs::symlink("round", &round).unwrap();
        assert_eq!(target_of(&link).unwrap(), real.join("new"));
        assert!(target_of(&round).is_err());
        assert!(target_of(&folder.path().join("none/x")).is_err());
    }
}
