//! Two runs side by side: which command of one is which of the other.

use similar::{Algorithm, DiffOp, capture_diff_slices};

use crate::runs::record::RunRecord;

/// A row of a comparison: a command of the one, of the other, or of both.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ComparedRow {
    /// Its number in the first run.
    pub first: Option<usize>,
    /// Its number in the second run.
    pub second: Option<usize>,
    /// Both have the same words.
    pub same: bool,
}

/// Sets the commands of two runs side by side: those with the same words, and between them those
/// that stand in the same place.
pub fn compare(first: &RunRecord, second: &RunRecord) -> Vec<ComparedRow> {
    let words = |run: &RunRecord| -> Vec<String> {
        run.commands.iter().map(|command| command.command.clone()).collect()
    };
    let (before, after) = (words(first), words(second));
    let mut rows = Vec::new();
    for operation in capture_diff_slices(Algorithm::Myers, &before, &after) {
        let (old, new) = (operation.old_range(), operation.new_range());
        let same = matches!(operation, DiffOp::Equal { .. });
        for step in 0..old.len().max(new.len()) {
            rows.push(ComparedRow {
                first: old.clone().nth(step),
                second: new.clone().nth(step),
                same,
            });
        }
    }
    rows
}

/// How a figure changed: `× 2.10`, `+38 %`, `−38 %`; `same` within one in a hundred, `new` where it
/// was nothing.
pub fn change(before: f64, after: f64) -> String {
    if before <= 0.0 && after <= 0.0 {
        return "same".to_owned();
    }
    if before <= 0.0 {
        return "new".to_owned();
    }
    let ratio = after / before;
    if (ratio - 1.0).abs() < 0.01 {
        "same".to_owned()
    } else if ratio >= 2.0 {
        format!("× {ratio:.2}")
    } else if ratio > 1.0 {
        format!("+{:.0} %", (ratio - 1.0) * 100.0)
    } else {
        format!("−{:.0} %", (1.0 - ratio) * 100.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::runs::record::CommandRecord;

    fn run(commands: &[&str]) -> RunRecord {
        let command =
            |text: &&str| CommandRecord { command: (*text).to_owned(), ..CommandRecord::default() };
        RunRecord { commands: commands.iter().map(command).collect(), ..RunRecord::default() }
    }

    #[test]
    fn commands_are_paired_by_their_words_and_then_by_their_place() {
        let one = run(&["grep a f", "cut -f1", "sort", "uniq -c"]);
        let two = run(&["grep b f", "cut -f1", "sort -u"]);
        let rows = compare(&one, &two);
        let pairs: Vec<_> = rows.iter().map(|row| (row.first, row.second, row.same)).collect();
        assert_eq!(
            pairs,
            [
                (Some(0), Some(0), false),
                (Some(1), Some(1), true),
                (Some(2), Some(2), false),
                (Some(3), None, false)
            ]
        );
        assert!(compare(&one, &one).iter().all(|row| row.same));
        assert!(compare(&run(&[]), &run(&[])).is_empty());
    }

    #[test]
    fn changes_are_said_shortly() {
        assert_eq!(change(2.0, 2.01), "same");
        assert_eq!(change(2.0, 5.0), "× 2.50");
        assert_eq!(change(2.0, 2.5), "+25 %");
        assert_eq!(change(2.0, 1.0), "−50 %");
        assert_eq!(
            (change(2.0, 3.99), change(2.0, 4.0)),
            ("+100 %".to_owned(), "× 2.00".to_owned())
        );
        assert_eq!(change(3.0, 0.0), "−100 %");
        assert_eq!((change(100.0, 99.5).as_str(), change(100.0, 98.0).as_str()), ("same", "−2 %"));
        assert_eq!(
            (change(100.0, 100.5).as_str(), change(100.0, 102.0).as_str()),
            ("same", "+2 %")
        );
        assert_eq!((change(0.0, 3.0).as_str(), change(0.0, 0.0).as_str()), ("new", "same"));
    }
}
