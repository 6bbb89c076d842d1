//! What `tr` does to characters, and a fast form for whole blocks of bytes.

use foldhash::{HashMap, HashMapExt, HashSet};
use std::ops::Range;

use super::sets::{Set, Symbol, decode};
use crate::spec::Verb;

#[derive(Clone, Copy)]
pub(super) struct Options {
    pub(super) delete: bool,
    pub(super) squeeze: bool,
    pub(super) complement: bool,
    pub(super) translate: bool,
    pub(super) truncate: bool,
}

/// The work to do on each character: delete, else translate, then squeeze.
pub(super) struct Action {
    delete: Option<Membership>,
    map: HashMap<Symbol, Symbol>,
    /// What every character outside the first set becomes (`-c`).
    others: Option<(HashSet<Symbol>, Symbol)>,
    squeeze: Option<Membership>,
}

struct Membership {
    symbols: HashSet<Symbol>,
    complement: bool,
}

impl Membership {
    fn holds(&self, symbol: Symbol) -> bool {
        self.symbols.contains(&symbol) != self.complement
    }
}

/// What must be remembered from one block to the next.
#[derive(Default)]
pub(super) struct State {
    pub(super) last: Option<Symbol>,
}

const NEWLINE: Symbol = b'\n' as Symbol;

/// Refuses second sets that would not say what each character becomes (XCU tr, Extended
/// Description).
fn check(first: &Set, second: &Set, options: Options) -> Result<(), String> {
    let refuse = |why: &str| Err(why.to_owned());
    if second.notation.equivalent {
        return refuse("[=c=] expressions may not appear in string2 when translating");
    }
    if second.notation.other_class {
        return refuse(
            "when translating, the only character classes that may appear in\n\
             string2 are 'upper' and 'lower'",
        );
    }
    // With -c the first set has all the other characters, which are more than any second one.
    let missing = if options.complement {
        usize::MAX
    } else {
        first.symbols.len().saturating_sub(second.symbols.len())
    };
    if !options.complement {
        // A fill before a class moves it.
        let place = |at: usize| match second.fill {
            Some((fill, _)) if fill <= at => at + missing,
            _ => at,
        };
        if second.cases.iter().any(|at| !first.cases.contains(&place(*at))) {
            return refuse("misaligned [:upper:] and/or [:lower:] construct");
        }
    }
    if missing > 0 && !options.truncate && second.fill.is_none() {
        if second.symbols.is_empty() {
            return refuse("when not truncating set1, string2 must be non-empty");
        }
        if second.notation.ends_with_class {
            return refuse(
                "when translating with string1 longer than string2,\n\
                 the latter string must not end with a character class",
            );
        }
    }
    let filled = second.fill.map(|(_, symbol)| symbol);
    let mut symbols = second.symbols.iter().copied().chain(filled);
    let one = symbols.next();
    if options.complement && first.notation.class && symbols.any(|other| Some(other) != one) {
        return refuse(
            "when translating with complemented character classes,\n\
             string2 must map all characters in the domain to one",
        );
    }
    Ok(())
}

impl Action {
    pub(super) fn new(first: Set, second: Option<Set>, options: Options) -> Result<Self, String> {
        let mut action = Self { delete: None, map: HashMap::new(), others: None, squeeze: None };
        let members = |set: &Set| set.symbols.iter().copied().collect::<HashSet<Symbol>>();
        let of_first = Membership { symbols: members(&first), complement: options.complement };
        if options.delete {
            action.delete = Some(of_first);
            if let (true, Some(second)) = (options.squeeze, &second) {
                let symbols = members(second);
                action.squeeze = Some(Membership { symbols, complement: false });
            }
            return Ok(action);
        }
        let Some(second) = second.filter(|_| options.translate) else {
            action.squeeze = Some(of_first);
            return Ok(action);
        };
        check(&first, &second, options)?;
        if options.complement {
            let last = second.fill.map(|(_, symbol)| symbol).or(second.symbols.last().copied());
            if let Some(last) = last {
                action.others = Some((of_first.symbols, last));
            }
        } else {
            let mut from = first.symbols.clone();
            let to = if options.truncate {
                second.symbols.clone()
            } else {
                second.stretched(from.len())
            };
            if options.truncate {
                from.truncate(to.len());
            }
            // A character given twice has its last partner.
            action.map = from.into_iter().zip(to).collect();
        }
        if options.squeeze {
            let mut symbols = members(&second);
            symbols.extend(second.fill.map(|(_, symbol)| symbol));
            action.squeeze = Some(Membership { symbols, complement: false });
        }
        Ok(action)
    }

    /// What a character becomes before repeats are looked at; `None` where it is dropped.
    #[inline]
    pub(super) fn translated(&self, symbol: Symbol) -> Option<Symbol> {
        if self.delete.as_ref().is_some_and(|delete| delete.holds(symbol)) {
            return None;
        }
        if let Some((first, last)) = &self.others {
            return Some(if first.contains(&symbol) { symbol } else { *last });
        }
        Some(self.map.get(&symbol).copied().unwrap_or(symbol))
    }

    /// True where repeats of a character are made one.
    #[inline]
    pub(super) fn squeezes(&self, symbol: Symbol) -> bool {
        self.squeeze.as_ref().is_some_and(|squeeze| squeeze.holds(symbol))
    }

    /// True where repeats of any are.
    pub(super) fn has_squeeze(&self) -> bool {
        self.squeeze.is_some()
    }

