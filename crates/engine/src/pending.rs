//! Files that a pipeline would write: held back, then written all at once.

use std::io;
use std::path::PathBuf;
use std::sync::Arc;

use stream::{Sink, WriteError};

use crate::beside::{Applied, Beside};
use crate::kept::Kept;
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
    file.commit(true)
}

#[cfg(test)]
mod tests {
    use std::fs::File;
    use std::os::unix::fs::PermissionsExt;
    use std::path::Path;

    use super::*;
    use crate::beside::undo;
    use crate::overlay::real_target;
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
