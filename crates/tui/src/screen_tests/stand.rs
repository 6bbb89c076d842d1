//! A Bench without a terminal, for the tests of views.

use std::sync::mpsc::{Receiver, sync_channel};
use std::time::Duration;

use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{Event as TerminalEvent, KeyCode, KeyEvent, KeyModifiers};

use crate::screen::place::Focus;
use crate::screen::place::Place;
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::app::Setup;
use crate::state::event::Wish;
use crate::state::result::ResultState;
use crate::theme::Background;
use crate::theme::Depth;
use crate::theme::Theme;

/// A Bench without a terminal, and its news.
pub(super) struct Stand {
    pub(super) app: App,
    pub(super) news: Receiver<Event>,
    pub(super) folder: tempfile::TempDir,
}

impl Stand {
    pub(super) fn new(text: &str) -> Self {
        // The name of the folder commands run in is shown: the same one wherever the tests run.
        std::env::set_current_dir("/tmp").unwrap();
        crate::views::register();
        // A name of one length, so that views look the same wherever they are drawn.
        let folder = tempfile::Builder::new().prefix(".stand-").tempdir_in("/tmp").unwrap();
        let log: String = (0..300)
            .map(|number| {
                format!(
                    "2031-04-02 gate-{:02} card={number} {}\n",
                    number % 7,
                    if number % 5 == 0 { "refused" } else { "passed" }
                )
            })
            .collect();
        std::fs::write(folder.path().join("gate.log"), log).unwrap();
        let (events, news) = sync_channel(crate::event_loop::QUEUE);
        let text = text.replace("DIR", &folder.path().display().to_string());
        let app = App::new(Setup {
            text,
            path: None,
            shelves: vec![folder.path().to_owned()],
            shell_history: None,
            theme: Theme::new(Background::Dark, Depth::True),
            variables: engine::Variables::default(),
            capture: None,
            runs: Some(insight::Runs::at(folder.path().join("runs"))),
            config: None,
            store: None,
            recovered: None,
            events,
            purpose: crate::state::purpose::Purpose::Work,
            starts: false,
            settings: crate::storage::settings::Settings::default(),
            demo: None,
            registry: crate::views::REGISTRY,
        });
        Self { app, news, folder }
    }

    /// Lets the background finish.
    pub(super) fn settle(&mut self) {
        let waits = |result: &ResultState| result.waiting.is_some() || result.lacks_advice();
        while waits(&self.app.result) || self.app.result.looks {
            let event = self.news.recv_timeout(Duration::from_secs(30)).expect("news");
            self.app.update(event);
        }
    }

    /// What is on the Shelf is known.
    pub(super) fn shelf_read(&mut self) {
        while self
            .app
            .drawer_of::<crate::views::shelf::state::ShelfView>()
            .is_some_and(|view| view.entries.is_none())
        {
            let event = self.news.recv_timeout(Duration::from_secs(30)).expect("news");
            self.app.update(event);
        }
    }

    pub(super) fn key(&mut self, code: KeyCode) {
        self.press(code, KeyModifiers::NONE);
    }

    pub(super) fn press(&mut self, code: KeyCode, modifiers: KeyModifiers) {
        self.app.update(Event::Terminal(TerminalEvent::Key(KeyEvent::new(code, modifiers))));
        // Candidates are looked for, and files written, beside the keys.
        while self.app.text.completing.is_some()
            || self.app.writing > 0
            || self.app.opening.is_some()
            || self.app.view == crate::views::compare::NAME && self.app.kept.kept_runs.is_none()
        {
            let event = self.news.recv_timeout(Duration::from_secs(30)).expect("news");
            self.app.update(event);
        }
    }

    pub(super) fn letters(&mut self, text: &str) {
        for letter in text.chars() {
            self.key(KeyCode::Char(letter));
        }
    }

    /// The screen as a terminal that only keeps it.
    fn drawn(&mut self, width: u16, height: u16) -> Terminal<TestBackend> {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        let size = ratatui::layout::Size::new(width, height);
        let page = crate::frame::page(size, &self.app);
        self.app.set_page(page);
        let mut targets = crate::screen::target::Targets::new();
        terminal.draw(|frame| targets = crate::frame::draw(frame, &self.app)).unwrap();
        self.app.set_targets(targets);
        terminal
    }

