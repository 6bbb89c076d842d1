//! Lines by one number each: sorted by the number alone, as long as that is exact, and then each
//! group of equal numbers by the whole lines.

use std::sync::atomic::{AtomicBool, Ordering};

use stream::Processors;

use super::deep;
use super::held::{Entry, Held, joined};
use super::keys::Order;

/// The entries in order, in parts that follow each other; the entries back where some number is
/// too long to be exact.
pub(super) fn sorted(
    mut entries: Vec<Vec<Entry>>,
    held: &Held,
    order: &Order,
    parts: usize,
    skip: usize,
    processors: &dyn Processors,
) -> Result<Vec<Vec<Entry>>, Vec<Vec<Entry>>> {
    let exact = AtomicBool::new(true);
    let jobs = entries.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
        let exact = &exact;
        Box::new(move || {
            for entry in part.iter_mut() {
                match order.exact_prefix(held.line(entry)) {
                    Some(prefix) => entry.prefix = prefix,
                    None => return exact.store(false, Ordering::Relaxed),
                }
            }
        })
    });
    processors.run(jobs.collect());
    if !exact.load(Ordering::Relaxed) {
        return Err(entries);
    }
    let mut dealt = deal(entries, parts);
    let whole = order.last_resort();
    let jobs = dealt.iter_mut().map(|part| -> Box<dyn FnOnce() + Send + '_> {
        let whole = &whole;
        Box::new(move || {
            if order.keeps_equal() {
                return part.sort_by_key(|entry| entry.prefix);
            }
            part.sort_unstable_by_key(|entry| entry.prefix);
            for group in part.chunk_by_mut(|one, other| one.prefix == other.prefix) {
                if group.len() > 1 {
                    deep::sort::<false>(group, held, whole, skip, 0);
                }
            }
        })
    });
    processors.run(jobs.collect());
    Ok(dealt)
}

/// Deals entries out by their prefixes, everything in one part before everything in the next.
fn deal(entries: Vec<Vec<Entry>>, parts: usize) -> Vec<Vec<Entry>> {
    let all: usize = entries.iter().map(Vec::len).sum();
    if parts < 2 || all < 1 << 14 {
        return vec![joined(entries)];
    }
    let mut sample: Vec<u64> =
        entries.iter().flatten().step_by(all / 1021 + 1).map(|entry| entry.prefix).collect();
    sample.sort_unstable();
    let mut bounds: Vec<u64> = (1..parts).map(|part| sample[part * sample.len() / parts]).collect();
    bounds.dedup();
    let share = all / parts;
    let mut dealt: Vec<Vec<Entry>> =
        (0..=bounds.len()).map(|_| Vec::with_capacity(share + share / 8)).collect();
    for entry in entries.into_iter().flatten() {
        dealt[bounds.partition_point(|bound| *bound <= entry.prefix)].push(entry);
    }
    dealt
}
