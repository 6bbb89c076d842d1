//! Merging sorted pieces. Equal entries keep the order of their pieces.

use std::cmp::Ordering;

use stream::Processors;

/// Merges neighbours, several pairs at a time.
pub(super) fn pairs<T: Copy + Send>(
    pieces: Vec<Vec<T>>,
    compare: &(impl Fn(&T, &T) -> Ordering + Sync),
    processors: &dyn Processors,
) -> Vec<Vec<T>> {
    let mut pairs: Vec<Vec<Vec<T>>> = Vec::new();
    for piece in pieces {
        match pairs.last_mut() {
            Some(pair) if pair.len() == 1 => pair.push(piece),
            _ => pairs.push(vec![piece]),
        }
    }
    let mut merged = Vec::with_capacity(pairs.len());
    // A few at a time, so that no more threads run than there are processors.
    let mut pairs = pairs.into_iter().peekable();
    while pairs.peek().is_some() {
        let mut batch: Vec<(Vec<Vec<T>>, Vec<T>)> =
            pairs.by_ref().take(processors.count().max(1)).map(|pair| (pair, Vec::new())).collect();
        let jobs = batch
            .iter_mut()
            .map(|(pair, into)| -> Box<dyn FnOnce() + Send + '_> {
                Box::new(move || *into = two(std::mem::take(pair), compare).collect())
            })
            .collect();
        processors.run(jobs);
        merged.extend(batch.into_iter().map(|(_, merged)| merged));
    }
    merged
}

/// The entries of at most two sorted pieces in order.
pub(super) fn two<T: Copy>(
    pieces: Vec<Vec<T>>,
    compare: &impl Fn(&T, &T) -> Ordering,
) -> impl Iterator<Item = T> {
    let mut pieces = pieces.into_iter();
    let mut one = pieces.next().unwrap_or_default().into_iter().peekable();
    let mut other = pieces.next().unwrap_or_default().into_iter().peekable();
    std::iter::from_fn(move || match (one.peek(), other.peek()) {
        (Some(left), Some(right)) if compare(left, right) == Ordering::Greater => other.next(),
        (Some(_), _) => one.next(),
        (None, _) => other.next(),
    })
}
