//! `grep` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const LOG: &[u8] = b"09:40 gate-01 passed Ida\n\
      09:41 gate-02 refused Odo\n\
      09:42 gate-03 refused una\n\
      09:43 Gate-01 passed\n\
      \n\
      10:00 summit: closed\n";

const BINARY: &[u8] = b"text\n\x00binary\nmore text\n";

const FILES: &[(&str, &[u8])] = &[
    ("one.log", b"alpha\nbeta\nalphabet\n"),
    ("two.log", b"gamma\nbeta\n"),
    ("empty.log", b""),
    ("words.txt", b"beta\nalpha\n"),
    ("blank.txt", b"\n"),
];

#[test]
fn which_lines() {
    agree_among(
        FILES,
        &[
            Case(
                "grep gate",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -i gate",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n",
                0,
            ),
            Case("grep -v gate", LOG, b"09:43 Gate-01 passed\n\n10:00 summit: closed\n", 0),
            Case("grep -vi gate", LOG, b"\n10:00 summit: closed\n", 0),
            Case(
                "grep refused",
                LOG,
                b"09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -w gate",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case("grep -w Ida", LOG, b"09:40 gate-01 passed Ida\n", 0),
            Case("grep -w 01", LOG, b"09:40 gate-01 passed Ida\n09:43 Gate-01 passed\n", 0),
            Case("grep -x ''", LOG, b"\n", 0),
            Case("grep -x '.*closed'", LOG, b"10:00 summit: closed\n", 0),
            Case("grep -c gate", LOG, b"3\n", 0),
            Case("grep -cv gate", LOG, b"3\n", 0),
            Case("grep nothing", LOG, b"", 1),
            Case("grep -q gate", LOG, b"", 0),
            Case("grep -q nothing", LOG, b"", 1),
            Case(
                "grep ''",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n\
                \n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep -v ''", LOG, b"", 1),
        ],
    );
}

#[test]
fn patterns() {
    agree_among(
        FILES,
        &[
            Case(
                "grep '^09'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n",
                0,
            ),
            Case("grep 'passed$'", LOG, b"09:43 Gate-01 passed\n", 0),
            Case("grep '^$'", LOG, b"\n", 0),
            Case(
                "grep 'gate-0[12]'",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case("grep 'gate-0[^12]'", LOG, b"09:42 gate-03 refused una\n", 0),
            Case(
                "grep '[[:upper:]]'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:43 Gate-01 passed\n",
                0,
            ),
            Case(
                "grep 'g.te'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep 'd\\(a\\|o\\)'",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case(
                "grep -E 'Ida|Odo'",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case(
                "grep -E '[0-9]{2}:4[1-2]'",
                LOG,
                b"09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -E '^(09|10):'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep -E 's{2}'", LOG, b"09:40 gate-01 passed Ida\n09:43 Gate-01 passed\n", 0),
            Case("grep -E 'un?a'", LOG, b"09:42 gate-03 refused una\n", 0),
            Case("grep -E '(s)\\1'", LOG, b"09:40 gate-01 passed Ida\n09:43 Gate-01 passed\n", 0),
            Case(
                "grep '\\(0\\).*\\1'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep -F .", LOG, b"", 1),
            Case("grep -F 'gate-01'", LOG, b"09:40 gate-01 passed Ida\n", 0),
            Case(
                "grep -F -e Ida -e una",
                LOG,
                b"09:40 gate-01 passed Ida\n09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -e Ida -e Odo",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case(
                "grep -G 'a*'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n\
                09:43 Gate-01 passed\n\
                \n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep '\\<una\\>'", LOG, b"09:42 gate-03 refused una\n", 0),
            Case("grep '\\bO'", LOG, b"09:41 gate-02 refused Odo\n", 0),
            Case("grep -E '\\w+:$'", LOG, b"", 1),
            Case(
                "grep 'passed\\|closed'",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:43 Gate-01 passed\n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep -E 'a+b'", b"ab\naab\nb\n", b"ab\naab\n", 0),
            Case("grep 'a\\+b'", b"ab\naab\nb\n", b"ab\naab\n", 0),
            Case("grep 'a+b'", b"a+b\naab\n", b"a+b\n", 0),
            Case("grep -E 'a\\+b'", b"a+b\naab\n", b"a+b\n", 0),
            Case("grep '\\.'", b"a.b\nab\n", b"a.b\n", 0),
            Case("grep '[]a]'", b"]\na\nb\n", b"]\na\n", 0),
            Case("grep '[a-]'", b"-\nb\n", b"-\n", 0),
            Case("grep '[^]]'", b"]\n]]\na]\n", b"a]\n", 0),
            Case("grep -- -x", b"-x\nx\n", b"-x\n", 0),
            Case("grep -e -x", b"-x\nx\n", b"-x\n", 0),
            Case("grep 'a\\nb'", b"anb\n", b"anb\n", 0),
        ],
    );
}

#[test]
fn parts_of_lines() {
    agree_among(
        FILES,
        &[
            Case("grep -o 'gate-[0-9]*'", LOG, b"gate-01\ngate-02\ngate-03\n", 0),
            Case("grep -o '[0-9]'", b"a1b22\nc\n", b"1\n2\n2\n", 0),
            Case("grep -oi gate", LOG, b"gate\ngate\ngate\nGate\n", 0),
            Case("grep -on 'gate'", LOG, b"1:gate\n2:gate\n3:gate\n", 0),
            Case("grep -ob 'gate'", LOG, b"6:gate\n31:gate\n57:gate\n", 0),
            Case("grep -o 'x*'", b"axxb\n", b"xx\n", 0),
            Case("grep -ow 'a'", b"a ab a\n", b"a\na\n", 0),
            Case("grep -ov a", b"a\nb\n", b"", 0),
            Case("grep -oE '[a-z]+|[0-9]+'", b"ab12cd\n", b"ab\n12\ncd\n", 0),
        ],
    );
}

#[test]
fn where_they_are() {
    agree_among(
        FILES,
        &[
            Case(
                "grep -n gate",
                LOG,
                b"1:09:40 gate-01 passed Ida\n\
                2:09:41 gate-02 refused Odo\n\
                3:09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -b refused",
                LOG,
                b"25:09:41 gate-02 refused Odo\n\
                51:09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -nb refused",
                LOG,
                b"2:25:09:41 gate-02 refused Odo\n\
                3:51:09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -H refused",
                LOG,
                b"(standard input):09:41 gate-02 refused Odo\n\
                (standard input):09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep --label=input -H refused",
                LOG,
                b"input:09:41 gate-02 refused Odo\n\
                input:09:42 gate-03 refused una\n",
                0,
            ),
            Case("grep -c beta one.log two.log", b"", b"one.log:1\ntwo.log:1\n", 0),
            Case("grep beta one.log two.log", b"", b"one.log:beta\ntwo.log:beta\n", 0),
            Case("grep -h beta one.log two.log", b"", b"beta\nbeta\n", 0),
            Case("grep -H beta one.log", b"", b"one.log:beta\n", 0),
            Case("grep -n beta one.log two.log", b"", b"one.log:2:beta\ntwo.log:2:beta\n", 0),
            Case("grep -l beta one.log two.log empty.log", b"", b"one.log\ntwo.log\n", 0),
            Case("grep -L alpha one.log two.log empty.log", b"", b"two.log\nempty.log\n", 0),
            Case("grep -lc alpha one.log two.log", b"", b"one.log\n", 0),
            Case("grep -lv beta one.log two.log", b"", b"one.log\ntwo.log\n", 0),
            Case("grep -Z -l beta one.log two.log", b"", b"one.log\x00two.log\x00", 0),
            Case("grep -s beta missing.log two.log", b"", b"two.log:beta\n", 2),
            Case("grep beta missing.log two.log", b"", b"two.log:beta\n", 2),
            Case("grep -q beta missing.log two.log", b"", b"", 0),
            Case(
                "grep gamma - two.log",
                b"gamma ray\n",
                b"(standard input):gamma ray\ntwo.log:gamma\n",
                0,
            ),
        ],
    );
}

#[test]
fn lines_around() {
    agree_among(
        FILES,
        &[
            Case(
                "grep -A1 gate-02",
                LOG,
                b"09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -B1 gate-02",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case(
                "grep -C1 gate-02",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -1 gate-02",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                09:42 gate-03 refused una\n",
                0,
            ),
            Case(
                "grep -n -A1 gate-02",
                LOG,
                b"2:09:41 gate-02 refused Odo\n\
                3-09:42 gate-03 refused una\n",
                0,
            ),
            Case("grep -nC1 summit", LOG, b"5-\n6:10:00 summit: closed\n", 0),
            Case(
                "grep -A1 -e Ida -e closed",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                --\n\
                10:00 summit: closed\n",
                0,
            ),
            Case(
                "grep -A1 --group-separator=== -e Ida -e closed",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                ==\n\
                10:00 summit: closed\n",
                0,
            ),
            Case(
                "grep -A1 --no-group-separator -e Ida -e closed",
                LOG,
                b"09:40 gate-01 passed Ida\n\
                09:41 gate-02 refused Odo\n\
                10:00 summit: closed\n",
                0,
            ),
            Case("grep -vA1 gate", LOG, b"09:43 Gate-01 passed\n\n10:00 summit: closed\n", 0),
            Case("grep -c -A1 gate", LOG, b"3\n", 0),
            Case(
                "grep -A0 -e Ida -e closed",
                LOG,
                b"09:40 gate-01 passed Ida\n--\n10:00 summit: closed\n",
                0,
            ),
            Case(
                "grep -H -A1 beta one.log two.log",
                b"",
                b"one.log:beta\none.log-alphabet\n--\ntwo.log:beta\n",
                0,
            ),
        ],
    );
}

#[test]
fn how_many() {
    agree_among(
        FILES,
        &[
            Case("grep -m1 gate", LOG, b"09:40 gate-01 passed Ida\n", 0),
            Case("grep -m 2 -c gate", LOG, b"2\n", 0),
            Case("grep -m0 gate", LOG, b"", 1),
            Case(
                "grep -m1 -A1 gate",
                LOG,
                b"09:40 gate-01 passed Ida\n09:41 gate-02 refused Odo\n",
                0,
            ),
            Case("grep -vm1 gate", LOG, b"09:43 Gate-01 passed\n", 0),
            Case("grep -m1 beta one.log two.log", b"", b"one.log:beta\ntwo.log:beta\n", 0),
        ],
    );
}

#[test]
fn patterns_from_files() {
    agree_among(
        FILES,
        &[
            Case("grep -f words.txt one.log", b"", b"alpha\nbeta\nalphabet\n", 0),
            Case("grep -f words.txt -w one.log", b"", b"alpha\nbeta\n", 0),
            Case(
                "grep -f words.txt -e gamma one.log two.log",
                b"",
                b"one.log:alpha\n\
                one.log:beta\n\
                one.log:alphabet\n\
                two.log:gamma\n\
                two.log:beta\n",
                0,
            ),
            Case("grep -f empty.log one.log", b"", b"", 1),
            Case("grep -vf empty.log one.log", b"", b"alpha\nbeta\nalphabet\n", 0),
            Case("grep -f blank.txt two.log", b"", b"gamma\nbeta\n", 0),
            Case("grep -Ff words.txt -x one.log", b"", b"alpha\nbeta\n", 0),
            Case("grep -f missing.txt one.log", b"", b"", 2),
            Case("grep -f - one.log", b"bet\n", b"beta\nalphabet\n", 0),
        ],
    );
}

#[test]
fn binary_data() {
    agree_among(
        FILES,
        &[
            Case("grep text", BINARY, b"", 0),
            Case("grep -a text", BINARY, b"text\nmore text\n", 0),
            Case("grep -c text", BINARY, b"2\n", 0),
            Case("grep -I text", BINARY, b"", 1),
            Case("grep --binary-files=without-match text", BINARY, b"", 1),
            Case("grep --binary-files=text binary", BINARY, b"\x00binary\n", 0),
            Case("grep -z more", BINARY, b"binary\nmore text\n\x00", 0),
            Case("grep -o text", BINARY, b"", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("grep", b"", b"", 2),
            Case("grep -E '('", LOG, b"", 2),
            Case("grep -E 'a{2,1}'", LOG, b"", 2),
            Case("grep '['", LOG, b"", 2),
            Case("grep '\\('", LOG, b"", 2),
            Case("grep 'a\\{1'", LOG, b"", 2),
            Case("grep -E '[z-a]'", LOG, b"", 2),
            Case("grep '[[:nothing:]]'", LOG, b"", 2),
            Case("grep -A x a", LOG, b"", 2),
            Case("grep -m x a", LOG, b"", 2),
            Case("grep --binary-files=maybe a", LOG, b"", 2),
            Case("grep --no-such a", LOG, b"", 2),
        ],
    );
}

#[test]
fn a_class_outside_brackets_is_an_error() {
    agree_among(
        &[],
        &[
            Case("grep [:space:]", b"a b\n", b"", 2),
            Case("grep -E x[^:digit:]", b"x\n", b"", 2),
            Case("grep -F [:space:]", b"a[:space:]\n", b"a[:space:]\n", 0),
            Case("grep [:a]", b"a\n", b"a\n", 0),
        ],
    );
}
