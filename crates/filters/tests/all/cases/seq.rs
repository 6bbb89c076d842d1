//! `seq` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn up_and_down() {
    agree(&[
        Case("seq 5", b"", b"1\n2\n3\n4\n5\n", 0),
        Case("seq 2 5", b"", b"2\n3\n4\n5\n", 0),
        Case("seq 1 2 9", b"", b"1\n3\n5\n7\n9\n", 0),
        Case("seq 5 -1 1", b"", b"5\n4\n3\n2\n1\n", 0),
        Case("seq 5 1", b"", b"", 0),
        Case("seq 1 -1 3", b"", b"", 0),
        Case("seq 0", b"", b"", 0),
        Case("seq -3", b"", b"", 0),
        Case("seq -2 2", b"", b"-2\n-1\n0\n1\n2\n", 0),
        Case("seq 10 10", b"", b"10\n", 0),
        Case("seq 1 3 11", b"", b"1\n4\n7\n10\n", 0),
        Case("seq 3 1 3", b"", b"3\n", 0),
    ]);
}

#[test]
fn fractions() {
    agree(&[
        Case("seq 0.5 2", b"", b"0.5\n1.5\n", 0),
        Case("seq 1 0.5 3", b"", b"1.0\n1.5\n2.0\n2.5\n3.0\n", 0),
        Case("seq 1.0 3", b"", b"1.0\n2.0\n3.0\n", 0),
        Case("seq 0 .25 1", b"", b"0.00\n0.25\n0.50\n0.75\n1.00\n", 0),
        Case("seq 1 .1 1.5", b"", b"1.0\n1.1\n1.2\n1.3\n1.4\n1.5\n", 0),
        Case("seq 1e1", b"", b"1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n", 0),
        Case("seq 1e2 1e2 3e2", b"", b"100\n200\n300\n", 0),
    ]);
}

#[test]
fn form() {
    agree(&[
        Case("seq -s, 4", b"", b"1,2,3,4\n", 0),
        Case("seq -s ' - ' 3", b"", b"1 - 2 - 3\n", 0),
        Case("seq -w 8 11", b"", b"08\n09\n10\n11\n", 0),
        Case("seq -w -1 1", b"", b"-1\n00\n01\n", 0),
        Case("seq -w 1 0.5 2", b"", b"1.0\n1.5\n2.0\n", 0),
        Case("seq -w 100 -50 0", b"", b"100\n050\n000\n", 0),
        Case("seq -f %03g 3", b"", b"001\n002\n003\n", 0),
        Case("seq -f 'gate-%02g' 2", b"", b"gate-01\ngate-02\n", 0),
        Case("seq -f %.2f 2", b"", b"1.00\n2.00\n", 0),
        Case("seq -f %e 1", b"", b"1.000000e+00\n", 0),
        Case("seq -f '%g%%' 2", b"", b"1%\n2%\n", 0),
        Case("seq -s '' 3", b"", b"123\n", 0),
        Case("seq -f %5g -s : 3", b"", b"    1:    2:    3\n", 0),
        Case(
            "seq 99999999999999999998 100000000000000000001",
            b"",
            b"99999999999999999998\n\
                99999999999999999999\n\
                100000000000000000000\n\
                100000000000000000001\n",
            0,
        ),
    ]);
}

#[test]
fn what_cannot_be_asked_for() {
    agree(&[
        Case("seq", b"", b"", 1),
        Case("seq x", b"", b"", 1),
        Case("seq 1 0 3", b"", b"", 1),
        Case("seq 1 2 3 4", b"", b"", 1),
        Case("seq -f %d 3", b"", b"", 1),
        Case("seq -f x 3", b"", b"", 1),
        Case("seq -f %g%g 3", b"", b"", 1),
        Case("seq -w -f %g 3", b"", b"", 1),
    ]);
}

#[test]
fn hexadecimal_numbers() {
    agree(&[
        Case("seq 0x10 0x12", b"", b"16\n17\n18\n", 0),
        Case("seq 0XfF 256", b"", b"255\n256\n", 0),
        Case("seq -0x1 1", b"", b"-1\n0\n1\n", 0),
        Case("seq 0x1p2", b"", b"1\n2\n3\n4\n", 0),
        Case("seq 0x1.8p0 0x3", b"", b"1.5\n2.5\n", 0),
        Case("seq 0x.8 2", b"", b"0.5\n1.5\n", 0),
        Case("seq 0x0 1", b"", b"0\n1\n", 0),
        Case("seq 0x", b"", b"", 1),
        Case("seq 0xg", b"", b"", 1),
        Case("seq 0x1p", b"", b"", 1),
        Case("seq 0x1p-40 1", b"", b"", 1),
        // What does not fit is refused, not turned into something else.
        Case("seq 0x1p127 1", b"", b"", 1),
        Case("seq -0x1p127 1", b"", b"", 1),
        Case("seq 1 0x1p-2147483648", b"", b"", 1),
        Case("seq 1 1e-2147483648", b"", b"", 1),
        Case("seq 0e2147483647 1", b"", b"0\n1\n", 0),
    ]);
}
