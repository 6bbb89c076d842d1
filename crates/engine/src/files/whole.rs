//! Files of the program's own and exports: put in place whole or not at all.

use std::fs::File;
use std::io::{self, Write};
use std::os::unix::fs::FileTypeExt;
use std::path::Path;

use rustix::fs::OFlags;
use thiserror::Error;

use super::place::{Place, place_of_new};
use super::rights::Writing;
use super::staged::{Opening, Staged, reserve};

/// Why a file is not written: it is no file with a content to take the place of.
#[derive(Debug, Error)]
#[error("not a regular file, so nothing is put in its place")]
pub struct NotRegular;

/// Writes a file whole or not at all. An existing file keeps its rights, a link stays one and is written
/// through; what another process has open stays the same file. Does not wait for others.
///
/// # Errors
/// Where it cannot be written, the old file is as it was; [`NotRegular`] inside an error of the kind `Other`
/// for a named pipe, a socket, or a device but the one that takes everything.
pub fn put_in_place<T>(
    path: &Path,
    writing: Writing,
    write: impl FnOnce(&mut dyn Write) -> io::Result<T>,
) -> io::Result<T> {
    let kind = std::fs::metadata(path).ok().map(|facts| facts.file_type());
    if let Some(kind) = kind.filter(|kind| !kind.is_file()) {
        if kind.is_dir() {
            return Err(rustix::io::Errno::ISDIR.into());
        }
        if kind.is_char_device() && path == Path::new("/dev/null") {
            return write(&mut io::sink());
        }
        return Err(io::Error::other(NotRegular));
    }
    let flags = OFlags::WRONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    let (place, old) = match rustix::fs::open(path, flags, rustix::fs::Mode::empty()) {
        Ok(old) => {
            let old = File::from(old);
            (Place::of_file(&old), Some(old))
        }
        Err(rustix::io::Errno::NOENT) => (place_of_new(path), None),
        Err(error) => return Err(error.into()),
    };
    let copy = old.as_ref().map(File::try_clone).transpose()?;
    match place.and_then(|place| Staged::begin(place, copy)) {
        Ok(staged) => {
            staged.set_writing(writing);
            let opening = staged.open(false)?;
            let result = write(&mut Through(&opening))?;
            stream::Sink::put_in_place(&opening)?;
            Ok(result)
        }
        Err(error) => match old {
            // A new file would not be the same to everybody.
            Some(old) => write_into(old, write),
            None => Err(error),
        },
    }
}

/// Writes to a file that is staged.
struct Through<'o>(&'o Opening);

impl Write for Through<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write_all(bytes)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Writes elsewhere first, so that the file is not touched before all is there and there is room for it.
fn write_into<T>(
    mut old: File,
    write: impl FnOnce(&mut dyn Write) -> io::Result<T>,
) -> io::Result<T> {
    use std::io::{Seek, SeekFrom};
    let mut content = tempfile::tempfile()?;
    let result = write(&mut content)?;
    let (before, bytes) = (old.metadata()?.len(), content.stream_position()?);
    reserve(&old, before, bytes.saturating_sub(before))?;
    content.seek(SeekFrom::Start(0))?;
    io::copy(&mut content, &mut old)?;
    old.set_len(bytes)?;
    Ok(result)
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};

    use rustix::fs::{CWD, FileType, Mode, mknodat};

    use super::*;

    fn put(path: &Path, text: &str) -> io::Result<()> {
        put_in_place(path, Writing::Result, |file| file.write_all(text.as_bytes()))
    }

    #[test]
    fn links_stay_links_and_what_is_no_file_stays_what_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let text = |name: &str| std::fs::read_to_string(at(name)).unwrap();
        std::fs::write(at("file"), "old").unwrap();
        std::os::unix::fs::symlink("file", at("link")).unwrap();
        std::os::unix::fs::symlink("new", at("dangling")).unwrap();
        mknodat(CWD, at("pipe"), FileType::Fifo, Mode::RUSR | Mode::WUSR, 0).unwrap();
        put(&at("link"), "through").unwrap();
        put(&at("dangling"), "made").unwrap();
        assert_eq!((text("file").as_str(), text("new").as_str()), ("through", "made"));
        for link in ["link", "dangling"] {
            assert!(std::fs::symlink_metadata(at(link)).unwrap().is_symlink());
        }
        assert!(put(&at("pipe"), "x").unwrap_err().get_ref().unwrap().is::<NotRegular>());
        assert!(std::fs::metadata(at("pipe")).unwrap().file_type().is_fifo());
        put(folder.path(), "x").unwrap_err();
        put(Path::new("/dev/null"), "x").unwrap();
        std::fs::hard_link(at("file"), at("other")).unwrap();
        put(&at("file"), "both").unwrap();
        assert_eq!(text("other"), "both");
        let failing = put_in_place(&at("file"), Writing::Result, |file| {
            file.write_all(b"half")?;
            Err::<(), _>(io::Error::other("as asked"))
        });
        assert!(failing.is_err() && text("file") == "both");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 6);
    }

    #[test]
    fn own_files_are_for_nobody_else_and_scripts_may_be_executed() {
        let folder = tempfile::tempdir().unwrap();
        let made = |name: &str, writing| {
            let path = folder.path().join(name);
            put_in_place(&path, writing, |file| file.write_all(b"x")).unwrap();
            std::fs::metadata(path).unwrap().mode() & 0o777
        };
        let plain = folder.path().join("plain");
        std::fs::write(&plain, "x").unwrap();
        let usual = std::fs::metadata(&plain).unwrap().mode() & 0o777;
        assert_eq!(made("own", Writing::Own), 0o600);
        assert_eq!(made("result", Writing::Result), usual);
        assert_eq!(made("script", Writing::Script), usual | (usual & 0o444) >> 2);
        // What is there keeps what it has.
        std::fs::set_permissions(&plain, std::fs::Permissions::from_mode(0o640)).unwrap();
        assert_eq!(made("plain", Writing::Script), 0o640);
    }
}
