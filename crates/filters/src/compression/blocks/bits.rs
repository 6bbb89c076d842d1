//! Bits of bzip2 data, the highest of a byte first, and the marks that stand between blocks. A mark
//! may begin at any bit.

/// Before a block.
pub(super) const BLOCK_MARK: u64 = 0x3141_5926_5359;
/// Before the checksum of a member.
pub(super) const END_MARK: u64 = 0x1772_4538_5090;
/// Bits of a mark.
pub(super) const MARK_BITS: u64 = 48;
/// Bits of the checksum that is after each mark.
pub(super) const SUM_BITS: u64 = 32;

/// For each value of a byte the bits of the byte before at which a mark begins that has it: a bit of
/// the table each.
const SECOND: [u8; 256] = {
    let mut table = [0; 256];
    let mut shift = 0;
    while shift < 8 {
        table[(BLOCK_MARK >> (32 + shift)) as usize & 0xff] |= 1 << shift;
        table[(END_MARK >> (32 + shift)) as usize & 0xff] |= 1 << shift;
        shift += 1;
    }
    table
};

/// Bytes of which the first is at a known place, read by bits.
#[derive(Default)]
pub(super) struct Bits {
    bytes: Vec<u8>,
    /// The place of the first byte.
    base: u64,
}

impl Bits {
    /// None yet; the first byte will stand at `base`.
    pub(super) fn new(base: u64) -> Self {
        Self { bytes: Vec::new(), base }
    }

    pub(super) fn push(&mut self, bytes: &[u8]) {
        self.bytes.extend_from_slice(bytes);
    }

    /// The first bit after those at hand.
    pub(super) fn end(&self) -> u64 {
        (self.base + self.bytes.len() as u64) * 8
    }

    /// Lets go of the bytes before a bit, once they are most of what is at hand: what is left is moved.
    pub(super) fn forget(&mut self, before: u64) {
        let bytes = self.index(before).min(self.bytes.len());
        if bytes > self.bytes.len() / 2 {
            self.bytes.drain(..bytes);
            self.base += bytes as u64;
        }
    }

    fn index(&self, bit: u64) -> usize {
        (bit / 8).saturating_sub(self.base) as usize
    }

    /// The bytes from one on, whose first bit this is.
    pub(super) fn bytes_from(&self, bit: u64) -> &[u8] {
        &self.bytes[self.index(bit).min(self.bytes.len())..]
    }

    /// Up to 56 bits from this one on; `None` where they are not all there.
    pub(super) fn get(&self, bit: u64, count: u64) -> Option<u64> {
        if bit + count > self.end() {
            return None;
        }
        let mut eight = [0; 8];
        let from = self.bytes_from(bit);
        let there = from.len().min(8);
        eight[..there].copy_from_slice(&from[..there]);
        let value = u64::from_be_bytes(eight) << (bit % 8);
        Some(value >> (64 - count))
    }

    /// The first mark that begins at this bit or after it.
    pub(super) fn find_mark(&self, from: u64) -> Option<u64> {
        let bytes = self.bytes_from(from);
        let base = from / 8 * 8;
        for (at, second) in bytes.iter().enumerate().skip(1) {
            let mut begins = SECOND[usize::from(*second)];
            while begins != 0 {
                let begin = begins.trailing_zeros();
                begins &= !(1 << begin);
                let bit = base + (at as u64 - 1) * 8 + u64::from(begin);
                let mark = self.get(bit, MARK_BITS);
                if bit >= from && mark.is_some_and(|mark| mark == BLOCK_MARK || mark == END_MARK) {
                    return Some(bit);
                }
            }
        }
        None
    }

    /// The bits from one on to before another as bytes, with those that fill the last byte, as far as
    /// they are at hand.
    pub(super) fn copy(&self, from: u64, to: u64, out: &mut Vec<u8>) {
        let bytes = self.bytes_from(from);
        let count = to.saturating_sub(from).div_ceil(8) as usize;
        let shift = from % 8;
        if shift == 0 {
            out.extend_from_slice(&bytes[..count.min(bytes.len())]);
        } else {
            let pairs = bytes.windows(2).take(count);
            out.extend(pairs.map(|pair| pair[0] << shift | pair[1] >> (8 - shift)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The bits as text.
    fn text(bits: &Bits, from: u64, to: u64) -> String {
        (from..to).map(|bit| if bits.get(bit, 1) == Some(1) { '1' } else { '0' }).collect()
    }

    proptest! {
        #[test]
        fn marks_are_found_at_every_bit(
            before in 0_u64..200,
            after in 0_u64..100,
            base in 0_u64..9,
            from in 0_u64..300,
            end in any::<bool>(),
        ) {
            let mark = if end { END_MARK } else { BLOCK_MARK };
            let written: String = (0..before).map(|_| '0')
                .chain(format!("{mark:048b}").chars())
                .chain((0..after).map(|_| '0'))
                .collect();
            let mut bits = Bits::new(base);
            for byte in written.as_bytes().chunks(8) {
                let byte = byte.iter().fold(0, |value, bit| value << 1 | (bit - b'0')) << (8 - byte.len());
                bits.push(&[byte]);
            }
            let from = base * 8 + from;
            let at = base * 8 + before;
            prop_assert_eq!(bits.find_mark(from), (from <= at).then_some(at));
            prop_assert_eq!(text(&bits, at, at + 48), format!("{mark:048b}"));
        }

        #[test]
        fn bits_are_copied_from_anywhere(
            bytes in prop::collection::vec(any::<u8>(), 0..20),
            from in 0_u64..100,
            count in 0_u64..100,
        ) {
            let mut bits = Bits::new(3);
            bits.push(&bytes);
            let from = (24 + from).min(bits.end());
            let to = (from + count).min(bits.end());
            let mut out = vec![0xaa];
            bits.copy(from, to, &mut out);
            let mut copied = Bits::new(0);
            copied.push(&out[1..]);
            // Whole bytes of what is there: up to seven bits more, or less at the end.
            let end = from + copied.end();
            prop_assert!(end <= bits.end() && end < to + 8 && end + 8 > to);
            prop_assert!(end >= to || end + 8 > bits.end());
            prop_assert_eq!(text(&copied, 0, copied.end()), text(&bits, from, end));
            bits.forget(from);
            prop_assert_eq!(bits.get(from, 9), (from + 9 <= bits.end()).then(|| {
                u64::from_str_radix(&text(&bits, from, from + 9), 2).unwrap()
            }));
        }
    }

    #[test]
    fn no_mark_begins_soon_after_another() {
        for first in [BLOCK_MARK, END_MARK] {
            for second in [BLOCK_MARK, END_MARK] {
                for after in 1..40 {
                    assert_ne!(first & ((1 << (48 - after)) - 1), second >> after);
                }
            }
        }
    }
}
