//! Words, quotes, patterns of names (POSIX 2.2, 2.6.6, 2.13).

use super::{Text, agree};

#[test]
fn quotes() {
    agree(&[
        Text("echo a 'b  c' \"d  e\" f\\ g", b"a b  c d  e f g\n", 0, &[]),
        Text("echo 'it'\\''s'", b"it's\n", 0, &[]),
        Text("printf '%s\\n' \"a\\\"b\\\\c\\$d\\`e\"", b"a\"b\\c$d`e\n", 0, &[]),
        Text("printf '%s\\n' \"a\\nb\" 'a\\b'", b"a\\nb\na\\b\n", 0, &[]),
        Text("echo a\\\nb", b"ab\n", 0, &[]),
        Text("echo \"a\nb\"", b"a\nb\n", 0, &[]),
        Text("echo '' \"\" x", b"  x\n", 0, &[]),
        Text("echo a#b # c", b"a#b\n", 0, &[]),
        Text("echo \\#a '#b'", b"#a #b\n", 0, &[]),
        Text("echo \"'\" '\"'", b"' \"\n", 0, &[]),
        Text("echo \"a'b'c\" 'a\"b\"c'", b"a'b'c a\"b\"c\n", 0, &[]),
        Text("echo $ \"$\" a$", b"$ $ a$\n", 0, &[]),
        Text("echo \\a \\\\ \\$ \\'", b"a \\ $ '\n", 0, &[]),
        Text("echo \"$(echo \"a b\")\"", b"a b\n", 0, &[]),
        Text("echo -n a; echo b", b"ab\n", 0, &[]),
        Text("echo \"a\tb\"", b"a\tb\n", 0, &[]),
    ]);
}

#[test]
fn names_of_files() {
    agree(&[
        Text("echo *.txt", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("echo ?.txt", b"a.txt b.txt\n", 0, &[]),
        Text("echo [ab].txt", b"a.txt b.txt\n", 0, &[]),
        Text("echo [!a].txt", b"b.txt\n", 0, &[]),
        Text("echo [a-c].txt", b"a.txt b.txt\n", 0, &[]),
        Text("echo *.none", b"*.none\n", 0, &[]),
        Text("echo '*.txt' \"*.txt\" \\*.txt", b"*.txt *.txt *.txt\n", 0, &[]),
        Text("echo */", b"sub/\n", 0, &[]),
        Text("echo */*.txt", b"sub/inner.txt\n", 0, &[]),
        Text("echo sub/*", b"sub/inner.txt\n", 0, &[]),
        Text("echo .h*", b".hidden\n", 0, &[]),
        Text("echo *", b"a.txt b.txt pairs.txt sub three.txt\n", 0, &[]),
        Text("echo .[!.]*", b".hidden\n", 0, &[]),
        Text("echo a*.txt b*", b"a.txt b.txt\n", 0, &[]),
        Text("echo \"a\"*.txt", b"a.txt\n", 0, &[]),
        Text("echo a.txt*", b"a.txt\n", 0, &[]),
        Text("echo [[:alpha:]].txt", b"a.txt b.txt\n", 0, &[]),
        Text("echo ./a*", b"./a.txt\n", 0, &[]),
        Text("echo *[.]txt", b"a.txt b.txt pairs.txt three.txt\n", 0, &[]),
        Text("echo s*/i*", b"sub/inner.txt\n", 0, &[]),
        Text(
            "for f in *.txt; do echo \"<$f>\"; done",
            b"<a.txt>\n<b.txt>\n<pairs.txt>\n<three.txt>\n",
            0,
            &[],
        ),
        Text("for f in *.none; do echo \"<$f>\"; done", b"<*.none>\n", 0, &[]),
        Text("x=*.txt; echo \"$x\"", b"*.txt\n", 0, &[]),
        Text("ls=a*; echo $ls", b"a.txt\n", 0, &[]),
    ]);
}

#[test]
fn home() {
    agree(&[
        Text("echo ~ ~/x", b"/home/tarn /home/tarn/x\n", 0, &[]),
        Text("echo \"~\" '~' \\~", b"~ ~ ~\n", 0, &[]),
        Text("echo a~ ~a/x", b"a~ ~a/x\n", 0, &[]),
        Text("HOME=/h; echo ~ ~/x", b"/h /h/x\n", 0, &[]),
    ]);
}

#[test]
fn braces_of_the_shell_are_words() {
    agree(&[
        Text("echo {a} {} { }", b"{a} {} { }\n", 0, &[]),
        Text("echo a{b c}d", b"a{b c}d\n", 0, &[]),
        Text("echo \"{a,b}\"", b"{a,b}\n", 0, &[]),
    ]);
}

#[test]
fn comments_and_blanks() {
    agree(&[
        Text("  echo   a   b  ", b"a b\n", 0, &[]),
        Text("echo a;echo b", b"a\nb\n", 0, &[]),
        Text("echo a ;  echo b ; ", b"a\nb\n", 0, &[]),
        Text("# a comment", b"", 0, &[]),
        Text("echo a # b; echo c", b"a\n", 0, &[]),
        Text("echo a &&\n echo b", b"a\nb\n", 0, &[]),
        Text("echo a |\n cat", b"a\n", 0, &[]),
        Text("true &&\n\n echo b", b"b\n", 0, &[]),
    ]);
}
