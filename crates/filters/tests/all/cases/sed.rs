//! `sed` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const LOG: &[u8] = b"09:40 gate-01 passed\n\
      09:41 gate-02 refused\n\
      09:42 gate-03 refused\n\
      \n\
      10:00 summit closed\n";

const FIVE: &[u8] = b"1\n2\n3\n4\n5\n";

const FILES: &[(&str, &[u8])] =
    &[("one.txt", b"a\nb\n"), ("two.txt", b"c\n"), ("script.sed", b"s/a/A/\ns/b/B/\n")];

#[test]
fn addresses() {
    agree_among(
        FILES,
        &[
            Case("sed -n 2p", FIVE, b"2\n", 0),
            Case("sed -n '$p'", FIVE, b"5\n", 0),
            Case("sed -n 2,4p", FIVE, b"2\n3\n4\n", 0),
            Case("sed -n '2,$p'", FIVE, b"2\n3\n4\n5\n", 0),
            Case("sed -n '/3/,/4/p'", FIVE, b"3\n4\n", 0),
            Case("sed -n '/3/,5p'", FIVE, b"3\n4\n5\n", 0),
            Case("sed -n '2,/4/p'", FIVE, b"2\n3\n4\n", 0),
            Case("sed -n '2,1p'", FIVE, b"2\n", 0),
            Case("sed -n '2!p'", FIVE, b"1\n3\n4\n5\n", 0),
            Case("sed -n '2,4!p'", FIVE, b"1\n5\n", 0),
            Case("sed -n '1~2p'", FIVE, b"1\n3\n5\n", 0),
            Case("sed -n '0~2p'", FIVE, b"2\n4\n", 0),
            Case("sed -n '2~0p'", FIVE, b"2\n", 0),
            Case("sed -n '2,+1p'", FIVE, b"2\n3\n", 0),
            Case("sed -n '/2/,+2p'", FIVE, b"2\n3\n4\n", 0),
            Case("sed -n '2,~4p'", FIVE, b"2\n3\n4\n", 0),
            Case("sed -n '0,/1/p'", FIVE, b"1\n", 0),
            Case("sed -n '1,/1/p'", FIVE, b"1\n2\n3\n4\n5\n", 0),
            Case("sed -n '/gate/I p'", b"GATE\ngate\n", b"GATE\ngate\n", 0),
            Case("sed -n '\\,a/b,p'", b"a/b\nab\n", b"a/b\n", 0),
            Case("sed -n '/refused/{/02/p}'", LOG, b"09:41 gate-02 refused\n", 0),
            Case("sed -n '/1/,/3/{/2/!p}'", FIVE, b"1\n3\n", 0),
            Case("sed 3q", FIVE, b"1\n2\n3\n", 0),
            Case("sed '$q'", b"a\nb", b"a\nb\n", 0),
            Case("sed -n 's/b/B/p;$q'", b"a\nb", b"B\n", 0),
            Case("sed '$Q'", b"a\nb", b"a\n", 0),
            // What is queued waits until a line is read, which D does not.
            Case("sed -e N -e '/b$/!a add' -e D", b"\na", b"a\nadd\n", 0),
            Case("sed -n '2,+1{n;p}'", b"1\n2\n3\n4\n5\n", b"3\n5\n", 0),
            Case("sed 2q5", FIVE, b"1\n2\n", 5),
            Case("sed 3Q", FIVE, b"1\n2\n", 0),
            Case("sed '2Q7'", FIVE, b"1\n", 7),
            Case("sed -n '$='", FIVE, b"5\n", 0),
            Case("sed =", b"a\nb\n", b"1\na\n2\nb\n", 0),
            Case("sed 2,3d", FIVE, b"1\n4\n5\n", 0),
            Case(
                "sed '/^$/d'",
                LOG,
                b"09:40 gate-01 passed\n\
                09:41 gate-02 refused\n\
                09:42 gate-03 refused\n\
                10:00 summit closed\n",
                0,
            ),
            Case("sed '$d'", FIVE, b"1\n2\n3\n4\n", 0),
            Case("sed 0p", FIVE, b"", 1),
        ],
    );
}

