//! `tr` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn sets() {
    agree(&[
        Case("tr a b", b"banana\n", b"bbnbnb\n", 0),
        Case("tr abc xyz", b"aabbccdd\n", b"xxyyzzdd\n", 0),
        Case("tr a-e A-E", b"the gate is open\n", b"thE gAtE is opEn\n", 0),
        Case("tr a-z A-Z", b"Kestrel Tarn\n", b"KESTREL TARN\n", 0),
        Case("tr '[:lower:]' '[:upper:]'", b"Kestrel Tarn 42\n", b"KESTREL TARN 42\n", 0),
        Case("tr '[:upper:]' '[:lower:]'", b"Kestrel TARN\n", b"kestrel tarn\n", 0),
        Case("tr abcdef xy", b"abcdefg\n", b"xyyyyyg\n", 0),
        Case("tr -t abcdef xy", b"abcdefg\n", b"xycdefg\n", 0),
        Case("tr abc '[x*]'", b"abcabc\n", b"xxxxxx\n", 0),
        Case("tr abcde '[x*3]yz'", b"abcde\n", b"xxxyz\n", 0),
        Case("tr a-d '[x*2]y'", b"abcd\n", b"xxyy\n", 0),
        Case("tr '\\n' ,", b"a\nb\nc\n", b"a,b,c,", 0),
        Case("tr , '\\n'", b"a,b,c\n", b"a\nb\nc\n", 0),
        Case("tr '\\t' ' '", b"a\tb\n", b"a b\n", 0),
        Case("tr '\\141' z", b"banana\n", b"bznznz\n", 0),
        Case("tr '\\\\' /", b"a\\b\\c\n", b"a/b/c\n", 0),
        Case("tr '0-9' '#'", b"gate 12 at 09:41\n", b"gate ## at ##:##\n", 0),
        Case("tr ' -/' _", b"a b-c/d.e\n", b"a_b_c_d_e\n", 0),
        Case("tr '[a-c]' '[x-z]'", b"[abc]\n", b"[xyz]\n", 0),
        Case("tr 'a-' 'b+'", b"a-a\n", b"b+b\n", 0),
        Case("tr '[=a=]' x", b"banana\n", b"bxnxnx\n", 0),
    ]);
}

#[test]
fn deleting() {
    agree(&[
        Case("tr -d aeiou", b"kestrel tarn\n", b"kstrl trn\n", 0),
        Case("tr -d '[:digit:]'", b"a1b22c333\n", b"abc\n", 0),
        Case("tr -d '\\n'", b"a\nb\n", b"ab", 0),
        Case("tr -d '[:space:]'", b"a b\tc\n", b"abc", 0),
        Case("tr -cd '[:alnum:]\\n'", b"a-b c_d!\n", b"abcd\n", 0),
        Case("tr -Cd '0-9'", b"tel. 12-34\n", b"1234", 0),
        Case("tr -d '\\r'", b"a\r\nb\r\n", b"a\nb\n", 0),
        Case("tr -d '[:punct:]'", b"it's (a) \"test\", ok?\n", b"its a test ok\n", 0),
        Case("tr -d '[:cntrl:]'", b"a\x01b\x7fc\n", b"abc", 0),
    ]);
}

#[test]
fn squeezing() {
    agree(&[
        Case("tr -s a", b"aabaaa\n", b"aba\n", 0),
        Case("tr -s ' '", b"a   b    c\n", b"a b c\n", 0),
        Case("tr -s '\\n'", b"a\n\n\nb\n\n", b"a\nb\n", 0),
        Case("tr -s a-z", b"aabbccdd  ee\n", b"abcd  e\n", 0),
        Case("tr -s ab xy", b"aabbab\n", b"xyxy\n", 0),
        Case("tr -s ' ' '\\n'", b"a  b   c\n", b"a\nb\nc\n", 0),
        Case("tr -ds a b", b"aabbaabb\n", b"b\n", 0),
        Case("tr -ds '[:digit:]' '[:space:]'", b"a1  b2   c3\n", b"a b c\n", 0),
        Case("tr -cs '[:alpha:]' '\\n'", b"the gate, the gate!\n", b"the\ngate\nthe\ngate\n", 0),
        Case("tr -s '[:upper:]' '[:lower:]'", b"AABBcc\n", b"abc\n", 0),
    ]);
}

#[test]
fn the_complement() {
    agree(&[
        Case("tr -c '[:alnum:]\\n' _", b"a b-c\n", b"a_b_c\n", 0),
        Case("tr -c 'a-z\\n' '[*]'", b"a1b\n", b"a]b\n", 0),
        Case("tr -c '[:print:]\\n' '?'", b"a\x02b\x03\n", b"a?b?\n", 0),
    ]);
}

#[test]
fn classes() {
    agree(&[
        Case("tr '[:blank:]' .", b"a b\tc\n", b"a.b.c\n", 0),
        Case("tr '[:xdigit:]' x", b"0aFgz\n", b"xxxgz\n", 0),
        Case("tr '[:graph:]' x", b"a b!\n", b"x xx\n", 0),
        Case("tr '[:alpha:]' x", b"a1B2\n", b"x1x2\n", 0),
    ]);
}

#[test]
fn what_cannot_be_asked_for() {
    agree(&[
        Case("tr", b"a", b"", 1),
        Case("tr a", b"a", b"", 1),
        Case("tr -d a b", b"a", b"", 1),
        Case("tr a ''", b"a", b"", 1),
        Case("tr '[:nothing:]' x", b"a", b"", 1),
        Case("tr z-a x", b"a", b"", 1),
        Case("tr a b c", b"a", b"", 1),
        Case("tr -d", b"a", b"", 1),
    ]);
}

#[test]
fn sets_that_do_not_say_what_a_character_becomes() {
    for line in [
        "tr a [:alpha:]",
        "tr -s a [:digit:]",
        "tr a [:upper:]",
        "tr [:lower:]a b[:upper:]",
        "tr [:digit:] [:lower:]",
        "tr -t [:digit:] [:lower:]",
        "tr -c a [:lower:]",
        "tr -c [:lower:] [:upper:]",
        "tr -c [:alpha:] xy",
        "tr -c a [=b=]",
        "tr a [=b=]",
        "tr [1*]2 ab",
        "tr abc ''",
    ] {
        agree(&[Case(line, b"abc ABC 12", b"", 1)]);
    }
    agree(&[
        Case("tr [1*3]2 abcd", b"12 3", b"cd 3", 0),
        Case("tr -c [1*3] x", b"a1b", b"x1x", 0),
        Case("tr [1*010]2 abcdefghijk", b"12", b"hi", 0),
        Case("tr a[:lower:] b[:upper:]", b"abc", b"ABC", 0),
        Case("tr [:upper:] [:upper:]", b"aB", b"aB", 0),
        Case("tr -ds a [:digit:]", b"aa11b", b"1b", 0),
        Case("tr -c [:alpha:] x", b"a 1", b"axx", 0),
        Case("tr -c [:alpha:] [x*]", b"a 1", b"axx", 0),
        Case("tr [:lower:] [x*]", b"ab1", b"xx1", 0),
        Case("tr ab[:lower:] [x*][:upper:]", b"abc1", b"ABC1", 0),
    ]);
}
