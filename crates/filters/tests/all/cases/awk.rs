//! `awk` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const LOG: &[u8] = b"09:40 gate-01 passed 12\n\
      09:41 gate-02 refused 3\n\
      09:42 gate-01 refused 7\n\
      \n\
      10:00 summit closed\n";

const CSV: &[u8] = b"a,1,x\nb,2,y\nc,,z\n";

const FILES: &[(&str, &[u8])] =
    &[("one.txt", b"1\n2\n"), ("two.txt", b"3\n"), ("prog.awk", b"{ print FNR \": \" $0 }\n")];

#[test]
fn patterns_and_fields() {
    agree_among(
        FILES,
        &[
            Case(
                "awk '{print}'",
                LOG,
                b"09:40 gate-01 passed 12\n\
                09:41 gate-02 refused 3\n\
                09:42 gate-01 refused 7\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case("awk '{print $2}'", LOG, b"gate-01\ngate-02\ngate-01\n\nsummit\n", 0),
            Case("awk '{print $NF}'", LOG, b"12\n3\n7\n\nclosed\n", 0),
            Case("awk '{print NF}'", LOG, b"4\n4\n4\n0\n3\n", 0),
            Case("awk '/refused/'", LOG, b"09:41 gate-02 refused 3\n09:42 gate-01 refused 7\n", 0),
            Case("awk '!/gate/'", LOG, b"\n10:00 summit closed\n", 0),
            Case("awk '$3 == \"refused\" {print $2, $4}'", LOG, b"gate-02 3\ngate-01 7\n", 0),
            Case("awk '$4 > 5'", LOG, b"09:40 gate-01 passed 12\n09:42 gate-01 refused 7\n", 0),
            Case("awk 'NR == 2'", LOG, b"09:41 gate-02 refused 3\n", 0),
            Case(
                "awk 'NR == 2, NR == 3'",
                LOG,
                b"09:41 gate-02 refused 3\n09:42 gate-01 refused 7\n",
                0,
            ),
            Case("awk '/02/,/summit/ {print NR}'", LOG, b"2\n3\n4\n5\n", 0),
            Case(
                "awk 'NF'",
                LOG,
                b"09:40 gate-01 passed 12\n\
                09:41 gate-02 refused 3\n\
                09:42 gate-01 refused 7\n\
                10:00 summit closed\n",
                0,
            ),
            Case("awk '$2 ~ /^gate-0[12]$/ {n++} END {print n}'", LOG, b"3\n", 0),
            Case("awk '$2 !~ /gate/ {print NR}'", LOG, b"4\n5\n", 0),
            Case("awk 'END {print NR}'", LOG, b"5\n", 0),
            Case("awk 'END {print $0}'", LOG, b"10:00 summit closed\n", 0),
            Case("awk 'BEGIN {print \"x\"}'", b"", b"x\n", 0),
            Case("awk 'BEGIN {printf \"a\"} END {print NR}'", LOG, b"a5\n", 0),
            Case(
                "awk '{$2 = \"-\"} 1'",
                LOG,
                b"09:40 - passed 12\n\
                09:41 - refused 3\n\
                09:42 - refused 7\n\
                \x20-\n\
                10:00 - closed\n",
                0,
            ),
            Case(
                "awk '{$6 = \"six\"; print}'",
                LOG,
                b"09:40 gate-01 passed 12  six\n\
                09:41 gate-02 refused 3  six\n\
                09:42 gate-01 refused 7  six\n\
                \x20    six\n\
                10:00 summit closed   six\n",
                0,
            ),
            Case(
                "awk '{NF = 2} 1'",
                LOG,
                b"09:40 gate-01\n\
                09:41 gate-02\n\
                09:42 gate-01\n\
                \x20\n\
                10:00 summit\n",
                0,
            ),
            Case("awk '{$0 = \"a b\"; print $2, NF}'", LOG, b"b 2\nb 2\nb 2\nb 2\nb 2\n", 0),
            Case(
                "awk '{$3 = \"\"; print}'",
                LOG,
                b"09:40 gate-01  12\n\
                09:41 gate-02  3\n\
                09:42 gate-01  7\n\
                \x20 \n\
                10:00 summit \n",
                0,
            ),
            Case("awk '{print $(NF-1)}'", b"a b c\nd e\n", b"b\nd\n", 0),
            Case("awk -F, '{print $2}'", CSV, b"1\n2\n\n", 0),
            Case("awk -F, '{print $1 \"-\" $3}'", CSV, b"a-x\nb-y\nc-z\n", 0),
            Case("awk -F, -v OFS=: '{$1 = $1} 1'", CSV, b"a:1:x\nb:2:y\nc::z\n", 0),
            Case("awk -F '\\t' '{print $2}'", b"a b\tc d\n", b"c d\n", 0),
            Case("awk -F '[,:]' '{print $2, $3}'", b"a,b:c\n", b"b c\n", 0),
            Case("awk -Ft '{print $1}'", b"a\tb\n", b"a\tb\n", 0),
            Case("awk 'BEGIN {FS = \",\"} {print $2}'", CSV, b"1\n2\n\n", 0),
            Case(
                "awk 'BEGIN {OFS = \"-\"; ORS = \"|\"} {print $1, $2}'",
                LOG,
                b"09:40-gate-01|09:41-gate-02|09:42-gate-01|-|10:00-summit|",
                0,
            ),
            Case("awk 'BEGIN {RS = \",\"} {print}'", b"a,b,c", b"a\nb\nc\n", 0),
            Case(
                "awk 'BEGIN {RS = \"\"} {print NR \": \" $1, NF}'",
                b"a b\nc\n\n\nd\n",
                b"1: a 3\n2: d 1\n",
                0,
            ),
            Case(
                "awk 'BEGIN {RS = \"\"; FS = \"\\n\"} {print $2}'",
                b"a b\nc\n\nd\ne f\n",
                b"c\ne f\n",
                0,
            ),
            Case("awk 'BEGIN {RS = \"x+\"} {print}'", b"axxbxc", b"a\nb\nc\n", 0),
        ],
    );
}

#[test]
fn numbers_and_texts() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {print 1 + 2 * 3}'", b"", b"7\n", 0),
            Case("awk 'BEGIN {print 7 % 3, -7 % 3}'", b"", b"1 -1\n", 0),
            Case("awk 'BEGIN {print 7 / 2}'", b"", b"3.5\n", 0),
            Case(
                "awk 'BEGIN {print 1e6, 1000000, 123456789}'",
                b"",
                b"1000000 1000000 123456789\n",
                0,
            ),
            Case("awk 'BEGIN {print 0.1 + 0.2}'", b"", b"0.3\n", 0),
            Case("awk 'BEGIN {print 1e300 * 1e10}'", b"", b"inf\n", 0),
            Case("awk 'BEGIN {print -0}'", b"", b"0\n", 0),
            Case("awk 'BEGIN {print 3 \" \" -1}'", b"", b"3-1\n", 0),
            Case("awk 'BEGIN {print 1 \" \" 2 + 3}'", b"", b"1 5\n", 0),
            Case("awk 'BEGIN {print \"a\" \"b\" \"c\"}'", b"", b"abc\n", 0),
            Case("awk 'BEGIN {print \"3x\" + 1}'", b"", b"4\n", 0),
            Case("awk 'BEGIN {print \"abc\" + 0, \"\" + 0}'", b"", b"0 0\n", 0),
            Case("awk 'BEGIN {print 1 == 1.0, \"1\" == 1, \"a\" < \"b\"}'", b"", b"1 1 1\n", 0),
            Case("awk 'BEGIN {print (10 < 9), (\"10\" < \"9\")}'", b"", b"0 1\n", 0),
            Case("awk '{print ($1 < $2)}'", b"10 9\nabc abd\n2 10\n", b"0\n1\n1\n", 0),
            Case("awk 'BEGIN {print !0, !1, !\"\", !\"a\"}'", b"", b"1 0 1 0\n", 0),
            Case("awk 'BEGIN {print 1 && 0, 1 || 0}'", b"", b"0 1\n", 0),
            Case(
                "awk 'BEGIN {x = 5; x += 2; x -= 1; x *= 3; x /= 2; x %= 5; print x}'",
                b"",
                b"4\n",
                0,
            ),
            Case("awk 'BEGIN {x = 2; x ^= 3; print x}'", b"", b"8\n", 0),
            Case("awk 'BEGIN {x = 1; print x++, x, ++x, x--, --x}'", b"", b"1 2 3 3 1\n", 0),
            Case(
                "awk 'BEGIN {print 1 ? \"yes\" : \"no\", 0 ? \"yes\" : \"no\"}'",
                b"",
                b"yes no\n",
                0,
            ),
            Case(
                "awk 'BEGIN {CONVFMT = \"%.2g\"; a = 3.14159; b = a \"\"; print b}'",
                b"",
                b"3.1\n",
                0,
            ),
            Case("awk 'BEGIN {OFMT = \"%.2f\"; print 3.14159, 3}'", b"", b"3.14 3\n", 0),
            Case("awk 'BEGIN {print substr(\"hello\", 2, 3)}'", b"", b"ell\n", 0),
            Case("awk 'BEGIN {print 1,2 > \"/dev/stdout\"}'", b"", b"1 2\n", 0),
        ],
    );
}

