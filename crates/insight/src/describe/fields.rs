//! The fields of a line as a filter counts them.

use engine::StageResult;
use filters::Counted;

/// What a stage counts in a line of its input; `None` where it counts nothing, or where that
/// cannot be told before it runs.
pub fn counted(stage: &StageResult, line: &[u8]) -> Option<Counted> {
    stage.filter.as_ref()?.counts(line)
}
