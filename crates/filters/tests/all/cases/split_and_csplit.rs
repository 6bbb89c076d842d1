//! `split_and_csplit` in cases: the line, what it reads, what it writes, its status.

use super::Written;
use super::leave;

const TEN: &[u8] = b"1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n";

const CHAPTERS: &[u8] = b"intro\n# one\na\nb\n# two\nc\n# three\nd\n";

const FILES: &[(&str, &[u8])] = &[("in.txt", b"a\nb\nc\n")];

#[test]
fn sizes_of_parts() {
    leave(
        FILES,
        &[
            Written(
                "split -l 4",
                TEN,
                b"",
                0,
                &[("xaa", b"1\n2\n3\n4\n"), ("xab", b"5\n6\n7\n8\n"), ("xac", b"9\n10\n")],
            ),
            Written(
                "split -4",
                TEN,
                b"",
                0,
                &[("xaa", b"1\n2\n3\n4\n"), ("xab", b"5\n6\n7\n8\n"), ("xac", b"9\n10\n")],
            ),
            Written(
                "split -l 4 - part.",
                TEN,
                b"",
                0,
                &[
                    ("part.aa", b"1\n2\n3\n4\n"),
                    ("part.ab", b"5\n6\n7\n8\n"),
                    ("part.ac", b"9\n10\n"),
                ],
            ),
            Written(
                "split -b 8",
                TEN,
                b"",
                0,
                &[("xaa", b"1\n2\n3\n4\n"), ("xab", b"5\n6\n7\n8\n"), ("xac", b"9\n10\n")],
            ),
            Written(
                "split -b 8 -a 3",
                TEN,
                b"",
                0,
                &[("xaaa", b"1\n2\n3\n4\n"), ("xaab", b"5\n6\n7\n8\n"), ("xaac", b"9\n10\n")],
            ),
            Written(
                "split -C 6",
                TEN,
                b"",
                0,
                &[
                    ("xaa", b"1\n2\n3\n"),
                    ("xab", b"4\n5\n6\n"),
                    ("xac", b"7\n8\n9\n"),
                    ("xad", b"10\n"),
                ],
            ),
            Written(
                "split -d -l 4",
                TEN,
                b"",
                0,
                &[("x00", b"1\n2\n3\n4\n"), ("x01", b"5\n6\n7\n8\n"), ("x02", b"9\n10\n")],
            ),
            Written(
                "split --numeric-suffixes=7 -l 4",
                TEN,
                b"",
                0,
                &[("x07", b"1\n2\n3\n4\n"), ("x08", b"5\n6\n7\n8\n"), ("x09", b"9\n10\n")],
            ),
            Written(
                "split -x -l 4",
                TEN,
                b"",
                0,
                &[("x00", b"1\n2\n3\n4\n"), ("x01", b"5\n6\n7\n8\n"), ("x02", b"9\n10\n")],
            ),
            Written(
                "split --additional-suffix=.txt -l 5",
                TEN,
                b"",
                0,
                &[("xaa.txt", b"1\n2\n3\n4\n5\n"), ("xab.txt", b"6\n7\n8\n9\n10\n")],
            ),
            Written(
                "split -l 2 in.txt out-",
                b"",
                b"",
                0,
                &[("out-aa", b"a\nb\n"), ("out-ab", b"c\n")],
            ),
            Written(
                "split -n 3 in.txt",
                b"",
                b"",
                0,
                &[("xaa", b"a\n"), ("xab", b"b\n"), ("xac", b"c\n")],
            ),
            Written(
                "split -n l/3 in.txt",
                b"",
                b"",
                0,
                &[("xaa", b"a\n"), ("xab", b"b\n"), ("xac", b"c\n")],
            ),
            Written("split -n r/2 in.txt", b"", b"", 0, &[("xaa", b"a\nc\n"), ("xab", b"b\n")]),
            Written("split -n 2/3 in.txt", b"", b"b\n", 0, &[]),
            Written("split -n l/1/2 in.txt", b"", b"a\nb\n", 0, &[]),
            Written(
                "split -t : -l 1",
                b"a:b:c",
                b"",
                0,
                &[("xaa", b"a:"), ("xab", b"b:"), ("xac", b"c")],
            ),
            Written("split -l 100", TEN, b"", 0, &[("xaa", b"1\n2\n3\n4\n5\n6\n7\n8\n9\n10\n")]),
            Written("split -l 1", b"", b"", 0, &[]),
            Written(
                "split -e -n 5 in.txt",
                b"",
                b"",
                0,
                &[("xaa", b"a"), ("xab", b"\n"), ("xac", b"b"), ("xad", b"\n"), ("xae", b"c\n")],
            ),
            Written(
                "split --verbose -l 5",
                TEN,
                b"creating file 'xaa'\ncreating file 'xab'\n",
                0,
                &[("xaa", b"1\n2\n3\n4\n5\n"), ("xab", b"6\n7\n8\n9\n10\n")],
            ),
            Written("split -l 3", b"a\nb\nc\nd", b"", 0, &[("xaa", b"a\nb\nc\n"), ("xab", b"d")]),
        ],
    );
}

