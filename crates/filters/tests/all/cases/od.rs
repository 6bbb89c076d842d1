//! `od` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn kinds() {
    agree(&[
        Case("od", b"abc\n", b"0000000 061141 005143\n0000004\n", 0),
        Case(
            "od -c",
            b"a\tb\n\x00\x07\xff\\\n",
            b"0000000   a  \\t   b  \\n  \\0  \\a 377   \\  \\n\n\
                0000011\n",
            0,
        ),
        Case("od -a", b"a b\n\x7f\x00", b"0000000   a  sp   b  nl del nul\n0000006\n", 0),
        Case("od -b", b"abc\n", b"0000000 141 142 143 012\n0000004\n", 0),
        Case("od -d", b"abcd", b"0000000 25185 25699\n0000004\n", 0),
        Case("od -o", b"abcd", b"0000000 061141 062143\n0000004\n", 0),
        Case("od -x", b"abcd", b"0000000 6261 6463\n0000004\n", 0),
        Case("od -s", b"\xff\xffab", b"0000000     -1  25185\n0000004\n", 0),
        Case("od -i", b"\xff\xff\xff\xffab", b"0000000          -1       25185\n0000006\n", 0),
        Case("od -t x1", b"abc\n", b"0000000 61 62 63 0a\n0000004\n", 0),
        Case(
            "od -t x1z",
            b"abc\nd\x01",
            b"0000000 61 62 63 0a 64 01                                >abc.d.<\n\
                0000006\n",
            0,
        ),
        Case("od -t d1", b"a\xff\x80", b"0000000   97   -1 -128\n0000003\n", 0),
        Case("od -t u1", b"a\xff\x80", b"0000000  97 255 128\n0000003\n", 0),
        Case("od -t o1", b"abc", b"0000000 141 142 143\n0000003\n", 0),
        Case("od -t c", b"a\xc3\xa9b", b"0000000   a 303 251   b\n0000004\n", 0),
        Case("od -t x2", b"abcde", b"0000000 6261 6463 0065\n0000005\n", 0),
        Case("od -t x4", b"abcdefgh", b"0000000 64636261 68676665\n0000010\n", 0),
        Case("od -t x8", b"abcdefghi", b"0000000 6867666564636261 0000000000000069\n0000011\n", 0),
        Case("od -t d2", b"\x00\x80\x01\x00", b"0000000 -32768      1\n0000004\n", 0),
        Case("od -t d4", b"\x00\x00\x00\x80", b"0000000 -2147483648\n0000004\n", 0),
        Case(
            "od -t u8",
            b"\xff\xff\xff\xff\xff\xff\xff\xff",
            b"0000000 18446744073709551615\n0000010\n",
            0,
        ),
        Case(
            "od -t f4",
            b"\x00\x00\x80?\x00\x00 \xc1",
            b"0000000               1             -10\n0000010\n",
            0,
        ),
        Case(
            "od -t f8",
            b"\x00\x00\x00\x00\x00\x00\xf8?",
            b"0000000                      1.5\n0000010\n",
            0,
        ),
        Case("od -t x1 -t c", b"ab\n", b"0000000  61  62  0a\n          a   b  \\n\n0000003\n", 0),
        Case("od -t x1o1", b"ab\n", b"0000000  61  62  0a\n        141 142 012\n0000003\n", 0),
        Case("od -A n -t x1 -t d2", b"abcd", b"  61 62  63 64\n  25185  25699\n", 0),
    ]);
}

#[test]
fn addresses() {
    agree(&[
        Case(
            "od -A d -c",
            b"0123456789abcdefg",
            b"0000000   0   1   2   3   4   5   6   7   8   9   a   b   c   d   e   f\n\
                0000016   g\n\
                0000017\n",
            0,
        ),
        Case(
            "od -A x -c",
            b"0123456789abcdefg",
            b"000000   0   1   2   3   4   5   6   7   8   9   a   b   c   d   e   f\n\
                000010   g\n\
                000011\n",
            0,
        ),
        Case(
            "od -A o -c",
            b"0123456789abcdefg",
            b"0000000   0   1   2   3   4   5   6   7   8   9   a   b   c   d   e   f\n\
                0000020   g\n\
                0000021\n",
            0,
        ),
        Case("od -A n -c", b"abc", b"   a   b   c\n", 0),
        Case("od -An -tx1", b"abc", b" 61 62 63\n", 0),
        Case(
            "od -Ad -tx1 -w4",
            b"abcdefghij",
            b"0000000 61 62 63 64\n\
                0000004 65 66 67 68\n\
                0000008 69 6a\n\
                0000010\n",
            0,
        ),
    ]);
}

#[test]
fn how_much() {
    agree(&[
        Case("od -c -N3", b"abcdef", b"0000000   a   b   c\n0000003\n", 0),
        Case("od -c -j2", b"abcdef", b"0000002   c   d   e   f\n0000006\n", 0),
        Case("od -c -j2 -N2", b"abcdef", b"0000002   c   d\n0000004\n", 0),
        Case("od -An -c -j 4", b"abcdef", b"   e   f\n", 0),
        Case("od -c -N0", b"abc", b"0000000\n", 0),
        Case("od -c -j 9", b"abc", b"", 1),
        Case(
            "od -w8 -c",
            b"abcdefghijkl",
            b"0000000   a   b   c   d   e   f   g   h\n\
                0000010   i   j   k   l\n\
                0000014\n",
            0,
        ),
        Case("od -w1 -An -tx1", b"ab", b" 61\n 62\n", 0),
        Case("od -c -j 0x2", b"abcdef", b"0000002   c   d   e   f\n0000006\n", 0),
        Case("od -c -j 02", b"abcdef", b"0000002   c   d   e   f\n0000006\n", 0),
    ]);
}

#[test]
fn repeated_rows() {
    agree(&[
        Case(
            "od -c",
            b"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaab",
            b"0000000   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a\n\
                *\n\
                0000100   b\n\
                0000101\n",
            0,
        ),
        Case(
            "od -v -c",
            b"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa",
            b"0000000   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a\n\
                0000020   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a\n\
                0000040   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a\n\
                0000060   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a   a\n\
                0000100\n",
            0,
        ),
        Case("od -An -tx1 -w2", b"ababababcd", b" 61 62\n*\n 63 64\n", 0),
        Case("od", b"", b"0000000\n", 0),
    ]);
}

#[test]
fn what_cannot_be_asked_for() {
    agree(&[
        Case("od -t q", b"a", b"", 1),
        Case("od -A z", b"a", b"", 1),
        Case("od -N x", b"a", b"", 1),
        Case("od -w0", b"a", b"0000000 000141\n0000001\n", 0),
        Case("od -t x3", b"a", b"", 1),
    ]);
}

#[test]
fn without_any_file_there_is_no_place() {
    agree(&[Case("od no", b"", b"", 1), Case("od no -", b"", b"0000000\n", 1)]);
}
