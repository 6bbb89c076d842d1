//! What of Perl's patterns is understood, written as the library reads it. Anything else is
//! refused, never taken for something similar.

use std::ops::Range;

use crate::PatternErrorKind;
use crate::parser::DEPTH_MAX;

type Failure = (PatternErrorKind, Range<usize>);

const WORD: &str = "A-Za-z0-9_";
const DIGIT: &str = "0-9";
const SPACE: &str = "\\t-\\r ";
const HORIZONTAL: &str =
    "\\t \\x{a0}\\x{1680}\\x{180e}\\x{2000}-\\x{200a}\\x{202f}\\x{205f}\\x{3000}";
const VERTICAL: &str = "\\n-\\r\\x{85}\\x{2028}\\x{2029}";

/// The set that an escape means, and whether it is all but that. As on the host, words,
/// digits and blanks are those of ASCII.
fn set_of(letter: char) -> Option<(&'static str, bool)> {
    let set = match letter.to_ascii_lowercase() {
        'w' => WORD,
        'd' => DIGIT,
        's' => SPACE,
        'h' => HORIZONTAL,
        'v' => VERTICAL,
        _ => return None,
    };
    Some((set, letter.is_ascii_uppercase()))
}

/// The pattern in the library's syntax.
pub(super) fn translated(text: &str) -> Result<String, Failure> {
    let out = String::with_capacity(text.len());
    let mut translator = Translator { text, at: 0, out, open: Vec::new(), names: Vec::new() };
    // Signs of repetition one after the other: each is one more around what is repeated.
    let mut repeated = 0;
    while let Some(character) = translator.next() {
        let at = translator.at;
        let repeats = matches!(character, '*' | '+' | '?' | '{')
            || repeated > 0 && matches!(character, '0'..='9' | ',' | '}');
        repeated = if repeats {
            repeated + usize::from(!matches!(character, '0'..='9' | ',' | '}'))
        } else {
            0
        };
        if repeated + translator.open.len() > DEPTH_MAX {
            return Err((PatternErrorKind::TooDeep, at - character.len_utf8()..at));
        }
        match character {
            '\\' => translator.escape()?,
            '[' => translator.list()?,
            '(' => translator.group()?,
            ')' => {
                let at = translator.at;
                if translator.open.pop().is_none() {
                    return Err((PatternErrorKind::CloseGroup, at - 1..at));
                }
                translator.out.push(')');
            }
            '{' => translator.brace(),
            '}' => translator.out.push_str("\\}"),
            other => translator.out.push(other),
        }
    }
    match translator.open.pop() {
        Some(at) => Err((PatternErrorKind::OpenGroup, at..at + 1)),
        None => Ok(translator.out),
    }
}

/// What was put into brackets last.
#[derive(Clone, Copy, PartialEq)]
enum Last {
    /// A set, or nothing.
    Set,
    /// A character, at which a range may begin.
    Character,
    /// The sign of a range.
    Sign,
}

struct Translator<'t> {
    text: &'t str,
    at: usize,
    out: String,
    /// Where groups began that have not ended.
    open: Vec<usize>,
    /// The names of the groups so far: each means one.
    names: Vec<&'t str>,
}

impl<'t> Translator<'t> {
    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn next(&mut self) -> Option<char> {
        let character = self.rest().chars().next()?;
        self.at += character.len_utf8();
        Some(character)
    }

    fn takes(&mut self, token: &str) -> bool {
        let there = self.rest().starts_with(token);
        self.at += if there { token.len() } else { 0 };
        there
    }

    fn refused<T>(&self, from: usize) -> Result<T, Failure> {
        let part = self.text[from..self.at].to_owned();
        Err((PatternErrorKind::NotSupported(part), from..self.at))
    }

    fn put_character(&mut self, character: char) {
        let mut buffer = [0; 4];
        self.out.push_str(&regex_syntax::escape(character.encode_utf8(&mut buffer)));
    }

    /// Text from `\Q` on, up to `\E` or the end.
    fn quoted(&mut self) {
        let rest = self.rest();
        let end = rest.find("\\E").unwrap_or(rest.len());
        self.out.push_str(&regex_syntax::escape(&rest[..end]));
        self.at += (end + 2).min(rest.len());
    }