#[test]
fn functions_of_texts() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {print length(\"hello\"), length(\"\")}'", b"", b"5 0\n", 0),
            Case("awk '{print length}'", b"abc\n\n", b"3\n0\n", 0),
            Case(
                "awk 'BEGIN {print index(\"hello\", \"l\"), index(\"hello\", \"z\")}'",
                b"",
                b"3 0\n",
                0,
            ),
            Case("awk 'BEGIN {print substr(\"hello\", 3)}'", b"", b"llo\n", 0),
            Case(
                "awk 'BEGIN {print substr(\"hello\", 4, 9) \"|\" substr(\"hello\", 9) \"|\"}'",
                b"",
                b"lo||\n",
                0,
            ),
            Case("awk 'BEGIN {print toupper(\"aBc1\"), tolower(\"aBC\")}'", b"", b"ABC1 abc\n", 0),
            Case(
                "awk 'BEGIN {s = \"banana\"; n = gsub(/a/, \"o\", s); print n, s}'",
                b"",
                b"3 bonono\n",
                0,
            ),
            Case(
                "awk 'BEGIN {s = \"banana\"; n = sub(/a/, \"[&]\", s); print n, s}'",
                b"",
                b"1 b[a]nana\n",
                0,
            ),
            Case(
                "awk 'BEGIN {s = \"banana\"; gsub(/an/, \"<\\\\&>\", s); print s}'",
                b"",
                b"b<&><&>a\n",
                0,
            ),
            Case("awk 'BEGIN {s = \"aaa\"; gsub(/x*/, \"-\", s); print s}'", b"", b"-a-a-a-\n", 0),
            Case("awk 'BEGIN {s = \"abc\"; gsub(/b*/, \"X\", s); print s}'", b"", b"XaXcX\n", 0),
            Case("awk 'BEGIN {s = \"hello\"; gsub(/l+/, \"L\", s); print s}'", b"", b"heLo\n", 0),
            Case(
                "awk '{gsub(/[0-9]+/, \"#\")} 1'",
                LOG,
                b"#:# gate-# passed #\n\
                #:# gate-# refused #\n\
                #:# gate-# refused #\n\
                \n\
                #:# summit closed\n",
                0,
            ),
            Case("awk '{sub(/^/, \"> \")} 1'", b"a\nb\n", b"> a\n> b\n", 0),
            Case("awk '{sub(/$/, \";\")} 1'", b"a\nb\n", b"a;\nb;\n", 0),
            Case("awk '{gsub(/a/, \"b\", $2)} 1'", b"aa aa aa\n", b"aa bb aa\n", 0),
            Case(
                "awk 'BEGIN {n = split(\"a:b:c\", p, \":\"); print n, p[1], p[3]}'",
                b"",
                b"3 a c\n",
                0,
            ),
            Case(
                "awk 'BEGIN {n = split(\"a1b22c\", p, /[0-9]+/); print n, p[2], p[3]}'",
                b"",
                b"3 b c\n",
                0,
            ),
            Case("awk 'BEGIN {n = split(\"\", p); print n, length(p)}'", b"", b"0 0\n", 0),
            Case("awk 'BEGIN {n = split(\"  a  b \", p); print n, p[1]}'", b"", b"2 a\n", 0),
            Case(
                "awk 'BEGIN {n = split(\"abc\", p, \"\"); print n, p[1], p[3]}'",
                b"",
                b"3 a c\n",
                0,
            ),
            Case(
                "awk 'BEGIN {print match(\"foobar\", /o+/), RSTART, RLENGTH}'",
                b"",
                b"2 2 2\n",
                0,
            ),
            Case(
                "awk 'BEGIN {print match(\"foobar\", /z/), RSTART, RLENGTH}'",
                b"",
                b"0 0 -1\n",
                0,
            ),
            Case(
                "awk 'BEGIN {print sprintf(\"%05.1f|%-4s|%4s|%c\", 3.14159, \"ab\", \"cd\", \"xyz\")}'",
                b"",
                b"003.1|ab  |  cd|x\n",
                0,
            ),
            Case(
                "awk 'BEGIN {print sprintf(\"%c\", 65), sprintf(\"%d\", \"12abc\"), sprintf(\"%i\", 3.9)}'",
                b"",
                b"A 12 3\n",
                0,
            ),
            Case("awk 'BEGIN {printf \"%s %d%%\\n\", \"a\", 50}'", b"", b"a 50%\n", 0),
            Case(
                "awk 'BEGIN {printf \"%x %X %o %e\\n\", 255, 255, 8, 1234.5}'",
                b"",
                b"ff FF 10 1.234500e+03\n",
                0,
            ),
            Case("awk 'BEGIN {printf \"%*d|\\n\", 5, 42}'", b"", b"   42|\n", 0),
            Case(
                "awk 'BEGIN {printf(\"%s\\n\", \"in parentheses\")}'",
                b"",
                b"in parentheses\n",
                0,
            ),
        ],
    );
}

