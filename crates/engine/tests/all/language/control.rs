//! Compound commands, lists, functions (POSIX 2.9).

use super::{Text, agree};

#[test]
fn lists() {
    agree(&[
        Text("true && echo a", b"a\n", 0, &[]),
        Text("false && echo a", b"", 1, &[]),
        Text("true || echo a", b"", 0, &[]),
        Text("false || echo a", b"a\n", 0, &[]),
        Text("false && echo a || echo b", b"b\n", 0, &[]),
        Text("true || echo a && echo b", b"b\n", 0, &[]),
        Text("! true; echo $?", b"1\n", 0, &[]),
        Text("! false; echo $?", b"0\n", 0, &[]),
        Text("! true | false; echo $?", b"0\n", 0, &[]),
        Text("true; false; echo $?", b"1\n", 0, &[]),
        Text("true | false; echo $?", b"1\n", 0, &[]),
        Text("false | true; echo $?", b"0\n", 0, &[]),
    ]);
}

#[test]
fn branches() {
    agree(&[
        Text("if true; then echo a; fi", b"a\n", 0, &[]),
        Text("if false; then echo a; fi; echo $?", b"0\n", 0, &[]),
        Text("if false; then echo a; else echo b; fi", b"b\n", 0, &[]),
        Text("if false; then echo a; elif true; then echo b; else echo c; fi", b"b\n", 0, &[]),
        Text("if false; then echo a; elif false; then echo b; else echo c; fi", b"c\n", 0, &[]),
        Text("if true; then false; fi; echo $?", b"1\n", 0, &[]),
        Text("if ! false; then echo a; fi", b"a\n", 0, &[]),
        Text("if grep -q two three.txt; then echo found; fi", b"found\n", 0, &[]),
        Text("if [ -f a.txt ]; then echo file; fi", b"file\n", 0, &[]),
        Text("if { true; false; }; then echo a; else echo b; fi", b"b\n", 0, &[]),
        Text("if true\nthen echo a\nfi", b"a\n", 0, &[]),
    ]);
}

#[test]
fn loops() {
    agree(&[
        Text("for x in a b c; do echo $x; done", b"a\nb\nc\n", 0, &[]),
        Text("for x in; do echo $x; done; echo $?", b"0\n", 0, &[]),
        Text("for x in a; do false; done; echo $?", b"1\n", 0, &[]),
        Text("set -- p q; for x; do echo $x; done", b"p\nq\n", 0, &[]),
        Text("set -- p q; for x do echo $x; done", b"p\nq\n", 0, &[]),
        Text("for x in a b\ndo\necho $x\ndone", b"a\nb\n", 0, &[]),
        Text("i=0; while [ $i -lt 2 ]; do echo $i; i=$((i + 1)); done", b"0\n1\n", 0, &[]),
        Text("i=0; until [ $i -ge 2 ]; do echo $i; i=$((i + 1)); done", b"0\n1\n", 0, &[]),
        Text("while false; do echo a; done; echo $?", b"0\n", 0, &[]),
        Text(
            "for x in a b c; do if [ $x = b ]; then continue; fi; echo $x; done",
            b"a\nc\n",
            0,
            &[],
        ),
        Text("for x in a b c; do if [ $x = b ]; then break; fi; echo $x; done", b"a\n", 0, &[]),
        Text(
            "for x in a b; do for y in 1 2; do [ $y = 2 ] && continue 2; echo $x$y; done; done",
            b"a1\nb1\n",
            0,
            &[],
        ),
        Text(
            "for x in a b; do for y in 1 2; do [ $y = 2 ] && break 2; echo $x$y; done; done",
            b"a1\n",
            0,
            &[],
        ),
        Text("for x in a b; do echo $x; done | tac", b"b\na\n", 0, &[]),
        Text(
            "for x in 1 2 3; do echo $x; done > out; cat out",
            b"1\n2\n3\n",
            0,
            &[("out", b"1\n2\n3\n")],
        ),
        Text(
            "while read x y; do echo \"$y-$x\"; done < pairs.txt",
            b"v2-k1\nv1-k2\nv1-k1\nv2-k3\n",
            0,
            &[],
        ),
        Text(
            "cat pairs.txt | while read x; do echo \"<$x>\"; done",
            b"<k1 v2>\n<k2 v1>\n<k1 v1>\n<k3 v2>\n",
            0,
            &[],
        ),
        Text("for x in a; do :; done; echo $x", b"a\n", 0, &[]),
        Text("while read x; do echo $x; break; done < three.txt", b"one\n", 0, &[]),
        Text("n=0; while read x; do n=$((n + 1)); done < three.txt; echo $n", b"3\n", 0, &[]),
        Text("n=0; cat three.txt | while read x; do n=$((n + 1)); done; echo $n", b"0\n", 0, &[]),
    ]);
}