    /// The character of an escape that means one; `None` for other escapes.
    fn character(&mut self, letter: char, from: usize) -> Result<Option<char>, Failure> {
        Ok(Some(match letter {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            'f' => '\u{c}',
            'a' => '\u{7}',
            'e' => '\u{1b}',
            'c' => match self.next() {
                Some(control) if control.is_ascii() => {
                    char::from(control.to_ascii_uppercase() as u8 ^ 64)
                }
                _ => return self.refused(from),
            },
            'x' => {
                let rest = self.rest();
                let (digits, used) = match rest.strip_prefix('{') {
                    Some(inside) => match inside.find('}') {
                        Some(end) => (&inside[..end], end + 2),
                        None => return self.refused(from),
                    },
                    None => {
                        let count = rest.bytes().take(2).take_while(u8::is_ascii_hexdigit).count();
                        (&rest[..count], count)
                    }
                };
                self.at += used;
                let value = if digits.is_empty() { Ok(0) } else { u32::from_str_radix(digits, 16) };
                match value.ok().and_then(char::from_u32) {
                    Some(character) => character,
                    None => return self.refused(from),
                }
            }
            '0' => {
                let rest = self.rest();
                let octal = |byte: &u8| (b'0'..=b'7').contains(byte);
                let count = rest.bytes().take(2).take_while(octal).count();
                let value = u8::from_str_radix(&rest[..count], 8).unwrap_or(0);
                self.at += count;
                char::from(value)
            }
            sign if !sign.is_alphanumeric() => sign,
            _ => return Ok(None),
        }))
    }

    fn escape(&mut self) -> Result<(), Failure> {
        let from = self.at - 1;
        let Some(letter) = self.next() else {
            return Err((PatternErrorKind::TrailingBackslash, from..self.at));
        };
        if let Some((set, negated)) = set_of(letter) {
            let not = if negated { "^" } else { "" };
            self.out.push_str(&format!("[{not}{set}]"));
            return Ok(());
        }
        if let Some(character) = self.character(letter, from)? {
            self.put_character(character);
            return Ok(());
        }
        match letter {
            'Q' => self.quoted(),
            'E' => {}
            'N' => self.out.push_str("[^\\n]"),
            'R' => self.out.push_str(&format!("(?>\\r\\n|[{VERTICAL}])")),
            'b' => self
                .out
                .push_str(&format!("(?:(?<![{WORD}])(?=[{WORD}])|(?<=[{WORD}])(?![{WORD}]))")),
            'B' => self
                .out
                .push_str(&format!("(?:(?<![{WORD}])(?![{WORD}])|(?<=[{WORD}])(?=[{WORD}]))")),
            'A' | 'z' | 'K' => self.out.extend(['\\', letter]),
            'Z' => self.out.push_str("(?=\\n?\\z)"),
            '1'..='9' => {
                let digits = self.rest().bytes().take_while(u8::is_ascii_digit).count();
                self.at += digits;
                // More digits are a group or a character, by how many groups there are.
                if digits > 0 {
                    return self.refused(from);
                }
                let number = &self.text[from + 1..self.at];
                self.out.push_str(&format!("(?:\\{number})"));
            }
            'p' | 'P' => {
                let rest = self.rest();
                let end = match rest.strip_prefix('{') {
                    Some(inside) => inside.find('}').map(|end| end + 2),
                    None => rest.chars().next().map(char::len_utf8),
                };
                let Some(end) = end else { return self.refused(from) };
                self.out.extend(['\\', letter]);
                self.out.push_str(&rest[..end]);
                self.at += end;
            }
            'g' | 'k' => {
                let rest = self.rest();
                let close = match rest.bytes().next() {
                    Some(b'{') => '}',
                    Some(b'<') => '>',
                    Some(b'\'') => '\'',
                    _ => return self.refused(from),
                };
                let Some(end) = rest[1..].find(close) else { return self.refused(from) };
                let name = &rest[1..=end];
                self.at += end + 2;
                let number = name.bytes().all(|byte| byte.is_ascii_digit());
                let word = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
                // \g<name> would run the group once more.
                if name.is_empty() || !word || letter == 'g' && close != '}' {
                    return self.refused(from);
                }
                let named = format!("\\k<{name}>");
                self.out.push_str(&if number { format!("(?:\\{name})") } else { named });
            }
            _ => return self.refused(from),
        }
        Ok(())
    }

    /// A set in brackets.
    fn list(&mut self) -> Result<(), Failure> {
        let from = self.at - 1;
        self.out.push('[');
        if self.takes("^") {
            self.out.push('^');
        }
        let first = self.at;
        let mut last = Last::Set;
        loop {
            let begun = self.at;
            if begun > first && self.takes("]") {
                break;
            }
            let Some(character) = self.next() else {
                return Err((PatternErrorKind::OpenBracket, from..self.at));
            };
            let put = match character {
                '-' => {
                    let ranges = last == Last::Character && !self.rest().starts_with(']');
                    self.out.push_str(if ranges { "-" } else { "\\-" });
                    last = if ranges { Last::Sign } else { Last::Character };
                    continue;
                }
                '[' => self.named(begun)?,
                '\\' => match self.list_escape(from, begun)? {
                    Some(put) => put,
                    None => continue,
                },
                other => {
                    self.put_character(other);
                    Last::Character
                }
            };
            last = match (last, put) {
                // A set is no end of a range.
                (Last::Sign, Last::Set) => return self.refused(begun),
                (Last::Sign, _) => Last::Set,
                _ => put,
            };
        }
        self.out.push(']');
        Ok(())
    }

