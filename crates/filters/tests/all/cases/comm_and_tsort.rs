//! `comm_and_tsort` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] = &[
    ("one.txt", b"a\nb\nd\nd\nf\n"),
    ("two.txt", b"b\nc\nd\ne\n"),
    ("mixed.txt", b"b\na\n"),
    ("empty.txt", b""),
];

#[test]
fn columns() {
    agree_among(
        FILES,
        &[
            Case("comm one.txt two.txt", b"", b"a\n\t\tb\n\tc\n\t\td\nd\n\te\nf\n", 0),
            Case("comm -1 one.txt two.txt", b"", b"\tb\nc\n\td\ne\n", 0),
            Case("comm -2 one.txt two.txt", b"", b"a\n\tb\n\td\nd\nf\n", 0),
            Case("comm -3 one.txt two.txt", b"", b"a\n\tc\nd\n\te\nf\n", 0),
            Case("comm -12 one.txt two.txt", b"", b"b\nd\n", 0),
            Case("comm -13 one.txt two.txt", b"", b"c\ne\n", 0),
            Case("comm -23 one.txt two.txt", b"", b"a\nd\nf\n", 0),
            Case("comm -123 one.txt two.txt", b"", b"", 0),
            Case("comm one.txt empty.txt", b"", b"a\nb\nd\nd\nf\n", 0),
            Case("comm empty.txt two.txt", b"", b"\tb\n\tc\n\td\n\te\n", 0),
            Case("comm one.txt one.txt", b"", b"\t\ta\n\t\tb\n\t\td\n\t\td\n\t\tf\n", 0),
            Case("comm - two.txt", b"a\nc\n", b"a\n\tb\n\t\tc\n\td\n\te\n", 0),
            Case("comm one.txt -", b"d", b"a\nb\n\t\td\nd\nf\n", 0),
            Case(
                "comm --output-delimiter=, one.txt two.txt",
                b"",
                b"a\n,,b\n,c\n,,d\nd\n,e\nf\n",
                0,
            ),
            Case("comm --output-delimiter=:: -1 one.txt two.txt", b"", b"::b\nc\n::d\ne\n", 0),
            Case(
                "comm --total one.txt two.txt",
                b"",
                b"a\n\t\tb\n\tc\n\t\td\nd\n\te\nf\n3\t2\t2\ttotal\n",
                0,
            ),
            Case("comm --total -12 one.txt two.txt", b"", b"b\nd\n3\t2\t2\ttotal\n", 0),
            Case("comm -z one.txt two.txt", b"", b"a\nb\nd\nd\nf\n\x00\tb\nc\nd\ne\n\x00", 0),
        ],
    );
}

#[test]
fn order() {
    agree_among(
        FILES,
        &[
            Case("comm mixed.txt two.txt", b"", b"\t\tb\na\n\tc\n\td\n\te\n", 1),
            Case("comm --check-order mixed.txt two.txt", b"", b"\t\tb\n", 1),
            Case("comm --nocheck-order mixed.txt two.txt", b"", b"\t\tb\na\n\tc\n\td\n\te\n", 0),
            Case("comm one.txt", b"", b"", 1),
            Case("comm one.txt missing.txt", b"", b"", 1),
        ],
    );
}

#[test]
fn orders_of_things() {
    agree_among(
        FILES,
        &[
            Case("tsort", b"a b\nb c\n", b"a\nb\nc\n", 0),
            Case("tsort", b"b c a b\n", b"a\nb\nc\n", 0),
            Case("tsort", b"a a b b\n", b"a\nb\n", 0),
            Case(
                "tsort",
                b"valley middle middle summit valley summit\n",
                b"valley\nmiddle\nsummit\n",
                0,
            ),
            Case("tsort", b"c b\nb a\nd a\n", b"c\nd\nb\na\n", 0),
            Case("tsort", b"", b"", 0),
            Case("tsort", b"a\n", b"", 1),
            Case("tsort", b"a b c\n", b"", 1),
        ],
    );
}
