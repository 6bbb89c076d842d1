//! Every view as it looks, large and small. What depends on the moment (times, rates, the folder) is
//! taken out before.

use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::stand::Stand;
use super::steady_tests::{without_figures, without_folder};

/// A screen as it is each time.
pub(super) fn steady(stand: &mut Stand, width: u16, height: u16) -> String {
    let owner = format!("owner {}", rustix::process::geteuid().as_raw());
    let shown = without_folder(&stand.screen(width, height), stand.folder.path());
    let shown = shown.replace(&owner, "owner U");
    shown.lines().map(|line| without_figures(line).trim_end().to_owned() + "\n").collect()
}

/// Only the words of a screen, for views that are full of figures of the moment.
fn words(stand: &mut Stand, width: u16, height: u16) -> String {
    let screen = steady(stand, width, height);
    let line = |line: &str| {
        let is_word = |one: char| one.is_alphabetic() || "·:;,().…'-/".contains(one);
        let plain: String = line.chars().map(|one| if is_word(one) { one } else { ' ' }).collect();
        let words: Vec<&str> =
            plain.split_whitespace().filter(|word| word.contains(char::is_alphabetic)).collect();
        words.join(" ")
    };
    let lines: Vec<String> = screen.lines().map(line).filter(|line| !line.is_empty()).collect();
    lines.join("\n")
}

/// Large, small, and the narrowest that still has lists and details side by side.
const SIZES: [(u16, u16); 3] = [(160, 50), (80, 24), (104, 30)];

fn keep(name: &str, stand: &mut Stand) {
    for (width, height) in SIZES {
        let screen = steady(stand, width, height);
        insta::assert_snapshot!(format!("{name}-{width}x{height}"), screen);
    }
    insta::assert_snapshot!(format!("{name}-styles"), stand.styles(104, 30));
}

const LINE: &str =
    "grep refused DIR/gate.log | cut -d' ' -f2 | sort | uniq -c | sort -rn | head -n 3 > DIR/top";

pub(super) fn settled(text: &str) -> Stand {
    let mut stand = Stand::new(text);
    stand.settle();
    stand.key(KeyCode::Esc);
    stand
}

#[test]
fn the_bench() {
    let mut stand = settled(LINE);
    keep("bench", &mut stand);
    stand.key(KeyCode::Tab);
    keep("bench-lens", &mut stand);
    stand.letters("e");
    stand.letters(" | 'x");
    keep("bench-error", &mut stand);
}

#[test]
fn advice_and_marks() {
    let mut stand = settled("cut -d, -f2 DIR/gate.log | uniq -c");
    keep("advice", &mut stand);
    stand.key(KeyCode::Right);
    keep("advice-fix", &mut stand);
    let mut stand = settled("cat DIR/none; sort DIR/gate.log DIR/no > DIR/gate.log");
    keep("advice-fixes", &mut stand);
    let mut stand = settled("false && wc -l DIR/gate.log | cut -d: -f2 | uniq | uniq -d");
    keep("advice-not-reached", &mut stand);
    let mut stand = settled("grep -n gate-03 DIR/gate.log | sed 's/card=\\([0-9]*\\)/<\\1>/'");
    stand.key(KeyCode::Left);
    keep("marks", &mut stand);
    stand.letters("v");
    keep("marks-view", &mut stand);
}

#[test]
fn wiring_and_pending() {
    let mut stand = settled(
        "grep refused DIR/gate.log 2>&1 >DIR/out | wc -l; echo a | tee DIR/copy; rm -r DIR/none",
    );
    stand.key(KeyCode::Home);
    stand.letters("W");
    keep("wiring", &mut stand);
    let mut stand = settled("echo a > DIR/new; echo b > DIR; echo c > DIR/no/b");
    stand.letters("P");
    stand.until(|stand| stand.app.pending.difference.is_some());
    keep("pending-refused", &mut stand);
    let mut stand = settled("sort DIR/gate.log > DIR/gate.log; rm -r DIR/none");
    stand.letters("P");
    let compared = |stand: &Stand| stand.app.pending.difference.is_some();
    stand.until(compared);
    keep("pending", &mut stand);
    stand.key(KeyCode::Down);
    keep("pending-command", &mut stand);
}

#[test]
fn the_drawers() {
    let mut stand = settled(LINE);
    for (name, keys) in [
        ("help", "?"),
        ("actions", " "),
        ("sample", "s"),
        ("search", "/"),
        ("new-stage", "n"),
        ("export", "X"),
        ("question-write", "w"),
    ] {
        stand.letters(keys);
        keep(&format!("drawer-{name}"), &mut stand);
        stand.key(KeyCode::Esc);
    }
    stand.letters("e");
    stand.letters("x");
    stand.settle();
    stand.press(KeyCode::Char('q'), KeyModifiers::CONTROL);
    keep("drawer-question-leave", &mut stand);
}

#[test]
fn the_editor_of_a_program() {
    let mut stand =
        settled("awk '/refused/ { n[$2]++ }\nEND { for (g in n) print n[g], g }' DIR/gate.log");
    stand.letters("p");
    keep("program", &mut stand);
    stand.key(KeyCode::Enter);
    stand.letters("# x");
    stand.settle();
    assert!(stand.app.text.editor.text().starts_with("awk '\n# x/refused/"));
    stand.press(KeyCode::Char('u'), KeyModifiers::ALT);
    stand.press(KeyCode::Char('u'), KeyModifiers::ALT);
    stand.settle();
    assert!(!stand.app.text.editor.text().contains('#'));
}

