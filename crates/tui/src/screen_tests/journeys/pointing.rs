//! Columns, Point, patterns by example, the options of a stage, the Guide.

use super::{message, press, river, text};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;
use crate::views::guide::state::GuideView;
use crate::views::patterns::state::PatternView;
use crate::views::point::state::PointView;

const LOG: &str = "cat DIR/gate.log";

/// Takes news until something is so.
fn until(stand: &mut Stand, is: impl Fn(&Stand) -> bool) {
    while !is(stand) {
        let event = stand.news.recv_timeout(std::time::Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
}

/// The columns of the selected stream are counted.
fn counted(stand: &mut Stand) {
    stand.settle();
    until(stand, |stand| {
        let counted = stand
            .app
            .states
            .get::<crate::views::columns::state::ColumnsView>()
            .unwrap()
            .counted
            .as_ref();
        let of = stand.app.result.preview.as_ref().map(|preview| preview.generation);
        counted.is_some_and(|counted| counted.ended)
            && stand
                .app
                .states
                .get::<crate::views::columns::state::ColumnsView>()
                .unwrap()
                .generation
                == of
    });
}

/// What came out of every offer is known.
fn tried(stand: &mut Stand) {
    until(stand, |stand| {
        let waits = |point: &PointView| {
            point
                .outcomes
                .iter()
                .any(|one| matches!(one, crate::views::point::state::Tried::Waiting))
        };
        let guide = stand.app.drawer_of::<GuideView>();
        !stand.app.drawer_of::<PointView>().is_some_and(waits)
            && guide.is_none_or(|guide| !guide.outcomes.is_empty())
    });
}

fn point(stand: &Stand) -> &crate::views::point::state::PointView {
    let Some(point) = stand.app.drawer_of() else {
        panic!("nothing is pointed at: {}", message(stand))
    };
    point
}

#[test]
fn columns_are_counted_ordered_and_split_otherwise() {
    let mut stand = river(LOG);
    press(&mut stand, "l");
    counted(&mut stand);
    let screen = stand.screen(130, 40);
    assert!(screen.contains("all lines have 4 fields"), "{screen}");
    assert!(screen.contains("card=") && screen.contains("one of 2"), "{screen}");
    assert!(screen.contains("passed  80.0 % · refused  20.0 %"), "{screen}");
    press(&mut stand, "Down Down o");
    let screen = stand.screen(130, 40);
    assert!(screen.contains("ordered by different values"), "{screen}");
    // The next of the ways to split, and round again to the first.
    let ways = stand
        .app
        .states
        .get::<crate::views::columns::state::ColumnsView>()
        .unwrap()
        .counted
        .as_ref()
        .unwrap()
        .found
        .len();
    assert!(ways > 1);
    press(&mut stand, "Right");
    until(&mut stand, |stand| {
        stand
            .app
            .states
            .get::<crate::views::columns::state::ColumnsView>()
            .unwrap()
            .counting
            .is_none()
    });
    assert!(stand.screen(130, 40).contains("split at runs of blanks: all"));
    for _ in 1..ways {
        press(&mut stand, "Right");
        until(&mut stand, |stand| {
            stand
                .app
                .states
                .get::<crate::views::columns::state::ColumnsView>()
                .unwrap()
                .counting
                .is_none()
        });
    }
    assert!(stand.screen(130, 40).contains("split at single blanks: all"));
    press(&mut stand, "Esc");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH);
}

#[test]
fn other_streams_have_other_columns_and_a_table_goes_to_a_file() {
    let mut stand = river("cat DIR/gate.log | cut -d' ' -f2,4 | sort | uniq -c");
    press(&mut stand, "F8");
    counted(&mut stand);
    assert!(stand.screen(130, 40).contains("columns of what 4 uniq writes"));
    press(&mut stand, "Tab");
    counted(&mut stand);
    assert_eq!(stand.app.place, Place::Source);
    press(&mut stand, "BackTab BackTab");
    counted(&mut stand);
    assert!(stand.screen(130, 40).contains("columns of what 3 sort writes"));
    press(&mut stand, "w Ctrl-u");
    let file = stand.folder.path().join("columns.csv");
    stand.letters(&file.display().to_string());
    press(&mut stand, "Enter");
    assert_eq!(message(&stand), "written: DIR/columns.csv");
    let written = std::fs::read_to_string(&file).unwrap();
    assert!(written.starts_with("field,heading,kind") && written.lines().count() == 3, "{written}");
    // What is there is not written over.
    press(&mut stand, "w Ctrl-u");
    stand.letters(&file.display().to_string());
    press(&mut stand, "Enter");
    assert!(message(&stand).contains("already exists"), "{}", message(&stand));
}

#[test]
fn counting_does_not_hold_the_keys() {
    let mut stand = river("seq 300000");
    press(&mut stand, "l");
    // The count has begun, and the keys are taken before it has ended.
    assert!(
        stand
            .app
            .states
            .get::<crate::views::columns::state::ColumnsView>()
            .unwrap()
            .counting
            .is_some()
            && stand
                .app
                .states
                .get::<crate::views::columns::state::ColumnsView>()
                .unwrap()
                .counted
                .is_none()
    );
    press(&mut stand, "Down o e");
    assert_eq!(stand.app.focus, Focus::Text);
    // Who leaves the view counts nothing more, and finds it counted anew when coming back.
    let control = stand
        .app
        .states
        .get::<crate::views::columns::state::ColumnsView>()
        .unwrap()
        .counting
        .clone()
        .expect("a count");
    press(&mut stand, "Esc Esc");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH);
    assert!(
        control.is_cancelled()
            && stand
                .app
                .states
                .get::<crate::views::columns::state::ColumnsView>()
                .unwrap()
                .kept
                .is_none()
    );
    press(&mut stand, "l");
    counted(&mut stand);
    let table = &stand
        .app
        .states
        .get::<crate::views::columns::state::ColumnsView>()
        .unwrap()
        .counted
        .as_ref()
        .unwrap()
        .table;
    assert_eq!(table.lines, 300_000);
    // What was asked for before says nothing of what is on screen.
    press(&mut stand, "Right Right Right");
    until(&mut stand, |stand| {
        stand
            .app
            .states
            .get::<crate::views::columns::state::ColumnsView>()
            .unwrap()
            .counting
            .is_none()
    });
    assert!(
        stand
            .app
            .states
            .get::<crate::views::columns::state::ColumnsView>()
            .unwrap()
            .counted
            .as_ref()
            .unwrap()
            .ended
    );
}

