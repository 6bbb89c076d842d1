//! `cat` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const ODD: &[u8] = b"a\tb\n\n\n\nc\x01\x7f\n\nend";

const FILES: &[(&str, &[u8])] = &[("one.txt", b"1\n2\n"), ("two.txt", b"x")];

#[test]
fn as_it_is() {
    agree_among(
        FILES,
        &[
            Case("cat", ODD, b"a\tb\n\n\n\nc\x01\x7f\n\nend", 0),
            Case("cat one.txt two.txt", b"", b"1\n2\nx", 0),
            Case("cat two.txt one.txt", b"", b"x1\n2\n", 0),
            Case("cat one.txt - two.txt", b"in\n", b"1\n2\nin\nx", 0),
            Case("cat -u one.txt", b"", b"1\n2\n", 0),
            Case("cat", b"", b"", 0),
        ],
    );
}

#[test]
fn numbers() {
    agree_among(
        FILES,
        &[
            Case(
                "cat -n",
                ODD,
                b"     1\ta\tb\n\
                \x20    2\t\n\
                \x20    3\t\n\
                \x20    4\t\n\
                \x20    5\tc\x01\x7f\n\
                \x20    6\t\n\
                \x20    7\tend",
                0,
            ),
            Case("cat -b", ODD, b"     1\ta\tb\n\n\n\n     2\tc\x01\x7f\n\n     3\tend", 0),
            Case(
                "cat -n one.txt two.txt one.txt",
                b"",
                b"     1\t1\n     2\t2\n     3\tx1\n     4\t2\n",
                0,
            ),
            Case("cat -bn two.txt one.txt", b"", b"     1\tx1\n     2\t2\n", 0),
        ],
    );
}

#[test]
fn signs() {
    agree_among(
        FILES,
        &[
            Case("cat -A", ODD, b"a^Ib$\n$\n$\n$\nc^A^?$\n$\nend", 0),
            Case("cat -e", ODD, b"a\tb$\n$\n$\n$\nc^A^?$\n$\nend", 0),
            Case("cat -E", ODD, b"a\tb$\n$\n$\n$\nc\x01\x7f$\n$\nend", 0),
            Case("cat -t", ODD, b"a^Ib\n\n\n\nc^A^?\n\nend", 0),
            Case("cat -T", ODD, b"a^Ib\n\n\n\nc\x01\x7f\n\nend", 0),
            Case("cat -v", ODD, b"a\tb\n\n\n\nc^A^?\n\nend", 0),
            Case("cat -vET", b"a\r\nb\r", b"a^M$\nb^M", 0),
            Case("cat -v", b"\x80\xff\xe9\n", b"M-^@M-^?M-i\n", 0),
        ],
    );
}

#[test]
fn empty_lines() {
    agree_among(
        FILES,
        &[
            Case("cat -s", ODD, b"a\tb\n\nc\x01\x7f\n\nend", 0),
            Case(
                "cat -sn",
                ODD,
                b"     1\ta\tb\n\
                \x20    2\t\n\
                \x20    3\tc\x01\x7f\n\
                \x20    4\t\n\
                \x20    5\tend",
                0,
            ),
            Case("cat -sb", ODD, b"     1\ta\tb\n\n     2\tc\x01\x7f\n\n     3\tend", 0),
            Case("cat -sE", ODD, b"a\tb$\n$\nc\x01\x7f$\n$\nend", 0),
            Case("cat -s", b"\n\n\na\n\n", b"\na\n\n", 0),
            Case("cat missing.txt one.txt", b"", b"1\n2\n", 1),
            Case("cat -x", b"", b"", 1),
        ],
    );
}
