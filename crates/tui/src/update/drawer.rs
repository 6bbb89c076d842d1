//! What lies over the notes for a while: help, questions, prompts, the sample, the Shelf.

use std::path::{Path, PathBuf};

use engine::OnFailure;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::actions::all;
use crate::help;
use crate::noted;
use crate::state::app::App;
use crate::state::drawer::{Drawer, PromptKind, Question};
use crate::state::event::Wish;
use crate::state::list::List;
use crate::state::place::Focus;
use crate::state::trail::Asked;
use crate::storage::store::{open_script, save_script};
use crate::update::actions::HowLong;

/// Moves the first row of something that scrolls; false for a key that does something else.
fn scroll(top: &mut usize, code: KeyCode, rows: usize) -> bool {
    *top = match code {
        KeyCode::Up => top.saturating_sub(1),
        KeyCode::Down => (*top + 1).min(rows),
        KeyCode::PageDown | KeyCode::Char(' ') => (*top + 10).min(rows),
        KeyCode::PageUp => top.saturating_sub(10),
        _ => return false,
    };
    true
}

/// Rows that a question has at most for its keys; what is shown ends where it ends.
const QUESTION_ROWS: usize = 100_000;

/// What a key in a list comes to.
enum Choice<T> {
    /// The list stays.
    None,
    /// Enter, where nothing is found.
    Nothing,
    /// Enter, on this.
    Entry(T),
}

fn chosen<T: Clone>(list: &mut List<T>, key: KeyEvent) -> Choice<T> {
    if !list.key(key) {
        return Choice::None;
    }
    list.found().get(list.at).map_or(Choice::Nothing, |(_, entry)| Choice::Entry(entry.clone()))
}

