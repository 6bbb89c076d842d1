//! `head_and_tail` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const TEN: &[u8] = b"1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n11\n12\n";

const WORDS: &[u8] = b"alpha\nbeta\ngamma\n";

const FILES: &[(&str, &[u8])] =
    &[("a.txt", b"a1\na2\na3\n"), ("b.txt", b"b1\nb2"), ("empty.txt", b"")];

#[test]
fn the_first_lines() {
    agree_among(
        FILES,
        &[
            Case("head", TEN, b"1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n", 0),
            Case("head -n3", TEN, b"1\n2\n3\n", 0),
            Case("head -3", TEN, b"1\n2\n3\n", 0),
            Case("head -n 0", TEN, b"", 0),
            Case("head -n -9", TEN, b"1\n2\n3\n", 0),
            Case("head -n -12", TEN, b"", 0),
            Case("head -n -20", TEN, b"", 0),
            Case("head --lines=2", TEN, b"1\n2\n", 0),
            Case("head -n1", b"no newline", b"no newline", 0),
            Case("head -n2", b"a\nb", b"a\nb", 0),
        ],
    );
}

#[test]
fn the_first_bytes() {
    agree_among(
        FILES,
        &[
            Case("head -c4", TEN, b"1\n2\n", 0),
            Case("head -c 0", TEN, b"", 0),
            Case("head -c -4", WORDS, b"alpha\nbeta\nga", 0),
            Case("head -c -100", WORDS, b"", 0),
            Case("head -c1K", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("head -c 1b", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("head --bytes=7", WORDS, b"alpha\nb", 0),
        ],
    );
}

#[test]
fn several_files_have_headings() {
    agree_among(
        FILES,
        &[
            Case("head -n1 a.txt b.txt", b"", b"==> a.txt <==\na1\n\n==> b.txt <==\nb1\n", 0),
            Case("head -q -n1 a.txt b.txt", b"", b"a1\nb1\n", 0),
            Case("head -v -n1 a.txt", b"", b"==> a.txt <==\na1\n", 0),
            Case(
                "head -n1 a.txt empty.txt b.txt",
                b"",
                b"==> a.txt <==\n\
                a1\n\
                \n\
                ==> empty.txt <==\n\
                \n\
                ==> b.txt <==\n\
                b1\n",
                0,
            ),
            Case(
                "head -n1 a.txt - b.txt",
                WORDS,
                b"==> a.txt <==\n\
                a1\n\
                \n\
                ==> standard input <==\n\
                alpha\n\
                \n\
                ==> b.txt <==\n\
                b1\n",
                0,
            ),
            Case("head -c2 a.txt b.txt", b"", b"==> a.txt <==\na1\n==> b.txt <==\nb1", 0),
            Case("head -n1 missing.txt a.txt", b"", b"==> a.txt <==\na1\n", 1),
        ],
    );
}

#[test]
fn the_last_lines() {
    agree_among(
        FILES,
        &[
            Case("tail", TEN, b"3\n4\n5\n6\n7\n8\n9\n10\n11\n12\n", 0),
            Case("tail -n3", TEN, b"10\n11\n12\n", 0),
            Case("tail -3", TEN, b"10\n11\n12\n", 0),
            Case("tail -n 0", TEN, b"", 0),
            Case("tail -n +10", TEN, b"10\n11\n12\n", 0),
            Case("tail -n +1", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail -n +0", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail -n +99", WORDS, b"", 0),
            Case("tail -n2", b"a\nb\nc", b"b\nc", 0),
            Case("tail -n1", b"a\n\n", b"\n", 0),
            Case("tail --lines=1", WORDS, b"gamma\n", 0),
            Case("tail -n 99", WORDS, b"alpha\nbeta\ngamma\n", 0),
        ],
    );
}

#[test]
fn the_last_bytes() {
    agree_among(
        FILES,
        &[
            Case("tail -c4", TEN, b"\n12\n", 0),
            Case("tail -c +4", WORDS, b"ha\nbeta\ngamma\n", 0),
            Case("tail -c +1", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail -c 0", WORDS, b"", 0),
            Case("tail -c 100", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail --bytes=3", WORDS, b"ma\n", 0),
            Case("tail -n1 a.txt b.txt", b"", b"==> a.txt <==\na3\n\n==> b.txt <==\nb2", 0),
            Case("tail -q -n1 a.txt b.txt", b"", b"a3\nb2", 0),
            Case("tail -v -n1 a.txt", b"", b"==> a.txt <==\na3\n", 0),
            Case(
                "tail -n1 a.txt empty.txt b.txt",
                b"",
                b"==> a.txt <==\n\
                a3\n\
                \n\
                ==> empty.txt <==\n\
                \n\
                ==> b.txt <==\n\
                b2",
                0,
            ),
            Case("tail -n +2 a.txt b.txt", b"", b"==> a.txt <==\na2\na3\n\n==> b.txt <==\nb2", 0),
            Case("tail -n1 missing.txt a.txt", b"", b"==> a.txt <==\na3\n", 1),
        ],
    );
}

#[test]
fn multiples() {
    agree_among(
        FILES,
        &[
            Case("head -c 2kB", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("head -n 1K", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail -n 1k", WORDS, b"alpha\nbeta\ngamma\n", 0),
            Case("tail -c 1M", WORDS, b"alpha\nbeta\ngamma\n", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("head -n x", TEN, b"", 1),
            Case("head -c 1Q5", TEN, b"", 1),
            Case("tail -n 1x", TEN, b"", 1),
            Case("head -n", TEN, b"", 1),
        ],
    );
}

#[test]
fn the_forms_before_the_standard() {
    agree_among(
        FILES,
        &[
            Case("head -3c", WORDS, b"alp", 0),
            Case("head -2l", WORDS, b"alpha\nbeta\n", 0),
            Case("head -2q a.txt b.txt", b"", b"a1\na2\nb1\nb2", 0),
            Case("head -1v a.txt", b"", b"==> a.txt <==\na1\n", 0),
            Case("head -1k", WORDS, WORDS, 0),
            Case("tail -2c", WORDS, b"a\n", 0),
            Case("tail -1l", WORDS, b"gamma\n", 0),
            Case("tail -1b", WORDS, WORDS, 0),
            Case("tail +2", WORDS, b"beta\ngamma\n", 0),
            Case("tail +3c a.txt", b"", b"\na2\na3\n", 0),
            Case("tail +2l -", WORDS, b"beta\ngamma\n", 0),
            Case("tail +", TEN, b"10\n11\n12\n", 0),
            // A name with a plus sign where it cannot be a number.
            Case(
                "tail +2 a.txt b.txt",
                b"",
                b"==> a.txt <==\na1\na2\na3\n\n==> b.txt <==\nb1\nb2",
                1,
            ),
            Case("tail +x", b"", b"", 1),
            Case("tail -n1 +2", b"", b"", 1),
            Case("head +2", b"", b"", 1),
        ],
    );
}

#[test]
fn lines_that_end_with_nul() {
    agree_among(
        FILES,
        &[
            Case("head -z -n1", b"a\nb\0c\0", b"a\nb\0", 0),
            Case("head -z -n -1", b"a\0b\0c", b"a\0b\0", 0),
            Case("tail -z -n1", b"a\0b\nc\0", b"b\nc\0", 0),
            Case("tail -z -n +2", b"a\0b\0c", b"b\0c", 0),
            Case("tail -z -c2", b"a\0b\0c", b"\0c", 0),
            Case(
                "head -z -n1 a.txt empty.txt",
                b"",
                b"==> a.txt <==\na1\na2\na3\n\n==> empty.txt <==\n",
                0,
            ),
        ],
    );
}
