//! Plain words whose case does not count: found by the byte of them that is least common.

use memchr::memchr2_iter;

/// A piece of a word without regard to case. Every text that matches the word holds the piece.
#[derive(Clone, Debug)]
pub(crate) struct Folded {
    /// The whole word, in lower case.
    text: Vec<u8>,
    /// Where the piece begins in it.
    offset: usize,
    /// In lower case.
    piece: Vec<u8>,
    /// The byte looked for, as its place in the piece.
    at: usize,
    cases: [u8; 2],
}

/// Bytes from common to rare in text, about; those not listed are rare.
const COMMON: &[u8] = b" etaoinsrhldcumfpgwybvk0123456789.-_/:=,";

/// How rare a byte is in text: more for rarer ones.
pub(crate) fn rarity(byte: u8) -> usize {
    COMMON.iter().position(|other| *other == byte).unwrap_or(COMMON.len())
}

impl Folded {
    /// For a pattern text that means itself, but for case; `None` for any other.
    pub(crate) fn new(text: &[u8], fixed: bool) -> Option<Self> {
        let plain = |byte: &u8| {
            byte.is_ascii_alphanumeric()
                || matches!(
                    byte,
                    b' ' | b'-' | b'_' | b'=' | b':' | b'/' | b',' | b'@' | b'#' | b'%'
                )
                || fixed && byte.is_ascii_graphic()
        };
        if !text.iter().all(plain) {
            return None;
        }
        // Two letters have more cases than two, beyond ASCII; a piece must do without them.
        let pieces = text.split(|byte| matches!(byte, b'k' | b'K' | b's' | b'S'));
        let rank = rarity;
        let best =
            |piece: &[u8]| (0..piece.len()).max_by_key(|at| rank(piece[*at].to_ascii_lowercase()));
        let piece = pieces.max_by_key(|piece| {
            best(piece).map(|at| (piece.len().min(3), rank(piece[at].to_ascii_lowercase())))
        })?;
        let at = best(piece)?;
        let offset = piece.as_ptr() as usize - text.as_ptr() as usize;
        let (text, piece) = (text.to_ascii_lowercase(), piece.to_ascii_lowercase());
        let cases = [piece[at], piece[at].to_ascii_uppercase()];
        Some(Self { text, offset, piece, at, cases })
    }

    /// Where the piece is next, from `from` on, and whether the whole word is there, in letters of
    /// ASCII.
    #[inline]
    pub(crate) fn find(&self, block: &[u8], from: usize) -> Option<(usize, bool)> {
        let rest = block.get(from..)?;
        memchr2_iter(self.cases[0], self.cases[1], rest).find_map(|found| {
            let start = found.checked_sub(self.at)?;
            let part = rest.get(start..start + self.piece.len())?;
            if !part.eq_ignore_ascii_case(&self.piece) {
                return None;
            }
            let whole = start
                .checked_sub(self.offset)
                .and_then(|start| rest.get(start..start + self.text.len()));
            Some((from + start, whole.is_some_and(|whole| whole.eq_ignore_ascii_case(&self.text))))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_are_found_in_any_case() {
        let folded = Folded::new(b"Refused", false).unwrap();
        assert_eq!(folded.piece, b"refu");
        assert_eq!(folded.find(b"f passed REFUSED refused", 0), Some((9, true)));
        assert_eq!(folded.find(b"f passed REFUSED refused", 10), Some((17, true)));
        assert_eq!(folded.find("REFU\u{17f}ed".as_bytes(), 0), Some((0, false)));
        assert_eq!(folded.find(b"ref", 0), None);
        assert!(Folded::new(b"a.b", false).is_none());
        assert!(Folded::new(b"ks", false).is_none());
        assert!(Folded::new(b"", false).is_none());
    }
}
