//! The pipelines that a compound command has run, so that each can be looked at by itself.

use stream::InputName;

use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::target::TargetKind;

/// Pipelines that are kept of one stage; of a loop these are the first rounds.
const KEPT_MAX: usize = 100;

/// The pipelines inside a stage, with their words as they were when they ran.
#[derive(Clone, Default)]
pub struct PipelinesInside {
    /// Those of filters alone that read files of their own, in the order in which they ended, at most a hundred.
    of_files: Vec<Plan>,
    /// The one that read the standard input of the stage.
    of_input: Option<Plan>,
    /// How many there were, of any kind.
    count: u64,
}

impl PipelinesInside {
    /// A pipeline has ended.
    pub(super) fn add(&mut self, plan: &Plan, outcomes: &[StageOutcome]) {
        self.count += 1;
        let (Some(first), Some(outcome)) = (plan.stages.first(), outcomes.first()) else { return };
        if !plan.stages.iter().all(is_filter_alone) {
            return;
        }
        let standard = outcome.inputs.contains(&InputName::Standard);
        if standard && first.input_target().is_none() {
            self.of_input = Some(plan.clone());
        } else if !outcome.inputs.is_empty() && self.of_files.len() < KEPT_MAX {
            self.of_files.push(plan.clone());
        }
    }

    /// Those that read files of their own: the first hundred.
    pub fn of_files(&self) -> &[Plan] {
        &self.of_files
    }

    /// The stage with all before it, where a single pipeline of filters is all that it ran: the stages of that one
    /// in the place of the stage, which comes after `before`.
    pub fn in_place_of(&self, stage: &StagePlan, before: &[StagePlan]) -> Option<Plan> {
        let own = self.of_input.as_ref().filter(|_| self.count == 1)?;
        let mut inner = own.stages.clone();
        // What the compound command is led to is there for the first of them.
        let (first, last) = (inner.first_mut()?, stage.targets.iter());
        let read = last.filter(|target| {
            target.descriptor == 0
                && matches!(target.kind, TargetKind::Read(_) | TargetKind::Text(_))
        });
        first.targets.splice(0..0, read.cloned());
        Some(Plan { stages: before.iter().cloned().chain(inner).collect() })
    }
}

/// A filter that has its files by name, with nothing of the shell around it.
fn is_filter_alone(stage: &StagePlan) -> bool {
    matches!(stage.kind, StageKind::Native(_)) && stage.substitutions.is_empty()
}
