//! `join` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] = &[
    ("people.txt", b"1 Ida north\n2 Odo south\n3 Una east\n5 Ivo west\n"),
    ("passes.txt", b"1 day\n1 week\n3 year\n4 day\n"),
    ("left.csv", b"id,name\n1,Ida\n2,Odo\n"),
    ("right.csv", b"id,pass\n1,day\n3,week\n"),
    ("mixed.txt", b"2 b\n1 a\n"),
    ("cases.txt", b"A 1\nb 2\n"),
    ("other.txt", b"a x\nB y\n"),
];

#[test]
fn lines_with_the_same_first_field() {
    agree_among(
        FILES,
        &[
            Case(
                "join people.txt passes.txt",
                b"",
                b"1 Ida north day\n1 Ida north week\n3 Una east year\n",
                0,
            ),
            Case(
                "join passes.txt people.txt",
                b"",
                b"1 day Ida north\n1 week Ida north\n3 year Una east\n",
                0,
            ),
            Case(
                "join people.txt people.txt",
                b"",
                b"1 Ida north Ida north\n\
                2 Odo south Odo south\n\
                3 Una east Una east\n\
                5 Ivo west Ivo west\n",
                0,
            ),
            Case(
                "join -a1 people.txt passes.txt",
                b"",
                b"1 Ida north day\n\
                1 Ida north week\n\
                2 Odo south\n\
                3 Una east year\n\
                5 Ivo west\n",
                0,
            ),
            Case(
                "join -a2 people.txt passes.txt",
                b"",
                b"1 Ida north day\n\
                1 Ida north week\n\
                3 Una east year\n\
                4 day\n",
                0,
            ),
            Case(
                "join -a1 -a2 people.txt passes.txt",
                b"",
                b"1 Ida north day\n\
                1 Ida north week\n\
                2 Odo south\n\
                3 Una east year\n\
                4 day\n\
                5 Ivo west\n",
                0,
            ),
            Case("join -v1 people.txt passes.txt", b"", b"2 Odo south\n5 Ivo west\n", 0),
            Case("join -v2 people.txt passes.txt", b"", b"4 day\n", 0),
            Case("join -v1 -v2 people.txt passes.txt", b"", b"2 Odo south\n4 day\n5 Ivo west\n", 0),
            Case("join people.txt -", b"2 x\n5 y\n", b"2 Odo south x\n5 Ivo west y\n", 0),
            Case("join - passes.txt", b"3 z\n4 q", b"3 z year\n4 q day\n", 0),
            Case("join people.txt -", b"", b"", 0),
        ],
    );
}

#[test]
fn which_field() {
    agree_among(
        FILES,
        &[
            Case(
                "join -1 1 -2 1 people.txt passes.txt",
                b"",
                b"1 Ida north day\n1 Ida north week\n3 Una east year\n",
                0,
            ),
            Case(
                "join -j1 people.txt passes.txt",
                b"",
                b"1 Ida north day\n1 Ida north week\n3 Una east year\n",
                0,
            ),
            Case(
                "join -1 3 -2 1 people.txt -",
                b"north n\nsouth s\n",
                b"north 1 Ida n\nsouth 2 Odo s\n",
                0,
            ),
            Case("join -2 2 people.txt -", b"a 1\nb 2\n", b"1 Ida north a\n2 Odo south b\n", 0),
            Case(
                "join -j 9 people.txt passes.txt",
                b"",
                b" 1 Ida north 1 day\n\
                \x201 Ida north 1 week\n\
                \x201 Ida north 3 year\n\
                \x201 Ida north 4 day\n\
                \x202 Odo south 1 day\n\
                \x202 Odo south 1 week\n\
                \x202 Odo south 3 year\n\
                \x202 Odo south 4 day\n\
                \x203 Una east 1 day\n\
                \x203 Una east 1 week\n\
                \x203 Una east 3 year\n\
                \x203 Una east 4 day\n\
                \x205 Ivo west 1 day\n\
                \x205 Ivo west 1 week\n\
                \x205 Ivo west 3 year\n\
                \x205 Ivo west 4 day\n",
                0,
            ),
        ],
    );
}

