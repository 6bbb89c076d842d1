//! Samples, limits, parts of the shell and held commands in words.

use engine::{Limit, Sample};
use insight::{
    apply_edits, command_details, command_line, effect, explain, limit_in_words, sample_in_words,
    toggle_stage,
};

use super::{file, preview_of, steady};

#[test]
fn samples_by_name() {
    let every = |step| sample_in_words(Sample::Every(step));
    for (step, says) in [
        (1, "every 1st"),
        (2, "every 2nd"),
        (3, "every 3rd"),
        (4, "every 4th"),
        (10, "every 10th"),
        (11, "every 11th"),
        (12, "every 12th"),
        (13, "every 13th"),
        (21, "every 21st"),
        (22, "every 22nd"),
        (23, "every 23rd"),
        (101, "every 101st"),
        (111, "every 111th"),
        (112, "every 112th"),
        (113, "every 113th"),
        (1_000, "every 1 000th"),
    ] {
        assert_eq!(every(step), says);
    }
    assert_eq!(sample_in_words(Sample::First(5_000)), "first 5 000");
    assert_eq!(sample_in_words(Sample::Last(20)), "last 20");
    let random = Sample::Random { lines: 12_345, seed: 7 };
    assert_eq!(sample_in_words(random), "12 345 at random, seed 7");
    assert_eq!(sample_in_words(Sample::Everything), "everything");
}

#[test]
fn limits_in_words() {
    assert_eq!(limit_in_words(Limit::Lines(1_000_000)), "1 000 000 lines");
    assert_eq!(limit_in_words(Limit::Bytes(256 << 20)), "256 MiB");
    assert_eq!(limit_in_words(Limit::Memory(1 << 30)), "1.00 GiB of memory");
    assert_eq!(limit_in_words(Limit::Commands(200)), "200 commands at once");
}

fn effects(text: &str) -> Vec<String> {
    preview_of(text, Sample::First(5000)).stages.iter().map(effect).collect()
}

#[test]
fn effects_count_what_was_kept_edited_and_merged() {
    for (text, says) in [
        ("seq 5 | grep .", "keeps all"),
        ("seq 5 | grep 9", "keeps none"),
        ("seq 5 | grep -v 3", "keeps 4 of 5"),
        ("seq 99 | grep 9", "keeps 19 of 99"),
        ("seq 100 | grep 9", "keeps 19.0 %"),
        ("seq 3 | tr 1 a", "edits all"),
        ("seq 1200 | sed 1d", "keeps 99.9 %"),
        ("seq 3 | sort -r", "orders"),
        ("seq 1200 | wc -l", "merges 1 200 → 1"),
        ("seq 2 | tee /dev/null", "copies"),
        ("seq 3 | cat", "passes"),
    ] {
        assert_eq!(effects(text).last().unwrap(), says, "{text}");
    }
}

/// What is said of the stages of a text.
fn explained(text: &str) -> String {
    let preview = preview_of(text, Sample::First(5000));
    preview.stages.iter().map(explain).collect::<Vec<_>>().join(" | ")
}

#[test]
fn parts_of_the_shell_say_what_they_do() {
    for (text, says) in [
        ("{ echo a; } | cat", "runs the commands in braces one after the other"),
        (
            "( echo a ) | cat",
            "runs the commands in parentheses one after the other, in a shell of their own",
        ),
        ("if :; then echo a; fi | cat", "runs the commands after the first condition that is true"),
        ("while false; do :; done | cat", "repeats its commands as long as the condition is true"),
        ("until true; do :; done | cat", "repeats its commands until the condition is true"),
        ("for gate in 1 2; do :; done | cat", "runs its commands once for each value of gate"),
        (
            "case a in a) echo b;; esac | cat",
            "runs the commands after the first pattern that matches",
        ),
        ("[[ a = b ]] | cat", "sets its status by whether the expression is true"),
        ("read x < /dev/null | cat", "runs read in the shell"),
    ] {
        let explained = explained(text);
        let first = explained.split(" | ").next().unwrap();
        assert_eq!(first, says, "{text}");
    }
}

#[test]
fn a_stage_that_is_off_says_that_it_passes_all() {
    let text = "seq 3 | sort";
    let off = apply_edits(text, &toggle_stage(text, 0, 1).unwrap());
    let (explained, effects) = (explained(&off), effects(&off));
    assert_eq!(
        explained.split(" | ").nth(1),
        Some("switched off: every line passes through unchanged")
    );
    assert_eq!(effects, ["makes 3", "off"]);
}

#[test]
fn a_held_command_tells_all_that_a_yes_covers() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path();
    file(folder, "log", "rope\nwinch two\n");
    let tool = file(folder, "tool", "#!/bin/sh\ncat\n");
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(&tool, mode).unwrap();
    let mut table = String::new();
    for text in [
        "./tool 'a b' \"it's\" '' < log",
        "cat log | ./tool",
        "LEVEL='very high' ./tool < log",
        "unset HOME; ./tool < log",
        "cat log | xargs ./tool -n",
    ] {
        let preview = preview_of(&format!("cd {}; {text}", folder.display()), Sample::First(5000));
        table.push_str(&format!("{text}\n"));
        for held in &preview.commands {
            table.push_str(&format!("  {}\n", command_line(held)));
            for detail in command_details(held) {
                table.push_str(&format!("    {detail}\n"));
            }
        }
    }
    insta::assert_snapshot!("held", steady(&table, folder));
}
