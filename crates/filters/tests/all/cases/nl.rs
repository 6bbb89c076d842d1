//! `nl` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

const PAGE: &[u8] = b"one\n\ntwo\n  three\n";

const SECTIONS: &[u8] = b"\\:\\:\\:\n\
      head\n\
      \\:\\:\n\
      body\n\
      \n\
      more\n\
      \\:\n\
      foot\n\
      \\:\\:\n\
      again\n";

#[test]
fn which_lines_have_numbers() {
    agree(&[
        Case("nl", PAGE, b"     1\tone\n       \n     2\ttwo\n     3\t  three\n", 0),
        Case("nl -ba", PAGE, b"     1\tone\n     2\t\n     3\ttwo\n     4\t  three\n", 0),
        Case("nl -bt", PAGE, b"     1\tone\n       \n     2\ttwo\n     3\t  three\n", 0),
        Case("nl -bn", PAGE, b"       one\n       \n       two\n         three\n", 0),
        Case("nl -b 'p^ '", PAGE, b"       one\n       \n       two\n     1\t  three\n", 0),
        Case("nl -b pe", PAGE, b"     1\tone\n       \n       two\n     2\t  three\n", 0),
        Case("nl -bp.", PAGE, b"     1\tone\n       \n     2\ttwo\n     3\t  three\n", 0),
    ]);
}

#[test]
fn the_form_of_numbers() {
    agree(&[
        Case("nl -w3", PAGE, b"  1\tone\n    \n  2\ttwo\n  3\t  three\n", 0),
        Case("nl -w1", PAGE, b"1\tone\n  \n2\ttwo\n3\t  three\n", 0),
        Case("nl -s:", PAGE, b"     1:one\n       \n     2:two\n     3:  three\n", 0),
        Case("nl -s '' -w2", PAGE, b" 1one\n  \n 2two\n 3  three\n", 0),
        Case("nl -nln", PAGE, b"1     \tone\n       \n2     \ttwo\n3     \t  three\n", 0),
        Case("nl -nrz", PAGE, b"000001\tone\n       \n000002\ttwo\n000003\t  three\n", 0),
        Case("nl -nrn -w4", PAGE, b"   1\tone\n     \n   2\ttwo\n   3\t  three\n", 0),
        Case("nl -v10", PAGE, b"    10\tone\n       \n    11\ttwo\n    12\t  three\n", 0),
        Case("nl -v -1", PAGE, b"    -1\tone\n       \n     0\ttwo\n     1\t  three\n", 0),
        Case("nl -v8 -i3 -ba", PAGE, b"     8\tone\n    11\t\n    14\ttwo\n    17\t  three\n", 0),
        Case("nl -i -2", PAGE, b"     1\tone\n       \n    -1\ttwo\n    -3\t  three\n", 0),
        Case(
            "nl -l2 -ba",
            b"a\n\n\nb\n\n\n\n",
            b"     1\ta\n\
                \x20      \n\
                \x20    2\t\n\
                \x20    3\tb\n\
                \x20      \n\
                \x20    4\t\n\
                \x20      \n",
            0,
        ),
    ]);
}

#[test]
fn a_single_section() {
    agree(&[
        Case("nl", b"\n", b"       \n", 0),
        Case("nl", b"a", b"     1\ta\n", 0),
        Case("nl -w2 -s. -nrz", b"a\nb\nc\n", b"01.a\n02.b\n03.c\n", 0),
        Case("nl", b"", b"", 0),
    ]);
}

#[test]
fn sections() {
    agree(&[
        Case(
            "nl",
            SECTIONS,
            b"\n\
                \x20      head\n\
                \n\
                \x20    1\tbody\n\
                \x20      \n\
                \x20    2\tmore\n\
                \n\
                \x20      foot\n\
                \n\
                \x20    1\tagain\n",
            0,
        ),
        Case(
            "nl -p",
            SECTIONS,
            b"\n\
                \x20      head\n\
                \n\
                \x20    1\tbody\n\
                \x20      \n\
                \x20    2\tmore\n\
                \n\
                \x20      foot\n\
                \n\
                \x20    3\tagain\n",
            0,
        ),
        Case(
            "nl -ha -fa -ba",
            SECTIONS,
            b"\n\
                \x20    1\thead\n\
                \n\
                \x20    1\tbody\n\
                \x20    2\t\n\
                \x20    3\tmore\n\
                \n\
                \x20    1\tfoot\n\
                \n\
                \x20    1\tagain\n",
            0,
        ),
        Case(
            "nl -hn -ft",
            SECTIONS,
            b"\n\
                \x20      head\n\
                \n\
                \x20    1\tbody\n\
                \x20      \n\
                \x20    2\tmore\n\
                \n\
                \x20    1\tfoot\n\
                \n\
                \x20    1\tagain\n",
            0,
        ),
        Case(
            "nl -d xy",
            b"xyxyxy\na\nxyxy\nb\nxy\nc\n",
            b"\n       a\n\n     1\tb\n\n       c\n",
            0,
        ),
    ]);
}

#[test]
fn what_cannot_be_asked_for() {
    agree(&[
        Case("nl -b x", PAGE, b"", 1),
        Case("nl -n xx", PAGE, b"", 1),
        Case("nl -w 0", PAGE, b"", 1),
        Case("nl -i x", PAGE, b"", 1),
        Case("nl -b 'p['", PAGE, b"", 1),
    ]);
}