#[test]
fn case() {
    agree(&[
        Text("case a in a) echo yes;; esac", b"yes\n", 0, &[]),
        Text("case b in a) echo yes;; esac; echo $?", b"0\n", 0, &[]),
        Text("case b in a) echo a;; b) echo b;; *) echo c;; esac", b"b\n", 0, &[]),
        Text("case z in a) echo a;; *) echo c;; esac", b"c\n", 0, &[]),
        Text("case abc in a*) echo begins;; esac", b"begins\n", 0, &[]),
        Text("case abc in *c) echo ends;; esac", b"ends\n", 0, &[]),
        Text("case b in a|b) echo either;; esac", b"either\n", 0, &[]),
        Text("case x in [a-m]) echo low;; [n-z]) echo high;; esac", b"high\n", 0, &[]),
        Text("case 'a b' in 'a b') echo blank;; esac", b"blank\n", 0, &[]),
        Text("case $x in '') echo empty;; esac", b"empty\n", 0, &[]),
        Text("x=a; case $x in \"$x\") echo same;; esac", b"same\n", 0, &[]),
        Text(
            "x='*'; case abc in \"$x\") echo text;; $x) echo pattern;; esac",
            b"pattern\n",
            0,
            &[],
        ),
        Text("case a in (a) echo parens;; esac", b"parens\n", 0, &[]),
        Text("case a in a) ;; esac; echo $?", b"0\n", 0, &[]),
        Text("case a in a) false;; esac; echo $?", b"1\n", 0, &[]),
        Text("case a in\na) echo lines\n;;\nesac", b"lines\n", 0, &[]),
        Text("case '[' in '[') echo bracket;; esac", b"bracket\n", 0, &[]),
        Text("case - in [a-]) echo dash;; esac", b"dash\n", 0, &[]),
    ]);
}

#[test]
fn groups() {
    agree(&[
        Text("{ echo a; echo b; }", b"a\nb\n", 0, &[]),
        Text("(echo a; echo b)", b"a\nb\n", 0, &[]),
        Text("x=1; { x=2; }; echo $x", b"2\n", 0, &[]),
        Text("x=1; (x=2; echo $x); echo $x", b"2\n1\n", 0, &[]),
        Text("{ echo b; echo a; } | sort", b"a\nb\n", 0, &[]),
        Text("(exit 3); echo $?", b"3\n", 0, &[]),
        Text(
            "(cd sub; echo *); echo *.txt",
            b"inner.txt\na.txt b.txt pairs.txt three.txt\n",
            0,
            &[],
        ),
        Text("{ echo a; } > out; cat out", b"a\n", 0, &[("out", b"a\n")]),
        Text("( ( echo deep ) )", b"deep\n", 0, &[]),
        Text("{ { echo deep; }; }", b"deep\n", 0, &[]),
        Text("(exit 2) || echo failed", b"failed\n", 0, &[]),
        Text("(echo a; exit 1; echo b); echo $?", b"a\n1\n", 0, &[]),
    ]);
}

