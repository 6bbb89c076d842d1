//! Who may do what with a file, and whether two files are the same to everybody.

use std::fs::{File, Permissions};
use std::io;
use std::os::fd::{AsFd, AsRawFd};
use std::os::unix::fs::{MetadataExt, PermissionsExt, fchown};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use parking_lot::Mutex;
use rustix::fs::{IFlags, Mode, OFlags, XattrFlags, fstat, ioctl_getflags, openat};
use rustix::io::Errno;
use serde::{Deserialize, Serialize};

use super::place::{Folder, Number, Place};
use super::temporary::Temporary;

/// The attribute that holds the list of rights of a file (acl(5)).
const LIST: &str = "system.posix_acl_access";

/// The attribute of a folder that holds the list of rights which files in it get when they are made (acl(5)).
const LIST_OF_NEW: &str = "system.posix_acl_default";

/// Those that new files got in the folders that were written in last, and what that depends on.
static RIGHTS_OF_NEW: Mutex<Vec<(Basis, Rights)>> = Mutex::new(Vec::new());

/// How many folders are known.
const FOLDERS_KNOWN: usize = 8;

/// How often the file mode creation mask of this process was set.
static MASKS_SET: AtomicU64 = AtomicU64::new(0);

/// Sets the file mode creation mask of this process (umask(2)). Nobody else does.
pub(crate) fn set_file_mask(mask: u32) {
    rustix::process::umask(Mode::from_raw_mode(mask));
    MASKS_SET.fetch_add(1, Ordering::SeqCst);
}

/// Bits that let a program run as somebody else.
const SET_ID: u32 = 0o6000;

/// What is written, and who may read it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Writing {
    /// A file of this program alone: only its owner may read it, and nobody writes to it.
    Own,
    /// A file for others, with the rights that any new file gets.
    Result,
    /// The same, which may be executed.
    Script,
}

/// The owner of a file and what it lets others do.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Rights {
    owner: u32,
    group: u32,
    mode: u32,
    /// The list of rights beyond those, where there is one.
    list: Option<Vec<u8>>,
}

impl Rights {
    /// Those of a file.
    ///
    /// # Errors
    /// Where they cannot be known.
    pub(crate) fn of(file: &File) -> io::Result<Self> {
        let facts = file.metadata()?;
        let list = attribute(file, LIST.as_bytes())?;
        Ok(Self { owner: facts.uid(), group: facts.gid(), mode: facts.mode() & 0o7777, list })
    }

    /// Those that a file gets which a command makes in this folder. Known from one made before as long as
    /// nothing has changed that they depend on.
    ///
    /// # Errors
    /// Where no file can be made there.
    pub(crate) fn of_new(folder: &Arc<Folder>) -> io::Result<Self> {
        let Ok(basis) = Basis::of(folder) else { return Self::tried(folder) };
        let mut known = RIGHTS_OF_NEW.lock();
        if let Some((_, rights)) = known.iter().find(|(before, _)| *before == basis) {
            return Ok(rights.clone());
        }
        let rights = Self::tried(folder)?;
        known.insert(0, (basis, rights.clone()));
        known.truncate(FOLDERS_KNOWN);
        Ok(rights)
    }

    /// Makes an empty file, without a name where the system can do that, and looks at it.
    fn tried(folder: &Arc<Folder>) -> io::Result<Self> {
        let mode = Mode::from_raw_mode(0o666);
        let flags = OFlags::TMPFILE | OFlags::WRONLY | OFlags::CLOEXEC;
        if let Ok(file) = openat(&folder.handle, ".", flags, mode) {
            return Self::of(&File::from(file));
        }
        let named = Temporary::named(folder);
        let flags = OFlags::CREATE | OFlags::EXCL | OFlags::WRONLY | OFlags::CLOEXEC;
        let file = openat(&folder.handle, named.name(), flags, mode);
        Self::of(&File::from(file.inspect_err(|_| named.forget())?))
    }

