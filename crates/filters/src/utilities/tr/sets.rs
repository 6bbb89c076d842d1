//! Sets of characters as `tr` takes them: ranges, classes, equivalents, repeats, escapes.

/// A character, or a byte that is no UTF-8 as `BROKEN` plus its value.
pub(super) type Symbol = u32;

/// The first symbol that is a broken byte.
pub(super) const BROKEN: Symbol = 0x11_0000;

/// A parsed set.
#[derive(Clone, Debug, Default)]
pub(super) struct Set {
    /// The symbols in order, repeats as often as given.
    pub(super) symbols: Vec<Symbol>,
    /// Where `[x*]` is and its symbol: fills the second set up to the length of the first.
    pub(super) fill: Option<(usize, Symbol)>,
    /// Where `[:upper:]` and `[:lower:]` begin among the symbols.
    pub(super) cases: Vec<usize>,
    /// What else of its notation counts where characters are translated.
    pub(super) notation: Notation,
}

/// What a set was written with.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Notation {
    /// A class.
    pub(super) class: bool,
    /// A class other than `[:upper:]` and `[:lower:]`.
    pub(super) other_class: bool,
    /// A class at its end.
    pub(super) ends_with_class: bool,
    /// `[=x=]`.
    pub(super) equivalent: bool,
}

/// Ranges and repeats beyond this are refused.
const SYMBOLS_MAX: usize = 0x11_0000;

/// The first symbol of `bytes` and its length.
pub(super) fn decode(bytes: &[u8]) -> (Symbol, usize) {
    let byte = bytes[0];
    if byte < 0x80 {
        return (Symbol::from(byte), 1);
    }
    match bstr::decode_utf8(bytes) {
        (Some(character), length) => (Symbol::from(character), length),
        _ => (BROKEN + Symbol::from(byte), 1),
    }
}

/// Appends a symbol's bytes.
pub(super) fn encode(symbol: Symbol, out: &mut Vec<u8>) {
    match char::from_u32(symbol) {
        Some(character) => {
            out.extend_from_slice(character.encode_utf8(&mut [0; 4]).as_bytes());
        }
        None => out.push((symbol - BROKEN) as u8),
    }
}

/// How many bytes at the end may be the beginning of a character that continues.
pub(super) fn cut_tail(bytes: &[u8]) -> usize {
    for length in 1..=3.min(bytes.len()) {
        let byte = bytes[bytes.len() - length];
        if byte < 0x80 {
            return 0;
        }
        if byte >= 0xc0 {
            let tail = &bytes[bytes.len() - length..];
            let open = std::str::from_utf8(tail).is_err_and(|error| error.error_len().is_none());
            return if open { length } else { 0 };
        }
    }
    0
}

impl Set {
    /// Parses a set; the second one may hold repeats.
    pub(super) fn parse(text: &[u8], second: bool) -> Result<Self, String> {
        let mut set = Self::default();
        let mut at = 0;
        while at < text.len() {
            set.notation.ends_with_class = false;
            if text[at] == b'['
                && let Some(used) = set.bracketed(&text[at..], second)?
            {
                at += used;
                continue;
            }
            let (first, used) = element(&text[at..]);
            at += used;
            if text.get(at) == Some(&b'-') && at + 1 < text.len() {
                let (last, used) = element(&text[at + 1..]);
                if last < first {
                    return Err("the range ends before it begins".to_owned());
                }
                if (last - first) as usize > SYMBOLS_MAX {
                    return Err("the range is too large".to_owned());
                }
                // Surrogates lie inside some ranges and are no characters.
                set.symbols
                    .extend((first..=last).filter(|symbol| !(0xd800..0xe000).contains(symbol)));
                at += 1 + used;
            } else {
                set.symbols.push(first);
            }
        }
        Ok(set)
    }

