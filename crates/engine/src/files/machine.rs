//! The machine but for the contents of files.

use std::ffi::OsString;
use std::fs::{File, FileTimes, Metadata};
use std::io::{self, Write};
use std::os::unix::fs::{FileExt, FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use rustix::fs::{Access, access};
use stream::{FileFacts, FileKind, Machine, Permission, Scratch};

/// Directories, environment, clock and chance as they are.
pub(crate) struct RealMachine;

/// What the system says of a file, in our terms.
pub(crate) fn facts_of(facts: &Metadata) -> FileFacts {
    let kind = facts.file_type();
    let kind = if kind.is_dir() {
        FileKind::Directory
    } else if kind.is_symlink() {
        FileKind::Link
    } else if kind.is_fifo() {
        FileKind::Pipe
    } else if kind.is_socket() {
        FileKind::Socket
    } else if kind.is_block_device() {
        FileKind::BlockDevice
    } else if kind.is_char_device() {
        FileKind::CharacterDevice
    } else {
        FileKind::Regular
    };
    FileFacts {
        bytes: facts.len(),
        kind,
        mode: facts.mode() & 0o7777,
        owner: facts.uid(),
        group: facts.gid(),
        device: facts.dev(),
        inode: facts.ino(),
        modified_ns: i128::from(facts.mtime()) * 1_000_000_000 + i128::from(facts.mtime_nsec()),
    }
}

/// The time of the last change of another file, for one that resembles it when all is written.
pub(crate) fn times_of(other: &FileFacts) -> FileTimes {
    let since = u64::try_from(other.modified_ns).map(Duration::from_nanos).unwrap_or_default();
    FileTimes::new().set_modified(SystemTime::UNIX_EPOCH + since)
}

impl Machine for RealMachine {
    fn list(&self, directory: &Path) -> io::Result<Vec<OsString>> {
        std::fs::read_dir(directory)?.map(|entry| entry.map(|entry| entry.file_name())).collect()
    }

    fn facts(&self, path: &Path) -> io::Result<FileFacts> {
        std::fs::metadata(path).map(|facts| facts_of(&facts))
    }

    fn link_facts(&self, path: &Path) -> io::Result<FileFacts> {
        std::fs::symlink_metadata(path).map(|facts| facts_of(&facts))
    }

    fn permits(&self, path: &Path, permission: Permission) -> bool {
        let wanted = match permission {
            Permission::Read => Access::READ_OK,
            Permission::Write => Access::WRITE_OK,
            Permission::Execute => Access::EXEC_OK,
        };
        access(path, wanted).is_ok()
    }

    fn user(&self) -> (u32, u32) {
        (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw())
    }

    fn variable(&self, name: &str) -> Option<OsString> {
        std::env::var_os(name)
    }

    fn variables(&self) -> Vec<(OsString, OsString)> {
        std::env::vars_os().collect()
    }

    fn directory(&self) -> PathBuf {
        std::env::current_dir().unwrap_or_else(|_| PathBuf::from("."))
    }

    fn now_ns(&self) -> i128 {
        match SystemTime::now().duration_since(SystemTime::UNIX_EPOCH) {
            Ok(since) => since.as_nanos() as i128,
            Err(before) => -(before.duration().as_nanos() as i128),
        }
    }

    fn pause(&self, duration: Duration) {
        std::thread::sleep(duration);
    }

    fn random(&self) -> u64 {
        let mut bytes = [0; 8];
        // Fails only on systems without a source of chance; the clock must do there.
        if rustix::rand::getrandom(&mut bytes, rustix::rand::GetRandomFlags::empty()).is_err() {
            return self.now_ns() as u64;
        }
        u64::from_ne_bytes(bytes)
    }

    fn memory_bytes(&self) -> u64 {
        let facts = rustix::system::sysinfo();
        facts.totalram as u64 * u64::from(facts.mem_unit.max(1))
    }

    fn is_terminal(&self, descriptor: u8) -> bool {
        match descriptor {
            0 => rustix::termios::isatty(rustix::stdio::stdin()),
            1 => rustix::termios::isatty(rustix::stdio::stdout()),
            2 => rustix::termios::isatty(rustix::stdio::stderr()),
            _ => false,
        }
    }

    fn scratch(&self, directory: Option<&Path>) -> io::Result<Box<dyn Scratch>> {
        let file = match directory {
            Some(directory) => tempfile::tempfile_in(directory)?,
            None => tempfile::tempfile()?,
        };
        Ok(Box::new(ScratchFile(file)))
    }
}

/// A file without a name: it is gone when the process ends, however that happens.
struct ScratchFile(File);

impl Scratch for ScratchFile {
    fn append(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.0.write_all(bytes)
    }

    fn read_at(&self, at: u64, buffer: &mut [u8]) -> io::Result<usize> {
        self.0.read_at(buffer, at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_standard_descriptors_can_be_the_terminal() {
        assert!((3..=u8::MAX).all(|descriptor| !RealMachine.is_terminal(descriptor)));
    }
}