#[test]
fn lines_that_do_not_fit_are_gone_to() {
    let mut stand = Stand::new("cat DIR/odd");
    let lines: String =
        (0..400).map(|at| if at == 250 { "a b c d e f\n" } else { "a b\n" }).collect();
    std::fs::write(stand.folder.path().join("odd"), lines).unwrap();
    stand.app.text_changed();
    stand.settle();
    press(&mut stand, "Esc l");
    counted(&mut stand);
    assert!(stand.screen(130, 40).contains("! 1 line has 6 fields (line 251)"));
    press(&mut stand, "End Enter");
    assert_eq!((stand.app.view, stand.app.focus), (crate::screen::view_name::BENCH, Focus::Lens));
    assert_eq!(stand.app.lens.cursor, 250);
}

#[test]
fn a_field_of_a_line_is_pointed_at_and_something_done_with_it() {
    let mut stand = river(LOG);
    press(&mut stand, "Tab Enter Right Right Right");
    tried(&mut stand);
    assert_eq!(point(&stand).field, 3);
    let screen = stand.screen(150, 50);
    assert!(screen.contains("keep the lines where field 4 is “refused”"), "{screen}");
    let crate::views::point::state::Tried::Made(first) = &point(&stand).outcomes[0] else {
        panic!("it was not tried")
    };
    assert_eq!((first.lines, first.different), (60, 60));
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | awk -F'[ ]' '$4 == \"refused\"'");
    assert_eq!(super::written(&mut stand).lines().count(), 60);
    assert_eq!(stand.app.place, Place::Stage(1));
    press(&mut stand, "Esc u");
    assert_eq!(text(&stand), LOG);
}

#[test]
fn what_nobody_looks_at_any_more_is_not_tried_on() {
    let mut stand = river(LOG);
    press(&mut stand, "Tab Enter");
    let control = point(&stand).trials.control.clone();
    assert!(!control.is_cancelled());
    press(&mut stand, "Right");
    assert!(control.is_cancelled(), "another field has other offers");
    let control = point(&stand).trials.control.clone();
    press(&mut stand, "Esc");
    assert!(control.is_cancelled());
}

#[test]
fn an_offer_is_searched_and_put_in_with_awk() {
    let mut stand = river(LOG);
    press(&mut stand, "Tab Enter Right");
    stand.letters("count by");
    press(&mut stand, "Tab");
    assert!(stand.screen(150, 50).contains("awk -F'[ ]' '{ print $2 }' | sort | uniq -c"));
    press(&mut stand, "Tab Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | cut -d' ' -f2 | sort | uniq -c | sort -rn");
    assert_eq!(stand.app.place, Place::Stage(4));
}