#[test]
fn exchanging() {
    agree_among(
        FILES,
        &[
            Case(
                "sed s/refused/stopped/",
                LOG,
                b"09:40 gate-01 passed\n\
                09:41 gate-02 stopped\n\
                09:42 gate-03 stopped\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed s/0/o/",
                LOG,
                b"o9:40 gate-01 passed\n\
                o9:41 gate-02 refused\n\
                o9:42 gate-03 refused\n\
                \n\
                1o:00 summit closed\n",
                0,
            ),
            Case(
                "sed s/0/o/g",
                LOG,
                b"o9:4o gate-o1 passed\n\
                o9:41 gate-o2 refused\n\
                o9:42 gate-o3 refused\n\
                \n\
                1o:oo summit closed\n",
                0,
            ),
            Case(
                "sed s/0/o/2",
                LOG,
                b"09:4o gate-01 passed\n\
                09:41 gate-o2 refused\n\
                09:42 gate-o3 refused\n\
                \n\
                10:o0 summit closed\n",
                0,
            ),
            Case(
                "sed s/0/o/2g",
                LOG,
                b"09:4o gate-o1 passed\n\
                09:41 gate-o2 refused\n\
                09:42 gate-o3 refused\n\
                \n\
                10:oo summit closed\n",
                0,
            ),
            Case(
                "sed s/GATE/x/I",
                LOG,
                b"09:40 x-01 passed\n\
                09:41 x-02 refused\n\
                09:42 x-03 refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed s/GATE/x/i",
                LOG,
                b"09:40 x-01 passed\n\
                09:41 x-02 refused\n\
                09:42 x-03 refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed -n s/refused/stopped/p",
                LOG,
                b"09:41 gate-02 stopped\n09:42 gate-03 stopped\n",
                0,
            ),
            Case(
                "sed 's/\\(gate\\)-\\(..\\)/\\2 \\1/'",
                LOG,
                b"09:40 01 gate passed\n\
                09:41 02 gate refused\n\
                09:42 03 gate refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed -E 's/(gate)-(..)/\\2 \\1/'",
                LOG,
                b"09:40 01 gate passed\n\
                09:41 02 gate refused\n\
                09:42 03 gate refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed -r 's/([0-9]+):([0-9]+)/\\2.\\1/'",
                LOG,
                b"40.09 gate-01 passed\n\
                41.09 gate-02 refused\n\
                42.09 gate-03 refused\n\
                \n\
                00.10 summit closed\n",
                0,
            ),
            Case(
                "sed 's/gate/[&]/'",
                LOG,
                b"09:40 [gate]-01 passed\n\
                09:41 [gate]-02 refused\n\
                09:42 [gate]-03 refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case(
                "sed 's/gate/\\&/'",
                LOG,
                b"09:40 &-01 passed\n\
                09:41 &-02 refused\n\
                09:42 &-03 refused\n\
                \n\
                10:00 summit closed\n",
                0,
            ),
            Case("sed 's,/,|,g'", b"a/b/c\n", b"a|b|c\n", 0),
            Case("sed 's|a\\|b|x|'", b"a|b\n", b"x\n", 0),
            Case("sed 's/a*/x/g'", b"baac\n", b"xbxcx\n", 0),
            Case("sed 's/x*/-/g'", b"abc\n", b"-a-b-c-\n", 0),
            Case("sed 's/b*/X/2'", b"abc\n", b"aXc\n", 0),
            Case("sed 's/./\\u&/'", b"kestrel\n", b"Kestrel\n", 0),
            Case("sed 's/.*/\\U&/'", b"kestrel\n", b"KESTREL\n", 0),
            Case("sed 's/.*/\\L&/'", b"KESTREL\n", b"kestrel\n", 0),
            Case("sed -E 's/(.)(.*)/\\u\\1\\L\\2/'", b"kESTREL\n", b"Kestrel\n", 0),
            Case("sed -E 's/(.*)-(.*)/\\U\\1\\E-\\2/'", b"a-b\n", b"A-b\n", 0),
            Case("sed 's/a/\\n/'", b"bab\n", b"b\nb\n", 0),
            Case("sed 's/a/\\t/'", b"bab\n", b"b\tb\n", 0),
            Case("sed 's/$/;/'", b"a\nb\n", b"a;\nb;\n", 0),
            Case("sed 's/^/> /'", b"a\nb\n", b"> a\n> b\n", 0),
            Case(
                "sed 's/[0-9]\\{2\\}/##/'",
                LOG,
                b"##:40 gate-01 passed\n\
                ##:41 gate-02 refused\n\
                ##:42 gate-03 refused\n\
                \n\
                ##:00 summit closed\n",
                0,
            ),
            Case("sed -E 's/a|b/x/g'", b"abc\n", b"xxc\n", 0),
            Case("sed 's/a\\|b/x/g'", b"abc\n", b"xxc\n", 0),
            Case("sed 's/a\\+/x/'", b"aaab\n", b"xb\n", 0),
            Case("sed 's/\\ba/x/'", b"ba ab\n", b"ba xb\n", 0),
            Case("sed 's/\\<./X/g'", b"ab cd\n", b"Xb Xd\n", 0),
            Case("sed 's/\\w\\+/W/g'", b"ab cd\n", b"W W\n", 0),
            Case("sed 's/.$//'", b"abc\n\n", b"ab\n\n", 0),
            Case("sed 's///'", b"a", b"", 1),
            Case("sed '/b/s//x/'", b"abc\n", b"axc\n", 0),
            Case("sed 's/a/x/;s/x/y/'", b"a\n", b"y\n", 0),
            Case("sed -e s/a/b/ -e s/b/c/", b"a\n", b"c\n", 0),
            Case("sed 's/a/b/w out.txt'", b"a\nx\n", b"b\nx\n", 0),
            Case("sed 's/a/b/gpw out.txt'", b"aa\n", b"bb\nbb\n", 0),
            Case("sed y/abc/xyz/", b"aabbcc\n", b"xxyyzz\n", 0),
            Case("sed 'y/a\\/b/x|y/'", b"a/b\n", b"x|y\n", 0),
            Case("sed 'y/abc/\\n\\t\\\\/'", b"abc\n", b"\n\t\\\n", 0),
            Case("sed 'M;s/a/b/M'", b"a", b"", 1),
            Case("sed 's/^b/x/M'", b"a\nb\n", b"a\nx\n", 0),
            Case("sed 'N;s/^b/x/M'", b"a\nb\n", b"a\nx\n", 0),
            Case("sed 'N;s/a$/x/M'", b"a\nb\n", b"x\nb\n", 0),
        ],
    );
}