#[test]
fn functions() {
    agree(&[
        Text("f() { echo hello; }; f", b"hello\n", 0, &[]),
        Text("f() { echo $1 $2; }; f a b", b"a b\n", 0, &[]),
        Text("f() { return 3; }; f; echo $?", b"3\n", 0, &[]),
        Text("f() { echo a; return; echo b; }; f", b"a\n", 0, &[]),
        Text("f() { false; }; f; echo $?", b"1\n", 0, &[]),
        Text("f() { x=2; }; x=1; f; echo $x", b"2\n", 0, &[]),
        Text("f() (x=2; echo $x); x=1; f; echo $x", b"2\n1\n", 0, &[]),
        Text("f() { echo \"$@\"; }; f 'a  b' c", b"a  b c\n", 0, &[]),
        Text("f() { g; }; g() { echo g; }; f", b"g\n", 0, &[]),
        Text("f() { [ $1 -gt 0 ] && { echo $1; f $(($1 - 1)); }; }; f 3", b"3\n2\n1\n", 1, &[]),
        Text("f() { sort; }; cat b.txt three.txt | f", b"beta\ngamma\none\nthree\ntwo\n", 0, &[]),
        Text("f() { echo out; } > out; f; cat out", b"out\n", 0, &[("out", b"out\n")]),
        Text("f() { echo 1; }; f() { echo 2; }; f", b"2\n", 0, &[]),
        Text("f() { echo $#; }; f a b c; f", b"3\n0\n", 0, &[]),
        Text("f() { for x in 1 2; do return 5; done; }; f; echo $?", b"5\n", 0, &[]),
        Text("f() { local x=2; echo $x; }; x=1; f; echo $x", b"2\n1\n", 0, &[]),
        Text("echo() { printf 'mine %s\\n' \"$1\"; }; echo a", b"mine a\n", 0, &[]),
        Text("unset -f f; f() { echo a; }; f", b"a\n", 0, &[]),
        Text("f() { if true; then echo a; fi; }\nf", b"a\n", 0, &[]),
    ]);
}

#[test]
fn leaving() {
    agree(&[
        Text("echo a; exit; echo b", b"a\n", 0, &[]),
        Text("exit 4", b"", 4, &[]),
        Text("echo a; exit 5; echo b", b"a\n", 5, &[]),
        Text("false; exit", b"", 1, &[]),
        Text("(exit 6); exit", b"", 6, &[]),
        Text("set -e; false; echo not here", b"", 1, &[]),
        Text("set -e; false || true; echo here", b"here\n", 0, &[]),
        Text("set -e; if false; then :; fi; echo here", b"here\n", 0, &[]),
        Text("set -e; ! true; echo here", b"here\n", 0, &[]),
        Text("set -e; true && false; echo not here", b"", 1, &[]),
        Text("set -e; false && true; echo here", b"here\n", 0, &[]),
        Text("set -e; f() { false; echo not here; }; f; echo nor here", b"", 1, &[]),
        Text("set -e; f() { false; echo here; }; f || true", b"here\n", 0, &[]),
        Text("set -e; (false; echo not here); echo nor here", b"", 1, &[]),
        Text("set -e; x=$(false); echo not here", b"", 1, &[]),
        Text("set -e; echo $(false) here", b"here\n", 0, &[]),
        Text("set -e; false | true; echo here", b"here\n", 0, &[]),
        Text("trap 'echo bye' EXIT; echo a", b"a\nbye\n", 0, &[]),
        Text("trap 'echo bye' EXIT; exit 3", b"bye\n", 3, &[]),
        Text("trap 'echo bye' EXIT; trap - EXIT; echo a", b"a\n", 0, &[]),
        Text("(trap 'echo inner' EXIT; echo a); echo b", b"a\ninner\nb\n", 0, &[]),
    ]);
}

#[test]
fn calls_within_calls_have_a_limit_that_is_reached_exactly() {
    agree(&[
        Text("f() { [ $1 -le 1 ] && echo end || f $(($1 - 1)); }; f 1000", b"end\n", 0, &[]),
        Text(
            "f() { [ $1 -le 1 ] && echo end || f $(($1 - 1)); }; f 1001",
            b"refused: more than 1000 nested calls",
            2,
            &[],
        ),
    ]);
}
