//! `cut` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::{agree, agree_among};

const COLONS: &[u8] = b"gate-01:open:12:north\n\
      gate-02:shut:7:south\n\
      gate-03\n\
      \n\
      :open::\n";

const TABS: &[u8] = b"one\ttwo\tthree\tfour\n\
      uno\tdos\n\
      \tempty first\n\
      none\n";

const FILES: &[(&str, &[u8])] = &[("list.txt", b"a:b\nc:d\n"), ("other.txt", b"1:2\n3:4")];

#[test]
fn fields_by_number_range_and_list() {
    agree_among(
        FILES,
        &[
            Case("cut -d: -f1", COLONS, b"gate-01\ngate-02\ngate-03\n\n\n", 0),
            Case("cut -d: -f2", COLONS, b"open\nshut\ngate-03\n\nopen\n", 0),
            Case("cut -d: -f2-", COLONS, b"open:12:north\nshut:7:south\ngate-03\n\nopen::\n", 0),
            Case("cut -d: -f-2", COLONS, b"gate-01:open\ngate-02:shut\ngate-03\n\n:open\n", 0),
            Case("cut -d: -f1,3", COLONS, b"gate-01:12\ngate-02:7\ngate-03\n\n:\n", 0),
            Case("cut -d: -f3,1", COLONS, b"gate-01:12\ngate-02:7\ngate-03\n\n:\n", 0),
            Case(
                "cut -d: -f1-2,4",
                COLONS,
                b"gate-01:open:north\n\
                gate-02:shut:south\n\
                gate-03\n\
                \n\
                :open:\n",
                0,
            ),
            Case(
                "cut -d: -f2-3,3-4",
                COLONS,
                b"open:12:north\nshut:7:south\ngate-03\n\nopen::\n",
                0,
            ),
            Case("cut -d: -f9", COLONS, b"\n\ngate-03\n\n\n", 0),
            Case("cut -d: -f4-9", COLONS, b"north\nsouth\ngate-03\n\n\n", 0),
            Case("cut -d: -f '1 3'", COLONS, b"gate-01:12\ngate-02:7\ngate-03\n\n:\n", 0),
            Case("cut -d: --fields=2,2,2", COLONS, b"open\nshut\ngate-03\n\nopen\n", 0),
            Case("cut -f2", TABS, b"two\ndos\nempty first\nnone\n", 0),
            Case("cut -f1,4", TABS, b"one\tfour\nuno\n\nnone\n", 0),
            Case("cut -f3-", TABS, b"three\tfour\n\n\nnone\n", 0),
        ],
    );
}

#[test]
fn lines_without_the_delimiter_pass_or_are_left_out() {
    agree_among(
        FILES,
        &[
            Case("cut -s -d: -f1", COLONS, b"gate-01\ngate-02\n\n", 0),
            Case("cut -s -d: -f2", COLONS, b"open\nshut\nopen\n", 0),
            Case("cut -s -f1", TABS, b"one\nuno\n\n", 0),
            Case("cut --only-delimited -f9", TABS, b"\n\n\n", 0),
            Case(
                "cut -d, -f1",
                COLONS,
                b"gate-01:open:12:north\n\
                gate-02:shut:7:south\n\
                gate-03\n\
                \n\
                :open::\n",
                0,
            ),
            Case("cut -s -d, -f1", COLONS, b"", 0),
        ],
    );
}

#[test]
fn the_rest_with_complement() {
    agree_among(
        FILES,
        &[
            Case(
                "cut --complement -d: -f1",
                COLONS,
                b"open:12:north\nshut:7:south\ngate-03\n\nopen::\n",
                0,
            ),
            Case(
                "cut --complement -d: -f2-3",
                COLONS,
                b"gate-01:north\ngate-02:south\ngate-03\n\n:\n",
                0,
            ),
            Case(
                "cut --complement -s -d: -f1",
                COLONS,
                b"open:12:north\nshut:7:south\nopen::\n",
                0,
            ),
            Case("cut --complement -c1-5", TABS, b"wo\tthree\tfour\nos\ny first\n\n", 0),
            Case("cut --complement -b2", b"abc\n\nx\n", b"ac\n\nx\n", 0),
        ],
    );
}