impl App {
    pub(crate) fn drawer_key(&mut self, key: KeyEvent) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        if key.code == KeyCode::Esc || control && matches!(key.code, KeyCode::Char('c' | 'g')) {
            let drawer = self.drawer.take();
            self.question_top = 0;
            if let Some(Drawer::Sheet(view)) = &drawer {
                self.leave_sheet(view);
            }
            // At a prompt it takes back what was begun.
            if matches!(drawer, Some(Drawer::Confirm(Question::Print))) {
                self.leave_now(Wish::Decline);
            }
            return;
        }
        let Some(mut drawer) = self.drawer.take() else { return };
        let stays = match &mut drawer {
            Drawer::Help(top) => {
                scroll(top, key.code, help::rows_within(self.screen, self.page.width).len())
            }
            Drawer::Notes(top) => scroll(top, key.code, noted::all(self).len()),
            Drawer::History(earlier) if key.code == KeyCode::Tab => {
                self.read_shell_history(earlier);
                true
            }
            Drawer::History(earlier) => match chosen(&mut earlier.list, key) {
                Choice::None => true,
                Choice::Nothing => false,
                Choice::Entry(line) => {
                    self.take_line(&line);
                    false
                }
            },
            Drawer::Point(_)
            | Drawer::Guide(_)
            | Drawer::Trail(_)
            | Drawer::Versions(_)
            | Drawer::Shelf(_)
            | Drawer::Start(_)
            | Drawer::Page(_)
            | Drawer::Sheet(_)
            | Drawer::Pattern(_) => self.building_key(&mut drawer, key),
            Drawer::Changes(changes) => {
                let rows = changes.difference.as_ref().map_or(0, |one| one.rows.len());
                scroll(&mut changes.top, key.code, rows)
            }
            Drawer::Sample(form) if key.code == KeyCode::Enter => {
                self.sample = form.sample();
                self.text_changed();
                false
            }
            Drawer::Sample(form) => {
                form.key(key.code);
                true
            }
            Drawer::Program(_) if control && key.code == KeyCode::Char('s') => {
                self.save();
                // A question for the name takes its place.
                self.drawer.is_none()
            }
            Drawer::Program(editor) => {
                self.program_key(editor, key);
                true
            }
            Drawer::Prompt(prompt) if key.code == KeyCode::Enter => {
                let (kind, text) = (prompt.kind.clone(), prompt.input.value().to_owned());
                self.answered(&kind, &text);
                false
            }
            Drawer::Prompt(prompt) => {
                prompt.key(key);
                true
            }
            Drawer::Confirm(_) if scroll(&mut self.question_top, key.code, QUESTION_ROWS) => true,
            Drawer::Confirm(question) => {
                let stays = self.question_key(question.clone(), key.code);
                if !stays {
                    self.question_top = 0;
                }
                stays
            }
            Drawer::Export(list) => match chosen(list, key) {
                Choice::None => true,
                Choice::Nothing => false,
                Choice::Entry(what) => {
                    self.ask_where_to_export(what);
                    false
                }
            },
            Drawer::Actions(list) => {
                let choice = chosen(list, key);
                if !matches!(choice, Choice::None) && self.focus == Focus::Text {
                    self.focus = Focus::River;
                }
                if let Choice::Entry(at) = choice {
                    self.act(all()[at].action);
                }
                matches!(choice, Choice::None)
            }
        };
        if stays {
            self.drawer = Some(drawer);
            self.after_start_key();
        }
    }

    /// A key where stages are built without typing them; true where that continues.
    fn building_key(&mut self, drawer: &mut Drawer, key: KeyEvent) -> bool {
        match drawer {
            Drawer::Point(point) => self.point_key(point, key),
            Drawer::Guide(guide) => self.guide_key(guide, key),
            Drawer::Trail(view) => self.trail_key(view, key),
            Drawer::Versions(view) => self.versions_key(view, key),
            Drawer::Shelf(view) => self.shelf_key(view, key),
            Drawer::Start(view) => self.start_key(view, key),
            Drawer::Sheet(view) => self.sheet_key(view, key),
            Drawer::Pattern(patterns) => self.pattern_key(patterns, key.code),
            Drawer::Page(page) => {
                if key.code != KeyCode::Enter {
                    scroll(&mut page.top, key.code, page.lines.len());
                    return true;
                }
                // The page leads back to the list it was opened from.
                self.drawer = Some(Drawer::Guide(std::mem::take(&mut page.guide)));
                false
            }
            _ => false,
        }
    }

    /// A key for a question; true where it stays open.
    fn question_key(&mut self, question: Question, code: KeyCode) -> bool {
        let letter = match code {
            KeyCode::Char(letter) => letter.to_ascii_lowercase(),
            // Where nothing is changed by it.
            KeyCode::Enter if self.has_safe_yes(&question) => 'y',
            _ => return true,
        };
        match (question, letter) {
            (Question::PassOn | Question::Print, 'n') => self.leave_now(Wish::Decline),
            (Question::Print, 'e') | (_, 'n') => {}
            (Question::Act(commands), 's') => self.act_now(commands, OnFailure::Stop),
            (Question::Act(commands), 'g') => self.act_now(commands, OnFailure::GoOn),
            (Question::Act(commands), 't') => self.act_now(commands, OnFailure::Together),
            (Question::Act(_), _) => return true,
            (Question::Allow(command), 'o') => self.allow(&command, HowLong::Once),
            (Question::Allow(command), 'y' | 's') => self.allow(&command, HowLong::Session),
            (Question::Allow(command), 'a') => self.allow(&command, HowLong::Always),
            (Question::Allow(_), _) => return true,
            (question, 'y') => self.agreed(question),
            (Question::Leave, 's') => self.save_and_leave(),
            (Question::RunAll, 'd') => {
                self.run_all(false, true);
                self.show_run();
            }
            _ => return true,
        }
        false
    }

    /// True where a yes changes nothing: no file is written and no program started.
    pub(crate) fn has_safe_yes(&self, question: &Question) -> bool {
        let Some(preview) = &self.result.preview else { return false };
        let starts = |stage: &engine::StageResult| {
            matches!(stage.plan.kind, engine::StageKind::Host(_)) || !stage.held.is_empty()
        };
        *question == Question::RunAll
            && preview.pending.is_empty()
            && preview.commands.is_empty()
            && !preview.stages.iter().any(starts)
            && self.fed_programs().is_empty()
    }

    fn answered(&mut self, kind: &PromptKind, text: &str) {
        match kind {
            PromptKind::Search => self.start_search(text),
            PromptKind::Missed if text.is_empty() => {}
            PromptKind::Missed => self.ask_trail(Asked::Text(text.to_owned())),
            PromptKind::Parameters => self.use_parameters(text),
            PromptKind::Stage(at) => self.add_stage(*at, text),
            PromptKind::Export(what) => {
                if !text.trim().is_empty() {
                    self.export_to(*what, &expand_home(text.trim()));
                }
            }
            PromptKind::Substitute { at, pattern } => {
                self.put_stages(*at, &insight::substituting(pattern, text));
            }
            PromptKind::Replacement { at, old } => self.put_replacement(*at, old, text),
            PromptKind::Columns => {
                if !text.trim().is_empty() {
                    self.write_columns(&expand_home(text.trim()));
                }
            }
            PromptKind::KeepOutput => {
                if !text.trim().is_empty() {
                    self.keep_output(&expand_home(text.trim()));
                }
            }
            PromptKind::Rename(path) if !text.trim().is_empty() => self.rename_on_shelf(path, text),
            PromptKind::CopyAs(path) if !text.trim().is_empty() => self.copy_on_shelf(path, text),
            PromptKind::Rename(_) | PromptKind::CopyAs(_) => {}
            PromptKind::Comment(path) => self.comment_on_shelf(path, text),
            PromptKind::SaveAs => {
                let path = expand_home(text.trim());
                if text.trim().is_empty() {
                    return;
                }
                if path.exists() && Some(&path) != self.text.path.as_ref() {
                    self.drawer = Some(Drawer::Confirm(Question::Overwrite(path)));
                } else {
                    self.save_to(path);
                }
            }
        }
    }

    fn agreed(&mut self, question: Question) {
        match question {
            // What there is now is written, also of a file that is followed.
            Question::Write => self.run_all(true, false),
            Question::RunAll => match self.may_not_write() {
                Some(why) => self.message = Some(format!("not run: {why}; d runs without files")),
                None => {
                    self.run_all(true, true);
                    self.show_run();
                }
            },
            Question::Leave => self.leave_now(Wish::Leave),
            Question::Print => self.leave_now(Wish::Print),
            Question::PassOn => match self.text_cannot_run() {
                Some(why) => self.message = Some(format!("not run: {why}; n quits with nothing")),
                None => self.leave_now(Wish::PassOn),
            },
            Question::EndRun => {
                self.cancel_run();
                self.leave_or_ask();
            }
            Question::Open(path) => self.open(&path),
            Question::Overwrite(path) => {
                self.save_to(path);
            }
            // Answered where the keys are.
            Question::Act(_) | Question::Allow(_) => {}
        }
    }

    pub(crate) fn save(&mut self) {
        match self.text.path.clone() {
            Some(path) => {
                self.save_to(path);
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_name(&mut self) {
        let name = self
            .text
            .path
            .as_ref()
            .map_or_else(|| "pipeline.sh".to_owned(), |path| path.display().to_string());
        self.drawer = Some(Drawer::prompt(PromptKind::SaveAs, &name));
    }

    fn save_to(&mut self, path: PathBuf) -> bool {
        match save_script(&path, self.text.editor.text()) {
            Ok(()) => {
                self.message = Some(format!("saved as {}", path.display()));
                self.text.saved = self.text.editor.text().to_owned();
                self.text.path = Some(path);
                self.remember_line();
                if let Some(recovery) = &self.kept.recovery {
                    recovery.forget_now();
                }
                true
            }
            Err(error) => {
                self.message =
                    Some(format!("not saved: {}: {}", path.display(), stream::describe(&error)));
                false
            }
        }
    }

    fn save_and_leave(&mut self) {
        match self.text.path.clone() {
            Some(path) => {
                if self.save_to(path) {
                    self.leave_now(Wish::Leave);
                }
            }
            None => self.ask_name(),
        }
    }

    pub(crate) fn ask_to_open(&mut self, path: PathBuf) {
        if self.would_lose_text() {
            self.drawer = Some(Drawer::Confirm(Question::Open(path)));
        } else {
            self.open(&path);
        }
    }

    fn open(&mut self, path: &Path) {
        match open_script(path) {
            Ok(text) => {
                self.remember_line();
                self.text.editor.set_text(&text, text.len());
                self.text.saved = text;
                self.text.path = Some(path.to_owned());
                self.message = Some(format!("opened {}", path.display()));
                // Those of another script have nothing to do with it.
                self.session.variables = self.session.variables.with_positional(Vec::new());
                self.text_changed();
                self.ask_missing_parameters();
            }
            Err(error) => {
                self.message =
                    Some(format!("not opened: {}: {}", path.display(), stream::describe(&error)));
            }
        }
    }
}

fn expand_home(text: &str) -> PathBuf {
    match (text.strip_prefix("~/"), std::env::var_os("HOME")) {
        (Some(rest), Some(home)) => PathBuf::from(home).join(rest),
        _ => PathBuf::from(text),
    }
}
