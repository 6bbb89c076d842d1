//! `date` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

#[test]
fn a_given_time() {
    agree(&[
        Case("date -u -d @0", b"", b"Thu Jan  1 00:00:00 UTC 1970\n", 0),
        Case("date -u -d @0 +%Y-%m-%d", b"", b"1970-01-01\n", 0),
        Case("date -u -d @86399 +%H:%M:%S", b"", b"23:59:59\n", 0),
        Case("date -u -d @1700000000 '+%a %A %b %B'", b"", b"Tue Tuesday Nov November\n", 0),
        Case("date -u -d @1700000000 '+%d %e %j %m %y %C'", b"", b"14 14 318 11 23 20\n", 0),
        Case(
            "date -u -d @1700000000 '+%I %l %k %p %P %r'",
            b"",
            b"10 10 22 PM pm 10:13:20 PM\n",
            0,
        ),
        Case(
            "date -u -d @1700000000 '+%D %F %T %R'",
            b"",
            b"11/14/23 2023-11-14 22:13:20 22:13\n",
            0,
        ),
        Case("date -u -d @1700000000 '+%u %w %U %W %V %G %g'", b"", b"2 2 46 46 46 2023 23\n", 0),
        Case(
            "date -u -d @1700000000 '+%s %N %z %Z %:z'",
            b"",
            b"1700000000 000000000 +0000 UTC +00:00\n",
            0,
        ),
        Case(
            "date -u -d @1700000000 '+%c|%x|%X'",
            b"",
            b"Tue Nov 14 22:13:20 2023|11/14/23|22:13:20\n",
            0,
        ),
        Case("date -u -d @1700000000 '+%n%t%%'", b"", b"\n\t%\n", 0),
        Case("date -u -d @1700000000 '+%-d %_d %05d %^a %#Z'", b"", b"14 14 00014 TUE utc\n", 0),
        Case("date -u -d @1700000000 +%h", b"", b"Nov\n", 0),
        Case("date -u -d @1700000000.5 +%s.%N", b"", b"1700000000.500000000\n", 0),
        Case("date -u -d @-1 +%F_%T", b"", b"1969-12-31_23:59:59\n", 0),
        Case("date -u -d '2031-04-02' +%s", b"", b"1932854400\n", 0),
        Case("date -u -d '2031-04-02 09:41' +%s", b"", b"1932889260\n", 0),
        Case("date -u -d '2031-04-02 09:41:07' +%F_%T", b"", b"2031-04-02_09:41:07\n", 0),
        Case("date -u -d '2031-04-02T09:41:07Z' +%s", b"", b"1932889267\n", 0),
        Case("date -u -d '2031-04-02 09:41:07 +0200' +%s", b"", b"1932882067\n", 0),
        Case("date -u -d '2031-02-28 1 day' +%F", b"", b"2031-03-01\n", 0),
        Case("date -u -d '2031-03-31 1 month ago' +%F", b"", b"2031-03-03\n", 0),
        Case("date -u -d '2031-04-02 2 weeks ago' +%F", b"", b"2031-03-19\n", 0),
        Case("date -u -d '2031-04-02 3 hours' +%F_%T", b"", b"2031-04-02_03:00:00\n", 0),
        Case("date -u -d '2032-02-29 1 year' +%F", b"", b"2033-03-01\n", 0),
    ]);
}

#[test]
fn forms() {
    agree(&[
        Case("date -u -d @0 -I", b"", b"1970-01-01\n", 0),
        Case("date -u -d @0 -Iseconds", b"", b"1970-01-01T00:00:00+00:00\n", 0),
        Case("date -u -d @0 -Ihours", b"", b"1970-01-01T00+00:00\n", 0),
        Case("date -u -d @0 -R", b"", b"Thu, 01 Jan 1970 00:00:00 +0000\n", 0),
        Case("date -u -d @0 --rfc-3339=date", b"", b"1970-01-01\n", 0),
        Case("date -u -d @0 --rfc-3339=seconds", b"", b"1970-01-01 00:00:00+00:00\n", 0),
        Case("date -u -d @0 --iso-8601=minutes", b"", b"1970-01-01T00:00+00:00\n", 0),
    ]);
}

#[test]
fn what_cannot_be_asked_for() {
    agree(&[
        Case("date -d nonsense-at-all", b"", b"", 1),
        Case("date -u -d 2031-13-01", b"", b"", 1),
        Case("date -u -d @0 one two", b"", b"", 1),
        Case("date -Iyears", b"", b"", 1),
    ]);
}
