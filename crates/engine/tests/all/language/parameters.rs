//! Parameters of the shell: values, defaults, lengths, what is cut off (POSIX 2.6.2).

use super::{Text, agree};

#[test]
fn values() {
    agree(&[
        Text("x=1; echo $x ${x}2 \"$x\"'$x'", b"1 12 1$x\n", 0, &[]),
        Text("x='a  b'; echo $x; echo \"$x\"", b"a b\na  b\n", 0, &[]),
        Text("x=a y=b; echo $x$y \"$x $y\"", b"ab a b\n", 0, &[]),
        Text("x=1; x=2; echo $x", b"2\n", 0, &[]),
        Text("x=; echo \"<$x>\"", b"<>\n", 0, &[]),
        Text("echo \"<$nothing>\"", b"<>\n", 0, &[]),
        Text("x=5 y=$x; echo $y", b"5\n", 0, &[]),
        Text("x=1; y=x; echo $y", b"x\n", 0, &[]),
        Text("x=\"a'b\"; echo \"$x\"", b"a'b\n", 0, &[]),
        Text("x='$y'; y=1; echo $x", b"$y\n", 0, &[]),
        Text("x=a; x=$x$x; x=$x$x; echo $x", b"aaaa\n", 0, &[]),
        Text("x=1; unset x; echo \"<$x>\"", b"<>\n", 0, &[]),
        Text("x=1; unset y; echo $x", b"1\n", 0, &[]),
        Text("x=~; echo \"$x\"", b"/home/tarn\n", 0, &[]),
        Text("x=a:~; echo \"$x\"", b"a:/home/tarn\n", 0, &[]),
        Text("x=$(echo a b); echo \"$x\"", b"a b\n", 0, &[]),
        Text("x='*.txt'; echo $x", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("x='*.txt'; echo \"$x\"", b"*.txt\n", 0, &[]),
    ]);
}

#[test]
fn defaults() {
    agree(&[
        Text("echo ${x-d} ${x:-e}", b"d e\n", 0, &[]),
        Text("x=; echo \"<${x-d}>\" \"<${x:-e}>\"", b"<> <e>\n", 0, &[]),
        Text("x=v; echo ${x-d} ${x:-e}", b"v v\n", 0, &[]),
        Text("echo ${x=d}; echo $x", b"d\nd\n", 0, &[]),
        Text("x=; echo \"<${x=d}>\"; echo \"<${x:=e}>\"; echo $x", b"<>\n<e>\ne\n", 0, &[]),
        Text("x=v; echo ${x+d} ${x:+e}", b"d e\n", 0, &[]),
        Text("x=; echo \"<${x+d}>\" \"<${x:+e}>\"", b"<d> <>\n", 0, &[]),
        Text("echo \"<${x+d}>\"", b"<>\n", 0, &[]),
        Text("echo ${x:-$(echo c)} ${x:-$((1 + 1))}", b"c 2\n", 0, &[]),
        Text("echo ${x:-a b} \"${x:-a b}\"", b"a b a b\n", 0, &[]),
        Text("echo ${x:-'a  b'} \"${x:-'a b'}\"", b"a  b 'a b'\n", 0, &[]),
        Text("echo ${x:-${y:-${z:-deep}}}", b"deep\n", 0, &[]),
        Text("(echo ${x?gone}); echo $?", b"2\n", 0, &[]),
        Text("(echo ${x:?}); echo $?", b"2\n", 0, &[]),
        Text("x=1; echo ${x?gone}", b"1\n", 0, &[]),
    ]);
}

#[test]
fn lengths() {
    agree(&[
        Text("x=abc; echo ${#x}", b"3\n", 0, &[]),
        Text("x=; echo ${#x}", b"0\n", 0, &[]),
        Text("echo ${#x}", b"0\n", 0, &[]),
        Text("x='a b'; echo ${#x}", b"3\n", 0, &[]),
        Text("set -- a b c; echo ${#} $#", b"3 3\n", 0, &[]),
        Text("x=12345678901; echo ${#x}", b"11\n", 0, &[]),
    ]);
}

#[test]
fn what_is_cut_off() {
    agree(&[
        Text("x=/a/b/c.tar.gz; echo ${x#*/} ${x##*/}", b"a/b/c.tar.gz c.tar.gz\n", 0, &[]),
        Text("x=/a/b/c.tar.gz; echo ${x%.*} ${x%%.*}", b"/a/b/c.tar /a/b/c\n", 0, &[]),
        Text("x=/a/b/c; echo ${x%/*} ${x%%/*}.", b"/a/b .\n", 0, &[]),
        Text("x=aaa; echo ${x#a} ${x##a} ${x%a} ${x%%a}", b"aa aa aa aa\n", 0, &[]),
        Text("x=abc; echo ${x#x} ${x%x}", b"abc abc\n", 0, &[]),
        Text("x=abc; echo ${x#?} ${x%?}", b"bc ab\n", 0, &[]),
        Text("x=abc; echo ${x#[ab]} ${x%[bc]}", b"bc ab\n", 0, &[]),
        Text("x='a*b'; echo ${x#a\\*} ${x#'a*'}", b"b b\n", 0, &[]),
        Text("x='a*b'; y='a*'; echo \"${x#$y}\" \"${x#\"$y\"}\"", b"*b b\n", 0, &[]),
        Text("x=abcabc; echo ${x#*b} ${x##*b} ${x%b*} ${x%%b*}", b"cabc c abca a\n", 0, &[]),
        Text("x=; echo \"<${x#a}>\"", b"<>\n", 0, &[]),
        Text("x=gate-03; echo ${x#gate-} ${x%-*}", b"03 gate\n", 0, &[]),
        Text("x='a.b.c'; echo ${x##*.} ${x%%.*}", b"c a\n", 0, &[]),
        Text("x='{a}'; echo ${x#\\{} ${x%\\}}", b"a} {a\n", 0, &[]),
    ]);
}

#[test]
fn numbered_ones() {
    agree(&[
        Text("set -- a b c; echo $1 $2 $3 $4.", b"a b c .\n", 0, &[]),
        Text("set -- a b c; echo $@ \"$@\" $* \"$*\"", b"a b c a b c a b c a b c\n", 0, &[]),
        Text("set -- 'a b' c; for w in $@; do echo \"<$w>\"; done", b"<a>\n<b>\n<c>\n", 0, &[]),
        Text("set -- 'a b' c; for w in \"$@\"; do echo \"<$w>\"; done", b"<a b>\n<c>\n", 0, &[]),
        Text("set -- 'a b' c; for w in \"$*\"; do echo \"<$w>\"; done", b"<a b c>\n", 0, &[]),
        Text(
            "set -- 'a b' c; for w in x\"$@\"y; do echo \"<$w>\"; done",
            b"<xa b>\n<cy>\n",
            0,
            &[],
        ),
        Text("set --; for w in \"$@\"; do echo \"<$w>\"; done; echo end", b"end\n", 0, &[]),
        Text("set --; for w in a\"$@\"; do echo \"<$w>\"; done", b"<a>\n", 0, &[]),
        Text("set -- a b c; shift; echo $1 $#", b"b 2\n", 0, &[]),
        Text("set -- a b c; shift 2; echo $1 $#", b"c 1\n", 0, &[]),
        Text("set -- a b c; shift 3; echo \"<$1>\" $#", b"<> 0\n", 0, &[]),
        Text(
            "set -- 1 2 3 4 5 6 7 8 9 ten eleven; echo $10 ${10} ${11}",
            b"10 ten eleven\n",
            0,
            &[],
        ),
        Text("set -- -a b; echo $1", b"-a\n", 0, &[]),
        Text("set -- a; set --; echo $#", b"0\n", 0, &[]),
        Text("IFS=,; set -- a b c; echo \"$*\"", b"a,b,c\n", 0, &[]),
        Text("IFS=; set -- a b c; echo \"$*\"", b"abc\n", 0, &[]),
        Text("set -- a b; f() { echo $1 $#; }; f x; echo $1 $#", b"x 1\na 2\n", 0, &[]),
    ]);
}

#[test]
fn special_ones() {
    agree(&[
        Text("true; echo $?", b"0\n", 0, &[]),
        Text("false; echo $?", b"1\n", 0, &[]),
        Text("(exit 7); echo $?", b"7\n", 0, &[]),
        Text("echo $? | cat", b"0\n", 0, &[]),
        Text("x=$(exit 3); echo $?", b"3\n", 0, &[]),
        Text("set -e; case $- in *e*) echo e;; esac", b"e\n", 0, &[]),
        Text("set -f; echo *.txt", b"*.txt\n", 0, &[]),
        Text("set -u; (echo $nothing; echo not here); echo after", b"after\n", 0, &[]),
        Text("set -u; echo ${nothing-fine}", b"fine\n", 0, &[]),
        Text("readonly r=1; echo $r", b"1\n", 0, &[]),
        Text("readonly r=1; (r=2; echo not here); echo after", b"after\n", 0, &[]),
    ]);
}

#[test]
fn fields() {
    agree(&[
        Text("x='a b  c'; for w in $x; do echo \"<$w>\"; done", b"<a>\n<b>\n<c>\n", 0, &[]),
        Text(
            "IFS=:; x=a:b::c:; for w in $x; do echo \"<$w>\"; done",
            b"<a>\n<b>\n<>\n<c>\n",
            0,
            &[],
        ),
        Text(
            "IFS=': '; x='a : b::c'; for w in $x; do echo \"<$w>\"; done",
            b"<a>\n<b>\n<>\n<c>\n",
            0,
            &[],
        ),
        Text("IFS=; x='a b'; for w in $x; do echo \"<$w>\"; done", b"<a b>\n", 0, &[]),
        Text("IFS=:; x=:a; for w in $x; do echo \"<$w>\"; done", b"<>\n<a>\n", 0, &[]),
        Text("IFS=:; for w in a:b; do echo \"<$w>\"; done", b"<a:b>\n", 0, &[]),
        Text("IFS=:; for w in $(echo a:b c); do echo \"<$w>\"; done", b"<a>\n<b c>\n", 0, &[]),
        Text("unset IFS; x='a b'; for w in $x; do echo \"<$w>\"; done", b"<a>\n<b>\n", 0, &[]),
        Text("IFS=ab; x=1a2b3; for w in $x; do echo \"<$w>\"; done", b"<1>\n<2>\n<3>\n", 0, &[]),
        Text("x='a b'; y=$x; echo \"$y\"", b"a b\n", 0, &[]),
    ]);
}
