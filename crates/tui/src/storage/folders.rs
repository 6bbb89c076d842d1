//! Folders and names of the system: what is asked beside the keys.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

/// Opens a folder, so that going there waits for nothing any more. Blocks as long as its system does.
pub(crate) fn open(folder: &Path) -> io::Result<File> {
    let opened = File::open(folder)?;
    if !opened.metadata()?.is_dir() {
        return Err(io::ErrorKind::NotADirectory.into());
    }
    Ok(opened)
}

/// Goes to a folder that is open.
pub(crate) fn go_to(folder: &File) -> io::Result<()> {
    Ok(rustix::process::fchdir(folder)?)
}

/// The folder this process is in.
pub(crate) fn here() -> PathBuf {
    std::env::current_dir().unwrap_or_else(|_| PathBuf::from("."))
}

/// True where there is something with this name. Blocks as long as its system does.
pub(crate) fn is_there(path: &Path) -> bool {
    path.exists()
}

/// A path whose `~/` is the home.
pub(crate) fn at_home(folder: &str) -> PathBuf {
    match (folder.strip_prefix("~/"), std::env::home_dir()) {
        (Some(rest), Some(home)) => home.join(rest),
        _ => PathBuf::from(folder),
    }
}
