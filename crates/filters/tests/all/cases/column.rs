//! `column` in cases: the line, what it reads, what it writes, its status.

use super::Case;
use super::agree;

const ROWS: &[u8] = b"name pass gates\n\
      Ida day 12\n\
      Odo  week\n\
      \n\
      Una year 7\n";

const COLONS: &[u8] = b"a:bb:c\nlonger:x:y\n:z\n";

#[test]
fn tables() {
    agree(&[
        Case(
            "column -t",
            ROWS,
            b"name  pass  gates\n\
                Ida   day   12\n\
                Odo   week  \n\
                Una   year  7\n",
            0,
        ),
        Case("column -t -s:", COLONS, b"a       bb  c\nlonger  x   y\n        z   \n", 0),
        Case(
            "column -t -s: -o ' | '",
            COLONS,
            b"a      | bb | c\nlonger | x  | y\n       | z  | \n",
            0,
        ),
        Case(
            "column -t -o,",
            ROWS,
            b"name,pass,gates\n\
                Ida ,day ,12\n\
                Odo ,week,\n\
                Una ,year,7\n",
            0,
        ),
        Case(
            "column -t -R 2",
            ROWS,
            b"name  pass  gates\n\
                Ida    day  12\n\
                Odo   week  \n\
                Una   year  7\n",
            0,
        ),
        Case(
            "column -t -N one,two,three",
            ROWS,
            b"one   two   three\n\
                name  pass  gates\n\
                Ida   day   12\n\
                Odo   week  \n\
                Una   year  7\n",
            0,
        ),
    ]);
}

#[test]
fn filled_columns() {
    agree(&[
        Case("column -c 40", b"a\nb\nc\nd\ne\n", b"a\tb\tc\td\te\n", 0),
        Case("column -x -c 40", b"a\nb\nc\nd\ne\n", b"a\tb\tc\td\te\n", 0),
        Case("column -c 20", b"alpha\nbeta\ngamma\ndelta\n", b"alpha\tgamma\nbeta\tdelta\n", 0),
        Case("column", b"a\n", b"a\n", 0),
        Case("column", b"", b"", 0),
    ]);
}