#[test]
fn places_to_part_at() {
    leave(
        FILES,
        &[
            Written(
                "csplit - 3",
                TEN,
                b"4\n17\n",
                0,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written(
                "csplit - 3 7",
                TEN,
                b"4\n8\n9\n",
                0,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n6\n"), ("xx02", b"7\n8\n9\n10\n")],
            ),
            Written(
                "csplit - '/# two/'",
                CHAPTERS,
                b"16\n18\n",
                0,
                &[("xx00", b"intro\n# one\na\nb\n"), ("xx01", b"# two\nc\n# three\nd\n")],
            ),
            Written(
                "csplit - '/^#/' '{*}'",
                CHAPTERS,
                b"6\n10\n8\n10\n",
                0,
                &[
                    ("xx00", b"intro\n"),
                    ("xx01", b"# one\na\nb\n"),
                    ("xx02", b"# two\nc\n"),
                    ("xx03", b"# three\nd\n"),
                ],
            ),
            Written(
                "csplit - '/^#/' '{1}'",
                CHAPTERS,
                b"6\n10\n18\n",
                0,
                &[
                    ("xx00", b"intro\n"),
                    ("xx01", b"# one\na\nb\n"),
                    ("xx02", b"# two\nc\n# three\nd\n"),
                ],
            ),
            Written(
                "csplit - '/^#/+1'",
                CHAPTERS,
                b"12\n22\n",
                0,
                &[("xx00", b"intro\n# one\n"), ("xx01", b"a\nb\n# two\nc\n# three\nd\n")],
            ),
            Written(
                "csplit - '/two/-1'",
                CHAPTERS,
                b"14\n20\n",
                0,
                &[("xx00", b"intro\n# one\na\n"), ("xx01", b"b\n# two\nc\n# three\nd\n")],
            ),
            Written(
                "csplit - '%two%'",
                CHAPTERS,
                b"18\n",
                0,
                &[("xx00", b"# two\nc\n# three\nd\n")],
            ),
            Written(
                "csplit - '%one%' '/two/'",
                CHAPTERS,
                b"10\n18\n",
                0,
                &[("xx00", b"# one\na\nb\n"), ("xx01", b"# two\nc\n# three\nd\n")],
            ),
            Written(
                "csplit -s - 3",
                TEN,
                b"",
                0,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written(
                "csplit -z - 1 3",
                TEN,
                b"4\n17\n",
                0,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written(
                "csplit -f part. -n 3 - 4",
                TEN,
                b"6\n15\n",
                0,
                &[("part.000", b"1\n2\n3\n"), ("part.001", b"4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written(
                "csplit -b %03d.txt - 4",
                TEN,
                b"6\n15\n",
                0,
                &[("xx000.txt", b"1\n2\n3\n"), ("xx001.txt", b"4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written(
                "csplit --suppress-matched - '/^#/' '{*}'",
                CHAPTERS,
                b"6\n4\n2\n2\n",
                0,
                &[("xx00", b"intro\n"), ("xx01", b"a\nb\n"), ("xx02", b"c\n"), ("xx03", b"d\n")],
            ),
            Written(
                "csplit - 3 '{1}'",
                TEN,
                b"4\n6\n11\n",
                0,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n"), ("xx02", b"6\n7\n8\n9\n10\n")],
            ),
            Written("csplit - 99", TEN, b"21\n", 1, &[]),
            Written(
                "csplit -k - 3 99",
                TEN,
                b"4\n17\n",
                1,
                &[("xx00", b"1\n2\n"), ("xx01", b"3\n4\n5\n6\n7\n8\n9\n10\n")],
            ),
            Written("csplit - '/nothing/'", CHAPTERS, b"34\n", 1, &[]),
            Written(
                "csplit -k - '/two/' '/nothing/'",
                CHAPTERS,
                b"16\n18\n",
                1,
                &[("xx00", b"intro\n# one\na\nb\n"), ("xx01", b"# two\nc\n# three\nd\n")],
            ),
        ],
    );
}

#[test]
fn files_that_others_write() {
    leave(
        FILES,
        &[
            Written("tee copy.txt", b"a\nb\n", b"a\nb\n", 0, &[("copy.txt", b"a\nb\n")]),
            Written("tee -a in.txt", b"d\n", b"d\n", 0, &[("in.txt", b"a\nb\nc\nd\n")]),
            Written("sort -o in.txt in.txt", b"", b"", 0, &[]),
            Written("sort -r -o in.txt in.txt", b"", b"", 0, &[("in.txt", b"c\nb\na\n")]),
            Written("sort -u -o new.txt in.txt -", b"a\n", b"", 0, &[("new.txt", b"a\nb\nc\n")]),
            Written("uniq - new.txt", b"a\na\n", b"", 0, &[("new.txt", b"a\n")]),
            Written("uniq in.txt new.txt", b"", b"", 0, &[("new.txt", b"a\nb\nc\n")]),
            Written("sed -i s/a/x/ in.txt", b"", b"", 0, &[("in.txt", b"x\nb\nc\n")]),
            Written(
                "sed -i.old 's/[ab]/x/' in.txt",
                b"",
                b"",
                0,
                &[("in.txt", b"x\nx\nc\n"), ("in.txt.old", b"a\nb\nc\n")],
            ),
            Written("sed -n 'w copy.txt' in.txt", b"", b"", 0, &[("copy.txt", b"a\nb\nc\n")]),
            Written("sed '/b/w b.txt' in.txt", b"", b"a\nb\nc\n", 0, &[("b.txt", b"b\n")]),
            Written(
                "awk '{print > $1 \".txt\"}'",
                b"x 1\ny 2\nx 3\n",
                b"",
                0,
                &[("x.txt", b"x 1\nx 3\n"), ("y.txt", b"y 2\n")],
            ),
            Written("awk '{print >> \"in.txt\"}'", b"d\n", b"", 0, &[("in.txt", b"a\nb\nc\nd\n")]),
            Written(
                "awk '{print $1 > \"a.txt\"; print $2 > \"b.txt\"}'",
                b"1 2\n3 4\n",
                b"",
                0,
                &[("a.txt", b"1\n3\n"), ("b.txt", b"2\n4\n")],
            ),
        ],
    );
}

#[test]
fn what_cannot_be_asked_for() {
    leave(
        FILES,
        &[
            Written("split -l 0", TEN, b"", 1, &[]),
            Written("split -b x", TEN, b"", 1, &[]),
            Written("split -n 0 in.txt", b"", b"", 1, &[]),
            Written("split -n 4/3 in.txt", b"", b"", 1, &[]),
            Written("split -l 2 -b 3", TEN, b"", 1, &[]),
            Written("split -a 1 -l 1 - x missing", b"", b"", 1, &[]),
            Written("csplit", b"", b"", 1, &[]),
            Written("csplit -", b"", b"", 1, &[]),
            Written("csplit - x", TEN, b"", 1, &[]),
            Written("csplit - 0", TEN, b"", 1, &[]),
            Written("csplit - '/[/'", TEN, b"", 1, &[]),
            Written("csplit - '{*}'", TEN, b"", 1, &[]),
            Written("csplit missing.txt 2", b"", b"", 1, &[]),
            Written("split missing.txt", b"", b"", 1, &[]),
        ],
    );
}
