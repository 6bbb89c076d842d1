//! Lines that no command of a script looks at: those that none of its patterns matches, in scripts
//! that do nothing else.

use bytes::Bytes;
use memchr::memchr_iter;
use pattern::{Options, Pattern, Syntax};
use stream::LineId;

use super::tree::{Action, Address, PatternUse, Script, When};
use crate::common::input::records::{Records, line_start};

/// Patterns that are searched for at the same time; with more, looking at each line is as fast.
const PATTERNS_MAX: usize = 3;

/// After this many lines in a row of which none was passed over, looking is left off for a while.
const MET_MAX: u32 = 16;

/// For this many lines.
const LEFT_OFF: u32 = 1024;

pub(super) struct Skipper {
    /// For each pattern where it is next in the block, as far as known.
    patterns: Vec<(Pattern, usize)>,
    /// The block that those places are in; held, so that no other one lies where it lies.
    block: Bytes,
    /// Lines in a row that a pattern matched.
    met: u32,
    /// Lines for which it is not worth looking.
    left_off: u32,
}

impl Skipper {
    /// `None` for a script that may do something to any line.
    pub(super) fn new(script: &Script, syntax: Syntax) -> Option<Self> {
        if script.uses_last_pattern || script.commands.is_empty() {
            return None;
        }
        let mut guards: Vec<usize> = Vec::new();
        let mut at = 0;
        while let Some(command) = script.commands.get(at) {
            at += 1;
            let guard = match (&command.when, &command.action) {
                (When::At(Address::Pattern(PatternUse::Known(guard))), action)
                    if !command.negated =>
                {
                    if let Action::Block(end) = action {
                        at = *end;
                    }
                    *guard
                }
                (When::Always, Action::Substitute(substitution)) => match substitution.pattern {
                    PatternUse::Known(guard) => guard,
                    PatternUse::Last => return None,
                },
                (_, Action::Nothing) => continue,
                _ => return None,
            };
            if !guards.contains(&guard) {
                guards.push(guard);
            }
        }
        if guards.is_empty() || guards.len() > PATTERNS_MAX {
            return None;
        }
        let patterns: Option<Vec<_>> = guards
            .into_iter()
            .map(|guard| {
                let (text, ignore_case) = &script.texts[guard];
                let options = Options { ignore_case: *ignore_case, ..Options::default() };
                Some((Pattern::new(&[text], syntax, options).ok()?, 0))
            })
            .collect();
        Some(Self { patterns: patterns?, block: Bytes::new(), met: 0, left_off: 0 })
    }

    /// Passes over lines at hand that none of the patterns matches; gives them, how many they are,
    /// and the number of the first.
    pub(super) fn skip(&mut self, records: &mut Records<'_>) -> Option<(Bytes, u64, LineId)> {
        if self.left_off > 0 {
            self.left_off -= 1;
            return None;
        }
        let new = records.block().as_ptr() != self.block.as_ptr();
        if new {
            self.block = records.block().clone();
        }
        let block = self.block.as_ptr() as usize;
        let lines = records.lines_at_hand();
        let start = lines.as_ptr() as usize - block;
        if lines.is_empty() {
            return None;
        }
        let mut next = lines.len();
        for (pattern, known) in &mut self.patterns {
            if new || *known < start {
                let found = pattern.find_candidate(lines, 0);
                *known = start + found.map_or(lines.len(), |(at, _)| at);
            }
            next = next.min(*known - start);
        }
        let length = line_start(lines, next);
        if length == 0 {
            self.met += 1;
            if self.met == MET_MAX {
                (self.met, self.left_off) = (0, LEFT_OFF);
            }
            return None;
        }
        self.met = 0;
        let count = memchr_iter(b'\n', &lines[..length]).count() as u64;
        let (passed, first) = records.pass(length, count);
        Some((passed, count, first))
    }
}