#[test]
fn functions_of_numbers() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {print int(3.9), int(-3.9), int(\"4x\")}'", b"", b"3 -3 4\n", 0),
            Case("awk 'BEGIN {print sqrt(16), exp(0), log(1)}'", b"", b"4 1 0\n", 0),
            Case(
                "awk 'BEGIN {printf \"%.4f %.4f %.4f\\n\", sin(1), cos(1), atan2(1, 2)}'",
                b"",
                b"0.8415 0.5403 0.4636\n",
                0,
            ),
            Case("awk 'BEGIN {srand(1); a = rand(); print (a >= 0 && a < 1)}'", b"", b"1\n", 0),
            Case("awk 'BEGIN {srand(7); print srand(8)}'", b"", b"7\n", 0),
        ],
    );
}

#[test]
fn control() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {for (i = 1; i <= 3; i++) print i}'", b"", b"1\n2\n3\n", 0),
            Case("awk 'BEGIN {i = 0; while (i < 3) print i++}'", b"", b"0\n1\n2\n", 0),
            Case("awk 'BEGIN {do {print \"once\"} while (0)}'", b"", b"once\n", 0),
            Case(
                "awk 'BEGIN {for (;;) {if (++n > 3) break; if (n == 2) continue; print n}}'",
                b"",
                b"1\n3\n",
                0,
            ),
            Case("awk 'BEGIN {if (1) print \"a\"; else print \"b\"}'", b"", b"a\n", 0),
            Case(
                "awk 'BEGIN {if (0) print \"a\"; else if (1) print \"b\"; else print \"c\"}'",
                b"",
                b"b\n",
                0,
            ),
            Case("awk 'NR == 1 {next} {print}'", b"a\nb\n", b"b\n", 0),
            Case("awk '{print; exit}'", LOG, b"09:40 gate-01 passed 12\n", 0),
            Case("awk '{exit 3} END {print \"end\"}'", b"a\n", b"end\n", 3),
            Case("awk 'BEGIN {exit 4}'", b"", b"", 4),
            Case("awk 'BEGIN {exit} END {print \"end\"}'", b"", b"end\n", 0),
            Case("awk '{nextfile} END {print NR}' one.txt two.txt", b"", b"2\n", 0),
            Case("awk '{getline; print}'", b"1\n2\n3\n4\n", b"2\n4\n", 0),
            Case("awk '{getline x; print x, $0}'", b"1\n2\n", b"2 1\n", 0),
            Case(
                "awk 'BEGIN {while ((getline line < \"one.txt\") > 0) n += line; print n}'",
                b"",
                b"3\n",
                0,
            ),
            Case("awk 'BEGIN {print (getline line < \"missing.txt\")}'", b"", b"-1\n", 0),
            Case("awk 'BEGIN {\"echo\" | getline}; 0'", b"", b"", 0),
        ],
    );
}