#[test]
fn texts_put_in() {
    agree_among(
        FILES,
        &[
            Case("sed '2i\\inserted'", FIVE, b"1\ninserted\n2\n3\n4\n5\n", 0),
            Case("sed '2i inserted'", FIVE, b"1\ninserted\n2\n3\n4\n5\n", 0),
            Case("sed '2a after'", FIVE, b"1\n2\nafter\n3\n4\n5\n", 0),
            Case("sed '$a end'", FIVE, b"1\n2\n3\n4\n5\nend\n", 0),
            Case("sed '2c changed'", FIVE, b"1\nchanged\n3\n4\n5\n", 0),
            Case("sed '2,3c changed'", FIVE, b"1\nchanged\n4\n5\n", 0),
            Case("sed '$!d;c x'", FIVE, b"x\n", 0),
            Case("sed 'a\\  two blanks'", b"x\n", b"x\n  two blanks\n", 0),
            Case("sed '1i\\a\\nb'", b"x\n", b"a\nb\nx\n", 0),
            Case("sed 'r one.txt'", b"x\ny\n", b"x\na\nb\ny\na\nb\n", 0),
            Case("sed '1r one.txt'", b"x\ny\n", b"x\na\nb\ny\n", 0),
            Case("sed '$r two.txt'", b"x\ny", b"x\ny\nc\n", 0),
            Case("sed 'r missing.txt'", b"x\n", b"x\n", 0),
            Case("sed 'R one.txt'", b"x\ny\nz\n", b"x\na\ny\nb\nz\n", 0),
            Case("sed 'w copy.txt'", b"x\ny\n", b"x\ny\n", 0),
            Case("sed '/x/w copy.txt'", b"x\ny\n", b"x\ny\n", 0),
        ],
    );
}

