//! Commands of the shell's own (POSIX 2.14 and utilities that need the shell).

use super::{Text, agree};

#[test]
fn read() {
    agree(&[
        Text("echo 'a b c' | { read x y; echo \"$x|$y\"; }", b"a|b c\n", 0, &[]),
        Text("echo 'a b' | { read x y z; echo \"$x|$y|$z\"; }", b"a|b|\n", 0, &[]),
        Text("echo '  a  b  ' | { read x; echo \"<$x>\"; }", b"<a  b>\n", 0, &[]),
        Text("echo '  a  b  ' | { read x y; echo \"<$x><$y>\"; }", b"<a><b>\n", 0, &[]),
        Text("printf 'a\\\\\\nb\\n' | { read x; echo \"$x\"; }", b"ab\n", 0, &[]),
        Text("printf 'a\\\\\\nb\\n' | { read -r x; printf '%s\\n' \"$x\"; }", b"a\\\n", 0, &[]),
        Text("echo 'a:b:c' | { IFS=: read x y; echo \"$x|$y\"; }", b"a|b:c\n", 0, &[]),
        Text("echo 'a:b:c' | { IFS=: read x y z; echo \"$x|$y|$z\"; }", b"a|b|c\n", 0, &[]),
        Text("echo ' a ' | { IFS= read x; echo \"<$x>\"; }", b"< a >\n", 0, &[]),
        Text("printf 'no end' | { read x; echo \"$x $?\"; }", b"no end 1\n", 0, &[]),
        Text("read x < /dev/null; echo $?", b"1\n", 0, &[]),
        Text("printf 'a\\nb\\n' | { read x; read y; echo $x$y; }", b"ab\n", 0, &[]),
        Text("echo 'a::b' | { IFS=: read x y z; echo \"<$x><$y><$z>\"; }", b"<a><><b>\n", 0, &[]),
        Text("echo 'a b c d' | { read x y; echo \"$y\"; }", b"b c d\n", 0, &[]),
    ]);
}

