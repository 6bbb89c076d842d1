//! Keys in the command text: editing, completion, earlier lines.

use std::sync::Arc;
use std::time::Instant;

use engine::{Kept, Preview};
use insight::PastLine;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use shell::Span;

use crate::screen::place::{Focus, Place};
use crate::state::app::App;
use crate::state::app::Event;
use crate::state::drawer::After;
use crate::state::job::Job;
use crate::state::text::{Argument, Completing};
use crate::text::complete::{Completion, common, complete};
use crate::text::editor::readline;

/// What a stage of this name reads in a result: the selected one, or else the first.
fn read_by(preview: &Preview, selected: usize, name: &str) -> Option<Arc<Kept>> {
    let selected = preview.stages.get(selected).filter(|stage| stage.name == name);
    let stage = selected.or_else(|| preview.stages.iter().find(|stage| stage.name == name))?;
    stage.inputs.first().map(|input| input.kept.clone())
}

impl App {
    /// Text pasted into the terminal.
    pub(crate) fn paste(&mut self, text: &str) {
        let text = text.replace("\r\n", "\n").replace('\r', "\n");
        if self.drawer.is_some() {
            self.with_drawer(|drawer, app| {
                drawer.pasted(&text, app);
                After::Stays
            });
            return;
        }
        self.focus = Focus::Text;
        self.text.completion = None;
        self.text.editor.insert_text(text.trim_end_matches('\n'));
        self.text_changed();
    }