    /// True where everything beyond ASCII stays and repeats of it do, false where all of it is
    /// dropped, `None` where that is not so simple.
    pub(super) fn beyond_ascii(&self) -> Option<bool> {
        let ascii = |symbol: &Symbol| *symbol < 0x80;
        if let Some(delete) = &self.delete
            && delete.complement
            && delete.symbols.iter().all(ascii)
        {
            return Some(false);
        }
        let bare = |members: &Option<Membership>| {
            members
                .as_ref()
                .is_none_or(|members| !members.complement && members.symbols.iter().all(ascii))
        };
        let stays = self.others.is_none() && self.map.keys().all(ascii);
        (stays && bare(&self.delete) && bare(&self.squeeze)).then_some(true)
    }

    /// The characters of a line that do not stay as they are.
    pub(super) fn changed(&self, line: &[u8]) -> Vec<Range<usize>> {
        let mut ranges: Vec<Range<usize>> = Vec::new();
        let (mut at, mut last) = (0, None);
        while at < line.len() {
            let (symbol, length) = decode(&line[at..]);
            let becomes = self.translated(symbol);
            let squeezed = becomes.is_some()
                && last == becomes
                && becomes.is_some_and(|symbol| self.squeezes(symbol));
            if becomes.is_some() {
                last = becomes;
            }
            if becomes != Some(symbol) || squeezed {
                match ranges.last_mut() {
                    Some(range) if range.end == at => range.end = at + length,
                    _ => ranges.push(at..at + length),
                }
            }
            at += length;
        }
        ranges
    }

    pub(super) fn keeps_lines(&self) -> bool {
        let squeezed = self.squeezes(NEWLINE);
        let made = match &self.others {
            Some((first, last)) => *last == NEWLINE && first.len() < 0x11_0000,
            None => self.map.iter().any(|(from, to)| *to == NEWLINE && *from != NEWLINE),
        };
        !squeezed && !made && self.translated(NEWLINE) == Some(NEWLINE)
    }

    /// The verb where lines do not stay lines.
    pub(super) fn line_verb(&self) -> Verb {
        if self.translated(NEWLINE) != Some(NEWLINE) {
            Verb::Merges
        } else if self.squeezes(NEWLINE) {
            Verb::Keeps
        } else {
            Verb::Splits
        }
    }

    /// A map of bytes, where each character is replaced by one of the same length and nothing
    /// is dropped.
    pub(super) fn byte_map(&self) -> Option<ByteMap> {
        let plain = self.delete.is_none() && self.squeeze.is_none() && self.others.is_none();
        let ascii = |symbol: &Symbol| *symbol < 0x80;
        if !plain || !self.map.iter().all(|(from, to)| ascii(from) && ascii(to)) {
            return None;
        }
        let mut table = [0u8; 256];
        for (byte, entry) in table.iter_mut().enumerate() {
            *entry = self.map.get(&(byte as Symbol)).map_or(byte as u8, |&to| to as u8);
        }
        Some(ByteMap::new(table))
    }
}

/// A replacement for each byte.
pub(super) struct ByteMap {
    table: [u8; 256],
    /// Runs of bytes that are all moved by the same distance: first byte, length less one,
    /// distance. Few runs are faster than the table, because they are worked on side by side.
    runs: Vec<(u8, u8, u8)>,
}

/// Beyond this many runs the table is faster.
const RUNS_MAX: usize = 6;

impl ByteMap {
    /// True where newlines stay, and none are made.
    pub(super) fn keeps_newlines(&self) -> bool {
        let newline = |(byte, &to): (usize, &u8)| (byte == usize::from(b'\n')) == (to == b'\n');
        self.table.iter().enumerate().all(newline)
    }

    fn new(table: [u8; 256]) -> Self {
        let mut runs: Vec<(u8, u8, u8)> = Vec::new();
        for byte in 0..=255u8 {
            let distance = table[usize::from(byte)].wrapping_sub(byte);
            if distance == 0 {
                continue;
            }
            match runs.last_mut() {
                Some((first, extra, by)) if *by == distance && *first + *extra + 1 == byte => {
                    *extra += 1;
                }
                _ => runs.push((byte, 0, distance)),
            }
        }
        Self { table, runs }
    }

    pub(super) fn apply(&self, bytes: &mut [u8]) {
        match self.runs[..] {
            [] => {}
            [(first, extra, by)] => {
                for byte in bytes {
                    let moved = byte.wrapping_sub(first) <= extra;
                    *byte = byte.wrapping_add(if moved { by } else { 0 });
                }
            }
            _ if self.runs.len() <= RUNS_MAX => {
                // Small pieces stay in the nearest cache while each run passes over them.
                for piece in bytes.chunks_mut(4096) {
                    self.apply_runs(piece);
                }
            }
            _ => {
                for byte in bytes {
                    *byte = self.table[usize::from(*byte)];
                }
            }
        }
    }

    /// All runs see the old bytes: the distances are gathered before any is added.
    fn apply_runs(&self, piece: &mut [u8]) {
        let mut moves = [0u8; 4096];
        let moves = &mut moves[..piece.len()];
        for &(first, extra, by) in &self.runs {
            for (distance, byte) in moves.iter_mut().zip(piece.iter()) {
                *distance |= if byte.wrapping_sub(first) <= extra { by } else { 0 };
            }
        }
        for (byte, distance) in piece.iter_mut().zip(moves.iter()) {
            *byte = byte.wrapping_add(*distance);
        }
    }
}
