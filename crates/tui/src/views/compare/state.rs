//! The kept runs: which are selected, and what they are compared with.

use insight::{ComparedRow, KeptRun, compare};

use crate::state::app::App;

/// The state of the Compare view.
#[derive(Default)]
pub(crate) struct CompareView {
    /// The run selected in the list, newest first.
    pub at: usize,
    /// The run it is compared with; `None` for the one before it of the same text, or the one
    /// before it.
    pub marked: Option<String>,
}

/// The kept runs, newest first, as they were read last.
pub(crate) fn runs(app: &App) -> &[KeptRun] {
    app.kept.kept_runs.as_ref().map_or(&[], |runs| &runs[..])
}

/// The number of the run that the selected one is compared with.
pub(crate) fn compared_with(app: &App) -> Option<usize> {
    let view = app.states.get::<CompareView>()?;
    let (runs, at) = (runs(app), view.at);
    if let Some(marked) = &view.marked {
        return runs.iter().position(|run| run.id == *marked).filter(|found| *found != at);
    }
    let text = &runs.get(at)?.record.text;
    let before = at + 1..runs.len();
    before.clone().find(|&number| runs[number].record.text == *text).or(before.clone().next())
}

/// The two runs on screen, the earlier choice first, and their commands side by side.
pub(crate) fn compared_runs(app: &App) -> Option<(&KeptRun, &KeptRun, Vec<ComparedRow>)> {
    let (runs, at) = (runs(app), app.states.get::<CompareView>()?.at);
    let (first, second) = (runs.get(compared_with(app)?)?, runs.get(at)?);
    Some((first, second, compare(&first.record, &second.record)))
}
