//! How views give way: for each word on the screen the widths and heights at which it is seen.

use std::collections::BTreeMap;

use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::snapshot_tests::{settled, steady};
use super::stand::Stand;

/// True for words that are the same each time: no pieces of the folder's name, no cut words, and
/// no figures but days.
fn lasts(word: &str) -> bool {
    let letters = word.chars().filter(|one| one.is_alphabetic()).count();
    let figure = word.contains(|one: char| one.is_ascii_digit()) && !word.contains("-0");
    letters + usize::from(word.contains("-0")) > 1
        && !figure
        && !word.contains(['…', '/'])
        && !word.contains("tand")
}

/// The words of the screens, each with the sizes it is seen at, as ranges: `refused 20-30 33-`.
/// Words that are only seen at one or two sizes are cut ones.
fn seen(stand: &mut Stand, sizes: impl Iterator<Item = (u16, (u16, u16))>) -> String {
    let mut words: BTreeMap<String, Vec<u16>> = BTreeMap::new();
    let mut last = 0;
    for (number, (width, height)) in sizes {
        last = number;
        let screen = steady(stand, width, height);
        let mut counted: BTreeMap<String, usize> = BTreeMap::new();
        for word in screen.split_whitespace() {
            let word = word.trim_matches(|one: char| "│─┌┐└┘├┤┬┴╭╮╰╯▌·".contains(one));
            if lasts(word) {
                *counted.entry(word.to_owned()).or_default() += 1;
            }
        }
        for (word, count) in counted {
            let word = if count > 1 { format!("{word} ×{count}") } else { word };
            words.entry(word).or_default().push(number);
        }
    }
    let mut out = String::new();
    for (word, at) in words.into_iter().filter(|(_, at)| at.len() > 2) {
        out.push_str(&word);
        for run in at.chunk_by(|one, two| one + 1 == *two) {
            let end = run[run.len() - 1];
            let end = if end == last { String::new() } else { end.to_string() };
            out.push_str(&format!(" {}-{end}", run[0]));
        }
        out.push('\n');
    }
    out
}

pub(super) fn keep(name: &str, stand: &mut Stand) {
    let widths = (1..=150).map(|width| (width, (width, 24)));
    insta::assert_snapshot!(format!("{name}-widths"), seen(stand, widths));
    let heights = (1..=40).map(|height| (height, (110, height)));
    insta::assert_snapshot!(format!("{name}-heights"), seen(stand, heights));
}

#[test]
fn the_bench_with_a_search() {
    let mut stand =
        settled("cat DIR/gate.log | grep -v gate-03 | sed 's/card=/the card of the day is /'");
    stand.letters("/refused");
    stand.key(KeyCode::Enter);
    stand.until(|stand| stand.app.lens.search.as_ref().is_some_and(|search| !search.searching));
    stand.letters(".");
    keep("sweep-search", &mut stand);
    stand.key(KeyCode::Tab);
    stand.letters("vvv");
    keep("sweep-hex", &mut stand);
}

#[test]
fn notes_and_messages() {
    let mut stand = settled("cat DIR/none DIR/gate.log | cut -d, -f2 | uniq -c | grep zzz");
    keep("sweep-notes", &mut stand);
    stand.letters("e");
    stand.letters(" | cut -f0");
    stand.settle();
    keep("sweep-error", &mut stand);
}

#[test]
fn the_wiring_of_several_stages() {
    let mut stand = settled(
        "grep refused DIR/gate.log 2>&1 >DIR/out | tee DIR/copy 2>/dev/null | sort 3>&1 | wc -l",
    );
    stand.key(KeyCode::Home);
    stand.letters("W");
    keep("sweep-wiring", &mut stand);
    stand.key(KeyCode::Down);
    stand.key(KeyCode::Down);
    let heights = (1..=30).map(|height| (height, (80, height)));
    insta::assert_snapshot!("sweep-wiring-second", seen(&mut stand, heights));
}

#[test]
fn what_would_happen() {
    let mut stand = settled(
        "sort DIR/gate.log > DIR/gate.log; echo a > DIR/new; rm -r DIR/none; rm DIR/b; echo c > DIR/no/b",
    );
    stand.letters("P");
    stand.until(|stand| stand.app.pending.difference.is_some());
    keep("sweep-pending", &mut stand);
    stand.key(KeyCode::End);
    keep("sweep-pending-command", &mut stand);
    let mut stand = settled("echo a");
    stand.letters("P");
    keep("sweep-pending-none", &mut stand);
}

#[test]
fn the_drawers_give_way() {
    let mut stand = settled("grep refused DIR/gate.log | sort > DIR/top");
    for (name, keys) in
        [("help", "?"), ("actions", " "), ("sample", "s"), ("export", "X"), ("write", "w")]
    {
        stand.letters(keys);
        keep(&format!("sweep-{name}"), &mut stand);
        stand.key(KeyCode::Esc);
    }
    stand.letters("e");
    stand.letters(" | so");
    stand.settle();
    stand.key(KeyCode::Tab);
    stand.settle();
    keep("sweep-complete", &mut stand);
}

#[test]
fn long_and_many_lines_of_text() {
    let mut stand = settled(
        "echo one\necho two | cat\n\nfor i in 1 2 3; do\n  echo $i 'and a long word after it, to be broken at the end'\ndone | sort\necho last",
    );
    stand.letters("e");
    stand.press(KeyCode::Home, KeyModifiers::CONTROL);
    keep("sweep-text", &mut stand);
    for _ in 0..4 {
        stand.key(KeyCode::Down);
    }
    let heights = (1..=30).map(|height| (height, (50, height)));
    insta::assert_snapshot!("sweep-text-middle", seen(&mut stand, heights));
}

#[test]
fn the_editor_of_a_program_gives_way() {
    let mut stand = settled(
        "awk '/refused/ { n[$2]++ }\n{ m++ }\n\n$1 > 2 { next }\nEND { for (g in n) print n[g], g }' DIR/gate.log",
    );
    stand.letters("p");
    stand.key(KeyCode::Down);
    keep("sweep-program", &mut stand);
    stand.key(KeyCode::End);
    stand.letters(" { x");
    stand.settle();
    keep("sweep-program-wrong", &mut stand);
}

#[test]
fn what_is_typed_stays_in_sight() {
    let mut stand = settled("cat DIR/gate.log");
    stand.letters("/");
    stand.letters("rope winch cable pulley wheel brake gate platform cabin tower anchor bolt");
    keep("sweep-prompt", &mut stand);
    for _ in 0..7 {
        stand.press(KeyCode::Char('b'), KeyModifiers::ALT);
    }
    let widths = (1..=90).map(|width| (width, (width, 24)));
    insta::assert_snapshot!("sweep-prompt-middle", seen(&mut stand, widths));
}
