//! Every figure on the screen that has no mark is that of all of the data, as the machine's own utilities
//! count it.

use std::path::Path;
use std::process::Command;

use engine::Sample;
use proptest::prelude::*;
use ratatui::crossterm::event::KeyCode;

use super::stand::Stand;

/// What the machine writes: lines and bytes.
fn on_the_host(folder: &Path, text: &str) -> (u64, u64) {
    let run = Command::new("sh")
        .args(["-c", text])
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .output()
        .unwrap();
    // A last line without a newline is one, too.
    let newlines = String::from_utf8_lossy(&run.stdout).matches('\n').count() as u64;
    let open = run.stdout.last().is_some_and(|last| *last != b'\n');
    (newlines + u64::from(open), run.stdout.len() as u64)
}

/// A number as it is shown, where it has no mark; `None` for one with a mark.
fn unmarked(text: &str) -> Option<u64> {
    let text = text.trim();
    if text.starts_with(['≈', '≥']) {
        return None;
    }
    Some(text.chars().filter(char::is_ascii_digit).collect::<String>().parse().unwrap())
}

/// The figures of the river, from the source down: its rows end in `N lines`.
fn of_river(screen: &str) -> Vec<Option<u64>> {
    let river = screen.lines().filter_map(|line| line.split_once('│')).map(|(river, _)| river);
    let figures = river.filter_map(|row| {
        let row = row.trim_end();
        let row = row.strip_suffix(" lines").or_else(|| row.strip_suffix(" line"))?;
        // Two blanks are before a figure, one is within it.
        let figure = row.rsplit("  ").next()?.trim();
        let is_figure = |c: char| c.is_ascii_digit() || " ≈≥".contains(c);
        figure.chars().all(is_figure).then(|| unmarked(figure))
    });
    figures.collect()
}

/// The figures of the selected stage: lines in and out, bytes in and out; sizes that are not shown in bytes
/// are left out.
fn of_notes(screen: &str) -> Option<[Option<u64>; 4]> {
    let line = screen.lines().find(|line| line.contains(" in, ") && line.contains(" out · "))?;
    let (lines, rest) = line.split_once(" out · ")?;
    let (bytes, _) = rest.split_once(" out")?;
    let (lines_in, lines_out) = lines.split_once(" in, ")?;
    let (bytes_in, bytes_out) = bytes.split_once(" in, ")?;
    let lines_in = lines_in.trim().trim_end_matches(" lines").trim_end_matches(" line");
    let size = |text: &str| unmarked(text.trim().strip_suffix(" B")?);
    Some([unmarked(lines_in), unmarked(lines_out), size(bytes_in), size(bytes_out)])
}

const FIRST: [&str; 9] = [
    "cat data",
    "sort data",
    "grep a data",
    "head -n 4 data",
    "tail -n 5 data",
    "cat data other",
    "sed 3q data",
    "seq 30",
    "comm -23 data data",
];

const NEXT: [&str; 27] = [
    "grep a",
    "grep -v b",
    "grep -c a",
    "grep -m2 a",
    "cut -c1-2",
    "sort",
    "sort -u",
    "uniq",
    "uniq -c",
    "head -n 3",
    "head -n 40",
    "head -c 7",
    "tail -n 3",
    "tail -n +4",
    "wc -l",
    "wc",
    "sed 1d",
    "sed '/a/d'",
    "sed 5q",
    "awk 'NR % 2'",
    "awk '{ n++ } END { print n + 0 }'",
    "awk 'NR == 3 { exit } 1'",
    "tr a b",
    "rev",
    "tac",
    "paste - -",
    "tee copy",
];

fn samples() -> impl Strategy<Value = Sample> {
    prop_oneof![
        Just(Sample::Everything),
        (1_u64..40).prop_map(Sample::First),
        (1_u64..40).prop_map(Sample::Last),
        (1_u64..9).prop_map(Sample::Every),
        (1_u64..40, any::<u64>()).prop_map(|(lines, seed)| Sample::Random { lines, seed }),
        (1_u64..40).prop_map(Sample::Quick),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    #[test]
    fn what_has_no_mark_is_true_of_all_of_the_data(
        data in proptest::collection::vec("[ab]{0,3}", 0..60),
        sample in samples(),
        first in 0..FIRST.len(),
        next in proptest::collection::vec(0..NEXT.len(), 0..4),
    ) {
        let mut stand = Stand::new("");
        let folder = stand.folder.path().to_owned();
        let text: String = data.iter().map(|line| format!("{line}\n")).collect();
        std::fs::write(folder.join("data"), text).unwrap();
        std::fs::write(folder.join("other"), "a\nb\nab\n").unwrap();
        let at = folder.display().to_string();
        let named = |stage: &str| {
            stage.replace(" data", &format!(" {at}/data")).replace(" other", &format!(" {at}/other"))
                .replace(" copy", &format!(" {at}/copy"))
        };
        let mut stages = vec![named(FIRST[first])];
        stages.extend(next.iter().map(|at| named(NEXT[*at])));
        stand.app.sample = sample;
        stand.app.take_line(&stages.join(" | "));
        stand.settle();
        stand.key(KeyCode::Esc);
        stand.key(KeyCode::End);
        let screen = stand.screen(200, 70);
        let figures = of_river(&screen);
        let reads = usize::from(FIRST[first].contains("data"));
        prop_assert_eq!(figures.len(), stages.len() + reads, "{}", screen);
        let all: Vec<(u64, u64)> = (1..=stages.len())
            .map(|count| on_the_host(&folder, &stages[..count].join(" | ")))
            .collect();
        for (number, (shown, (lines, _))) in figures[reads..].iter().zip(&all).enumerate() {
            prop_assert!(shown.is_none_or(|shown| shown == *lines),
                "stage {} has {} lines: {:?}\n{}", number + 1, lines, sample, screen);
        }
        let notes = of_notes(&screen);
        prop_assert!(notes.is_some(), "{}", screen);
        let [lines_in, lines_out, bytes_in, bytes_out] = notes.unwrap();
        let last = all[stages.len() - 1];
        let before = stages.len().checked_sub(2).map(|number| all[number]);
        let right = |shown: Option<u64>, is: u64| shown.is_none_or(|shown| shown == is);
        prop_assert!(right(lines_out, last.0) && right(bytes_out, last.1), "{:?}\n{}", last, screen);
        if let Some(before) = before {
            prop_assert!(right(lines_in, before.0) && right(bytes_in, before.1), "{:?}\n{}", before, screen);
        }
    }
}
