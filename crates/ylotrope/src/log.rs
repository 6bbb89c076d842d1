//! The log: what the program did and how long it took, in a file of our own. It holds names of
//! commands, files and times, never data, and the text of a pipeline only at the level of `trace`.

use std::fs::{File, OpenOptions};
use std::io;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;
use std::sync::Mutex;

use anyhow::{Context, Result};
use clap::ValueEnum;
use insight::{Keeps, NotOurs, make_own_folder, own_folder};
use tracing::level_filters::LevelFilter;

/// A log of this size is begun again; the old one stays beside it.
const BYTES_MAX: u64 = 4 << 20;

/// How much is written to the log.
#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Level {
    /// What failed
    Error,
    /// Also what was cut off or refused
    Warn,
    /// Also runs, commands and written files
    Info,
    /// Also every evaluation and decision
    Debug,
    /// Also the texts
    Trace,
}

impl Level {
    fn filter(self) -> LevelFilter {
        match self {
            Self::Error => LevelFilter::ERROR,
            Self::Warn => LevelFilter::WARN,
            Self::Info => LevelFilter::INFO,
            Self::Debug => LevelFilter::DEBUG,
            Self::Trace => LevelFilter::TRACE,
        }
    }
}

fn open(folder: &Path) -> io::Result<File> {
    make_own_folder(folder)?;
    let path = folder.join("log");
    if std::fs::metadata(&path).is_ok_and(|facts| facts.len() > BYTES_MAX) {
        std::fs::rename(&path, folder.join("log.old"))?;
    }
    let file = OpenOptions::new().create(true).append(true).mode(0o600).open(&path)?;
    if !file.metadata()?.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "not a regular file"));
    }
    Ok(file)
}

/// Writes a log from here on, to the file `log` in the folder where state is kept.
///
/// # Errors
/// Where there is no such folder, or the file cannot be written.
pub(crate) fn begin(level: Level) -> Result<()> {
    let folder = own_folder(Keeps::State).ok_or(NotOurs::NoHome)?;
    let file = open(&folder)
        .with_context(|| format!("the log cannot be written in {}", folder.display()))?;
    tracing_subscriber::fmt()
        .with_max_level(level.filter())
        .with_ansi(false)
        .with_writer(Mutex::new(file))
        .init();
    tracing::info!(process = std::process::id(), version = env!("CARGO_PKG_VERSION"), "begun");
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::io::Write;
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn the_log_is_its_owners_alone_and_begins_again_when_it_is_large() {
        let home = tempfile::tempdir().unwrap();
        let folder = home.path().join("ylotrope");
        let mut file = open(&folder).unwrap();
        let path = folder.join("log");
        assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
        file.write_all(&vec![b'x'; BYTES_MAX as usize]).unwrap();
        writeln!(open(&folder).unwrap(), "more").unwrap();
        assert!(!folder.join("log.old").exists(), "not yet too large");
        open(&folder).unwrap();
        assert_eq!(std::fs::metadata(&path).unwrap().len(), 0);
        assert!(std::fs::metadata(folder.join("log.old")).unwrap().len() > BYTES_MAX);
    }
}
