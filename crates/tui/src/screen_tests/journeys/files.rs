//! Planned files and commands: looked at, left out, written, undone; full runs; programs.

use std::sync::Arc;
use std::time::Duration;

use super::{message, press, river, text, written};
use crate::parts::question::Question;
use crate::screen_tests::stand::Stand;
use crate::state::run::Shows;

const LINE: &str = "sort -r DIR/gate.log | tee DIR/copy | wc -l > DIR/count";

fn content(stand: &Stand, name: &str) -> Option<String> {
    std::fs::read_to_string(stand.folder.path().join(name)).ok()
}

/// Waits for the end of the run that continues.
fn ended(stand: &mut Stand) {
    while stand.app.is_running() || stand.app.pending.acting {
        let event = stand.news.recv_timeout(Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
    stand.settle();
}

#[test]
fn files_are_written_only_after_a_yes_and_brought_back() {
    let mut stand = river(LINE);
    assert_eq!(content(&stand, "copy"), None, "looking writes nothing");
    press(&mut stand, "w");
    assert!(stand.app.drawer_of::<Question>().is_some_and(|one| one.title.contains("Write these")));
    press(&mut stand, "n");
    assert_eq!(content(&stand, "count"), None);
    press(&mut stand, "w y");
    ended(&mut stand);
    assert_eq!(content(&stand, "count").as_deref(), Some("300\n"));
    assert_eq!(content(&stand, "copy").map(|copy| copy.lines().count()), Some(300));
    press(&mut stand, "Z");
    assert_eq!(message(&stand), "2 files are as before");
    assert_eq!((content(&stand, "count"), content(&stand, "copy")), (None, None));
    press(&mut stand, "Z");
    assert_eq!(message(&stand), "nothing was written, so there is nothing to undo");
}

#[test]
fn files_are_compared_only_while_they_are_looked_at() {
    let mut stand = river(LINE);
    assert!(stand.app.pending.difference.is_none());
    press(&mut stand, "P");
    stand.until(|stand| stand.app.pending.difference.is_some());
    let (generation, at, rows) = stand.app.pending.difference.clone().unwrap();
    // What comes late, of another file or another result, is not taken.
    for (of, number) in [(generation, at + 1), (generation + 1, at), (generation + 1, at + 1)] {
        crate::views::pending::compared(&mut stand.app, of, number, Arc::default());
        let now = stand.app.pending.difference.as_ref().unwrap();
        assert_eq!((now.0, now.1), (generation, at));
        assert!(Arc::ptr_eq(&now.2, &rows), "{of} {number}");
    }
}

#[test]
fn a_run_follows_a_growing_file_until_it_is_stopped() {
    for key in ["y", "d"] {
        let mut stand = river("tail -n 1 -f DIR/gate.log");
        let log = stand.folder.path().join("gate.log");
        press(&mut stand, "r");
        press(&mut stand, key);
        let lines = |stand: &Stand| {
            stand.app.running.as_ref().map_or(0, |running| running.run.output.lines())
        };
        stand.until(|stand| lines(stand) == 1);
        let mut grown = std::fs::read_to_string(&log).unwrap();
        grown.push_str("2031-04-02 gate-09 card=9 passed\n");
        std::fs::write(&log, &grown).unwrap();
        stand.until(|stand| lines(stand) == 2);
        press(&mut stand, "x");
        ended(&mut stand);
    }
    // What there is now is written, and then it ends.
    let mut stand = river("tail -n 1 -f DIR/gate.log > DIR/out");
    press(&mut stand, "w y");
    ended(&mut stand);
    assert_eq!(content(&stand, "out").map(|out| out.lines().count()), Some(1));
}

#[test]
fn a_file_that_is_left_out_is_not_written() {
    let mut stand = river(LINE);
    press(&mut stand, "P");
    assert_eq!(stand.app.view, crate::screen::view_name::PENDING);
    assert_eq!(stand.app.pending_rows(), (2, 0));
    press(&mut stand, "Down Down Up x");
    assert_eq!(stand.app.pending.left_out.len(), 1);
    press(&mut stand, "w y");
    ended(&mut stand);
    let there = [content(&stand, "copy").is_some(), content(&stand, "count").is_some()];
    assert_eq!(there.iter().filter(|there| **there).count(), 1, "{there:?}");
    let mut stand = river(LINE);
    press(&mut stand, "P x Down x w");
    assert_eq!(message(&stand), "all files are left out; x includes the selected one");
    press(&mut stand, "x");
    assert_eq!(stand.app.pending.left_out.len(), 1);
    press(&mut stand, "Esc");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH);
}

#[test]
fn what_others_have_changed_is_not_undone_over_them() {
    let mut stand = river("seq 3 > DIR/out");
    press(&mut stand, "w y");
    ended(&mut stand);
    std::fs::write(stand.folder.path().join("out"), "1\n2\nmine\n").unwrap();
    press(&mut stand, "Z");
    assert!(stand.app.drawer_of::<crate::parts::changes::Changes>().is_some());
    assert!(stand.screen(120, 40).contains("mine"));
    press(&mut stand, "Down Up Esc");
    assert_eq!(content(&stand, "out").as_deref(), Some("1\n2\nmine\n"));
    std::fs::write(stand.folder.path().join("out"), "1\n2\n3\n").unwrap();
    assert_eq!(stand.app.pending.applied.len(), 1, "it can still be undone");
}

#[test]
fn nothing_is_written_where_it_would_be_wrong() {
    for (line, said) in [
        ("seq 3", "this line writes no files"),
        ("sort DIR/gate.log > DIR/gate.log", ""),
        ("cat DIR/gate.log | sort > DIR/gate.log", ""),
    ] {
        let mut stand = river(line);
        press(&mut stand, "w");
        assert!(stand.app.drawer.is_none(), "{line}");
        if said.is_empty() {
            assert!(message(&stand).starts_with("not written: "), "{line}: {}", message(&stand));
        } else {
            assert_eq!(message(&stand), said);
        }
        assert_eq!(content(&stand, "gate.log").map(|log| log.lines().count()), Some(300));
    }
    let mut stand = river("seq 3 > DIR/out");
    press(&mut stand, "e");
    stand.letters("2 |");
    press(&mut stand, "Esc w");
    assert_eq!(message(&stand), "the text has changed: wait for its result");
    press(&mut stand, "r");
    assert_eq!(message(&stand), "a command is missing after |");
    let mut empty = Stand::new("");
    press(&mut empty, "Esc r");
    assert_eq!(message(&empty), "nothing to run");
}

#[test]
fn a_full_run_is_asked_for_watched_and_its_output_kept() {
    let mut stand = river("cat DIR/gate.log | cut -d' ' -f2 | sort | uniq -c");
    press(&mut stand, "r");
    assert!(
        stand.app.drawer_of::<Question>().is_some_and(|one| one.title.contains("Run this on all"))
    );
    press(&mut stand, "y");
    assert_eq!(stand.app.view, crate::screen::view_name::THROUGHPUT);
    ended(&mut stand);
    assert!(message(&stand).starts_with("done in "), "{}", message(&stand));
    assert!(message(&stand).ends_with("7 lines of output"), "{}", message(&stand));
    press(&mut stand, "Down Down Down Down Down Up");
    assert_eq!(stand.app.throughput.at, 2);
    press(&mut stand, "o");
    assert_eq!(stand.app.throughput.shows, Shows::Output);
    assert!(stand.screen(120, 40).contains("gate-06"));
    press(&mut stand, "Down Down End Home PageDown Up k Ctrl-u");
    let path = stand.folder.path().join("kept.txt").display().to_string();
    stand.letters(&path);
    press(&mut stand, "Enter");
    assert_eq!(content(&stand, "kept.txt").map(|kept| kept.lines().count()), Some(7));
    assert!(message(&stand).ends_with("in DIR/kept.txt"), "{}", message(&stand));
    press(&mut stand, "o p");
    assert_eq!(message(&stand), "no run in progress");
    press(&mut stand, "x");
    assert_eq!(message(&stand), "no run in progress");
    press(&mut stand, "Esc");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH);
    // The run is kept and shown beside the next one.
    press(&mut stand, "r y");
    ended(&mut stand);
    press(&mut stand, "K");
    assert_eq!(
        (stand.app.view, crate::views::compare::state::runs(&stand.app).len()),
        (crate::views::compare::NAME, 2)
    );
    assert!(
        crate::views::compare::state::compared_runs(&stand.app)
            .is_some_and(|(_, _, rows)| rows.len() >= 4)
    );
}

