//! The copy that is kept of a file edited in place.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use stream::{StageError, StageIo, describe};

/// Copies a file that is about to be edited: `suffix` is added to its name, or is the whole name
/// with `*` for the old one.
pub(super) fn keep_copy(
    io: &mut StageIo<'_>,
    name: &[u8],
    suffix: &[u8],
) -> Result<(), StageError> {
    let (folder, base) = match memchr::memrchr(b'/', name) {
        Some(at) => name.split_at(at + 1),
        None => (&b""[..], name),
    };
    let mut copy = Vec::new();
    if suffix.contains(&b'*') {
        for byte in suffix {
            match byte {
                b'*' => copy.extend_from_slice(base),
                other => copy.push(*other),
            }
        }
        if !suffix.contains(&b'/') {
            copy.splice(0..0, folder.iter().copied());
        }
    } else {
        copy.extend_from_slice(name);
        copy.extend_from_slice(suffix);
    }
    let failure = |error: &dyn std::fmt::Display| {
        let shown = String::from_utf8_lossy(&copy);
        StageError::failed(4, format!("couldn't keep a copy as {shown}: {error}"))
    };
    let path = |name: &[u8]| Path::new(OsStr::from_bytes(name)).to_owned();
    let files = io.files();
    let mut source = files.read(&path(name)).map_err(|error| failure(&describe(&error)))?;
    let replacement = files.replace(&path(&copy)).map_err(|error| failure(&describe(&error)))?;
    let sink = replacement.sink();
    while let Some(block) = source.next_block().map_err(|error| failure(&error))? {
        sink.write(block).map_err(|error| failure(&error))?;
    }
    drop(sink);
    replacement.commit().map_err(|error| failure(&describe(&error)))
}
