//! Files being written beside their targets: their names, what becomes of them when the process
//! ends, and what a process that was killed has left of them.

use parking_lot::{Mutex, MutexGuard};
use std::collections::{BTreeMap, HashSet};
use std::ffi::{OsStr, OsString};
use std::fs::{File, Permissions};
use std::io;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::sync::{Arc, LazyLock, OnceLock};

use procfs::process::Process;
use rustix::fs::{
    AtFlags, FileType, Mode, OFlags, RenameFlags, linkat, openat, renameat, renameat_with, statat,
    unlinkat,
};
use rustix::io::Errno;
use rustix::process::{Pid, test_kill_process};

use super::place::{Folder, Number, Place, path_of};

/// All names begin with this.
pub(crate) const PREFIX: &str = ".ylotrope-";

fn guarded<T>(value: &Mutex<T>) -> MutexGuard<'_, T> {
    value.lock()
}

/// Held while files take their places, so that the process does not end in the middle of that. True
/// once nothing may take its place any more.
static COMMITTING: Mutex<bool> = Mutex::new(false);

/// Keeps files that take their places together from being parted by the end of the process.
///
/// # Errors
/// Where the process is being ended; whoever waited for ever then would keep it from that.
pub(crate) fn together() -> io::Result<MutexGuard<'static, bool>> {
    let committing = guarded(&COMMITTING);
    if *committing { Err(io::Error::other("this process is being ended")) } else { Ok(committing) }
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
/// What is written after this is an error.
pub fn give_up_writing() {
    let mut committing = guarded(&COMMITTING);
    for file in std::mem::take(&mut *guarded(&UNFINISHED)).into_values() {
        // It may be gone already; there is nobody left to tell.
        let _ = match file.kept_as {
            Some(target) => renameat(&file.folder.handle, &file.name, &file.folder.handle, &target),
            None => unlinkat(&file.folder.handle, &file.name, AtFlags::empty()),
        };
    }
    *committing = true;
}

/// Folders that were looked through for what others have left.
static CLEANED: LazyLock<Mutex<HashSet<(Number, PathBuf)>>> = LazyLock::new(Mutex::default);

/// Says which names somebody still needs although their writers are gone.
type Needed = fn() -> HashSet<OsString>;

static NEEDED: OnceLock<Needed> = OnceLock::new();

/// Has this asked before anything is cleared away.
pub(crate) fn ask_before_clearing(needed: Needed) {
    let _ = NEEDED.set(needed);
}

