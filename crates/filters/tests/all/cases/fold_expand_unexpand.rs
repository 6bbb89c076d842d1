//! `fold_expand_unexpand` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn folding() {
    agree(&[
        Case("fold -w5", b"abcdefghijkl\nab\n", b"abcde\nfghij\nkl\nab\n", 0),
        Case("fold -w3", b"abc\nabcd\n\n", b"abc\nabc\nd\n\n", 0),
        Case("fold -w 10 -s", b"the gate is open again\n", b"the gate \nis open \nagain\n", 0),
        Case("fold -s -w4", b"abcdefgh ij\n", b"abcd\nefgh\n ij\n", 0),
        Case("fold -b -w4", b"ab\tcdefgh\n", b"ab\tc\ndefg\nh\n", 0),
        Case("fold -w 9", b"a\tbcdef\n", b"a\tb\ncdef\n", 0),
        Case("fold -w8", b"\tx\ty\n", b"\t\nx\t\ny\n", 0),
        Case("fold -w5", b"abcde\x08fgh\n", b"abcde\x08f\ngh\n", 0),
        Case("fold -w4", b"abc\rdefgh\n", b"abc\rdefg\nh\n", 0),
        Case("fold -5", b"abcdefgh\n", b"abcde\nfgh\n", 0),
        Case("fold -w1", b"abc", b"a\nb\nc", 0),
        Case("fold -s -w3", b"a  b  c\n", b"a  \nb  \nc\n", 0),
        Case("fold", b"short\n", b"short\n", 0),
        Case("fold -w0", b"a", b"", 1),
        Case("fold -w x", b"a", b"", 1),
    ]);
}

#[test]
fn tabs_become_blanks() {
    agree(&[
        Case("expand", b"a\tb\n", b"a       b\n", 0),
        Case("expand -t4", b"a\tbc\tdef\tghij\tk\n", b"a   bc  def ghij    k\n", 0),
        Case("expand -t 2,5,9", b"a\tb\tc\td\te\n", b"a b  c   d e\n", 0),
        Case("expand -t '2 5'", b"\t\t\tx\n", b"      x\n", 0),
        Case("expand -i -t4", b"\ta\tb\n  \tc\td\n", b"    a\tb\n    c\td\n", 0),
        Case("expand -4", b"a\tb\n", b"a   b\n", 0),
        Case("expand -t1", b"a\tb\n", b"a b\n", 0),
        Case("expand -t /3", b"a\tb\n", b"a  b\n", 0),
        Case("expand -t 2,/4", b"\t\t\tx\n", b"        x\n", 0),
        Case("expand -t 2,+4", b"\t\t\tx\n", b"          x\n", 0),
        Case("expand", b"abc\x08\tx\n", b"abc\x08      x\n", 0),
        Case("expand -t0", b"a", b"", 1),
        Case("expand -t 5,3", b"a", b"", 1),
        Case("expand -t x", b"a", b"", 1),
    ]);
}

#[test]
fn blanks_become_tabs() {
    agree(&[
        Case("unexpand", b"        a        b\n", b"\ta        b\n", 0),
        Case("unexpand -a", b"        a        b\n", b"\ta\t b\n", 0),
        Case("unexpand -t4", b"    a    b\n", b"\ta\t b\n", 0),
        Case("unexpand -t4 --first-only", b"    a       b\n", b"\ta       b\n", 0),
        Case("unexpand -a -t4", b"abc d   e\n", b"abc d\te\n", 0),
        Case("unexpand -a", b"a\t   b\n", b"a\t   b\n", 0),
        Case("unexpand -t 2,6", b"      x\n", b"\t\tx\n", 0),
        Case("unexpand", b"    \t x\n", b"\t x\n", 0),
        Case("unexpand -a -t3", b"ab cd  ef   gh\n", b"ab cd\t ef\tgh\n", 0),
        Case("unexpand -t0", b"a", b"", 1),
    ]);
}
