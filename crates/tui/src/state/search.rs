//! The search in the lens: first the lines that have the text, in one pass over the bytes, then the rows
//! that show them.

use std::time::{Duration, Instant};

use bytes::Bytes;
use engine::{Kept, Preview, StageResult};
use memchr::memmem::Finder;

use crate::state::lens::{Content, MATCHES_MAX};

/// So often what was found so far is told.
const NEWS: Duration = Duration::from_millis(100);

/// Bytes that are read at once.
const PART: usize = 1 << 20;

/// Searches all rows. `tell` is given all rows found so far, after the first one and then now and then;
/// it says whether to go on. Holds a number for each line that has the text, 1 000 000 at most.
pub(crate) fn search(
    preview: &Preview,
    content: &Content,
    query: &str,
    mut tell: impl FnMut(&[u32]) -> bool,
) -> Vec<u32> {
    let mut found = Vec::new();
    let mut told = None::<Instant>;
    let mut go_on = |found: &[u32]| {
        let due = match told {
            None => !found.is_empty(),
            Some(last) => last.elapsed() > NEWS,
        };
        if due {
            told = Some(Instant::now());
        }
        // Nothing new is asked for, too: somebody may want it to end.
        tell(if due { found } else { &[] })
    };
    match content {
        Content::Empty => {}
        Content::Stream { kept, lines } => {
            lines_with(kept, query, &mut |line| {
                if line < *lines {
                    found.push(line as u32);
                }
                found.len() < MATCHES_MAX && go_on(&found)
            });
        }
        Content::Bytes { kept, bytes, row } => {
            for at in 0..bytes.div_ceil(*row) {
                // A match may go over the end of the row it begins in.
                let more = (*row as usize + query.len()).saturating_sub(1);
                if has(&kept.bytes_at(at * row, more), query) {
                    found.push(at as u32);
                }
                if found.len() >= MATCHES_MAX || at.is_multiple_of(512) && !go_on(&found) {
                    break;
                }
            }
        }
        Content::Stage { stage, rows } => {
            let Some(result) = preview.stages.get(*stage) else { return found };
            let Some((left, right)) = hits(result, query, &mut || go_on(&[])) else {
                return found;
            };
            let in_input = |from: u64, count: u64| {
                let at = left.partition_point(|line| *line < from);
                left.get(at).is_some_and(|line| *line < from + count)
            };
            for at in 0..rows.len() {
                let Some(row) = rows.row(at) else { break };
                let of_input = row.left.is_some_and(|from| in_input(from, row.folded.unwrap_or(1)));
                let of_output = row.right.is_some_and(|line| right.binary_search(&line).is_ok());
                if of_input || of_output {
                    found.push(at as u32);
                }
                if found.len() >= MATCHES_MAX
                    || (found.len() == 1 || at.is_multiple_of(512)) && !go_on(&found)
                {
                    break;
                }
            }
        }
    }
    found
}

/// The lines of all inputs, one after the other, and of the output that have the text; `None` when it is to
/// end.
fn hits(
    stage: &StageResult,
    query: &str,
    go_on: &mut dyn FnMut() -> bool,
) -> Option<(Vec<u64>, Vec<u64>)> {
    let (mut left, mut right, mut before) = (Vec::new(), Vec::new(), 0);
    let mut ended = false;
    for input in &stage.inputs {
        lines_with(&input.kept, query, &mut |line| {
            left.push(before + line);
            ended |= left.len().is_multiple_of(4096) && !go_on();
            !ended && left.len() < MATCHES_MAX
        });
        before += input.kept.lines();
    }
    lines_with(&stage.out, query, &mut |line| {
        right.push(line);
        ended |= right.len().is_multiple_of(4096) && !go_on();
        !ended && right.len() < MATCHES_MAX
    });
    (!ended && go_on()).then_some((left, right))
}

/// True where the bytes have the text; letters match in either case unless the text has a capital.
fn has(bytes: &[u8], query: &str) -> bool {
    !super::lens::matches(bytes, query).is_empty()
}

/// Gives the numbers of the lines with the text, in order and each once, until `found` says no.
fn lines_with(kept: &Kept, query: &str, found: &mut dyn FnMut(u64) -> bool) {
    if query.is_empty() {
        return;
    }
    let folds = !query.chars().any(char::is_uppercase);
    let finder = Finder::new(query);
    let (mut read, mut lines) = (0, 0);
    let mut rest: Vec<u8> = Vec::new();
    loop {
        let bytes = Bytes::from(kept.bytes_at(read, PART));
        let ended = bytes.is_empty();
        read += bytes.len() as u64;
        // Whole lines, with what was left of the block before.
        let end =
            if ended { bytes.len() } else { memchr::memrchr(b'\n', &bytes).map_or(0, |at| at + 1) };
        let whole: Bytes = if rest.is_empty() {
            bytes.slice(..end)
        } else if end > 0 || ended {
            rest.extend_from_slice(&bytes[..end]);
            std::mem::take(&mut rest).into()
        } else {
            Bytes::new()
        };
        rest.extend_from_slice(&bytes[end..]);
        let folded;
        let text: &[u8] = if folds {
            folded = whole.to_ascii_lowercase();
            &folded
        } else {
            &whole
        };
        let mut counted = 0;
        let mut at = 0;
        while let Some(hit) = finder.find(&text[at..]) {
            let hit = at + hit;
            lines += memchr::memchr_iter(b'\n', &text[counted..hit]).count() as u64;
            counted = hit;
            if !found(lines) {
                return;
            }
            // On to the next line.
            match memchr::memchr(b'\n', &text[hit..]) {
                Some(newline) => at = hit + newline + 1,
                None => break,
            }
        }
        lines += memchr::memchr_iter(b'\n', &text[counted..]).count() as u64;
        if ended {
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn the_lines_are_those_that_have_it(
            lines in proptest::collection::vec("[abA ]{0,4}", 0..40), open in any::<bool>(),
            query in "[abA]{1,2}",
        ) {
            let mut text: String = lines.iter().map(|line| format!("{line}\n")).collect();
            if open {
                text.pop();
            }
            let mut found = Vec::new();
            lines_with(&Kept::of(text.as_bytes()), &query, &mut |line| {
                found.push(line);
                true
            });
            let expected: Vec<u64> = text
                .lines()
                .enumerate()
                .filter(|(_, line)| has(line.as_bytes(), &query))
                .map(|(at, _)| at as u64)
                .collect();
            prop_assert_eq!(found, expected);
        }
    }

    #[test]
    fn much_is_searched_piece_by_piece_and_told_at_once() {
        let text: String = (0..300_000).map(|at| format!("line {at}\n")).collect();
        let kept = std::sync::Arc::new(Kept::of(text.as_bytes()));
        let mut found = Vec::new();
        lines_with(&kept, "LINE 299", &mut |_| panic!("a capital is one"));
        lines_with(&kept, "line 2999", &mut |line| {
            found.push(line);
            true
        });
        assert_eq!(found.len(), 111);
        assert!(found.iter().all(|line| format!("line {line}").starts_with("line 2999")));
    }
}
