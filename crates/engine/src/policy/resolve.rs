//! From the name of a command to the file that would be started.

use std::ffi::{OsStr, OsString};
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};

use rustix::fs::{Access, access};
use serde::{Deserialize, Serialize};

/// Folders that are searched where the process began without `PATH`.
const USUAL_PATH: &str = "/usr/local/bin:/usr/bin:/bin:/usr/sbin:/sbin";

/// What tells one state of a program's file from another. Times are in nanoseconds since 1970.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct FileIdentity {
    device: u64,
    inode: u64,
    bytes: u64,
    modified_ns: i64,
    /// The last change of anything about it: a content that was changed and got its old time back
    /// is another one.
    changed_ns: i64,
}

impl FileIdentity {
    /// Length in bytes.
    pub(super) fn bytes(&self) -> u64 {
        self.bytes
    }

    /// True where the last change is longer ago than the steps in which a system counts time.
    pub(super) fn is_settled(&self) -> bool {
        const STEPS_NS: i128 = 2_000_000_000;
        use stream::Machine;
        crate::files::machine::RealMachine.now_ns() - i128::from(self.changed_ns) > STEPS_NS
    }

    /// The state of a file now, links followed.
    ///
    /// # Errors
    /// Where it cannot be looked at.
    pub fn now(path: &Path) -> io::Result<Self> {
        let facts = std::fs::metadata(path)?;
        let ns = |seconds: i64, rest: i64| seconds.saturating_mul(1_000_000_000) + rest;
        Ok(Self {
            device: facts.dev(),
            inode: facts.ino(),
            bytes: facts.len(),
            modified_ns: ns(facts.mtime(), facts.mtime_nsec()),
            changed_ns: ns(facts.ctime(), facts.ctime_nsec()),
        })
    }
}

/// A file that would be started.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Program {
    /// Its absolute path, links followed.
    pub path: PathBuf,
    /// Its state when it was looked at.
    pub identity: FileIdentity,
}

impl Program {
    /// The file behind a path that was found.
    ///
    /// # Errors
    /// Where it is gone again.
    pub(super) fn of(found: &Path) -> io::Result<Self> {
        let path = std::fs::canonicalize(found)?;
        Ok(Self { identity: FileIdentity::now(&path)?, path })
    }

    /// True for a program of root's that takes its input as data only.
    pub(super) fn takes_data(&self) -> bool {
        super::programs::takes_data(self.file_name()) && self.is_roots()
    }

    /// True when only root may change the file, or put another one in its place.
    pub(super) fn is_roots(&self) -> bool {
        leads_through_roots(&self.path)
    }

    /// The name of the file itself, links followed.
    pub(super) fn file_name(&self) -> &[u8] {
        self.path.file_name().map_or(b"", OsStr::as_bytes)
    }
}

/// As many as the system follows.
const LINKS_MAX: usize = 40;

/// True when only root may change what an absolute path leads to: every folder on the way, every link
/// and the file are root's, and nobody else may write them. A link is as good as the folder it is
/// in: whoever may write there may put another one in its place.
pub(super) fn leads_through_roots(path: &Path) -> bool {
    let mut links = 0;
    let mut at = PathBuf::from("/");
    let mut rest = components_backwards(path);
    if !path.is_absolute() || !only_root_writes(&at) {
        return false;
    }
    while let Some(name) = rest.pop() {
        if name == OsStr::new("..") {
            // A parent that was looked at on the way down.
            at.pop();
            continue;
        }
        at.push(&name);
        if !only_root_writes(&at) {
            return false;
        }
        let Ok(to) = std::fs::read_link(&at) else { continue };
        links += 1;
        if links > LINKS_MAX {
            return false;
        }
        if to.is_absolute() {
            at = PathBuf::from("/");
        } else {
            at.pop();
        }
        rest.extend(components_backwards(&to));
    }
    true
}

/// The names on a path, the last one first.
fn components_backwards(path: &Path) -> Vec<OsString> {
    let names = path
        .components()
        .filter(|part| matches!(part, Component::Normal(_) | Component::ParentDir));
    names.rev().map(|part| part.as_os_str().to_owned()).collect()
}

/// True for what only root may change: a file or a folder without rights for others, a link of
/// root's.
fn only_root_writes(path: &Path) -> bool {
    std::fs::symlink_metadata(path)
        .is_ok_and(|facts| facts.uid() == 0 && (facts.is_symlink() || facts.mode() & 0o022 == 0))
}

