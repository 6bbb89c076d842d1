//! What would change in files, line by line.

use engine::Sample;
use insight::{Side, difference, difference_of};

use super::{file, preview_of};

/// The rows, a line each: side, numbers, text.
fn shown(rows: &insight::Difference) -> String {
    let mut out = String::new();
    for row in &rows.rows {
        let number = |number: Option<usize>| number.map_or("-".to_owned(), |at| at.to_string());
        let side = match row.side {
            Side::Both => "both".to_owned(),
            Side::Old => "old".to_owned(),
            Side::New => "new".to_owned(),
            Side::Skipped(lines) => format!("skipped {lines}"),
        };
        let (old, new) = (number(row.old), number(row.new));
        out.push_str(format!("{side} {old} {new} {}", row.text).trim_end());
        out.push('\n');
    }
    if rows.cut {
        out.push_str("cut\n");
    }
    out
}

#[test]
fn a_change_in_the_middle_has_two_lines_around_it() {
    let old: String = (1..=20).map(|number| format!("line {number}\n")).collect();
    let new = old.replace("line 10\n", "line ten\n").replace("line 18\n", "");
    insta::assert_snapshot!(shown(&difference_of(old.as_bytes(), new.as_bytes())), @r"
    skipped 7 - -
    both 8 8 line 8
    both 9 9 line 9
    old 10 - line 10
    new - 10 line ten
    both 11 11 line 11
    both 12 12 line 12
    skipped 3 - -
    both 16 16 line 16
    both 17 17 line 17
    old 18 - line 18
    both 19 18 line 19
    both 20 19 line 20
    ");
}

#[test]
fn equal_contents_have_no_rows_and_empty_ones_only_one_side() {
    assert_eq!(shown(&difference_of(b"a\nb\n", b"a\nb\n")), "");
    assert_eq!(shown(&difference_of(b"", b"")), "");
    assert_eq!(shown(&difference_of(b"", b"a\nb")), "new - 1 a\nnew - 2 b\n");
    assert_eq!(shown(&difference_of(b"a\n", b"")), "old 1 - a\n");
}

#[test]
fn only_the_first_mebibyte_is_compared_and_that_is_said() {
    let mut old = vec![b'a'; 1 << 20];
    old[1000] = b'\n';
    let same = difference_of(&old, &old);
    assert!(!same.cut && same.rows.is_empty());
    let mut new = old.clone();
    new.push(b'b');
    let longer = difference_of(&old, &new);
    assert!(longer.cut && longer.rows.is_empty(), "{}", longer.rows.len());
}

#[test]
fn files_that_would_be_written_beside_what_they_are() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path();
    file(folder, "log", "b\na\n");
    file(folder, "words", "rope\n");
    let mut table = String::new();
    for text in ["sort log > new", "sort log > words", "sort log >> words", "sort -o log log"] {
        let preview = preview_of(&format!("cd {}; {text}", folder.display()), Sample::First(5000));
        table.push_str(&format!("{text}\n"));
        for pending in &preview.stages[0].pending {
            table.push_str(&shown(&difference(pending)));
        }
    }
    insta::assert_snapshot!(table, @r"
    sort log > new
    new - 1 a
    new - 2 b
    sort log > words
    old 1 - rope
    new - 1 a
    new - 2 b
    sort log >> words
    both 1 1 rope
    new - 2 a
    new - 3 b
    sort -o log log
    new - 1 a
    both 1 2 b
    old 2 - a
    ");
}