    /// What is known of another file, for one that is to resemble it: where it cannot be given to the same
    /// group, that group's rights are not given to another.
    pub(crate) fn like(owner: u32, group: u32, mode: u32, own: &File) -> io::Result<Self> {
        let facts = own.metadata()?;
        let given = fchown(own, Some(owner), Some(group)).is_ok()
            || facts.gid() == group
            || fchown(own, None, Some(group)).is_ok();
        let mode = mode & if given { 0o777 } else { 0o707 };
        let facts = own.metadata()?;
        Ok(Self { owner: facts.uid(), group: facts.gid(), mode, list: None })
    }

    /// What a new file of this kind gets of them.
    pub(crate) fn suit(&mut self, writing: Writing) {
        match writing {
            Writing::Own => (self.mode, self.list) = (0o600, None),
            Writing::Result => {}
            Writing::Script => self.mode |= (self.mode & 0o444) >> 2,
        }
    }

    /// Gives them to a file. It never has more than them on the way, if it had none for others.
    ///
    /// # Errors
    /// Where it cannot have them.
    pub(crate) fn give(&self, file: &File) -> io::Result<()> {
        let facts = file.metadata()?;
        if (facts.uid(), facts.gid()) != (self.owner, self.group) {
            fchown(file, Some(self.owner), Some(self.group))?;
        }
        match &self.list {
            Some(list) => rustix::fs::fsetxattr(file, LIST, list, XattrFlags::empty())?,
            None => match rustix::fs::fremovexattr(file, LIST) {
                Ok(()) | Err(Errno::NODATA | Errno::NOTSUP | Errno::NOSYS) => {}
                Err(error) => return Err(error.into()),
            },
        }
        // After the change of the owner, which may take rights away.
        file.set_permissions(Permissions::from_mode(self.mode))
    }
}

/// All that the rights of new files in a folder depend on.
#[derive(PartialEq)]
struct Basis {
    folder: Number,
    group: u32,
    mode: u32,
    list: Option<Vec<u8>>,
    masks_set: u64,
}

impl Basis {
    fn of(folder: &Folder) -> io::Result<Self> {
        let masks_set = MASKS_SET.load(Ordering::SeqCst);
        let facts = fstat(&folder.handle)?;
        // The folder is open by its place alone, which has no attributes; by this name it has.
        let name = format!("/proc/self/fd/{}", folder.handle.as_raw_fd());
        let list =
            read_attribute(|buffer| rustix::fs::getxattr(name.as_str(), LIST_OF_NEW, buffer))?;
        Ok(Self {
            folder: folder.number,
            group: facts.st_gid,
            mode: facts.st_mode,
            list,
            masks_set,
        })
    }
}

/// A temporary file that can take the place of another one and be the same to everybody, or of none; with
/// the rights it is to get before it does. Until then only its owner may read and write it.
///
/// # Errors
/// Where that cannot be: other names lead to the old file, it lets programs run as somebody else, or it has
/// an owner, a list of rights or other attributes that a new one cannot be given; or the folder takes no
/// new files.
pub(crate) fn successor(
    place: &Place,
    old: Option<&File>,
) -> io::Result<(Temporary, File, Rights)> {
    let (temporary, file) = Temporary::beside(place)?;
    let Some(old) = old else {
        let rights = Rights::of_new(&place.folder)?;
        return Ok((temporary, file, rights));
    };
    let rights = Rights::of(old)?;
    // Tried while there is nothing in it.
    rights.give(&file)?;
    if !is_same_to_everybody(old, &file) {
        return Err(io::Error::other("a new file would not be the same to everybody"));
    }
    file.set_permissions(Permissions::from_mode(rights.mode & 0o600))?;
    Ok((temporary, file, rights))
}

