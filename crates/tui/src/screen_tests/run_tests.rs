//! A run from the question to its figures, on the screen.

use std::sync::mpsc::RecvTimeoutError;
use std::time::{Duration, Instant};

use ratatui::crossterm::event::KeyCode;

use super::stand::Stand;

const SIZES: [(u16, u16); 8] =
    [(0, 0), (1, 1), (7, 3), (20, 8), (80, 24), (104, 36), (160, 50), (300, 90)];

impl Stand {
    fn at_every_size(&mut self) {
        for (width, height) in SIZES {
            self.screen(width, height);
        }
    }

    /// Lets the background work until something is so.
    pub(super) fn until(&mut self, what: impl Fn(&Stand) -> bool) {
        let since = Instant::now();
        while !what(self) {
            match self.news.recv_timeout(Duration::from_millis(20)) {
                Ok(event) => self.app.update(event),
                Err(RecvTimeoutError::Timeout) => drop(self.app.pulse()),
                Err(RecvTimeoutError::Disconnected) => panic!("nobody is there"),
            }
            assert!(since.elapsed() < Duration::from_secs(30), "it never comes");
        }
    }

    pub(super) fn run_all(&mut self) {
        self.settle();
        self.key(KeyCode::Esc);
        self.letters("r");
        self.until(|stand| stand.app.throughput.estimate.is_some());
        self.at_every_size();
        let screen = self.screen(160, 50);
        assert!(screen.contains("Run this on all of the data now?"), "{screen}");
        self.letters("y");
        assert_eq!(self.app.view, crate::screen::view_name::THROUGHPUT);
        self.at_every_size();
        self.until(|stand| !stand.app.is_running());
        // What was written is looked at again: on a busy machine that is said after a while.
        self.settle();
    }
}

#[test]
fn a_run_and_its_views_can_be_drawn_at_every_size() {
    let mut stand = Stand::new(
        "grep refused DIR/gate.log | cut -d' ' -f2 | sort | tee DIR/copy | uniq -c; for i in 1 2 3; do echo $i; done",
    );
    stand.letters("T");
    stand.key(KeyCode::F(5));
    stand.at_every_size();
    stand.key(KeyCode::F(6));
    stand.at_every_size();
    stand.key(KeyCode::F(6));
    stand.press(KeyCode::Char('u'), ratatui::crossterm::event::KeyModifiers::CONTROL);
    let at = stand.folder.path().display().to_string();
    stand.letters(&format!("grep refused {at}/gate.log | sort | tee {at}/copy | wc -l"));
    stand.run_all();
    for (width, height) in SIZES {
        let screen = stand.screen(width, height);
        if width >= 80 {
            assert!(screen.contains("done") && screen.contains("100.0 %"), "{screen}");
        }
    }
    let screen = stand.screen(160, 50);
    assert!(screen.contains("60 lines"), "{screen}");
    assert!(!stand.app.running.as_mut().unwrap().look(), "nothing of it moves any more");
    let running = stand.app.running.as_mut().unwrap();
    let end = running.end.take();
    // Looked at a moment ago: not yet again.
    running.seen = Instant::now() + Duration::from_hours(1);
    assert!(!running.look());
    running.seen = Instant::now().checked_sub(Duration::from_secs(1)).unwrap();
    assert!(running.look());
    running.end = end;
    stand.key(KeyCode::Down);
    // The letter of the view that is shown leaves it as it is.
    stand.letters("T");
    assert_eq!(stand.app.view, crate::screen::view_name::THROUGHPUT);
    stand.letters("o");
    assert!(stand.screen(160, 50).contains("output: 1 line"));
    stand.at_every_size();
    stand.letters("K");
    stand.at_every_size();
    assert!(stand.screen(160, 50).contains("no run before it to compare it with"));
    // A second form of it.
    stand.letters("e");
    stand.press(KeyCode::Char('u'), ratatui::crossterm::event::KeyModifiers::CONTROL);
    stand.letters(&format!("grep passed {at}/gate.log | sort | wc -l"));
    stand.run_all();
    stand.letters("K");
    stand.at_every_size();
    let screen = stand.screen(160, 50);
    assert!(screen.contains("2 runs kept") && screen.contains("only in 1"), "{screen}");
    stand.letters("dd");
    assert!(stand.screen(160, 50).contains("no kept runs yet"));
    stand.letters("Z");
    assert!(!stand.folder.path().join("copy").exists() || stand.app.message.is_some());
}

#[test]
fn what_is_handed_over_is_chosen_and_named() {
    let mut stand = Stand::new("grep refused DIR/gate.log | wc -l");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.letters("X");
    stand.at_every_size();
    stand.letters("funnel");
    stand.key(KeyCode::Enter);
    stand.at_every_size();
    let to = stand.folder.path().join("f.pdf");
    stand.press(KeyCode::Char('u'), ratatui::crossterm::event::KeyModifiers::CONTROL);
    stand.letters(&to.display().to_string());
    stand.key(KeyCode::Enter);
    assert!(std::fs::read(&to).unwrap().starts_with(b"%PDF"));
    stand.letters("X");
    stand.letters("report");
    stand.key(KeyCode::Enter);
    stand.key(KeyCode::Enter);
    let message = stand.app.message.clone().unwrap_or_default();
    assert!(message.contains("no full run yet"), "{message}");
}
