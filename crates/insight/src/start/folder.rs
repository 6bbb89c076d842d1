//! The files of a folder, without opening any.

use std::ffi::OsString;
use std::io;
use std::path::Path;
use std::time::SystemTime;

/// What a name in a folder is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A regular file, or a link to one.
    File,
    /// A folder, or a link to one.
    Folder,
    /// A pipe, a socket, a device, a link that leads nowhere: never opened.
    Other,
}

/// A name in a folder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FolderEntry {
    /// The name.
    pub name: OsString,
    /// What it is.
    pub kind: EntryKind,
    /// Bytes, of a file.
    pub bytes: u64,
    /// The last change, where the system knows.
    pub changed: Option<SystemTime>,
    /// It is a saved pipeline by its name.
    pub is_script: bool,
}

/// What is in a folder: files, the one changed last first, then folders by name. Names that begin with
/// a dot come last. Nothing is opened but the folder.
///
/// # Errors
/// Where the folder cannot be read.
pub fn list_folder(folder: &Path) -> io::Result<Vec<FolderEntry>> {
    let mut all: Vec<FolderEntry> =
        std::fs::read_dir(folder)?.filter_map(Result::ok).map(|entry| entry_of(&entry)).collect();
    all.sort_by(|one, other| {
        let hidden = |entry: &FolderEntry| entry.name.as_encoded_bytes().starts_with(b".");
        let rank = |entry: &FolderEntry| (hidden(entry), entry.kind != EntryKind::File);
        let by_kind = rank(one).cmp(&rank(other));
        let by_time = || match one.kind {
            EntryKind::File => other.changed.cmp(&one.changed),
            _ => std::cmp::Ordering::Equal,
        };
        by_kind.then_with(by_time).then_with(|| one.name.cmp(&other.name))
    });
    Ok(all)
}

fn entry_of(entry: &std::fs::DirEntry) -> FolderEntry {
    let name = entry.file_name();
    // Links are followed; one that leads nowhere is something else.
    let facts = std::fs::metadata(entry.path());
    let kind = match &facts {
        Ok(facts) if facts.is_file() => EntryKind::File,
        Ok(facts) if facts.is_dir() => EntryKind::Folder,
        _ => EntryKind::Other,
    };
    let is_script = kind == EntryKind::File
        && Path::new(&name).extension().is_some_and(|extension| extension == "sh");
    FolderEntry {
        bytes: facts.as_ref().map_or(0, std::fs::Metadata::len),
        changed: facts.ok().and_then(|facts| facts.modified().ok()),
        name,
        kind,
        is_script,
    }
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;

    #[test]
    fn files_come_first_and_the_newest_of_them() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        for (age, name) in ["new.log", "old.log", "run.sh", ".hidden"].into_iter().enumerate() {
            std::fs::write(at(name), "x\n").unwrap();
            let file = std::fs::File::options().write(true).open(at(name)).unwrap();
            file.set_modified(SystemTime::now() - Duration::from_secs(age as u64 * 100)).unwrap();
        }
        std::fs::create_dir(at("archive")).unwrap();
        std::os::unix::fs::symlink("nowhere", at("broken")).unwrap();
        let all = list_folder(folder.path()).unwrap();
        let names: Vec<&str> = all.iter().map(|entry| entry.name.to_str().unwrap()).collect();
        assert_eq!(names, ["new.log", "old.log", "run.sh", "archive", "broken", ".hidden"]);
        assert_eq!(all[4].kind, EntryKind::Other);
        assert!(all[2].is_script && !all[0].is_script);
        assert!(list_folder(&at("new.log")).is_err());
    }
}
