//! A line that is watched: which command writes nothing of it.

use super::super::summary;
use super::{Cycle, Editor};

impl Editor<'_, '_, '_> {
    /// True where the watched line is in the pattern space.
    pub(super) fn has_watched(&mut self) -> bool {
        let Some(line) = self.watched else { return false };
        let has = self.space.lines.iter().any(|(from, to)| *from <= line && line <= *to);
        self.reached |= has;
        has
    }

    /// Tells that the command that runs writes nothing of what is in the pattern space.
    pub(super) fn tell_command(&mut self) {
        let fate = summary::command(self.command, self.script, self.quiet);
        self.io.tell_fate(fate);
    }

    /// Tells what became of the watched line, where it is in the pattern space.
    pub(super) fn tell_cycle(&mut self, cycle: &Cycle) {
        if !self.has_watched() {
            return;
        }
        match cycle {
            Cycle::Deleted | Cycle::QuitSilently(_) => self.tell_command(),
            Cycle::Again => {}
            Cycle::Done | Cycle::Ended | Cycle::Quit(_) if self.quiet => {
                let writing = summary::writing(self.script);
                let others: Vec<String> = writing
                    .iter()
                    .take(2)
                    .map(|&at| summary::command(at, self.script, true))
                    .collect();
                let fate = if others.is_empty() {
                    "with -n only what a command writes is written, and none does".to_owned()
                } else {
                    format!("no command writes it: it is not one of those of {}", others.join("; "))
                };
                self.io.tell_fate(fate);
            }
            Cycle::Done | Cycle::Ended | Cycle::Quit(_) => {
                self.io.tell_fate("it was written, and nothing of it is seen".to_owned());
            }
        }
    }

    /// Tells of a watched line that was never read.
    pub(super) fn tell_end(&mut self) {
        if self.watched.is_none() || self.reached {
            return;
        }
        let command = summary::command(self.command, self.script, self.quiet);
        let fate = format!("the script ends at line {} before it is read: {command}", self.line);
        self.io.tell_fate(fate);
    }
}
