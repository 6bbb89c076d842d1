//! Files that a pipeline would write: held back, then written all at once, and undone.

use std::fs::File;
use std::io::{self, Seek, SeekFrom, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use stream::{Block, Replacement, Sink, WriteError};
use tempfile::NamedTempFile;

use crate::kept::Kept;
use crate::overlay::real_target;
use crate::sample::Identity;

/// How a file would be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PendingMode {
    /// It does not exist yet.
    New,
    /// Its content would be replaced.
    Replace,
    /// It would be added to.
    Append,
}

/// A file that would be written.
#[derive(Clone)]
pub struct PendingFile {
    /// The file, as the text names it.
    pub path: PathBuf,
    /// The file itself, links followed.
    pub(crate) target: PathBuf,
    /// How it would be written.
    pub mode: PendingMode,
    /// What would be written, of the sample.
    pub kept: Arc<Kept>,
    /// What it was when this was made; `None` where it was not there.
    pub(crate) identity: Option<Identity>,
    /// True where the pipeline that reads it empties it first: its content would be lost.
    pub lost: bool,
    /// Bytes it has now.
    pub bytes_now: u64,
    /// Lines it has now; `None` for a large file that was not counted.
    pub lines_now: Option<u64>,
}

impl PendingFile {
    /// True when the file on disk is no longer the one that was looked at.
    pub fn has_changed(&self) -> bool {
        Identity::now(&self.path).ok() != self.identity
    }
}

/// A file that was written, with what is needed to undo that.
#[derive(Debug)]
pub struct Applied {
    /// The file.
    pub path: PathBuf,
    /// The old content, kept open, and when it was last changed; `None` where there was no file.
    old: Option<(File, std::fs::FileTimes)>,
    /// Bytes written.
    pub bytes: u64,
    /// Lines written.
    pub lines: u64,
}

/// A file being written beside its target, to take its place at the end.
#[derive(Clone)]
pub(crate) struct Beside {
    target: PathBuf,
    state: Arc<Mutex<Option<State>>>,
}

impl Replacement for Beside {
    fn sink(&self) -> Arc<dyn Sink> {
        Arc::new(self.clone())
    }

    fn commit(self: Box<Self>) -> io::Result<()> {
        Beside::commit(&self).map(drop)
    }
}

struct State {
    file: NamedTempFile,
    bytes: u64,
    newlines: u64,
    open: bool,
    /// Something could not be written, so this must not take the place of anything.
    failed: bool,
}

fn beside(target: &Path) -> io::Result<NamedTempFile> {
    let directory = match target.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    };
    let file = tempfile::Builder::new()
        .prefix(".ylotrope-")
        // What the system leaves of this is what any new file gets.
        .permissions(std::fs::Permissions::from_mode(0o666))
        .tempfile_in(directory)?;
    if let Ok(facts) = std::fs::metadata(target) {
        file.as_file().set_permissions(facts.permissions())?;
    }
    Ok(file)
}

impl Beside {
    /// Begins to write for `path`; with `append`, behind what the file has now.
    pub(crate) fn open(path: &Path, append: bool) -> io::Result<Self> {
        let target = real_target(path);
        let mut file = beside(&target)?;
        if append && let Ok(mut old) = File::open(&target) {
            io::copy(&mut old, file.as_file_mut())?;
        }
        let state = State { file, bytes: 0, newlines: 0, open: false, failed: false };
        Ok(Self { target, state: Arc::new(Mutex::new(Some(state))) })
    }

    /// True when something could not be written.
    pub(crate) fn has_failed(&self) -> bool {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        state.as_ref().is_some_and(|state| state.failed)
    }

    /// The file it takes the place of.
    pub(crate) fn target(&self) -> &Path {
        &self.target
    }

    /// True when this is written for `path`.
    pub(crate) fn is_for(&self, path: &Path) -> bool {
        self.target == real_target(path)
    }

    /// Where it is written now.
    pub(crate) fn path(&self) -> io::Result<PathBuf> {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        match state.as_ref() {
            Some(state) => Ok(state.file.path().to_owned()),
            None => Ok(self.target.clone()),
        }
    }

    /// Forgets all that was written so far, and what the file had.
    pub(crate) fn empty(&self) -> io::Result<()> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(state) = state.as_mut() {
            let file = state.file.as_file_mut();
            file.set_len(0)?;
            file.seek(SeekFrom::Start(0))?;
            (state.bytes, state.newlines, state.open) = (0, 0, false);
        }
        Ok(())
    }

    /// Puts the new file in the place of the old one.
    pub(crate) fn commit(&self) -> io::Result<Applied> {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner).take();
        let Some(State { file, bytes, newlines, open, failed }) = state else {
            return Err(io::Error::other("already written"));
        };
        if failed {
            return Err(io::Error::other("not written to its end"));
        }
        file.as_file().sync_all()?;
        let old = File::open(&self.target).ok().map(|file| {
            let facts = file.metadata().ok();
            let changed = facts.and_then(|facts| facts.modified().ok());
            let times = std::fs::FileTimes::new();
            (file, changed.map_or(times, |changed| times.set_modified(changed)))
        });
        file.persist(&self.target).map_err(|error| error.error)?;
        Ok(Applied { path: self.target.clone(), old, bytes, lines: newlines + u64::from(open) })
    }
}