#[test]
fn programs_in_the_text_have_shades() {
    let mut stand = Stand::new(
        "awk -F: '$1 ~ /b+/ && NR > 2 { n[$2] += 1; print \"a\" $3 } # all' DIR/gate.log | sed -n 's/a/b/p;$!d'",
    );
    stand.settle();
    insta::assert_snapshot!("program-shades", stand.styles(120, 12));
    stand.key(KeyCode::Home);
    insta::assert_snapshot!("program-shades-first", stand.styles(120, 12));
}

#[test]
fn an_open_last_line_has_no_mark_at_its_end() {
    for (text, ends) in [
        ("printf 'a\\nb\\n'", 2),
        ("printf 'a\\nb'", 1),
        ("printf 'a\\nb' | cat", 1),
        ("printf 'a\\nb\\n' | cat", 2),
        ("printf 'a\\nb' | sed p", 4),
    ] {
        let mut stand = settled(text);
        stand.letters("v");
        let screen = stand.screen(120, 30);
        assert_eq!(screen.matches('¶').count(), ends, "{text}\n{screen}");
    }
}

#[test]
fn groups_have_brackets_and_what_is_typed_into_a_drawer_stays_beside_its_sign() {
    let mut stand = settled("cut -d' ' -f2 DIR/gate.log | sort | uniq -c | grep -v 43");
    stand.key(KeyCode::Left);
    keep("groups", &mut stand);
    stand.key(KeyCode::Right);
    stand.letters("/gate-0");
    keep("search-typed", &mut stand);
}

#[test]
fn two_runs_of_one_text_are_set_side_by_side() {
    let mut stand = Stand::new("grep refused DIR/gate.log | wc -l");
    stand.run_all();
    let log = stand.folder.path().join("gate.log");
    let more = std::fs::read_to_string(&log).unwrap() + "2031-04-02 gate-09 card=1 refused\n";
    std::fs::write(&log, more).unwrap();
    stand.key(KeyCode::Esc);
    stand.letters("R");
    stand.run_all();
    stand.letters("K");
    let screen = stand.screen(160, 50);
    let marked = |mark: &str| screen.lines().filter(|line| line.starts_with(mark)).count();
    // The other one is marked in the list and over the figures.
    assert_eq!((marked("▌ 2 "), marked("  1 ")), (1, 2), "{screen}");
    assert!(screen.contains("output: different from line 1 on"), "{screen}");
    assert_eq!(screen.matches("different from").count(), 1, "{screen}");
    assert!(!screen.contains("only in"), "{screen}");
}

#[test]
fn throughput_and_compare_say_the_same_each_time() {
    let mut stand = Stand::new("grep refused DIR/gate.log | sort | tee DIR/copy | wc -l");
    stand.run_all();
    let screen = words(&mut stand, 160, 50);
    for said in ["grep refused", "works", "lines/s over time", "Z undoes it"] {
        assert!(screen.contains(said), "{said} in {screen}");
    }
    stand.letters("o");
    assert!(words(&mut stand, 160, 50).contains("output:"));
    stand.letters("K");
    // 86 columns are the fewest that have room for the times at work.
    for (width, height) in [(160, 50), (104, 30), (86, 24), (85, 24)] {
        let name = format!("compare-words-{width}x{height}");
        insta::assert_snapshot!(name, words(&mut stand, width, height));
    }
}

/// Takes news until something is so.
fn until(stand: &mut Stand, is: impl Fn(&Stand) -> bool) {
    while !is(stand) {
        let event = stand.news.recv_timeout(std::time::Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
}

#[test]
fn trails_versions_and_the_shelf() {
    use crate::views::versions::state::{Known, VersionsView};
    let mut stand = settled(LINE);
    stand.key(KeyCode::Tab);
    stand.letters("t");
    until(&mut stand, |stand| {
        stand
            .app
            .drawer_of::<crate::views::trail::state::TrailView>()
            .is_some_and(|view| view.rows.is_some())
    });
    keep("trail", &mut stand);
    stand.key(KeyCode::Esc);
    stand.letters("Y");
    stand.letters("gate-05");
    stand.key(KeyCode::Enter);
    until(&mut stand, |stand| {
        stand
            .app
            .drawer_of::<crate::views::trail::state::TrailView>()
            .is_some_and(|view| view.rows.is_some())
    });
    keep("missed", &mut stand);
    let mut stand = settled("seq 30 | grep -v 7 | sort -rn");
    stand.app.text.editor.set_text("seq 30 | grep -v 8 | sort -rn", 0);
    stand.app.text_changed();
    stand.settle();
    stand.letters("M");
    until(&mut stand, |stand| {
        stand.app.drawer_of::<VersionsView>().is_some_and(
            |view| matches!(&view.known, Known::Made(made) if made.difference.is_some()),
        )
    });
    keep("versions", &mut stand);
    let mut stand = settled("seq 3");
    let put =
        |name: &str, text: &str| std::fs::write(stand.folder.path().join(name), text).unwrap();
    put("up.sh", "#!/bin/sh\n# Numbers in order\nseq 4 | sort -n\n");
    put("two words.sh", "#!/bin/sh\ngrep refused missing.log | cut -d' ' -f3 > out.txt\n");
    stand.app.text.history = vec!["grep stuck missing.log".to_owned()];
    stand.letters("S");
    stand.shelf_read();
    keep("shelf", &mut stand);
}