    /// How the screen looks but for its letters: for each row the styles of what is written in it,
    /// each by a letter that is explained below and to how much it applies (but for rows that
    /// are longer or shorter elsewhere), and where the cursor is.
    pub(super) fn styles(&mut self, width: u16, height: u16) -> String {
        let mut terminal = self.drawn(width, height);
        let buffer = terminal.backend().buffer().clone();
        let mut known: Vec<ratatui::style::Style> = Vec::new();
        let mut out = String::new();
        for row in buffer.content.chunks(usize::from(width.max(1))) {
            let text: String = row.iter().map(ratatui::buffer::Cell::symbol).collect();
            let varies = super::steady_tests::varies(&text);
            let mut runs: Vec<(usize, usize)> = Vec::new();
            for cell in row {
                let style = cell.style();
                if cell.symbol() == " " && style.bg.is_none_or(|bg| bg == buffer.content[0].bg) {
                    continue;
                }
                let at = known.iter().position(|one| *one == style).unwrap_or_else(|| {
                    known.push(style);
                    known.len() - 1
                });
                match runs.last_mut() {
                    Some((last, count)) if *last == at => *count += 1,
                    _ => runs.push((at, 1)),
                }
            }
            for (at, count) in runs {
                out.push(char::from(b'A' + at as u8));
                if count > 1 && !varies {
                    out.push_str(&count.to_string());
                }
            }
            out.push('\n');
        }
        for (at, style) in known.iter().enumerate() {
            let (fg, bg) = (style.fg.unwrap_or_default(), style.bg.unwrap_or_default());
            let letter = char::from(b'A' + at as u8);
            out.push_str(&format!("{letter} = {fg} on {bg} {:?}\n", style.add_modifier));
        }
        let at = terminal.get_cursor_position().unwrap();
        out.push_str(&format!("cursor {} {}\n", at.x, at.y));
        out
    }

    pub(super) fn screen(&mut self, width: u16, height: u16) -> String {
        let terminal = self.drawn(width, height);
        let buffer = terminal.backend().buffer().clone();
        let rows = buffer.content.chunks(usize::from(width.max(1)));
        rows.map(|row| row.iter().map(ratatui::buffer::Cell::symbol).collect::<String>() + "\n")
            .collect()
    }
}

const LINE: &str =
    "grep refused DIR/gate.log | cut -d' ' -f2 | sort | uniq -c | sort -rn | head -n 3";

#[test]
fn every_size_can_be_drawn_in_every_state() {
    let mut stand = Stand::new(LINE);
    let sizes = [(0, 0), (1, 1), (7, 3), (20, 8), (80, 24), (104, 36), (160, 50), (300, 90)];
    let states: [fn(&mut Stand); 13] = [
        |_| {},
        |stand| stand.settle(),
        |stand| stand.key(KeyCode::Esc),
        |stand| stand.letters("?"),
        |stand| {
            stand.key(KeyCode::Esc);
            stand.letters("s");
        },
        |stand| {
            stand.key(KeyCode::Esc);
            stand.letters(" ");
        },
        |stand| {
            stand.key(KeyCode::Esc);
            stand.letters("S");
        },
        |stand| {
            stand.key(KeyCode::Esc);
            stand.letters("e");
            stand.letters(" | 'x");
        },
        |stand| {
            stand.press(KeyCode::Char('u'), KeyModifiers::CONTROL);
            stand.letters("so");
            stand.key(KeyCode::Tab);
        },
        |stand| {
            stand.key(KeyCode::Esc);
            stand.press(KeyCode::Char('u'), KeyModifiers::CONTROL);
            stand.letters("seq 9 | while read x; do touch $x; done 2>&1 >n | tee m; rm -r x");
            stand.press(KeyCode::Char('a'), KeyModifiers::CONTROL);
            stand.settle();
            stand.key(KeyCode::F(3));
        },
        |stand| stand.key(KeyCode::F(4)),
        |stand| stand.key(KeyCode::Esc),
        |stand| {
            stand.letters("P");
            stand.key(KeyCode::Down);
            stand.letters("x");
            stand.key(KeyCode::End);
        },
    ];
    for (number, state) in states.into_iter().enumerate() {
        state(&mut stand);
        for (width, height) in sizes {
            let screen = stand.screen(width, height);
            assert_eq!(
                screen.lines().count(),
                if width == 0 { 0 } else { usize::from(height) },
                "state {number}"
            );
        }
    }
}

