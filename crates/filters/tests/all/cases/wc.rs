//! `wc` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const TEXT: &[u8] = b"the gate\nis open \n\n  now\tor never";

const FILES: &[(&str, &[u8])] = &[
    ("a.txt", b"one two\nthree\n"),
    ("b.txt", b"four\n"),
    ("empty.txt", b""),
    ("names.bin", b"a.txt\x00b.txt\x00"),
];

#[test]
fn counts() {
    agree_among(
        FILES,
        &[
            Case("wc", TEXT, b"      3       7      33\n", 0),
            Case("wc -l", TEXT, b"3\n", 0),
            Case("wc -w", TEXT, b"7\n", 0),
            Case("wc -c", TEXT, b"33\n", 0),
            Case("wc -m", TEXT, b"33\n", 0),
            Case("wc -L", TEXT, b"16\n", 0),
            Case("wc -lw", TEXT, b"      3       7\n", 0),
            Case("wc -lc", TEXT, b"      3      33\n", 0),
            Case("wc -wcL", TEXT, b"      7      33      16\n", 0),
            Case("wc -m", b"a\xc3\xa9b\n", b"4\n", 0),
            Case("wc -c", b"a\xc3\xa9b\n", b"5\n", 0),
            Case("wc -L", b"a\tb\nlonger line\n", b"11\n", 0),
            Case("wc -w", b"a\x0bb\x0cc\rd\n", b"4\n", 0),
            Case("wc -l", b"no newline", b"0\n", 0),
            Case("wc", b"", b"      0       0       0\n", 0),
        ],
    );
}

#[test]
fn files_and_their_total() {
    agree_among(
        FILES,
        &[
            Case("wc a.txt", b"", b" 2  3 14 a.txt\n", 0),
            Case("wc a.txt b.txt", b"", b" 2  3 14 a.txt\n 1  1  5 b.txt\n 3  4 19 total\n", 0),
            Case(
                "wc -l a.txt b.txt empty.txt",
                b"",
                b" 2 a.txt\n 1 b.txt\n 0 empty.txt\n 3 total\n",
                0,
            ),
            Case(
                "wc - a.txt",
                b"in\n",
                b"      1       1       3 -\n\
                \x20     2       3      14 a.txt\n\
                \x20     3       4      17 total\n",
                0,
            ),
            Case("wc -l a.txt missing.txt", b"", b" 2 a.txt\n 2 total\n", 1),
            Case("wc --total=only a.txt b.txt", b"", b"", 1),
            Case("wc --total=never -l a.txt b.txt", b"", b"", 1),
            Case("wc --total=always -l a.txt", b"", b"", 1),
            Case("wc --total=auto -c a.txt", b"", b"", 1),
            Case("wc -w empty.txt", b"", b"0 empty.txt\n", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("wc --total=sometimes", b"", b"", 1),
            Case("wc --files0-from=names.bin a.txt", b"", b"", 1),
            Case("wc -x", b"", b"", 1),
        ],
    );
}

#[test]
fn files_named_in_a_file() {
    let files: &[(&str, &[u8])] = &[
        ("a.txt", b"one two\nthree\n"),
        ("b.txt", b"four\n"),
        ("names", b"a.txt\0b.txt\0"),
        ("one", b"b.txt"),
        ("none", b""),
    ];
    agree_among(
        files,
        &[
            Case(
                "wc --files0-from=names",
                b"",
                b" 2  3 14 a.txt\n 1  1  5 b.txt\n 3  4 19 total\n",
                0,
            ),
            Case("wc -l --files0-from=-", b"a.txt\0b.txt", b"2 a.txt\n1 b.txt\n3 total\n", 0),
            Case("wc -l --files0-from=one", b"", b"1 b.txt\n", 0),
            Case("wc --files0-from=none", b"", b"", 0),
            Case("wc -c --files0-from=-", b"a.txt\0\0b.txt", b"14 a.txt\n5 b.txt\n19 total\n", 1),
            Case("wc -c --files0-from=-", b"-\0b.txt", b"5 b.txt\n5 total\n", 1),
            Case("wc -c --files0-from=-", b"no\0b.txt", b"5 b.txt\n5 total\n", 1),
            Case("wc --files0-from=no", b"", b"", 1),
            Case("wc --files0-from=names a.txt", b"", b"", 1),
        ],
    );
}
