//! `sort` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree_among;

const LOG: &[u8] = b"09:41 gate-03 refused 12\n\
      09:40 gate-01 passed 7\n\
      09:41 gate-02 passed 120\n\
      08:15 gate-10 refused 7\n";

const NUMBERS: &[u8] = b"10\n9\n-3\n2.5\n+4\n0x10\n\nabc\n1e3\n 7\n002\n";

const SIZES: &[u8] = b"1K\n2M\n3\n1G\n512\n10k\n-1K\n1.5M\n";

const VERSIONS: &[u8] = b"v1.10\n\
      v1.9\n\
      v1.09\n\
      v1.9-rc1\n\
      v2\n\
      v1.9.1\n\
      .hidden\n\
      v1.9~beta\n";

const MONTHS: &[u8] = b"Mar 3\njan 12\nDEC 1\nfoo\nFeb\n  Apr\n";

const CASES: &[u8] = b"b\nB\na\nA\n_\n-a\n a\n.b\n";

const COLONS: &[u8] = b"c:3:x\na:20:y\nb:3:w\na:3:z\n:1:\n";

const FILES: &[(&str, &[u8])] = &[
    ("one.txt", b"a\nc\ne\n"),
    ("two.txt", b"b\nc\nd\n"),
    ("names.bin", b"one.txt\x00two.txt\x00"),
];

