//! `paste` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] =
    &[("a.txt", b"a1\na2\na3\n"), ("b.txt", b"b1\nb2\n"), ("c.txt", b"c1\nc2\nc3\nc4")];

#[test]
fn side_by_side() {
    agree_among(
        FILES,
        &[
            Case("paste a.txt b.txt", b"", b"a1\tb1\na2\tb2\na3\t\n", 0),
            Case("paste a.txt b.txt c.txt", b"", b"a1\tb1\tc1\na2\tb2\tc2\na3\t\tc3\n\t\tc4\n", 0),
            Case("paste -d, a.txt b.txt", b"", b"a1,b1\na2,b2\na3,\n", 0),
            Case("paste -d ',;' a.txt b.txt c.txt", b"", b"a1,b1;c1\na2,b2;c2\na3,;c3\n,;c4\n", 0),
            Case("paste -d '' a.txt b.txt", b"", b"a1b1\na2b2\na3\n", 0),
            Case("paste -d '\\n' a.txt b.txt", b"", b"a1\nb1\na2\nb2\na3\n\n", 0),
            Case("paste -d '\\0' a.txt b.txt", b"", b"a1b1\na2b2\na3\n", 0),
            Case(
                "paste -d '\\t,' a.txt b.txt c.txt",
                b"",
                b"a1\tb1,c1\na2\tb2,c2\na3\t,c3\n\t,c4\n",
                0,
            ),
            Case("paste -d '\\\\' a.txt b.txt", b"", b"a1\\b1\na2\\b2\na3\\\n", 0),
            Case("paste a.txt -", b"x\ny\n", b"a1\tx\na2\ty\na3\t\n", 0),
            Case("paste - -", b"1\n2\n3\n", b"1\t2\n3\t\n", 0),
            Case("paste -d, - - -", b"1\n2\n3\n4\n", b"1,2,3\n4,,\n", 0),
            Case("paste -d ' ' - b.txt -", b"1\n2\n3\n", b"1 b1 2\n3 b2 \n", 0),
        ],
    );
}

#[test]
fn one_after_the_other() {
    agree_among(
        FILES,
        &[
            Case("paste -s a.txt", b"", b"a1\ta2\ta3\n", 0),
            Case("paste -s a.txt b.txt", b"", b"a1\ta2\ta3\nb1\tb2\n", 0),
            Case("paste -s -d, c.txt", b"", b"c1,c2,c3,c4\n", 0),
            Case("paste -s -d ',;' c.txt", b"", b"c1,c2;c3,c4\n", 0),
            Case("paste -s -d '\\n,' c.txt", b"", b"c1\nc2,c3\nc4\n", 0),
            Case("paste -sd+ -", b"1\n2\n3\n", b"1+2+3\n", 0),
            Case("paste -s -d '\\n'", b"a\nb", b"a\nb\n", 0),
            Case("paste -s", b"\n\n", b"\t\n", 0),
            Case("paste -s -", b"", b"\n", 0),
        ],
    );
}

#[test]
fn records_that_end_in_nul() {
    agree_among(
        FILES,
        &[
            Case("paste -z -d, - -", b"a\x00b\x00c\x00", b"a,b\x00c,\x00", 0),
            Case("paste -sz -d:", b"a\x00b\x00", b"a:b\x00", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[Case("paste missing.txt", b"", b"", 1), Case("paste -d '\\' a.txt b.txt", b"", b"", 1)],
    );
}
