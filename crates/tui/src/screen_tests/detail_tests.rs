//! Details of views that are seen only with certain data: long lines and programs, many commands,
//! nothing at all.

use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::snapshot_tests::{settled, steady};
use super::stand::Stand;
use super::sweep_tests;
use crate::screen::place::Place;

fn keep(name: &str, stand: &mut Stand, width: u16, height: u16) {
    let screen = steady(stand, width, height);
    insta::assert_snapshot!(name, screen + &stand.styles(width, height));
}

#[test]
fn long_lines_go_on_in_the_next_row() {
    let mut stand = Stand::new("cat DIR/long | sed 's/rope/cable/'");
    let long: String = (1..40).map(|number| format!("rope-{number} of the winch, ")).collect();
    let path = stand.folder.path().join("long");
    std::fs::write(&path, format!("{long}\nshort\n\n{long}\tend")).unwrap();
    stand.app.text_changed();
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.letters("z");
    keep("wrapped", &mut stand, 150, 40);
    stand.letters("v");
    keep("wrapped-marks", &mut stand, 80, 40);
    stand.letters("/winch");
    stand.key(KeyCode::Enter);
    stand.until(|stand| stand.app.lens.search.as_ref().is_some_and(|search| !search.searching));
    keep("wrapped-search", &mut stand, 84, 20);
    stand.letters("z");
    keep("long-lines", &mut stand, 110, 24);
    stand.key(KeyCode::Tab);
    for _ in 0..4 {
        stand.key(KeyCode::Right);
    }
    keep("long-lines-scrolled", &mut stand, 110, 24);
}

#[test]
fn a_long_search_gives_way() {
    let mut stand = settled("cat DIR/gate.log");
    stand.letters("/rope winch cable pulley wheel brake gate platform cabin tower anchor bolt");
    stand.key(KeyCode::Enter);
    stand.until(|stand| stand.app.lens.search.as_ref().is_some_and(|search| !search.searching));
    sweep_tests::keep("sweep-long-search", &mut stand);
}

#[test]
fn a_long_program_is_seen_around_its_cursor() {
    let rules: String = (1..30)
        .map(|number| format!("$1 ~ /gate-{number}/ {{ n[{number}]++ }} # {number}\n"))
        .collect();
    let mut stand = settled(&format!("seq 3 | awk '{rules}END {{ print \"done\" }}'"));
    stand.key(KeyCode::End);
    stand.letters("p");
    for _ in 0..24 {
        stand.key(KeyCode::Down);
    }
    keep("long-program", &mut stand, 104, 30);
    stand.key(KeyCode::Down);
    stand.letters("} ");
    stand.settle();
    keep("long-program-wrong", &mut stand, 104, 30);
    stand.key(KeyCode::Up);
    keep("long-program-wrong-below", &mut stand, 104, 30);
    for _ in 0..4 {
        stand.key(KeyCode::Up);
    }
    keep("long-program-up", &mut stand, 104, 30);
}

#[test]
fn what_a_yes_covers_is_shown_whole() {
    let mut stand = settled("seq 3 | rm -r DIR/none");
    stand.key(KeyCode::End);
    stand.letters("y");
    // So wide that no row is broken: where it is depends on the machine's names.
    insta::assert_snapshot!("allow-styles", stand.styles(400, 40));
    let mut stand = settled("rm DIR/a; rm DIR/b; rm DIR/c; rm DIR/d; rm DIR/e");
    stand.letters("P");
    stand.letters("r");
    sweep_tests::keep("sweep-act", &mut stand);
    insta::assert_snapshot!("act-styles", stand.styles(400, 40));
    insta::assert_snapshot!("act-styles-low", stand.styles(400, 20));
}

/// The rows of the question before a full run.
fn asked_to_run(stand: &mut Stand) -> String {
    stand.letters("r");
    stand.until(|stand| stand.app.throughput.estimate.is_some());
    let screen = steady(stand, 160, 50);
    stand.key(KeyCode::Esc);
    screen
}

#[test]
fn a_run_without_end_says_what_becomes_of_its_files() {
    let said = "it runs until you stop it, and then writes no files";
    for (text, ends) in [
        ("tail -f DIR/gate.log | grep refused > DIR/out", true),
        ("tail -f DIR/gate.log | grep refused", false),
        ("grep refused DIR/gate.log > DIR/out", false),
        ("grep refused DIR/gate.log", false),
    ] {
        let mut stand = settled(text);
        let screen = asked_to_run(&mut stand);
        assert_eq!(screen.contains(said), ends, "{text}\n{screen}");
    }
}

#[test]
fn a_program_that_names_a_large_file_is_asked_about_each_time() {
    let folder = tempfile::tempdir().unwrap();
    let large = folder.path().join("large");
    std::fs::File::create(&large).unwrap().set_len((16 << 20) + 1).unwrap();
    let mut stand = settled(&format!("sh -n {}", large.display()));
    stand.key(KeyCode::End);
    stand.letters("ys");
    let said = stand.app.message.clone().unwrap_or_default();
    assert!(said.starts_with("allowed once"), "{said}");
    assert!(stand.app.consent.allowed.is_empty() && !stand.app.consent.allowed_once.is_empty());
}

