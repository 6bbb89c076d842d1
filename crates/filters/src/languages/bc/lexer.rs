//! The text of a bc program as tokens (XCU bc, "Lexical Conventions in bc").

use std::ops::Range;

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Token {
    Number(Vec<u8>),
    Text(String),
    Word(String),
    Symbol(&'static str),
    Newline,
    /// The text is at its end, which may be in the middle of something.
    End,
}

/// What is wrong with a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Fault {
    /// It ends too early: more of it is needed.
    Incomplete,
    Wrong {
        span: Range<usize>,
        message: String,
    },
}

const SYMBOLS: &[&str] = &[
    "++", "--", "+=", "-=", "*=", "/=", "%=", "^=", "==", "<=", ">=", "!=", "&&", "||", "+", "-",
    "*", "/", "%", "^", "(", ")", "[", "]", "{", "}", ",", ";", "=", "<", ">", "!",
];

pub(super) struct Lexer<'t> {
    text: &'t [u8],
    at: usize,
}

impl<'t> Lexer<'t> {
    pub(super) fn new(text: &'t [u8]) -> Self {
        Self { text, at: 0 }
    }

    fn skip_space(&mut self) -> Result<(), Fault> {
        loop {
            match &self.text[self.at..] {
                [b' ' | b'\t' | b'\r' | 11 | 12, ..] => self.at += 1,
                [b'\\', b'\n', ..] => self.at += 2,
                [b'\\'] => return Err(Fault::Incomplete),
                [b'/', b'*', rest @ ..] => {
                    let end = rest.windows(2).position(|pair| pair == b"*/");
                    self.at += end.ok_or(Fault::Incomplete)? + 4;
                }
                [b'#', rest @ ..] => {
                    self.at += 1 + memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                }
                _ => return Ok(()),
            }
        }
    }

    /// The next token and its place.
    pub(super) fn next(&mut self) -> Result<(Token, Range<usize>), Fault> {
        self.skip_space()?;
        let start = self.at;
        let rest = &self.text[start..];
        let token = match rest.first() {
            None => Token::End,
            Some(b'\n') => {
                self.at += 1;
                Token::Newline
            }
            Some(b'"') => {
                let end = memchr::memchr(b'"', &rest[1..]).ok_or(Fault::Incomplete)?;
                self.at += end + 2;
                Token::Text(String::from_utf8_lossy(&rest[1..=end]).into_owned())
            }
            Some(b'0'..=b'9' | b'A'..=b'F' | b'.') => self.number()?,
            Some(byte) if byte.is_ascii_lowercase() => {
                let word = |byte: &&u8| {
                    byte.is_ascii_lowercase() || byte.is_ascii_digit() || **byte == b'_'
                };
                let length = rest.iter().take_while(word).count();
                self.at += length;
                Token::Word(String::from_utf8_lossy(&rest[..length]).into_owned())
            }
            Some(_) => match SYMBOLS.iter().find(|symbol| rest.starts_with(symbol.as_bytes())) {
                Some(symbol) => {
                    self.at += symbol.len();
                    Token::Symbol(symbol)
                }
                None => {
                    let (character, length) = crate::text::characters::first(rest);
                    let shown = character.map_or_else(
                        || format!("the byte {:#04x}", rest[0]),
                        |character| format!("“{}”", character.escape_debug()),
                    );
                    let message = format!("unexpected {shown}");
                    return Err(Fault::Wrong { span: start..start + length, message });
                }
            },
        };
        Ok((token, start..self.at))
    }

    /// Goes back to a place.
    pub(super) fn seek(&mut self, at: usize) {
        self.at = at;
    }

    /// Digits, which may be continued on the next line. A point alone is the last number written.
    fn number(&mut self) -> Result<Token, Fault> {
        let mut digits = Vec::new();
        let mut point = false;
        loop {
            match &self.text[self.at..] {
                [byte @ (b'0'..=b'9' | b'A'..=b'F'), ..] => digits.push(*byte),
                [b'.', ..] if !point => {
                    point = true;
                    digits.push(b'.');
                }
                [b'\\', b'\n', ..] => self.at += 1,
                [b'\\'] => return Err(Fault::Incomplete),
                _ => break,
            }
            self.at += 1;
        }
        Ok(if digits == b"." { Token::Word("last".to_owned()) } else { Token::Number(digits) })
    }
}
