//! Files that may be opened where nothing may happen: to open or to read any other may wait for
//! ever, take data away from others, or do something.

use std::fs::File;
use std::io;
use std::os::fd::{AsFd, AsRawFd, OwnedFd};
use std::os::unix::fs::FileTypeExt;
use std::path::{Path, PathBuf};

use rustix::fs::{CWD, Mode, OFlags, fstatfs, openat};
use thiserror::Error;

use super::block_source::FileSource;

/// File systems without a device of their own that hold data as disks do (statfs(2), magic
/// numbers). What is on a device of its own holds data anyway.
const HOLD_DATA: [u64; 20] = [
    0x0102_1994, // tmpfs
    0x8584_58f6, // ramfs
    0x794c_7630, // overlay
    0x9123_683e, // btrfs
    0x6969,      // nfs
    0xff53_4d42, // cifs
    0xfe53_4d42, // smb2
    0x517b,      // smb
    0x6573_5546, // fuse
    0x0102_1997, // 9p
    0x2fc1_2fc1, // zfs
    0x00c3_6400, // ceph
    0x6b41_4653, // afs
    0x0bd0_0bd0, // lustre
    0x4750_4653, // gpfs
    0x786f_4256, // vboxsf
    0xf15f,      // ecryptfs
    0x6175_6673, // aufs
    0xca45_1a4e, // bcachefs
    0x00c0_ffee, // hostfs
];

/// Files of the kernel that may be read: each tells something and changes nothing by that. `*` is
/// one name, `**` any number of names.
const KERNEL_FILES: [&str; 29] = [
    "/proc/cmdline",
    "/proc/cpuinfo",
    "/proc/devices",
    "/proc/diskstats",
    "/proc/filesystems",
    "/proc/interrupts",
    "/proc/loadavg",
    "/proc/mdstat",
    "/proc/meminfo",
    "/proc/modules",
    "/proc/partitions",
    "/proc/softirqs",
    "/proc/stat",
    "/proc/swaps",
    "/proc/uptime",
    "/proc/version",
    "/proc/vmstat",
    "/proc/*/cgroup",
    "/proc/*/cmdline",
    "/proc/*/comm",
    "/proc/*/environ",
    "/proc/*/limits",
    "/proc/*/mountinfo",
    "/proc/*/mounts",
    "/proc/*/net/*",
    "/proc/*/stat",
    "/proc/*/statm",
    "/proc/*/status",
    "/sys/devices/**/statistics/*",
];

/// Why a file is not opened.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum NotPlain {
    /// A FIFO.
    #[error("a named pipe, read only by a real run")]
    Pipe,
    /// A socket.
    #[error("a socket, read only by a real run")]
    Socket,
    /// A device.
    #[error("a device, read only by a real run")]
    Device,
    /// A file of the kernel that is not on the list.
    #[error("a file of the kernel that may do something when it is read; read only by a real run")]
    Kernel,
}

/// What became of a file that was to be opened.
#[derive(Debug)]
pub(crate) enum Opened {
    /// A regular file, or one of the kernel that may be read.
    Plain(File),
    /// `/dev/null`: nothing to read.
    Null,
}

/// Opens a file for reading without waiting and without becoming its terminal's owner.
///
/// What it is is known before it is opened, and the very same file is opened then, whatever is put
/// in its place meanwhile.
///
/// # Errors
/// As the system has them; [`NotPlain`] inside an error of the kind `Other` for what is not
/// opened.
pub(crate) fn open_plain(path: &Path) -> io::Result<Opened> {
    let place = openat(CWD, path, OFlags::PATH | OFlags::CLOEXEC, Mode::empty())?;
    let same = PathBuf::from(format!("/proc/self/fd/{}", place.as_raw_fd()));
    let facts = File::from(place.as_fd().try_clone_to_owned()?).metadata()?;
    let kind = facts.file_type();
    if kind.is_dir() {
        return Err(io::Error::from_raw_os_error(rustix::io::Errno::ISDIR.raw_os_error()));
    }
    let not = |why: NotPlain| Err(io::Error::other(why));
    if kind.is_fifo() {
        return not(NotPlain::Pipe);
    } else if kind.is_socket() {
        return not(NotPlain::Socket);
    } else if !kind.is_file() {
        return if is_null(&facts) { Ok(Opened::Null) } else { not(NotPlain::Device) };
    }
    if !holds_data(&place, &facts)? && !std::fs::read_link(&same).is_ok_and(|path| is_listed(&path))
    {
        return not(NotPlain::Kernel);
    }
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    Ok(Opened::Plain(File::from(openat(CWD, same, flags, Mode::empty())?)))
}