#[test]
fn a_program_that_was_allowed_is_named_before_it_gets_other_data() {
    let mut stand = settled("seq 3 | touch DIR/made");
    stand.key(KeyCode::End);
    stand.letters("ys");
    stand.settle();
    let said = "made on whatever input it gets then";
    let screen = asked_to_run(&mut stand);
    assert_eq!(screen.matches(said).count(), 1, "{screen}");
    // Another program of the text was not asked about, one that has gone is not told.
    stand.letters("e2");
    stand.settle();
    stand.key(KeyCode::Esc);
    let screen = asked_to_run(&mut stand);
    assert!(!screen.contains("on whatever input"), "{screen}");
}

#[test]
fn a_text_without_stages_has_nothing_to_wire() {
    let mut stand = settled("x=1");
    stand.letters("W");
    keep("wiring-nothing", &mut stand, 104, 30);
    let mut stand = settled("echo a");
    stand.letters("W");
    assert!(!steady(&mut stand, 104, 30).contains("no stages to show yet"));
}

#[test]
fn streams_of_a_folded_river_mark_their_stage() {
    let mut stand = settled(&format!("seq 9{}", " | cat".repeat(30)));
    stand.key(KeyCode::Home);
    for _ in 0..26 {
        stand.key(KeyCode::Down);
    }
    assert!(matches!(stand.app.place, Place::Stream(_)), "{:?}", stand.app.place);
    keep("folded-stream", &mut stand, 80, 24);
    stand.key(KeyCode::Down);
    keep("folded-stage", &mut stand, 80, 24);
}

#[test]
fn the_output_of_a_run_has_its_lines_numbered() {
    // Between the figures of the run and those of its command, which are others each time.
    let output = |stand: &mut Stand, height: u16| {
        let screen = steady(stand, 104, height);
        let from =
            screen.lines().position(|line| line.contains("works") || line.contains("output"));
        let rows: Vec<&str> = screen.lines().skip(from.unwrap_or(7)).collect();
        let to = rows.iter().position(|row| row.starts_with('─')).unwrap_or(rows.len());
        rows[..to].join("\n")
    };
    let mut stand = Stand::new("cut -d' ' -f2 DIR/gate.log");
    stand.run_all();
    stand.letters("o");
    let first = output(&mut stand, 30);
    stand.key(KeyCode::End);
    let last = output(&mut stand, 30);
    stand.key(KeyCode::Down);
    let next = output(&mut stand, 14);
    insta::assert_snapshot!("run-output", [first, last, next].join("\n────\n"));
    let mut stand = Stand::new("grep zzz DIR/gate.log DIR/none > DIR/empty; seq 2 > DIR/two");
    stand.run_all();
    stand.letters("o");
    insta::assert_snapshot!("run-output-none", output(&mut stand, 30));
}

#[test]
fn the_first_error_of_a_stage_is_no_empty_line() {
    let mut stand = settled("awk 'BEGIN { printf \"\\n\\n1234567\\nlast\\n\" > \"/dev/stderr\" }'");
    let screen = steady(&mut stand, 104, 30);
    let at = |text: &str| screen.lines().position(|line| line.contains(text));
    assert_eq!(at("!  1234567").unwrap() + 1, at("!  last").unwrap(), "{screen}");
    keep("said-by-a-stage", &mut stand, 104, 30);
}

#[test]
fn stages_past_the_ninth_have_their_numbers_under_the_text() {
    let mut stand = settled("seq 9 | cat | cat | cat | cat | cat | cat | cat | wc | w | a");
    stand.letters("e");
    stand.press(KeyCode::Home, KeyModifiers::CONTROL);
    keep("two-digits", &mut stand, 120, 20);
}

#[test]
fn fields_of_every_width_have_their_numbers() {
    let mut stand =
        settled("printf 'a bb ccc dddd eeeee ffffff 7 8 9 0 11 12\\n' | cut -d' ' -f2-");
    stand.key(KeyCode::End);
    keep("field-ruler", &mut stand, 150, 20);
    stand.key(KeyCode::Tab);
    stand.key(KeyCode::Right);
    keep("field-ruler-scrolled", &mut stand, 150, 20);
}

#[test]
fn commands_that_were_started_say_how_they_ended() {
    let mut stand = settled("rm DIR/none; touch DIR/made; rmdir DIR/none");
    stand.letters("P");
    stand.letters("r");
    stand.letters("g");
    stand.until(|stand| !stand.app.pending.acting);
    stand.settle();
    let screen = steady(&mut stand, 300, 40);
    let mark = |name: &str| {
        let line = screen.lines().find(|line| line.contains(name) && line.contains(['!', '▹']));
        line.map(|line| line.trim_start_matches(['▌', ' ', '│']).chars().next().unwrap())
    };
    assert_eq!((mark("rm "), mark("touch "), mark("rmdir ")), (Some('!'), Some('▹'), Some('!')));
    insta::assert_snapshot!("started-styles", stand.styles(300, 40));
    stand.app.pending.start_result.insert(1, engine::StartResult::Running);
    insta::assert_snapshot!("starting-styles", stand.styles(300, 40));
}

