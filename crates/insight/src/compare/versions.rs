//! Two versions of a pipeline side by side: stage by stage, and what differs in the result.

use engine::{Kept, Preview, StageResult};
use similar::{Algorithm, DiffOp, capture_diff_slices};
use std::sync::Arc;

/// A stage of both versions, or of one of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StagePair {
    /// Its number in the first version, from 0.
    pub left: Option<usize>,
    /// Its number in the second one.
    pub right: Option<usize>,
    /// Both have the same text.
    pub same_text: bool,
    /// Both wrote the same; `None` where only one of them is there.
    pub same_output: Option<bool>,
}

/// The text of a stage on one line.
fn text_of(preview: &Preview, stage: &StageResult) -> String {
    let text = preview.text.get(stage.span.range()).unwrap_or_default();
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if stage.plan.off.is_some() { format!("off: {text}") } else { text }
}

/// Bytes that are read at once.
const PART: usize = 1 << 20;

/// True where two streams are the same, byte for byte; reads them block by block.
fn equal(one: &Arc<Kept>, other: &Arc<Kept>) -> bool {
    if Arc::ptr_eq(one, other) {
        return true;
    }
    if one.bytes() != other.bytes() || one.lines() != other.lines() {
        return false;
    }
    let all = one.bytes();
    (0..all.div_ceil(PART as u64)).all(|part| {
        let at = part * PART as u64;
        one.bytes_at(at, PART) == other.bytes_at(at, PART)
    })
}

/// The stages of two versions, each beside the one that it is or that took its place.
pub fn stage_pairs(left: &Preview, right: &Preview) -> Vec<StagePair> {
    let texts = |preview: &Preview| -> Vec<String> {
        preview.stages.iter().map(|stage| text_of(preview, stage)).collect()
    };
    let (one, other) = (texts(left), texts(right));
    let mut pairs = Vec::new();
    let mut both = |left_at: usize, right_at: usize, same_text: bool| {
        let same = equal(&left.stages[left_at].out, &right.stages[right_at].out);
        pairs.push(StagePair {
            left: Some(left_at),
            right: Some(right_at),
            same_text,
            same_output: Some(same),
        });
    };
    let mut alone: Vec<(usize, StagePair)> = Vec::new();
    let mut count = 0;
    for operation in capture_diff_slices(Algorithm::Myers, &one, &other) {
        let (old, new) = (operation.old_range(), operation.new_range());
        let equal = matches!(operation, DiffOp::Equal { .. });
        // One that took the place of another is beside it.
        let together = old.len().min(new.len());
        for step in 0..together {
            both(old.start + step, new.start + step, equal);
            count += 1;
        }
        for left in old.skip(together) {
            let pair =
                StagePair { left: Some(left), right: None, same_text: false, same_output: None };
            alone.push((count, pair));
        }
        for right in new.skip(together) {
            let pair =
                StagePair { left: None, right: Some(right), same_text: false, same_output: None };
            alone.push((count, pair));
        }
    }
    for (number, (at, pair)) in alone.into_iter().enumerate() {
        pairs.insert((at + number).min(pairs.len()), pair);
    }
    pairs
}

/// Where the first difference arises: the first pair whose outputs differ, or the first stage that
/// only one of them has.
pub fn first_difference(pairs: &[StagePair]) -> Option<usize> {
    pairs.iter().position(|pair| pair.same_output != Some(true))
}
