//! The lens: scrolling, searching, hiding, the forms of bytes; the sample.

use super::{message, press, river, written};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;
use crate::state::lens::Content;
use crate::text::display::View;

const LINE: &str = "cat DIR/gate.log | grep refused | cut -d' ' -f2";

fn lens(text: &str) -> Stand {
    let mut stand = river(text);
    press(&mut stand, "Tab");
    assert_eq!(stand.app.focus, Focus::Lens);
    // The height is known from the screen.
    stand.screen(120, 40);
    stand
}

/// Waits for the rows that a search finds.
fn found(stand: &mut Stand) -> Vec<u32> {
    while stand.app.lens.search.as_ref().is_some_and(|search| search.searching) {
        let event = stand.news.recv_timeout(std::time::Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
    stand.app.lens.search.as_ref().map(|search| search.rows.to_vec()).unwrap_or_default()
}

#[test]
fn the_cursor_moves_in_the_data_and_stays_in_it() {
    let mut stand = lens("seq 300 | cat");
    press(&mut stand, "Down Down Down Up");
    assert_eq!(stand.app.lens.cursor, 2);
    press(&mut stand, "End");
    assert_eq!(stand.app.lens.cursor, 299);
    press(&mut stand, "Down");
    assert_eq!(stand.app.lens.cursor, 299);
    press(&mut stand, "PageUp");
    let page = stand.app.lens.height - 1;
    assert_eq!(stand.app.lens.cursor, 299 - page);
    press(&mut stand, "Home PageDown");
    assert_eq!(stand.app.lens.cursor, page);
    press(&mut stand, "Right Right Left");
    assert_eq!(stand.app.lens.column, 8);
    press(&mut stand, "Left Left Left");
    assert_eq!(stand.app.lens.column, 0);
    press(&mut stand, "Esc Ctrl-Down");
    assert_eq!((stand.app.focus, stand.app.lens.cursor), (Focus::River, page + 1));
}

#[test]
fn a_search_finds_rows_and_goes_from_one_to_the_next() {
    let mut stand = lens("seq 40 | cat");
    press(&mut stand, "/");
    stand.letters("7");
    press(&mut stand, "Enter");
    assert_eq!(found(&mut stand), [6, 16, 26, 36]);
    let mut seen = Vec::new();
    for keys in [".", ".", ".", ".", ",", ","] {
        press(&mut stand, keys);
        seen.push(stand.app.lens.cursor);
    }
    assert_eq!(seen.iter().filter(|row| *row % 10 == 6).count(), 6, "{seen:?}");
    assert_eq!(seen[4], seen[2], "back to where it was");
    press(&mut stand, "/ Ctrl-u");
    stand.letters("nothing");
    press(&mut stand, "Enter");
    assert!(found(&mut stand).is_empty());
    press(&mut stand, ".");
    assert_eq!(message(&stand), "no match; / searches, Y asks where a text is lost");
    // The same search again keeps its rows until the new ones are there, another has none yet.
    stand.app.start_search("7");
    found(&mut stand);
    stand.app.start_search("7");
    assert_eq!(stand.app.lens.search.as_ref().unwrap().rows.len(), 4);
    stand.app.start_search("9");
    assert!(stand.app.lens.search.as_ref().unwrap().rows.is_empty());
    assert_eq!(found(&mut stand).len(), 4);
    stand.app.start_search("nothing");
    found(&mut stand);
    // What was searched for last is offered again.
    press(&mut stand, "/");
    assert!(stand.screen(120, 40).contains("nothing"));
    press(&mut stand, "Esc");
}

#[test]
fn lines_that_a_stage_drops_are_folded_and_shown() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Right Right");
    assert_eq!(stand.app.place, Place::Stage(1));
    let rows = |stand: &Stand| stand.app.lens.len();
    // One of five is kept, the first one first.
    assert_eq!(rows(&stand), 60 + 60);
    press(&mut stand, "Tab Enter");
    let points = stand.app.drawer_of::<crate::views::point::state::PointView>().is_some();
    assert!(points, "nothing to open: it is the line that is pointed at");
    press(&mut stand, "Esc Down");
    let screen = stand.screen(120, 40);
    assert!(screen.contains("4 lines dropped  Enter shows them"), "{screen}");
    press(&mut stand, "Enter");
    assert_eq!((rows(&stand), stand.app.lens.cursor), (60 + 59 + 4, 1));
    assert!(!stand.screen(120, 40).contains("Enter shows them"));
    press(&mut stand, "h");
    assert_eq!(rows(&stand), 300, "each line of the input has a row");
    assert_eq!(stand.app.lens.cursor, 0, "other rows are looked at from the first on");
    press(&mut stand, "h");
    assert_eq!(rows(&stand), 120);
}

#[test]
fn what_is_folded_is_searched_too() {
    let mut stand = river(LINE);
    press(&mut stand, "Home Right Right Tab");
    // A line that is dropped, the third of the fold.
    stand.app.start_search("card=8 ");
    assert_eq!(found(&mut stand), [3]);
    assert_eq!(stand.app.lens.cursor, 3);
    press(&mut stand, "Enter");
    // Its row is another one now that the fold is open.
    found(&mut stand);
    assert_eq!(*stand.app.lens.search.as_ref().unwrap().rows, [5]);
}

#[test]
fn the_output_is_shown_alone_over_the_whole_width() {
    let mut stand = river("cut -d' ' -f2 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "End Tab o");
    assert!(matches!(stand.app.lens.content, Content::Stream { lines: 7, .. }));
    assert!(stand.screen(120, 40).contains("o both sides"));
    press(&mut stand, "o");
    assert!(matches!(stand.app.lens.content, Content::Stage { stage: 2, .. }));
    // On a narrow screen it is there first, and the input the other side.
    stand.screen(80, 24);
    assert!(matches!(stand.app.lens.content, Content::Stream { lines: 7, .. }));
    press(&mut stand, "o");
    assert!(matches!(stand.app.lens.content, Content::Stage { stage: 2, .. }));
}

#[test]
fn the_lens_stays_at_its_row_while_the_text_changes_and_begins_again_at_a_new_stage() {
    let mut stand = lens("seq 40 | cat | tac");
    press(&mut stand, "Down Down Down Esc e");
    stand.letters(" ");
    stand.settle();
    assert_eq!(stand.app.lens.cursor, 3);
    press(&mut stand, "Esc n");
    stand.letters("sort");
    press(&mut stand, "Enter");
    assert_eq!(stand.app.lens.cursor, 0);
    stand.settle();
    assert_eq!(stand.app.place, Place::Stage(3));
    // The last stage goes: the one before it is the last now.
    press(&mut stand, "u u");
    stand.settle();
    assert_eq!((stand.app.place, stand.app.stage_count()), (Place::Stage(2), 3));
    press(&mut stand, "e Ctrl-w Backspace Backspace");
    stand.settle();
    assert_eq!((stand.app.place, stand.app.stage_count()), (Place::Stage(1), 2));
    assert_eq!(stand.app.lens.len(), 40);
}

#[test]
fn places_of_the_river_have_their_lines() {
    let mut stand = river(LINE);
    press(&mut stand, "Home");
    assert!(matches!(stand.app.lens.content, Content::Stream { lines: 300, .. }));
    press(&mut stand, "Down Down");
    assert!(matches!(stand.app.lens.content, Content::Stream { lines: 300, .. }));
    press(&mut stand, "Down");
    assert!(matches!(stand.app.lens.content, Content::Stage { stage: 1, .. }));
    press(&mut stand, "Down");
    assert!(matches!(stand.app.lens.content, Content::Stream { lines: 60, .. }));
}

#[test]
fn bytes_have_three_forms_and_lines_wrap_or_not() {
    let mut stand = lens("printf 'a\\tb \\n' | cat");
    assert_eq!((stand.app.lens.view, stand.app.lens.wrap), (View::Text, false));
    press(&mut stand, "z");
    assert!(stand.app.lens.wrap);
    press(&mut stand, "v");
    let marks = stand.screen(120, 40);
    assert_eq!((stand.app.lens.view, stand.app.lens.wrap), (View::Marks, true));
    press(&mut stand, "v");
    assert_eq!((stand.app.lens.view, stand.app.lens.wrap), (View::Hex, false));
    let hexadecimal = stand.screen(120, 40);
    assert!(hexadecimal.contains("00000000  61 09 62 20"), "{hexadecimal}");
    assert!(hexadecimal.contains("a·b ·"), "{hexadecimal}");
    assert_ne!(marks, hexadecimal);
    press(&mut stand, "v");
    assert_eq!(stand.app.lens.view, View::Text);
    press(&mut stand, "o");
    assert!(stand.app.lens.turned);
}

#[test]
fn bytes_are_shown_searched_and_have_two_sides() {
    let mut stand = lens("printf 'one two three four five\n' | tr a-z A-Z");
    press(&mut stand, "v v");
    // Two rows of sixteen, of what comes out.
    assert_eq!(stand.app.lens.len(), 2);
    let screen = stand.screen(160, 40);
    assert!(screen.contains("ONE TWO THREE FO") && screen.contains("00000010"), "{screen}");
    // A match that goes over the end of a row is found where it begins.
    stand.app.start_search("four");
    assert_eq!(found(&mut stand), [0]);
    stand.app.start_search("five");
    assert_eq!(found(&mut stand), [1]);
    press(&mut stand, "o");
    assert!(stand.screen(160, 40).contains("one two three fo"));
    press(&mut stand, "v");
    assert!(matches!(stand.app.lens.content, Content::Stream { .. } | Content::Stage { .. }));
}

#[test]
fn what_a_stage_looks_at_is_brought_into_view() {
    let wide = "x ".repeat(100);
    let mut stand = river(&format!("echo '{wide}end' | awk '{{print $101}}' | cat"));
    stand.screen(160, 40);
    press(&mut stand, "Home Right Right");
    let screen = stand.screen(160, 40);
    assert!(
        stand.app.lens.column > 100 && screen.contains('«') && screen.contains("x end"),
        "{screen}"
    );
    // Nothing is far away there.
    press(&mut stand, "Right");
    assert_eq!(stand.app.lens.column, 0);
}

#[test]
fn lines_never_stay_beside_the_lens() {
    let wide = "x ".repeat(100);
    let text = |program: &str| format!("echo '{wide}end' | awk '{{print {program}}}' | cat");
    let mut stand = river(&text("$101"));
    stand.screen(160, 40);
    press(&mut stand, "Home Right Right");
    assert!(stand.app.lens.column > 100);
    let replace = |stand: &mut Stand, text: &str| {
        stand.app.text.editor.set_text(text, text.find("awk").unwrap());
        stand.app.text_changed();
        stand.settle();
    };
    // The output beside it stays where it is.
    assert!(stand.screen(160, 40).contains("› end"), "{}", stand.screen(160, 40));
    // Brought there for a field that the next text does not use.
    replace(&mut stand, &text("$1"));
    assert_eq!(stand.app.lens.column, 0);
    // Chosen by hand: kept as long as a line reaches it.
    press(&mut stand, "Tab Right Right Right");
    replace(&mut stand, &text("$2"));
    assert_eq!(stand.app.lens.column, 24);
    replace(&mut stand, "echo short | awk '{print $1}' | cat");
    assert_eq!(stand.app.lens.column, 0);
    assert!(stand.screen(160, 40).contains("short"));
}

#[test]
fn the_sample_is_chosen_in_a_form() {
    use engine::Sample;
    for (keys, sample, first) in [
        ("1 0 Enter", Sample::Quick(10), "gate-00"),
        ("1 0 Backspace Enter", Sample::Quick(1), "gate-00"),
        ("Down 1 0 Enter", Sample::First(10), "gate-00"),
        ("Down 1 0 Backspace Enter", Sample::First(1), "gate-00"),
        ("Down Down 3 Enter", Sample::Last(3), "gate-03"),
        ("Down Down Down 1 0 0 Enter", Sample::Every(100), "gate-00"),
        ("Down Down Down Down 5 Tab 9 Enter", Sample::Random { lines: 5, seed: 9 }, "gate-"),
        ("Down Down Down Down Down Enter", Sample::Everything, "gate-00"),
        ("Up Enter", Sample::Everything, "gate-00"),
        ("Down Down Down Down Down Down 7 Enter", Sample::Quick(7), "gate-00"),
        ("Down Down Down Backspace Backspace 5 Enter", Sample::Every(15), "gate-00"),
        ("0 Enter", Sample::Quick(1), "gate-00"),
    ] {
        let mut stand = river("cut -d' ' -f2 DIR/gate.log");
        press(&mut stand, "s");
        press(&mut stand, keys);
        assert_eq!(stand.app.sample, sample, "{keys}");
        let written = written(&mut stand);
        assert!(written.starts_with(first), "{keys}: {written}");
        let lines = written.lines().count();
        let expected = match sample {
            Sample::First(lines) | Sample::Last(lines) | Sample::Random { lines, .. } => lines,
            Sample::Every(step) => 300 / step,
            // The log is small: all of it is quick.
            Sample::Everything | Sample::Quick(_) => 300,
        };
        assert_eq!(lines as u64, expected, "{keys}");
    }
    let mut stand = river("cat DIR/gate.log");
    let before = stand.app.sample;
    press(&mut stand, "s 1 Esc");
    assert_eq!(stand.app.sample, before, "Esc changes nothing");
}

#[test]
fn reading_again_sees_what_has_changed() {
    let mut stand = river("wc -l < DIR/gate.log");
    assert_eq!(written(&mut stand), "300\n");
    std::fs::write(stand.folder.path().join("gate.log"), "one\n").unwrap();
    press(&mut stand, "R");
    assert_eq!(message(&stand), "reading everything again");
    assert_eq!(written(&mut stand), "1\n");
}

#[test]
fn a_key_that_means_nothing_says_where_all_are() {
    let mut stand = river(LINE);
    press(&mut stand, "b");
    assert_eq!(message(&stand), "b does nothing here; ? shows all keys");
    press(&mut stand, "Esc");
    assert_eq!(message(&stand), "");
    press(&mut stand, "Ctrl-c");
    assert_eq!(message(&stand), "Ctrl-Q quits");
}

#[test]
fn letters_scroll_where_they_have_no_other_meaning() {
    let mut stand = lens("seq 300 | cat");
    let page = stand.app.lens.height - 1;
    for (keys, row) in [
        ("j", 1),
        ("j j", 3),
        ("k", 2),
        ("G", 299),
        ("j", 299),
        ("g", 0),
        ("k", 0),
        ("Ctrl-f", page),
        ("Ctrl-b", 0),
    ] {
        press(&mut stand, keys);
        assert_eq!((stand.app.lens.cursor, message(&stand)), (row, String::new()), "{keys}");
    }
    press(&mut stand, "Esc g");
    assert_eq!(stand.app.place, Place::Source);
    press(&mut stand, "j j");
    assert_eq!(stand.app.place, Place::Stream(0));
    press(&mut stand, "G k");
    assert_eq!(stand.app.place, Place::Stream(0));
    // In the text they are typed.
    press(&mut stand, "e j");
    assert!(super::text(&stand).ends_with("catj"));
}