#[test]
fn comments_have_no_ruler() {
    let mut stand = settled("echo a\n  # a note\n# another\necho b | cat # c\necho d");
    stand.letters("e");
    keep("comments", &mut stand, 60, 24);
    stand.press(KeyCode::Home, KeyModifiers::CONTROL);
    for height in [9, 12, 15] {
        keep(&format!("comments-{height}"), &mut stand, 60, height);
    }
}

#[test]
fn an_offer_stands_beside_its_note_where_there_is_room() {
    use unicode_width::UnicodeWidthStr;
    let mut stand = settled("cut -f2 DIR/gate.log");
    let note = stand.app.result.notes.iter().find(|note| note.fix.is_some()).unwrap();
    let label = note.fix.as_ref().unwrap().label.clone();
    let least = note.text.width() + label.width() + 11;
    for width in least - 5..least + 5 {
        let screen = stand.screen(width as u16, 30);
        assert_eq!(screen.contains(&format!("f {label}")), width >= least, "{width}\n{screen}");
    }
}

#[test]
fn a_status_other_than_0_is_told_with_the_figures() {
    for (text, told) in [
        ("grep zzz DIR/gate.log", Some("status 1")),
        ("grep gate DIR/gate.log", None),
        ("seq 100000 | cat | head -n 1", None),
    ] {
        let mut stand = settled(text);
        for _ in 0..2 {
            let screen = stand.screen(200, 30);
            let figures = screen.lines().find(|line| line.contains(" in, ")).unwrap();
            assert_eq!(figures.contains("status"), told.is_some(), "{screen}");
            assert!(told.is_none_or(|told| figures.contains(told)), "{screen}");
            stand.key(KeyCode::Left);
        }
    }
}

#[test]
fn the_ruler_is_that_of_the_line_the_cursor_is_on() {
    let mut stand = settled("printf 'a bb ccc\\nlonger x yyyyyyyy\\n' | cut -d' ' -f2");
    stand.key(KeyCode::Tab);
    keep("ruler-first", &mut stand, 150, 16);
    stand.key(KeyCode::Down);
    keep("ruler-second", &mut stand, 150, 16);
}

#[test]
fn the_chosen_completion_is_marked() {
    let mut stand = settled("s");
    stand.letters("e");
    stand.letters("e");
    stand.key(KeyCode::Tab);
    stand.settle();
    keep("completion", &mut stand, 104, 30);
    stand.key(KeyCode::Tab);
    stand.settle();
    keep("completion-second", &mut stand, 104, 30);
}

#[test]
fn what_runs_in_a_loop_says_how_often() {
    for (name, list) in [("once", "1"), ("twice", "1 2")] {
        let text = format!("for i in {list}; do grep gate-0$i DIR/gate.log | sort; done | wc -l");
        let mut stand = settled(&text);
        stand.app.opened.insert(0);
        keep(&format!("loop-{name}"), &mut stand, 130, 30);
    }
}

#[test]
fn what_depends_on_cut_data_is_marked_until_all_of_it_is_there() {
    let mut stand = settled("head -n 3 DIR/gate.log | cat; grep refused DIR/gate.log | wc -l");
    stand.letters("s");
    stand.key(KeyCode::Down);
    stand.letters("50");
    stand.key(KeyCode::Enter);
    stand.settle();
    // The lines of the whole are counted after it.
    let counted = |stand: &Stand| {
        let notes = &stand.app.result.notes;
        // Those that are only known after a trial come last.
        let tried = notes.iter().any(|note| note.text.contains("wc is not needed"));
        tried && notes.iter().any(|note| note.text.contains("50 of 300 lines"))
    };
    stand.until(counted);
    keep("from-a-part", &mut stand, 150, 30);
    keep("from-a-part-narrow", &mut stand, 80, 24);
    stand.letters("a");
    stand.settle();
    let screen = stand.screen(150, 30);
    assert!(!screen.contains('≈') && !screen.contains("from a part"), "{screen}");
    assert_eq!(stand.app.sample, engine::Sample::Everything);
    stand.letters("a");
    stand.settle();
    assert_eq!(stand.app.sample, engine::Sample::Quick(5000));
    assert!(!stand.screen(150, 30).contains('≈'));
}

#[test]
fn an_evaluation_that_takes_its_time_says_how_far_it_is_and_how_it_is_stopped() {
    let mut stand = settled("sort DIR/gate.log | head -n 3");
    let since = std::time::Instant::now();
    (stand.app.result.waiting, stand.app.result.waiting_since) = (Some(u64::MAX), since);
    assert!(!stand.screen(160, 30).contains("evaluating for"));
    stand.app.result.waiting_since = since.checked_sub(std::time::Duration::from_secs(3)).unwrap();
    stand.app.message = Some("all of the data".to_owned());
    let wide = stand.screen(160, 30);
    assert!(wide.contains(" all of the data · evaluating for 3."), "{wide}");
    let narrow = stand.screen(40, 24);
    assert!(narrow.contains("s · Ctrl-C stops") && !narrow.contains("all of the"), "{narrow}");
}