/// True when the new file can be used by just the same people in the same ways as the old one by all its
/// names: one name, the same owner and rights, the same attributes and flags, none more and none less.
pub(crate) fn is_same_to_everybody(old: &File, new: &File) -> bool {
    let (Ok(one), Ok(other)) = (old.metadata(), new.metadata()) else { return false };
    let rights = |facts: &std::fs::Metadata| (facts.uid(), facts.gid(), facts.mode() & 0o7777);
    one.nlink() == 1
        && one.mode() & SET_ID == 0
        && rights(&one) == rights(&other)
        && matches!((attributes(old), attributes(new)), (Ok(one), Ok(other)) if one == other)
        && flags(old) == flags(new)
}

/// All attributes of a file: lists of rights, capabilities, security labels, those of users.
fn attributes(file: &File) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    let Some(names) = read_attribute(|buffer| rustix::fs::flistxattr(file, buffer))? else {
        return Ok(Vec::new());
    };
    let names = names.split(|&byte| byte == 0).filter(|name| !name.is_empty());
    let mut all = Vec::new();
    for name in names {
        all.push((name.to_vec(), attribute(file, name)?.unwrap_or_default()));
    }
    all.sort();
    Ok(all)
}

fn attribute(file: &File, name: &[u8]) -> io::Result<Option<Vec<u8>>> {
    read_attribute(|buffer| rustix::fs::fgetxattr(file, name, buffer))
}

/// What one of the calls of xattr(7) gives; `None` where there is none, or the file system has none.
fn read_attribute(
    read: impl Fn(&mut [u8]) -> rustix::io::Result<usize>,
) -> io::Result<Option<Vec<u8>>> {
    /// Mostly there is little.
    const USUAL: usize = 256;
    /// As large as the kernel lets one be.
    const LARGEST: usize = 1 << 16;
    for room in [USUAL, LARGEST] {
        let mut bytes = vec![0; room];
        match read(&mut bytes) {
            Ok(length) => {
                bytes.truncate(length);
                return Ok(Some(bytes));
            }
            Err(Errno::RANGE) => {}
            Err(Errno::NODATA | Errno::NOTSUP | Errno::NOSYS) => return Ok(None),
            Err(error) => return Err(error.into()),
        }
    }
    Err(Errno::RANGE.into())
}

/// The flags of a file that its owner or root may set (chattr(1)); none where its file system has none.
fn flags(file: impl AsFd) -> IFlags {
    ioctl_getflags(file).map_or(IFlags::empty(), |flags| flags.intersection(SETTABLE))
}

/// The other flags say how a file is stored.
const SETTABLE: IFlags = IFlags::APPEND
    .union(IFlags::COMPRESSED)
    .union(IFlags::DIRSYNC)
    .union(IFlags::IMMUTABLE)
    .union(IFlags::JOURNALING)
    .union(IFlags::NOATIME)
    .union(IFlags::NOCOW)
    .union(IFlags::NODUMP)
    .union(IFlags::NOTAIL)
    .union(IFlags::PROJECT_INHERIT)
    .union(IFlags::SECURE_REMOVAL)
    .union(IFlags::SYNC)
    .union(IFlags::UNRM);

#[cfg(test)]
mod tests {
    use super::*;

    /// A list of rights: the owner, one more user, the group, the mask, all others.
    fn list(user: u32, mask: u16, other: u16) -> Vec<u8> {
        let mut bytes = 2_u32.to_le_bytes().to_vec();
        let none = u32::MAX;
        for (tag, rights, number) in
            [(1_u16, 6_u16, none), (2, 6, user), (4, 4, none), (16, mask, none), (32, other, none)]
        {
            bytes.extend_from_slice(&tag.to_le_bytes());
            bytes.extend_from_slice(&rights.to_le_bytes());
            bytes.extend_from_slice(&number.to_le_bytes());
        }
        bytes
    }

