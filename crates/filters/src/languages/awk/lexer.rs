//! The text of an awk program as tokens (XCU awk, "Lexical Conventions").

use std::ops::Range;

use super::tree::{BUILTINS, Builtin, Fault};

#[derive(Clone, Debug, PartialEq)]
pub(super) enum Token {
    Number(f64),
    Text(Vec<u8>),
    /// Between slashes, as it is there.
    Pattern(Vec<u8>),
    Name(String),
    /// A name with `(` right behind it.
    Callee(String),
    Builtin(Builtin),
    Keyword(&'static str),
    Symbol(&'static str),
    Newline,
    End,
}

const KEYWORDS: &[&str] = &[
    "BEGIN", "END", "break", "continue", "delete", "do", "else", "exit", "for", "function",
    "getline", "if", "in", "next", "nextfile", "print", "printf", "return", "while",
];

/// Longer ones first, so that the longest is taken.
const SYMBOLS: &[&str] = &[
    "**=", "**", "^=", "+=", "-=", "*=", "/=", "%=", "==", "!=", "<=", ">=", ">>", "&&", "||",
    "++", "--", "!~", "{", "}", "(", ")", "[", "]", ";", ",", "+", "-", "*", "/", "%", "^", "!",
    ">", "<", "|", "?", ":", "~", "$", "=",
];

pub(super) struct Lexer<'t> {
    text: &'t [u8],
    at: usize,
}

impl<'t> Lexer<'t> {
    pub(super) fn new(text: &'t [u8]) -> Self {
        Self { text, at: 0 }
    }

