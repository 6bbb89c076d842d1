//! `bc` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn sums() {
    agree(&[
        Case("bc", b"1 + 2 * 3\n", b"7\n", 0),
        Case("bc", b"7 / 2\n", b"3\n", 0),
        Case("bc", b"scale = 3; 7 / 2\n", b"3.500\n", 0),
        Case("bc", b"7 % 3\n-7 % 3\n", b"1\n-1\n", 0),
        Case("bc", b"scale = 2; 7.5 % 2\n", b"0\n", 0),
        Case("bc", b"2 ^ 100\n", b"1267650600228229401496703205376\n", 0),
        Case("bc", b"2 ^ -1\n", b"0\n", 0),
        Case("bc", b"scale = 5; 2 ^ -3\n", b".12500\n", 0),
        Case("bc", b"-2 ^ 2\n", b"4\n", 0),
        Case("bc", b"1.5 * 1.5\n", b"2.2\n", 0),
        Case("bc", b"1.50 + 1\n", b"2.50\n", 0),
        Case("bc", b"0.1 + 0.2\n", b".3\n", 0),
        Case("bc", b"(1 + 2) * 3\n", b"9\n", 0),
        Case("bc", b"10 - 3 - 2\n", b"5\n", 0),
        Case("bc", b"-5 + 3\n", b"-2\n", 0),
        Case("bc", b"00012\n.5\n-.5\n", b"12\n.5\n-.5\n", 0),
        Case("bc", b"1;2;3\n", b"1\n2\n3\n", 0),
        Case(
            "bc",
            b"123456789012345678901234567890 * 987654321098765432109876543210\n",
            b"121932631137021795226185032733622923332237463801111263526900\n",
            0,
        ),
        Case("bc", b"1 / 3\n", b"0\n", 0),
        Case("bc", b"scale = 40; 1 / 3\n", b".3333333333333333333333333333333333333333\n", 0),
        Case(
            "bc",
            b"scale = 80; 1 / 7\n",
            b".1428571428571428571428571428571428571428571428571428571428571428571\\\n\
                4285714285714\n",
            0,
        ),
        Case("bc -l", b"1 / 3\n", b".33333333333333333333\n", 0),
    ]);
}

#[test]
fn comparing_and_truth() {
    agree(&[
        Case("bc", b"1 < 2\n2 < 1\n1 == 1\n1 != 1\n2 >= 2\n1 <= 0\n", b"1\n0\n1\n0\n1\n0\n", 0),
        Case("bc", b"1 && 0\n1 || 0\n!0\n!5\n", b"0\n1\n1\n0\n", 0),
        Case("bc", b"3 > 2 && 2 > 1\n", b"1\n", 0),
    ]);
}

#[test]
fn variables() {
    agree(&[
        Case("bc", b"x = 5\nx\nx + 1\n", b"5\n6\n", 0),
        Case(
            "bc",
            b"x = 5; x += 2; x\n\
                x -= 1; x\n\
                x *= 3; x\n\
                x /= 2; x\n\
                x %= 4; x\n\
                x ^= 3; x\n",
            b"7\n6\n18\n9\n1\n1\n",
            0,
        ),
        Case("bc", b"x = 1; x++; ++x; x--; --x\n", b"1\n3\n3\n1\n", 0),
        Case("bc", b"a[1] = 5; a[2] = 6; a[1] + a[2]; a[9]\n", b"11\n0\n", 0),
        Case("bc", b"(x = 5)\n", b"5\n", 0),
        Case("bc", b"y\n", b"0\n", 0),
        Case("bc", b"last\n3\nlast + 1\n. + 1\n", b"0\n3\n4\n5\n", 0),
        Case("bc", b"scale\nibase\nobase\n", b"0\n10\n10\n", 0),
        Case("bc", b"long_name = 3; long_name\n", b"3\n", 0),
    ]);
}

#[test]
fn bases() {
    agree(&[
        Case("bc", b"obase = 2; 10\n", b"1010\n", 0),
        Case("bc", b"obase = 16; 255; 4096\n", b"FF\n1000\n", 0),
        Case("bc", b"ibase = 16; FF\n", b"255\n", 0),
        Case("bc", b"ibase = 2; 1010; 11\n", b"10\n3\n", 0),
        Case("bc", b"obase = 16; ibase = 2; 1111\n", b"F\n", 0),
        Case("bc", b"obase = 20; 399\n", b" 19 19\n", 0),
        Case("bc", b"obase = 2; 0.5\n", b".1000\n", 0),
        Case("bc", b"ibase = 8; 17; ibase = A; 17\n", b"15\n17\n", 0),
    ]);
}

