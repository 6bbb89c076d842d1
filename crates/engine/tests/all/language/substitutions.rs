//! Commands in words and in pipes (POSIX 2.6.3, 2.9.2).

use super::{Text, agree};

#[test]
fn in_words() {
    agree(&[
        Text("echo $(echo a)", b"a\n", 0, &[]),
        Text("echo \"$(echo 'a  b')\" $(echo 'a  b')", b"a  b a b\n", 0, &[]),
        Text("echo `echo a`", b"a\n", 0, &[]),
        Text("echo `echo \\`echo b\\``", b"b\n", 0, &[]),
        Text("echo $(echo $(echo deep))", b"deep\n", 0, &[]),
        Text(
            "x=$(cat three.txt); echo $x; echo \"$x\"",
            b"one two three\none\ntwo\nthree\n",
            0,
            &[],
        ),
        Text("echo \"$(printf 'a\\n\\n\\n')\" x", b"a x\n", 0, &[]),
        Text("echo $(cat missing.txt 2> /dev/null) x", b"x\n", 0, &[]),
        Text("echo $(<a.txt cat)", b"alpha\n", 0, &[]),
        Text("echo a$(echo b)c", b"abc\n", 0, &[]),
        Text("x=$(echo a; exit 3); echo $x $?", b"a 3\n", 0, &[]),
        Text("x=1; echo $(x=2; echo $x) $x", b"2 1\n", 0, &[]),
        Text("echo \"$(echo \"a\" \"b\")\"", b"a b\n", 0, &[]),
        Text("echo $(for i in 1 2; do echo $i; done)", b"1 2\n", 0, &[]),
        Text("echo $(if true; then echo a; fi) $(case a in a) echo b;; esac)", b"a b\n", 0, &[]),
        Text("f() { echo in f; }; echo $(f)", b"in f\n", 0, &[]),
        Text("set -- $(echo a b c); echo $#", b"3\n", 0, &[]),
        Text("echo $(wc -l < three.txt)", b"3\n", 0, &[]),
        Text("n=$(grep -c k1 pairs.txt); echo $((n + 1))", b"3\n", 0, &[]),
        Text(
            "for w in $(cat three.txt); do echo \"<$w>\"; done",
            b"<one>\n<two>\n<three>\n",
            0,
            &[],
        ),
        Text("echo \"$(cat <<E\ninside\nE\n)\"", b"inside\n", 0, &[]),
        Text("echo $(( $(echo 1) + $(echo 2) ))", b"3\n", 0, &[]),
        Text("cat $(echo a.txt b.txt)", b"alpha\nbeta\ngamma\n", 0, &[]),
        Text(
            "echo $(cd sub; echo *) $(echo *.txt)",
            b"inner.txt a.txt b.txt pairs.txt three.txt\n",
            0,
            &[],
        ),
        Text("x=$(echo 'a b' | tr ' ' '\\n' | sort -r); echo $x", b"b a\n", 0, &[]),
    ]);
}

#[test]
fn pipes() {
    agree(&[
        Text("cat three.txt | sort", b"one\nthree\ntwo\n", 0, &[]),
        Text("cat three.txt | sort | head -n 1", b"one\n", 0, &[]),
        Text("cat three.txt | grep o | wc -l", b"2\n", 0, &[]),
        Text(
            "sort three.txt | tee out | wc -l; cat out",
            b"3\none\nthree\ntwo\n",
            0,
            &[("out", b"one\nthree\ntwo\n")],
        ),
        Text("cat three.txt | { read x; echo $x; }", b"one\n", 0, &[]),
        Text("cat three.txt | { read x; cat; }", b"two\nthree\n", 0, &[]),
        Text("cat three.txt | (head -n 1)", b"one\n", 0, &[]),
        Text("echo a | cat - a.txt", b"a\nalpha\n", 0, &[]),
        Text("seq 10 | sed -n 2,3p | paste -s -d,", b"2,3\n", 0, &[]),
        Text("seq 5 | awk '{ s += $1 } END { print s }'", b"15\n", 0, &[]),
        Text(
            "cut -d' ' -f1 pairs.txt | sort | uniq -c | sort -rn",
            b"      2 k1\n      1 k3\n      1 k2\n",
            0,
            &[],
        ),
        Text("seq 100000 | head -n 2", b"1\n2\n", 0, &[]),
        Text("yes | head -n 3", b"y\ny\ny\n", 0, &[]),
        Text("seq 3 | while read n; do echo $((n * n)); done | tac", b"9\n4\n1\n", 0, &[]),
        Text("seq 3 | xargs", b"1 2 3\n", 0, &[]),
        Text("printf '%s\\n' b a | sort; echo $?", b"a\nb\n0\n", 0, &[]),
        Text("x=1; echo a | x=2; echo $x", b"1\n", 0, &[]),
        Text("echo a | if read y; then echo \"got $y\"; fi", b"got a\n", 0, &[]),
        Text("echo 'a b c' | { read x y; echo \"$y\"; }", b"b c\n", 0, &[]),
        Text("sed s/a/b/ a.txt | cat", b"blpha\n", 0, &[]),
        Text("true | cat; echo $?", b"0\n", 0, &[]),
        Text("grep nothing a.txt | cat; echo $?", b"0\n", 0, &[]),
    ]);
}
