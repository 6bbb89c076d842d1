//! Where filters differ from the host's utilities on purpose (`docs/differences.md`), and filters
//! no machine has: what ours write.

use super::{Case, agree, agree_among};

const FILES: &[(&str, &[u8])] = &[
    ("one.txt", b"a\nb\nd\n"),
    ("two.txt", b"b\nc\nd\n"),
    ("three.txt", b"d\nb\nb\n"),
    ("bad.awk", b"BEGIN {\n  print 1 +\n}\n"),
];

#[test]
fn characters_not_bytes() {
    agree(&[
        Case("cut -c2", "aéb\n".as_bytes(), "é\n".as_bytes(), 0),
        Case("cut -c2-3", "aéüb\n".as_bytes(), "éü\n".as_bytes(), 0),
        Case("cut -c1", b"\xff\xfe\n", b"\xff\n", 0),
        Case("cut -b2", "aéb\n".as_bytes(), b"\xc3\n", 0),
        Case("tr é e", "était\n".as_bytes(), b"etait\n", 0),
        Case("tr a-é X", "aß\n".as_bytes(), b"XX\n", 0),
        Case("paste -d é - -", b"1\n2\n", "1é2\n".as_bytes(), 0),
        Case("fold -w2", "éèà\n".as_bytes(), "éè\nà\n".as_bytes(), 0),
        Case("uniq -w1", "éa\néb\nèa\n".as_bytes(), "éa\nèa\n".as_bytes(), 0),
        Case("uniq -s1", "éa\nèa\nèb\n".as_bytes(), "éa\nèb\n".as_bytes(), 0),
        Case("expand -t4", "é\tx\n".as_bytes(), "é   x\n".as_bytes(), 0),
        Case("wc -m", "éè\n".as_bytes(), b"3\n", 0),
        Case("wc -L", "漢字\n".as_bytes(), b"4\n", 0),
        Case("rev", "aé漢\n".as_bytes(), "漢éa\n".as_bytes(), 0),
        Case("rev", b"a\xffb\n", b"b\xffa\n", 0),
        Case("awk '{print length, substr($0, 2, 1)}'", "aéb\n".as_bytes(), "3 é\n".as_bytes(), 0),
        Case("awk '{print index($0, \"b\")}'", "éb\n".as_bytes(), b"2\n", 0),
        Case("awk '{printf \"%3s|\\n\", $0}'", "é\n".as_bytes(), "  é|\n".as_bytes(), 0),
    ]);
}

#[test]
fn awk_as_the_standard_says() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {print substr(\"hello\", 0, 3)}'", b"", b"he\n", 0),
            Case("awk 'BEGIN {print substr(\"hello\", -1, 3)}'", b"", b"h\n", 0),
            Case("awk 'BEGIN {print substr(\"hello\", 1.5, 2)}'", b"", b"el\n", 0),
            Case("awk 'BEGIN {print 010 + 0, \"0x11\" + 0}'", b"", b"10 0\n", 0),
            Case("awk 'BEGIN {print 2 ** 3, 2 ** 3 ** 2}'", b"", b"8 512\n", 0),
            Case("awk 'BEGIN {print \"a\\/b\"}'", b"", b"a/b\n", 0),
            Case("awk '$1 == 0 {print NR}'", b"0\n\n1\n", b"1\n2\n", 0),
            Case("awk '{a[$1]} END {for (k in a) print k}'", b"z\na\nm\na\n", b"z\na\nm\n", 0),
            Case("awk 'BEGIN {print RSTART, RLENGTH}'", b"", b"0 -1\n", 0),
            Case("awk 'END {print NR}' missing.txt one.txt", b"", b"3\n", 2),
            Case("awk 'BEGIN {print 1 / 0}'", b"", b"", 2),
            Case("awk 'BEGIN {print 1 % 0}'", b"", b"", 2),
            Case("awk '{print $(-1)}'", b"a\n", b"", 2),
            Case("awk 'BEGIN {printf \"%s %s\\n\", 1}'", b"", b"", 2),
            Case("awk -f bad.awk", b"", b"", 2),
            Case("awk", b"", b"", 2),
        ],
    );
}

#[test]
fn bc_says_with_its_status_that_something_failed() {
    agree(&[
        Case("bc", b"1 / 0\n2\n", b"2\n", 1),
        Case("bc", b"1 +\n2\n", b"2\n", 1),
        Case("bc", b"f(1)\n", b"", 1),
        Case("bc", b"sqrt(-1)\n3\n", b"3\n", 1),
        Case("bc", b")\n3\n", b"3\n", 1),
        Case("bc", b"2 ^ 1.5\n", b"", 1),
        Case("bc", b"1 % 0\n", b"", 1),
        Case("bc", b"x = 1; x = x / 0; x\n", b"", 1),
        Case("bc", b"ibase = 99\n1\n", b"1\n", 1),
        Case("bc", b"define f(x) { return (1 / x); }\nf(0)\n4\n", b"4\n", 1),
    ]);
}

#[test]
fn sums_of_exact_numbers() {
    agree(&[
        Case("seq -f %.1f 0.1 0.1 0.3", b"", b"0.1\n0.2\n0.3\n", 0),
        Case("seq 0.1 0.1 0.5", b"", b"0.1\n0.2\n0.3\n0.4\n0.5\n", 0),
        Case("numfmt --to=iec", b"1099511627775\n", b"1.0T\n", 0),
        Case("numfmt --from=si", b"1.1K\n", b"1100\n", 0),
        Case("numfmt --to=si --round=down", b"999999999999999999\n", b"999P\n", 0),
    ]);
}

#[test]
fn venn_of_files() {
    agree_among(
        FILES,
        &[
            Case("venn union one.txt two.txt", b"", b"a\nb\nd\nc\n", 0),
            Case("venn intersection one.txt two.txt", b"", b"b\nd\n", 0),
            Case("venn difference one.txt two.txt", b"", b"a\n", 0),
            Case("venn difference two.txt one.txt", b"", b"c\n", 0),
            Case("venn symmetric-difference one.txt two.txt", b"", b"a\nc\n", 0),
            Case("venn union three.txt", b"", b"", 2),
            Case("venn intersection one.txt two.txt three.txt", b"", b"", 2),
            Case("venn union one.txt -", b"z\na\n", b"a\nb\nd\nz\n", 0),
            Case("venn nothing one.txt two.txt", b"", b"", 2),
            Case("venn", b"", b"", 2),
            Case("venn union missing.txt one.txt", b"", b"", 2),
        ],
    );
}

#[test]
fn stamps() {
    agree(&[
        Case("stamp nothing", b"a\n", b"", 2),
        Case("stamp", b"a\n", b"", 2),
        Case("meter", b"a\nb\n", b"a\nb\n", 0),
        Case("shuf --seed 7 -n 0", b"a\nb\n", b"", 0),
        Case("shuf --seed 7 -e x", b"", b"x\n", 0),
        Case("shuf -i 5-5", b"", b"5\n", 0),
        Case("shuf -i 5-3", b"", b"", 1),
        Case("yes --no-such", b"", b"", 1),
        Case("sleep", b"", b"", 1),
        Case("sleep x", b"", b"", 1),
        Case("sleep 0", b"", b"", 0),
    ]);
}
