//! What becomes of each byte, worked out once, so that most text needs no look-up by character.

use super::apply::{Action, State};
use super::sets::{BROKEN, Symbol, decode, encode};

/// Below this, characters of two bytes have a place of their own in [`Table::near`].
const NEAR: Symbol = 0x800;

/// What becomes of a byte or a character.
#[derive(Clone, Copy)]
struct Effect(u32);

impl Effect {
    /// Goes away.
    const DROPPED: u32 = 1 << 31;
    /// Is one of those of which repeats are made one.
    const SQUEEZED: u32 = 1 << 30;
    /// The byte alone does not tell: it begins a character, or becomes one.
    const SPECIAL: u32 = 1 << 29;

    fn of(action: &Action, symbol: Symbol) -> Self {
        match action.translated(symbol) {
            None => Self(symbol | Self::DROPPED),
            Some(to) if action.squeezes(to) => Self(to | Self::SQUEEZED),
            Some(to) => Self(to),
        }
    }

    fn symbol(self) -> Symbol {
        self.0 & (Self::SPECIAL - 1)
    }

    fn is(self, flag: u32) -> bool {
        self.0 & flag != 0
    }
}

/// The effects of an [`Action`], by byte where that is enough.
pub(super) struct Table {
    bytes: [Effect; 256],
    /// By character, from 0x80.
    near: Vec<Effect>,
    /// Some byte is special.
    has_special: bool,
    /// A byte below 0x80 is.
    has_special_ascii: bool,
    /// Some byte goes away.
    drops: bool,
    /// Repeats matter.
    squeezes: bool,
    /// All it does is drop these bytes, at most three.
    only_drops: Option<Vec<u8>>,
}

/// Bytes worked on in one go.
const PIECE: usize = 4096;

impl Table {
    pub(super) fn of(action: &Action) -> Self {
        let mut bytes = [Effect(0); 256];
        for byte in 0..0x80_u32 {
            let effect = Effect::of(action, byte);
            let one_byte = effect.is(Effect::DROPPED) || effect.symbol() < 0x80;
            let flag = if one_byte { 0 } else { Effect::SPECIAL };
            bytes[byte as usize] = Effect(effect.0 | flag);
        }
        let has_special_ascii = bytes[..0x80].iter().any(|effect| effect.is(Effect::SPECIAL));
        // Characters of several bytes that all stay, or all go, are no more than their bytes.
        let beyond = action.beyond_ascii();
        let flag = match beyond {
            Some(true) => 0,
            Some(false) => Effect::DROPPED,
            None => Effect::SPECIAL,
        };
        for byte in 0x80..0x100_u32 {
            bytes[byte as usize] = Effect(byte | flag);
        }
        let near = match beyond {
            Some(_) => Vec::new(),
            None => (0x80..NEAR).map(|symbol| Effect::of(action, symbol)).collect(),
        };
        let has_special = beyond.is_none() || has_special_ascii;
        let squeezes = action.has_squeeze();
        let dropped = |byte: &u8| bytes[usize::from(*byte)].is(Effect::DROPPED);
        let stays = |byte: u8| bytes[usize::from(byte)].0 == u32::from(byte);
        let drops = bytes.iter().any(|effect| effect.is(Effect::DROPPED));
        let plain = !has_special && !squeezes;
        let only_drops = (plain && (0..=255).all(|byte| stays(byte) || dropped(&byte)))
            .then(|| (0..=255).filter(dropped).collect::<Vec<u8>>())
            .filter(|dropped| (1..=3).contains(&dropped.len()));
        Self { bytes, near, has_special, has_special_ascii, drops, squeezes, only_drops }
    }

    /// Appends what becomes of `bytes`, which end no character in the middle.
    pub(super) fn apply(
        &self,
        action: &Action,
        bytes: &[u8],
        state: &mut State,
        out: &mut Vec<u8>,
    ) {
        if let Some(dropped) = &self.only_drops {
            return drop_all(dropped, bytes, out);
        }
        for piece in pieces(bytes) {
            if self.has_special && (self.has_special_ascii || !piece.is_ascii()) {
                self.special(action, piece, state, out);
            } else {
                self.plain(piece, state, out);
            }
        }
    }

    /// A piece none of whose bytes is special: each becomes one byte or none. No branch depends
    /// on the data, which nobody could foresee.
    #[allow(clippy::needless_bitwise_bool)]
    fn plain(&self, piece: &[u8], state: &mut State, out: &mut Vec<u8>) {
        // A piece has at most this many bytes, and as many are kept: the mask changes nothing but
        // spares looking whether there is room.
        let mut target = [0_u8; PIECE];
        let mut length = 0;
        if self.squeezes && !self.drops {
            // Each byte is compared with the one before, not with what became of all before.
            let mut last = state.last.unwrap_or(u32::MAX);
            for &byte in piece {
                let effect = self.bytes[usize::from(byte)];
                let to = effect.symbol();
                target[length % PIECE] = to as u8;
                length += usize::from(!(effect.is(Effect::SQUEEZED) & (to == last)));
                last = to;
            }
            state.last = (last != u32::MAX).then_some(last);
        } else if self.squeezes {
            let mut last = state.last.unwrap_or(u32::MAX);
            for &byte in piece {
                let effect = self.bytes[usize::from(byte)];
                let to = effect.symbol();
                let dropped = effect.is(Effect::DROPPED);
                let repeated = effect.is(Effect::SQUEEZED) & (to == last);
                target[length % PIECE] = to as u8;
                length += usize::from(!(dropped | repeated));
                last = if dropped { last } else { to };
            }
            state.last = (last != u32::MAX).then_some(last);
        } else if !self.drops {
            let translated = piece.iter().map(|&byte| self.bytes[usize::from(byte)].0 as u8);
            return out.extend(translated);
        } else {
            for &byte in piece {
                let effect = self.bytes[usize::from(byte)];
                target[length % PIECE] = effect.0 as u8;
                length += usize::from(!effect.is(Effect::DROPPED));
            }
        }
        out.extend_from_slice(&target[..length]);
    }

