//! Keys as numbers of eight bytes.

use super::super::compare::{Number, general_value, month};
use super::{Kind, Order};

/// How much of a key a number tells.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in super::super) enum Told {
    /// All of it: keys with the same number are equal.
    All,
    /// Its next eight bytes, and there are more: keys with the same number share those.
    Eight,
    /// Less: keys with the same number may be anything.
    Unclear,
}

impl Order {
    /// A number that orders as the first key does from byte `depth` on, as far as it goes, and how
    /// far that is. Where a `depth` is given all keys compared go on behind that byte.
    #[inline]
    pub(in super::super) fn told(&self, line: &[u8], depth: usize) -> (u64, Told) {
        let key = &self.keys[0];
        let part = &line[key.range(line, self.separator)];
        let all_if = |all: bool| if all { Told::All } else { Told::Unclear };
        let (number, told) = match key.how.kind {
            Kind::Numeric => {
                let number = Number::parse(part);
                (number.prefix(), all_if(number.is_exact()))
            }
            Kind::General => {
                let number = general_value(part).prefix();
                // What is no number, and what is none by name, are told apart otherwise.
                (number, all_if(number >= 2))
            }
            Kind::Month => (u64::from(month(part)), Told::All),
            Kind::Text if !self.zero => {
                let mut eight = [0u8; 8];
                let (length, goes_on) = if key.how.reading.is_plain() {
                    let rest = &part[depth.min(part.len())..];
                    let length = rest.len().min(8);
                    eight[..length].copy_from_slice(&rest[..length]);
                    (length, rest.len() > 8)
                } else {
                    let mut rest = key.how.reading.bytes(part).skip(depth);
                    let mut length = 0;
                    for (place, byte) in eight.iter_mut().zip(rest.by_ref().take(8)) {
                        *place = byte;
                        length += 1;
                    }
                    (length, rest.next().is_some())
                };
                // A zero byte cannot be told from the end.
                let told =
                    if goes_on { Told::Eight } else { all_if(!eight[..length].contains(&0)) };
                (u64::from_be_bytes(eight), told)
            }
            _ => return (self.prefix(line, 0), Told::Unclear),
        };
        (if key.how.reverse { !number } else { number }, told)
    }
}
