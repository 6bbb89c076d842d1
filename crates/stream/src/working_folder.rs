//! Where commands run.

use std::os::fd::{AsRawFd, OwnedFd};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A folder that names begin at: by the name it was gone to by, and where it was entered for real by a
/// descriptor too, so that it is the same folder whatever it is called by then.
#[derive(Clone)]
pub struct WorkingFolder {
    path: PathBuf,
    handle: Option<Arc<OwnedFd>>,
}

impl WorkingFolder {
    /// The folder of this name, that `handle` is open on.
    pub fn entered(path: PathBuf, handle: OwnedFd) -> Self {
        Self { path, handle: Some(Arc::new(handle)) }
    }

    /// Its name, to be shown and kept.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// A path that leads to `name` in it now, for this process and for a child before it becomes a program:
    /// by the descriptor, where there is one (proc(5), `/proc/self/fd`).
    pub fn at(&self, name: &Path) -> PathBuf {
        match &self.handle {
            Some(handle) if name.is_relative() => {
                Path::new("/proc/self/fd").join(handle.as_raw_fd().to_string()).join(name)
            }
            _ => self.path.join(name),
        }
    }

    /// The descriptor.
    pub fn handle(&self) -> Option<&OwnedFd> {
        self.handle.as_deref()
    }
}

impl<P: Into<PathBuf>> From<P> for WorkingFolder {
    fn from(path: P) -> Self {
        Self { path: path.into(), handle: None }
    }
}

impl PartialEq for WorkingFolder {
    fn eq(&self, other: &Self) -> bool {
        self.path == other.path
    }
}

impl Eq for WorkingFolder {}

impl std::fmt::Debug for WorkingFolder {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.path.fmt(formatter)
    }
}
