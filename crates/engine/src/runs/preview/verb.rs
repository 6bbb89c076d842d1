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
    // Lines of another input between two of one do not change the order of these.
    let mut furthest: Vec<Option<LineId>> = vec![None; inputs.len()];
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
                    if let Some(of_input) = furthest.get_mut(id.input()) {
                        back += u64::from(of_input.is_some_and(|last| id < last));
                        *of_input = Some(id);
                    }
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

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use stream::{InputName, Origin};

    use super::*;

    /// The verb of a stage that read these lines and wrote those, each from lines of the input; a
    /// line from none of them has no numbers.
    fn verb(read: &str, written: &[(&str, &[u64])]) -> Verb {
        let kept = |text: &str| Arc::new(Kept::of(text.as_bytes()));
        let input = InputRecord::of(InputName::Standard, kept(read));
        let mut origins = OriginStore::default();
        let mut out = String::new();
        for (line, from) in written {
            out.push_str(line);
            out.push('\n');
            let ids: Vec<LineId> = from.iter().map(|line| LineId::new(0, *line)).collect();
            origins.push(1, Origin::List(&ids));
        }
        verb_of(Verb::Acts, &[input], &kept(&out), &origins)
    }

    #[test]
    fn the_verb_is_what_the_lines_show() {
        const READ: &str = "a\nb\nc\n";
        assert_eq!(verb("", &[]), Verb::Acts, "as declared");
        assert_eq!(verb("", &[("x", &[])]), Verb::Makes);
        assert_eq!(verb(READ, &[]), Verb::Acts);
        assert_eq!(verb(READ, &[("a", &[0]), ("c", &[2])]), Verb::Keeps);
        assert_eq!(verb(READ, &[("c", &[2]), ("b", &[1]), ("a", &[0])]), Verb::Orders);
        assert_eq!(verb(READ, &[("c", &[2]), ("a", &[0])]), Verb::Edits);
        assert_eq!(verb(READ, &[("a", &[0]), ("B", &[1])]), Verb::Edits);
        assert_eq!(verb(READ, &[("a", &[0]), ("new", &[])]), Verb::Edits);
        assert_eq!(verb(READ, &[("n", &[]), ("m", &[])]), Verb::Merges);
        assert_eq!(verb(READ, &[("a", &[0]), ("bc", &[1, 2])]), Verb::Merges);
        let twice: Vec<(&str, &[u64])> =
            ["a", "a", "b", "b"].into_iter().zip([&[0_u64][..], &[0], &[1], &[1]]).collect();
        assert_eq!(verb(READ, &twice), Verb::Splits);
        assert_eq!(verb(READ, &twice[..2]), Verb::Edits, "no more lines than were read");
        assert_eq!(verb(READ, &[("a", &[0]), ("a", &[0]), ("c", &[2])]), Verb::Orders);
    }

    #[test]
    fn lines_of_another_input_between_them_leave_an_order() {
        let kept = |text: &str| Arc::new(Kept::of(text.as_bytes()));
        let input = |text: &str| InputRecord::of(InputName::Standard, kept(text));
        let inputs = [input("a\nb\nc\n"), input("x\ny\n")];
        for (from, expected) in [
            (&[(0, 0), (1, 0), (0, 1), (1, 1), (0, 2)][..], Verb::Keeps),
            (&[(0, 0), (0, 1), (0, 2), (1, 0), (1, 1)], Verb::Keeps),
            (&[(1, 0), (0, 0), (1, 1), (0, 2), (0, 1)], Verb::Orders),
        ] {
            let mut origins = OriginStore::default();
            let mut out = String::new();
            for &(of, line) in from {
                out.push_str(["abc", "xy"][of].get(line..=line).unwrap());
                out.push('\n');
                origins.push(1, Origin::List(&[LineId::new(of, line as u64)]));
            }
            assert_eq!(verb_of(Verb::Acts, &inputs, &kept(&out), &origins), expected, "{from:?}");
        }
    }

    #[test]
    fn lines_far_apart_are_looked_up_where_they_are() {
        let read: String = (0..2_000).map(|number| format!("{number}\n")).collect();
        let far = [("1999", &[1999][..]), ("3", &[3]), ("600", &[600]), ("599", &[599])];
        assert_eq!(verb(&read, &far), Verb::Edits, "not all, and in another order");
        let all: Vec<(String, [u64; 1])> =
            (0..2_000_u64).map(|number| (number.to_string(), [number])).collect();
        let all: Vec<(&str, &[u64])> = all.iter().map(|(line, id)| (&line[..], &id[..])).collect();
        assert_eq!(verb(&read, &all), Verb::Keeps);
        let mut turned = all.clone();
        turned.reverse();
        assert_eq!(verb(&read, &turned), Verb::Orders);
    }
}