#[test]
fn a_run_without_files_leaves_them_planned() {
    let mut stand = river("seq 3 > DIR/out");
    press(&mut stand, "r d");
    ended(&mut stand);
    assert_eq!(content(&stand, "out"), None);
    // What it would have written can be seen, and kept elsewhere.
    assert!(message(&stand).contains("not written: out, 3 lines"), "{}", message(&stand));
    press(&mut stand, "o");
    let screen = stand.screen(120, 40);
    assert!(screen.contains("/out: 3 lines · 6 B"), "{screen}");
    press(&mut stand, "k Ctrl-u");
    stand.letters(&stand.folder.path().join("elsewhere").display().to_string());
    press(&mut stand, "Enter");
    assert_eq!(content(&stand, "elsewhere").as_deref(), Some("1\n2\n3\n"));
    press(&mut stand, "o Esc r y");
    ended(&mut stand);
    assert_eq!(content(&stand, "out").as_deref(), Some("1\n2\n3\n"));
}

#[test]
fn a_run_is_held_and_stopped() {
    let mut stand = river("seq 1000000000000 | grep -c 7 > DIR/out");
    press(&mut stand, "r y p");
    assert!(stand.app.running.as_ref().is_some_and(|running| running.snapshot.paused));
    press(&mut stand, "p");
    assert!(stand.app.running.as_ref().is_some_and(|running| !running.snapshot.paused));
    press(&mut stand, "r");
    assert_eq!(message(&stand), "a run is already in progress: T shows it, Ctrl-C stops it");
    press(&mut stand, "q");
    assert!(
        stand
            .app
            .drawer_of::<Question>()
            .is_some_and(|one| one.title.contains("A run is in progress"))
    );
    press(&mut stand, "n x");
    ended(&mut stand);
    assert!(message(&stand).ends_with("no files were written"), "{}", message(&stand));
    assert_eq!(content(&stand, "out"), None);
}