    /// Blanks, comments and continued lines.
    fn skip_space(&mut self) {
        loop {
            match self.text[self.at..] {
                [b' ' | b'\t' | b'\r', ..] => self.at += 1,
                [b'\\', b'\n', ..] => self.at += 2,
                [b'\\', b'\r', b'\n', ..] => self.at += 3,
                [b'#', ..] => {
                    let rest = &self.text[self.at..];
                    self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => return,
            }
        }
    }

    /// The next token and its place.
    pub(super) fn next(&mut self) -> Result<(Token, Range<usize>), Fault> {
        self.skip_space();
        let start = self.at;
        let token = match self.text.get(start) {
            None => Token::End,
            Some(b'\n') => {
                self.at += 1;
                Token::Newline
            }
            Some(b'"') => self.text_literal()?,
            Some(byte) if byte.is_ascii_digit() => self.number(),
            Some(b'.') if self.text.get(start + 1).is_some_and(u8::is_ascii_digit) => self.number(),
            Some(byte) if byte.is_ascii_alphabetic() || *byte == b'_' => self.name(),
            Some(_) => self.symbol()?,
        };
        Ok((token, start..self.at))
    }

    fn number(&mut self) -> Token {
        let (value, length) = super::text::leading_number(&self.text[self.at..]);
        self.at += length;
        Token::Number(value)
    }

    fn name(&mut self) -> Token {
        let rest = &self.text[self.at..];
        let length = rest
            .iter()
            .position(|byte| !byte.is_ascii_alphanumeric() && *byte != b'_')
            .unwrap_or(rest.len());
        let name = String::from_utf8_lossy(&rest[..length]).into_owned();
        self.at += length;
        if name == "func" {
            return Token::Keyword("function");
        }
        if let Some(keyword) = KEYWORDS.iter().find(|keyword| **keyword == name) {
            return Token::Keyword(keyword);
        }
        if let Some((_, builtin, ..)) = BUILTINS.iter().find(|(known, ..)| *known == name) {
            return Token::Builtin(*builtin);
        }
        if self.text.get(self.at) == Some(&b'(') {
            return Token::Callee(name);
        }
        Token::Name(name)
    }

    fn symbol(&mut self) -> Result<Token, Fault> {
        let rest = &self.text[self.at..];
        if let Some(symbol) = SYMBOLS.iter().find(|symbol| rest.starts_with(symbol.as_bytes())) {
            self.at += symbol.len();
            return Ok(Token::Symbol(match *symbol {
                "**" => "^",
                "**=" => "^=",
                other => other,
            }));
        }
        let (character, length) = crate::text::characters::first(rest);
        let shown = character.map_or_else(
            || format!("the byte {:#04x}", rest[0]),
            |character| format!("“{}”", character.escape_debug()),
        );
        Err(Fault::new(self.at..self.at + length, format!("unexpected {shown}")))
    }

    /// A string: escapes are turned into what they mean.
    fn text_literal(&mut self) -> Result<Token, Fault> {
        let start = self.at;
        let mut value = Vec::new();
        self.at += 1;
        loop {
            match self.text.get(self.at) {
                None | Some(b'\n') => {
                    let message = "this string has no closing \"";
                    return Err(Fault::new(start..self.at, message));
                }
                Some(b'"') => {
                    self.at += 1;
                    return Ok(Token::Text(value));
                }
                Some(b'\\') => {
                    let rest = &self.text[self.at + 1..];
                    if rest.is_empty() {
                        self.at += 1;
                        continue;
                    }
                    self.at += 1 + unescape(rest, &mut value);
                }
                Some(&byte) => {
                    value.push(byte);
                    self.at += 1;
                }
            }
        }
    }

    /// The pattern whose opening slash is at `start`; continues behind its end.
    pub(super) fn pattern(&mut self, start: usize) -> Result<(Token, Range<usize>), Fault> {
        let mut at = start + 1;
        let mut bracket: Option<usize> = None;
        loop {
            match self.text.get(at) {
                None | Some(b'\n') => {
                    let message = "this pattern has no closing /";
                    return Err(Fault::new(start..at, message));
                }
                Some(b'\\') if self.text.get(at + 1).is_some_and(|next| *next != b'\n') => at += 2,
                Some(b'[') if bracket.is_none() => {
                    at += 1;
                    at += usize::from(self.text.get(at) == Some(&b'^'));
                    bracket = Some(at);
                    // A `]` that comes first is one of the characters.
                    at += usize::from(self.text.get(at) == Some(&b']'));
                }
                Some(b'[') if matches!(self.text.get(at + 1), Some(b':' | b'.' | b'=')) => {
                    let mark = self.text[at + 1];
                    let rest = &self.text[at + 2..];
                    let end = rest.windows(2).position(|pair| pair == [mark, b']']);
                    at += end.map_or(1, |end| end + 4);
                }
                Some(b']') if bracket.is_some() => {
                    bracket = None;
                    at += 1;
                }
                Some(b'/') if bracket.is_none() || !self.closes_later(at) => break,
                Some(_) => at += 1,
            }
        }
        self.at = at + 1;
        Ok((Token::Pattern(self.text[start + 1..at].to_vec()), start..at + 1))
    }

    /// Whether the line has a `]` and then a `/` behind this slash in a bracket expression; else
    /// the slash ends the pattern and the bracket is a mistake.
    fn closes_later(&self, at: usize) -> bool {
        let rest = &self.text[at + 1..];
        let line = &rest[..memchr::memchr(b'\n', rest).unwrap_or(rest.len())];
        memchr::memchr(b']', line).is_some_and(|close| line[close..].contains(&b'/'))
    }

    /// Goes back to a place.
    pub(super) fn seek(&mut self, at: usize) {
        self.at = at;
    }
}

/// Adds what the escape behind a backslash means; gives its length.
pub(super) fn unescape(rest: &[u8], value: &mut Vec<u8>) -> usize {
    let byte = match rest[0] {
        b'a' => 7,
        b'b' => 8,
        b'f' => 12,
        b'n' => b'\n',
        b'r' => b'\r',
        b't' => b'\t',
        b'v' => 11,
        b'"' | b'\\' | b'/' => rest[0],
        b'\n' => return 1,
        b'0'..=b'7' => {
            let digits = rest.iter().take(3).take_while(|byte| matches!(byte, b'0'..=b'7')).count();
            let number = rest[..digits].iter().fold(0u32, |sum, d| sum * 8 + u32::from(d - b'0'));
            value.push(number as u8);
            return digits;
        }
        // Undefined by the standard: the backslash stays, which is what dynamic patterns want.
        other => {
            value.extend_from_slice(&[b'\\', other]);
            return 1;
        }
    };
    value.push(byte);
    1
}