    /// A piece with special bytes.
    fn special(&self, action: &Action, piece: &[u8], state: &mut State, out: &mut Vec<u8>) {
        let mut last = state.last;
        let mut rest = piece;
        out.reserve(piece.len());
        while let Some((&byte, after)) = rest.split_first() {
            let effect = self.bytes[usize::from(byte)];
            let special = effect.is(Effect::SPECIAL);
            let (effect, length) = match (byte, after.first()) {
                _ if !special => (effect, 1),
                // Most that is not ASCII is of two bytes.
                (0xc2..0xe0, Some(&next @ 0x80..0xc0)) if !self.near.is_empty() => {
                    let symbol = Symbol::from(byte & 0x1f) << 6 | Symbol::from(next & 0x3f);
                    (self.near[(symbol - 0x80) as usize], 2)
                }
                _ => {
                    let (symbol, length) = decode(rest);
                    (Effect::of(action, symbol), length)
                }
            };
            rest = &rest[length..];
            if effect.is(Effect::DROPPED) {
                continue;
            }
            let to = effect.symbol();
            if !(effect.is(Effect::SQUEEZED) && last == Some(to)) {
                if special && to >= 0x80 { encode(to, out) } else { out.push(to as u8) }
            }
            last = Some(to);
        }
        state.last = last;
    }
}

/// Appends the bytes that are none of `dropped`.
fn drop_all(dropped: &[u8], bytes: &[u8], out: &mut Vec<u8>) {
    let mut from = 0;
    let mut keep = |at: usize| {
        out.extend_from_slice(&bytes[from..at]);
        from = at + 1;
    };
    match *dropped {
        [one] => memchr::memchr_iter(one, bytes).for_each(&mut keep),
        [one, two] => memchr::memchr2_iter(one, two, bytes).for_each(&mut keep),
        [one, two, three] => memchr::memchr3_iter(one, two, three, bytes).for_each(&mut keep),
        _ => {}
    }
    out.extend_from_slice(&bytes[from..]);
}

/// Cuts bytes into pieces that fit the nearest cache, never within a character.
fn pieces(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    let mut rest = bytes;
    std::iter::from_fn(move || {
        if rest.is_empty() {
            return None;
        }
        let mut end = rest.len().min(PIECE);
        let goes_on = |at: usize| at < rest.len() && (0x80..0xc0).contains(&rest[at]);
        if let Some(back) = (0..4).find(|back| end > *back && !goes_on(end - back)) {
            end -= back;
        }
        let (piece, after) = rest.split_at(end);
        rest = after;
        Some(piece)
    })
}

const _: () = assert!(BROKEN + 0x100 < Effect::SPECIAL);

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::apply::Options;
    use super::super::sets::Set;
    use super::*;

    proptest! {
        /// The table does what the action does to one character after the other.
        #[test]
        fn a_table_is_its_action(
            first in "(a-f|0-9|ą|ę|é| |\\\\n|x|[:alpha:]|€){0,4}",
            second in "(A-F|Ż|z|_|\\\\n|€){1,3}",
            delete: bool,
            squeeze: bool,
            complement: bool,
            data in prop::collection::vec(
                prop_oneof![
                    Just(b"aab  ".to_vec()), Just("ąąę€€".as_bytes().to_vec()),
                    Just(b"09\n\nx".to_vec()), Just(vec![0xc4]), Just(vec![0xff, 0x80, 0x80]),
                ],
                0..40,
            ),
            times in prop_oneof![Just(1_usize), Just(700)],
        ) {
            let data = data.concat().repeat(times);
            let (first, second) = (first.replace('|', ""), second.replace('|', ""));
            let first = Set::parse(first.as_bytes(), false).unwrap();
            let second = Set::parse(second.as_bytes(), true).unwrap();
            let options = Options {
                delete, squeeze, complement, translate: !delete, truncate: false,
            };
            let Ok(action) = Action::new(first, Some(second), options) else { return Ok(()) };
            let mut plain = Vec::new();
            let (mut rest, mut last) = (&data[..], None);
            while !rest.is_empty() {
                let (symbol, length) = decode(rest);
                rest = &rest[length..];
                let Some(symbol) = action.translated(symbol) else { continue };
                if !(last == Some(symbol) && action.squeezes(symbol)) {
                    encode(symbol, &mut plain);
                }
                last = Some(symbol);
            }
            let (table, mut out) = (Table::of(&action), Vec::new());
            table.apply(&action, &data, &mut State::default(), &mut out);
            prop_assert_eq!(out, plain);
        }
    }
}