#[test]
fn control() {
    agree(&[
        Case("bc", b"if (1) 5\nif (0) 6\n", b"5\n", 0),
        Case("bc", b"if (0) 1 else 2\n", b"2\n", 0),
        Case("bc", b"for (i = 0; i < 3; i++) i\n", b"0\n1\n2\n", 0),
        Case("bc", b"i = 0; while (i < 3) { i; i += 1 }\n", b"0\n1\n2\n", 0),
        Case("bc", b"for (i = 0; ; i++) { if (i == 3) break; i }\n", b"0\n1\n2\n", 0),
        Case("bc", b"for (i = 0; i < 4; i++) { if (i == 1) continue; i }\n", b"0\n2\n3\n", 0),
        Case("bc", b"{ 1; 2 }\n", b"1\n2\n", 0),
        Case("bc", b"if (1) { 1\n2\n}\n", b"1\n2\n", 0),
        Case("bc", b"1\nquit\n2\n", b"1\n", 0),
        Case("bc", b"if (1) halt\n2\n", b"", 0),
        Case("bc", b"print \"a\", 1 + 1, \"\\n\"\n", b"a2\n", 0),
        Case("bc", b"\"text\"\n5\n", b"text5\n", 0),
        Case("bc", b"/* comment */ 5 # rest\n6\n", b"5\n6\n", 0),
        Case("bc", b"1 + \\\n2\n", b"3\n", 0),
    ]);
}

#[test]
fn functions() {
    agree(&[
        Case("bc", b"define f(x) { return (x * 2); }\nf(4)\n", b"8\n", 0),
        Case(
            "bc",
            b"define f(n) { if (n < 2) return (1); return (n * f(n - 1)); }\n\
                f(20)\n",
            b"2432902008176640000\n",
            0,
        ),
        Case(
            "bc",
            b"define f(x) { auto y; y = x + 1; return (y); }\n\
                y = 7; f(1); y\n",
            b"2\n7\n",
            0,
        ),
        Case(
            "bc",
            b"define f(a[]) { return (a[0] + a[1]); }\n\
                b[0] = 3; b[1] = 4; f(b[])\n",
            b"7\n",
            0,
        ),
        Case("bc", b"define f() { 5; }\nf()\n", b"5\n0\n", 0),
        Case("bc", b"length(12345); length(0.05); scale(1.234)\n", b"5\n2\n3\n", 0),
        Case("bc", b"sqrt(16); sqrt(2)\n", b"4\n1\n", 0),
        Case("bc", b"scale = 10; sqrt(2)\n", b"1.4142135623\n", 0),
        Case(
            "bc -l",
            b"s(0); c(0); e(0); l(1); a(0)\n",
            b"0\n\
                1.00000000000000000000\n\
                1.00000000000000000000\n\
                0\n\
                0\n",
            0,
        ),
        Case("bc -l", b"e(1)\n", b"2.71828182845904523536\n", 0),
        Case("bc -l", b"s(1)\n", b".84147098480789650665\n", 0),
        Case("bc -l", b"a(1) * 4\n", b"3.14159265358979323844\n", 0),
        Case("bc -l", b"l(2)\n", b".69314718055994530941\n", 0),
        Case("bc -l", b"scale = 5; e(2)\n", b"7.38905\n", 0),
    ]);
}

#[test]
fn long_results() {
    agree(&[
        Case(
            "bc",
            b"2 ^ 300\n",
            b"20370359763344860862684456884093781610514683936659362506361404493543\\\n\
                81299763336706183397376\n",
            0,
        ),
        Case(
            "bc",
            b"obase = 2; 2 ^ 80 - 1\n",
            b"11111111111111111111111111111111111111111111111111111111111111111111\\\n\
                111111111111\n",
            0,
        ),
        Case(
            "bc",
            b"scale = 100; 1 / 3\n",
            b".3333333333333333333333333333333333333333333333333333333333333333333\\\n\
                333333333333333333333333333333333\n",
            0,
        ),
    ]);
}
