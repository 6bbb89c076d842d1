//! Gets through one JSON text (RFC 8259) and tells what it comes by. All of it is checked, nothing is
//! copied. However deep it is nested, the stack of the thread is not used for it; memory: eight bytes
//! for each level.

use std::ops::Range;

use super::super::value::Bad;

/// Who is told what is in a text, by the places of it.
pub(super) trait Visitor {
    /// An object or a list begins: the value of the member or element told last, or the text itself.
    fn begin(&mut self, list: bool);
    /// A member begins: where its name is, without the quotes, and whether there are escapes in it.
    fn name(&mut self, at: Range<usize>, escaped: bool) -> Result<(), Bad>;
    /// An element of a list begins.
    fn element(&mut self);
    /// The value of the member or element told last, where it is no object and no list.
    fn scalar(&mut self, at: Range<usize>) -> Result<(), Bad>;
    /// An object or a list ends; all of it.
    fn end(&mut self, at: Range<usize>, list: bool) -> Result<(), Bad>;
}

/// What is between the values that were begun and not ended: the place of each, and in the lowest bit
/// whether it is a list. Kept from one text to the next.
#[derive(Default)]
pub(super) struct Open(Vec<usize>);

/// What some begin a text with to say that it is UTF-8; it is no part of it (section 8.1).
const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";

/// Reads a text that is an object or a list.
pub(super) fn scan(text: &[u8], open: &mut Open, visitor: &mut impl Visitor) -> Result<(), Bad> {
    if let Err(error) = std::str::from_utf8(text) {
        let at = Some(error.valid_up_to() + 1);
        return Err(Bad::new("not JSON: bytes that are no UTF-8", at));
    }
    open.0.clear();
    let at = if text.starts_with(BYTE_ORDER_MARK) { BYTE_ORDER_MARK.len() } else { 0 };
    let mut scanner = Scanner { text, at };
    scanner.skip_blanks();
    if !matches!(scanner.peek(), Some(b'{' | b'[') | None) {
        scanner.scalar()?;
        scanner.end()?;
        return Err(Bad::new("not a JSON object or list", Some(1)));
    }
    scanner.container(open, visitor)?;
    scanner.end()
}

struct Scanner<'t> {
    text: &'t [u8],
    at: usize,
}

/// Bytes that end a run of plain ones in a string: quotes, backslashes, control characters. The high
/// bit is set in each byte that is one; those above the first may be wrong.
fn special(word: u64) -> u64 {
    const ONES: u64 = 0x0101_0101_0101_0101;
    const HIGH: u64 = 0x8080_8080_8080_8080;
    let zero = |word: u64| word.wrapping_sub(ONES) & !word & HIGH;
    let control = word.wrapping_sub(ONES * 0x20) & !word & HIGH;
    let is = |byte: u8| zero(word ^ (ONES * u64::from(byte)));
    control | is(b'"') | is(b'\\')
}

