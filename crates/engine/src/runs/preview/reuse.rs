//! Which stages can be taken over from the run before.

use sha2::{Digest, Sha256};

use crate::runs::preview::task::Task;

/// What stage after stage depends on: each key is a sum over that of the stage before it and all
/// that decides what the stage does, so that many stages do not keep each other's texts.
pub(super) fn keys(task: &Task<'_>) -> Vec<Vec<u8>> {
    let mut keys: Vec<Vec<u8>> = Vec::new();
    for stage in &task.plan.stages {
        let mut sum = Sha256::new();
        sum.update(keys.last().unwrap_or(&task.setting));
        sum.update(b"\0|");
        sum.update(stage.key());
        keys.push(sum.finalize().to_vec());
    }
    keys
}

/// How many stages can be taken over from the run before.
pub(super) fn same_stages(task: &Task<'_>, keys: &[Vec<u8>]) -> usize {
    let Some(before) = task.before else { return 0 };
    let pairs = before.stages.iter().zip(keys);
    pairs.take_while(|(stage, key)| stage.key == **key && stage.reusable()).count()
}
