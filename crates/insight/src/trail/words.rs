//! A trail in words.

use engine::Preview;

use super::follow::{Change, Trail, TrailStep};
use crate::describe::units::{grouped, lines};

/// A line's number, or from which to which.
fn place(lines: &[u64]) -> String {
    match lines {
        [] => String::new(),
        [one] => format!("line {}", grouped(one + 1)),
        [first, .., last] if last - first + 1 == lines.len() as u64 => {
            format!("lines {} to {}", grouped(first + 1), grouped(last + 1))
        }
        [first, .., last] => {
            format!("between line {} and {}", grouped(first + 1), grouped(last + 1))
        }
    }
}

/// Text of a line, shortened.
fn quoted(text: &[u8]) -> String {
    let text = String::from_utf8_lossy(text);
    let short: String = text.chars().take(60).collect();
    let more = if short.len() < text.len() { "…" } else { "" };
    format!("“{short}{more}”")
}

impl TrailStep {
    /// What became of the lines at this stage.
    pub fn words(&self, preview: &Preview) -> String {
        let (before, after) = (self.from.len() as u64, self.lines.len() as u64);
        let stage = preview.stages.get(self.stage);
        let text = || {
            let first = self.lines.first().copied();
            let line = first.and_then(|first| stage?.out.line_start(first, 1 << 12));
            line.map_or_else(String::new, |line| quoted(&line))
        };
        let many =
            |count: u64| if count == 1 { String::new() } else { format!("{}, ", lines(count)) };
        let said = match self.change {
            Change::Same => format!("{}unchanged", many(after)),
            Change::Moved if before == 1 => {
                format!("{} → {}", place(&self.from), place(&self.lines))
            }
            Change::Moved => format!("{}now {}", many(after), place(&self.lines)),
            Change::Edited if after == 1 => format!("→ {}", text()),
            Change::Edited => format!("{} → {} …", lines(after), text()),
            Change::Merged if after == 1 => {
                format!("{} became 1: {}", lines(before), text())
            }
            Change::Merged => format!("{} became {}", lines(before), grouped(after)),
            Change::Split => format!("{} became {}", lines(before), grouped(after)),
            Change::Made if stage.is_some_and(|stage| stage.inputs.is_empty()) => {
                "made here, by its arguments".to_owned()
            }
            Change::Made => "made here, of no line that was read".to_owned(),
            Change::Unknown => {
                "what it made of what is not known: no filter of Ylotrope".to_owned()
            }
            Change::Ends if before == 1 => "ends here".to_owned(),
            Change::Ends => format!("all {} end here", lines(before)),
        };
        match &self.lost {
            None => said,
            Some(lost) => {
                let reason = lost.reason.as_deref().unwrap_or("this stage writes nothing of it");
                match self.change {
                    Change::Ends if lost.count == 1 => format!("{said}: {reason}"),
                    Change::Ends => format!("{said}; the first: {reason}"),
                    _ => format!(
                        "{said}; {} {} here, the first: {reason}",
                        grouped(lost.count),
                        if lost.count == 1 { "ends" } else { "end" }
                    ),
                }
            }
        }
    }
}

impl Trail {
    /// Where the line is that the trail is of: `line 3 of the result`.
    pub fn start_in_words(&self, preview: &Preview) -> String {
        use super::follow::TrailStart;
        match self.start {
            TrailStart::Out { stage, line } => {
                let line = grouped(line + 1);
                if stage + 1 == preview.stages.len() {
                    format!("line {line} of the result")
                } else {
                    format!("line {line} of the output of stage {}", stage + 1)
                }
            }
            TrailStart::In { stage, flat } => {
                let own = preview.stages.get(stage);
                let place = own.and_then(|own| own.input_at(flat).map(|at| (own, at)));
                match place {
                    Some((own, (input, line))) => {
                        let piped = super::follow::piped_input(preview, stage) == Some(input);
                        let line = grouped(line + 1);
                        if piped {
                            format!("line {line} of the output of stage {stage}")
                        } else {
                            format!("line {line} of {}", own.input_label(&own.inputs[input]))
                        }
                    }
                    None => String::new(),
                }
            }
        }
    }

    /// Where the line ends up, where it gets to the end: the last stage's output, or a file.
    pub fn end_in_words(&self, preview: &Preview) -> Option<String> {
        let last = self.steps.last().filter(|step| !step.lines.is_empty())?;
        if last.stage + 1 != preview.stages.len() {
            return None;
        }
        let stage = preview.stages.get(last.stage)?;
        let file = stage.plan.written().filter(|(_, _, target)| target.descriptor == 1).last();
        let place = place(&last.lines);
        Some(match file {
            Some((path, ..)) => format!("{place} of {}, not written yet", path.display()),
            None => format!("{place} of the result"),
        })
    }
}
