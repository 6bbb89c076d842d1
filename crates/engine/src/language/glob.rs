//! File name patterns (XCU 2.13).

use std::ffi::OsStr;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};

use pattern::glob_matches;
use stream::Files;

/// A pattern: bytes, and which of them are quoted and so mean themselves.
#[derive(Clone, Debug, Default)]
pub struct Glob {
    /// Each byte with whether it was quoted.
    pub bytes: Vec<(u8, bool)>,
}

/// True when an unquoted byte makes this a pattern.
pub fn has_pattern(bytes: &[(u8, bool)]) -> bool {
    bytes.iter().any(|&(byte, quoted)| !quoted && matches!(byte, b'*' | b'?' | b'['))
}

impl Glob {
    /// The text without regard to its being a pattern.
    pub fn text(&self) -> Vec<u8> {
        self.bytes.iter().map(|&(byte, _)| byte).collect()
    }

    /// The names that match, by bytes in order; none when no file does.
    pub fn matches(&self, files: &dyn Files) -> Vec<Vec<u8>> {
        let parts: Vec<&[(u8, bool)]> = self.bytes.split(|&(byte, _)| byte == b'/').collect();
        let mut found: Vec<Vec<u8>> = vec![Vec::new()];
        for (number, part) in parts.iter().enumerate() {
            let last = number + 1 == parts.len();
            let mut next = Vec::new();
            for before in &found {
                extend(files, before, part, last, &mut next);
            }
            found = next;
        }
        found.retain(|name| !name.is_empty());
        found.sort();
        found
    }
}

/// Adds to `next` every way to go on from `before` by one part of the path.
fn extend(
    files: &dyn Files,
    before: &[u8],
    part: &[(u8, bool)],
    last: bool,
    next: &mut Vec<Vec<u8>>,
) {
    let slash: &[u8] = if last { b"" } else { b"/" };
    let literal: Vec<u8> = part.iter().map(|&(byte, _)| byte).collect();
    if !has_pattern(part) {
        let path = [before, &literal, slash].concat();
        let exists = path.is_empty()
            || path == b"/"
            || files.facts(Path::new(OsStr::from_bytes(&path))).is_ok();
        if exists {
            next.push(path);
        }
        return;
    }
    let directory = if before.is_empty() {
        PathBuf::from(".")
    } else {
        PathBuf::from(OsStr::from_bytes(before))
    };
    let Ok(names) = files.list(&directory) else { return };
    for name in names {
        let name = name.into_vec();
        // A leading dot is matched only by a dot.
        if name.starts_with(b".") && literal.first() != Some(&b'.') {
            continue;
        }
        if !glob_matches(part, &name) {
            continue;
        }
        let path = [before, &name, slash].concat();
        let usable = last
            || files
                .facts(Path::new(OsStr::from_bytes(&path)))
                .is_ok_and(|facts| facts.is_directory());
        if usable {
            next.push(path);
        }
    }
}
