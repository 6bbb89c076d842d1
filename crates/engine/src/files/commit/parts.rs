//! What putting a file in place and taking it back have in common.

use std::fs::File;
use std::io::{self, Seek, SeekFrom};
use std::os::unix::fs::MetadataExt;
use std::time::{Duration, SystemTime};

use super::journal::Entry;
use crate::files::place::Place;
use crate::files::staged::reserve;
use crate::files::temporary::Temporary;

/// A file with all that is needed to put it in place, and to take that back.
pub(super) struct Prepared {
    pub(super) place: Place,
    pub(super) entry: Entry,
    pub(super) content: Temporary,
    /// The old file, or what was in it.
    pub(super) old: Option<Temporary>,
    /// A copy of what was written, where that is small.
    pub(super) written: Option<File>,
}

/// The time of the last change, in nanoseconds since 1970.
pub(super) fn modified_ns(file: &File) -> io::Result<i64> {
    let facts = file.metadata()?;
    Ok(facts.mtime().saturating_mul(1_000_000_000).saturating_add(facts.mtime_nsec()))
}

/// Gives a file back the time of its last change.
pub(super) fn set_modified(file: &File, modified_ns: i64) -> io::Result<()> {
    let since = Duration::from_nanos(modified_ns.unsigned_abs());
    let epoch = SystemTime::UNIX_EPOCH;
    let time = if modified_ns < 0 { epoch.checked_sub(since) } else { epoch.checked_add(since) };
    file.set_modified(time.unwrap_or(epoch))
}

pub(super) fn copy(from: &mut File, to: &mut File) -> io::Result<()> {
    from.seek(SeekFrom::Start(0))?;
    io::copy(from, to)?;
    to.sync_all()
}

/// Gives a file another content. The room that the old one had stays, so that it can be brought back on
/// a full disk too.
pub(super) fn rewrite(target: &mut File, content: &mut File) -> io::Result<()> {
    let before = target.metadata()?.len();
    target.seek(SeekFrom::Start(0))?;
    copy(content, target)?;
    let end = target.stream_position()?;
    target.set_len(end)?;
    let _ = reserve(target, end, before.saturating_sub(end));
    target.sync_all()
}
