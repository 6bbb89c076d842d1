//! Where programs keep files of their own (XDG Base Directory Specification), and who may write
//! them.

use std::fs;
use std::io::{self, Read};
use std::os::unix::fs::{DirBuilderExt, MetadataExt};
use std::path::{Path, PathBuf};

use etcetera::base_strategy::{BaseStrategy, Xdg};
use thiserror::Error;

/// Why files of our own are not used.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum NotOurs {
    /// Somebody else may have written it.
    #[error("{}: others can write to it, so it is not used", .0.display())]
    OthersMayWrite(PathBuf),
    /// Nobody knows where.
    #[error("no home folder found, so nothing is kept")]
    NoHome,
}

/// What is kept in a folder of our own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Keeps {
    /// What the user has set: `$XDG_CONFIG_HOME`, else `~/.config`.
    Configuration,
    /// Earlier lines, recovery, runs, the log: `$XDG_STATE_HOME`, else `~/.local/state`.
    State,
    /// The demo: `$XDG_DATA_HOME`, else `~/.local/share`.
    Data,
}

/// The folder of this program for what it keeps; `None` without a home. Never a folder that is
/// shared, and never a relative one.
pub fn own_folder(keeps: Keeps) -> Option<PathBuf> {
    let folders = Xdg::new().ok()?;
    let folder = match keeps {
        Keeps::Configuration => folders.config_dir(),
        Keeps::State => folders.state_dir()?,
        Keeps::Data => folders.data_dir(),
    };
    folder.is_absolute().then(|| folder.join("ylotrope"))
}

/// Makes a folder that only its owner uses, with those around it.
///
/// # Errors
/// Where it cannot be made, or others may write one that is there.
pub fn make_own_folder(folder: &Path) -> io::Result<()> {
    fs::DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
    check(folder)
}

/// Fails for what somebody else than this user and root may have written; links are followed.
fn check(path: &Path) -> io::Result<()> {
    let facts = fs::metadata(path)?;
    let owner = facts.uid() == 0 || facts.uid() == rustix::process::geteuid().as_raw();
    if owner && facts.mode() & 0o022 == 0 {
        return Ok(());
    }
    Err(io::Error::new(io::ErrorKind::PermissionDenied, NotOurs::OthersMayWrite(path.to_owned())))
}

/// Reads a file of our own; `None` where there is none. It is not waited for, whatever it is.
///
/// # Errors
/// Where it cannot be read, is not a regular file, or others may write it or its folder.
pub fn read_own(path: &Path) -> io::Result<Option<Vec<u8>>> {
    let file = match engine::open_regular(path) {
        Ok(Some(file)) => file,
        Ok(None) => return Ok(Some(Vec::new())),
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(error),
    };
    check(path)?;
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        check(folder)?;
    }
    let mut bytes = Vec::new();
    { file }.read_to_end(&mut bytes)?;
    Ok(Some(bytes))
}

/// The words for an error of the functions here: without the system's number.
pub fn own_file_error(path: &Path, error: &io::Error) -> String {
    match error.get_ref().and_then(|inner| inner.downcast_ref::<NotOurs>()) {
        Some(not_ours) => not_ours.to_string(),
        None => format!("{}: {}", path.display(), stream::describe(error)),
    }
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn only_files_that_nobody_else_may_write_are_read() {
        let folder = tempfile::tempdir().unwrap();
        let own = folder.path().join("own");
        make_own_folder(&own).unwrap();
        let file = own.join("config.toml");
        assert_eq!(read_own(&file).unwrap(), None);
        fs::write(&file, b"x\xFF").unwrap();
        let mode = |path: &Path, mode: u32| {
            fs::set_permissions(path, fs::Permissions::from_mode(mode)).unwrap();
        };
        mode(&file, 0o644);
        assert_eq!(read_own(&file).unwrap().unwrap(), b"x\xFF");
        for (path, bad, good) in [(&file, 0o646, 0o600), (&own, 0o777, 0o700), (&own, 0o770, 0o700)]
        {
            mode(path, bad);
            let error = read_own(&file).unwrap_err();
            let said = own_file_error(&file, &error);
            assert!(said.ends_with("others can write to it, so it is not used"), "{said}");
            mode(path, good);
        }
        mode(&own, 0o777);
        assert!(make_own_folder(&own).is_err());
    }

    #[test]
    fn what_root_wrote_is_read_and_what_another_user_wrote_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let own = folder.path().join("own");
        make_own_folder(&own).unwrap();
        let file = own.join("config.toml");
        fs::write(&file, "x").unwrap();
        assert!(read_own(&file).is_ok());
        // Only root can give a file away.
        if rustix::process::geteuid().is_root() {
            std::os::unix::fs::chown(&file, Some(12_345), None).unwrap();
            assert!(read_own(&file).is_err());
        } else {
            assert!(check(Path::new("/etc/passwd")).is_ok());
        }
    }
}