#[test]
fn wide_and_narrow_show_the_stages_with_their_counts() {
    let mut stand = Stand::new(LINE);
    stand.settle();
    let wide = stand.screen(160, 50);
    for part in ["keeps 20.0 %", "edits all", "merges 60 → 7", "keeps 3 of 7", "all of it"] {
        assert!(wide.contains(part), "{part}\n{wide}");
    }
    let narrow = stand.screen(80, 24);
    assert!(narrow.contains("4 uniq -c") && narrow.contains("6 head -n 3"), "{narrow}");
}

#[test]
fn an_error_leaves_the_stages_before_it_and_points_at_its_place() {
    let mut stand = Stand::new(LINE);
    stand.settle();
    stand.letters(" | cut -f0");
    stand.settle();
    let screen = stand.screen(160, 50);
    assert!(screen.contains("cut: fields are numbered from 1"), "{screen}");
    assert!(screen.contains("^^^"), "{screen}");
    assert!(screen.contains("keeps 3 of 7") && !screen.contains("outdated"), "{screen}");
    stand.key(KeyCode::Backspace);
    stand.letters("1");
    stand.settle();
    assert!(!stand.screen(160, 50).contains("outdated"));
}

#[test]
fn stages_are_selected_switched_moved_and_taken_back() {
    let mut stand = Stand::new(LINE);
    stand.settle();
    let before = stand.app.text.editor.text().to_owned();
    stand.key(KeyCode::Esc);
    assert_eq!(stand.app.focus, Focus::River);
    stand.key(KeyCode::Home);
    assert_eq!(stand.app.place, Place::Source);
    stand.key(KeyCode::Down);
    stand.key(KeyCode::Down);
    assert_eq!(stand.app.place, Place::Stream(0));
    stand.key(KeyCode::Right);
    assert_eq!(stand.app.place, Place::Stage(1));
    stand.letters("x");
    stand.settle();
    assert!(stand.app.text.editor.text().contains("# off: cut -d' ' -f2"));
    assert!(stand.screen(160, 50).contains("switched off"));
    stand.letters("x]d");
    stand.settle();
    assert_eq!(stand.app.stage_count(), 5);
    stand.letters("uuuu");
    stand.settle();
    assert_eq!(stand.app.text.editor.text(), before);
}

#[test]
fn the_first_note_is_applied_by_one_key_and_can_be_dismissed() {
    let mut stand = Stand::new("cut -d' ' -f2 DIR/gate.log | uniq -c");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.key(KeyCode::End);
    assert!(stand.screen(160, 50).contains("are not adjacent"));
    stand.letters("D");
    assert!(!stand.screen(160, 50).contains("are not adjacent"));
    let mut stand = Stand::new("cut -d' ' -f2 DIR/gate.log | uniq -c");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.key(KeyCode::End);
    stand.letters("f");
    stand.settle();
    assert!(stand.app.text.editor.text().ends_with("| sort | uniq -c"));
    assert!(stand.app.result.notes.iter().all(|note| note.kind != insight::NoteKind::RepeatsApart));
}