#[test]
fn arrays() {
    agree_among(
        FILES,
        &[
            Case("awk '{c[$2]++} END {print c[\"gate-01\"], c[\"gate-02\"]}'", LOG, b"2 1\n", 0),
            Case("awk 'BEGIN {a[\"x\"]; print (\"x\" in a), (\"y\" in a)}'", b"", b"1 0\n", 0),
            Case("awk 'BEGIN {a[1]; a[2]; delete a[1]; print length(a)}'", b"", b"1\n", 0),
            Case("awk 'BEGIN {a[1]; delete a; print length(a)}'", b"", b"0\n", 0),
            Case(
                "awk 'BEGIN {a[1, 2] = 3; for (k in a) {split(k, p, SUBSEP); print p[1], p[2]}; print ((1, 2) in a)}'",
                b"",
                b"1 2\n1\n",
                0,
            ),
            Case("awk 'BEGIN {a[\"k\"] = 1; for (k in a) print k, a[k]}'", b"", b"k 1\n", 0),
            Case("awk 'BEGIN {if (a[\"x\"] == \"\") print length(a)}'", b"", b"1\n", 0),
            Case("awk 'BEGIN {a[01] = \"n\"; print a[1], a[\"1\"]}'", b"", b"n n\n", 0),
            Case("awk '!seen[$1]++'", b"a 1\nb\na 2\n", b"a 1\nb\n", 0),
        ],
    );
}

