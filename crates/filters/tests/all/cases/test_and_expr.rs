//! `test_and_expr` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const FILES: &[(&str, &[u8])] = &[("file.txt", b"data\n"), ("empty.txt", b"")];

#[test]
fn texts() {
    agree_among(
        FILES,
        &[
            Case("test a", b"", b"", 0),
            Case("test ''", b"", b"", 1),
            Case("test", b"", b"", 1),
            Case("test -n a", b"", b"", 0),
            Case("test -n ''", b"", b"", 1),
            Case("test -z ''", b"", b"", 0),
            Case("test -z a", b"", b"", 1),
            Case("test a = a", b"", b"", 0),
            Case("test a = b", b"", b"", 1),
            Case("test a != b", b"", b"", 0),
            Case("test ! a", b"", b"", 1),
            Case("test ! ''", b"", b"", 0),
        ],
    );
}

#[test]
fn numbers() {
    agree_among(
        FILES,
        &[
            Case("test 1 -eq 1", b"", b"", 0),
            Case("test 1 -eq 2", b"", b"", 1),
            Case("test 1 -ne 2", b"", b"", 0),
            Case("test 2 -gt 1", b"", b"", 0),
            Case("test 1 -gt 1", b"", b"", 1),
            Case("test 1 -ge 1", b"", b"", 0),
            Case("test 1 -lt 2", b"", b"", 0),
            Case("test 2 -le 1", b"", b"", 1),
            Case("test -5 -lt 3", b"", b"", 0),
            Case("test 010 -eq 10", b"", b"", 0),
            Case("test x -eq 1", b"", b"", 2),
            Case("test 1 -eq", b"", b"", 2),
            Case("test ' 1' -eq 1", b"", b"", 0),
        ],
    );
}

#[test]
fn both_and_either() {
    agree_among(
        FILES,
        &[
            Case("test a -a b", b"", b"", 0),
            Case("test a -a ''", b"", b"", 1),
            Case("test '' -o b", b"", b"", 0),
            Case("test '' -o ''", b"", b"", 1),
            Case("test '(' a ')'", b"", b"", 0),
            Case("test ! '(' a ')'", b"", b"", 1),
            Case("test a = a -a b = b", b"", b"", 0),
            Case("test a = b -o b = b", b"", b"", 0),
            Case("test ! a = b", b"", b"", 0),
            Case("test '(' a = a", b"", b"", 2),
            Case("test -e", b"", b"", 0),
            Case("test a b", b"", b"", 2),
            Case("test a b c", b"", b"", 2),
            Case("test -x a b c d", b"", b"", 2),
        ],
    );
}

#[test]
fn files() {
    agree_among(
        FILES,
        &[
            Case("test -e file.txt", b"", b"", 0),
            Case("test -e missing.txt", b"", b"", 1),
            Case("test -f file.txt", b"", b"", 0),
            Case("test -d file.txt", b"", b"", 1),
            Case("test -s file.txt", b"", b"", 0),
            Case("test -s empty.txt", b"", b"", 1),
            Case("test -r file.txt", b"", b"", 0),
            Case("test ! -e missing.txt", b"", b"", 0),
            Case("test file.txt -ef file.txt", b"", b"", 0),
        ],
    );
}

#[test]
fn sums() {
    agree_among(
        FILES,
        &[
            Case("expr 1 + 2", b"", b"3\n", 0),
            Case("expr 7 - 10", b"", b"-3\n", 0),
            Case("expr 3 '*' 4", b"", b"12\n", 0),
            Case("expr 7 / 2", b"", b"3\n", 0),
            Case("expr -7 / 2", b"", b"-3\n", 0),
            Case("expr 7 % 3", b"", b"1\n", 0),
            Case("expr 1 + 2 '*' 3", b"", b"7\n", 0),
            Case("expr '(' 1 + 2 ')' '*' 3", b"", b"9\n", 0),
            Case("expr 10 - 3 - 2", b"", b"5\n", 0),
            Case("expr 5 / 0", b"", b"", 2),
            Case("expr 0", b"", b"0\n", 1),
            Case("expr ''", b"", b"\n", 1),
            Case("expr a + 1", b"", b"", 2),
            Case("expr 99999999999999999999 + 1", b"", b"100000000000000000000\n", 0),
        ],
    );
}

#[test]
fn comparing() {
    agree_among(
        FILES,
        &[
            Case("expr 1 '<' 2", b"", b"1\n", 0),
            Case("expr 2 '<' 1", b"", b"0\n", 1),
            Case("expr 10 '>' 9", b"", b"1\n", 0),
            Case("expr a '<' b", b"", b"1\n", 0),
            Case("expr 10 '<' 9a", b"", b"1\n", 0),
            Case("expr 1 = 1", b"", b"1\n", 0),
            Case("expr a = b", b"", b"0\n", 1),
            Case("expr a != b", b"", b"1\n", 0),
            Case("expr 1 '<=' 1", b"", b"1\n", 0),
            Case("expr 1 '>=' 2", b"", b"0\n", 1),
            Case("expr a '|' b", b"", b"a\n", 0),
            Case("expr '' '|' b", b"", b"b\n", 0),
            Case("expr 0 '|' 0", b"", b"0\n", 1),
            Case("expr a '&' b", b"", b"a\n", 0),
            Case("expr a '&' 0", b"", b"0\n", 1),
        ],
    );
}

#[test]
fn parts_of_texts() {
    agree_among(
        FILES,
        &[
            Case("expr abc : 'a\\(.\\)c'", b"", b"b\n", 0),
            Case("expr abcd : 'abc'", b"", b"3\n", 0),
            Case("expr abc : 'x'", b"", b"0\n", 1),
            Case("expr abc : '\\(x\\)*'", b"", b"\n", 1),
            Case("expr length kestrel", b"", b"7\n", 0),
            Case("expr index kestrel st", b"", b"3\n", 0),
            Case("expr index kestrel z", b"", b"0\n", 1),
            Case("expr substr kestrel 2 3", b"", b"est\n", 0),
            Case("expr substr kestrel 9 2", b"", b"\n", 1),
            Case("expr substr kestrel 0 2", b"", b"\n", 1),
            Case("expr match abc 'ab'", b"", b"2\n", 0),
            Case("expr + length", b"", b"length\n", 0),
            Case("expr 1 +", b"", b"", 2),
            Case("expr 1 2", b"", b"", 2),
            Case("expr", b"", b"", 2),
        ],
    );
}
