//! Everything that can be done outside the text, each with its key and its words.

use engine::{Consent, Consents, Fed, HeldCommand, Sample};
use insight::{
    EditError, TextEdit, apply_edits, delete_stage, insert_stage, move_stage, toggle_stage,
};

use crate::actions::{Action, key, keyed};
use crate::parts::prompt::Prompt;
use crate::screen::place::{Focus, Place};
use crate::state::app::App;
use crate::state::event::Wish;
use crate::state::job::Job;
use crate::state::purpose::Purpose;
use crate::state::session::HowLong;
use crate::storage::settings::QUICK;
use crate::text::display::View;
use crate::update::questions;

impl App {
    /// Does it.
    pub(crate) fn act(&mut self, action: Action) {
        if let Some((_, open)) = self.registry.drawers.iter().find(|(one, _)| *one == action) {
            return open(self);
        }
        let stage = self.place.stage();
        match action {
            Action::EditText => self.focus = Focus::Text,
            Action::EditStage => self.edit_stage(),
            Action::Open => self.open_stage(),
            Action::NewStage => {
                let behind = if self.place == Place::Source { 0 } else { stage + 1 };
                self.ask_for_stage(behind);
            }
            Action::InsertStage => self.ask_for_stage(stage),
            Action::DeleteStage => {
                let edits = delete_stage(self.text.editor.text(), self.text.editor.cursor(), stage);
                self.change(edits, &keyed("stage deleted; {undo} brings it back"));
            }
            Action::MoveBack => match stage.checked_sub(1) {
                Some(before) => {
                    let edits =
                        move_stage(self.text.editor.text(), self.text.editor.cursor(), before);
                    if self.change(edits, "stage moved") {
                        self.select(Place::Stage(before));
                    }
                }
                None => self.message = Some("it is the first stage".to_owned()),
            },
            Action::MoveOn => {
                let edits = move_stage(self.text.editor.text(), self.text.editor.cursor(), stage);
                if self.change(edits, "stage moved") {
                    self.select(Place::Stage(stage + 1));
                }
            }
            Action::Toggle => {
                let edits = toggle_stage(self.text.editor.text(), self.text.editor.cursor(), stage);
                self.change(edits, &keyed("switched; {toggle} switches back"));
            }
            Action::Undo => self.undo(),
            Action::Redo => self.redo(),
            Action::Fix => self.fix(),
            Action::Parameters => self.ask_parameters(),
            Action::NextCommand => self.other_command(true),
            Action::PreviousCommand => self.other_command(false),
            Action::Dismiss => self.dismiss(),
            Action::Everything => self.take_everything(),
            Action::Search => {
                let query = self.lens.search.as_ref().map(|search| search.query.clone());
                let query = query.unwrap_or_default();
                let title = "search the lens for";
                self.open_drawer(Prompt::new(title, &query, "search", Self::start_search));
            }
            Action::NextMatch => self.go_to_match(true),
            Action::PreviousMatch => self.go_to_match(false),
            Action::Unfold => {
                self.lens.unfolded = !self.lens.unfolded;
                self.lens.search = None;
                self.refresh_lens(false);
            }
            Action::View => self.next_view(),
            Action::Wrap => {
                self.lens.wrap = !self.lens.wrap;
                self.lens.column = 0;
            }
            Action::TurnOver => {
                self.lens.turned = !self.lens.turned;
                self.lens.search = None;
                self.refresh_lens(false);
            }
            Action::RunAll => self.ask_to_run(),
            Action::Write => self.ask_to_write(),
            Action::UndoWrite => self.undo_write(),
            Action::Allow => self.ask_consent(),
            Action::Copy => self.copy(),
            Action::CopyText => self.copy_text(),
            Action::Reread => {
                self.session.workbench.forget();
                self.message = Some("reading everything again".to_owned());
                self.text_changed();
            }
            Action::Save => self.save(),
            Action::SaveAs => self.ask_name(),
            Action::Quit => self.leave(),
            Action::Show(view) => self.show_view(view),
            // Each of them opens a drawer of the registry.
            Action::Sheet
            | Action::Program
            | Action::Notes
            | Action::History
            | Action::ChooseSample
            | Action::Trail
            | Action::Versions
            | Action::Missed
            | Action::Export
            | Action::Guide
            | Action::Shelf
            | Action::Start
            | Action::Actions
            | Action::Help => {}
        }
    }

    /// Shows the lens in the next form; bytes are no lines.
    fn next_view(&mut self) {
        self.lens.view = self.lens.view.next();
        if self.lens.view == View::Hex {
            self.lens.wrap = false;
        }
        if self.lens.view != View::Marks {
            self.lens.search = None;
            self.refresh_lens(false);
        }
    }

    /// True for a stage that other commands run in.
    pub(crate) fn has_inside(&self) -> bool {
        let preview = self.result.preview.as_ref();
        let stage = preview.and_then(|preview| preview.stages.get(self.place.stage()));
        stage.is_some_and(|stage| !stage.inside.is_empty())
    }

