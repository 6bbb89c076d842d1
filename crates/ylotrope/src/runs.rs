//! `ylotrope runs`: the runs that were kept.

use anyhow::{Context, Result, bail};
use clap::{Args, Subcommand};
use insight::{KeptRun, RunRecord, Runs, bytes, change, compare, duration, grouped};

use crate::statistics::as_text;

#[derive(Args)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    what: Option<What>,
}

#[derive(Subcommand)]
enum What {
    /// Show the figures of a run
    Show {
        /// Its name, or its number in the list
        run: String,
    },
    /// Compare two runs, command by command
    Compare {
        /// The earlier one: its name, or its number in the list
        first: String,
        /// The later one
        second: String,
    },
    /// Delete the figures of a run
    Remove {
        /// Its name, or its number in the list
        run: String,
    },
}

/// Does what is asked of the runs that were kept.
pub(crate) fn tell(arguments: &Arguments) -> Result<()> {
    let runs = Runs::usual().ok_or(insight::NotOurs::NoHome)?;
    let text = match &arguments.what {
        None => list(&runs.all()),
        Some(What::Show { run }) => show(&find(&runs, run)?.record),
        Some(What::Compare { first, second }) => {
            side_by_side(&find(&runs, first)?, &find(&runs, second)?)
        }
        Some(What::Remove { run }) => {
            let found = find(&runs, run)?;
            runs.remove(&found.id).with_context(|| found.id)?;
            String::new()
        }
    };
    crate::say::print(&text);
    Ok(())
}

/// A run by its name, or by its number in the list: 1 is the newest.
pub(crate) fn find(runs: &Runs, wanted: &str) -> Result<KeptRun> {
    let ids = runs.ids();
    let by_number = wanted.parse::<usize>().ok().and_then(|number| ids.get(number.checked_sub(1)?));
    let Some(id) = by_number.or_else(|| ids.iter().find(|id| *id == wanted)) else {
        bail!("{wanted}: no such run; “ylotrope runs” lists them");
    };
    let record = runs.load(id).with_context(|| id.clone())?;
    Ok(KeptRun { id: id.clone(), record })
}

fn list(runs: &[KeptRun]) -> String {
    if runs.is_empty() {
        return "no kept runs yet: full runs in the Bench are kept, and those of “ylotrope run --keep”\n"
            .into();
    }
    let mut out = format!(
        "{:>4}  {:<19}  {:>12}  {:>10}  {:<10}  text\n",
        "", "began", "took", "read", "ended"
    );
    for (number, run) in runs.iter().enumerate() {
        let record = &run.record;
        let line: String = record.line().chars().filter(|one| !one.is_control()).collect();
        out.push_str(&format!(
            "{:>4}  {:<19}  {:>12}  {:>10}  {:<10}  {line}\n",
            number + 1,
            record.began_here(),
            duration(record.elapsed_ns),
            bytes(record.read_bytes),
            record.ended(),
        ));
    }
    out
}

fn show(record: &RunRecord) -> String {
    let mut out =
        format!("{}\n\nbegan {} · {}\n", record.text, record.began_here(), record.ended());
    for source in &record.sources {
        out.push_str(&format!("read {} ({})\n", source.path.display(), bytes(source.bytes)));
    }
    out.push('\n');
    out.push_str(&as_text(record));
    out
}

fn side_by_side(first: &KeptRun, second: &KeptRun) -> String {
    let (a, b) = (&first.record, &second.record);
    let mut out =
        format!("1  {}  {}\n2  {}  {}\n\n", a.began_here(), a.line(), b.began_here(), b.line());
    out.push_str(&format!(
        "{:>14} {:>14} {:>8}  {:>10} {:>10} {:>8}  command\n",
        "lines out 1", "lines out 2", "", "took 1", "took 2", ""
    ));
    let mut row = |lines: [Option<u64>; 2], took: [Option<u64>; 2], words: &str| {
        let number = |value: Option<u64>| value.map_or("–".to_owned(), grouped);
        let time = |value: Option<u64>| value.map_or("–".to_owned(), duration);
        let changed = |values: [Option<u64>; 2]| match values {
            [Some(before), Some(after)] => change(before as f64, after as f64),
            _ => String::new(),
        };
        out.push_str(&format!(
            "{:>14} {:>14} {:>8}  {:>10} {:>10} {:>8}  {words}\n",
            number(lines[0]),
            number(lines[1]),
            changed(lines),
            time(took[0]),
            time(took[1]),
            changed(took),
        ));
    };
    for pair in compare(a, b) {
        let one = pair.first.map(|at| &a.commands[at]);
        let two = pair.second.map(|at| &b.commands[at]);
        let words = match (one, two) {
            (Some(one), Some(two)) if one.command != two.command => {
                format!("{}  →  {}", one.command, two.command)
            }
            (Some(one), Some(_)) => one.command.clone(),
            (Some(one), None) => format!("{} (only 1)", one.command),
            (None, Some(two)) => format!("{} (only 2)", two.command),
            (None, None) => String::new(),
        };
        row(
            [one.map(|command| command.lines_out), two.map(|command| command.lines_out)],
            [one.map(|command| command.working_ns), two.map(|command| command.working_ns)],
            &words,
        );
    }
    row([None, None], [Some(a.elapsed_ns), Some(b.elapsed_ns)], "in all");
    out
}

