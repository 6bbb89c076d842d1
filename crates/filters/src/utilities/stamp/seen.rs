//! What a run has to say of the times it read.

use crate::text::phrases::counted;

use super::find::{Doubt, Found};

/// What must be said of the times that were read.
#[derive(Default)]
pub(super) struct Seen {
    pub(super) with: u64,
    pub(super) without: u64,
    pub(super) since_start: u64,
    day_or_month: u64,
    epoch: u64,
    /// The first time of each doubt, as written.
    day_or_month_text: String,
    epoch_text: String,
}

impl Seen {
    pub(super) fn note(&mut self, found: &Found, line: &[u8]) {
        self.with += 1;
        let (count, text) = match found.doubt {
            None => return,
            Some(Doubt::DayOrMonth) => (&mut self.day_or_month, &mut self.day_or_month_text),
            Some(Doubt::Epoch) => (&mut self.epoch, &mut self.epoch_text),
        };
        *count += 1;
        if *count == 1 {
            *text = String::from_utf8_lossy(&line[found.range.clone()]).into_owned();
        }
    }

    /// What was read in one of two ways, what was left as it is, and times that are missing.
    pub(super) fn messages(&self, wants_times: bool) -> Vec<String> {
        let mut messages = Vec::new();
        if self.day_or_month > 0 {
            messages.push(format!(
                "{}, the first “{}”, can be read in two ways: the month was taken to be first \
                 (--month-first or --day-first settles it)",
                counted(self.day_or_month, "time", "times"),
                self.day_or_month_text
            ));
        }
        if self.epoch > 0 {
            messages.push(format!(
                "{}, the first “{}”, may be no times: taken as seconds since 1970 at the beginning \
                 of a line (--epoch settles it)",
                counted(self.epoch, "number", "numbers"),
                self.epoch_text
            ));
        }
        if self.since_start > 0 {
            messages.push(format!(
                "{} since the start of the machine left as they are: when it started is not in the \
                 lines (--boot TIME says it)",
                counted(self.since_start, "time", "times")
            ));
        }
        if wants_times && self.with == 0 && self.without > 0 {
            messages.push("no line has a time in it".to_owned());
        }
        messages
    }
}