    /// Shows the commands inside the selected stage, or hides them.
    fn open_stage(&mut self) {
        let stage = self.place.stage();
        if !self.has_inside() {
            self.message = Some("no commands run inside this stage".to_owned());
        } else if !self.opened.remove(&stage) {
            self.opened.insert(stage);
        }
    }

    /// Goes to the next match of the search, or the one before.
    fn go_to_match(&mut self, next: bool) {
        match self.lens.next_match(next) {
            Some(row) => self.lens.go(row),
            None => {
                let text = "no match; {search} searches, {missed} asks where a text is lost";
                self.message = Some(keyed(text));
            }
        }
    }

    /// Applies edits of the text as one step; says so, or why not.
    fn change(&mut self, edits: Result<Vec<TextEdit>, EditError>, done: &str) -> bool {
        match edits {
            Ok(edits) => {
                let text = apply_edits(self.text.editor.text(), &edits);
                let cursor = self.text.editor.cursor();
                self.text.editor.set_text(&text, cursor);
                self.message = Some(done.to_owned());
                self.text_changed();
                true
            }
            Err(error) => {
                self.message = Some(error.to_string());
                false
            }
        }
    }

    fn edit_stage(&mut self) {
        let pipeline = self.text.pipeline();
        let end = pipeline.and_then(|pipeline| pipeline.commands.get(self.place.stage())).map(
            |command| {
                command.off.map_or_else(
                    || command.words.last().map_or(command.span.end, |word| word.span.end),
                    |off| off.end,
                )
            },
        );
        self.focus = Focus::Text;
        if let Some(end) = end {
            self.text.editor.set_cursor(end);
        }
    }

    /// Works on all of the data, or again only where that is quick.
    fn take_everything(&mut self) {
        let all = self.sample == Sample::Everything;
        self.sample = if all { QUICK } else { Sample::Everything };
        let said = if all { "all of the data only where that is quick" } else { "all of the data" };
        self.message = Some(said.to_owned());
        self.text_changed();
    }

    /// Asks for a stage, to be put at this place.
    fn ask_for_stage(&mut self, at: usize) {
        let title = format!("new stage {}, for example: sort -rn", at + 1);
        self.open_drawer(Prompt::new(title, "", "add the stage", move |app, text| {
            app.add_stage(at, text);
        }));
    }

    /// Puts a new stage into the text.
    pub(crate) fn add_stage(&mut self, at: usize, stage: &str) {
        if stage.trim().is_empty() {
            return;
        }
        match insert_stage(self.text.editor.text(), self.text.editor.cursor(), at, stage.trim()) {
            Ok((edit, span)) => {
                let text = apply_edits(self.text.editor.text(), &[edit]);
                self.text.editor.set_text(&text, span.end);
                self.message = Some(keyed("stage added; {undo} undoes it"));
                self.place = Place::Stage(at.min(self.stage_count()));
                self.text_changed();
                self.refresh_lens(false);
            }
            Err(error) => self.message = Some(error.to_string()),
        }
    }

    /// True when the first note of the selected stage offers a change.
    pub(crate) fn offers_fix(&self) -> bool {
        self.result.notes_for(self.place.stage()).iter().any(|note| note.fix.is_some())
    }

    fn fix(&mut self) {
        let fix =
            self.result.notes_for(self.place.stage()).iter().find_map(|note| note.fix.clone());
        match (fix, &self.result.preview) {
            (Some(fix), Some(preview)) if preview.text == self.text.editor.text() => {
                let done = format!("{}; {} undoes it", fix.label, key(Action::Undo));
                self.change(Ok(fix.edits), &done);
            }
            (Some(_), _) => {
                self.message = Some("wait for the result of the changed text".to_owned());
            }
            (None, _) => self.message = Some("no note offers a fix here".to_owned()),
        }
    }

    fn dismiss(&mut self) {
        let first =
            self.result.notes_for(self.place.stage()).first().map(|note| (note.kind, note.stage));
        let Some((kind, stage)) = first else {
            self.message = Some("no note to dismiss".to_owned());
            return;
        };
        let Some(preview) = &self.result.preview else { return };
        let span = preview.stages.get(stage).map(|stage| stage.span);
        let text = span.and_then(|span| preview.text.get(span.range())).unwrap_or_default();
        self.result.dismissed.insert((kind, text.to_owned()));
    }

    /// True when files would be written.
    pub(crate) fn has_pending(&self) -> bool {
        self.result.preview.as_ref().is_some_and(|preview| !preview.pending.is_empty())
    }

    fn ask_to_write(&mut self) {
        if self.is_stale() || self.text.problem.is_some() {
            self.message = Some("the text has changed: wait for its result".to_owned());
            return;
        }
        if !self.has_pending() {
            self.message = Some("this line writes no files".to_owned());
            return;
        }
        if let Some(why) = self.may_not_write() {
            self.message = Some(format!("not written: {why}"));
            return;
        }
        if self.is_running() {
            self.message =
                Some(keyed("a run is already in progress: {throughput} shows it, Ctrl-C stops it"));
            return;
        }
        let all_out = self.result.preview.as_ref().is_some_and(|preview| {
            preview.pending.iter().all(|file| self.pending.left_out.contains(&file.path))
        });
        if all_out {
            self.message = Some("all files are left out; x includes the selected one".to_owned());
            return;
        }
        self.open_drawer(questions::write());
    }

