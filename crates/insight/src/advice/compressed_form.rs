//! Compressed data, by its first bytes.

use engine::Kept;

/// How data of a form begins, the name of the form, and what reads it.
pub(super) struct CompressedForm {
    magic: &'static [u8],
    pub(super) name: &'static str,
    pub(super) reader: &'static str,
}

const fn form(magic: &'static [u8], name: &'static str, reader: &'static str) -> CompressedForm {
    CompressedForm { magic, name, reader }
}

const FORMS: [CompressedForm; 5] = [
    form(b"\x1f\x8b\x08", "gzip", "zcat"),
    form(b"BZh", "bzip2", "bzcat"),
    form(b"\xfd7zXZ\0", "xz", "xzcat"),
    form(b"\x28\xb5\x2f\xfd", "zstd", "zstdcat"),
    form(b"\x04\x22\x4d\x18", "lz4", "lz4cat"),
];

/// The form of what was read, where it is compressed. It has no lines then.
pub(super) fn compressed_form(kept: &Kept) -> Option<&'static CompressedForm> {
    let start = kept.bytes_at(0, 6);
    FORMS.iter().find(|form| start.starts_with(form.magic))
}

/// True for the filters that compress and decompress: they know what they read.
pub(super) fn is_codec(name: &str) -> bool {
    const CODECS: [&str; 12] = [
        "gzip", "gunzip", "zcat", "bzip2", "bunzip2", "bzcat", "xz", "unxz", "xzcat", "zstd",
        "unzstd", "zstdcat",
    ];
    CODECS.contains(&name)
}
