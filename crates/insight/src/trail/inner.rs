//! What became of lines inside of a compound command: its pipelines are followed each by itself.

use std::sync::Arc;

use engine::{Plan, Preview, StageKind};
use stream::RunControl;

use super::lost::{Gone, LostAt, Whereabouts};

/// Makes the result of a plan that belongs to the text of the preview.
pub type Evaluate<'e> = &'e dyn Fn(Plan) -> Option<Arc<Preview>>;

/// Where lines end, or lose the text, in a pipeline inside of a compound command.
pub struct Inner {
    /// The stage that ran it, from 0.
    pub stage: usize,
    /// The pipeline by itself, in the first round in which lines ended there.
    pub preview: Arc<Preview>,
    /// The place in it: how many lines came and ended over all rounds, everything else of the first.
    pub lost: LostAt,
    /// In how many rounds lines ended there.
    pub rounds: u64,
}

impl Whereabouts {
    /// Follows the lines inside of compound commands: of files that they have read, and of their input where a
    /// single pipeline has read it.
    pub(super) fn look_into(
        &mut self,
        preview: &Preview,
        control: &RunControl,
        evaluate: Evaluate<'_>,
    ) {
        for (number, stage) in preview.stages.iter().enumerate() {
            if !matches!(stage.plan.kind, StageKind::Shell(_)) || control.is_cancelled() {
                continue;
            }
            if self.inside.iter().any(|(other, _)| *other == number) {
                for plan in stage.pipelines_inside.of_files() {
                    let Some(own) = evaluate(plan.clone()) else { continue };
                    let found = Self::followed(&own, &self.query, control);
                    self.add_inner(number, &own, found.lost);
                }
            }
            if !self.lost.iter().any(|lost| lost.stage == number) {
                continue;
            }
            let before: Vec<_> =
                preview.stages.iter().take(number).map(|stage| stage.plan.clone()).collect();
            let opened = stage.pipelines_inside.in_place_of(&stage.plan, &before);
            if let Some(own) = opened.and_then(evaluate) {
                let mut found = Self::followed(&own, &self.query, control);
                found.lost.retain(|lost| lost.stage >= number);
                if !found.lost.is_empty() {
                    self.lost.retain(|lost| lost.stage != number);
                    self.add_inner(number, &own, found.lost);
                }
            }
        }
    }

    /// Adds what was found in one round of a pipeline, which may have had others.
    fn add_inner(&mut self, stage: usize, preview: &Arc<Preview>, lost: Vec<LostAt>) {
        let place = |preview: &Preview, lost: &LostAt| preview.stages[lost.stage].span;
        for lost in lost {
            let same = self.inner.iter_mut().find(|inner| {
                (inner.stage, place(&inner.preview, &inner.lost)) == (stage, place(preview, &lost))
                    && inner.lost.is_like(&lost)
            });
            match same {
                Some(inner) => {
                    inner.lost.add(&lost);
                    inner.rounds += 1;
                }
                None => {
                    let preview = preview.clone();
                    self.inner.push(Inner { stage, preview, lost, rounds: 1 });
                }
            }
        }
    }
}

impl LostAt {
    fn is_like(&self, other: &Self) -> bool {
        matches!(
            (&self.how, &other.how),
            (Gone::Ends(_), Gone::Ends(_)) | (Gone::CutAway { .. }, Gone::CutAway { .. })
        )
    }

    /// Counts what another round has lost at the same stage.
    fn add(&mut self, other: &Self) {
        self.came += other.came;
        match (&mut self.how, &other.how) {
            (Gone::Ends(one), Gone::Ends(more)) => one.count += more.count,
            (Gone::CutAway { count, .. }, Gone::CutAway { count: more, .. }) => *count += more,
            _ => {}
        }
    }
}
