//! Stages added, moved, switched off, deleted; fixes and dismissed notes.

use super::{message, press, river, text, written};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;

const LINE: &str = "seq 5 | tac | head -n 2";

#[test]
fn arrows_go_from_the_source_over_stages_and_streams() {
    let mut stand = river(LINE);
    press(&mut stand, "Home");
    assert_eq!(stand.app.place, Place::Source);
    for place in [
        Place::Stage(0),
        Place::Stream(0),
        Place::Stage(1),
        Place::Stream(1),
        Place::Stage(2),
        Place::Stream(2),
        Place::Stream(2),
    ] {
        press(&mut stand, "Down");
        assert_eq!(stand.app.place, place);
    }
    press(&mut stand, "Up");
    assert_eq!(stand.app.place, Place::Stage(2));
    for (keys, place) in [
        ("Left", Place::Stage(1)),
        ("Left Left", Place::Stage(0)),
        ("Right", Place::Stage(1)),
        ("End", Place::Stage(2)),
        ("Right", Place::Stage(2)),
        ("Home Right", Place::Stage(0)),
    ] {
        press(&mut stand, keys);
        assert_eq!(stand.app.place, place, "{keys}");
    }
}

#[test]
fn stages_are_added_before_and_after() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Right n");
    stand.letters("grep -v 3");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "seq 5 | grep -v 3 | tac | head -n 2");
    assert_eq!(message(&stand), "stage added; u undoes it");
    assert_eq!(stand.app.place, Place::Stage(1));
    assert_eq!(written(&mut stand), "5\n4\n");
    press(&mut stand, "i");
    stand.letters("sort");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "seq 5 | sort | grep -v 3 | tac | head -n 2");
    press(&mut stand, "u u");
    assert_eq!(text(&stand), LINE);
    // After the source means first.
    press(&mut stand, "Home n");
    stand.letters("cat");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), format!("cat | {LINE}"));
    press(&mut stand, "u n Enter");
    assert_eq!(text(&stand), LINE, "an empty stage is none");
    press(&mut stand, "n x Esc");
    assert_eq!(text(&stand), LINE);
}

#[test]
fn stages_are_moved_and_the_selection_goes_with_them() {
    let mut stand = river(LINE);
    press(&mut stand, "End [");
    assert_eq!(text(&stand), "seq 5 | head -n 2 | tac");
    assert_eq!((stand.app.place, message(&stand).as_str()), (Place::Stage(1), "stage moved"));
    assert_eq!(written(&mut stand), "2\n1\n");
    press(&mut stand, "]");
    assert_eq!((text(&stand).as_str(), stand.app.place), (LINE, Place::Stage(2)));
    press(&mut stand, "]");
    assert_eq!(text(&stand), LINE, "{}", message(&stand));
    press(&mut stand, "Home Right [");
    assert_eq!((text(&stand).as_str(), message(&stand).as_str()), (LINE, "it is the first stage"));
}

#[test]
fn a_stage_is_switched_off_and_on_again() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Right Right x");
    assert_eq!(text(&stand), "seq 5 | cat |  # off: tac\nhead -n 2");
    assert_eq!(written(&mut stand), "1\n2\n");
    press(&mut stand, "x");
    assert_eq!(written(&mut stand), "5\n4\n");
    press(&mut stand, "u u");
    assert_eq!(text(&stand), LINE);
    press(&mut stand, "Home Right x");
    assert_eq!(message(&stand), "seq has no input, so it cannot be switched off");
    assert_eq!(text(&stand), LINE);
}

#[test]
fn a_deleted_stage_comes_back() {
    let mut stand = river(LINE);
    press(&mut stand, "Left d");
    assert_eq!(text(&stand), "seq 5 | head -n 2");
    assert_eq!(message(&stand), "stage deleted; u brings it back");
    assert_eq!(written(&mut stand), "1\n2\n");
    press(&mut stand, "u");
    assert_eq!(written(&mut stand), "5\n4\n");
    press(&mut stand, "U Delete");
    assert_eq!(text(&stand), "seq 5");
    // The last one stays: deleting the text is done in the text.
    press(&mut stand, "d");
    assert_eq!(text(&stand), "seq 5");
    assert!(!message(&stand).is_empty());
}

#[test]
fn a_stage_is_edited_where_it_ends() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Right E");
    assert_eq!(stand.app.focus, Focus::Text);
    stand.letters("0");
    assert_eq!(text(&stand), "seq 50 | tac | head -n 2");
    assert_eq!(written(&mut stand), "50\n49\n");
    press(&mut stand, "Esc End E");
    stand.letters("0");
    assert_eq!(text(&stand), "seq 50 | tac | head -n 20");
    press(&mut stand, "Esc e");
    assert_eq!(stand.app.focus, Focus::Text);
}