/// What a name leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Found {
    /// This file, as it was found.
    At(PathBuf),
    /// There is a file, but it may not be executed.
    NotExecutable,
    /// Nothing.
    Nothing,
}

/// The folders that the process began with.
pub(super) fn own_path() -> Vec<u8> {
    std::env::var_os("PATH")
        .map_or_else(|| USUAL_PATH.as_bytes().to_vec(), |path| path.as_bytes().to_vec())
}

/// Looks for a command as a shell in `directory` does (XCU 2.9.1.4): a name with a slash is a path,
/// others are looked for in the folders of `path`.
pub(super) fn find(name: &[u8], path: &[u8], directory: &Path) -> Found {
    let mut there = false;
    let mut look = |file: PathBuf| {
        if !std::fs::metadata(&file).is_ok_and(|facts| facts.is_file()) {
            return None;
        }
        there = true;
        access(&file, Access::EXEC_OK).is_ok().then_some(file)
    };
    let found = if name.contains(&b'/') {
        look(directory.join(OsStr::from_bytes(name)))
    } else if name.is_empty() {
        None
    } else {
        let folders = path.split(|&byte| byte == b':');
        // An empty folder is the current one.
        folders.map(|folder| directory.join(OsStr::from_bytes(folder))).find_map(|folder| {
            let file = folder.join(OsStr::from_bytes(name));
            look(file)
        })
    };
    match found {
        Some(file) => Found::At(file),
        None if there => Found::NotExecutable,
        None => Found::Nothing,
    }
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn a_name_leads_to_the_first_file_of_the_path_that_may_be_executed() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let make = |name: &str, mode| {
            std::fs::create_dir_all(at(name).parent().unwrap()).unwrap();
            std::fs::write(at(name), "").unwrap();
            std::fs::set_permissions(at(name), std::fs::Permissions::from_mode(mode)).unwrap();
        };
        make("one/plain", 0o644);
        make("two/plain", 0o755);
        make("one/only", 0o644);
        make("here", 0o755);
        std::fs::create_dir_all(at("one/folder")).unwrap();
        let look = |name: &str, path: &str| find(name.as_bytes(), path.as_bytes(), folder.path());
        assert_eq!(look("plain", "one:two"), Found::At(at("two/plain")));
        assert_eq!(look("only", "one:two"), Found::NotExecutable);
        assert_eq!(look("folder", "one:two"), Found::Nothing);
        assert_eq!(look("none", "one:two"), Found::Nothing);
        assert_eq!(look("", "one:two"), Found::Nothing);
        // An empty folder of the path is the current one, and a name with a slash is a path.
        assert_eq!(look("here", "one:"), Found::At(at("here")));
        assert_eq!(look("here", "one"), Found::Nothing);
        assert_eq!(look("./here", "one"), Found::At(at("./here")));
        assert_eq!(look("one/only", ""), Found::NotExecutable);
    }

    #[test]
    fn a_file_others_may_write_is_not_roots() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("file");
        std::fs::write(&file, "").unwrap();
        let set = |mode| {
            std::fs::set_permissions(&file, std::fs::Permissions::from_mode(mode)).unwrap();
            only_root_writes(&file)
        };
        let own = rustix::process::geteuid().is_root();
        assert_eq!([0o755, 0o700, 0o775, 0o757].map(set), [own, own, false, false]);
        assert!(!only_root_writes(&folder.path().join("none")));
        assert!(Program::of(Path::new("/bin/sh")).unwrap().is_roots());
        // Whoever may write in a folder may put another file in the place of one.
        assert!(!Program::of(&file).unwrap().is_roots(), "everybody writes in the folder of it");
    }

    #[test]
    fn every_link_on_the_way_must_be_roots() {
        assert!(leads_through_roots(Path::new("/bin/sh")), "here /bin itself may be a link");
        assert!(leads_through_roots(Path::new("/usr/bin/../bin/sh")));
        assert!(!leads_through_roots(Path::new("bin/sh")));
        // A folder in a folder that everybody writes in.
        let folder = tempfile::tempdir().unwrap();
        for (name, to) in [("file", "/bin/sh"), ("circle", "circle"), ("up", "../../../../bin/sh")]
        {
            let link = folder.path().join(name);
            std::os::unix::fs::symlink(to, &link).unwrap();
            assert!(!leads_through_roots(&link), "{name}");
        }
        let bin = folder.path().join("bin");
        std::os::unix::fs::symlink("/usr/bin", &bin).unwrap();
        assert!(!leads_through_roots(&bin.join("sh")));
    }
}
