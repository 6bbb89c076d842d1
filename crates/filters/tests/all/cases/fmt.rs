//! `fmt` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

const PARAGRAPHS: &[u8] = b"The gate at the valley station opens at six in the morning.\n\
      It closes when the last car is up.\n\
      \n\
      \x20 An indented paragraph of a few words only, long enough to be broken.\n\
      \x20 More of it.\n";

#[test]
fn widths() {
    agree(&[
        Case(
            "fmt",
            PARAGRAPHS,
            b"The gate at the valley station opens at six in the morning.  It closes\n\
                when the last car is up.\n\
                \n\
                \x20 An indented paragraph of a few words only, long enough to be broken.\n\
                \x20 More of it.\n",
            0,
        ),
        Case(
            "fmt -w 30",
            PARAGRAPHS,
            b"The gate at the valley\n\
                station opens at six in the\n\
                morning.  It closes when the\n\
                last car is up.\n\
                \n\
                \x20 An indented paragraph of a\n\
                \x20 few words only, long enough\n\
                \x20 to be broken.  More of it.\n",
            0,
        ),
        Case(
            "fmt -w 20",
            PARAGRAPHS,
            b"The gate at the\n\
                valley station\n\
                opens at six in the\n\
                morning.  It closes\n\
                when the last car\n\
                is up.\n\
                \n\
                \x20 An indented\n\
                \x20 paragraph of a\n\
                \x20 few words only,\n\
                \x20 long enough\n\
                \x20 to be broken.\n\
                \x20 More of it.\n",
            0,
        ),
        Case(
            "fmt -30",
            PARAGRAPHS,
            b"The gate at the valley\n\
                station opens at six in the\n\
                morning.  It closes when the\n\
                last car is up.\n\
                \n\
                \x20 An indented paragraph of a\n\
                \x20 few words only, long enough\n\
                \x20 to be broken.  More of it.\n",
            0,
        ),
        Case(
            "fmt -w 60 -g 50",
            PARAGRAPHS,
            b"The gate at the valley station opens at six in\n\
                the morning.  It closes when the last car is up.\n\
                \n\
                \x20 An indented paragraph of a few words only, long\n\
                \x20 enough to be broken.  More of it.\n",
            0,
        ),
        Case(
            "fmt -g 25",
            PARAGRAPHS,
            b"The gate at the valley station\n\
                opens at six in the morning.\n\
                It closes when the last car is up.\n\
                \n\
                \x20 An indented paragraph of a\n\
                \x20 few words only, long enough\n\
                \x20 to be broken.  More of it.\n",
            0,
        ),
        Case(
            "fmt -w 10",
            PARAGRAPHS,
            b"The gate\n\
                at the\n\
                valley\n\
                station\n\
                opens\n\
                at six\n\
                in the\n\
                morning.\n\
                It closes\n\
                when the\n\
                last car\n\
                is up.\n\
                \n\
                \x20 An\n\
                \x20 indented\n\
                \x20 paragraph\n\
                \x20 of a\n\
                \x20 few\n\
                \x20 words\n\
                \x20 only,\n\
                \x20 long\n\
                \x20 enough\n\
                \x20 to be\n\
                \x20 broken.\n\
                \x20 More of\n\
                \x20 it.\n",
            0,
        ),
    ]);
}

#[test]
fn habits() {
    agree(&[
        Case(
            "fmt -s -w 40",
            PARAGRAPHS,
            b"The gate at the valley station opens\n\
                at six in the morning.\n\
                It closes when the last car is up.\n\
                \n\
                \x20 An indented paragraph of a few words\n\
                \x20 only, long enough to be broken.\n\
                \x20 More of it.\n",
            0,
        ),
        Case("fmt -u -w 40", b"a  b   c.  D  e\n", b"a b c.  D e\n", 0),
        Case(
            "fmt -c -w 30",
            b"first line of it\n\
                \x20 second line is indented here\n\
                \x20 third\n",
            b"first line of it second line\n\
                \x20 is indented here third\n",
            0,
        ),
        Case(
            "fmt -t -w 30",
            b"first line of it\n\
                \x20 second line is indented here\n\
                \x20 third\n",
            b"first line of it second line\n\
                \x20 is indented here third\n",
            0,
        ),
        Case(
            "fmt -p '# ' -w 20",
            b"# a comment that goes over the width\n\
                code stays as it is and is long\n",
            b"# a comment that\n\
                # goes over the\n\
                # width\n\
                code stays as it is and is long\n",
            0,
        ),
        Case("fmt -w 20", b"word\n\n\nword\n", b"word\n\n\nword\n", 0),
        Case(
            "fmt -w 8",
            b"averyverylongwordindeed short\n",
            b"averyverylongwordindeed\nshort\n",
            0,
        ),
        Case("fmt", b"no newline", b"no newline\n", 0),
        Case("fmt", b"", b"", 0),
        Case("fmt -w x", b"a", b"", 1),
    ]);
}