#[test]
fn functions_of_one_s_own() {
    agree_among(
        FILES,
        &[
            Case("awk 'function f(x) {return x * 2} BEGIN {print f(4)}'", b"", b"8\n", 0),
            Case(
                "awk 'function f(n) {return n < 2 ? 1 : n * f(n - 1)} BEGIN {print f(5)}'",
                b"",
                b"120\n",
                0,
            ),
            Case("awk 'function f(a) {a[\"k\"] = 1} BEGIN {f(z); print z[\"k\"]}'", b"", b"1\n", 0),
            Case("awk 'function f(x) {x = 9} BEGIN {y = 1; f(y); print y}'", b"", b"1\n", 0),
            Case("awk 'function f(a, b) {b = a; return b} BEGIN {print f(1), b}'", b"", b"1 \n", 0),
            Case("awk 'function f() {return} BEGIN {print f() \"|\"}'", b"", b"|\n", 0),
            Case("awk 'function g(x) {print x; return x} BEGIN {g(1) g(2)}'", b"", b"1\n2\n", 0),
        ],
    );
}

#[test]
fn files_and_variables() {
    agree_among(
        FILES,
        &[
            Case(
                "awk '{print FILENAME, FNR, NR}' one.txt two.txt",
                b"",
                b"one.txt 1 1\none.txt 2 2\ntwo.txt 1 3\n",
                0,
            ),
            Case("awk '{print x, $0}' x=1 one.txt x=2 two.txt", b"", b"1 1\n1 2\n2 3\n", 0),
            Case("awk -v x=5 'BEGIN {print x + 1}'", b"", b"6\n", 0),
            Case("awk -v 's=a\\tb' 'BEGIN {print s}'", b"", b"a\tb\n", 0),
            Case("awk -f prog.awk one.txt two.txt", b"", b"1: 1\n2: 2\n1: 3\n", 0),
            Case("awk 'BEGIN {print ARGC, ARGV[1]}' a b", b"", b"3 a\n", 0),
            Case("awk 'BEGIN {ARGV[1] = \"two.txt\"} {print}' one.txt", b"", b"3\n", 0),
            Case("awk 'BEGIN {ARGV[1] = \"\"} {print}' one.txt two.txt", b"", b"3\n", 0),
            Case("awk '{print}' - one.txt", b"in\n", b"in\n1\n2\n", 0),
            Case("awk 'NR == FNR {a[$1]; next} {print $1 in a}' one.txt two.txt", b"", b"0\n", 0),
        ],
    );
}

