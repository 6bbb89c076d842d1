//! Files that are named on the command line: what is only looked at is never waited for without end.

use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::FileTypeExt;
use std::path::Path;
use std::time::Duration;

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{Mode, OFlags, open};
use thiserror::Error;

/// A script is no longer than this.
const SCRIPT_MAX: u64 = 16 << 20;

/// So long is waited for whoever writes to a named pipe.
const PATIENCE: Duration = Duration::from_millis(1500);

/// Why a file is not read.
#[derive(Debug, Error)]
pub(crate) enum Unread {
    /// A device.
    #[error("a device, not a file with an end")]
    Device,
    /// A pipe to which nobody writes.
    #[error("nothing came from this pipe for {} s", PATIENCE.as_secs_f32())]
    Silent,
    /// Too long.
    #[error("longer than {} MiB, which no script is", SCRIPT_MAX >> 20)]
    TooLong,
}

impl From<Unread> for io::Error {
    fn from(unread: Unread) -> Self {
        Self::other(unread)
    }
}

/// How long somebody waits for a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Waits {
    /// As a shell does, until it comes or the user ends it.
    Long,
    /// Some moments.
    Little,
}

/// Opens a file to look at what is in it. A named pipe must have something soon.
///
/// # Errors
/// Those of open(2), and [`Unread`].
pub(crate) fn open_to_look(path: &Path) -> io::Result<File> {
    let kind = std::fs::metadata(path)?.file_type();
    if (kind.is_char_device() || kind.is_block_device()) && !is_own_descriptor(path) {
        return Err(Unread::Device.into());
    }
    if kind.is_file() && !is_own_descriptor(path) {
        // Also of the kernel's only those that nothing happens to when they are read.
        return match engine::open_regular(path)? {
            Some(file) => Ok(file),
            None => File::open("/dev/null"),
        };
    }
    if !kind.is_fifo() {
        return File::open(path);
    }
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let file = File::from(open(path, flags, Mode::empty())?);
    wait(&file)?;
    rustix::io::ioctl_fionbio(&file, false)?;
    Ok(file)
}

/// A name of one of this process's own descriptors: what it is was chosen by whoever started it.
fn is_own_descriptor(path: &Path) -> bool {
    ["/dev/stdin", "/dev/fd", "/proc/self/fd"].iter().any(|name| path.starts_with(name))
}

/// Waits until there is something to read, or its end.
fn wait(file: &File) -> io::Result<()> {
    let patience =
        Timespec { tv_sec: PATIENCE.as_secs() as i64, tv_nsec: PATIENCE.subsec_nanos().into() };
    loop {
        match poll(&mut [PollFd::new(file, PollFlags::IN)], Some(&patience)) {
            Ok(0) => return Err(Unread::Silent.into()),
            Ok(_) => return Ok(()),
            Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error.into()),
        }
    }
}

/// Reads a script, all of it.
///
/// # Errors
/// Those of open(2) and read(2), and [`Unread`].
pub(crate) fn read_script(path: &Path, waits: Waits) -> io::Result<Vec<u8>> {
    let mut file = match waits {
        Waits::Little => open_to_look(path)?,
        Waits::Long => File::open(path)?,
    };
    let mut bytes = Vec::new();
    let mut buffer = vec![0; 1 << 16];
    loop {
        if waits == Waits::Little {
            wait(&file)?;
        }
        match file.read(&mut buffer) {
            Ok(0) => return Ok(bytes),
            Ok(count) => bytes.extend_from_slice(&buffer[..count]),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
        if bytes.len() as u64 > SCRIPT_MAX {
            return Err(Unread::TooLong.into());
        }
    }
}

#[cfg(test)]
mod tests {
    use std::time::Instant;

    use super::*;

    #[test]
    fn nothing_is_waited_for_and_nothing_without_end_is_read() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let mode = Mode::RUSR | Mode::WUSR;
        rustix::fs::mknodat(rustix::fs::CWD, at("pipe"), rustix::fs::FileType::Fifo, mode, 0)
            .unwrap();
        std::fs::write(at("script"), "echo a\n").unwrap();
        File::create(at("long")).unwrap().set_len(SCRIPT_MAX + 1).unwrap();
        let since = Instant::now();
        let why = |path: &Path| {
            let error = read_script(path, Waits::Little).unwrap_err();
            error.to_string()
        };
        assert!(why(&at("pipe")).starts_with("nothing came from this pipe"));
        assert!(why(Path::new("/dev/zero")).starts_with("a device"));
        assert!(why(Path::new("/proc/kmsg")).starts_with("a file of the kernel"));
        assert!(why(&at("long")).starts_with("longer than 16 MiB"));
        assert_eq!(read_script(&at("script"), Waits::Little).unwrap(), b"echo a\n");
        assert!(read_script(Path::new("/dev/zero"), Waits::Long).is_err());
        assert!(since.elapsed() < Duration::from_secs(10));
        // A pipe that somebody writes to is a file like any other.
        let (path, other) = (at("pipe"), at("pipe"));
        let writer = engine::start_thread("writer", move || std::fs::write(other, "echo b\n"));
        assert_eq!(read_script(&path, Waits::Little).unwrap(), b"echo b\n");
        writer.unwrap().join().unwrap().unwrap();
    }
}
