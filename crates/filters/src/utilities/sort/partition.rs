//! Entries dealt out to several processors before they are sorted.

use std::cmp::Ordering;

use super::line_store::{Entry, joined};

/// Deals entries out into at most `parts` parts, everything in one before everything in the
/// next, of about equal size. Within a part the order stays, and entries that compare as equal
/// are in the same one.
pub(super) fn deal(
    entries: Vec<Vec<Entry>>,
    parts: usize,
    compare: impl Fn(&Entry, &Entry) -> Ordering,
) -> Vec<Vec<Entry>> {
    let all: usize = entries.iter().map(Vec::len).sum();
    if parts < 2 || all < 1 << 14 {
        return vec![joined(entries)];
    }
    let mut sample: Vec<Entry> =
        entries.iter().flatten().step_by(all / 1021 + 1).copied().collect();
    sample.sort_unstable_by(&compare);
    let mut bounds: Vec<Entry> =
        (1..parts).map(|part| sample[part * sample.len() / parts]).collect();
    bounds.dedup_by(|one, other| compare(one, other).is_eq());
    let share = all / parts;
    let mut dealt: Vec<Vec<Entry>> =
        (0..=bounds.len()).map(|_| Vec::with_capacity(share + share / 8)).collect();
    for entry in entries.into_iter().flatten() {
        let part = bounds.partition_point(|bound| compare(bound, &entry).is_le());
        dealt[part].push(entry);
    }
    dealt
}