#[test]
fn programs_of_the_machine_wait_for_a_yes() {
    let mut stand = river("seq 3 | touch DIR/made");
    press(&mut stand, "End");
    assert!(stand.app.needs_consent());
    press(&mut stand, "y");
    assert!(
        stand
            .app
            .drawer_of::<Question>()
            .is_some_and(|one| one.title.contains("Run this external"))
    );
    press(&mut stand, "j n");
    assert!(stand.app.needs_consent() && content(&stand, "made").is_none());
    press(&mut stand, "y o");
    stand.settle();
    assert_eq!(content(&stand, "made").as_deref(), Some(""), "{}", message(&stand));
    assert!(!stand.app.needs_consent());
    press(&mut stand, "y");
    assert_eq!(message(&stand), "this stage needs no consent");
    assert_eq!(text(&stand), "seq 3 | touch DIR/made");
}

#[test]
fn held_commands_are_run_from_the_list_one_after_the_other() {
    let mut stand = river("printf '%s\\n' one two | xargs -n1 touch");
    let folder = stand.folder.path().display().to_string();
    press(&mut stand, "e Ctrl-u");
    stand.letters(&format!("cd {folder}; printf '%s\\n' one two three | xargs -n1 touch"));
    stand.settle();
    press(&mut stand, "Esc P");
    assert_eq!(stand.app.pending_rows(), (0, 3));
    press(&mut stand, "Down x");
    assert_eq!(stand.app.startable().len(), 2);
    press(&mut stand, "r");
    assert!(stand.app.drawer_of::<Question>().is_some_and(|one| one.title.contains("Run ")));
    press(&mut stand, "y");
    assert!(stand.app.drawer.is_some(), "y alone does not say what a failure means");
    press(&mut stand, "s");
    ended(&mut stand);
    assert_eq!(content(&stand, "one").as_deref(), Some(""));
    assert_eq!(content(&stand, "two"), None, "it was left out");
    assert_eq!(content(&stand, "three").as_deref(), Some(""));
    assert!(message(&stand).starts_with("2 succeeded"), "{}", message(&stand));
}

