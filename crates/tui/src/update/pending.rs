//! The commands of a result that are started after a yes.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Instant;

use engine::{HeldCommand, OnFailure, StartResult};

use crate::state::app::App;

impl App {
    /// Rows of the Pending view: files and commands.
    pub(crate) fn pending_rows(&self) -> (usize, usize) {
        let counts =
            |preview: &Arc<engine::Preview>| (preview.pending.len(), preview.commands.len());
        self.result.preview.as_ref().map_or((0, 0), counts)
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
}
