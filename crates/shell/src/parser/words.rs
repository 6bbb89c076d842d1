//! Words: quotes, expansions, braces (XCU 2.2, 2.6).

use super::characters::ends_word;
use super::{Parsed, Parser};
use crate::{Part, Sequence, ShellErrorKind, Word};

pub(super) fn push_text(parts: &mut Vec<Part>, character: char) {
    if let Some(Part::Text(text)) = parts.last_mut() {
        text.push(character);
    } else {
        parts.push(Part::Text(character.to_string()));
    }
}

/// Where a word is, which decides what ends it and what is special in it.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Place {
    /// Among the words of a command.
    Command,
    /// Where one word is read, as it is: braces are only themselves.
    Single,
    /// Behind `NAME=`.
    Assignment,
    /// In `{…}`: a comma and the brace end it too.
    Braces,
    /// In `${x-…}`: only the brace ends it.
    Expansion,
    /// Behind `=~`: parentheses and `|` are part of it.
    Pattern,
}

impl Parser<'_> {
    /// A word of a command.
    pub(super) fn word(&mut self) -> Parsed<Word> {
        self.word_in(Place::Command)
    }

    /// A word of which braces make no more: of `case`, of `[[ ]]`, a file's name.
    pub(super) fn single_word(&mut self) -> Parsed<Word> {
        self.word_in(Place::Single)
    }

    /// The value of an assignment, possibly without parts.
    pub(super) fn assigned_word(&mut self) -> Parsed<Word> {
        self.word_in(Place::Assignment)
    }

    /// The word in `${x-…}`, up to the brace.
    pub(super) fn expansion_word(&mut self) -> Parsed<Word> {
        self.word_in(Place::Expansion)
    }

    /// The pattern behind `=~`.
    pub(super) fn pattern_word(&mut self) -> Parsed<Word> {
        self.word_in(Place::Pattern)
    }

    fn word_in(&mut self, place: Place) -> Parsed<Word> {
        let start = self.at;
        let mut parts: Vec<Part> = Vec::new();
        let mut open = 0;
        while let Some(character) = self.peek() {
            let from = self.at;
            let begins =
                from == start || place == Place::Assignment && self.text[..from].ends_with(':');
            match character {
                '}' if place == Place::Expansion => break,
                ',' | '}' if place == Place::Braces => break,
                '(' if place == Place::Pattern => {
                    open += 1;
                    self.at += 1;
                    push_text(&mut parts, character);
                }
                ')' if place == Place::Pattern && open > 0 => {
                    open -= 1;
                    self.at += 1;
                    push_text(&mut parts, character);
                }
                '|' if place == Place::Pattern && !self.starts("||") => {
                    self.at += 1;
                    push_text(&mut parts, character);
                }
                '<' | '>' if self.starts("<(") || self.starts(">(") => {
                    parts.push(self.substituted()?);
                }
                _ if ends_word(character) && place != Place::Expansion => break,
                '\\' => {
                    self.at += 1;
                    match self.bump() {
                        None => parts.push(Part::Escaped('\\')),
                        Some('\n') => {}
                        Some(escaped) => parts.push(Part::Escaped(escaped)),
                    }
                }
                '\'' => parts.push(Part::Single(self.single_quoted()?)),
                '"' => {
                    let inner = self.double_quoted()?;
                    parts.push(Part::Double(inner));
                }
                '$' if self.starts("$'") => parts.push(Part::Dollar(self.dollar_quoted()?)),
                '$' | '`' => match self.dollar(false)? {
                    Some(part) => parts.push(part),
                    None => {
                        self.at += 1;
                        push_text(&mut parts, '$');
                    }
                },
                '~' if begins => match self.home(place) {
                    Some(part) => parts.push(part),
                    None => {
                        self.at += 1;
                        push_text(&mut parts, '~');
                    }
                },
                '{' if matches!(place, Place::Command | Place::Braces) => {
                    match self.deeper(Self::braces)? {
                        Some(part) => parts.push(part),
                        None => {
                            self.at += 1;
                            push_text(&mut parts, '{');
                        }
                    }
                }
                _ => {
                    self.at += character.len_utf8();
                    push_text(&mut parts, character);
                }
            }
        }
        Ok(Word { parts, span: self.span(start, self.at) })
    }

    /// `~` or `~name`; `None` where what follows is no name.
    fn home(&mut self, place: Place) -> Option<Part> {
        let rest = &self.rest()[1..];
        let ends = |c: char| match c {
            '/' => true,
            ':' => place == Place::Assignment,
            '}' => matches!(place, Place::Braces | Place::Expansion),
            ',' => place == Place::Braces,
            other => ends_word(other),
        };
        let length = rest.find(ends).unwrap_or(rest.len());
        let name = &rest[..length];
        let plain = |c: char| c.is_ascii_alphanumeric() || "._-".contains(c);
        if !name.chars().all(plain) {
            return None;
        }
        self.at += 1 + length;
        Some(Part::Home((length > 0).then(|| name.to_owned())))
    }

    pub(super) fn single_quoted(&mut self) -> Parsed<String> {
        let start = self.at;
        let body = &self.rest()[1..];
        let Some(length) = body.find('\'') else {
            return self.fail(ShellErrorKind::Unterminated("quote '"), start, self.text.len());
        };
        self.at += length + 2;
        Ok(body[..length].to_owned())
    }

    /// `$'…'`, with the escapes of the C language.
    fn dollar_quoted(&mut self) -> Parsed<Vec<u8>> {
        let start = self.at;
        self.at += 2;
        let mut value = Vec::new();
        loop {
            let from = self.at;
            match self.bump() {
                None => {
                    let end = self.text.len();
                    return self.fail(ShellErrorKind::Unterminated("quote $'"), start, end);
                }
                Some('\'') => return Ok(value),
                Some('\0') => return self.unsupported("a NUL byte in a word", from, self.at),
                Some('\\') => {
                    let Some(escape) = self.bump() else { continue };
                    match escape {
                        'a' => value.push(7),
                        'b' => value.push(8),
                        'e' | 'E' => value.push(27),
                        'f' => value.push(12),
                        'n' => value.push(b'\n'),
                        'r' => value.push(b'\r'),
                        't' => value.push(b'\t'),
                        'v' => value.push(11),
                        '\\' | '\'' | '"' | '?' => value.push(escape as u8),
                        'c' => match self.bump() {
                            Some(control) if control.is_ascii() => value.push(control as u8 & 31),
                            _ => return self.unsupported("this escape", from, self.at),
                        },
                        '0'..='7' => {
                            self.at -= 1;
                            value.push(self.digits(8, 3) as u8);
                        }
                        'x' => match self.digits_if_any(16, 2) {
                            Some(byte) => value.push(byte as u8),
                            None => value.extend_from_slice(b"\\x"),
                        },
                        'u' | 'U' => {
                            let most = if escape == 'u' { 4 } else { 8 };
                            let code = self.digits_if_any(16, most).and_then(char::from_u32);
                            let Some(code) = code else {
                                return self.unsupported("this character", from, self.at);
                            };
                            value.extend_from_slice(code.encode_utf8(&mut [0; 4]).as_bytes());
                        }
                        other => {
                            value.push(b'\\');
                            value.extend_from_slice(other.encode_utf8(&mut [0; 4]).as_bytes());
                        }
                    }
                    if value.last() == Some(&0) {
                        return self.unsupported("a NUL byte in a word", from, self.at);
                    }
                }
                Some(other) => {
                    value.extend_from_slice(other.encode_utf8(&mut [0; 4]).as_bytes());
                }
            }
        }
    }

    fn digits_if_any(&mut self, base: u32, most: usize) -> Option<u32> {
        self.peek().filter(|first| first.is_digit(base))?;
        Some(self.digits(base, most))
    }

    fn digits(&mut self, base: u32, most: usize) -> u32 {
        let mut value: u32 = 0;
        for _ in 0..most {
            let Some(digit) = self.peek().and_then(|digit| digit.to_digit(base)) else { break };
            value = value.wrapping_mul(base).wrapping_add(digit);
            self.at += 1;
        }
        value
    }

    fn double_quoted(&mut self) -> Parsed<Vec<Part>> {
        let start = self.at;
        self.at += 1;
        let parts = self.quoted_parts(Some('"'))?;
        if self.peek().is_none() {
            return self.fail(ShellErrorKind::Unterminated("quote \""), start, self.text.len());
        }
        self.at += 1;
        Ok(parts)
    }

    /// Parts as in double quotes up to `end`, which stays, or the end of the text: `"` also ends
    /// them there, `}` those of `${x-…}`. Without an end a quote is only itself.
    pub(super) fn quoted_parts(&mut self, end: Option<char>) -> Parsed<Vec<Part>> {
        let mut parts = Vec::new();
        loop {
            match self.peek() {
                None => return Ok(parts),
                Some(character) if Some(character) == end => return Ok(parts),
                // In `"${x-"y"}"` the inner quotes are those of a word of its own.
                Some('"') if end == Some('}') => {
                    let inner = self.double_quoted()?;
                    parts.push(Part::Double(inner));
                }
                Some('\\') => {
                    self.at += 1;
                    match self.peek() {
                        Some(escaped @ ('$' | '`' | '\\')) => {
                            self.at += 1;
                            parts.push(Part::Escaped(escaped));
                        }
                        Some(escaped)
                            if Some(escaped) == end || end == Some('}') && escaped == '"' =>
                        {
                            self.at += escaped.len_utf8();
                            parts.push(Part::Escaped(escaped));
                        }
                        Some('\n') => self.at += 1,
                        _ => push_text(&mut parts, '\\'),
                    }
                }
                Some('$' | '`') => match self.dollar(true)? {
                    Some(part) => parts.push(part),
                    None => {
                        self.at += 1;
                        push_text(&mut parts, '$');
                    }
                },
                Some(character) => {
                    self.at += character.len_utf8();
                    push_text(&mut parts, character);
                }
            }
        }
    }

    /// `{a,b}` or `{1..5}`; `None` where the brace is only itself.
    fn braces(&mut self) -> Parsed<Option<Part>> {
        let start = self.at;
        if let Some((sequence, length)) = sequence(self.rest()) {
            self.at += length;
            return Ok(Some(Part::Sequence(sequence)));
        }
        if self.no_braces.contains(&start) {
            return Ok(None);
        }
        // What does not turn out to be one is read again as text, and then looked at no more: braces
        // within braces would double the time each.
        let (comments, documents) = (self.comments.len(), self.documents.len());
        self.at += 1;
        let mut words = Vec::new();
        loop {
            words.push(self.word_in(Place::Braces)?);
            match self.peek() {
                Some(',') => self.at += 1,
                Some('}') if words.len() > 1 => {
                    self.at += 1;
                    return Ok(Some(Part::Alternatives(words)));
                }
                _ => {
                    self.at = start;
                    self.no_braces.insert(start);
                    self.comments.truncate(comments);
                    self.documents.truncate(documents);
                    return Ok(None);
                }
            }
        }
    }
}