#[test]
fn what_is_only_a_sample_does_not_act() {
    let mut stand = river("cat DIR/gate.log | xargs -n 100 rm");
    stand.app.sample = engine::Sample::First(100);
    press(&mut stand, "R");
    let _ = written(&mut stand);
    press(&mut stand, "P r");
    assert_eq!(message(&stand), "these commands come from a sample; s selects everything");
    assert!(content(&stand, "gate.log").is_some());
}

/// Starts all commands of the list, and waits until what follows from it is known.
fn act(stand: &mut Stand) {
    press(stand, "P r g");
    ended(stand);
    stand.settle();
}

#[test]
fn what_was_started_stays_beside_its_command() {
    let mut stand = river("rm DIR/x; rm DIR/x; rm DIR/y");
    std::fs::write(stand.folder.path().join("x"), "").unwrap();
    // A yes covers the files that are named as they were shown.
    press(&mut stand, "R");
    stand.settle();
    act(&mut stand);
    let results = |stand: &Stand| -> Vec<Option<bool>> {
        (0..4).map(|at| stand.app.start_result(at).map(engine::StartResult::succeeded)).collect()
    };
    assert_eq!(results(&stand), [Some(true), Some(false), Some(false), None]);
    press(&mut stand, "R");
    stand.settle();
    assert_eq!(results(&stand), [Some(true), Some(false), Some(false), None]);
    assert!(stand.app.pending.past.is_empty());
    // Another text has other commands.
    press(&mut stand, "e End Space");
    stand.settle();
    assert_eq!(results(&stand), [None; 4]);

    let mut stand = Stand::new("ls DIR/d/* | xargs -r -n1 rm");
    std::fs::create_dir(stand.folder.path().join("d")).unwrap();
    for name in ["a", "b"] {
        std::fs::write(stand.folder.path().join("d").join(name), "").unwrap();
    }
    stand.app.text_changed();
    stand.settle();
    press(&mut stand, "Esc");
    assert_eq!(stand.app.pending_rows(), (0, 2));
    act(&mut stand);
    // They are no commands of the text any more, and are told apart.
    let past: Vec<bool> = stand.app.pending.past.iter().map(|(_, one)| one.succeeded()).collect();
    assert_eq!((stand.app.pending_rows().1, past), (0, vec![true, true]));
    press(&mut stand, "e End Space");
    stand.settle();
    assert!(stand.app.pending.past.is_empty());
}

#[test]
fn pending_tells_of_all_of_the_data_after_a_run_that_wrote_nothing() {
    let mut stand =
        river("cut -d' ' -f2 DIR/gate.log | tee DIR/all | sort -u > DIR/out; echo x >> DIR/out");
    stand.app.sample = engine::Sample::First(10);
    stand.app.text_changed();
    stand.settle();
    press(&mut stand, "{ P");
    stand.settle();
    let screen = stand.screen(140, 40);
    assert!(screen.contains("10 lines") && screen.contains("come from a sample"), "{screen}");
    press(&mut stand, "Esc r d");
    ended(&mut stand);
    press(&mut stand, "P");
    let screen = stand.screen(140, 40);
    assert!(screen.contains("300 lines"), "{screen}");
    assert!(!screen.contains("come from a sample"), "{screen}");
    // Of another text it tells nothing.
    press(&mut stand, "Esc e End");
    stand.letters(" y");
    stand.settle();
    assert!(stand.app.unwritten().is_empty());
}