    /// `[:class:]`, `[=x=]`, `[x*n]` at the start of `text`; `None` for a mere bracket.
    fn bracketed(&mut self, text: &[u8], second: bool) -> Result<Option<usize>, String> {
        let named = |mark: u8| {
            (text.get(1) == Some(&mark))
                .then(|| text[2..].windows(2).position(|pair| pair == [mark, b']']))
                .flatten()
                .map(|length| (&text[2..2 + length], 2 + length + 2))
        };
        if let Some((name, used)) = named(b':') {
            let members = class(name).ok_or_else(|| {
                format!("invalid character class ‘{}’", String::from_utf8_lossy(name))
            })?;
            match name {
                b"upper" | b"lower" => self.cases.push(self.symbols.len()),
                _ => self.notation.other_class = true,
            }
            self.notation.class = true;
            self.notation.ends_with_class = true;
            self.symbols.extend(members);
            return Ok(Some(used));
        }
        if let Some((name, used)) = named(b'=') {
            if name.is_empty() {
                return Err("missing equivalence class character '[==]'".to_owned());
            }
            let (symbol, length) = element(name);
            if length != name.len() {
                let shown = String::from_utf8_lossy(name);
                return Err(format!(
                    "{shown}: equivalence class operand must be a single character"
                ));
            }
            self.symbols.push(symbol);
            self.notation.equivalent = true;
            return Ok(Some(used));
        }
        if text.len() < 4 {
            return Ok(None);
        }
        let (symbol, length) = element(&text[1..]);
        let rest = &text[1 + length..];
        if rest.first() != Some(&b'*') {
            return Ok(None);
        }
        let Some(end) = rest.iter().position(|&byte| byte == b']') else { return Ok(None) };
        let digits = &rest[1..end];
        if !digits.iter().all(u8::is_ascii_digit) {
            return Ok(None);
        }
        let text = String::from_utf8_lossy(digits);
        let base = if digits.starts_with(b"0") { 8 } else { 10 };
        let number = if digits.is_empty() { Ok(0) } else { usize::from_str_radix(&text, base) };
        let number = number.unwrap_or(usize::MAX);
        if number > SYMBOLS_MAX {
            return Err(format!("invalid repeat count ‘{text}’ in [c*n] construct"));
        }
        if number == 0 {
            if !second {
                return Err("the [c*] repeat construct may not appear in string1".to_owned());
            }
            if self.fill.is_some() {
                return Err("only one [c*] repeat construct may appear in string2".to_owned());
            }
            self.fill = Some((self.symbols.len(), symbol));
        } else {
            self.symbols.extend(std::iter::repeat_n(symbol, number));
        }
        Ok(Some(1 + length + end + 1))
    }

    /// Brings the second set to the length of the first: by its fill, else by its last symbol.
    pub(super) fn stretched(&self, length: usize) -> Vec<Symbol> {
        let mut symbols = self.symbols.clone();
        let missing = length.saturating_sub(symbols.len());
        if let Some((at, symbol)) = self.fill {
            symbols.splice(at..at, std::iter::repeat_n(symbol, missing));
        } else if let Some(&last) = symbols.last() {
            symbols.extend(std::iter::repeat_n(last, missing));
        }
        symbols
    }
}

/// One symbol, possibly written as an escape.
fn element(text: &[u8]) -> (Symbol, usize) {
    if text[0] != b'\\' {
        return decode(text);
    }
    let Some(&letter) = text.get(1) else { return (Symbol::from(b'\\'), 1) };
    let value = match letter {
        b'a' => 7,
        b'b' => 8,
        b'f' => 12,
        b'n' => 10,
        b'r' => 13,
        b't' => 9,
        b'v' => 11,
        b'\\' => u32::from(b'\\'),
        b'0'..=b'7' => {
            let mut value = 0u32;
            let mut used = 0;
            for &digit in text[1..].iter().take(3).take_while(|digit| (b'0'..=b'7').contains(digit))
            {
                let next = value * 8 + u32::from(digit - b'0');
                if next > 255 {
                    break;
                }
                value = next;
                used += 1;
            }
            let symbol = if value < 0x80 { value } else { BROKEN + value };
            return (symbol, 1 + used);
        }
        _ => {
            let (symbol, used) = decode(&text[1..]);
            return (symbol, 1 + used);
        }
    };
    (value, 2)
}

/// The members of a class, in order. Beyond ASCII only for the classes of letters.
fn class(name: &[u8]) -> Option<Vec<Symbol>> {
    let test: fn(&u8) -> bool = match name {
        b"alnum" => u8::is_ascii_alphanumeric,
        b"alpha" => u8::is_ascii_alphabetic,
        b"blank" => |byte| matches!(byte, b' ' | b'\t'),
        b"cntrl" => u8::is_ascii_control,
        b"digit" => u8::is_ascii_digit,
        b"graph" => u8::is_ascii_graphic,
        b"lower" => u8::is_ascii_lowercase,
        b"print" => |byte| byte.is_ascii_graphic() || *byte == b' ',
        b"punct" => u8::is_ascii_punctuation,
        b"space" => |byte| byte.is_ascii_whitespace() || *byte == 11,
        b"upper" => u8::is_ascii_uppercase,
        b"xdigit" => u8::is_ascii_hexdigit,
        _ => return None,
    };
    Some((0u8..128).filter(test).map(Symbol::from).collect())
}
