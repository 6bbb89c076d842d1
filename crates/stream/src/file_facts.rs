//! What is known of a path or of an open file.

/// What a path leads to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FileKind {
    /// A regular file.
    #[default]
    Regular,
    /// A directory.
    Directory,
    /// A symbolic link (only where links are not followed).
    Link,
    /// A named pipe.
    Pipe,
    /// A socket.
    Socket,
    /// A block device.
    BlockDevice,
    /// A character device.
    CharacterDevice,
}

/// What is known of a path or of an open file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct FileFacts {
    /// Length in bytes.
    pub bytes: u64,
    /// What it is.
    pub kind: FileKind,
    /// The permission bits, with set-user-ID, set-group-ID and sticky.
    pub mode: u32,
    /// The owner's number.
    pub owner: u32,
    /// The group's number.
    pub group: u32,
    /// The device it is on.
    pub device: u64,
    /// Its number on the device.
    pub inode: u64,
    /// The last change of its data, in nanoseconds since 1970 (UTC).
    pub modified_ns: i128,
}

impl FileFacts {
    /// True for a directory.
    pub fn is_directory(&self) -> bool {
        self.kind == FileKind::Directory
    }

    /// True for a regular file.
    pub fn is_regular(&self) -> bool {
        self.kind == FileKind::Regular
    }

    /// True when both are the same file.
    pub fn same_file(&self, other: &Self) -> bool {
        (self.device, self.inode) == (other.device, other.inode)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_and_sameness() {
        let file = FileFacts { device: 1, inode: 2, ..FileFacts::default() };
        assert!(file.is_regular() && !file.is_directory());
        let folder = FileFacts { kind: FileKind::Directory, inode: 3, ..file };
        assert!(folder.is_directory() && !folder.is_regular());
        assert!(file.same_file(&FileFacts { bytes: 9, mode: 0o600, ..file }));
        assert!(!file.same_file(&folder));
        assert!(!file.same_file(&FileFacts { device: 7, ..file }));
    }
}
