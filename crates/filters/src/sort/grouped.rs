//! Data with few different lines, where each single line must still be known: equal lines are
//! found by hashing, and only one of each kind is compared.

use std::collections::HashMap;

use super::held::{Entry, Held};
use super::keys::Order;

/// Lines looked at before the decision whether there are enough repeats.
const TRIAL: usize = 1 << 12;

/// The entries in order, equal lines in the order they came; `None` where less than half of the
/// first lines are repeats. Only for orders in which lines that compare as equal are the same.
pub(super) fn sort(entries: &[Vec<Entry>], held: &Held, order: &Order) -> Option<Vec<Entry>> {
    let all: usize = entries.iter().map(Vec::len).sum();
    if all < TRIAL {
        return None;
    }
    let mut known: HashMap<&[u8], u32, foldhash::fast::RandomState> = HashMap::default();
    // One entry of each kind, and how many there are.
    let mut kinds: Vec<(Entry, usize)> = Vec::new();
    let mut kind_of: Vec<u32> = Vec::with_capacity(all);
    for (number, entry) in entries.iter().flatten().enumerate() {
        if number == TRIAL && kinds.len() > TRIAL / 2 {
            return None;
        }
        let kind = *known.entry(held.line(entry)).or_insert_with(|| {
            kinds.push((*entry, 0));
            kinds.len() as u32 - 1
        });
        kinds[kind as usize].1 += 1;
        kind_of.push(kind);
    }
    let mut sorted: Vec<usize> = (0..kinds.len()).collect();
    sorted.sort_by(|one, other| {
        order.compare(held.line(&kinds[*one].0), held.line(&kinds[*other].0))
    });
    // Where the next entry of each kind goes.
    let mut places = vec![0; kinds.len()];
    let mut place = 0;
    for kind in sorted {
        places[kind] = place;
        place += kinds[kind].1;
    }
    let mut result = vec![kinds.first()?.0; all];
    for (entry, kind) in entries.iter().flatten().zip(kind_of) {
        let place = &mut places[kind as usize];
        result[*place] = *entry;
        *place += 1;
    }
    Some(result)
}