#[test]
fn the_output_delimiter() {
    agree_among(
        FILES,
        &[
            Case(
                "cut -d: -f1,3 --output-delimiter=,",
                COLONS,
                b"gate-01,12\ngate-02,7\ngate-03\n\n,\n",
                0,
            ),
            Case(
                "cut -d: -f1-3 --output-delimiter=' | '",
                COLONS,
                b"gate-01 | open | 12\n\
                gate-02 | shut | 7\n\
                gate-03\n\
                \n\
                \x20| open | \n",
                0,
            ),
            Case(
                "cut --output-delimiter=- -f2-",
                TABS,
                b"two-three-four\ndos\nempty first\nnone\n",
                0,
            ),
            Case(
                "cut -c1-2,4-5 --output-delimiter=_",
                b"abcdef\nab\nabcd\n",
                b"ab_de\nab\nab_d\n",
                0,
            ),
            Case("cut -b1,2,3 --output-delimiter=:", b"abcdef\n", b"a:b:c\n", 0),
            Case("cut -b1-2,2-3 --output-delimiter=:", b"abcdef\n", b"abc\n", 0),
            Case("cut -b1-2,3-4 --output-delimiter=:", b"abcdef\n", b"ab:cd\n", 0),
        ],
    );
}

#[test]
fn bytes_and_characters() {
    agree_among(
        FILES,
        &[
            Case("cut -b1", b"abc\ndef\n\n", b"a\nd\n\n", 0),
            Case("cut -b2-", b"abc\ndef\n\n", b"bc\nef\n\n", 0),
            Case("cut -b-2", b"abc\nd\n", b"ab\nd\n", 0),
            Case("cut -b3,1", b"abc\nd\n", b"ac\nd\n", 0),
            Case("cut -b5-9", b"abc\n1234567890\n", b"\n56789\n", 0),
            Case("cut -c2-3", b"abcdef\nxy\n", b"bc\ny\n", 0),
            Case("cut -n -b1", b"ab\n", b"a\n", 0),
            Case("cut -b1-3", b"no newline at the end", b"no \n", 0),
        ],
    );
}

#[test]
fn files_after_each_other() {
    agree_among(
        FILES,
        &[
            Case("cut -d: -f2 list.txt other.txt", b"", b"b\nd\n2\n4\n", 0),
            Case("cut -d: -f1 other.txt - list.txt", b"in:put\n", b"1\n3\nin\na\nc\n", 0),
            Case("cut -c1 -- list.txt", b"", b"a\nc\n", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("cut -f1 -b1", b"a\n", b"", 1),
            Case("cut -b0", b"a\n", b"", 1),
            Case("cut -fx", b"a\n", b"", 1),
            Case("cut -f3-2", b"a\n", b"", 1),
            Case("cut -f-", b"a\n", b"", 1),
            Case("cut -d:: -f1", b"a\n", b"", 1),
            Case("cut -s -b1", b"a\n", b"", 1),
            Case("cut -d: -b1", b"a\n", b"", 1),
            Case("cut nothing", b"", b"", 1),
            Case("cut -f1 missing.txt list.txt", b"", b"a:b\nc:d\n", 1),
        ],
    );
}

#[test]
fn lines_that_end_with_nul_and_fields_that_are_lines() {
    agree(&[
        Case("cut -z -d: -f2", b"a:b\0c\nd:e\0", b"b\0e\0", 0),
        Case("cut -z -c1", b"ab\0\ncd", b"a\0\n\0", 0),
        Case("cut -z -d '\n' -f2", b"a\nb\0c\0", b"b\0c\0", 0),
        Case("cut -f1,2 --output-delimiter=", b"a\tb\tc\n", b"a\0b\n", 0),
        Case("cut -d '\n' -f2,3", b"1\n2\n3\n4\n", b"2\n3\n", 0),
        Case("cut -d '\n' -f2- --output-delimiter=:", b"1\n2\n3", b"2:3\n", 0),
        Case("cut -d '\n' -f9", b"1\n2\n", b"\n", 0),
        Case("cut -d '\n' -f9", b"1", b"1\n", 0),
        Case("cut -d '\n' -f1", b"", b"", 0),
        Case("cut -d '\n' -f1", b"\n\n", b"\n", 0),
        Case("cut -s -d '\n' -f1", b"1", b"", 0),
        Case("cut -s -d '\n' -f1", b"1\n", b"1\n", 0),
        Case("cut -s -d '\n' -f9", b"1\n", b"", 0),
        Case("cut -s -d '\n' -f9", b"1\n2\n", b"\n", 0),
        Case("cut --complement -d '\n' -f1", b"1\n\n3\n", b"\n3\n", 0),
    ]);
}