#[test]
fn a_search_finds_rows_and_a_sample_is_chosen() {
    let mut stand = Stand::new("cat DIR/gate.log");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.letters("/");
    stand.letters("card=199");
    stand.key(KeyCode::Enter);
    while stand.app.lens.search.as_ref().is_some_and(|search| search.searching) {
        let event = stand.news.recv_timeout(Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
    assert_eq!(stand.app.lens.cursor, 199);
    stand.letters("s");
    stand.key(KeyCode::Down);
    stand.letters("10");
    stand.key(KeyCode::Enter);
    stand.settle();
    assert_eq!(stand.app.sample, engine::Sample::First(10));
    assert!(stand.screen(160, 50).contains("first 10 of"));
}

#[test]
fn saving_opening_and_leaving_ask_where_something_would_be_lost() {
    let mut stand = Stand::new("cat DIR/gate.log");
    stand.settle();
    stand.letters(" | sort");
    stand.settle();
    stand.press(KeyCode::Char('q'), KeyModifiers::CONTROL);
    assert!(stand.screen(160, 50).contains("Quit anyway?"));
    assert_eq!(stand.app.wish(), Wish::Stay);
    stand.letters("n");
    stand.press(KeyCode::Char('s'), KeyModifiers::CONTROL);
    stand.press(KeyCode::Char('u'), KeyModifiers::CONTROL);
    let path = stand.folder.path().join("kept.sh");
    stand.letters(&path.display().to_string());
    stand.key(KeyCode::Enter);
    assert!(!stand.app.text.is_changed() && path.exists());
    stand.letters(" -r");
    stand.press(KeyCode::Char('o'), KeyModifiers::CONTROL);
    stand.letters("kept");
    // Before it is read, too.
    stand.key(KeyCode::Enter);
    stand.shelf_read();
    assert!(stand.screen(160, 50).contains("is not saved. Open"));
    stand.letters("y");
    assert!(stand.app.text.editor.text().ends_with("| sort"));
    stand.press(KeyCode::Char('q'), KeyModifiers::CONTROL);
    assert_eq!(stand.app.wish(), Wish::Leave);
}

#[test]
fn nothing_is_drawn_raw() {
    let mut stand = Stand::new("cat DIR/awkward");
    std::fs::write(stand.folder.path().join("awkward"), b"a\x1b[31mb\x9b\xff\n\xe2\x80\xaex\n")
        .unwrap();
    stand.app.text_changed();
    stand.settle();
    let screen = stand.screen(120, 40);
    assert!(screen.contains("a^[[31mb\\x9B\\xFF") && screen.contains("<U+202E>x"), "{screen}");
    assert!(!screen.contains('\u{1b}') && !screen.contains('\u{202e}'));
}

#[test]
fn a_stage_in_trouble_is_marked_in_the_river() {
    let mut stand = Stand::new("cat DIR/gate.log DIR/nope | grep zzz");
    stand.settle();
    let wide = stand.screen(160, 50);
    assert!(wide.contains("! status 1") && wide.contains("keeps none"), "{wide}");
    assert!(stand.screen(80, 24).contains("! 300"));
}

#[test]
fn a_long_text_is_parsed_beside_the_keys_and_drawn_around_its_cursor() {
    for (text, seen) in [
        (format!("echo {} end", "x".repeat(1 << 20)), "x end"),
        (vec!["cat"; 25_000].join(" | ") + " | tail -n 1", "cat | tail -n 1"),
        ("echo some words\n".repeat(30_000) + "echo the last", "echo the last"),
    ] {
        let mut stand = Stand::new("echo a");
        stand.settle();
        stand.app.update(Event::Terminal(TerminalEvent::Paste(format!("\n{text}"))));
        // Nothing is known of it yet, and keys are taken.
        assert!(stand.app.text.script.is_none() && stand.app.text.problem.is_none());
        stand.letters("1");
        let screen = stand.screen(160, 50);
        assert!(screen.contains(&format!("{seen}1")), "{screen}");
        while stand.app.text.script.is_none() {
            let event = stand.news.recv_timeout(Duration::from_mins(1)).expect("news");
            stand.app.update(event);
        }
        let count = stand.app.text.script.as_ref().unwrap().pipelines().count();
        assert!(count >= 2, "{count}");
        // The one of before the key is not taken for the text of now.
        let end = stand.app.text.script.as_ref().unwrap().pipelines().last().unwrap().span.end;
        assert_eq!(end, stand.app.text.editor.text().len());
    }
}
