//! Which view takes the place of river and lens, and the state of the Pending view.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Instant;

use engine::{HeldCommand, OnFailure, StartResult};
use insight::{Difference, difference};
use ratatui::crossterm::event::KeyCode;

use crate::actions::keyed;
use crate::state::app::App;
use crate::state::drawer::{Drawer, Question};
use crate::state::event::Event;
use crate::state::job::Job;
use crate::state::place::Focus;
use crate::state::screen::Screen;

impl App {
    /// Rows of the Pending view: files and commands.
    pub(crate) fn pending_rows(&self) -> (usize, usize) {
        let counts =
            |preview: &Arc<engine::Preview>| (preview.pending.len(), preview.commands.len());
        self.result.preview.as_ref().map_or((0, 0), counts)
    }

    /// Opens a view, or goes back to the Bench from it.
    pub(crate) fn open_screen(&mut self, screen: Screen) {
        self.screen = if self.screen == screen { Screen::Bench } else { screen };
        self.message = None;
        if self.screen != Screen::Bench && self.focus == Focus::Lens {
            self.focus = Focus::River;
        }
        self.refresh_pending();
        self.refresh_compare();
        self.refresh_columns();
    }

    /// Keeps the selection inside the list, and compares the selected file in the background.
    pub(crate) fn refresh_pending(&mut self) {
        if self.screen != Screen::Pending {
            return;
        }
        let (files, commands) = self.pending_rows();
        self.pending.at = self.pending.at.min((files + commands).saturating_sub(1));
        let Some(preview) = self.result.preview.clone() else { return };
        let (generation, at) = (preview.generation, self.pending.at);
        let known = self.pending.difference.as_ref();
        if known.is_some_and(|known| (known.0, known.1) == (generation, at)) {
            return;
        }
        let Some(file) = preview.pending.get(at) else { return };
        let file = file.with_all(&self.unwritten());
        self.in_background(Job::Comparing, move || {
            Event::Compared(generation, at, Arc::new(difference(&file)))
        });
    }

    /// A key of the Pending view; false where it means nothing there.
    pub(crate) fn pending_key(&mut self, code: KeyCode) -> bool {
        let (files, commands) = self.pending_rows();
        let last = (files + commands).saturating_sub(1);
        let before = self.pending.at;
        match code {
            KeyCode::Up => self.pending.at = before.saturating_sub(1),
            KeyCode::Down => self.pending.at = (before + 1).min(last),
            KeyCode::Home => self.pending.at = 0,
            KeyCode::End => self.pending.at = last,
            KeyCode::PageDown => self.pending.top = self.pending.top.saturating_add(8),
            KeyCode::PageUp => self.pending.top = self.pending.top.saturating_sub(8),
            KeyCode::Char('x') => self.leave_out(),
            KeyCode::Char('r') => self.ask_to_act(),
            KeyCode::Esc if self.pending.acting => self.session.workbench.cancel_acting(),
            KeyCode::Esc => self.open_screen(Screen::Bench),
            _ => return false,
        }
        if self.pending.at != before {
            self.pending.top = 0;
            self.refresh_pending();
        }
        true
    }

    /// Leaves the selected file or command out, or takes it in again.
    fn leave_out(&mut self) {
        let Some(preview) = &self.result.preview else { return };
        if let Some(file) = preview.pending.get(self.pending.at) {
            if !self.pending.left_out.remove(&file.path) {
                self.pending.left_out.insert(file.path.clone());
            }
            return;
        }
        let number = self.pending.at - preview.pending.len();
        if !self.pending.commands_out.remove(&number) {
            self.pending.commands_out.insert(number);
        }
    }

    /// The commands that `r` would start: none twice, none that was left out or needs the others.
    pub(crate) fn startable(&self) -> Vec<(usize, HeldCommand)> {
        let Some(preview) = &self.result.preview else { return Vec::new() };
        let wanted = |number: &usize, command: &HeldCommand| {
            let done = self.start_result(*number).is_some_and(StartResult::succeeded);
            !done && !command.joined && !self.pending.commands_out.contains(number)
        };
        let commands = preview.commands.iter().enumerate();
        let wanted = commands.filter(|(number, command)| wanted(number, command));
        wanted.map(|(number, command)| (number, command.clone())).collect()
    }