    /// A key while the text has the focus.
    pub(crate) fn text_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let alt = key.modifiers.contains(KeyModifiers::ALT);
        if key.code == KeyCode::Tab || key.code == KeyCode::BackTab {
            self.complete_at_cursor(key.code == KeyCode::BackTab);
            return;
        }
        let completing = self.text.completion.take().is_some();
        if key.code == KeyCode::Esc {
            // The first Esc only puts the candidates away.
            if !completing {
                self.focus = Focus::River;
            }
            return;
        }
        if let Some(request) = readline(key.code, control, alt) {
            let changed = self.text.editor.edit(request);
            self.after_edit(changed);
            return;
        }
        match (key.code, control, alt) {
            (KeyCode::Char('_' | '7' | '/'), true, _) | (KeyCode::Char('u'), false, true) => {
                self.undo();
            }
            (KeyCode::Char('r'), false, true) => self.redo(),
            (KeyCode::Char('.'), false, true) => self.last_argument(),
            (KeyCode::Char('j'), true, _) | (KeyCode::Enter, _, true) => {
                self.text.editor.insert('\n');
                self.after_edit(true);
            }
            (KeyCode::Enter, ..) => self.enter(),
            (KeyCode::Up, ..) | (KeyCode::Char('p'), true, _) => {
                if key.code != KeyCode::Up || !self.text.editor.vertical(false) {
                    self.recall(true);
                } else {
                    self.follow_cursor();
                }
            }
            (KeyCode::Down, ..) | (KeyCode::Char('n'), true, _) => {
                if key.code != KeyCode::Down || !self.text.editor.vertical(true) {
                    self.recall(false);
                } else {
                    self.follow_cursor();
                }
            }
            (KeyCode::Char(character), false, false) => {
                let offered = self.text.offered.take();
                let begins = !" |;&<>".contains(character);
                if begins && offered.is_some_and(|offered| offered == self.text.editor.text()) {
                    self.text.editor.set_text("", 0);
                }
                self.text.editor.insert(character);
                self.after_edit(true);
            }
            _ => {}
        }
    }

    /// Alt-.: the last word of the newest earlier line; again, of the one before it.
    fn last_argument(&mut self) {
        let before = self.text.argument.take().filter(|argument| {
            argument.text == self.text.editor.text() && argument.end == self.text.editor.cursor()
        });
        let own = before.as_ref().map_or(self.text.history.len(), |argument| argument.line);
        let words = |line: &String| last_word(line).map(str::to_owned);
        let mut lines = self.text.history[..own].iter().enumerate().rev();
        let Some((line, word)) = lines.find_map(|(at, line)| Some((at, words(line)?))) else {
            self.message = Some("no earlier line with a last word".to_owned());
            self.text.argument = before;
            return;
        };
        let cursor = self.text.editor.cursor();
        let start = before.map_or(cursor, |argument| argument.start);
        self.text.editor.replace(Span::new(start, cursor), &word);
        self.after_edit(true);
        self.text.argument = Some(Argument {
            line,
            start,
            end: self.text.editor.cursor(),
            text: self.text.editor.text().to_owned(),
        });
    }

    fn after_edit(&mut self, changed: bool) {
        if changed {
            self.text.recalled = None;
            self.message = None;
            self.text_changed();
        } else {
            self.follow_cursor();
        }
    }

    /// Enter: a text that continues gets a new line; a finished one is remembered.
    fn enter(&mut self) {
        let text = self.text.editor.text().to_owned();
        let at_end = self.text.editor.cursor() == text.len();
        let goes_on = engine::parse(&text).is_err_and(|error| {
            matches!(
                error.kind,
                shell::ShellErrorKind::MissingAfterPipe | shell::ShellErrorKind::Unterminated(_)
            )
        });
        if goes_on && at_end {
            self.text.editor.insert('\n');
            self.after_edit(true);
            return;
        }
        self.remember_line();
        if self.text.problem.is_some() || text.trim().is_empty() {
            return;
        }
        // On to the result: what the last stage writes.
        self.message = None;
        let stages = self.text.pipeline().map_or(0, |pipeline| pipeline.commands.len());
        self.focus = Focus::Lens;
        self.select(Place::Stage(stages.saturating_sub(1)));
    }

    /// Adds the text to the earlier lines, and before it a longer one that it was cut from.
    pub(crate) fn remember_line(&mut self) {
        let text = self.text.editor.text().to_owned();
        if let Some(longer) = self.text.given_up(&text) {
            self.remember(&longer);
        }
        self.remember(&text);
    }

    /// Adds a line to the earlier ones, as the newest.
    pub(crate) fn remember(&mut self, text: &str) {
        let text = text.trim().to_owned();
        if text.is_empty() || self.text.history.last() == Some(&text) {
            return;
        }
        self.text.history.retain(|earlier| *earlier != text);
        if let Some(store) = self.kept.store.clone() {
            let line = text.clone();
            self.keep_line(move || store.remember(&line));
        }
        self.note_past(&text);
        self.text.history.push(text);
    }

    /// Keeps what a line gave, where it was evaluated in this session.
    fn note_past(&self, text: &str) {
        let known = self.kept.versions.all().iter().rev();
        let version = known.into_iter().find(|version| version.text.trim() == text);
        let (Some(version), Some(past)) = (version.cloned(), self.kept.past.clone()) else {
            return;
        };
        let line = PastLine {
            text: text.to_owned(),
            when: jiff::Timestamp::now(),
            lines: version.lines.so_far(),
            bytes: version.bytes.so_far(),
            elapsed_ns: version.elapsed_ns,
            files: version.files,
            partial: version.partial,
        };
        self.keep_line(move || past.add(&line));
    }

    /// Changes what is kept of earlier lines, beside the keys: the files may be long. Changes are made in their
    /// order.
    pub(crate) fn keep_line(&self, work: impl FnOnce() -> std::io::Result<()> + Send + 'static) {
        self.in_background(Job::EarlierLines, move || match work() {
            Ok(()) => Event::then(|_| {}),
            Err(error) => Event::Failed(Job::EarlierLines, stream::describe(&error)),
        });
    }

    /// Up and Down: earlier lines, and back to the one that was being written.
    fn recall(&mut self, back: bool) {
        let (at, own) = match self.text.recalled.take() {
            Some(recalled) => recalled,
            None => (self.text.history.len(), self.text.editor.text().to_owned()),
        };
        let next = if back {
            // The line on screen need not be offered first.
            let mut next = at;
            loop {
                let Some(earlier) = next.checked_sub(1) else { break None };
                next = earlier;
                if self.text.history[next] != self.text.editor.text() {
                    break Some(next);
                }
            }
        } else {
            (at < self.text.history.len()).then_some(at + 1)
        };
        let Some(next) = next else {
            if at < self.text.history.len() {
                self.text.recalled = Some((at, own));
            }
            return;
        };
        let text = self.text.history.get(next).unwrap_or(&own).clone();
        self.text.editor.set_text(&text, text.len());
        self.text.recalled = (next < self.text.history.len()).then_some((next, own));
        self.message = None;
        self.text_changed();
    }

    fn complete_at_cursor(&mut self, back: bool) {
        if let Some(mut completion) = self.text.completion.take() {
            let count = completion.candidates.len();
            let next = match (completion.chosen, back) {
                (None, false) => 0,
                (None, true) => count - 1,
                (Some(at), false) => (at + 1) % count,
                (Some(at), true) => (at + count - 1) % count,
            };
            let text = completion.candidates[next].0.clone();
            self.text.editor.replace(completion.span, &text);
            completion.span = Span::new(completion.span.start, completion.span.start + text.len());
            completion.chosen = Some(next);
            self.text.completion = Some(completion);
            self.text_changed();
            return;
        }
        let (text, cursor) = (self.text.editor.text().to_owned(), self.text.editor.cursor());
        if self.text.completing.as_ref().is_some_and(|asked| asked.is_of(&text, cursor)) {
            return;
        }
        let since = Instant::now();
        self.text.completing = Some(Completing { since, text: text.clone(), cursor });
        let (preview, selected) = (self.result.preview.clone(), self.place.stage());
        self.in_background(Job::Completion, move || {
            let read = |name: &str| read_by(preview.as_deref()?, selected, name);
            let found = complete(&text, cursor, read);
            Event::Completed(text, cursor, found)
        });
    }

    /// Candidates were found, or none; of a text that has changed since they are of no use.
    pub(crate) fn completed(&mut self, text: &str, cursor: usize, found: Option<Completion>) {
        self.text.completing.take_if(|asked| asked.is_of(text, cursor));
        let now = (self.text.editor.text(), self.text.editor.cursor());
        if now != (text, cursor) || self.text.completion.is_some() {
            return;
        }
        self.message = None;
        let Some(mut completion) = found else {
            self.message = Some("nothing to complete here".to_owned());
            return;
        };
        let shared = common(&completion.candidates);
        let typed = completion.span.end - completion.span.start;
        let only = completion.candidates.len() == 1;
        if shared.len() > typed || only {
            self.text.editor.replace(completion.span, &shared);
            completion.span =
                Span::new(completion.span.start, completion.span.start + shared.len());
            self.text_changed();
        }
        if !only {
            self.text.completion = Some(completion);
        }
    }

    pub(crate) fn undo(&mut self) {
        if self.text.editor.undo() {
            self.message = Some("undone".to_owned());
            self.text_changed();
        } else {
            self.message = Some("nothing to undo".to_owned());
        }
    }

    pub(crate) fn redo(&mut self) {
        if self.text.editor.redo() {
            self.message = Some("redone".to_owned());
            self.text_changed();
        } else {
            self.message = Some("nothing to redo".to_owned());
        }
    }
}

/// The last word of a line, as it is written there.
fn last_word(line: &str) -> Option<&str> {
    let script = engine::parse(line).ok()?;
    let command = script.pipelines().last()?.commands.last()?;
    let span = command.words.last()?.span;
    line.get(span.range())
}

#[cfg(test)]
mod tests {
    use super::last_word;

    #[test]
    fn the_last_word_is_that_of_the_last_command_with_its_quotes() {
        for (line, word) in [
            ("sort gate.log", Some("gate.log")),
            ("grep 'a b' x | cut -d' ' -f2", Some("-f2")),
            ("cat 'my file'", Some("'my file'")),
            ("sort x > out", Some("x")),
            ("echo 'unfinished", None),
        ] {
            assert_eq!(last_word(line), word, "{line}");
        }
    }
}