#[test]
fn a_piece_is_marked_and_replaced() {
    let mut stand = river(LOG);
    // gate-00 without its last digit.
    press(&mut stand, "Tab Enter Right Shift-Left");
    assert_eq!(point(&stand).marked, Some(11..17));
    press(&mut stand, "Ctrl-Right Ctrl-Left Shift-Right Shift-Left");
    assert_eq!(point(&stand).marked, Some(11..17));
    stand.letters("replace");
    press(&mut stand, "Enter");
    assert!(stand.screen(150, 50).contains("replace “gate-0” by"));
    stand.letters("g/");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | sed 's/gate-0/g\\//g'");
}

#[test]
fn what_is_put_at_the_source_reads_the_file() {
    let mut stand = river("grep refused DIR/gate.log | sort");
    press(&mut stand, "Home Tab Enter Right");
    stand.letters("keep the lines where");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "awk -F'[ ]' '$2 == \"gate-00\"' DIR/gate.log | grep refused | sort");
    // A line that a stage drops is pointed at where it comes in.
    let mut stand = river("cat DIR/gate.log | grep refused");
    press(&mut stand, "End h Tab Down Enter");
    assert_eq!(point(&stand).at, crate::state::put_at::PutAt::After(0));
    assert_eq!(point(&stand).line, Some(2));
}

#[test]
fn lines_between_two_are_kept() {
    let mut stand = river(LOG);
    press(&mut stand, "Tab Down Enter");
    stand.letters("range");
    press(&mut stand, "Enter Down Down Down Enter");
    stand.letters("lines 2 to 5");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | sed -n 2,5p");
    assert!(stand.app.range_end.is_none());
}

#[test]
fn examples_make_a_pattern() {
    let mut stand = river(LOG);
    press(&mut stand, "Tab Enter Right");
    stand.letters("pattern");
    press(&mut stand, "Enter m Down Down Enter Right Enter");
    until(&mut stand, |stand| {
        stand.app.drawer_of::<PatternView>().is_some_and(|patterns| !patterns.finds.is_empty())
    });
    let screen = stand.screen(150, 50);
    assert!(
        screen.contains("gate-[0-9][0-9]") && screen.contains("grep 'gate-[0-9][0-9]'"),
        "{screen}"
    );
    assert!(screen.contains("examples  gate-00  gate-02"), "{screen}");
    press(&mut stand, "Right Right Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | grep -o 'gate-[0-9][0-9]'");
    assert!(stand.app.examples.marks.is_empty());
    // One that must not match.
    let mut stand = river(LOG);
    press(&mut stand, "Tab Enter Right");
    stand.letters("pattern");
    press(&mut stand, "Enter m Down Enter Left Down Enter");
    assert_eq!(stand.app.examples.nots.len(), 1);
    assert!(stand.screen(150, 50).contains("must not match  2031-04-02"));
    press(&mut stand, "x");
    assert!(stand.app.examples.nots.is_empty());
}