#[test]
fn forms_of_programs() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {print 1 # a comment", b"", b"", 2),
            Case("awk 'BEGIN { print \"a\" ; ; print \"b\" }'", b"", b"a\nb\n", 0),
            Case("awk 'BEGIN {print length \"x\"}'", b"abc\n", b"0x\n", 0),
            Case("awk 'BEGIN {print 1; print 2};'", b"", b"1\n2\n", 0),
            Case("awk '/a/;/b/'", b"a\nb\nab\n", b"a\nb\nab\nab\n", 0),
            Case("awk 'BEGIN {x[\"a\"] = 1; print x[\"a\"] x[\"b\"] \".\"}'", b"", b"1.\n", 0),
            Case("awk 'BEGIN {print -2 ^ 2, !1 + 1, 2 - -1}'", b"", b"-4 1 3\n", 0),
            Case("awk 'BEGIN {print 1 - 1 \" \" 2}'", b"", b"0 2\n", 0),
            Case("awk 'BEGIN {print \"a\" > \"/dev/stdout\"; print \"b\"}'", b"", b"a\nb\n", 0),
            Case("awk 'BEGIN {$3 = \"c\"; print; print NF}'", b"", b"  c\n3\n", 0),
            Case("awk '$1 = 5'", b"a b\n", b"5 b\n", 0),
            Case("awk 'BEGIN {print 1>2}'", b"", b"", 0),
        ],
    );
}

#[test]
fn what_is_no_program() {
    agree_among(
        FILES,
        &[
            Case("awk 'BEGIN {'", b"", b"", 2),
            Case("awk 'BEGIN {print 1 +}'", b"", b"", 2),
            Case("awk '{print $}'", b"a", b"", 2),
            Case("awk 'function f(x {}'", b"", b"", 2),
            Case("awk 'BEGIN {f(1)}'", b"", b"", 2),
            Case("awk '/a'", b"a", b"", 2),
            Case("awk 'BEGIN {getline x y}'", b"", b"", 0),
            Case("awk -f missing.awk", b"", b"", 2),
        ],
    );
}