#[test]
fn whole_lines() {
    agree_among(
        FILES,
        &[
            Case(
                "sort",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
            Case(
                "sort -r",
                LOG,
                b"09:41 gate-03 refused 12\n\
                09:41 gate-02 passed 120\n\
                09:40 gate-01 passed 7\n\
                08:15 gate-10 refused 7\n",
                0,
            ),
            Case(
                "sort -u",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
            Case("sort -f", CASES, b" a\n-a\n.b\nA\na\nB\nb\n_\n", 0),
            Case("sort", CASES, b" a\n-a\n.b\nA\nB\n_\na\nb\n", 0),
            Case("sort -d", CASES, b"_\n a\nA\nB\n-a\na\n.b\nb\n", 0),
            Case("sort -i", CASES, b" a\n-a\n.b\nA\nB\n_\na\nb\n", 0),
            Case("sort -df", CASES, b"_\n a\n-a\nA\na\n.b\nB\nb\n", 0),
            Case("sort -b", CASES, b"-a\n.b\nA\nB\n_\n a\na\nb\n", 0),
            Case("sort -fu", CASES, b" a\n-a\n.b\na\nb\n_\n", 0),
            Case("sort -s -f", CASES, b" a\n-a\n.b\na\nA\nb\nB\n_\n", 0),
            Case("sort -fr", CASES, b"_\nb\nB\na\nA\n.b\n-a\n a\n", 0),
            Case("sort -sfr", CASES, b"_\nb\nB\na\nA\n.b\n-a\n a\n", 0),
        ],
    );
}

#[test]
fn numbers() {
    agree_among(
        FILES,
        &[
            Case("sort -n", NUMBERS, b"-3\n\n+4\n0x10\nabc\n1e3\n002\n2.5\n 7\n9\n10\n", 0),
            Case("sort -nr", NUMBERS, b"10\n9\n 7\n2.5\n002\n1e3\nabc\n0x10\n+4\n\n-3\n", 0),
            Case("sort -g", NUMBERS, b"\nabc\n-3\n002\n2.5\n+4\n 7\n9\n10\n0x10\n1e3\n", 0),
            Case("sort -gr", NUMBERS, b"1e3\n0x10\n10\n9\n 7\n+4\n2.5\n002\n-3\nabc\n\n", 0),
            Case("sort -nu", NUMBERS, b"-3\n+4\n1e3\n002\n2.5\n 7\n9\n10\n", 0),
            Case("sort -n -s", NUMBERS, b"-3\n+4\n0x10\n\nabc\n1e3\n002\n2.5\n 7\n9\n10\n", 0),
            Case("sort -n", b"1,000\n2\n1,5\n", b"1,000\n1,5\n2\n", 0),
            Case("sort -n", b"-0\n0\n-1\n.5\n-.5\n", b"-1\n-.5\n-0\n0\n.5\n", 0),
            Case(
                "sort -n",
                b"18446744073709551617\n18446744073709551616\n3\n",
                b"3\n18446744073709551616\n18446744073709551617\n",
                0,
            ),
            Case("sort -n", b"0.10\n0.1\n0.01\n", b"0.01\n0.1\n0.10\n", 0),
            Case("sort -g", b"nan\n1\n-inf\ninf\nx\n1e-3\n", b"x\nnan\n-inf\n1e-3\n1\ninf\n", 0),
            Case("sort -h", SIZES, b"-1K\n3\n512\n1K\n10k\n1.5M\n2M\n1G\n", 0),
            Case("sort -hr", SIZES, b"1G\n2M\n1.5M\n10k\n1K\n512\n3\n-1K\n", 0),
            Case(
                "sort -V",
                VERSIONS,
                b".hidden\n\
                v1.9~beta\n\
                v1.09\n\
                v1.9\n\
                v1.9-rc1\n\
                v1.9.1\n\
                v1.10\n\
                v2\n",
                0,
            ),
            Case(
                "sort -Vr",
                VERSIONS,
                b"v2\n\
                v1.10\n\
                v1.9.1\n\
                v1.9-rc1\n\
                v1.9\n\
                v1.09\n\
                v1.9~beta\n\
                .hidden\n",
                0,
            ),
            Case("sort -M", MONTHS, b"foo\njan 12\nFeb\nMar 3\n  Apr\nDEC 1\n", 0),
            Case("sort -Mr", MONTHS, b"DEC 1\n  Apr\nMar 3\nFeb\njan 12\nfoo\n", 0),
        ],
    );
}

#[test]
fn keys() {
    agree_among(
        FILES,
        &[
            Case(
                "sort -k2",
                LOG,
                b"09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n\
                08:15 gate-10 refused 7\n",
                0,
            ),
            Case(
                "sort -k2,2",
                LOG,
                b"09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n\
                08:15 gate-10 refused 7\n",
                0,
            ),
            Case(
                "sort -k3,3 -k4n",
                LOG,
                b"09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                08:15 gate-10 refused 7\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
            Case(
                "sort -k3,3r -k4,4n",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:41 gate-03 refused 12\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n",
                0,
            ),
            Case(
                "sort -k4n",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-03 refused 12\n\
                09:41 gate-02 passed 120\n",
                0,
            ),
            Case(
                "sort -k4,4nr -k2,2",
                LOG,
                b"09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n\
                09:40 gate-01 passed 7\n\
                08:15 gate-10 refused 7\n",
                0,
            ),
            Case(
                "sort -k1,1 -s",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-03 refused 12\n\
                09:41 gate-02 passed 120\n",
                0,
            ),
            Case(
                "sort -k1.4,1.5n",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
            Case(
                "sort -k2.6n",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:41 gate-03 refused 12\n\
                09:41 gate-02 passed 120\n\
                09:40 gate-01 passed 7\n",
                0,
            ),
            Case(
                "sort -k 2.6,2.7nr",
                LOG,
                b"09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n\
                08:15 gate-10 refused 7\n",
                0,
            ),
            Case("sort -k3,3 -u", LOG, b"09:40 gate-01 passed 7\n09:41 gate-03 refused 12\n", 0),
            Case("sort -t: -k2", COLONS, b":1:\na:20:y\nb:3:w\nc:3:x\na:3:z\n", 0),
            Case("sort -t: -k2,2n", COLONS, b":1:\na:3:z\nb:3:w\nc:3:x\na:20:y\n", 0),
            Case("sort -t: -k2,2n -k1,1r", COLONS, b":1:\nc:3:x\nb:3:w\na:3:z\na:20:y\n", 0),
            Case("sort -t: -k1,1 -k3", COLONS, b":1:\na:20:y\na:3:z\nb:3:w\nc:3:x\n", 0),
            Case("sort -t: -k3 -r", COLONS, b"a:3:z\na:20:y\nc:3:x\nb:3:w\n:1:\n", 0),
            Case("sort -t: -n -k2", COLONS, b":1:\na:3:z\nb:3:w\nc:3:x\na:20:y\n", 0),
            Case("sort -t: -k2n,2", COLONS, b":1:\na:3:z\nb:3:w\nc:3:x\na:20:y\n", 0),
            Case("sort -t: -u -k2,2n", COLONS, b":1:\nc:3:x\na:20:y\n", 0),
            Case(
                "sort -k9",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
            Case("sort -k1.9", COLONS, b":1:\na:20:y\na:3:z\nb:3:w\nc:3:x\n", 0),
            Case("sort -k2b,2", b"a   z\nb  y\nc x\n", b"c x\nb  y\na   z\n", 0),
            Case("sort -k2,2", b"a   z\nb  y\nc x\n", b"a   z\nb  y\nc x\n", 0),
            Case("sort -k2.1b", b"a   z\nb  y\nc x\n", b"c x\nb  y\na   z\n", 0),
            Case("sort -k2,2f -k1,1", b"1 B\n2 a\n3 b\n4 A\n", b"2 a\n4 A\n1 B\n3 b\n", 0),
            Case("sort -k1,1M -k2n", MONTHS, b"foo\njan 12\nFeb\nMar 3\n  Apr\nDEC 1\n", 0),
            Case("sort -t, -k2,2h", b"a,2K\nb,1M\nc,3\n", b"c,3\na,2K\nb,1M\n", 0),
            Case("sort -t '\\0' -k2", b"a\x00z\nb\x00y\n", b"b\x00y\na\x00z\n", 0),
        ],
    );
}

#[test]
fn is_it_in_order() {
    agree_among(
        FILES,
        &[
            Case("sort -c", b"a\nb\n", b"", 0),
            Case("sort -c", b"b\na\n", b"", 1),
            Case("sort -C", b"b\na\n", b"", 1),
            Case("sort -cu", b"a\na\n", b"", 1),
            Case("sort -c -n", b"1\n2\n10\n", b"", 0),
            Case("sort -c -r", b"3\n2\n1\n", b"", 0),
            Case("sort -c -k2", b"b 1\na 2\n", b"", 0),
            Case("sort -C", b"", b"", 0),
        ],
    );
}

#[test]
fn several_files_merged() {
    agree_among(
        FILES,
        &[
            Case("sort one.txt two.txt", b"", b"a\nb\nc\nc\nd\ne\n", 0),
            Case("sort -m one.txt two.txt", b"", b"a\nb\nc\nc\nd\ne\n", 0),
            Case("sort -mu one.txt two.txt", b"", b"a\nb\nc\nd\ne\n", 0),
            Case("sort -mr one.txt two.txt", b"", b"b\nc\nd\na\nc\ne\n", 0),
            Case("sort -m one.txt -", b"bb\nz\n", b"a\nbb\nc\ne\nz\n", 0),
            Case("sort -m", b"", b"", 0),
            Case("sort -u one.txt two.txt", b"", b"a\nb\nc\nd\ne\n", 0),
            Case("sort one.txt missing.txt", b"", b"", 2),
            Case("sort - one.txt", b"d\n", b"a\nc\nd\ne\n", 0),
        ],
    );
}

#[test]
fn ends_of_lines() {
    agree_among(
        FILES,
        &[
            Case("sort", b"b\na", b"a\nb\n", 0),
            Case("sort", b"\n\na\n", b"\n\na\n", 0),
            Case("sort -z", b"b\x00a\x00c", b"a\x00b\x00c\x00", 0),
            Case("sort -z", b"b\nx\x00a\x00", b"a\x00b\nx\x00", 0),
            Case("sort", b"", b"", 0),
            Case("sort -u", b"a\na", b"a\n", 0),
            Case("sort", b"\xff\na\n\x80\n", b"a\n\x80\n\xff\n", 0),
        ],
    );
}

#[test]
fn other_ways_to_say_it() {
    agree_among(
        FILES,
        &[
            Case("sort --reverse --numeric-sort", b"1\n3\n2\n", b"3\n2\n1\n", 0),
            Case(
                "sort --key=2,2 --field-separator=:",
                COLONS,
                b":1:\na:20:y\na:3:z\nb:3:w\nc:3:x\n",
                0,
            ),
            Case("sort --sort=numeric", b"10\n9\n", b"9\n10\n", 0),
            Case("sort --sort=version", b"a10\na9\n", b"a9\na10\n", 0),
            Case("sort --sort=human-numeric", b"1K\n2\n", b"2\n1K\n", 0),
            Case("sort --sort=month", b"feb\njan\n", b"jan\nfeb\n", 0),
            Case("sort --ignore-case", b"B\na\n", b"a\nB\n", 0),
            Case("sort --unique --stable", b"b\na\nb\n", b"a\nb\n", 0),
            Case("sort --parallel=2 -S 1M", b"b\na\n", b"a\nb\n", 0),
            Case("sort -rn -k1", b"1\n3\n2\n", b"3\n2\n1\n", 0),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    agree_among(
        FILES,
        &[
            Case("sort -k", LOG, b"", 2),
            Case("sort -k0", LOG, b"", 2),
            Case("sort -k1.0", LOG, b"", 2),
            Case("sort -kx", LOG, b"", 2),
            Case("sort -t ab", LOG, b"", 2),
            Case("sort -t ''", LOG, b"", 2),
            Case("sort -nM", LOG, b"", 2),
            Case("sort -gh", LOG, b"", 2),
            Case("sort -c one.txt two.txt", b"", b"", 2),
            Case("sort -co x", LOG, b"", 2),
            Case(
                "sort -k2,1n",
                LOG,
                b"08:15 gate-10 refused 7\n\
                09:40 gate-01 passed 7\n\
                09:41 gate-02 passed 120\n\
                09:41 gate-03 refused 12\n",
                0,
            ),
        ],
    );
}
