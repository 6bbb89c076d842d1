//! News that come late: only those of the newest result and of the place on show are taken.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{PlanError, SessionEvent, StartResult};
use insight::Alignment;

use super::{message, press, river, text};
use crate::screen::place::Place;
use crate::screen_tests::stand::Stand;
use crate::state::app::Event;
use crate::state::job::Job;
use crate::state::told::Told;

const LINE: &str = "grep refused DIR/gate.log | cut -d' ' -f2 | sort";

#[test]
fn rows_of_another_result_or_place_are_not_shown() {
    let mut stand = river(LINE);
    let generation = stand.app.result.preview.as_ref().unwrap().generation;
    let rows = stand.app.lens.len();
    assert_eq!((rows, stand.app.shown()), (60, Place::Stage(2)));
    let empty = || Arc::new(Alignment::default());
    for (of, place) in [(generation + 1, Place::Stage(2)), (generation, Place::Stage(1))] {
        stand.app.update(Event::Aligned(of, place, empty()));
        assert_eq!(stand.app.lens.len(), rows, "{of} {place:?}");
    }
    press(&mut stand, "Tab Down Down Down");
    // Rows of this place leave the cursor where there is a row for it.
    let preview = stand.app.result.preview.clone().unwrap();
    let other = Arc::new(Alignment::of(&preview.stages[0]));
    stand.app.update(Event::Aligned(generation, Place::Stage(2), other));
    assert_eq!((stand.app.lens.len(), stand.app.lens.cursor), (300, 3));
    stand.app.update(Event::Aligned(generation, Place::Stage(2), empty()));
    assert_eq!((stand.app.lens.len(), stand.app.lens.cursor), (0, 0));
}

#[test]
fn notes_and_matches_of_before_are_not_taken() {
    let mut stand = river("cut -d, -f2 DIR/gate.log | uniq -c");
    let generation = stand.app.result.preview.as_ref().unwrap().generation;
    let notes = stand.app.result.notes.clone();
    assert!(!notes.is_empty());
    stand.app.update(Event::Noted(generation + 1, Vec::new()));
    assert_eq!(stand.app.result.notes.len(), notes.len());
    stand.app.update(Event::Noted(generation, Vec::new()));
    assert!(stand.app.result.notes.is_empty());

    press(&mut stand, "Left / r e f Enter");
    let found = |stand: &Stand| stand.app.lens.search.as_ref().is_some_and(|one| !one.searching);
    stand.until(found);
    let matches = stand.app.lens.search.as_ref().unwrap().rows.clone();
    let number = stand.app.lens.searches;
    stand.app.update(Event::Found(number - 1, Arc::default(), true));
    assert_eq!(stand.app.lens.search.as_ref().unwrap().rows, matches);
    // The cursor goes to the next match, and stays where it is on one.
    press(&mut stand, "Tab Home");
    stand.app.lens.search.as_mut().unwrap().reached = false;
    stand.app.update(Event::Found(number, Arc::new(vec![7, 9]), true));
    assert_eq!(stand.app.lens.cursor, 7);
    press(&mut stand, "Down Down");
    stand.app.update(Event::Found(number, Arc::new(vec![7, 9]), true));
    assert_eq!(stand.app.lens.cursor, 9);
    stand.app.update(Event::Found(number, Arc::default(), true));
    assert_eq!(stand.app.lens.cursor, 9);
    stand.app.lens.search.as_mut().unwrap().searching = true;
    stand.app.update(Event::Failed(Job::Notes, "of something else".to_owned()));
    assert!(stand.app.lens.search.as_ref().unwrap().searching);
    stand.app.update(Event::Failed(Job::Search, "too long".to_owned()));
    assert!(!stand.app.lens.search.as_ref().unwrap().searching);
    assert_eq!(message(&stand), "search: too long");
}

