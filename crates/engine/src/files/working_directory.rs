//! The world as it is seen from another directory than that of the process.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use crate::files::place::path_of;
use rustix::fs::{Access, AtFlags, CWD, Mode, OFlags, accessat, openat};
use stream::{
    Decoding, FileFacts, Files, FilesLayer, Machine, Permission, Replacement, Scratch, Sink,
    Source, WorkingFolder, WriteMode,
};

/// Goes to a folder: the descriptor that is opened is what it is from then on. Its name is `name`, or what the
/// kernel calls it.
///
/// # Errors
/// Where it is not a folder, or may not be searched.
pub(crate) fn enter(path: &Path, name: Option<PathBuf>) -> io::Result<WorkingFolder> {
    let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let handle = openat(CWD, path, flags, Mode::empty())?;
    accessat(&handle, ".", Access::EXEC_OK, AtFlags::empty())?;
    let name = match name {
        Some(name) => name,
        None => path_of(&handle).or_else(|_| std::fs::canonicalize(path))?,
    };
    Ok(WorkingFolder::entered(name, handle))
}

/// What the kernel calls a folder now.
///
/// # Errors
/// Where it has no name any more.
pub(crate) fn real_name(folder: &WorkingFolder) -> io::Result<PathBuf> {
    let Some(handle) = folder.handle() else { return std::fs::canonicalize(folder.path()) };
    let name = path_of(handle).or_else(|_| std::fs::canonicalize(folder.path()))?;
    if std::fs::symlink_metadata(&name)?.is_dir() {
        Ok(name)
    } else {
        Err(io::ErrorKind::NotFound.into())
    }
}

/// Relative names begin at `directory`.
pub(crate) struct InDirectory<'w> {
    pub(crate) inner: &'w dyn Files,
    pub(crate) directory: &'w WorkingFolder,
}

impl FilesLayer for InDirectory<'_> {
    fn inner(&self) -> &dyn Files {
        self.inner
    }

    fn place(&self, path: &Path) -> PathBuf {
        self.directory.at(path)
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Source>> {
        self.inner.read(&self.place(path))
    }

    fn read_decoded(
        &self,
        path: &Path,
        decoding: &'static Decoding,
    ) -> io::Result<Box<dyn Source>> {
        self.inner.read_decoded(&self.place(path), decoding)
    }

    fn write(&self, path: &Path, mode: WriteMode) -> io::Result<Arc<dyn Sink>> {
        self.inner.write(&self.place(path), mode)
    }

    fn replace(&self, path: &Path) -> io::Result<Box<dyn Replacement>> {
        self.inner.replace(&self.place(path))
    }

    fn machine(&self) -> &dyn Machine {
        self
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        Machine::variable(self, name)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        Machine::variables(self)
    }
}

impl Machine for InDirectory<'_> {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        self.inner.machine().list(&self.directory.at(directory))
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.inner.machine().facts(&self.directory.at(path))
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        self.inner.machine().link_facts(&self.directory.at(path))
    }

    fn permits(&self, path: &Path, permission: Permission) -> bool {
        self.inner.machine().permits(&self.directory.at(path), permission)
    }

    fn user(&self) -> (u32, u32) {
        self.inner.machine().user()
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        self.inner.machine().variable(name)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        self.inner.machine().variables()
    }

    fn directory(&self) -> PathBuf {
        self.directory.path().to_owned()
    }

    fn now_ns(&self) -> i128 {
        self.inner.machine().now_ns()
    }

    fn pause(&self, duration: Duration) {
        self.inner.machine().pause(duration);
    }

    fn random(&self) -> u64 {
        self.inner.machine().random()
    }

    fn memory_bytes(&self) -> u64 {
        self.inner.machine().memory_bytes()
    }

    fn is_terminal(&self, descriptor: u8) -> bool {
        self.inner.machine().is_terminal(descriptor)
    }

    fn scratch(&self, directory: Option<&Path>) -> io::Result<Box<dyn Scratch>> {
        let directory = directory.map(|directory| self.directory.at(directory));
        self.inner.machine().scratch(directory.as_deref())
    }
}