#[cfg(test)]
mod tests {
    use insight::CommandRecord;

    use super::*;

    fn command(command: &str, lines_out: u64, working_ns: u64) -> CommandRecord {
        CommandRecord {
            command: command.to_owned(),
            runs: 1,
            lines_out,
            working_ns,
            ..CommandRecord::default()
        }
    }

    fn kept(id: &str, commands: Vec<CommandRecord>) -> KeptRun {
        let text = commands.iter().map(|one| one.command.as_str()).collect::<Vec<_>>().join(" | ");
        let record =
            RunRecord { text, commands, elapsed_ns: 3_000_000_000, ..RunRecord::default() };
        KeptRun { id: id.to_owned(), record }
    }

    /// The table without the times of day, which are local.
    fn without_times(text: &str) -> String {
        text.lines().filter(|line| !line.contains("1970")).collect::<Vec<_>>().join("\n")
    }

    #[test]
    fn two_runs_side_by_side() {
        let one =
            kept("a", vec![command("grep a f", 10, 2_000_000), command("sort", 10, 5_000_000)]);
        let two = kept(
            "b",
            vec![
                command("grep b f", 20, 1_000_000),
                command("sort", 20, 5_000_000),
                command("uniq", 3, 7_000),
            ],
        );
        insta::assert_snapshot!("two-runs", without_times(&side_by_side(&one, &two)));
        insta::assert_snapshot!("two-runs-the-other-way", without_times(&side_by_side(&two, &one)));
    }

    #[test]
    fn a_run_with_its_figures() {
        let long = "awk '{n[$3]++} END {for (g in n) print n[g], g}' gate.log";
        let run = kept("a", vec![command(long, 10, 2_000_000), command("sort", 10, 5_000_000)]);
        insta::assert_snapshot!("one-run", without_times(&show(&run.record)));
    }

    #[test]
    fn the_list_counts_from_the_newest_and_says_when_there_is_none() {
        assert!(list(&[]).starts_with("no kept runs yet: "));
        let rows = list(&[kept("b", vec![command("sort x", 1, 2)]), kept("a", Vec::new())]);
        let rows: Vec<&str> = rows.lines().collect();
        assert_eq!(rows.len(), 3);
        assert!(rows[1].starts_with("   1  ") && rows[1].ends_with("sort x"), "{rows:?}");
        assert!(rows[2].starts_with("   2  "), "{rows:?}");
    }

    #[test]
    fn a_run_is_found_by_number_and_by_name() {
        let folder = tempfile::tempdir().unwrap();
        let runs = Runs::at(folder.path().join("runs"));
        let older =
            runs.keep(&RunRecord { text: "older".to_owned(), ..RunRecord::default() }).unwrap();
        let newer =
            runs.keep(&RunRecord { text: "newer".to_owned(), ..RunRecord::default() }).unwrap();
        let text = |wanted: &str| find(&runs, wanted).map(|run| run.record.text).ok();
        assert_eq!(text("1").as_deref(), Some("newer"));
        assert_eq!(text("2").as_deref(), Some("older"));
        assert_eq!(text(&older).as_deref(), Some("older"));
        assert_eq!(text(&newer).as_deref(), Some("newer"));
        for wanted in ["0", "3", "", "none"] {
            assert_eq!(text(wanted), None, "{wanted}");
        }
    }
}