#[test]
fn ends_of_an_evaluation_count_for_the_one_that_is_awaited() {
    let problem = || PlanError { message: "no".to_owned(), span: shell::Span::new(0, 1) };
    let ends: [fn(u64, PlanError) -> SessionEvent; 3] = [
        |number, problem| SessionEvent::Refused(number, problem),
        |number, _| SessionEvent::Nothing(number),
        |number, _| SessionEvent::Failed(number, "broken".to_owned()),
    ];
    for (at, end) in ends.into_iter().enumerate() {
        let mut stand = river(LINE);
        stand.app.result.waiting = Some(77);
        stand.app.update(Event::Session(end(76, problem())));
        assert_eq!(stand.app.result.waiting, Some(77));
        assert!(stand.app.text.problem.is_none() && stand.app.result.preview.is_some());
        assert_eq!(message(&stand), "");
        stand.app.update(Event::Session(end(77, problem())));
        assert_eq!(stand.app.result.waiting, None);
        assert_eq!(stand.app.text.problem.is_some(), at == 0);
        assert_eq!(stand.app.result.preview.is_none(), at == 1);
        assert_eq!(stand.app.lens.len(), if at == 1 { 0 } else { 60 });
        assert_eq!(message(&stand), if at == 2 { "broken" } else { "" });
    }
}

#[test]
fn new_data_are_looked_at_one_preview_after_the_other() {
    let mut stand = river(LINE);
    let generation = |stand: &Stand| stand.app.result.preview.as_ref().unwrap().generation;
    let first = generation(&stand);
    let told = Told::default();
    assert!(told.tell());
    stand.app.result.answered.0 = Instant::now();
    stand.app.update(Event::Arrived(told.clone()));
    assert!(stand.app.result.waiting.is_none(), "a result stays for a moment");
    assert!(!told.tell(), "it is told already");
    let long_ago = || Instant::now().checked_sub(Duration::from_secs(3)).unwrap();
    stand.app.result.answered.0 = long_ago();
    assert!(stand.app.pulse());
    assert!(stand.app.result.waiting.is_some() && !stand.app.result.arrived);
    assert!(told.tell(), "what comes now is news");
    stand.app.update(Event::Arrived(told));
    assert!(stand.app.result.arrived, "noted for later");
    stand.settle();
    stand.app.result.answered.0 = long_ago();
    assert!(stand.app.pulse() && !stand.app.result.arrived);
    stand.settle();
    assert!(generation(&stand) >= first + 2, "{first} {}", generation(&stand));
    // While the text has an error nothing is looked at.
    press(&mut stand, "e | Space '");
    assert!(stand.app.text.problem.is_some());
    let waits = stand.app.result.waiting;
    stand.app.update(Event::Session(SessionEvent::Arrived));
    assert_eq!((stand.app.result.waiting, stand.app.result.arrived), (waits, true));
}

/// Results of commands that were started, as the numbers of the commands.
fn started(stand: &Stand) -> Vec<usize> {
    let all = 0..stand.app.result.preview.as_ref().unwrap().commands.len();
    all.filter(|number| stand.app.start_result(*number).is_some()).collect()
}

#[test]
fn what_was_started_stays_known_where_its_command_stays() {
    let done = || StartResult::Exited(0, String::new());
    let mut stand = river(
        "rm -r $(sed -n 1p DIR/list); rm -r $(sed -n 2p DIR/list); rm -r $(sed -n 3p DIR/list)",
    );
    let list = stand.folder.path().join("list");
    let of = |stand: &mut Stand, names: &str| {
        std::fs::write(&list, names).unwrap();
        stand.app.text_changed();
        stand.settle();
    };
    of(&mut stand, "a\nb\na\n");
    press(&mut stand, "P");
    assert_eq!(started(&stand), [0; 0]);
    assert_eq!(stand.app.startable().len(), 3);
    let generation = stand.app.result.preview.as_ref().unwrap().generation;
    stand.app.pending.start_result =
        BTreeMap::from([(0, done()), (1, StartResult::Exited(1, String::new())), (2, done())]);
    // Of no result that is known.
    assert_eq!(started(&stand), [0; 0]);
    stand.app.pending.acted_of = Some(generation);
    assert_eq!(started(&stand), [0, 1, 2]);
    let left = |stand: &Stand| -> Vec<usize> {
        stand.app.startable().iter().map(|(number, _)| *number).collect()
    };
    assert_eq!(left(&stand), [1], "one has failed");
    stand.app.pending.commands_out.insert(1);
    assert_eq!(left(&stand), [0; 0]);
    // The same text once more: each keeps its own.
    stand.app.text_changed();
    stand.settle();
    assert_eq!((started(&stand), left(&stand)), (vec![0, 1, 2], vec![]));
    assert!(stand.app.pending.past.is_empty());
    // A command that is no more is told beside the others; one of two alike continues.
    of(&mut stand, "a\nc\nd\n");
    assert_eq!(started(&stand), [0]);
    assert_eq!(stand.app.pending.past.len(), 2);
    assert!(stand.app.pending.commands_out.is_empty(), "they are others now");
    of(&mut stand, "c\nd\na\n");
    assert_eq!((started(&stand), left(&stand)), (vec![2], vec![0, 1]));
    assert_eq!(stand.app.pending.start_result, BTreeMap::from([(2, done())]));
    // Another text: nothing of it was started.
    press(&mut stand, "Esc e Space");
    stand.settle();
    assert!(stand.app.pending.start_result.is_empty() && stand.app.pending.past.is_empty());
    assert_eq!(started(&stand), [0; 0]);
    assert!(text(&stand).ends_with(") "));
}