impl Sink for Beside {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(state) = state.as_mut() else { return Err(WriteError::Closed) };
        if let Err(error) = state.file.as_file_mut().write_all(block.bytes()) {
            state.failed = true;
            return Err(error.into());
        }
        state.bytes += block.len() as u64;
        state.newlines += block.newlines();
        state.open = !block.ends_line();
        Ok(())
    }
}

/// Writes a pending file whose kept content is the whole of it.
///
/// # Errors
/// When the file beside the target cannot be written or renamed; the target is then untouched.
pub fn apply(pending: &PendingFile) -> io::Result<Applied> {
    let file = Beside::open(&pending.path, pending.mode == PendingMode::Append)?;
    let mut source = pending.kept.source();
    loop {
        match source.next_block() {
            Ok(Some(block)) => file.write(block).map_err(|error| match error {
                WriteError::Io(error) => error,
                other => io::Error::other(other.to_string()),
            })?,
            Ok(None) => break,
            Err(error) => return Err(io::Error::other(error.to_string())),
        }
    }
    file.commit()
}

/// Brings back what a file was before it was written.
///
/// # Errors
/// When the old content cannot be written back; the new one then stays.
pub fn undo(applied: &mut Applied) -> io::Result<()> {
    let Some((old, times)) = &mut applied.old else {
        return std::fs::remove_file(&applied.path);
    };
    let mut file = beside(&applied.path)?;
    old.seek(SeekFrom::Start(0))?;
    io::copy(old, file.as_file_mut())?;
    file.as_file().set_times(*times)?;
    file.as_file().sync_all()?;
    file.persist(&applied.path).map_err(|error| error.error)?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn pending(path: &Path, mode: PendingMode, text: &str) -> PendingFile {
        PendingFile {
            path: path.to_owned(),
            target: real_target(path),
            mode,
            kept: Arc::new(Kept::of(text.as_bytes())),
            identity: Identity::now(path).ok(),
            lost: false,
            bytes_now: 0,
            lines_now: None,
        }
    }

    #[test]
    fn written_files_keep_permissions_and_can_be_undone() {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("out.txt");
        std::fs::write(&path, "old\n").unwrap();
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o640)).unwrap();
        let then = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000);
        File::options().write(true).open(&path).unwrap().set_modified(then).unwrap();
        let mut applied = apply(&pending(&path, PendingMode::Append, "new\n")).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"old\nnew\n");
        assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o640);
        assert_eq!((applied.bytes, applied.lines), (4, 1));
        undo(&mut applied).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"old\n");
        let facts = std::fs::metadata(&path).unwrap();
        assert_eq!((facts.modified().unwrap(), facts.permissions().mode() & 0o777), (then, 0o640));
        let mut applied = apply(&pending(&path, PendingMode::Replace, "x")).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"x");
        undo(&mut applied).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"old\n");
        assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), 1);
    }

    proptest! {
        #[test]
        fn undo_gives_back_bytes_mode_and_time(
            old in prop::option::of("[ab\n]{0,20}"),
            writes in prop::collection::vec(("[xy\n]{0,20}", any::<bool>()), 1..4),
            mode in prop::sample::select(vec![0o600u32, 0o644, 0o640, 0o755, 0o444]),
            seconds in 1u64..2_000_000_000,
        ) {
            let directory = tempfile::tempdir().unwrap();
            let path = directory.path().join("file");
            let then = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(seconds);
            if let Some(old) = &old {
                std::fs::write(&path, old).unwrap();
                File::options().write(true).open(&path).unwrap().set_modified(then).unwrap();
                std::fs::set_permissions(&path, std::fs::Permissions::from_mode(mode)).unwrap();
            }
            let mut expected = old.clone().unwrap_or_default();
            let mut all = Vec::new();
            for (text, append) in &writes {
                let how = if *append { PendingMode::Append } else { PendingMode::Replace };
                expected = if *append { expected + text } else { text.clone() };
                all.push(apply(&pending(&path, how, text)).unwrap());
                prop_assert_eq!(std::fs::read_to_string(&path).unwrap(), expected.clone());
            }
            while let Some(mut applied) = all.pop() {
                undo(&mut applied).unwrap();
            }
            match &old {
                None => prop_assert!(!path.exists()),
                Some(old) => {
                    prop_assert_eq!(&std::fs::read_to_string(&path).unwrap(), old);
                    let facts = std::fs::metadata(&path).unwrap();
                    prop_assert_eq!(facts.permissions().mode() & 0o777, mode);
                    prop_assert_eq!(facts.modified().unwrap(), then);
                }
            }
            prop_assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), usize::from(old.is_some()));
        }
    }

    #[test]
    fn a_new_file_is_removed_by_undo_and_a_link_stays_a_link() {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("new.txt");
        let mut applied = apply(&pending(&path, PendingMode::New, "x\n")).unwrap();
        undo(&mut applied).unwrap();
        assert!(!path.exists());
        std::fs::write(&path, "old").unwrap();
        let link = directory.path().join("link");
        std::os::unix::fs::symlink(&path, &link).unwrap();
        apply(&pending(&link, PendingMode::Replace, "new")).unwrap();
        assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
        assert_eq!(std::fs::read(&path).unwrap(), b"new");
    }
}