    /// True when the selected stage is a program that was not started.
    pub(crate) fn needs_consent(&self) -> bool {
        let preview = self.result.preview.as_ref();
        preview
            .and_then(|preview| preview.stages.get(self.place.stage()))
            .is_some_and(engine::StageResult::is_held)
    }

    fn ask_consent(&mut self) {
        if let Some(held) = self.held_at(self.place.stage()).filter(|_| self.needs_consent()) {
            self.open_drawer(questions::allow(held.clone()));
        } else {
            self.message = Some("this stage needs no consent".to_owned());
        }
    }

    /// Allows a program, exactly as it was shown.
    pub(crate) fn allow(&mut self, command: &HeldCommand, howlong: HowLong) {
        let Some(consent) = command.consent() else { return };
        self.message = None;
        match howlong {
            HowLong::Once => {
                self.consent.allowed_once.add(consent);
            }
            HowLong::Session | HowLong::Always if !consent.may_be_kept() => {
                let reason =
                    "allowed once: the content of a file that it names is too large to be covered";
                self.message = Some(reason.to_owned());
                self.consent.allowed_once.add(consent);
            }
            HowLong::Session => {
                self.consent.allowed.add(consent);
            }
            HowLong::Always => {
                if let Some(config) = self.kept.config.clone() {
                    let consent = consent.clone();
                    self.with_files(Job::Writing, move || {
                        let said = match config.allow(&consent) {
                            Ok(()) => "kept in the configuration".to_owned(),
                            Err(error) => format!("{error}; allowed for this session"),
                        };
                        move |app: &mut Self| app.message = Some(said)
                    });
                }
                self.consent.allowed.add(consent);
            }
        }
        self.text_changed();
    }

    /// The command that a stage is held back for.
    pub(crate) fn held_at(&self, stage: usize) -> Option<&HeldCommand> {
        self.result.preview.as_ref()?.stages.get(stage)?.held.last()
    }

    /// All that the user has said yes to.
    pub(crate) fn consents(&self) -> Consents {
        let mut all = self.consent.allowed.clone();
        all.add_all(&self.consent.allowed_once);
        all
    }

    /// Programs of this text that the user has said yes to with the input they had then: a full run
    /// feeds them other data, so the question before it names them.
    pub(crate) fn fed_programs(&self) -> Vec<&Consent> {
        let Some(preview) = &self.result.preview else { return Vec::new() };
        let in_text = |consent: &&Consent| {
            matches!(consent.fed, Fed::Exactly { .. })
                && preview.stages.iter().any(|stage| stage.plan.words() == consent.words)
        };
        let mut found: Vec<&Consent> = self.consent.allowed.iter().filter(in_text).collect();
        found.dedup_by(|one, other| one.words == other.words);
        found
    }

    /// As [`App::consents`], for the full run that was just agreed to.
    pub(crate) fn consents_for_run(&self) -> Consents {
        let fed = self.fed_programs();
        let mut all = self.consents();
        for consent in fed {
            all.add(Consent { fed: Fed::Anything, ..consent.clone() });
        }
        all
    }

    /// Something was written that is not saved and would be lost. A single line that is of no file
    /// is among the earlier lines from then on.
    pub(crate) fn would_lose_text(&self) -> bool {
        let line = self.text.path.is_none() && !self.text.editor.text().contains('\n');
        self.text.would_be_lost() && !(line && self.kept.store.is_some())
    }

    /// Leaves, or asks first.
    pub(crate) fn leave(&mut self) {
        if self.writing > 0 {
            self.open_drawer(questions::leave_writing());
        } else if self.is_running() {
            self.open_drawer(questions::end_run());
        } else {
            self.leave_or_ask();
        }
    }

    /// As [`App::leave`], where no run is in progress.
    pub(crate) fn leave_or_ask(&mut self) {
        match self.purpose {
            Purpose::Pipe => self.open_drawer(questions::pass_on()),
            Purpose::Prompt => self.open_drawer(questions::print()),
            Purpose::Work if self.would_lose_text() => {
                self.open_drawer(questions::leave());
            }
            Purpose::Work => self.leave_now(Wish::Leave),
        }
    }

    /// Why the text cannot be run at all, where that is so.
    pub(crate) fn text_cannot_run(&self) -> Option<String> {
        let text = self.text.editor.text();
        if text.trim().is_empty() {
            return Some("there is nothing to run".to_owned());
        }
        engine::parse(text).err().map(|error| error.to_string())
    }

    /// Leaves without asking; the line stays among the earlier ones.
    pub(crate) fn leave_now(&mut self, wish: Wish) {
        self.remember_line();
        if let Some(recovery) = &self.kept.recovery {
            recovery.forget_now();
        }
        self.wish = wish;
    }
}
