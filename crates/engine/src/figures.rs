//! Figures of commands over all the times they ran.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

use shell::Span;
use stream::{ExitStatus, StageFigures, StageMeter};

use crate::plan::Plan;
use crate::stage::StageOutcome;

/// A command of a text, over all the times it ran.
#[derive(Clone, Debug, Default)]
pub struct CommandFigures {
    /// Its place in the text.
    pub span: Span,
    /// Its name.
    pub name: String,
    /// How often it ran.
    pub runs: u64,
    /// What its meters showed, added up.
    pub figures: StageFigures,
    /// The status it ended with last.
    pub status: ExitStatus,
}

/// Takes in what ran, in the order of the text.
#[derive(Default)]
pub(crate) struct Collected(Mutex<BTreeMap<Span, CommandFigures>>);

impl Collected {
    pub(crate) fn add(&self, plan: &Plan, meters: &[Arc<StageMeter>], outcomes: &[StageOutcome]) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        for ((stage, meter), outcome) in plan.stages.iter().zip(meters).zip(outcomes) {
            let command = all.entry(stage.span).or_insert_with(|| CommandFigures {
                span: stage.span,
                name: stage.name(),
                ..CommandFigures::default()
            });
            command.runs += 1;
            command.figures.add(&meter.figures());
            command.status = outcome.status;
        }
    }

    pub(crate) fn into_list(self) -> Vec<CommandFigures> {
        self.0.into_inner().unwrap_or_else(PoisonError::into_inner).into_values().collect()
    }
}