#[test]
fn a_compound_stage_is_opened_and_closed() {
    let mut stand = river("seq 3 | while read n; do echo $n | tr 1 x; done");
    press(&mut stand, "End >");
    assert!(stand.app.opened.contains(&1));
    assert!(stand.screen(160, 50).contains("tr 1 x"));
    press(&mut stand, ">");
    assert!(stand.app.opened.is_empty());
    press(&mut stand, "Left >");
    assert_eq!(message(&stand), "no commands run inside this stage");
}

/// `uniq` on lines that are not in order has a note with a fix.
fn noted() -> Stand {
    let mut stand = river("printf '%s\\n' b a b a | uniq -c");
    press(&mut stand, "End");
    stand.settle();
    assert!(stand.app.offers_fix());
    stand
}

#[test]
fn a_fix_changes_the_text_and_is_undone() {
    let mut stand = noted();
    press(&mut stand, "f");
    assert_eq!(text(&stand), "printf '%s\\n' b a b a | sort | uniq -c");
    assert!(message(&stand).ends_with("u undoes it"), "{}", message(&stand));
    assert_eq!(written(&mut stand), "      2 a\n      2 b\n");
    assert!(!stand.app.offers_fix());
    press(&mut stand, "u");
    assert_eq!(text(&stand), "printf '%s\\n' b a b a | uniq -c");
    stand.settle();
    press(&mut stand, "Home f");
    assert_eq!(message(&stand), "no note offers a fix here");
}

#[test]
fn a_dismissed_note_stays_away_for_this_stage_only() {
    let mut stand = noted();
    let notes = |stand: &Stand| stand.app.result.notes_for(1).len();
    let before = notes(&stand);
    press(&mut stand, "D");
    assert_eq!(notes(&stand), before - 1);
    // For another text of the stage it counts again.
    press(&mut stand, "Enter");
    stand.letters(" -i");
    stand.settle();
    assert_eq!(notes(&stand), before);
    press(&mut stand, "Esc Home D");
    assert_eq!(message(&stand), "no note to dismiss");
}

#[test]
fn copies_go_to_the_clipboard_with_their_size() {
    let mut stand = river(LINE);
    press(&mut stand, "C");
    assert_eq!(stand.app.take_clipboard().as_deref(), Some(LINE.as_bytes()));
    press(&mut stand, "End c");
    assert_eq!(stand.app.take_clipboard().as_deref(), Some(&b"5\n4\n"[..]));
    assert!(message(&stand).starts_with("what stage 3 writes copied"), "{}", message(&stand));
    press(&mut stand, "Tab c");
    assert_eq!(stand.app.take_clipboard().as_deref(), Some(&b"5"[..]), "the line of the cursor");
    assert_eq!(stand.app.take_clipboard(), None, "once");
    let mut large = river("seq 200000 | cat");
    large.app.sample = engine::Sample::Everything;
    press(&mut large, "R");
    large.settle();
    press(&mut large, "End c");
    assert_eq!(large.app.take_clipboard(), None);
    assert!(message(&large).contains("write it to a file"), "{}", message(&large));
}

#[test]
fn wires_are_drawn_from_descriptor_to_descriptor() {
    let mut stand = river(
        "grep x DIR/gate.log 2>&1 > DIR/f | cat 3< DIR/gate.log 2> DIR/e | sort > DIR/all 2>&1",
    );
    press(&mut stand, "W");
    let screen = stand.screen(260, 40).replace(&stand.folder.path().display().to_string(), "DIR");
    // What 2 says goes down to the next stage and not what 1 writes; a third descriptor is read.
    for line in [
        " 1 ────▶ DIR/f, replaced",
        " 2 ──╮",
        "╰─▶ 0 ┌ 2 cat",
        " 1 ──╮",
        " 2 ──┼─▶ DIR/e, replaced",
        " 3 ──┼─◀ DIR/gate.log",
        "╰─▶ 0 ┌ 3 sort",
        " 1 ─┬──▶ DIR/all, replaced",
        " 2 ─╯",
    ] {
        assert!(screen.contains(line), "{line} in {screen}");
    }
    // Led after 1 before that led elsewhere, and a closed one.
    let mut stand = river("seq 3 2>&1 > /dev/null <&-");
    press(&mut stand, "W");
    let screen = stand.screen(260, 40);
    assert!(screen.contains("× 0 ┌ 1 seq"), "{screen}");
    assert!(screen.contains("2 ────▶ terminal (where 1 led before)"), "{screen}");
    // All of a long pipeline cannot be seen at the same time: what is selected can.
    let mut stand = river(&["cat"; 30].join(" | "));
    press(&mut stand, "End W");
    assert!(stand.screen(160, 40).contains("┌ 30 cat"));
    press(&mut stand, "Home");
    assert!(stand.screen(160, 40).contains("┌ 1 cat"));
}
