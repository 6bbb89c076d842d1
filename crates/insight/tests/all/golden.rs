//! What is said of ordinary and of mistaken lines, as a table: effect, explanation and notes of each
//! stage, and what the first fix makes of the text.

use engine::Sample;
use insight::{Severity, apply_edits, effect, explain};

use super::{file, notes, preview_of, steady};

/// Lines over the files `log`, `dates`, `table.csv`, `tabs` and `empty`.
const LINES: &[&str] = &[
    "grep b log",
    "grep -c b log",
    "grep -v zebra log",
    "grep nothing log",
    "uniq log",
    "uniq -c log",
    "uniq -i log",
    "sort log | uniq -c",
    "sort -u log",
    "sort -rn log | head -n 1",
    "cut -d, -f2 log",
    "cut -d, -f2 table.csv",
    "cut -f1 tabs",
    "cut -f2 table.csv",
    "cut -s -d: -f1 table.csv",
    "cut -c1-2 log",
    "head -n 2 log",
    "head -n 2 log | tail -n 1",
    "tail -n +2 table.csv",
    "wc -l log",
    "wc < log",
    "tr a-z A-Z < log",
    "tr -d b < log",
    "sed s/b/B/ log",
    "sed /b/d log",
    "sed -n 1p log",
    "awk '{print $1}' dates",
    "awk '/b/' log",
    "awk '{n++} END{print n}' log",
    "nl log",
    "rev log",
    "tac log",
    "paste log log",
    "cat empty",
    "cat log > log",
    "sort log > log",
    "sort log > out",
    "sort log >> tabs",
    "sort log > tabs",
    "sort -o log log",
    "cat log | tee copy",
    "cat log > out | wc -l",
    "cat nowhere",
    "rm log",
    "cat log | xargs rm",
    "seq 5 | shuf | sort -n",
    "seq 3 | while read x; do echo $x; done",
    "for x in a b; do echo $x; done | sort",
    "echo a | grep -q a && echo yes",
    "false && cat log",
    "cat log | # off: sort\n  cat",
    "column -t dates",
    "join log log",
    "comm -12 log log",
    "printf '%s\\n' a b",
    "od -c tabs | head -n 1",
    "expand tabs",
    "cksum log",
    "./sudo cat log > out",
    "./sudo cat log >> tabs",
    "./sudo cat log 2> out | wc -l",
    "./sudo cat log >| out 2>&1",
    "./su -c id > out",
    "rm log > out",
    "cat log | ./sudo tee out",
    "uniq -c log > out; sort log | uniq > out",
    "cat log 2>&1 > out | wc -l",
    "echo a > log; echo b >> log",
    "cut -d'	' -f2 log tabs",
    "cut --complement -d: -f1 log",
    "sed -i s/b/B/ log",
    "split -l 2 log part-",
    "sort tabs -o tabs; cat log tabs > tabs",
    "grep b < /dev/null",
    "cat - | wc -l",
    "while read x; do echo $x; done < log > out",
    "f() { sort log; }; f | uniq -d",
    "uniq",
];

/// Lines of which only the first two lines of each file are looked at.
const SAMPLED: &[&str] = &[
    "grep b log",
    "grep a log | wc -l",
    "sort log | uniq -c",
    "sed -n '$p' log",
    "tail -n 1 log",
    "head -n 1 log",
    "cat log > out",
    "cat empty log",
    "cat log | xargs rm",
    "awk 'END { print NR }' log table.csv",
    "seq 5",
];

fn table_of(lines: &[&str], sample: Sample) -> String {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path();
    file(folder, "log", "b\na\nb\nB\na\n");
    file(folder, "dates", "2031-04-02 06:00 gate-01\n2031-04-03 07:30 gate-02\n");
    file(folder, "table.csv", "name,count\nrope,3\nwinch,12\n");
    file(folder, "tabs", "one\ttwo\nthree\tfour\n");
    file(folder, "empty", "");
    for name in ["sudo", "su"] {
        file(folder, name, "#!/bin/sh\nexit 9\n");
        let rights = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        std::fs::set_permissions(folder.join(name), rights).unwrap();
    }
    let mut table = String::new();
    for line in lines {
        let text = format!("cd {}; {line}", folder.display());
        let preview = preview_of(&text, sample);
        table.push_str(&format!("{line}\n"));
        let notes = notes(&preview);
        for (number, stage) in preview.stages.iter().enumerate() {
            let status = stage.status.0;
            table.push_str(&format!("  {} ({status}): {}\n", effect(stage), explain(stage)));
            for message in stage.messages.lines() {
                table.push_str(&format!("      says {message}\n"));
            }
            for note in notes.iter().filter(|note| note.stage == number) {
                let mark = if note.severity == Severity::Warning { '!' } else { '·' };
                // How much is held depends on the machine.
                let says = if note.kind.id() == "holds-everything" { "…" } else { &note.text };
                table.push_str(&format!("    {mark} {}: {says}\n", note.kind.id()));
                if let Some(fix) = &note.fix {
                    let fixed = apply_edits(&text, &fix.edits);
                    let after = fixed.split_once("; ").map_or("", |(_, after)| after);
                    table.push_str(&format!("      f {}: {after}\n", fix.label));
                }
            }
            for file in &stage.pending {
                table.push_str(&format!("      would write {}\n", file.path.display()));
            }
            for held in &stage.held {
                table.push_str(&format!("      would run {}\n", insight::command_line(held)));
            }
        }
    }
    steady(&table, folder)
}

#[test]
fn lines_and_what_is_said_of_them() {
    insta::assert_snapshot!("lines", table_of(LINES, Sample::First(5000)));
    insta::assert_snapshot!("lines-sampled", table_of(SAMPLED, Sample::First(2)));
}