#[test]
fn a_file_that_changes_is_noticed_after_a_while_and_once() {
    let mut stand = river(LINE);
    assert!(!stand.app.pulse() && stand.app.result.changed.is_empty());
    std::fs::write(stand.folder.path().join("gate.log"), "refused\n").unwrap();
    // Files are looked at every two seconds.
    stand.app.result.changes_seen = Instant::now();
    assert!(!stand.app.pulse() && !stand.app.result.looks);
    let long_ago = || Instant::now().checked_sub(Duration::from_secs(2)).unwrap();
    stand.app.result.changes_seen = long_ago();
    assert!(!stand.app.pulse() && stand.app.result.looks, "it is looked at beside the keys");
    stand.settle();
    assert_eq!((stand.app.result.changed.len(), stand.app.result.looks), (1, false));
    // While a look is not back there is no second one by itself, however long it takes.
    stand.app.result.looks = true;
    stand.app.result.changes_seen = long_ago();
    let seen = stand.app.result.changes_seen;
    assert!(!stand.app.pulse() && stand.app.result.changes_seen == seen);
    assert_eq!(stand.app.result.changed.len(), 1);
}

#[test]
fn the_first_lines_are_shown_until_everything_is_there() {
    let mut stand = Stand::new("cat DIR/gate.log | wc -l");
    stand.app.sample = engine::Sample::Quick(50);
    let lines =
        |stand: &Stand| stand.app.result.preview.as_ref().map(|one| one.stages[0].out.lines());
    // Only the newest of what has arrived is shown: where this thread is kept waiting, that is
    // all of it at once.
    let begins = (0..100).any(|_| {
        stand.app.text_changed();
        stand.until(|stand| stand.app.result.waiting.is_none() || lines(stand) == Some(50));
        lines(&stand) == Some(50)
    });
    assert!(begins, "the first lines are never shown");
    assert!(stand.app.result.waiting.is_some() && stand.app.is_stale() && stand.app.is_from_part());
    let first = stand.app.result.preview.clone().unwrap();
    // Rows and advice of the first lines are none of everything.
    stand.until(|stand| lines(stand) == Some(300));
    assert!(stand.app.result.waiting.is_none() && !stand.app.is_from_part());
    stand.settle();
    let notes = stand.app.result.notes.len();
    stand.app.update(Event::Noted(first.generation, vec![]));
    assert_eq!(stand.app.result.notes.len(), notes);
    // What comes late of the first lines does not take the place of everything.
    stand.app.update(Event::Session(SessionEvent::Settled(first.generation)));
    assert_eq!(lines(&stand), Some(300));

    // Where it stays with the first lines the waiting ends, and advice on them is made.
    let mut stand = Stand::new("cat DIR/gate.log | wc -l");
    stand.app.sample = engine::Sample::First(50);
    stand.app.text_changed();
    stand.settle();
    let number = stand.app.result.preview.as_ref().unwrap().generation;
    stand.app.result.waiting = Some(number + 1);
    stand.app.result.notes.clear();
    stand.app.result.noted = None;
    stand.app.update(Event::Session(SessionEvent::Settled(number + 1)));
    assert!(stand.app.result.waiting.is_none());
    stand.settle();
    assert!(!stand.app.result.notes.is_empty());
}