/// Removes files of this user whose writers are gone, the first time that something is written in a
/// folder.
fn clean_once(folder: &Folder) {
    // A number may be another folder's later on.
    let known = (folder.number, path_of(&folder.handle).unwrap_or_default());
    if !guarded(&CLEANED).insert(known) {
        return;
    }
    // A write that was cut off still needs its own.
    let needed = LazyLock::new(|| NEEDED.get().map(|needed| needed()).unwrap_or_default());
    for name in folder.names() {
        let Some(writer) = name.to_str().and_then(Writer::of_name) else { continue };
        let facts = statat(&folder.handle, &name, AtFlags::SYMLINK_NOFOLLOW);
        let ours = facts.is_ok_and(|facts| {
            FileType::from_raw_mode(facts.st_mode) == FileType::RegularFile
                && facts.st_uid == rustix::process::geteuid().as_raw()
        });
        if ours && writer.is_gone() && !needed.contains(&name) {
            // Somebody else may clean here too.
            let _ = unlinkat(&folder.handle, &name, AtFlags::empty());
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

/// When a process began, in ticks; `None` where that cannot be known.
fn began(process: u32) -> Option<u64> {
    let process = Process::new(i32::try_from(process).ok()?);
    process.and_then(|process| process.stat()).ok().map(|stat| stat.starttime)
}

/// True where the kernel knows no process of this number.
fn is_nobody(process: u32) -> bool {
    let process = i32::try_from(process).ok().and_then(Pid::from_raw);
    process.is_some_and(|process| test_kill_process(process) == Err(Errno::SRCH))
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
        // Without `/proc` neither is known.
        let known = own.namespace != 0 && own.began != 0 && self.began != 0;
        let another = || began(self.process).is_some_and(|began| began != self.began);
        known && self.namespace == own.namespace && (is_nobody(self.process) || another())
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
    /// Makes a file beside the one at `place`. Nobody else may read it before it gets its final rights.
    ///
    /// # Errors
    /// Where no file can be made there.
    pub(crate) fn beside(place: &Place) -> io::Result<(Self, File)> {
        let temporary = Self::named(&place.folder);
        let flags = OFlags::CREATE | OFlags::EXCL | OFlags::RDWR | OFlags::CLOEXEC;
        let mode = Mode::RUSR | Mode::WUSR;
        let file = openat(&temporary.folder.handle, &temporary.name, flags, mode);
        let file = File::from(file.inspect_err(|_| temporary.forget())?);
        // A list of rights of the folder may give others more.
        file.set_permissions(Permissions::from_mode(0o600))?;
        Ok((temporary, file))
    }

    /// A name in a folder that no file has yet; what has it is removed when this is dropped.
    pub(crate) fn named(folder: &Arc<Folder>) -> Self {
        clean_once(folder);
        Self::adopted(folder, OsString::from(OWN.new_name()))
    }

    /// A file that has its temporary name already.
    pub(crate) fn adopted(folder: &Arc<Folder>, name: OsString) -> Self {
        let temporary = Self { folder: folder.clone(), name, number: COUNT.fetch_add(1, Relaxed) };
        temporary.note(None);
        temporary
    }

    /// Its name.
    pub(crate) fn name(&self) -> &OsStr {
        &self.name
    }

    /// The folder it is in.
    pub(crate) fn folder(&self) -> &Arc<Folder> {
        &self.folder
    }

    /// Where it is, to be opened again by another process.
    ///
    /// # Errors
    /// Where the kernel does not tell the name of its folder.
    pub(crate) fn path(&self) -> io::Result<PathBuf> {
        Ok(path_of(&self.folder.handle)?.join(&self.name))
    }

    /// Gives the file at `place`, in the same folder, this name too.
    ///
    /// # Errors
    /// Where that is not possible.
    pub(crate) fn link(&self, place: &Place) -> io::Result<()> {
        let handle = &self.folder.handle;
        linkat(handle, &place.name, handle, &self.name, AtFlags::empty())?;
        Ok(())
    }

    fn note(&self, kept_as: Option<&OsStr>) {
        let unfinished = Unfinished {
            folder: self.folder.clone(),
            name: self.name.clone(),
            kept_as: kept_as.map(OsStr::to_owned),
        };
        guarded(&UNFINISHED).insert(self.number, unfinished);
    }

    /// Has it take the place of `target`, in the same folder, where the process ends before it is
    /// complete.
    pub(crate) fn keep_as(&self, target: &Place) {
        self.note(Some(&target.name));
    }

    /// Leaves the file, if there is one, to others.
    pub(crate) fn forget(&self) {
        guarded(&UNFINISHED).remove(&self.number);
    }

    /// Opens it once more.
    pub(crate) fn open(&self, flags: OFlags) -> io::Result<File> {
        let flags = flags | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        Ok(File::from(openat(&self.folder.handle, &self.name, flags, Mode::empty())?))
    }

    /// Takes the place of `target`, which is in the same folder.
    ///
    /// # Errors
    /// Where that is not possible; it is as before then.
    pub(crate) fn put_in_place(&self, target: &Place) -> io::Result<()> {
        let handle = &self.folder.handle;
        renameat(handle, &self.name, handle, &target.name)?;
        self.forget();
        Ok(())
    }

    /// As [`Temporary::put_in_place`], where nothing has that name.
    ///
    /// # Errors
    /// [`io::ErrorKind::AlreadyExists`] where something has.
    pub(crate) fn put_where_nothing_is(&self, target: &Place) -> io::Result<()> {
        let handle = &self.folder.handle;
        let flags = RenameFlags::NOREPLACE;
        match renameat_with(handle, &self.name, handle, &target.name, flags) {
            // A file system that does not know this has links, or cannot tell.
            Err(Errno::INVAL | Errno::NOSYS) => {
                match linkat(handle, &self.name, handle, &target.name, AtFlags::empty()) {
                    Ok(()) => unlinkat(handle, &self.name, AtFlags::empty())?,
                    Err(Errno::EXIST) => return Err(Errno::EXIST.into()),
                    Err(_) => renameat(handle, &self.name, handle, &target.name)?,
                }
            }
            renamed => renamed?,
        }
        self.forget();
        Ok(())
    }

    /// As [`Temporary::put_in_place`], where `target` may still be the same file by another name.
    ///
    /// # Errors
    /// As there.
    pub(crate) fn put_back(&self, target: &Place) -> io::Result<()> {
        self.put_in_place(target)?;
        // Two names of one file both stay.
        let _ = unlinkat(&self.folder.handle, &self.name, AtFlags::empty());
        Ok(())
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
        drop(Temporary::beside(&Place::of_name(&folder.path().join("target")).unwrap()).unwrap());
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
        let target = Place::of_name(&before.join("x")).unwrap();
        let (temporary, _file) = Temporary::beside(&target).unwrap();
        std::fs::rename(&before, &after).unwrap();
        temporary.put_in_place(&target).unwrap();
        assert!(after.join("x").exists());
        assert_eq!(std::fs::read_dir(&after).unwrap().count(), 1);
    }
}
