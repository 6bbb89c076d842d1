//! Reads a stream and counts its columns.

use stream::{ReadError, Source};

use super::detect::{Candidate, LOOKED_AT, candidates};
use super::form::Form;
use super::splitting::Splitting;
use super::survey::Survey;

/// Bytes that are read before it is found how lines are split.
const FIRST: usize = 1 << 20;

/// Bytes of a line that are looked at; the rest of it is passed over.
const LINE: usize = 1 << 24;

/// Reads a stream to its end, or until `goes_on` says no, which is shown after every block what was
/// found. Lines are split as asked, or as the first lines suggest; those ways are given too.
///
/// # Errors
/// What the source says; what was counted until then is lost.
pub fn read_columns(
    source: &mut dyn Source,
    splitting: Option<Splitting>,
    mut goes_on: impl FnMut(&Survey, &[Candidate]) -> bool,
) -> Result<(Survey, Vec<Candidate>), ReadError> {
    let mut waiting = Vec::new();
    let mut ended = false;
    while waiting.len() < FIRST && !ended {
        match source.next_block()? {
            Some(block) => waiting.extend_from_slice(block.bytes()),
            None => ended = true,
        }
    }
    let whole = match memchr::memrchr(b'\n', &waiting) {
        _ if ended => waiting.len(),
        Some(last) => last + 1,
        None => 0,
    };
    let first = if whole > 0 { &waiting[..whole] } else { &waiting };
    let first: Vec<&[u8]> = lines(first).take(LOOKED_AT).collect();
    let found = candidates(&first);
    let splitting = splitting.unwrap_or_else(|| found[0].splitting.clone());
    let mut survey = Survey::new(Form::of(&first, splitting));
    survey.feed_whole(&waiting[..whole]);
    waiting.drain(..whole);
    let mut passing = false;
    while !ended && goes_on(&survey, &found) {
        let Some(block) = source.next_block()? else { break };
        let mut rest = &block.bytes()[..];
        if !waiting.is_empty() || passing {
            let end = memchr::memchr(b'\n', rest).map(|at| at + 1);
            let room = LINE.saturating_sub(waiting.len());
            let piece = &rest[..end.unwrap_or(rest.len())];
            waiting.extend_from_slice(&piece[..piece.len().min(room)]);
            passing = end.is_none();
            let Some(end) = end else { continue };
            survey.feed_whole(&waiting);
            waiting.clear();
            rest = &rest[end..];
        }
        let whole = memchr::memrchr(b'\n', rest).map_or(0, |last| last + 1);
        survey.feed_whole(&rest[..whole]);
        waiting.extend_from_slice(&rest[whole..]);
    }
    survey.feed_whole(&waiting);
    Ok((survey, found))
}

fn lines(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    let text = text.strip_suffix(b"\n").unwrap_or(text);
    text.split(|byte| *byte == b'\n')
}

#[cfg(test)]
mod tests {
    use super::*;
    use stream::Block;

    /// A source of blocks of one size.
    struct Pieces(Vec<u8>, usize, usize);

    impl Source for Pieces {
        fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
            let end = self.0.len().min(self.1 + self.2);
            let piece = self.0[self.1..end].to_vec();
            self.1 = end;
            Ok((!piece.is_empty()).then(|| Block::new(piece)))
        }
    }

    #[test]
    fn pieces_of_any_size_give_the_same() {
        let text: String = (0..60_000)
            .map(|at| format!("{at} gate-{:02} {}\n", at % 22, "x".repeat(at % 40)))
            .collect();
        assert!(text.len() > FIRST);
        let read = |size: usize, text: &str| {
            let mut source = Pieces(text.as_bytes().to_vec(), 0, size);
            let (survey, found) = read_columns(&mut source, None, |_, _| true).unwrap();
            assert!(!found.is_empty());
            format!("{:?}", survey.table())
        };
        let whole = read(text.len(), &text);
        assert!(whole.contains("Exact(22)"), "{whole}");
        for size in [1 << 16, 7_919] {
            assert_eq!(read(size, &text), whole);
        }
        assert_eq!(read(1, "a b\nc d"), read(99, "a b\nc d"));
        assert_eq!(read(3, ""), read(1, ""));
    }

    #[test]
    fn a_line_without_end_is_not_held() {
        let text = vec![b'x'; LINE + FIRST * 3];
        let mut source = Pieces([text, b"\nend y\n".to_vec()].concat(), 0, 1 << 16);
        let (survey, _) = read_columns(&mut source, Some(Splitting::Blanks), |_, _| true).unwrap();
        assert_eq!(survey.lines(), 2);
        let table = survey.table();
        assert_eq!(table.columns[0].width, LINE);
        assert_eq!(table.columns[1].largest.as_deref(), Some(&b"y"[..]));
    }

    #[test]
    fn it_stops_when_told() {
        let mut source = Pieces(b"a b\n".repeat(1_000_000), 0, 1 << 16);
        let (survey, _) = read_columns(&mut source, None, |_, _| false).unwrap();
        assert!(survey.lines() < 500_000);
    }
}
