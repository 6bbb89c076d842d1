//! Why: the trail of a line, versions side by side, the Shelf.

use insight::Shelved;

use super::{message, press, river, text, written};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;
use crate::storage::store::Store;
use crate::views::shelf::state::ShelfView;
use crate::views::trail::state::TrailView;
use crate::views::versions::state::{Known, VersionsView};

/// Takes news until something is so.
fn until(stand: &mut Stand, is: impl Fn(&Stand) -> bool) {
    while !is(stand) {
        let event = stand.news.recv_timeout(std::time::Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
}

fn trail(stand: &mut Stand) -> &TrailView {
    until(stand, |stand| {
        stand
            .app
            .drawer_of::<crate::views::trail::state::TrailView>()
            .is_some_and(|view| view.rows.is_some())
    });
    let Some(view) = stand.app.drawer_of::<TrailView>() else {
        panic!("no trail: {}", message(stand))
    };
    view
}

fn words(view: &TrailView) -> Vec<&str> {
    view.rows.iter().flatten().map(|row| row.words.as_str()).collect()
}

const LINE: &str = "cat DIR/gate.log | grep refused | cut -d' ' -f2 | sort | uniq -c | head -n 3";

#[test]
fn a_line_of_the_result_is_followed_to_the_lines_it_was_made_of() {
    let mut stand = river(LINE);
    press(&mut stand, "Tab t");
    let view = trail(&mut stand);
    assert_eq!(
        words(view),
        [
            "9 of 300 lines",
            "9 lines, unchanged",
            "9 lines, unchanged",
            "9 lines → “gate-00” …",
            "9 lines, now lines 1 to 9",
            "9 lines became 1: “      9 gate-00”",
            "unchanged",
            "line 1 of the result",
        ]
    );
    // Its lines are searched and gone to.
    stand.letters("card=105");
    let view = trail(&mut stand);
    assert_eq!((view.in_lines, view.shown.len()), (true, 1));
    press(&mut stand, "Enter");
    assert!(stand.app.drawer.is_none());
    assert_eq!((stand.app.place, stand.app.focus), (Place::Stage(0), Focus::Lens));
    assert!(stand.screen(160, 40).contains("card=105"));
    assert_eq!(stand.app.lens.cursor, 105);
    press(&mut stand, "t");
    let view = trail(&mut stand);
    assert!(view.title.starts_with("line 106 of"), "{}", view.title);
}

#[test]
fn where_a_line_ends_is_selected_and_why_is_said() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Tab Down t");
    let view = trail(&mut stand);
    assert_eq!(words(view).last(), Some(&"ends here: no match for “refused”"));
    assert!(view.rows.as_ref().unwrap()[view.at].ends);
    // Enter goes there.
    press(&mut stand, "Enter");
    assert_eq!(stand.app.place, Place::Stage(1));
    // Of what ended there, the row on screen is one of those that are folded.
    assert_eq!(stand.app.focus, Focus::Lens);
}

#[test]
fn a_missed_text_is_found_where_it_is_lost() {
    let mut stand = river(LINE);
    press(&mut stand, "Y");
    assert!(
        stand
            .app
            .drawer_of::<crate::parts::prompt::Prompt>()
            .is_some_and(|prompt| prompt.title.starts_with("which text is missing"))
    );
    stand.letters("gate-05");
    press(&mut stand, "Enter");
    let view = trail(&mut stand);
    let said = words(view);
    assert_eq!(said[0], "43 of 300 lines have “gate-05”");
    assert!(said[1].ends_with("the first: no match for “refused”"), "{said:?}");
    assert_eq!(*said.last().unwrap(), "nothing of them is in the result");
    press(&mut stand, "Esc Y");
    stand.letters("never there");
    press(&mut stand, "Enter");
    let view = trail(&mut stand);
    assert_eq!(words(view), ["no line that comes into the pipeline has “never there”"]);
}

#[test]
fn a_missed_text_is_found_inside_of_a_group() {
    let mut stand = river(
        "for gate in gate-01 gate-02; do grep $gate DIR/gate.log | sort -u -k2,2; done | wc -l",
    );
    press(&mut stand, "Y");
    stand.letters("gate-05");
    press(&mut stand, "Enter");
    let view = trail(&mut stand);
    let rows: Vec<_> =
        view.rows.iter().flatten().map(|row| (row.label.as_str(), row.words.as_str())).collect();
    assert_eq!(rows[1].1, "all 86 lines end here, the first: no match for “gate-01” (in 2 rounds)");
    assert!(rows[1].0.starts_with("inside: grep $gate "), "{rows:?}");
    assert_eq!(rows.last(), Some(&("result", "no line of it has “gate-05”")));
    press(&mut stand, "Tab Enter");
    assert!(message(&stand).starts_with("this line is inside of stage 1: > "));
}

#[test]
fn what_a_trail_says_stays_true_when_the_result_changes() {
    let mut stand = river(LINE);
    press(&mut stand, "Tab t");
    trail(&mut stand);
    stand.app.text_changed();
    let waiting = stand.app.result.waiting;
    until(&mut stand, |stand| stand.app.result.waiting != waiting);
    press(&mut stand, "Enter");
    assert_eq!(message(&stand), "the result has changed: this line is of the one before");
    // Old news have nobody to be for.
    crate::views::trail::trailed(&mut stand.app, u64::MAX, None);
}

fn versions(stand: &mut Stand) -> &VersionsView {
    until(stand, |stand| {
        stand.app.drawer_of::<crate::views::versions::state::VersionsView>().is_some_and(|view| {
            match &view.known {
                Known::Evaluating => false,
                Known::Failed(_) => true,
                Known::Made(made) => made.difference.is_some(),
            }
        })
    });
    let Some(view) = stand.app.drawer_of::<VersionsView>() else {
        panic!("no versions: {}", message(stand))
    };
    view
}

#[test]
fn two_versions_are_compared_and_one_is_taken() {
    let mut stand = river("seq 9 | sort -r | head -n 3");
    press(&mut stand, "e");
    stand.app.text.editor.set_text("seq 9 | sort -r | head -n 4", 0);
    stand.app.text_changed();
    stand.settle();
    press(&mut stand, "Esc M");
    let view = versions(&mut stand);
    let names: Vec<&str> = view.all.iter().map(|one| one.name.as_str()).collect();
    assert_eq!(
        names,
        ["now", "version 1", "without stage 2, sort -r", "without stage 3, head -n 4"]
    );
    let Known::Made(made) = &view.known else { panic!("nothing compared") };
    let found = made.difference.as_ref().unwrap();
    assert_eq!((found.same, found.only_left, found.only_right), (3, 0, 1));
    assert_eq!(insight::first_difference(&made.pairs), Some(2));
    let screen = stand.screen(160, 40);
    assert!(
        screen.contains("differs first")
            && screen.contains("3 lines the same, 0 only in 1, 1 only in 2")
    );
    // Another one, and the other way round.
    press(&mut stand, "Down Down");
    let view = versions(&mut stand);
    assert_eq!((view.with, view.at), (1, 2));
    press(&mut stand, "x");
    let view = versions(&mut stand);
    assert_eq!((view.with, view.at), (2, 1));
    press(&mut stand, "m Up");
    let view = versions(&mut stand);
    assert_eq!((view.with, view.at), (1, 0));
    press(&mut stand, "Down Enter");
    assert_eq!(text(&stand), "seq 9 | sort -r | head -n 3");
    assert_eq!(written(&mut stand), "9\n8\n7\n");
    press(&mut stand, "u");
    assert_eq!(text(&stand), "seq 9 | sort -r | head -n 4");
}

#[test]
fn a_version_that_cannot_be_run_is_said() {
    let mut stand = river("seq 3 | cat");
    let bad = crate::state::versions::Candidate {
        name: "bad".to_owned(),
        text: "sort --nonsense".to_owned(),
        at: 0,
        figures: None,
    };
    crate::views::versions::open(&mut stand.app, vec![bad]);
    let view = versions(&mut stand);
    assert!(matches!(&view.known, Known::Failed(why) if why.starts_with("bad: sort: ")));
    assert!(stand.screen(120, 36).contains("! bad: sort: "));
}

fn shelf(stand: &mut Stand) -> &ShelfView {
    stand.shelf_read();
    let Some(view) = stand.app.drawer_of::<ShelfView>() else {
        panic!("no Shelf: {}", message(stand))
    };
    view
}

/// A Bench that keeps things, with two scripts in its folder.
fn with_scripts() -> Stand {
    let mut stand = river("seq 3 | tac");
    let own = stand.folder.path().join("own");
    stand.app.kept.past = Some(insight::PastLog::in_folder(&own));
    stand.app.kept.store = Some(Store::at(own));
    let put =
        |name: &str, text: &str| std::fs::write(stand.folder.path().join(name), text).unwrap();
    put("up.sh", "#!/bin/sh\n# numbers in order\nseq 4 | sort -n\n");
    put("two words.sh", "#!/bin/sh\ngrep refused missing.log > out.txt\n");
    stand
}

fn names(view: &ShelfView) -> Vec<String> {
    let all = view.entries.as_ref().unwrap();
    let name = |at: &usize| match &all[*at].shelved {
        Shelved::Saved(path) => path.file_name().unwrap().to_string_lossy().into_owned(),
        Shelved::Past => all[*at].text.clone(),
    };
    view.found.iter().map(name).collect()
}

#[test]
fn what_is_deleted_comes_back() {
    let mut stand = with_scripts();
    press(&mut stand, "S");
    assert_eq!(names(shelf(&mut stand)), ["two words.sh", "up.sh"]);
    stand.letters("numbers");
    assert_eq!(names(shelf(&mut stand)), ["up.sh"]);
    press(&mut stand, "Alt-d");
    assert_eq!(message(&stand), "DIR/up.sh was deleted; Alt-u brings it back");
    assert!(names(shelf(&mut stand)).is_empty());
    assert!(!stand.folder.path().join("up.sh").exists());
    press(&mut stand, "Alt-u");
    assert_eq!(names(shelf(&mut stand)), ["up.sh"]);
    assert!(message(&stand).ends_with("up.sh is back"));
    press(&mut stand, "Alt-u");
    assert_eq!(message(&stand), "nothing was deleted");
    // Who deletes it elsewhere meanwhile is told of.
    shelf(&mut stand);
    std::fs::remove_file(stand.folder.path().join("up.sh")).unwrap();
    press(&mut stand, "Alt-d");
    assert!(message(&stand).starts_with("not deleted: "), "{}", message(&stand));
}

#[test]
fn scripts_are_renamed_copied_and_commented() {
    let mut stand = with_scripts();
    press(&mut stand, "S");
    shelf(&mut stand);
    press(&mut stand, "Alt-r");
    stand.press(
        ratatui::crossterm::event::KeyCode::Char('u'),
        ratatui::crossterm::event::KeyModifiers::CONTROL,
    );
    stand.letters("up");
    press(&mut stand, "Enter");
    assert!(message(&stand).starts_with("not done: "), "never over another: {}", message(&stand));
    shelf(&mut stand);
    press(&mut stand, "Up Alt-c");
    stand.press(
        ratatui::crossterm::event::KeyCode::Char('u'),
        ratatui::crossterm::event::KeyModifiers::CONTROL,
    );
    stand.letters("it's mine");
    press(&mut stand, "Enter");
    assert_eq!(names(shelf(&mut stand)), ["it's mine.sh", "two words.sh", "up.sh"]);
    press(&mut stand, "Alt-t");
    stand.letters("of the lower station");
    press(&mut stand, "Enter");
    let script = std::fs::read_to_string(stand.folder.path().join("it's mine.sh")).unwrap();
    assert!(script.contains("of the lower station\n"), "{script}");
    shelf(&mut stand);
    press(&mut stand, "Esc");
    assert!(stand.app.drawer.is_none());
}

#[test]
fn earlier_lines_have_their_figures_and_can_be_taken_compared_and_forgotten() {
    let mut stand = with_scripts();
    stand.app.remember("seq 3 | tac");
    stand.app.remember("never evaluated");
    let past = stand.app.kept.past.clone().unwrap();
    // It is written in the background.
    while past.lines().unwrap().is_empty() {
        std::thread::yield_now();
    }
    press(&mut stand, "S");
    let view = shelf(&mut stand);
    assert_eq!(names(view), ["two words.sh", "up.sh", "seq 3 | tac", "never evaluated"]);
    let all = view.entries.as_ref().unwrap();
    assert_eq!(all[2].last.as_ref().map(|last| last.lines), Some(3));
    assert!(all[3].last.is_none());
    let screen = stand.screen(160, 40);
    assert!(
        screen.contains("reads missing.log (not here)") && screen.contains("writes out.txt"),
        "{screen}"
    );
    press(&mut stand, "Down Down Alt-d");
    assert_eq!(names(shelf(&mut stand)).len(), 3);
    press(&mut stand, "Alt-u");
    assert_eq!(names(shelf(&mut stand))[2], "seq 3 | tac");
    stand.letters("never");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "never evaluated");
    stand.settle();
    press(&mut stand, "Esc u");
    stand.settle();
    press(&mut stand, "S");
    shelf(&mut stand);
    press(&mut stand, "Down Alt-v");
    let view = versions(&mut stand);
    assert!(view.all[1].name.ends_with("up.sh"));
    let Known::Made(made) = &view.known else { panic!("nothing compared") };
    assert_eq!(made.pairs.len(), 2);
    // Two saved ones with each other.
    press(&mut stand, "Esc S");
    shelf(&mut stand);
    press(&mut stand, "Alt-m");
    assert!(message(&stand).starts_with("Alt-v compares another one with "));
    press(&mut stand, "Down Alt-v");
    let view = versions(&mut stand);
    assert_eq!((view.with, view.at), (1, 2));
    assert!(view.all[1].name.ends_with("two words.sh") && view.all[2].name.ends_with("up.sh"));
}