#[test]
fn spaces() {
    agree_among(
        FILES,
        &[
            Case("sed -n 'h;n;G;p'", FIVE, b"2\n1\n4\n3\n", 0),
            Case("sed 'x'", FIVE, b"\n1\n2\n3\n4\n", 0),
            Case("sed -n 'H;${x;s/\\n/,/g;p}'", FIVE, b",1,2,3,4,5\n", 0),
            Case("sed 'G'", b"a\nb\n", b"a\n\nb\n\n", 0),
            Case("sed -n '1!G;h;$p'", FIVE, b"5\n4\n3\n2\n1\n", 0),
            Case("sed 'N;s/\\n/ /'", FIVE, b"1 2\n3 4\n5\n", 0),
            Case("sed '$!N;s/\\n/ /'", FIVE, b"1 2\n3 4\n5\n", 0),
            Case("sed 'N;P;D'", FIVE, b"1\n2\n3\n4\n5\n", 0),
            Case("sed '$!N;P;D'", FIVE, b"1\n2\n3\n4\n5\n", 0),
            Case("sed '$!N;$!D'", FIVE, b"4\n5\n", 0),
            Case("sed n", b"1\n2\n3\n", b"1\n2\n3\n", 0),
            Case("sed 'n;d'", FIVE, b"1\n3\n5\n", 0),
            Case("sed -n 'n;p'", FIVE, b"2\n4\n", 0),
            Case("sed 'z;s/^$/empty/'", b"a\n", b"empty\n", 0),
            Case("sed -n l", b"a\tb\x01\\\n", b"a\\tb\\001\\\\$\n", 0),
            Case("sed -n 'l 5'", b"abcdefghij\n", b"abcd\\\nefgh\\\nij$\n", 0),
            Case("sed -l 6 -n l", b"abcdefghij\n", b"abcde\\\nfghij$\n", 0),
            Case("sed F", b"a\n", b"-\na\n", 0),
        ],
    );
}

#[test]
fn jumps() {
    agree_among(
        FILES,
        &[
            Case("sed ':a;s/^\\(a*\\)b/\\1x/;ta'", b"abab\n", b"axab\n", 0),
            Case("sed ':a;N;$!ba;s/\\n/,/g'", FIVE, b"1,2,3,4,5\n", 0),
            Case("sed '/2/b;s/$/!/'", FIVE, b"1!\n2\n3!\n4!\n5!\n", 0),
            Case("sed '/2/bend;s/$/!/;:end'", FIVE, b"1!\n2\n3!\n4!\n5!\n", 0),
            Case("sed 's/2/x/;t;s/$/!/'", FIVE, b"1!\nx\n3!\n4!\n5!\n", 0),
            Case("sed 's/2/x/;T;s/$/!/'", FIVE, b"1\nx!\n3\n4\n5\n", 0),
            Case(
                "sed -E ':a;s/([0-9])([0-9]{3})($|,)/\\1,\\2\\3/;ta'",
                b"1234567\n",
                b"1,234,567\n",
                0,
            ),
            Case("sed '2{s/2/two/;s/$/!/}'", FIVE, b"1\ntwo!\n3\n4\n5\n", 0),
            Case("sed -n '/2/{p;q}'", FIVE, b"2\n", 0),
            Case("sed '{p;d}'", b"a\n", b"a\n", 0),
        ],
    );
}

