//! Redirections and what is left in files (POSIX 2.7).

use super::{Text, agree};

#[test]
fn to_files() {
    agree(&[
        Text("echo a > out; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("echo a > out; echo b > out; cat out", b"b\n", 0, &[("out", b"b\n")]),
        Text("echo a > out; echo b >> out; cat out", b"a\nb\n", 0, &[("out", b"a\nb\n")]),
        Text("echo b >> new; cat new", b"b\n", 0, &[("new", b"b\n")]),
        Text("> empty; wc -c < empty", b"0\n", 0, &[("empty", b"")]),
        Text(": > a.txt; cat a.txt", b"", 0, &[("a.txt", b"")]),
        Text("echo a >| out; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("echo a > sub/out; cat sub/out", b"a\n", 0, &[("sub/out", b"a\n")]),
        Text("echo a > out > out2; cat out out2", b"a\n", 0, &[("out", b""), ("out2", b"a\n")]),
        Text("> out echo a; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("echo > out a b; cat out", b"a b\n", 0, &[("out", b"a b\n")]),
        Text("x=out; echo a > $x; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("echo a > \"o u t\"; cat o*t", b"a\n", 0, &[("o u t", b"a\n")]),
        Text("sort < b.txt > out; cat out", b"beta\ngamma\n", 0, &[("out", b"beta\ngamma\n")]),
        Text(
            "sort b.txt > b2.txt; cat b2.txt",
            b"beta\ngamma\n",
            0,
            &[("b2.txt", b"beta\ngamma\n")],
        ),
        Text("cat a.txt b.txt > all; wc -l < all", b"3\n", 0, &[("all", b"alpha\nbeta\ngamma\n")]),
        Text("{ echo a; echo b; } > out; cat out", b"a\nb\n", 0, &[("out", b"a\nb\n")]),
        Text(
            "{ echo a; echo b > in; } > out; cat out in",
            b"a\nb\n",
            0,
            &[("in", b"b\n"), ("out", b"a\n")],
        ),
        Text("(echo a; echo b) > out; cat out", b"a\nb\n", 0, &[("out", b"a\nb\n")]),
        Text("for i in 1 2; do echo $i; done > out; cat out", b"1\n2\n", 0, &[("out", b"1\n2\n")]),
        Text("for i in 1 2; do echo $i >> out; done; cat out", b"1\n2\n", 0, &[("out", b"1\n2\n")]),
        Text("if true; then echo a; fi > out; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text(
            "while read x; do echo $x; done < b.txt > out; cat out",
            b"beta\ngamma\n",
            0,
            &[("out", b"beta\ngamma\n")],
        ),
        Text("echo a | tee out | cat; cat out", b"a\na\n", 0, &[("out", b"a\n")]),
        Text("echo a | tee -a a.txt; cat a.txt", b"a\nalpha\na\n", 0, &[("a.txt", b"alpha\na\n")]),
        Text("cat a.txt >> a2.txt; cat a2.txt", b"alpha\n", 0, &[("a2.txt", b"alpha\n")]),
        Text("echo a > out; rm -f nothing; cat out", b"a\n", 0, &[("out", b"a\n")]),
    ]);
}

#[test]
fn from_files() {
    agree(&[
        Text("cat < a.txt", b"alpha\n", 0, &[]),
        Text("cat < a.txt - < b.txt", b"beta\ngamma\n", 0, &[]),
        Text("< a.txt cat", b"alpha\n", 0, &[]),
        Text("cat 0< a.txt", b"alpha\n", 0, &[]),
        Text("read x < a.txt; echo $x", b"alpha\n", 0, &[]),
        Text("read x y < pairs.txt; echo \"$y|$x\"", b"v2|k1\n", 0, &[]),
        Text("wc -l < three.txt", b"3\n", 0, &[]),
        Text("sort < three.txt | head -n 1", b"one\n", 0, &[]),
        Text("cat < missing.txt; echo $?", b"2\n", 0, &[]),
        Text("{ read a; read b; } < three.txt; echo $a $b", b"one two\n", 0, &[]),
        Text(
            "while read x; do echo \"<$x>\"; done < three.txt",
            b"<one>\n<two>\n<three>\n",
            0,
            &[],
        ),
        Text("{ head -n 1; } < three.txt", b"one\n", 0, &[]),
    ]);
}

#[test]
fn messages_and_descriptors() {
    agree(&[
        Text("cat missing.txt 2> /dev/null; echo $?", b"1\n", 0, &[]),
        Text(
            "cat missing.txt a.txt 2> err; wc -l < err",
            b"alpha\n1\n",
            0,
            &[("err", b"cat: missing.txt: No such file or directory\n")],
        ),
        Text("{ echo a; echo b >&2; } 2> err; cat err", b"a\nb\n", 0, &[("err", b"b\n")]),
        Text("{ echo a; echo b >&2; } > out 2>&1; cat out", b"a\nb\n", 0, &[("out", b"a\nb\n")]),
        Text("{ echo a; echo b >&2; } 2>&1 > out | cat; cat out", b"b\na\n", 0, &[("out", b"a\n")]),
        Text("echo a 1>&2 2> /dev/null", b"", 0, &[]),
        Text("echo a 3> out 1>&3; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("{ echo a >&3; } 3> out; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("{ echo a; } 3>&1 >&3", b"a\n", 0, &[]),
        Text("echo a > out 2>&1; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text(
            "exec 3> out; echo a >&3; echo b >&3; exec 3>&-; cat out",
            b"a\nb\n",
            0,
            &[("out", b"a\nb\n")],
        ),
        Text("exec 3< three.txt; read x <&3; read y <&3; echo $x $y", b"one two\n", 0, &[]),
        Text("exec > out; echo a", b"", 0, &[("out", b"a\n")]),
        Text("exec < a.txt; cat", b"alpha\n", 0, &[]),
        Text("{ read x; echo $x; cat; } < three.txt", b"one\ntwo\nthree\n", 0, &[]),
        Text("echo a >&-; echo $?", b"1\n", 0, &[]),
        Text("cat <&- ; echo $?", b"1\n", 0, &[]),
        Text("echo a 2>&- | cat", b"a\n", 0, &[]),
        Text("{ cat <&3; } 3< a.txt", b"alpha\n", 0, &[]),
        Text("echo a > missing/out; echo $?", b"2\n", 0, &[]),
        Text("echo a > sub; echo $?", b"2\n", 0, &[]),
        Text("{ echo a; } > missing/out; echo $?", b"2\n", 0, &[]),
        Text("echo a > missing/out || echo failed", b"failed\n", 0, &[]),
    ]);
}

#[test]
fn here_documents() {
    agree(&[
        Text("cat <<E\na\nb\nE", b"a\nb\n", 0, &[]),
        Text("cat <<E\n$((1 + 1)) $(echo c)\nE", b"2 c\n", 0, &[]),
        Text("x=1; cat <<E\n$x \\$x\nE", b"1 $x\n", 0, &[]),
        Text("x=1; cat <<'E'\n$x \\$x\nE", b"$x \\$x\n", 0, &[]),
        Text("x=1; cat <<\"E\"\n$x\nE", b"$x\n", 0, &[]),
        Text("cat <<-E\n\ta\n\t\tb\n\tE", b"a\nb\n", 0, &[]),
        Text("cat <<A; cat <<B\na\nA\nb\nB", b"a\nb\n", 0, &[]),
        Text("cat <<E | tr a-z A-Z\ntext\nE", b"TEXT\n", 0, &[]),
        Text("cat <<E > out; cat out\ntext\nE", b"text\n", 0, &[("out", b"text\n")]),
        Text("cat <<E\nE", b"", 0, &[]),
        Text("cat <<E\na\\\nb\nE", b"ab\n", 0, &[]),
        Text("cat <<E\n\"q\" 'r' \\\\ \nE", b"\"q\" 'r' \\ \n", 0, &[]),
        Text("while read x; do echo \"<$x>\"; done <<E\n1\n2\nE", b"<1>\n<2>\n", 0, &[]),
        Text("f() { cat; }; f <<E\nto f\nE", b"to f\n", 0, &[]),
        Text("cat <<E - a.txt\nfirst\nE", b"first\nalpha\n", 0, &[]),
        Text("{ cat; } <<E\ngrouped\nE", b"grouped\n", 0, &[]),
        Text("if true; then cat <<E\ninside\nE\nfi", b"inside\n", 0, &[]),
        Text("cat <<E\n`echo back`\nE", b"back\n", 0, &[]),
        Text("cat <<E\n${x:-a b}\nE", b"a b\n", 0, &[]),
        Text("wc -l <<E\n1\n2\n3\nE", b"3\n", 0, &[]),
    ]);
}