#[test]
fn candidates_of_a_text_that_has_changed_are_of_no_use() {
    use crate::state::text::Completing;
    use crate::text::complete::Completion;
    let mut stand = river("cat x");
    press(&mut stand, "e");
    let found = || {
        let candidates = vec![("xa ".to_owned(), String::new()), ("xb ".to_owned(), String::new())];
        Some(Completion { span: shell::Span::new(4, 5), candidates, chosen: None })
    };
    let asks = |stand: &mut Stand, text: &str| {
        let since = Instant::now().checked_sub(Duration::from_secs(1)).unwrap();
        let (text, cursor) = (text.to_owned(), text.len());
        stand.app.text.completing = Some(Completing { since, text, cursor });
    };
    // They are long in coming: that is said, once, and not of what was typed over since.
    asks(&mut stand, "cat");
    stand.app.pulse();
    assert_eq!(message(&stand), "");
    asks(&mut stand, "cat x");
    assert!(stand.app.pulse() && message(&stand) == "looking for what fits …");
    stand.app.update(Event::Completed("cat x".to_owned(), 5, found()));
    assert!(stand.app.text.completion.take().is_some() && stand.app.text.completing.is_none());
    // Of what was there before the last key nothing is put in, and another search is not ended by it.
    asks(&mut stand, "cat x");
    stand.app.update(Event::Completed("cat".to_owned(), 3, found()));
    assert!(stand.app.text.completion.is_none() && stand.app.text.completing.is_some());
    stand.app.update(Event::Completed("cat x".to_owned(), 5, None));
    assert_eq!(
        (message(&stand).as_str(), text(&stand).as_str()),
        ("nothing to complete here", "cat x")
    );
}

/// Background work of every kind hangs, as it does where a file system has stopped; it goes on when this is gone.
fn stopped(stand: &Stand) -> std::sync::mpsc::Sender<()> {
    let (hold, gone) = std::sync::mpsc::channel::<()>();
    let gone = std::sync::Arc::new(std::sync::Mutex::new(gone));
    for job in Job::ALL {
        // As many as run at once.
        for _ in 0..2 {
            let gone = gone.clone();
            stand.app.in_background(job, move || {
                let _ = gone.lock().map(|gone| gone.recv());
                Event::then(|_| {})
            });
        }
    }
    hold
}

#[test]
fn no_key_waits_for_a_file_system_that_has_stopped() {
    use ratatui::crossterm::event::{Event as TerminalEvent, KeyCode, KeyEvent, KeyModifiers};
    let mut stand = river("grep refused DIR/gate.log | sort | tee DIR/out");
    stand.app.text.path = Some(stand.folder.path().join("own.sh"));
    let hold = stopped(&stand);
    let mut press = |code: KeyCode, modifiers: KeyModifiers| {
        let key = TerminalEvent::Key(KeyEvent::new(code, modifiers));
        stand.app.update(Event::Terminal(key));
        stand.app.pulse();
        if matches!(code, KeyCode::Char(_)) {
            stand.screen(80, 24);
        }
    };
    // In every view and on the text, every letter and what it opens, with Enter, Tab and Esc.
    let letters: Vec<char> = ('!'..='~').filter(|letter| *letter != 'q').collect();
    for view in [4, 6, 8] {
        press(KeyCode::F(view), KeyModifiers::NONE);
        for letter in &letters {
            press(KeyCode::Char(*letter), KeyModifiers::NONE);
            for code in [KeyCode::Down, KeyCode::Tab, KeyCode::Enter, KeyCode::Esc] {
                press(code, KeyModifiers::NONE);
            }
        }
        for letter in ['s', 'o', 'r'] {
            press(KeyCode::Char(letter), KeyModifiers::CONTROL);
            for code in [KeyCode::Tab, KeyCode::Enter, KeyCode::Esc, KeyCode::Esc] {
                press(code, KeyModifiers::NONE);
            }
        }
    }
    // What was being written is told before anybody leaves.
    press(KeyCode::Char('q'), KeyModifiers::CONTROL);
    press(KeyCode::Esc, KeyModifiers::NONE);
    assert!(stand.app.writing > 0, "the script is being saved");
    drop(hold);
    stand.until(|stand| stand.app.writing == 0);
}

#[test]
fn a_mistake_of_an_earlier_text_is_not_said_of_a_later_one() {
    let mut stand = Stand::new("seq 3 | grep");
    // It is on its way while the text is typed on.
    let wrong = loop {
        match stand.news.recv_timeout(Duration::from_secs(30)).unwrap() {
            Event::Previewed(preview) if preview.wrong.is_some() => break preview,
            other => stand.app.update(other),
        }
    };
    stand.letters("'x");
    let said = stand.app.text.problem.as_ref().map(|problem| problem.message.clone());
    assert!(said.as_ref().is_some_and(|said| said.contains("no end")), "{said:?}");
    stand.app.update(Event::Previewed(wrong));
    assert_eq!(stand.app.text.problem.as_ref().map(|problem| problem.message.clone()), said);
}