/// Opens a file for reading without waiting; `None` for one that is always empty. For files of our
/// own, and to look at those of others.
///
/// # Errors
/// As the system has them; [`NotPlain`] inside an error of the kind `Other` for FIFOs, devices and
/// files of the kernel that may do something when they are read.
pub fn open_regular(path: &Path) -> io::Result<Option<File>> {
    match open_plain(path)? {
        Opened::Plain(file) => Ok(Some(file)),
        Opened::Null => Ok(None),
    }
}

/// True for a file that [`open_plain`] would open.
pub(crate) fn is_plain_file(path: &Path) -> bool {
    matches!(open_plain(path), Ok(Opened::Plain(_)))
}

/// The device with the numbers 1 and 3, whatever its name.
fn is_null(facts: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    facts.file_type().is_char_device() && facts.rdev() == rustix::fs::makedev(1, 3)
}

fn holds_data(place: &OwnedFd, facts: &std::fs::Metadata) -> io::Result<bool> {
    use std::os::unix::fs::MetadataExt;
    if rustix::fs::major(facts.dev()) != 0 {
        return Ok(true);
    }
    let kind = fstatfs(place)?.f_type as u64 & 0xffff_ffff;
    Ok(HOLD_DATA.contains(&kind))
}

fn is_listed(path: &Path) -> bool {
    let Some(path) = path.to_str() else { return false };
    KERNEL_FILES.iter().any(|pattern| {
        let (pattern, path): (Vec<&str>, Vec<&str>) =
            (pattern.split('/').collect(), path.split('/').collect());
        fits(&pattern, &path)
    })
}

fn fits(pattern: &[&str], path: &[&str]) -> bool {
    match (pattern, path) {
        ([], []) => true,
        (["**", rest @ ..], _) => (0..=path.len()).any(|from| fits(rest, &path[from..])),
        (["*", rest @ ..], [_, names @ ..]) => fits(rest, names),
        ([one, rest @ ..], [name, names @ ..]) => one == name && fits(rest, names),
        _ => false,
    }
}

/// A file that may be read where nothing may happen; `None` for one that is always empty.
///
/// # Errors
/// As the system has them, and for files that may not be read here.
pub(crate) fn read_plain(path: &Path) -> io::Result<Option<FileSource>> {
    match open_plain(path)? {
        Opened::Plain(file) => Ok(Some(FileSource::of(file)?)),
        Opened::Null => Ok(None),
    }
}

#[cfg(test)]
mod tests {
    use std::time::{Duration, Instant};

    use super::*;

    fn why(path: &Path) -> Option<NotPlain> {
        let error = open_plain(path).err()?;
        error.get_ref()?.downcast_ref::<NotPlain>().copied()
    }

    #[test]
    fn only_regular_files_and_harmless_ones_of_the_kernel_are_opened() {
        let folder = tempfile::tempdir().unwrap();
        let (file, pipe, link) =
            (folder.path().join("file"), folder.path().join("pipe"), folder.path().join("link"));
        std::fs::write(&file, "x\n").unwrap();
        rustix::fs::mknodat(CWD, &pipe, rustix::fs::FileType::Fifo, Mode::RUSR, 0).unwrap();
        std::os::unix::fs::symlink("/proc/kmsg", &link).unwrap();
        assert!(is_plain_file(&file));
        let since = Instant::now();
        assert_eq!(why(&pipe), Some(NotPlain::Pipe));
        assert!(since.elapsed() < Duration::from_secs(5), "nobody writes to it");
        for path in ["/proc/meminfo", "/proc/self/status", "/proc/mounts", "/proc/net/dev"] {
            assert!(is_plain_file(Path::new(path)), "{path}");
        }
        for path in ["/proc/sysrq-trigger", "/proc/self/mem", "/proc/sys/kernel/ostype"] {
            if Path::new(path).exists() {
                assert_eq!(why(Path::new(path)), Some(NotPlain::Kernel), "{path}");
            }
        }
        if Path::new("/proc/kmsg").exists() {
            assert_eq!(why(&link), Some(NotPlain::Kernel));
        }
        for path in ["/dev/zero", "/dev/random", "/dev/tty"] {
            assert_eq!(why(Path::new(path)), Some(NotPlain::Device), "{path}");
        }
        assert!(matches!(open_plain(Path::new("/dev/null")), Ok(Opened::Null)));
        assert!(open_plain(folder.path()).is_err());
        assert!(open_plain(&folder.path().join("none")).is_err());
    }
}