impl Scanner<'_> {
    #[inline]
    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    #[inline]
    fn skip_blanks(&mut self) {
        while let Some(b' ' | b'\t' | b'\n' | b'\r') = self.peek() {
            self.at += 1;
        }
    }

    /// What is at this place cannot be there.
    #[cold]
    fn bad(&self) -> Bad {
        if self.at >= self.text.len() {
            let why = "the JSON record ends early; it must be on one line";
            return Bad::new(why, Some(self.text.len().max(1)));
        }
        Bad::new("not JSON", Some(self.at + 1))
    }

    /// Takes this byte, or it is not JSON.
    #[inline]
    fn take(&mut self, byte: u8) -> Result<(), Bad> {
        if self.peek() != Some(byte) {
            return Err(self.bad());
        }
        self.at += 1;
        Ok(())
    }

    fn end(&mut self) -> Result<(), Bad> {
        self.skip_blanks();
        if self.at < self.text.len() { Err(self.bad()) } else { Ok(()) }
    }

    /// Reads an object or a list with all that is in it.
    fn container(&mut self, open: &mut Open, visitor: &mut impl Visitor) -> Result<(), Bad> {
        loop {
            // A value begins here, which is an object or a list.
            let list = self.peek() == Some(b'[');
            self.take(if list { b'[' } else { b'{' })?;
            open.0.push((self.at - 1) << 1 | usize::from(list));
            visitor.begin(list);
            self.skip_blanks();
            let closing = if list { b']' } else { b'}' };
            let mut inner = self.peek() != Some(closing) && self.next(list, visitor)?;
            while !inner {
                // A value has ended: others follow it, or what it is in ends too.
                let Some(within) = open.0.last() else { return Ok(()) };
                let (begin, list) = (within >> 1, within & 1 == 1);
                self.skip_blanks();
                if self.peek() == Some(b',') {
                    self.at += 1;
                    self.skip_blanks();
                    inner = self.next(list, visitor)?;
                    continue;
                }
                self.take(if list { b']' } else { b'}' })?;
                open.0.pop();
                visitor.end(begin..self.at, list)?;
            }
        }
    }

    /// Reads the name of a member, where it has one, and its value. True where that is an object or a
    /// list, which is not read yet.
    #[inline]
    fn next(&mut self, list: bool, visitor: &mut impl Visitor) -> Result<bool, Bad> {
        if list {
            visitor.element();
        } else {
            let begin = self.at;
            let escaped = self.string()?;
            visitor.name(begin + 1..self.at - 1, escaped)?;
            self.skip_blanks();
            self.take(b':')?;
            self.skip_blanks();
        }
        if matches!(self.peek(), Some(b'{' | b'[')) {
            return Ok(true);
        }
        let begin = self.at;
        self.scalar()?;
        visitor.scalar(begin..self.at)?;
        Ok(false)
    }

    #[inline]
    fn scalar(&mut self) -> Result<(), Bad> {
        match self.peek() {
            Some(b'"') => self.string().map(|_| ()),
            Some(b'-' | b'0'..=b'9') => self.number(),
            Some(b't') => self.word(b"true"),
            Some(b'f') => self.word(b"false"),
            Some(b'n') => self.word(b"null"),
            _ => Err(self.bad()),
        }
    }

    fn word(&mut self, word: &[u8]) -> Result<(), Bad> {
        word.iter().try_for_each(|byte| self.take(*byte))
    }

    /// True where there are escapes in it.
    fn string(&mut self) -> Result<bool, Bad> {
        self.take(b'"')?;
        let mut escaped = false;
        loop {
            while let Some(eight) = self.text[self.at..].first_chunk::<8>() {
                let found = special(u64::from_le_bytes(*eight));
                if found != 0 {
                    self.at += found.trailing_zeros() as usize / 8;
                    break;
                }
                self.at += 8;
            }
            match self.peek() {
                Some(b'"') => {
                    self.at += 1;
                    return Ok(escaped);
                }
                Some(b'\\') => {
                    self.escape()?;
                    escaped = true;
                }
                Some(0x20..) => self.at += 1,
                _ => return Err(self.bad()),
            }
        }
    }

    fn escape(&mut self) -> Result<(), Bad> {
        self.at += 1;
        match self.peek() {
            Some(b'"' | b'\\' | b'/' | b'b' | b'f' | b'n' | b'r' | b't') => self.at += 1,
            Some(b'u') => {
                self.at += 1;
                for _ in 0..4 {
                    if !self.peek().is_some_and(|digit| digit.is_ascii_hexdigit()) {
                        return Err(self.bad());
                    }
                    self.at += 1;
                }
            }
            _ => return Err(self.bad()),
        }
        Ok(())
    }

    #[inline]
    fn digits(&mut self) -> Result<(), Bad> {
        let begin = self.at;
        while let Some(b'0'..=b'9') = self.peek() {
            self.at += 1;
        }
        if self.at == begin { Err(self.bad()) } else { Ok(()) }
    }

    fn number(&mut self) -> Result<(), Bad> {
        if self.peek() == Some(b'-') {
            self.at += 1;
        }
        if self.peek() == Some(b'0') {
            self.at += 1;
        } else {
            self.digits()?;
        }
        if self.peek() == Some(b'.') {
            self.at += 1;
            self.digits()?;
        }
        if let Some(b'e' | b'E') = self.peek() {
            self.at += 1;
            if let Some(b'+' | b'-') = self.peek() {
                self.at += 1;
            }
            self.digits()?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Nothing but whether it can be read.
    struct Nobody;

    impl Visitor for Nobody {
        fn begin(&mut self, _: bool) {}

        fn name(&mut self, _: Range<usize>, _: bool) -> Result<(), Bad> {
            Ok(())
        }

        fn element(&mut self) {}

        fn scalar(&mut self, _: Range<usize>) -> Result<(), Bad> {
            Ok(())
        }

        fn end(&mut self, _: Range<usize>, _: bool) -> Result<(), Bad> {
            Ok(())
        }
    }

    fn is_read(text: &[u8]) -> bool {
        scan(text, &mut Open::default(), &mut Nobody).is_ok()
    }

    /// What another reader of JSON takes for an object or a list.
    fn is_json(text: &[u8]) -> bool {
        serde_json::from_slice::<&serde_json::value::RawValue>(text)
            .is_ok_and(|raw| raw.get().trim_start().starts_with(['{', '[']))
    }

    fn json() -> impl Strategy<Value = String> {
        let leaf = prop_oneof![
            "-?(0|[1-9][0-9]{0,20})(\\.[0-9]{1,4})?([eE][+-]?[0-9]{1,4})?",
            "\"([ a-zé😀]|\\\\[\"\\\\/bfnrt]|\\\\u[0-9a-fA-F]{4}){0,20}\"",
            "true|false|null",
        ];
        leaf.prop_recursive(5, 40, 5, |inner| {
            let blank = "[ \t\r\n]{0,2}";
            prop_oneof![
                (prop::collection::vec((blank, inner.clone(), blank), 0..5)).prop_map(|all| {
                    let all: Vec<String> =
                        all.iter().map(|(a, v, b)| format!("{a}{v}{b}")).collect();
                    format!("[{}]", all.join(","))
                }),
                (prop::collection::vec((blank, "[a-c]{0,9}", blank, inner), 0..5)).prop_map(
                    |all| {
                        let all: Vec<String> = all
                            .iter()
                            .map(|(a, name, b, v)| format!("{a}\"{name}\"{b}:{v}"))
                            .collect();
                        format!("{{{}}}", all.join(","))
                    }
                ),
            ]
        })
    }

    proptest! {
        #[test]
        fn what_is_json_is_read(text in json()) {
            prop_assert_eq!(is_read(text.as_bytes()), is_json(text.as_bytes()), "{}", text);
        }

        #[test]
        fn what_is_nearly_json_is_told_from_it(
            text in json(),
            place in any::<prop::sample::Index>(),
            instead in prop::option::of(prop_oneof![any::<u8>(), prop::sample::select(&b"{}[]\",:\\0-.etn \n\x1f\x7f"[..])]),
        ) {
            let mut text = text.into_bytes();
            let place = place.index(text.len());
            match instead {
                Some(byte) => text[place] = byte,
                None => text.truncate(place),
            }
            prop_assert_eq!(is_read(&text), is_json(&text), "{:?}", String::from_utf8_lossy(&text));
        }
    }
}
