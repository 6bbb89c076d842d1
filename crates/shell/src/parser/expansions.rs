//! What is behind `$`, in backquotes, and in `<( … )`.

use std::sync::Arc;

use super::characters::name_length;
use super::{Parsed, Parser};
use crate::{
    Direction, Expansion, List, Operation, Otherwise, Parameter, Part, ShellErrorKind, Word,
};

impl Parser<'_> {
    /// An expansion at `$` or a backquote; `None` where the dollar sign is only itself.
    pub(super) fn dollar(&mut self, quoted: bool) -> Parsed<Option<Part>> {
        if self.starts("`") {
            return self.deeper(Self::backquoted).map(Some);
        }
        let start = self.at;
        let rest = &self.rest()[1..];
        if rest.starts_with("((")
            && let Some(part) = self.deeper(Self::arithmetic)?
        {
            return Ok(Some(part));
        }
        if rest.starts_with('(') {
            self.at += 2;
            let list = self.enclosed("$(", start)?;
            return Ok(Some(Part::Command(Arc::new(list), self.span(start, self.at))));
        }
        if rest.starts_with('[') {
            return self.unsupported("$[…] (write $((…)))", start, start + 2);
        }
        if rest.starts_with('"') && !quoted {
            return self.unsupported("$\"…\"", start, start + 2);
        }
        if rest.starts_with('{') {
            return self.deeper(|parser| parser.braced(quoted)).map(Some);
        }
        let length = match rest.chars().next() {
            Some('0'..='9' | '@' | '*' | '#' | '?' | '$' | '-') => 1,
            Some('!') => return self.unsupported("$!", start, start + 2),
            _ => name_length(rest),
        };
        let Some(parameter) = self.parameter(&rest[..length]) else { return Ok(None) };
        self.at = start + 1 + length;
        Ok(Some(Part::Parameter(parameter, self.span(start, self.at))))
    }

    /// Commands up to the closing parenthesis, which is passed. `opening` began at `start`.
    fn enclosed(&mut self, opening: &'static str, start: usize) -> Parsed<List> {
        let outer = std::mem::take(&mut self.documents);
        let list = self.deeper(|parser| parser.list(&[]))?;
        if self.peek() != Some(')') {
            if self.peek().is_none() {
                let end = start + opening.len();
                return self.fail(ShellErrorKind::Unterminated(opening), start, end);
            }
            return self.refuse_operator();
        }
        self.end_documents()?;
        self.documents = outer;
        self.at += 1;
        Ok(list)
    }

    /// `<( … )` or `>( … )`.
    pub(super) fn substituted(&mut self) -> Parsed<Part> {
        let start = self.at;
        let (direction, opening) = match self.peek() {
            Some('<') => (Direction::Read, "<("),
            _ => (Direction::Write, ">("),
        };
        self.at += 2;
        let list = self.enclosed(opening, start)?;
        if list.items.is_empty() {
            let end = self.at;
            return self.fail(ShellErrorKind::Missing("a command"), start, end);
        }
        Ok(Part::Substituted(direction, Arc::new(list), self.span(start, self.at)))
    }

    fn backquoted(&mut self) -> Parsed<Part> {
        let start = self.at;
        let body = &self.rest()[1..];
        let mut plain = String::new();
        let mut characters = body.char_indices();
        let length = loop {
            match characters.next() {
                None => {
                    return self.fail(ShellErrorKind::Unterminated("`"), start, self.text.len());
                }
                Some((at, '`')) => break at,
                Some((_, '\\')) => match characters.next() {
                    Some((_, escaped @ ('$' | '`' | '\\'))) => plain.push(escaped),
                    Some((_, other)) => plain.extend(['\\', other]),
                    None => {}
                },
                Some((_, other)) => plain.push(other),
            }
        };
        let end = start + length + 2;
        let fixed = self.span(start, end);
        let list = if plain.len() == length {
            // Nothing was escaped: the places are those of the text.
            let mut inner = Parser::new(&self.text[..end - 1], self.builtins);
            (inner.at, inner.depth, inner.fixed) = (start + 1, self.depth, self.fixed);
            let list = inner.whole()?;
            self.uses.join(inner.uses);
            list
        } else {
            let mut inner = Parser::new(&plain, self.builtins);
            (inner.depth, inner.fixed) = (self.depth, Some(fixed));
            let list = inner.whole()?;
            self.uses.join(inner.uses);
            list
        };
        self.at = end;
        Ok(Part::Command(Arc::new(list), fixed))
    }

    fn whole(&mut self) -> Parsed<List> {
        let list = self.list(&[])?;
        if self.peek().is_some() {
            return self.refuse_operator();
        }
        self.end_documents()?;
        Ok(list)
    }

    /// `$((…))`; `None` where it turns out to be a subshell in `$( … )`.
    fn arithmetic(&mut self) -> Parsed<Option<Part>> {
        let start = self.at;
        self.at += 3;
        let mut parts = Vec::new();
        let mut open = 0;
        loop {
            match self.peek() {
                None => {
                    return self.fail(ShellErrorKind::Unterminated("$(("), start, start + 3);
                }
                Some(')') if open == 0 => {
                    if self.starts("))") {
                        self.at += 2;
                        let span = self.span(start, self.at);
                        return Ok(Some(Part::Arithmetic(parts, span)));
                    }
                    self.at = start;
                    return Ok(None);
                }
                Some('$' | '`') => match self.dollar(true)? {
                    Some(part) => parts.push(part),
                    None => {
                        self.at += 1;
                        super::words::push_text(&mut parts, '$');
                    }
                },
                Some('"') => self.at += 1,
                Some(character) => {
                    open += match character {
                        '(' => 1,
                        ')' => -1,
                        _ => 0,
                    };
                    self.at += character.len_utf8();
                    super::words::push_text(&mut parts, character);
                }
            }
        }
    }

    /// `${…}`.
    fn braced(&mut self, quoted: bool) -> Parsed<Part> {
        let start = self.at;
        self.at += 2;
        let unterminated = |parser: &Self| {
            parser.fail(ShellErrorKind::Unterminated("${"), start, parser.text.len())
        };
        let refused = |parser: &Self| {
            let end = parser.rest().find('}').map_or(parser.text.len(), |at| parser.at + at + 1);
            parser.unsupported(parser.text[start..end].to_owned(), start, end)
        };
        // `${#}` is how many, `${#x}` the length of x, `${#-w}` the first with an operation.
        let rest = self.rest();
        if rest.starts_with('#') && !rest.starts_with("#}") {
            let name = parameter_length(&rest[1..]);
            if name > 0 && rest[1 + name..].starts_with('}') {
                let Some(parameter) = self.parameter(&rest[1..=name]) else {
                    return refused(self);
                };
                self.at += name + 2;
                let expansion = Expansion { parameter, operation: Operation::Length };
                return Ok(Part::Expansion(Box::new(expansion), self.span(start, self.at)));
            }
        }
        let name = parameter_length(rest);
        let Some(parameter) = self.parameter(&rest[..name]) else {
            return if rest.contains('}') { refused(self) } else { unterminated(self) };
        };
        self.at += name;
        if self.starts("}") {
            self.at += 1;
            return Ok(Part::Parameter(parameter, self.span(start, self.at)));
        }
        let operation = if let Some((signs, suffix)) = self.removal() {
            self.at += signs;
            let pattern = self.expansion_word()?;
            Operation::Remove { suffix, longest: signs == 2, pattern }
        } else {
            let or_empty = self.starts(":");
            let how = match self.rest()[usize::from(or_empty)..].chars().next() {
                Some('-') => Otherwise::Use,
                Some('=') => Otherwise::Assign,
                Some('?') => Otherwise::Fail,
                Some('+') => Otherwise::Instead,
                None => return unterminated(self),
                Some(_) => return refused(self),
            };
            if how == Otherwise::Assign && !matches!(parameter, Parameter::Variable(_)) {
                return refused(self);
            }
            self.at += 1 + usize::from(or_empty);
            let from = self.at;
            let word = if quoted {
                let parts = self.quoted_parts(Some('}'))?;
                Word { parts, span: self.span(from, self.at) }
            } else {
                self.expansion_word()?
            };
            Operation::Otherwise { how, or_empty, word }
        };
        if !self.starts("}") {
            return unterminated(self);
        }
        self.at += 1;
        let expansion = Expansion { parameter, operation };
        Ok(Part::Expansion(Box::new(expansion), self.span(start, self.at)))
    }

    /// A parameter by its name; one of the script's own is noted.
    fn parameter(&mut self, name: &str) -> Option<Parameter> {
        let parameter = parameter_named(name)?;
        self.uses.note(&parameter);
        Some(parameter)
    }

    /// `#`, `##`, `%` or `%%` here: how many signs, and whether they mean the end.
    fn removal(&self) -> Option<(usize, bool)> {
        ["##", "%%", "#", "%"]
            .into_iter()
            .find(|signs| self.starts(signs))
            .map(|signs| (signs.len(), signs.starts_with('%')))
    }
}

/// The length of a parameter's name at the beginning of a text.
fn parameter_length(text: &str) -> usize {
    match text.bytes().next() {
        Some(b'0'..=b'9') => text.bytes().take_while(u8::is_ascii_digit).count(),
        Some(b'@' | b'*' | b'#' | b'?' | b'$' | b'-') => 1,
        _ => name_length(text),
    }
}

fn parameter_named(name: &str) -> Option<Parameter> {
    Some(match name {
        "@" => Parameter::All,
        "*" => Parameter::AllJoined,
        "#" => Parameter::Count,
        "?" => Parameter::Status,
        "$" => Parameter::Process,
        "-" => Parameter::Options,
        "" => return None,
        _ if name.bytes().all(|byte| byte.is_ascii_digit()) => {
            Parameter::Position(name.parse().ok()?)
        }
        _ if name_length(name) == name.len() => Parameter::Variable(name.to_owned()),
        _ => return None,
    })
}
