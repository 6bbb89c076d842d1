//! `numfmt` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn from_and_to_units() {
    agree(&[
        Case("numfmt --to=iec", b"1024\n1536\n1048576\n999\n", b"1.0K\n1.5K\n1.0M\n999\n", 0),
        Case("numfmt --to=si", b"1000\n1500\n123456789\n", b"1.0K\n1.5K\n124M\n", 0),
        Case("numfmt --to=iec-i", b"2048\n", b"2.0Ki\n", 0),
        Case("numfmt --from=iec", b"1K\n2M\n1.5G\n7\n", b"1024\n2097152\n1610612736\n7\n", 0),
        Case("numfmt --from=si", b"1K\n2M\n", b"1000\n2000000\n", 0),
        Case("numfmt --from=iec-i", b"1Ki\n3Mi\n", b"1024\n3145728\n", 0),
        Case("numfmt --from=auto", b"1K\n1Ki\n", b"1000\n1024\n", 0),
        Case("numfmt --from=si --to=iec", b"1M\n", b"977K\n", 0),
        Case("numfmt --to=iec 2048 4096", b"", b"2.0K\n4.0K\n", 0),
        Case("numfmt --to-unit=1024", b"4096\n", b"4\n", 0),
        Case("numfmt --from-unit=512", b"4\n", b"2048\n", 0),
        Case("numfmt --from-unit=1024 --to=iec", b"3\n", b"3.0K\n", 0),
    ]);
}

#[test]
fn rounding() {
    agree(&[
        Case("numfmt --to=si --round=up", b"1001\n1999\n", b"1.1K\n2.0K\n", 0),
        Case("numfmt --to=si --round=down", b"1001\n1999\n", b"1.0K\n1.9K\n", 0),
        Case("numfmt --to=si --round=nearest", b"1449\n1450\n1550\n", b"1.4K\n1.5K\n1.6K\n", 0),
        Case("numfmt --to=si --round=towards-zero", b"-1999\n", b"-1.9K\n", 0),
        Case("numfmt --to=si --round=from-zero", b"-1001\n", b"-1.1K\n", 0),
        Case("numfmt --to=si", b"9999\n99999\n-1500\n", b"10K\n100K\n-1.5K\n", 0),
    ]);
}

#[test]
fn form() {
    agree(&[
        Case("numfmt --format=%10.2f", b"3.14159\n", b"      3.15\n", 0),
        Case("numfmt --format=%-10.1f", b"3.14159\n", b"3.2       \n", 0),
        Case("numfmt --format=%010.1f", b"3.14159\n", b"00000003.2\n", 0),
        Case("numfmt --format='[%f]' --to=iec", b"2048\n", b"[2.0K]\n", 0),
        Case("numfmt --format=\"%'f\"", b"1234567\n", b"\"1234567\"\n", 0),
        Case("numfmt --padding=8 --to=iec", b"2048\n", b"    2.0K\n", 0),
        Case("numfmt --padding=-8 --to=iec", b"2048\n", b"2.0K    \n", 0),
        Case("numfmt --suffix=B --to=iec", b"2048\n", b"2.0KB\n", 0),
        Case("numfmt --suffix=B --from=iec", b"2KB\n", b"2048B\n", 0),
        Case("numfmt --grouping", b"1234567\n", b"1234567\n", 0),
    ]);
}

#[test]
fn fields_and_headings() {
    agree(&[
        Case("numfmt --field=2 --to=iec", b"a 2048 b\n", b"a 2.0K b\n", 0),
        Case("numfmt --field=2- --to=si", b"1 2000 3000\n", b"1 2.0K 3.0K\n", 0),
        Case("numfmt --field=1,3 --to=si", b"1000 2000 3000\n", b"1.0K 2000 3.0K\n", 0),
        Case("numfmt -d: --field=2 --to=iec", b"a:2048:b\n", b"a:2.0K:b\n", 0),
        Case("numfmt --header --to=iec", b"size\n2048\n", b"size\n2.0K\n", 0),
        Case("numfmt --header=2 --to=iec", b"a\nb\n2048\n", b"a\nb\n2.0K\n", 0),
        Case("numfmt --field=- --to=si", b"1000 2000\n", b"1.0K 2.0K\n", 0),
        Case("numfmt -z --to=iec", b"2048\x001024\x00", b"2.0K\x001.0K\x00", 0),
    ]);
}

#[test]
fn what_is_no_number() {
    agree(&[
        Case("numfmt", b"abc\n", b"", 2),
        Case("numfmt --invalid=ignore --to=iec", b"abc\n2048\n", b"abc\n2.0K\n", 0),
        Case("numfmt --invalid=warn --to=iec", b"abc\n2048\n", b"abc\n2.0K\n", 0),
        Case("numfmt --invalid=fail --to=iec", b"abc\n2048\n", b"abc\n2.0K\n", 2),
        Case("numfmt", b"1K\n", b"", 2),
        Case("numfmt --from=iec", b"1X\n", b"", 2),
        Case("numfmt --from=iec-i", b"1K\n", b"", 2),
        Case("numfmt --to=nothing", b"1", b"", 1),
        Case("numfmt --round=sideways", b"1", b"", 1),
        Case("numfmt --format=%d", b"1", b"", 1),
        Case("numfmt --padding=0", b"1", b"", 1),
        Case("numfmt", b"\n", b"", 2),
    ]);
}