/// `{1..5}`, `{a..e..2}` at the beginning of a text, and its length.
fn sequence(text: &str) -> Option<(Sequence, usize)> {
    let body = text.strip_prefix('{')?;
    let end = body.find('}')?;
    let parts: Vec<&str> = body[..end].split("..").collect();
    let (from, to, step) = match parts[..] {
        [from, to] => (from, to, 1),
        [from, to, step] => (from, to, step.parse::<i64>().ok()?),
        _ => return None,
    };
    let number = |text: &str| text.parse::<i64>().ok();
    let padded = |text: &str| {
        let digits = text.strip_prefix('-').unwrap_or(text);
        if digits.len() > 1 && digits.starts_with('0') { text.len() } else { 0 }
    };
    let step = if step == 0 { 1 } else { step };
    let sequence = match (number(from), number(to)) {
        (Some(first), Some(last)) => {
            let wide = padded(from).max(padded(to));
            let width = if wide > 0 { from.len().max(to.len()) } else { 0 };
            Sequence::Numbers { from: first, to: last, step, width }
        }
        _ => {
            let one = |text: &str| {
                let character = text.chars().next().filter(char::is_ascii_alphabetic)?;
                (text.len() == 1).then_some(character)
            };
            Sequence::Characters { from: one(from)?, to: one(to)?, step }
        }
    };
    Some((sequence, end + 2))
}
