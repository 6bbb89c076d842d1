//! What became of lines inside of a compound command: its pipelines are followed each by itself.

use std::sync::Arc;

use engine::{Preview, StageKind};
use stream::RunControl;

use super::whereabouts::{Evaluate, Inner, LostAt, Progress, Whereabouts};

impl Whereabouts {
    /// Looks for the text in everything that comes into the pipeline, letters in either case unless one is a
    /// capital, and follows the lines that have it to the end. Of files of which the preview has a
    /// part all lines are looked at; `progress` is told how far that is. Pipelines inside of compound commands are
    /// `evaluate`d by themselves. Blocks until it is done; `control` ends it.
    pub fn of(
        preview: &Preview,
        query: &str,
        control: &RunControl,
        progress: Progress<'_>,
        evaluate: Evaluate<'_>,
    ) -> Self {
        let mut all = Self::followed(preview, query, control);
        all.look_into(preview, control, evaluate);
        all.look_beyond(preview, control, progress);
        all
    }

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