#[test]
fn what_is_written() {
    agree_among(
        FILES,
        &[
            Case("join -o 1.2,2.2 people.txt passes.txt", b"", b"Ida day\nIda week\nUna year\n", 0),
            Case("join -o '1.1 2.2' people.txt passes.txt", b"", b"1 day\n1 week\n3 year\n", 0),
            Case("join -o 0,1.3 people.txt passes.txt", b"", b"1 north\n1 north\n3 east\n", 0),
            Case(
                "join -o 2.2 -o 1.2 people.txt passes.txt",
                b"",
                b"day Ida\nweek Ida\nyear Una\n",
                0,
            ),
            Case(
                "join -o auto people.txt passes.txt",
                b"",
                b"1 Ida north day\n1 Ida north week\n3 Una east year\n",
                0,
            ),
            Case(
                "join -a1 -e none -o 0,1.2,2.2 people.txt passes.txt",
                b"",
                b"1 Ida day\n\
                1 Ida week\n\
                2 Odo none\n\
                3 Una year\n\
                5 Ivo none\n",
                0,
            ),
            Case(
                "join -a1 -a2 -e - -o auto people.txt passes.txt",
                b"",
                b"1 Ida north day\n\
                1 Ida north week\n\
                2 Odo south -\n\
                3 Una east year\n\
                4 - - day\n\
                5 Ivo west -\n",
                0,
            ),
            Case("join -a2 -o 1.2,2.1 people.txt passes.txt", b"", b"Ida 1\nIda 1\nUna 3\n 4\n", 0),
            Case("join -o 1.9 people.txt passes.txt", b"", b"\n\n\n", 0),
        ],
    );
}

#[test]
fn delimiters_and_headings() {
    agree_among(
        FILES,
        &[
            Case("join -t, left.csv right.csv", b"", b"id,name,pass\n1,Ida,day\n", 0),
            Case("join -t, --header left.csv right.csv", b"", b"id,name,pass\n1,Ida,day\n", 0),
            Case(
                "join -t, --header -a1 -e none -o auto left.csv right.csv",
                b"",
                b"id,name,pass\n1,Ida,day\n2,Odo,none\n",
                0,
            ),
            Case(
                "join -t ' ' people.txt passes.txt",
                b"",
                b"1 Ida north day\n1 Ida north week\n3 Una east year\n",
                0,
            ),
            Case(
                "join -t : people.txt people.txt",
                b"",
                b"1 Ida north\n2 Odo south\n3 Una east\n5 Ivo west\n",
                0,
            ),
            Case(
                "join -t '' people.txt people.txt",
                b"",
                b"1 Ida north\n2 Odo south\n3 Una east\n5 Ivo west\n",
                0,
            ),
        ],
    );
}

#[test]
fn case_and_order() {
    agree_among(
        FILES,
        &[
            Case("join cases.txt other.txt", b"", b"", 1),
            Case("join -i cases.txt other.txt", b"", b"A 1 x\nb 2 y\n", 0),
            Case("join -i -a1 cases.txt other.txt", b"", b"A 1 x\nb 2 y\n", 0),
            Case("join mixed.txt passes.txt", b"", b"", 1),
            Case("join --check-order mixed.txt passes.txt", b"", b"", 1),
            Case("join --nocheck-order mixed.txt passes.txt", b"", b"", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("join people.txt", b"", b"", 1),
            Case("join people.txt passes.txt left.csv", b"", b"", 1),
            Case("join -1 0 people.txt passes.txt", b"", b"", 1),
            Case("join -1 x people.txt passes.txt", b"", b"", 1),
            Case("join -a3 people.txt passes.txt", b"", b"", 1),
            Case("join -o 3.1 people.txt passes.txt", b"", b"", 1),
            Case("join -o 1 people.txt passes.txt", b"", b"", 1),
            Case("join -t ab people.txt passes.txt", b"", b"", 1),
            Case("join -1 1 -j 2 people.txt passes.txt", b"", b"", 1),
            Case("join people.txt missing.txt", b"", b"", 1),
            Case("join - -", b"", b"", 1),
        ],
    );
}
