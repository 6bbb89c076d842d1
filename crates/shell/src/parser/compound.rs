//! Commands made of others (XCU 2.9.4, 2.9.5), and `[[ … ]]`.

use std::sync::Arc;

use super::characters::{ends_word, name_length};
use super::{Parsed, Parser};
use crate::{Arm, Command, Compound, List, Redirection, ShellErrorKind, Test, Word};

/// Operators before a word in `[[ … ]]`.
const UNARY: &str = "abcdefghknoprstuvwxzLNOGS";

/// Operators between words in `[[ … ]]`.
const BINARY: [&str; 15] = [
    "==", "=~", "!=", "=", "<", ">", "-eq", "-ne", "-lt", "-le", "-gt", "-ge", "-nt", "-ot", "-ef",
];

impl Parser<'_> {
    /// A compound command, if one is here.
    pub(super) fn compound_command(&mut self) -> Parsed<Option<Command>> {
        let start = self.at;
        let compound = if self.starts("((") && self.is_arithmetic() {
            return self.unsupported("((…)) (write [ … ] or : $((…)))", start, start + 2);
        } else if self.starts("(") {
            self.at += 1;
            let list = self.some_list(&[])?;
            self.close(")", start, "(")?;
            Compound::Subshell(list)
        } else if self.take_word("{") {
            let list = self.some_list(&["}"])?;
            self.close("}", start, "{")?;
            Compound::Group(list)
        } else if self.take_word("if") {
            self.branches(start)?
        } else if self.at_word("while") || self.at_word("until") {
            let until = self.take_word("until");
            if !until {
                self.take_word("while");
            }
            let condition = self.some_list(&["do"])?;
            let body = self.round(start, if until { "until" } else { "while" })?;
            Compound::Loop { until, condition, body }
        } else if self.take_word("for") {
            self.for_loop(start)?
        } else if self.take_word("case") {
            self.case(start)?
        } else if self.take_word("[[") {
            let test = self.test_or()?;
            self.newlines()?;
            self.close("]]", start, "[[")?;
            Compound::Test(test)
        } else {
            return Ok(None);
        };
        self.finished(start, compound).map(Some)
    }

    /// Redirections behind a compound command, and the command itself.
    fn finished(&mut self, start: usize, compound: Compound) -> Parsed<Command> {
        let mut redirections: Vec<Redirection> = Vec::new();
        let mut end = self.at;
        let mut off = None;
        loop {
            off = self.blanks().or(off);
            let Some(redirection) = self.redirection()? else { break };
            redirections.push(redirection);
            end = self.at;
        }
        if self.peek().is_some_and(|character| !ends_word(character)) {
            let from = self.at;
            let word = self.word()?;
            // The word's own place may be one in a larger text.
            let shown = self.text[from..self.at].to_owned();
            return self.fail(ShellErrorKind::Unexpected(shown), word.span.start, word.span.end);
        }
        Ok(Command {
            assignments: Vec::new(),
            words: Vec::new(),
            compound: Some(Arc::new(compound)),
            redirections,
            errors_too: false,
            span: self.span(start, end),
            off,
        })
    }

    /// True where `((` begins an arithmetic command, not a subshell in a subshell: it ends with
    /// `))` on the same line and holds no command's words there.
    fn is_arithmetic(&self) -> bool {
        let line = self.rest().lines().next().unwrap_or_default();
        let Some(end) = line.find("))") else { return false };
        !line[..end].contains([';', '|'])
    }

    /// Passes what must close a command that began at `start`.
    fn close(&mut self, closing: &str, start: usize, opening: &'static str) -> Parsed<()> {
        let there = match closing {
            ")" => self.starts(")"),
            word => self.at_word(word),
        };
        if there {
            self.at += closing.len();
            return Ok(());
        }
        if self.peek().is_none() {
            return self.fail(ShellErrorKind::Unterminated(opening), start, start + opening.len());
        }
        self.refuse_operator()
    }

    fn branches(&mut self, start: usize) -> Parsed<Compound> {
        let mut branches = Vec::new();
        let mut otherwise = None;
        loop {
            let condition = self.some_list(&["then"])?;
            self.close("then", start, "if")?;
            let body = self.some_list(&["elif", "else", "fi"])?;
            branches.push((condition, body));
            if self.take_word("elif") {
                continue;
            }
            if self.take_word("else") {
                otherwise = Some(self.some_list(&["fi"])?);
            }
            self.close("fi", start, "if")?;
            return Ok(Compound::If { branches, otherwise });
        }
    }

    /// `do … done`.
    fn round(&mut self, start: usize, opening: &'static str) -> Parsed<List> {
        self.close("do", start, opening)?;
        let body = self.some_list(&["done"])?;
        self.close("done", start, opening)?;
        Ok(body)
    }

    fn for_loop(&mut self, start: usize) -> Parsed<Compound> {
        self.blanks();
        if self.starts("((") {
            return self.unsupported("for ((…))", start, self.at + 2);
        }
        let length = name_length(self.rest());
        let name = self.rest()[..length].to_owned();
        let ends = self.rest()[length..].chars().next().is_none_or(ends_word);
        if length == 0 || !ends {
            return self.fail(ShellErrorKind::Missing("a variable's name"), start, self.at);
        }
        self.at += length;
        self.newlines()?;
        let mut words = None;
        if self.take_word("in") {
            let mut values = Vec::new();
            loop {
                self.blanks();
                match self.peek() {
                    None | Some('\n' | ';') => break,
                    Some(character) if ends_word(character) && !self.starts("<(") => {
                        return self.refuse_operator();
                    }
                    Some(_) => values.push(self.word()?),
                }
            }
            words = Some(values);
        }
        self.blanks();
        if self.starts(";") && !self.starts(";;") {
            self.at += 1;
        }
        self.newlines()?;
        let body = self.round(start, "for")?;
        Ok(Compound::For { name, words, body })
    }

    fn case(&mut self, start: usize) -> Parsed<Compound> {
        self.blanks();
        let subject = self.single_word()?;
        if subject.parts.is_empty() {
            return self.fail(ShellErrorKind::Missing("a word"), start, self.at);
        }
        self.newlines()?;
        self.close("in", start, "case")?;
        let mut arms = Vec::new();
        loop {
            self.newlines()?;
            if self.take_word("esac") {
                return Ok(Compound::Case { subject, arms });
            }
            if self.starts("(") {
                self.at += 1;
            }
            let mut patterns = Vec::new();
            loop {
                self.blanks();
                let pattern = self.single_word()?;
                if pattern.parts.is_empty() {
                    if self.peek().is_none() {
                        return self.fail(ShellErrorKind::Unterminated("case"), start, start + 4);
                    }
                    return self.fail(ShellErrorKind::Missing("a pattern"), self.at, self.at);
                }
                patterns.push(pattern);
                self.blanks();
                if !self.starts("|") {
                    break;
                }
                self.at += 1;
            }
            self.close(")", start, "case")?;
            let body = self.list(&["esac"])?;
            arms.push(Arm { patterns, body });
            if self.starts(";;&") {
                return self.unsupported(";;&", self.at, self.at + 3);
            }
            if self.starts(";;") {
                self.at += 2;
            } else if self.starts(";&") {
                return self.unsupported(";&", self.at, self.at + 2);
            }
        }
    }

    /// `NAME()` was read up to the parenthesis: the rest of the function.
    pub(super) fn function(&mut self, name: &Word, alone: bool) -> Parsed<Command> {
        let start = name.span.start;
        let literal = name.literal().unwrap_or_default();
        let valid = alone && name_length(&literal) == literal.len() && !literal.is_empty();
        if !valid {
            let kind = ShellErrorKind::Unexpected("(".to_owned());
            return self.fail(kind, self.at, self.at + 1);
        }
        self.at += 1;
        self.blanks();
        if !self.starts(")") {
            return self.fail(ShellErrorKind::Missing(") after a function's name"), start, self.at);
        }
        self.at += 1;
        self.newlines()?;
        // Within a function they are the function's own.
        let uses = self.uses;
        let body = self.deeper(Self::compound_command)?;
        self.uses = uses;
        let Some(body) = body else {
            let kind = ShellErrorKind::Missing("{ … } of a function");
            return self.fail(kind, start, self.at);
        };
        let span = self.span(start, body.span.end);
        let compound = Compound::Function { name: literal, body: Arc::new(body) };
        Ok(Command {
            assignments: Vec::new(),
            words: Vec::new(),
            compound: Some(Arc::new(compound)),
            redirections: Vec::new(),
            errors_too: false,
            span,
            off: None,
        })
    }

    fn test_or(&mut self) -> Parsed<Test> {
        let mut left = self.test_and()?;
        loop {
            self.newlines()?;
            if !self.starts("||") {
                return Ok(left);
            }
            self.at += 2;
            left = Test::Or(Box::new(left), Box::new(self.test_and()?));
        }
    }

    fn test_and(&mut self) -> Parsed<Test> {
        let mut left = self.deeper(Self::test_one)?;
        loop {
            self.newlines()?;
            if !self.starts("&&") {
                return Ok(left);
            }
            self.at += 2;
            left = Test::And(Box::new(left), Box::new(self.deeper(Self::test_one)?));
        }
    }

    fn test_one(&mut self) -> Parsed<Test> {
        self.newlines()?;
        if self.take_word("!") {
            return Ok(Test::Not(Box::new(self.deeper(Self::test_one)?)));
        }
        if self.starts("(") {
            let start = self.at;
            self.at += 1;
            let inner = self.test_or()?;
            self.newlines()?;
            self.close(")", start, "(")?;
            return Ok(inner);
        }
        let word = self.test_word()?;
        let operator = word
            .literal()
            .filter(|text| text.len() == 2 && text.starts_with('-') && UNARY.contains(&text[1..]));
        self.blanks();
        let over = self.at_word("]]") || self.starts("&&") || self.starts("||") || self.starts(")");
        if let (Some(operator), false) = (operator, over || self.binary_operator().is_some()) {
            return Ok(Test::Unary(operator, self.test_word()?));
        }
        let Some(operator) = self.binary_operator() else { return Ok(Test::Word(word)) };
        self.at += operator.len();
        self.blanks();
        let right = if operator == "=~" { self.pattern_word()? } else { self.test_word()? };
        if right.parts.is_empty() {
            return self.fail(ShellErrorKind::Missing("a pattern"), self.at, self.at);
        }
        Ok(Test::Binary(word, operator.to_owned(), right))
    }

    fn binary_operator(&self) -> Option<&'static str> {
        BINARY.into_iter().find(|operator| {
            self.starts(operator)
                && self.rest()[operator.len()..].starts_with([' ', '\t', '\n', '"', '\'', '$'])
        })
    }

    fn test_word(&mut self) -> Parsed<Word> {
        self.blanks();
        let word = self.single_word()?;
        if word.parts.is_empty() || word.is_plain("]]") {
            return self.fail(ShellErrorKind::Missing("a word"), word.span.start, self.at);
        }
        Ok(word)
    }
}
