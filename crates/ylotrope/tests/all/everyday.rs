//! Ten everyday questions, from the file to the answer: none takes more than twelve keys beside the
//! words that are typed. The guide tells the same way.

use crate::tmux::Terminal;

/// A key that is pressed, or words that are typed.
enum Step {
    Key(&'static str),
    Words(&'static str),
}

use Step::{Key, Words};

/// Keys beside the typed words.
const KEYS_MOST: usize = 12;

/// A question about the demo's log, the way to its answer, and a piece of it.
type Question = (&'static str, &'static [Step], &'static str);

const QUESTIONS: [Question; 10] = [
    (
        "which gates refuse most cards",
        &[Words(" | grep refused | cut -d' ' -f3 | sort | uniq -c | sort -rn"), Key("Enter")],
        "226 gate-03",
    ),
    ("how many cards were refused", &[Words(" | grep -c refused")], "1041"),
    (
        "what is next to a refused card",
        &[
            Words(" | grep refused"),
            Key("Enter"),
            Key("Down"),
            Key("Down"),
            Key("Down"),
            Key("Enter"),
        ],
        "2031-04-02 06:12:04 gate-01 card=48756 passed zone=4",
    ),
    (
        "which lines of the log are in a count",
        &[Words(" | cut -d' ' -f3 | sort | uniq -c"), Key("Enter"), Key("h")],
        "┐ ›",
    ),
    (
        "is there a card 94952, and where does it get lost",
        &[
            Words(" | grep passed"),
            Key("Enter"),
            Key("/"),
            Words("94952"),
            Key("Enter"),
            Key("Enter"),
        ],
        "card=94952 refused",
    ),
    (
        "what would be written, and write it",
        &[Words(" | grep stuck > stuck.txt"), Key("Escape"), Key("P"), Key("w"), Key("y")],
        "written: stuck.txt",
    ),
    (
        "which stage takes the time on all of the data",
        &[Words(" | sort -k4"), Key("Escape"), Key("r"), Key("Enter"), Key("T")],
        "lines/s",
    ),
    (
        "where do the messages go",
        &[Words(" nofile 2>&1 > all.txt | grep -c No"), Key("Escape"), Key("Home"), Key("W")],
        "2 ──╮",
    ),
    (
        "the line of before, again",
        &[
            Words(" | wc -w"),
            Key("Enter"),
            Key("e"),
            Key("C-u"),
            Words("echo other"),
            Key("C-r"),
            Words("wc"),
            Key("Enter"),
        ],
        "cat gate.log | wc -w",
    ),
    (
        "what bytes are in the first line",
        &[Words(" | head -n 1"), Key("Enter"), Key("v"), Key("v")],
        "00000000  32 30 33 31",
    ),
];

/// The Bench on the demo's log.
fn on_the_log(columns: u16, rows: u16) -> Terminal {
    let terminal = Terminal::open(columns, rows);
    // The demo lays out its log.
    terminal.type_text("$Y demo");
    terminal.press(&["Enter"]);
    terminal.wait("evaluated in");
    terminal.press(&["C-q"]);
    terminal.wait_gone("evaluated in");
    terminal.type_text("cd state/ylotrope/demo && clear && $Y gate.log");
    terminal.press(&["Enter"]);
    terminal.wait("8 871 lines");
    terminal
}

/// The five values that occur most often in column 3 of the refused lines: fourteen keys, each with
/// what is then on screen. No command is typed.
const WITHOUT_A_COMMAND: [(&str, &str); 14] = [
    ("Escape", "↑↓ select"),
    ("l", "one of 2"),
    ("Down", "field 2: time"),
    ("Down", "field 3: word"),
    ("Down", "field 4 card="),
    ("Down", "field 5: one of 2"),
    ("Enter", "keep the lines where field 5"),
    ("Down", "| awk '$5 == \"refused\"'"),
    ("Enter", "1 041 lines"),
    ("Down", "field 2: time"),
    ("Down", "field 3: word"),
    ("Enter", "the 5 most frequent"),
    ("5", "head -n 5"),
    ("Enter", "228 gate-03"),
];

#[test]
fn a_question_is_answered_without_typing_a_command() {
    for (columns, rows) in [(160, 50), (80, 24)] {
        let terminal = on_the_log(columns, rows);
        for (key, seen) in WITHOUT_A_COMMAND {
            match key {
                "Escape" => terminal.escape(seen),
                key => terminal.press(&[key]),
            }
            terminal.wait(seen);
        }
        let screen = terminal.wait("cat gate.log | awk '$5 == \"refused\"'");
        assert!(!screen.contains("panicked"), "{screen}");
    }
}

#[test]
fn the_answers_are_a_few_keys_away() {
    for (question, steps, answer) in QUESTIONS {
        let keys = steps.iter().filter(|step| matches!(step, Key(_))).count();
        assert!(keys <= KEYS_MOST, "{question}: {keys} keys");
        let terminal = on_the_log(160, 50);
        for step in steps {
            match step {
                Words(words) => terminal.type_text(words),
                Key("Escape") => terminal.escape("↑↓ select"),
                Key("Enter") => {
                    terminal.wait_gone("evaluating");
                    terminal.press(&["Enter"]);
                }
                Key(key) => terminal.press(&[key]),
            }
        }
        let screen = terminal.wait(answer);
        assert!(!screen.contains("panicked"), "{question}: {screen}");
    }
}
