//! `names_and_checksums` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] = &[("file.txt", b"data\n"), ("empty.txt", b"")];

#[test]
fn the_last_part_of_a_name() {
    agree_among(
        FILES,
        &[
            Case("basename /a/b/c.txt", b"", b"c.txt\n", 0),
            Case("basename /a/b/c.txt .txt", b"", b"c\n", 0),
            Case("basename c.txt .log", b"", b"c.txt\n", 0),
            Case("basename .txt .txt", b"", b".txt\n", 0),
            Case("basename /a/b/", b"", b"b\n", 0),
            Case("basename /", b"", b"/\n", 0),
            Case("basename //", b"", b"/\n", 0),
            Case("basename ''", b"", b"\n", 0),
            Case("basename -a /a/b /c/d", b"", b"b\nd\n", 0),
            Case("basename -s .log /a/x.log y.log", b"", b"x\ny\n", 0),
            Case("basename -z /a/b", b"", b"b\x00", 0),
            Case("basename", b"", b"", 1),
            Case("basename a b c", b"", b"", 1),
        ],
    );
}

#[test]
fn all_but_the_last_part() {
    agree_among(
        FILES,
        &[
            Case("dirname /a/b/c", b"", b"/a/b\n", 0),
            Case("dirname a", b"", b".\n", 0),
            Case("dirname a/b/", b"", b"a\n", 0),
            Case("dirname /", b"", b"/\n", 0),
            Case("dirname //a", b"", b"/\n", 0),
            Case("dirname /a", b"", b"/\n", 0),
            Case("dirname ''", b"", b".\n", 0),
            Case("dirname a/b c/d", b"", b"a\nc\n", 0),
            Case("dirname -z a/b", b"", b"a\x00", 0),
            Case("dirname", b"", b"", 1),
        ],
    );
}

#[test]
fn sums() {
    agree_among(FILES, &[
        Case("cksum file.txt", b"", b"2797087131 5 file.txt\n", 0),
        Case("cksum empty.txt", b"", b"4294967295 0 empty.txt\n", 0),
        Case("cksum", b"data\n", b"2797087131 5\n", 0),
        Case("cksum file.txt missing.txt", b"", b"2797087131 5 file.txt\n", 1),
        Case("md5sum file.txt", b"", b"6137cde4893c59f76f005a8123d8e8e6  file.txt\n", 0),
        Case("md5sum empty.txt file.txt", b"", b"d41d8cd98f00b204e9800998ecf8427e  empty.txt\n\
                6137cde4893c59f76f005a8123d8e8e6  file.txt\n", 0),
        Case("md5sum", b"data\n", b"6137cde4893c59f76f005a8123d8e8e6  -\n", 0),
        Case("md5sum -b file.txt", b"", b"6137cde4893c59f76f005a8123d8e8e6 *file.txt\n", 0),
        Case("md5sum --tag file.txt", b"", b"MD5 (file.txt) = 6137cde4893c59f76f005a8123d8e8e6\n", 0),
        Case("md5sum -z file.txt", b"", b"6137cde4893c59f76f005a8123d8e8e6  file.txt\x00", 0),
        Case("sha256sum file.txt", b"", b"6667b2d1aab6a00caa5aee5af8ad9f1465e567abf1c209d15727d57b3e8f6e5f  file.txt\n", 0),
        Case("sha256sum --tag file.txt", b"", b"SHA256 (file.txt) = 6667b2d1aab6a00caa5aee5af8ad9f1465e567abf1c209d15727d57b3e8f6e5f\n", 0),
        Case("sha256sum -", b"data\n", b"6667b2d1aab6a00caa5aee5af8ad9f1465e567abf1c209d15727d57b3e8f6e5f  -\n", 0),
        Case("md5sum -c", b"6137cde4893c59f76f005a8123d8e8e6  file.txt\n", b"file.txt: OK\n", 0),
        Case("md5sum -c", b"6137cde4893c59f76f005a8123d8e8e7  file.txt\n", b"file.txt: FAILED\n", 1),
        Case("md5sum -c", b"d41d8cd98f00b204e9800998ecf8427e  missing.txt\n", b"missing.txt: FAILED open or read\n", 1),
        Case("md5sum -c --quiet", b"6137cde4893c59f76f005a8123d8e8e6  file.txt\n", b"", 0),
        Case("md5sum -c --status", b"6137cde4893c59f76f005a8123d8e8e7  file.txt\n", b"", 1),
        Case("md5sum -c --ignore-missing", b"d41d8cd98f00b204e9800998ecf8427e  missing.txt\n\
                6137cde4893c59f76f005a8123d8e8e6  file.txt\n", b"file.txt: OK\n", 0),
        Case("md5sum -c --strict", b"not a sum\n\
                6137cde4893c59f76f005a8123d8e8e6  file.txt\n", b"file.txt: OK\n", 1),
        Case("md5sum -c --warn", b"not a sum\n\
                6137cde4893c59f76f005a8123d8e8e6  file.txt\n", b"file.txt: OK\n", 0),
        Case("md5sum -c", b"MD5 (file.txt) = 6137cde4893c59f76f005a8123d8e8e6\n", b"file.txt: OK\n", 0),
        Case("md5sum -c", b"nothing here\n", b"", 1),
    ]);
}

#[test]
fn answers() {
    agree_among(FILES, &[Case("true", b"", b"", 0), Case("false", b"", b"", 1)]);
}
