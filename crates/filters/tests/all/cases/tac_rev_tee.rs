//! `tac_rev_tee` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] = &[("one.txt", b"1\n2\n3\n"), ("two.txt", b"x\ny")];

#[test]
fn lines_from_the_end() {
    agree_among(
        FILES,
        &[
            Case("tac", b"a\nb\nc\n", b"c\nb\na\n", 0),
            Case("tac", b"a\nb\nc", b"cb\na\n", 0),
            Case("tac", b"a", b"a", 0),
            Case("tac", b"", b"", 0),
            Case("tac", b"\n\n", b"\n\n", 0),
            Case("tac one.txt", b"", b"3\n2\n1\n", 0),
            Case("tac one.txt two.txt", b"", b"3\n2\n1\nyx\n", 0),
            Case("tac -s,", b"a,b,c", b"cb,a,", 0),
            Case("tac -s,", b"a,b,c,", b"c,b,a,", 0),
            Case("tac -b", b"a\nb\nc\n", b"\n\nc\nba", 0),
            Case("tac -b -s,", b"a,b,c", b",c,ba", 0),
            Case("tac -s ab", b"1ab2ab3", b"32ab1ab", 0),
            Case("tac -s ''", b"a\x00b\x00", b"b\x00a\x00", 0),
            Case("tac missing.txt one.txt", b"", b"3\n2\n1\n", 1),
        ],
    );
}

#[test]
fn characters_from_the_end() {
    agree_among(
        FILES,
        &[
            Case("rev", b"abc\ndef\n", b"cba\nfed\n", 0),
            Case("rev", b"abc", b"cba", 0),
            Case("rev", b"\n", b"\n", 0),
            Case("rev", b"a b\tc\n", b"c\tb a\n", 0),
            Case("rev one.txt", b"", b"1\n2\n3\n", 0),
        ],
    );
}

#[test]
fn copies() {
    agree_among(
        FILES,
        &[
            Case("tee", b"a\nb\n", b"a\nb\n", 0),
            Case("tee copy.txt", b"a\nb\n", b"a\nb\n", 0),
            Case("tee copy.txt other.txt", b"a", b"a", 0),
            Case("tee -a one.txt", b"more\n", b"more\n", 0),
            Case("tee -i copy.txt", b"a\n", b"a\n", 0),
            Case("tee -p copy.txt", b"a\n", b"a\n", 0),
            Case("tee -", b"", b"", 0),
        ],
    );
}