    /// What was started stays known: of commands that the next result still has, at their new places;
    /// of others beside them.
    pub(crate) fn keep_acted(&mut self, next: &engine::Preview) {
        let Some(before) = self.result.preview.clone() else { return };
        if before.commands != next.commands {
            self.pending.commands_out.clear();
        }
        if before.text != next.text {
            self.pending.start_result.clear();
            self.pending.past.clear();
            return;
        }
        if self.pending.acted_of != Some(before.generation) {
            return;
        }
        let mut free: Vec<bool> = vec![true; next.commands.len()];
        let mut kept = BTreeMap::new();
        for (number, start_result) in std::mem::take(&mut self.pending.start_result) {
            let Some(command) = before.commands.get(number) else { continue };
            let mut places = next.commands.iter().enumerate();
            match places.find(|(at, other)| free[*at] && *other == command) {
                Some((at, _)) => {
                    free[at] = false;
                    kept.insert(at, start_result);
                }
                None => self.pending.past.push((command.clone(), start_result)),
            }
        }
        self.pending.start_result = kept;
        self.pending.acted_of = Some(next.generation);
    }

    /// How a command was started, where it was.
    pub(crate) fn start_result(&self, number: usize) -> Option<&StartResult> {
        let current = self.result.preview.as_ref().map(|preview| preview.generation);
        self.pending.start_result.get(&number).filter(|_| self.pending.acted_of == current)
    }

    fn ask_to_act(&mut self) {
        let Some(preview) = &self.result.preview else { return };
        let said = if self.is_stale() || self.text.problem.is_some() {
            "the text has changed: wait for its result"
        } else if self.is_running() || self.pending.acting {
            "something is already running"
        } else if !preview.is_whole() {
            return self.message = Some(keyed(
                "these commands come from a sample; {choose-sample} selects everything",
            ));
        } else if self.startable().is_empty() {
            "no command left that can run on its own"
        } else {
            self.drawer = Some(Drawer::Confirm(Question::Act(self.startable())));
            return;
        };
        self.message = Some(said.to_owned());
    }

    /// Starts the commands.
    pub(crate) fn act_now(&mut self, commands: Vec<(usize, HeldCommand)>, on_failure: OnFailure) {
        let generation = self.result.preview.as_ref().map(|preview| preview.generation);
        if self.pending.acted_of != generation {
            self.pending.start_result.clear();
            self.pending.acted_of = generation;
        }
        for (number, _) in &commands {
            self.pending.start_result.remove(number);
        }
        self.pending.acting = true;
        self.pending.batch = Some((commands.len(), Instant::now()));
        self.message = None;
        self.session.workbench.start_held(commands, on_failure);
    }

    /// The list is done, or was left: says how it went.
    pub(crate) fn acting_ended(&mut self) {
        self.pending.acting = false;
        // What was running when it was left is known by now, or never began.
        self.pending.start_result.retain(|_, start_result| *start_result != StartResult::Running);
        let well = self
            .pending
            .start_result
            .values()
            .filter(|start_result| start_result.succeeded())
            .count();
        let badly = self.pending.start_result.len() - well;
        // Failed ones that were left out since are none of those that could be started again.
        let left = self
            .startable()
            .iter()
            .filter(|(number, _)| self.start_result(*number).is_none())
            .count();
        let mut text = format!("{well} succeeded");
        if badly > 0 {
            text.push_str(&format!(", {badly} failed"));
        }
        if left > 0 {
            text.push_str(&format!(", {left} not run"));
        }
        if badly + left > 0 {
            text.push_str(" · r runs those again");
        }
        self.message = Some(text);
        // They may have changed what the text reads: everything is looked at again.
        self.session.workbench.forget();
        self.text_changed();
    }

    /// Takes the result of a comparison.
    pub(crate) fn compared(&mut self, generation: u64, at: usize, rows: Arc<Difference>) {
        let current = self.result.is_of(generation);
        if current && self.pending.at == at {
            self.pending.difference = Some((generation, at, rows));
        }
    }
}
