//! `uniq` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const RUNS: &[u8] = b"open\n\
      open\n\
      shut\n\
      open\n\
      Open\n\
      open\n\
      shut\n\
      shut\n\
      shut\n";

const KEYED: &[u8] = b"1 north a\n\
      2 north a\n\
      3 south a\n\
      4 South a\n\
      5 south b\n";

const FILES: &[(&str, &[u8])] = &[("in.txt", b"a\na\nb\n")];

#[test]
fn runs_of_equal_lines() {
    agree_among(
        FILES,
        &[
            Case("uniq", RUNS, b"open\nshut\nopen\nOpen\nopen\nshut\n", 0),
            Case(
                "uniq -c",
                RUNS,
                b"      2 open\n\
                \x20     1 shut\n\
                \x20     1 open\n\
                \x20     1 Open\n\
                \x20     1 open\n\
                \x20     3 shut\n",
                0,
            ),
            Case("uniq -d", RUNS, b"open\nshut\n", 0),
            Case("uniq -u", RUNS, b"shut\nopen\nOpen\nopen\n", 0),
            Case("uniq -D", RUNS, b"open\nopen\nshut\nshut\nshut\n", 0),
            Case("uniq -i", RUNS, b"open\nshut\nopen\nshut\n", 0),
            Case(
                "uniq -ci",
                RUNS,
                b"      2 open\n\
                \x20     1 shut\n\
                \x20     3 open\n\
                \x20     3 shut\n",
                0,
            ),
            Case("uniq -di", RUNS, b"open\nopen\nshut\n", 0),
            Case("uniq -ui", RUNS, b"shut\n", 0),
            Case("uniq -cd", RUNS, b"      2 open\n      3 shut\n", 0),
            Case(
                "uniq -cu",
                RUNS,
                b"      1 shut\n\
                \x20     1 open\n\
                \x20     1 Open\n\
                \x20     1 open\n",
                0,
            ),
            Case("uniq -du", RUNS, b"", 0),
        ],
    );
}

#[test]
fn what_is_compared() {
    agree_among(
        FILES,
        &[
            Case("uniq -f1", KEYED, b"1 north a\n3 south a\n4 South a\n5 south b\n", 0),
            Case("uniq -f 2", KEYED, b"1 north a\n5 south b\n", 0),
            Case("uniq -f1 -i", KEYED, b"1 north a\n3 south a\n5 south b\n", 0),
            Case("uniq -s2", KEYED, b"1 north a\n3 south a\n4 South a\n5 south b\n", 0),
            Case(
                "uniq -w1",
                KEYED,
                b"1 north a\n\
                2 north a\n\
                3 south a\n\
                4 South a\n\
                5 south b\n",
                0,
            ),
            Case("uniq -s2 -w2", KEYED, b"1 north a\n3 south a\n4 South a\n5 south b\n", 0),
            Case(
                "uniq -f1 -w3 -c",
                KEYED,
                b"      2 1 north a\n\
                \x20     1 3 south a\n\
                \x20     1 4 South a\n\
                \x20     1 5 south b\n",
                0,
            ),
            Case("uniq -f9", KEYED, b"1 north a\n", 0),
            Case("uniq -w0", RUNS, b"open\n", 0),
            Case("uniq -s100", RUNS, b"open\n", 0),
        ],
    );
}

#[test]
fn groups() {
    agree_among(
        FILES,
        &[
            Case(
                "uniq --group",
                RUNS,
                b"open\n\
                open\n\
                \n\
                shut\n\
                \n\
                open\n\
                \n\
                Open\n\
                \n\
                open\n\
                \n\
                shut\n\
                shut\n\
                shut\n",
                0,
            ),
            Case(
                "uniq --group=separate",
                RUNS,
                b"open\n\
                open\n\
                \n\
                shut\n\
                \n\
                open\n\
                \n\
                Open\n\
                \n\
                open\n\
                \n\
                shut\n\
                shut\n\
                shut\n",
                0,
            ),
            Case(
                "uniq --group=prepend",
                RUNS,
                b"\n\
                open\n\
                open\n\
                \n\
                shut\n\
                \n\
                open\n\
                \n\
                Open\n\
                \n\
                open\n\
                \n\
                shut\n\
                shut\n\
                shut\n",
                0,
            ),
            Case(
                "uniq --group=append",
                RUNS,
                b"open\n\
                open\n\
                \n\
                shut\n\
                \n\
                open\n\
                \n\
                Open\n\
                \n\
                open\n\
                \n\
                shut\n\
                shut\n\
                shut\n\
                \n",
                0,
            ),
            Case(
                "uniq --group=both",
                RUNS,
                b"\n\
                open\n\
                open\n\
                \n\
                shut\n\
                \n\
                open\n\
                \n\
                Open\n\
                \n\
                open\n\
                \n\
                shut\n\
                shut\n\
                shut\n\
                \n",
                0,
            ),
            Case("uniq --all-repeated=none", RUNS, b"open\nopen\nshut\nshut\nshut\n", 0),
            Case("uniq --all-repeated=prepend", RUNS, b"\nopen\nopen\n\nshut\nshut\nshut\n", 0),
            Case("uniq --all-repeated=separate", RUNS, b"open\nopen\n\nshut\nshut\nshut\n", 0),
        ],
    );
}

#[test]
fn ends_of_the_data() {
    agree_among(
        FILES,
        &[
            Case("uniq", b"a\na", b"a\n", 0),
            Case("uniq -c", b"a\n\n\nb", b"      1 a\n      2 \n      1 b\n", 0),
            Case("uniq", b"\n\n", b"\n", 0),
            Case("uniq", b"", b"", 0),
            Case("uniq -z", b"a\x00a\x00b", b"a\x00b\x00", 0),
            Case("uniq -zc", b"a\nb\x00a\nb\x00", b"      2 a\nb\x00", 0),
            Case("uniq in.txt", b"", b"a\nb\n", 0),
            Case("uniq -c in.txt", b"", b"      2 a\n      1 b\n", 0),
            Case("uniq -d in.txt", b"", b"a\n", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("uniq -c --group", RUNS, b"", 1),
            Case("uniq -D -c", RUNS, b"", 1),
            Case("uniq -f x", RUNS, b"", 1),
            Case("uniq --group=never", RUNS, b"", 1),
            Case("uniq missing.txt", b"", b"", 1),
        ],
    );
}
