//! Redirections and here-documents (XCU 2.7).

use std::sync::{Arc, OnceLock};

use super::characters::ends_word;
use super::{Awaited, Parsed, Parser};
use crate::{Document, Part, Redirection, RedirectionKind, ShellError, ShellErrorKind, Word};

/// The operators, longer ones first.
const OPERATORS: [&str; 13] =
    ["&>>", "<<<", "<<-", "&>", "<<", "<>", "<&", ">>", ">|", ">&", "<", ">", ""];

impl Parser<'_> {
    /// A redirection, if one is here.
    pub(super) fn redirection(&mut self) -> Parsed<Option<Redirection>> {
        let from = self.at;
        let digits = self.rest().bytes().take_while(u8::is_ascii_digit).count();
        let behind = &self.rest()[digits..];
        let operator = OPERATORS.into_iter().find(|token| behind.starts_with(token)).unwrap_or("");
        // `<( … )` and `>( … )` are words.
        let substituted = behind.starts_with("<(") || behind.starts_with(">(");
        if operator.is_empty() || substituted || operator.starts_with('&') && digits > 0 {
            return Ok(None);
        }
        let descriptor = if digits > 0 {
            let text = &self.rest()[..digits];
            match text.parse() {
                Ok(number @ 0..=9) => number,
                _ => {
                    let kind = ShellErrorKind::BadDescriptor(text.to_owned());
                    return self.fail(kind, from, from + digits);
                }
            }
        } else {
            u8::from(!operator.starts_with('<'))
        };
        self.at += digits + operator.len();
        self.blanks();
        let missing = match self.peek() {
            Some('<' | '>') => !self.starts("<(") && !self.starts(">("),
            None => true,
            Some(character) => ends_word(character),
        };
        if missing {
            return self.fail(ShellErrorKind::MissingTarget(operator.to_owned()), from, self.at);
        }
        let kind = if operator.starts_with("<<") && operator != "<<<" {
            self.document(operator == "<<-", from)?
        } else {
            let word = self.single_word()?;
            match operator {
                "<" => RedirectionKind::Read(word),
                ">>" => RedirectionKind::Append(word),
                ">" | ">|" => RedirectionKind::Replace(word),
                "<>" => RedirectionKind::ReadWrite(word),
                "<<<" => RedirectionKind::Text(word),
                "&>" => RedirectionKind::ReplaceBoth(word),
                "&>>" => RedirectionKind::AppendBoth(word),
                _ => self.duplicated(operator, from, &word)?,
            }
        };
        Ok(Some(Redirection { descriptor, kind, span: self.span(from, self.at) }))
    }

    fn duplicated(&self, operator: &str, from: usize, word: &Word) -> Parsed<RedirectionKind> {
        match word.literal().as_deref() {
            Some("-") => Ok(RedirectionKind::Close),
            Some(text) if !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit()) => {
                match text.parse() {
                    Ok(of @ 0..=9) => Ok(RedirectionKind::Duplicate(of)),
                    _ => {
                        let kind = ShellErrorKind::BadDescriptor(text.to_owned());
                        Err(ShellError { kind, span: word.span })
                    }
                }
            }
            Some(_) => {
                let what = format!("{operator} with a file (write &> for both)");
                self.unsupported(what, from, self.at)
            }
            None => {
                let what = format!("{operator} with a descriptor that is not known before");
                self.unsupported(what, from, self.at)
            }
        }
    }

    fn document(&mut self, strips_tabs: bool, from: usize) -> Parsed<RedirectionKind> {
        let word_start = self.at;
        let word = self.single_word()?;
        let quoted = word.parts.iter().any(|part| !matches!(part, Part::Text(_)));
        let mut delimiter = String::new();
        for part in &word.parts {
            let inner = match part {
                Part::Double(inner) => &inner[..],
                part => std::slice::from_ref(part),
            };
            for part in inner {
                match part {
                    Part::Text(text) | Part::Single(text) => delimiter.push_str(text),
                    Part::Escaped(character) => delimiter.push(*character),
                    _ => {
                        let what = "a here-document whose end is expanded";
                        return self.unsupported(what, word_start, self.at);
                    }
                }
            }
        }
        let body = Arc::new(OnceLock::new());
        let document = Document { delimiter, quoted, strips_tabs, body };
        let span = self.span(from, self.at);
        self.documents.push(Awaited { document: document.clone(), span });
        Ok(RedirectionKind::Document(document))
    }

    /// Reads the bodies of the here-documents of the line before.
    pub(super) fn read_documents(&mut self) -> Parsed<()> {
        for awaited in std::mem::take(&mut self.documents) {
            let Awaited { document, span } = awaited;
            let start = self.at;
            let mut content = String::new();
            loop {
                if self.at >= self.text.len() {
                    let kind = ShellErrorKind::UnterminatedDocument(document.delimiter);
                    return Err(ShellError { kind, span });
                }
                let rest = self.rest();
                let length = rest.find('\n').unwrap_or(rest.len());
                let mut line = &rest[..length];
                self.at += (length + 1).min(rest.len());
                if document.strips_tabs {
                    line = line.trim_start_matches('\t');
                }
                if line == document.delimiter {
                    break;
                }
                content.push_str(line);
                content.push('\n');
            }
            let whole = self.span(start, self.at);
            let parts = if document.quoted {
                vec![Part::Text(content)]
            } else {
                let mut inner = Parser::new(&content, self.builtins);
                inner.depth = self.depth + 1;
                // Where nothing was left out the places are those of the text.
                inner.fixed = Some(whole);
                let parts = inner.quoted_parts(None)?;
                self.uses.join(inner.uses);
                parts
            };
            // Each is read once.
            let _ = document.body.set((parts, whole));
        }
        Ok(())
    }

    /// Refuses here-documents that have no body.
    pub(super) fn end_documents(&mut self) -> Parsed<()> {
        match self.documents.drain(..).next() {
            None => Ok(()),
            Some(Awaited { document, span }) => {
                let kind = ShellErrorKind::UnterminatedDocument(document.delimiter);
                Err(ShellError { kind, span })
            }
        }
    }
}