    #[test]
    fn a_list_of_the_folder_gives_a_replaced_file_no_rights() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        std::fs::write(at("old"), "secret").unwrap();
        std::fs::set_permissions(at("old"), Permissions::from_mode(0o600)).unwrap();
        let default = list(1234, 6, 4);
        let set = rustix::fs::setxattr(
            folder.path(),
            "system.posix_acl_default",
            &default,
            XattrFlags::empty(),
        );
        set.expect("the tests need a file system with lists of rights");
        let old = File::options().write(true).open(at("old")).unwrap();
        let place = Place::of_name(&at("old")).unwrap();
        let (temporary, file, rights) = successor(&place, Some(&old)).unwrap();
        assert_eq!(file.metadata().unwrap().mode() & 0o777, 0o600);
        assert_eq!(attribute(&file, LIST.as_bytes()).unwrap(), None);
        rights.give(&file).unwrap();
        assert!(is_same_to_everybody(&old, &file));
        drop(temporary);
        // A new file gets what any new file gets there, and nothing before it is given.
        let (_temporary, file, rights) =
            successor(&Place::of_name(&at("new")).unwrap(), None).unwrap();
        assert_eq!(file.metadata().unwrap().mode() & 0o077, 0);
        rights.give(&file).unwrap();
        let plain = File::create(at("plain")).unwrap();
        assert!(is_same_to_everybody(&plain, &file));
        assert!(attribute(&file, LIST.as_bytes()).unwrap().is_some());
    }

    #[test]
    fn what_new_files_get_follows_their_folder() {
        let folder = tempfile::tempdir().unwrap();
        let known = Folder::open(folder.path()).unwrap();
        let as_made = |name: &str| {
            let plain = File::create(folder.path().join(name)).unwrap();
            // The second time it is what is known.
            let first = Rights::of_new(&known).unwrap();
            assert_eq!(
                (&first, &Rights::of_new(&known).unwrap()),
                (&Rights::of(&plain).unwrap(), &first)
            );
            first
        };
        let first = as_made("plain");
        fchown(File::open(folder.path()).unwrap(), None, Some(4321)).unwrap();
        std::fs::set_permissions(folder.path(), Permissions::from_mode(0o2700)).unwrap();
        let group = as_made("group");
        assert_eq!((group.group, first.group == 4321), (4321, false));
        let default = list(1234, 6, 0);
        rustix::fs::setxattr(folder.path(), LIST_OF_NEW, &default, XattrFlags::empty()).unwrap();
        let listed = as_made("listed");
        assert!(listed.list.is_some() && listed != group);
        rustix::fs::removexattr(folder.path(), LIST_OF_NEW).unwrap();
        assert_eq!(as_made("again"), group);
    }

    #[test]
    fn attributes_and_flags_are_compared_both_ways() {
        let folder = tempfile::tempdir_in("/var/tmp").unwrap();
        let at = |name: &str| folder.path().join(name);
        let (one, two) = (File::create(at("one")).unwrap(), File::create(at("two")).unwrap());
        assert!(is_same_to_everybody(&one, &two));
        if rustix::fs::fsetxattr(&one, "user.note", b"x", XattrFlags::empty()).is_ok() {
            assert!(!is_same_to_everybody(&one, &two) && !is_same_to_everybody(&two, &one));
            rustix::fs::fremovexattr(&one, "user.note").unwrap();
        }
        if rustix::fs::ioctl_setflags(&one, flags(&one) | IFlags::NODUMP).is_ok() {
            assert!(!is_same_to_everybody(&one, &two) && !is_same_to_everybody(&two, &one));
            rustix::fs::ioctl_setflags(&one, flags(&two)).unwrap();
        }
        assert!(is_same_to_everybody(&one, &two));
        std::fs::hard_link(at("one"), at("other")).unwrap();
        assert!(!is_same_to_everybody(&one, &two));
        std::fs::remove_file(at("other")).unwrap();
        two.set_permissions(Permissions::from_mode(0o4755)).unwrap();
        one.set_permissions(Permissions::from_mode(0o4755)).unwrap();
        assert!(!is_same_to_everybody(&one, &two), "a write takes such rights away");
    }
}
