//! What a stage did, judged by what it read and wrote: for filters whose program decides it.

use bytes::Bytes;
use filters::Verb;
use stream::{LineId, OriginStore};

use super::result::InputRecord;
use crate::kept::lines::Kept;

/// Lines of output that are looked at.
const LOOKED_AT: u64 = 5_000;

/// Lines of the inputs, fetched several at a time.
#[derive(Default)]
struct Before {
    first: Option<LineId>,
    lines: Vec<Bytes>,
}

impl Before {
    fn line(&mut self, inputs: &[InputRecord], id: LineId) -> Option<&[u8]> {
        let known = self.first.filter(|first| {
            first.input() == id.input()
                && first.line() <= id.line()
                && id.line() - first.line() < self.lines.len() as u64
        });
        let first = match known {
            Some(first) => first,
            None => {
                self.lines = inputs.get(id.input())?.kept.lines_at(id.line(), 512);
                self.first = Some(id);
                id
            }
        };
        self.lines.get((id.line() - first.line()) as usize).map(|line| &line[..])
    }
}

/// The verb, from the lines written and where each comes from. `declared` is what the program looks
/// like, for when nothing was read or written.
pub(crate) fn verb_of(
    declared: Verb,
    inputs: &[InputRecord],
    out: &Kept,
    origins: &OriginStore,
) -> Verb {
    let lines_in: u64 = inputs.iter().map(|input| input.kept.lines()).sum();
    let lines_out = out.lines();
    if lines_in == 0 {
        return if lines_out > 0 { Verb::Makes } else { declared };
    }
    if lines_out == 0 {
        return declared;
    }
    let (mut none, mut several, mut again) = (0, 0, 0);
    let (mut changed, mut back) = (0, 0);
    let mut last: Option<LineId> = None;
    let mut before = Before::default();
    let mut number = 0;
    while number < lines_out.min(LOOKED_AT) {
        let lines = out.lines_at(number, 256);
        if lines.is_empty() {
            break;
        }
        for line in lines {
            let of = origins.get(number);
            number += 1;
            match (of.len(), of.first()) {
                (0, _) | (_, None) => none += 1,
                (1, Some(id)) => {
                    again += u64::from(last == Some(id));
                    back += u64::from(last.is_some_and(|last| id < last));
                    last = Some(id);
                    changed += u64::from(before.line(inputs, id) != Some(&line[..]));
                }
                _ => several += 1,
            }
        }
    }
    if several > 0 || none >= number {
        return Verb::Merges;
    }
    if again > 0 && lines_out > lines_in {
        return Verb::Splits;
    }
    match (changed + none, back) {
        (0, 0) if again == 0 => Verb::Keeps,
        (0, _) if lines_out == lines_in => Verb::Orders,
        _ => Verb::Edits,
    }
}