#[test]
fn forms() {
    agree_among(
        FILES,
        &[
            Case("sed -n -e 1p -e 2p", FIVE, b"1\n2\n", 0),
            Case("sed --quiet 1p", FIVE, b"1\n", 0),
            Case("sed -s -n '$p' one.txt two.txt", b"", b"b\nc\n", 0),
            Case("sed -n '$p' one.txt two.txt", b"", b"c\n", 0),
            Case("sed -s -n '1p' one.txt two.txt", b"", b"a\nc\n", 0),
            Case("sed -f script.sed one.txt", b"", b"A\nB\n", 0),
            Case("sed -z 's/\\n/,/g'", b"a\nb\n", b"a,b,", 0),
            Case("sed -i s/a/x/ one.txt", b"", b"", 0),
            Case("sed -n -i p one.txt two.txt", b"", b"", 0),
            Case("sed -i.old s/a/x/ one.txt", b"", b"", 0),
            Case("sed -u p", b"a\n", b"a\na\n", 0),
            Case("sed p", b"a\nb", b"a\na\nb\nb", 0),
            Case("sed -n p one.txt missing.txt two.txt", b"", b"a\nb\nc\n", 2),
            Case("sed '# comment'", b"a\n", b"a\n", 0),
            Case("sed 's/a/b/ # comment'", b"a\n", b"b\n", 0),
            Case("sed 's/a/b/ ; p'", b"a\n", b"b\nb\n", 0),
            Case("sed '1 ! s/a/b/'", b"a\na\n", b"a\nb\n", 0),
            Case("sed ''", b"a\n", b"a\n", 0),
            Case("sed '#n'", b"a\n", b"", 0),
            Case("sed v", b"a\n", b"a\n", 0),
        ],
    );
}

#[test]
fn what_is_no_script() {
    agree_among(
        FILES,
        &[
            Case("sed", b"", b"", 1),
            Case("sed s/a", b"a", b"", 1),
            Case("sed 's/a/b'", b"a", b"", 1),
            Case("sed 's/a/b/x'", b"a", b"", 1),
            Case("sed 's/a/b/gg'", b"a", b"", 1),
            Case("sed 's/a/b/0'", b"a", b"", 1),
            Case("sed 's/\\(/x/'", b"a", b"", 1),
            Case("sed 's/a/\\1/'", b"a", b"", 1),
            Case("sed y/ab/c/", b"a", b"", 1),
            Case("sed k", b"a", b"", 1),
            Case("sed '1,'", b"a", b"", 1),
            Case("sed '{p'", b"a", b"", 1),
            Case("sed 'p}'", b"a", b"", 1),
            Case("sed ':'", b"a", b"", 1),
            Case("sed 1d2", b"a", b"", 1),
            Case("sed '3,2'", b"a", b"", 1),
            Case("sed '!!p'", b"a", b"", 1),
            Case("sed -n", b"", b"", 1),
            Case("sed 'pp'", b"a", b"", 1),
            Case("sed '1,2=x'", b"a", b"", 1),
            Case("sed 'dp'", b"a", b"", 1),
            Case("sed '1,2q'", FIVE, b"", 1),
            Case("sed '1,2a x'", FIVE, b"1\nx\n2\nx\n3\n4\n5\n", 0),
            Case("sed '1,2i x'", FIVE, b"x\n1\nx\n2\n3\n4\n5\n", 0),
        ],
    );
}

#[test]
fn files_are_copied_as_they_are() {
    let files: &[(&str, &[u8])] = &[("open", b"r1\nr2"), ("whole", b"w\n"), ("empty", b"")];
    agree_among(
        files,
        &[
            Case("sed 'r open'", b"x\ny\n", b"x\nr1\nr2y\nr1\nr2", 0),
            Case("sed 'r open'", b"x", b"x\nr1\nr2", 0),
            Case("sed 'R open'", b"x\ny\nz\n", b"x\nr1\ny\nr2z\n", 0),
            Case("sed -n 'R open'", b"x\ny", b"r1\nr2", 0),
            Case("sed 'R open'", b"x", b"x\nr1\n", 0),
            Case("sed 'r whole'", b"x", b"x\nw\n", 0),
            Case("sed 'r empty'", b"x", b"x", 0),
            Case("sed 'a b'", b"x", b"x\nb\n", 0),
            Case("sed 's/[:a:]/x/'", b"a", b"", 1),
        ],
    );
}