#[test]
fn options_are_switched_and_the_text_follows() {
    let mut stand = river("cut -d' ' -f2 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "End Enter");
    assert!(stand.screen(150, 50).contains("[x] -c"));
    // What is used most comes first; typing searches.
    stand.letters("repeated");
    assert!(stand.screen(150, 50).contains("search: repeated"));
    press(&mut stand, "Space");
    assert_eq!(text(&stand), "cut -d' ' -f2 DIR/gate.log | sort | uniq -c -d");
    press(&mut stand, "Esc");
    assert_eq!(text(&stand), "cut -d' ' -f2 DIR/gate.log | sort | uniq -c");
    assert_eq!(message(&stand), "as it was");
    // A value is typed, and the lens follows.
    press(&mut stand, "Home Right Enter");
    stand.letters("f1,4");
    assert_eq!(text(&stand), "cut -d' ' -f1,4 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "Backspace Backspace");
    assert_eq!(text(&stand), "cut -d' ' -f1 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "Enter");
    assert!(stand.app.drawer.is_none());
    assert_eq!(super::written(&mut stand), "    300 2031-04-02\n");
    // Fields are picked from a line.
    press(&mut stand, "Enter");
    stand.letters("f");
    press(&mut stand, "Tab Right Right Space");
    assert_eq!(text(&stand), "cut -d' ' -f1,3 DIR/gate.log | sort | uniq -c");
    assert!(stand.screen(150, 50).contains("field 3  2031-04-02 gate-00 card=0 refused"));
    press(&mut stand, "Left Space Left Space");
    assert_eq!(text(&stand), "cut -d' ' -f2,3 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "Right Right Right Space");
    assert_eq!(text(&stand), "cut -d' ' -f2-4 DIR/gate.log | sort | uniq -c");
    press(&mut stand, "Space Left Space Left Space");
    assert_eq!(text(&stand), "cut -d' ' -f2 DIR/gate.log | sort | uniq -c");
    assert_eq!(message(&stand), "one field at least");
    press(&mut stand, "Tab Enter");
    // Switched off and on again a value stays.
    let mut stand = river("sort -k2 DIR/gate.log");
    press(&mut stand, "Enter");
    stand.letters("k");
    press(&mut stand, "Up Down Space");
    assert_eq!(text(&stand), "sort DIR/gate.log");
    press(&mut stand, "Space");
    assert_eq!(text(&stand).matches("-k2").count(), 1, "{}", text(&stand));
    press(&mut stand, "Enter");
    // What has no options is edited.
    let mut stand = river("while read x; do echo $x; done");
    press(&mut stand, "Enter");
    assert_eq!(stand.app.focus, Focus::Text);
    assert!(message(&stand).contains("no options"), "{}", message(&stand));
}

#[test]
fn the_guide_is_asked_and_answers_for_this_stream() {
    let mut stand = river(LOG);
    press(&mut stand, "H");
    stand.letters("how often each value");
    press(&mut stand, "Tab");
    tried(&mut stand);
    let screen = stand.screen(150, 50);
    assert!(screen.contains("count how often each value of a column comes"), "{screen}");
    assert!(screen.contains("with field 2"), "{screen}");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "cat DIR/gate.log | cut -d' ' -f2 | sort | uniq -c | sort -rn");
    // Next to lines of another text nothing is put.
    press(&mut stand, "F9");
    assert!(stand.app.drawer.is_none() && message(&stand).contains("wait for its result"));
    stand.settle();
    // A filter that is named has its page, which leads back.
    press(&mut stand, "F9");
    stand.letters("sort");
    press(&mut stand, "Enter");
    assert!(stand.screen(150, 50).contains("puts lines in order"));
    press(&mut stand, "Enter");
    assert!(stand.app.drawer_of::<crate::views::guide::state::GuideView>().is_some());
    press(&mut stand, "Esc");
    // Without a text it shows what there is.
    let mut stand = Stand::new("");
    stand.settle();
    press(&mut stand, "F9");
    let screen = stand.screen(150, 50);
    assert!(screen.contains("recipes are shown on their samples"), "{screen}");
}

#[test]
fn the_places_can_be_drawn_at_any_size() {
    let mut stand = river(LOG);
    let states = ["l", "Esc Tab Enter", "Esc Esc Enter", "Esc H", "Down Down"];
    for keys in states {
        press(&mut stand, keys);
        for (width, height) in
            [(0, 0), (1, 1), (20, 8), (21, 9), (40, 12), (80, 24), (104, 30), (200, 60)]
        {
            stand.screen(width, height);
        }
    }
}

/// Keeps what a place looks like on a large and on a small screen.
fn keep(name: &str, stand: &mut Stand) {
    for (width, height) in [(160, 50), (80, 24)] {
        let screen = crate::screen_tests::snapshot_tests::steady(stand, width, height);
        insta::assert_snapshot!(format!("{name}-{width}x{height}"), screen);
    }
}

#[test]
fn the_places_look_the_same_each_time() {
    let mut stand = river("cat DIR/gate.log | sort");
    press(&mut stand, "Home l");
    counted(&mut stand);
    keep("columns", &mut stand);
    press(&mut stand, "Down Down Down Enter");
    tried(&mut stand);
    keep("point-column", &mut stand);
    press(&mut stand, "Esc Esc Tab Enter Right Right");
    tried(&mut stand);
    keep("point", &mut stand);
    stand.letters("examples");
    press(&mut stand, "Enter");
    until(&mut stand, |stand| {
        stand.app.drawer_of::<PatternView>().is_some_and(|patterns| !patterns.finds.is_empty())
    });
    keep("pattern", &mut stand);
    press(&mut stand, "Esc Tab End Enter Down Space");
    stand.settle();
    keep("sheet", &mut stand);
    press(&mut stand, "Esc");
    stand.settle();
    press(&mut stand, "H");
    stand.letters("how often each");
    let all_tried = |stand: &Stand| {
        stand
            .app
            .drawer_of::<GuideView>()
            .is_some_and(|guide| guide.outcomes.len() >= guide.found.len().min(40))
    };
    until(&mut stand, all_tried);
    keep("guide", &mut stand);
    press(&mut stand, "Ctrl-u");
    stand.letters("quoting");
    press(&mut stand, "Enter");
    keep("page", &mut stand);
}
