//! The forms of compressed data: their first bytes, names and levels.

/// A form of compressed data.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// RFC 1952.
    Gzip,
    /// The format of bzip2 1.0.
    Bzip2,
    /// The .xz format, and .lzma, which came before it.
    Xz,
    /// RFC 8878.
    Zstd,
}

/// Bytes at the beginning that tell a form.
pub(super) const MAGIC_BYTES: usize = 6;

impl Form {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Gzip, Self::Bzip2, Self::Xz, Self::Zstd];

    /// The form of data that begins with these bytes (six are enough), whatever its name.
    pub fn of_content(first: &[u8]) -> Option<Self> {
        match first {
            [0x1f, 0x8b, ..] => Some(Self::Gzip),
            [b'B', b'Z', b'h', b'1'..=b'9', ..] => Some(Self::Bzip2),
            [0xfd, b'7', b'z', b'X', b'Z', 0, ..] | [0x5d, 0, 0, _, _, _, ..] => Some(Self::Xz),
            [0x28, 0xb5, 0x2f, 0xfd, ..] | [0x50..=0x5f, 0x2a, 0x4d, 0x18, ..] => Some(Self::Zstd),
            _ => None,
        }
    }

    /// As it is called.
    pub fn name(self) -> &'static str {
        match self {
            Self::Gzip => "gzip",
            Self::Bzip2 => "bzip2",
            Self::Xz => "xz",
            Self::Zstd => "zstd",
        }
    }

    /// The filter that writes what is in a file of this form.
    pub fn reader(self) -> &'static str {
        match self {
            Self::Gzip => "zcat",
            Self::Bzip2 => "bzcat",
            Self::Xz => "xzcat",
            Self::Zstd => "zstdcat",
        }
    }

    /// The ends of names of this form, each with what takes its place when it is unpacked. The first
    /// one is that of a file that is packed.
    pub(super) fn suffixes(self) -> &'static [(&'static str, &'static str)] {
        match self {
            Self::Gzip => &[
                (".gz", ""),
                (".tgz", ".tar"),
                (".taz", ".tar"),
                ("-gz", ""),
                (".z", ""),
                ("-z", ""),
                ("_z", ""),
            ],
            Self::Bzip2 => &[(".bz2", ""), (".bz", ""), (".tbz2", ".tar"), (".tbz", ".tar")],
            Self::Xz => &[(".xz", ""), (".lzma", ""), (".txz", ".tar"), (".tlz", ".tar")],
            Self::Zstd => &[(".zst", ""), (".tzst", ".tar")],
        }
    }

    /// True where the machine's program reads a file to standard output only by a name that ends as
    /// those of this form do.
    pub fn wants_suffix(self) -> bool {
        self == Self::Gzip
    }

    /// True for a name that ends as those of this form do.
    pub fn has_suffix(self, name: &[u8]) -> bool {
        self.suffixes().iter().any(|(end, _)| name.ends_with(end.as_bytes()))
    }

    /// The lowest, the usual and the highest level.
    pub(super) fn levels(self) -> (u32, u32, u32) {
        match self {
            Self::Gzip => (1, 6, 9),
            Self::Bzip2 => (1, 9, 9),
            Self::Xz => (0, 6, 9),
            Self::Zstd => (1, 3, 19),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_are_known_by_content() {
        for (first, form) in [
            (&b"\x1f\x8b\x08"[..], Some(Form::Gzip)),
            (b"BZh91AY", Some(Form::Bzip2)),
            (b"BZh0", None),
            (b"\xfd7zXZ\0", Some(Form::Xz)),
            (b"\x28\xb5\x2f\xfd", Some(Form::Zstd)),
            (b"\x51\x2a\x4d\x18", Some(Form::Zstd)),
            (b"", None),
            (b"\x1f", None),
            (b"2031-04-02", None),
        ] {
            assert_eq!(Form::of_content(first), form, "{first:?}");
        }
        for form in Form::ALL {
            assert!(form.has_suffix(format!("a{}", form.suffixes()[0].0).as_bytes()));
            assert!(!form.has_suffix(b"a.log"));
        }
    }
}
