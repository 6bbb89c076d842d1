//! Saved pipelines in their folders: plain scripts that are renamed, copied, deleted and brought
//! back.

use std::ffi::OsStr;
use std::io;
use std::path::{Path, PathBuf};

/// Deleted scripts that are kept to be brought back.
const DELETED_MOST: usize = 100;

/// The scripts of a folder, by their names; none of one that cannot be read.
pub fn scripts_in(folder: &Path) -> Vec<PathBuf> {
    let Ok(files) = std::fs::read_dir(folder) else { return Vec::new() };
    let mut scripts: Vec<PathBuf> = files
        .flatten()
        .map(|file| file.path())
        .filter(|path| path.extension().is_some_and(|extension| extension == "sh"))
        .collect();
    scripts.sort();
    scripts
        .into_iter()
        .map(|path| path.strip_prefix("./").map(Path::to_owned).unwrap_or(path))
        .collect()
}

/// The path of a script with another name in the same folder; a name that is a path is one.
pub fn renamed(path: &Path, name: &str) -> PathBuf {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    let given = Path::new(name);
    let mut new = match folder {
        Some(folder) if given.components().count() == 1 => folder.join(given),
        _ => given.to_owned(),
    };
    if new.extension().is_none_or(|extension| extension != "sh") {
        let mut name = new.file_name().unwrap_or(OsStr::new("pipeline")).to_owned();
        name.push(".sh");
        new.set_file_name(name);
    }
    new
}

/// Gives a script another name; never that of a file that is there.
///
/// # Errors
/// When there is such a file, or the folder cannot be written.
pub fn rename_script(from: &Path, to: &Path) -> io::Result<()> {
    let flags = rustix::fs::RenameFlags::NOREPLACE;
    match rustix::fs::renameat_with(rustix::fs::CWD, from, rustix::fs::CWD, to, flags) {
        Ok(()) => Ok(()),
        // A file system that does not know how has links.
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => {
            std::fs::hard_link(from, to)?;
            std::fs::remove_file(from)
        }
        Err(error) => Err(error.into()),
    }
}

/// Copies a script to a new file with the same rights.
///
/// # Errors
/// When there is such a file already, or it cannot be read or written.
pub fn copy_script(from: &Path, to: &Path) -> io::Result<()> {
    let text = std::fs::read(from)?;
    let mut new = std::fs::OpenOptions::new().write(true).create_new(true).open(to)?;
    let rights = std::fs::metadata(from)?.permissions();
    io::Write::write_all(&mut new, &text).and_then(|()| new.set_permissions(rights))
}

/// A script that was deleted: where it was, and where it is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Deleted {
    /// Where it was.
    pub was: PathBuf,
    kept: PathBuf,
}

/// Takes a script out of its folder and keeps it in `state`, to be brought back; the oldest of
/// more than a hundred are gone for good.
///
/// # Errors
/// When it cannot be kept; it then stays where it is.
pub fn delete_script(path: &Path, state: &Path) -> io::Result<Deleted> {
    let folder = state.join("deleted");
    crate::runs::folders::make_own_folder(&folder)?;
    let name = path.file_name().unwrap_or(OsStr::new("script"));
    let mut number = 0u32;
    let kept = loop {
        let mut own = std::ffi::OsString::from(format!("{number:06}-"));
        own.push(name);
        let kept = folder.join(own);
        match copy_script(path, &kept) {
            Ok(()) => break kept,
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => number += 1,
            Err(error) => return Err(error),
        }
    };
    if let Err(error) = std::fs::remove_file(path) {
        // It is still where it was.
        let _ = std::fs::remove_file(&kept);
        return Err(error);
    }
    forget_oldest(&folder);
    Ok(Deleted { was: std::path::absolute(path)?, kept })
}

fn forget_oldest(folder: &Path) {
    let Ok(files) = std::fs::read_dir(folder) else { return };
    let mut all: Vec<_> = files
        .flatten()
        .filter_map(|file| Some((file.metadata().ok()?.modified().ok()?, file.path())))
        .collect();
    all.sort();
    for (_, path) in all.iter().rev().skip(DELETED_MOST) {
        // It is only not needed any more.
        let _ = std::fs::remove_file(path);
    }
}

/// Brings a deleted script back to where it was.
///
/// # Errors
/// When there is another file now, or the folder is gone.
pub fn restore_script(deleted: &Deleted) -> io::Result<()> {
    copy_script(&deleted.kept, &deleted.was)?;
    // The copy that is left does no harm.
    let _ = std::fs::remove_file(&deleted.kept);
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::os::unix::ffi::OsStrExt;
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn scripts_with_any_name_are_renamed_copied_deleted_and_brought_back() {
        let folder = tempfile::tempdir().unwrap();
        let state = folder.path().join("state");
        for name in
            ["plain.sh", "two words.sh", "line\nbreak.sh", "-dash.sh", "'quote\".sh", "käfer.sh"]
        {
            let path = folder.path().join(name);
            std::fs::write(&path, "#!/bin/sh\nseq 3\n").unwrap();
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o750)).unwrap();
            let other = renamed(&path, "other");
            assert_eq!(other, folder.path().join("other.sh"));
            rename_script(&path, &other).unwrap();
            rename_script(&other, &path).unwrap();
            let copy = renamed(&path, &format!("copy of {name}"));
            copy_script(&path, &copy).unwrap();
            assert!(copy_script(&path, &copy).is_err(), "never over another");
            assert_eq!(
                rename_script(&path, &copy).unwrap_err().kind(),
                io::ErrorKind::AlreadyExists
            );
            let deleted = delete_script(&path, &state).unwrap();
            assert!(!path.exists());
            restore_script(&deleted).unwrap();
            assert_eq!(std::fs::read_to_string(&path).unwrap(), "#!/bin/sh\nseq 3\n");
            let mode = std::fs::metadata(&path).unwrap().permissions().mode();
            assert_eq!(mode & 0o777, 0o750);
        }
        // Bytes that are no text are a name as well.
        let odd = folder.path().join(OsStr::from_bytes(b"odd\xff.sh"));
        std::fs::write(&odd, "x").unwrap();
        assert!(scripts_in(folder.path()).contains(&odd));
        let deleted = delete_script(&odd, &state).unwrap();
        assert!(!scripts_in(folder.path()).contains(&odd));
        restore_script(&deleted).unwrap();
        assert!(odd.exists());
    }

    #[test]
    fn what_others_have_made_meanwhile_is_not_lost() {
        let folder = tempfile::tempdir().unwrap();
        let (state, path) = (folder.path().join("state"), folder.path().join("a.sh"));
        std::fs::write(&path, "mine").unwrap();
        let deleted = delete_script(&path, &state).unwrap();
        std::fs::write(&path, "theirs").unwrap();
        assert!(restore_script(&deleted).is_err());
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "theirs");
        std::fs::remove_file(&path).unwrap();
        restore_script(&deleted).unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "mine");
        assert!(delete_script(&folder.path().join("gone.sh"), &state).is_err());
        assert!(scripts_in(&folder.path().join("gone")).is_empty());
    }

    #[test]
    fn only_so_many_deleted_ones_are_kept() {
        let folder = tempfile::tempdir().unwrap();
        let state = folder.path().join("state");
        for number in 0..DELETED_MOST + 5 {
            let path = folder.path().join(format!("{number}.sh"));
            std::fs::write(&path, "x").unwrap();
            delete_script(&path, &state).unwrap();
        }
        assert_eq!(std::fs::read_dir(state.join("deleted")).unwrap().count(), DELETED_MOST);
    }
}