#[test]
fn cd_and_pwd() {
    agree(&[
        Text("cd sub; echo *", b"inner.txt\n", 0, &[]),
        Text("cd sub && cat inner.txt", b"inside\n", 0, &[]),
        Text("cd sub; cd ..; echo *.txt", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("cd missing 2> /dev/null; echo $?", b"2\n", 0, &[]),
        Text("cd sub; pwd | sed 's,.*/,,'", b"sub\n", 0, &[]),
        Text("cd sub; echo x > new; cd ..; cat sub/new", b"x\n", 0, &[("sub/new", b"x\n")]),
        Text("cd sub; cd - > /dev/null; echo *.txt", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("cd ./sub/../sub; echo *", b"inner.txt\n", 0, &[]),
        Text("(cd sub; cat inner.txt); cat a.txt", b"inside\nalpha\n", 0, &[]),
        Text("cd a.txt 2> /dev/null; echo $?", b"2\n", 0, &[]),
    ]);
}

#[test]
fn export_unset_set() {
    agree(&[
        Text("export x=1; echo $x", b"1\n", 0, &[]),
        Text("x=1; export x; echo $x", b"1\n", 0, &[]),
        Text("export x=1 y=2; echo $x $y", b"1 2\n", 0, &[]),
        Text("x=1; unset x; echo ${x-gone}", b"gone\n", 0, &[]),
        Text("unset nothing; echo $?", b"0\n", 0, &[]),
        Text("set -- a b; set -- c; echo $1 $#", b"c 1\n", 0, &[]),
        Text("set a b; echo $2", b"b\n", 0, &[]),
        Text("set -f; set +f; echo *.txt", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("x=1; readonly x; echo $x", b"1\n", 0, &[]),
        Text("export x; echo \"<$x>\"", b"<>\n", 0, &[]),
    ]);
}

#[test]
fn eval_and_others() {
    agree(&[
        Text(": a b; echo $?", b"0\n", 0, &[]),
        Text("true a; echo $?", b"0\n", 0, &[]),
        Text("command -v echo > /dev/null; echo $?", b"0\n", 0, &[]),
        Text("command -v nothing-at-all; echo $?", b"127\n", 0, &[]),
        Text("type nothing-at-all > /dev/null 2>&1; echo $?", b"127\n", 0, &[]),
        Text("umask 022; umask", b"0022\n", 0, &[]),
        Text("times > /dev/null; echo $?", b"0\n", 0, &[]),
        Text("shift 0; echo $?", b"0\n", 0, &[]),
        Text(". ./a.txt 2> /dev/null; echo not here", b"not here\n", 0, &[]),
        Text("echo 'x=5' > lib; . ./lib; echo $x", b"5\n", 0, &[("lib", b"x=5\n")]),
        Text(
            "echo 'echo $1; return 3' > lib; . ./lib; echo $?",
            b"\n3\n",
            0,
            &[("lib", b"echo $1; return 3\n")],
        ),
    ]);
}

#[test]
fn getopts() {
    agree(&[
        Text(
            "set -- -a -b v c; while getopts ab: o; do echo $o $OPTARG; done; shift $((OPTIND - 1)); echo $1",
            b"a\nb v\nc\n",
            0,
            &[],
        ),
        Text("set -- -ab; while getopts ab o; do echo $o; done", b"a\nb\n", 0, &[]),
        Text("set -- -bv; while getopts b: o; do echo $o $OPTARG; done", b"b v\n", 0, &[]),
        Text("set -- -x; while getopts :a o; do echo \"$o $OPTARG\"; done", b"? x\n", 0, &[]),
        Text("set -- -b; while getopts :b: o; do echo \"$o $OPTARG\"; done", b": b\n", 0, &[]),
        Text("set -- a -b; while getopts b o; do echo $o; done; echo $OPTIND", b"1\n", 0, &[]),
        Text("set -- -- -b; while getopts b o; do echo $o; done; echo $OPTIND", b"2\n", 0, &[]),
    ]);
}

#[test]
fn test() {
    agree(&[
        Text("[ a = a ]; echo $?", b"0\n", 0, &[]),
        Text("[ a != a ]; echo $?", b"1\n", 0, &[]),
        Text("[ -z '' ]; echo $?", b"0\n", 0, &[]),
        Text("[ -n '' ]; echo $?", b"1\n", 0, &[]),
        Text("[ 1 -lt 2 ] && echo less", b"less\n", 0, &[]),
        Text("[ -f a.txt -a -d sub ]; echo $?", b"0\n", 0, &[]),
        Text("[ ! -e nothing ]; echo $?", b"0\n", 0, &[]),
        Text("[ -s a.txt ]; echo $?", b"0\n", 0, &[]),
        Text("x=; [ $x ]; echo $?", b"1\n", 0, &[]),
        Text("[ \"$nothing\" = '' ] && echo empty", b"empty\n", 0, &[]),
        Text("test -d sub && echo folder", b"folder\n", 0, &[]),
        Text("[ a -eq 1 ] 2> /dev/null; echo $?", b"2\n", 0, &[]),
    ]);
}

#[test]
fn printf_and_echo() {
    agree(&[
        Text("printf '%s-%s\\n' a b c", b"a-b\nc-\n", 0, &[]),
        Text("printf '%d %o %x\\n' 10 10 10", b"10 12 a\n", 0, &[]),
        Text("printf '%5s|%-5s|\\n' a b", b"    a|b    |\n", 0, &[]),
        Text("printf 'a\\tb\\n'", b"a\tb\n", 0, &[]),
        Text("printf '%b\\n' 'a\\tb'", b"a\tb\n", 0, &[]),
        Text("printf %s a b; echo", b"ab\n", 0, &[]),
        Text("echo -n; echo x", b"x\n", 0, &[]),
        Text("printf '%s\\n' \"$(printf 'a\\nb')\"", b"a\nb\n", 0, &[]),
        Text("printf '%c\\n' abc", b"a\n", 0, &[]),
        Text("printf '%%\\n'", b"%\n", 0, &[]),
    ]);
}