    /// `[:name:]`, or a bracket that is itself.
    fn named(&mut self, begun: usize) -> Result<Last, Failure> {
        let rest = self.rest();
        if rest.starts_with(['.', '=']) {
            self.at += 1;
            return self.refused(begun);
        }
        let name = rest.strip_prefix(':').and_then(|rest| rest.split_once(":]"));
        let Some((name, _)) = name else {
            self.put_character('[');
            return Ok(Last::Character);
        };
        self.at += name.len() + 3;
        let plain = name.strip_prefix('^').unwrap_or(name);
        let not = if plain.len() < name.len() { "^" } else { "" };
        match plain {
            "word" => self.out.push_str(&format!("[{not}{WORD}]")),
            "alpha" | "digit" | "alnum" | "upper" | "lower" | "space" | "blank" | "punct"
            | "print" | "graph" | "cntrl" | "xdigit" | "ascii" => {
                self.out.push_str(&format!("[[:{not}{plain}:]]"));
            }
            _ => return Err((PatternErrorKind::UnknownClass, begun..self.at)),
        }
        Ok(Last::Set)
    }

    /// An escape in brackets; `None` where it means nothing.
    fn list_escape(&mut self, from: usize, begun: usize) -> Result<Option<Last>, Failure> {
        let Some(letter) = self.next() else {
            return Err((PatternErrorKind::OpenBracket, from..self.at));
        };
        if let Some((set, negated)) = set_of(letter) {
            let not = if negated { "^" } else { "" };
            self.out.push_str(&format!("[{not}{set}]"));
            return Ok(Some(Last::Set));
        }
        match letter {
            'E' => return Ok(None),
            'Q' => {
                self.quoted();
                return Ok(Some(Last::Set));
            }
            'b' => self.put_character('\u{8}'),
            _ => match self.character(letter, begun)? {
                Some(character) => self.put_character(character),
                None => return self.refused(begun),
            },
        }
        Ok(Some(Last::Character))
    }

    /// What begins with a parenthesis.
    fn group(&mut self) -> Result<(), Failure> {
        let from = self.at - 1;
        if self.rest().starts_with('*') {
            self.at += 1;
            return self.refused(from);
        }
        self.open.push(from);
        if !self.takes("?") {
            self.out.push('(');
            return Ok(());
        }
        if self.takes("#") {
            let Some(end) = self.rest().find(')') else {
                return Err((PatternErrorKind::OpenGroup, from..self.at));
            };
            self.at += end + 1;
            self.open.pop();
            return Ok(());
        }
        for plain in [":", "=", "!", "<=", "<!", ">"] {
            if self.takes(plain) {
                self.out.push_str(&format!("(?{plain}"));
                return Ok(());
            }
        }
        if self.takes("P=") {
            let Some(end) = self.rest().find(')') else {
                return Err((PatternErrorKind::OpenGroup, from..self.at));
            };
            self.out.push_str(&format!("\\k<{}>", &self.rest()[..end]));
            self.at += end + 1;
            self.open.pop();
            return Ok(());
        }
        for (open, close) in [("P<", '>'), ("<", '>'), ("'", '\'')] {
            if self.takes(open) {
                let Some(end) = self.rest().find(close) else { return self.refused(from) };
                let name = &self.rest()[..end];
                self.at += end + 1;
                if self.names.contains(&name) {
                    return self.refused(from);
                }
                self.names.push(name);
                self.out.push_str(&format!("(?<{name}>"));
                return Ok(());
            }
        }
        let flags = self.rest().bytes().take_while(|byte| b"ims-".contains(byte)).count();
        let (letters, rest) = self.rest().split_at(flags);
        if !letters.is_empty() && rest.starts_with([':', ')']) {
            self.at += flags + 1;
            if rest.starts_with(')') {
                self.open.pop();
            }
            self.out.push_str(&format!("(?{letters}{}", &rest[..1]));
            return Ok(());
        }
        // Up to the first letter that is no option of ours.
        self.at += flags;
        let _ = self.next();
        self.refused(from)
    }

    /// An interval, or a brace that is itself.
    fn brace(&mut self) {
        let rest = self.rest();
        let interval = rest.find('}').map(|end| &rest[..end]).filter(|inside| {
            let (least, most) = inside.split_once(',').unwrap_or((inside, "0"));
            let number = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
            !least.is_empty() && number(least) && number(most)
        });
        match interval {
            Some(inside) => {
                self.out.push_str(&format!("{{{inside}}}"));
                self.at += inside.len() + 1;
            }
            None => self.out.push_str("\\{"),
        }
    }
}
