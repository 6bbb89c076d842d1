//! `printf_and_echo` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn text() {
    agree(&[
        Case("printf hello", b"", b"hello", 0),
        Case("printf 'a\\tb\\n'", b"", b"a\tb\n", 0),
        Case("printf '%s\\n' a b c", b"", b"a\nb\nc\n", 0),
        Case("printf '%s %s\\n' a b c", b"", b"a b\nc \n", 0),
        Case("printf '%5s|%-5s|\\n' ab cd", b"", b"   ab|cd   |\n", 0),
        Case("printf '%.2s\\n' abcdef", b"", b"ab\n", 0),
        Case("printf '%c%c\\n' abc def", b"", b"ad\n", 0),
        Case("printf '%b\\n' 'a\\tb'", b"", b"a\tb\n", 0),
        Case("printf '%b' 'a\\cb' c", b"", b"a", 0),
        Case("printf '%%\\n'", b"", b"%\n", 0),
        Case("printf '\\101\\x41\\n'", b"", b"AA\n", 0),
        Case("printf '%s'", b"", b"", 0),
        Case("printf 'x%sy\\n'", b"", b"xy\n", 0),
        Case("printf '%*s|\\n' 5 ab", b"", b"   ab|\n", 0),
        Case("printf '%-*s|\\n' 5 ab", b"", b"ab   |\n", 0),
        Case("printf '%.*s|\\n' 2 abcdef", b"", b"ab|\n", 0),
        Case("printf '\\\\n'", b"", b"\\n", 0),
        Case("printf '%s\\n' 'a b'", b"", b"a b\n", 0),
    ]);
}

#[test]
fn numbers() {
    agree(&[
        Case("printf '%d\\n' 42", b"", b"42\n", 0),
        Case("printf '%d\\n' -42", b"", b"-42\n", 0),
        Case("printf '%d\\n' 0x1f", b"", b"31\n", 0),
        Case("printf '%d\\n' 017", b"", b"15\n", 0),
        Case("printf '%d %d\\n' 1 2 3", b"", b"1 2\n3 0\n", 0),
        Case("printf '%5d|%-5d|%05d\\n' 42 42 42", b"", b"   42|42   |00042\n", 0),
        Case("printf '%+d % d\\n' 42 42", b"", b"+42  42\n", 0),
        Case("printf '%i\\n' 7", b"", b"7\n", 0),
        Case("printf '%o %x %X\\n' 8 255 255", b"", b"10 ff FF\n", 0),
        Case("printf '%#o %#x\\n' 8 255", b"", b"010 0xff\n", 0),
        Case("printf '%u\\n' 42", b"", b"42\n", 0),
        Case("printf '%u\\n' -1", b"", b"18446744073709551615\n", 0),
        Case("printf '%.3d\\n' 7", b"", b"007\n", 0),
        Case("printf '%f\\n' 3.14159", b"", b"3.141590\n", 0),
        Case("printf '%.2f\\n' 3.14159", b"", b"3.14\n", 0),
        Case("printf '%8.2f|\\n' 3.14159", b"", b"    3.14|\n", 0),
        Case("printf '%e\\n' 12345.678", b"", b"1.234568e+04\n", 0),
        Case("printf '%g %g\\n' 0.00001 123456789", b"", b"1e-05 1.23457e+08\n", 0),
        Case("printf '%G\\n' 1e-10", b"", b"1E-10\n", 0),
        Case("printf '%d\\n' \"'a\"", b"", b"97\n", 0),
        Case("printf '%d\\n'", b"", b"0\n", 0),
        Case("printf '%s\\n' -5", b"", b"-5\n", 0),
    ]);
}

#[test]
fn what_is_no_number() {
    agree(&[
        Case("printf '%d\\n' abc", b"", b"0\n", 1),
        Case("printf '%d\\n' 12abc", b"", b"12\n", 1),
        Case("printf '%d\\n' ''", b"", b"0\n", 0),
        Case("printf '%f\\n' x", b"", b"0.000000\n", 1),
        Case("printf", b"", b"", 1),
        Case("printf '%z' 1", b"", b"", 1),
    ]);
}

#[test]
fn echo() {
    agree(&[
        Case("echo", b"", b"\n", 0),
        Case("echo a b", b"", b"a b\n", 0),
        Case("echo 'a  b'", b"", b"a  b\n", 0),
        Case("echo -n a", b"", b"a", 0),
        Case("echo -e 'a\\tb'", b"", b"a\tb\n", 0),
        Case("echo -e 'a\\nb\\c' d", b"", b"a\nb", 0),
        Case("echo -E 'a\\tb'", b"", b"a\\tb\n", 0),
        Case("echo -en 'a\\n'", b"", b"a\n", 0),
        Case("echo -ne 'a'", b"", b"a", 0),
        Case("echo -e '\\0101 \\x41 \\\\ \\a'", b"", b"A A \\ \x07\n", 0),
        Case("echo -z", b"", b"-z\n", 0),
        Case("echo -n -e 'x\\ty'", b"", b"x\ty", 0),
        Case("echo - a", b"", b"- a\n", 0),
        Case("echo -- a", b"", b"-- a\n", 0),
    ]);
}
