//! The grammar of lists, pipelines and simple commands (XCU 2.10).

use crate::{
    Assignment, Builtins, Command, Connector, Document, Item, List, OFF_MARK, Pipeline, Place,
    Refusal, Script, ShellError, ShellErrorKind, Span, TimeForm, Uses, Word,
};

mod characters;
mod compound;
mod expansions;
mod redirections;
mod words;

use characters::{ends_word, name_length};

/// Words that end a part of a compound command (XCU 2.4).
const CLOSING: [&str; 8] = ["}", "do", "done", "elif", "else", "esac", "fi", "then"];

/// Words of other shells' grammars.
const OTHER_GRAMMARS: [(&str, &str); 3] = [
    ("coproc", "coproc"),
    ("function", "the word “function” (write NAME() { …; })"),
    ("select", "select"),
];

/// Commands within commands beyond this are refused.
const DEPTH_MAX: usize = 60;

/// Parses a whole text for a shell that has these commands of its own.
///
/// # Errors
/// The first thing that is wrong or not supported, with its place.
pub fn parse(text: &str, builtins: &dyn Builtins) -> Result<Script, ShellError> {
    let mut parser = Parser::new(text, builtins);
    let list = parser.list(&[])?;
    if parser.peek().is_some() {
        return parser.refuse_operator();
    }
    parser.end_documents()?;
    Ok(Script { list, comments: parser.comments, uses: parser.uses })
}

/// A here-document whose body comes behind the line.
struct Awaited {
    document: Document,
    /// Where its operator is.
    span: Span,
}

/// A command that may not be beside others.
struct Alone {
    name: String,
    span: Span,
}

struct Parser<'t> {
    text: &'t str,
    builtins: &'t dyn Builtins,
    at: usize,
    comments: Vec<Span>,
    /// How many commands are open around this place.
    depth: usize,
    /// The parameters of the script that are used so far.
    uses: Uses,
    /// Here-documents whose bodies come behind the line.
    documents: Vec<Awaited>,
    /// Commands that may not be beside others in a pipeline.
    alone: Vec<Alone>,
    /// Where there is a brace that is only itself.
    no_braces: std::collections::HashSet<usize>,
    /// Where everything is said to be, in text that is elsewhere in another form.
    fixed: Option<Span>,
}

type Parsed<T> = Result<T, ShellError>;

impl<'t> Parser<'t> {
    fn new(text: &'t str, builtins: &'t dyn Builtins) -> Self {
        Self {
            text,
            builtins,
            at: 0,
            comments: Vec::new(),
            depth: 0,
            uses: Uses::default(),
            documents: Vec::new(),
            alone: Vec::new(),
            no_braces: std::collections::HashSet::new(),
            fixed: None,
        }
    }

    fn span(&self, start: usize, end: usize) -> Span {
        self.fixed.unwrap_or(Span::new(start, end))
    }

    fn fail<T>(&self, kind: ShellErrorKind, start: usize, end: usize) -> Parsed<T> {
        Err(ShellError { kind, span: self.span(start, end) })
    }

    fn unsupported<T>(&self, what: impl Into<String>, start: usize, end: usize) -> Parsed<T> {
        self.fail(ShellErrorKind::Unsupported(what.into()), start, end)
    }

    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn starts(&self, token: &str) -> bool {
        self.rest().starts_with(token)
    }

    fn bump(&mut self) -> Option<char> {
        let character = self.peek()?;
        self.at += character.len_utf8();
        Some(character)
    }

    /// Runs `inside` one level deeper.
    fn deeper<T>(&mut self, inside: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        if self.depth >= DEPTH_MAX {
            return self.unsupported("a command so deep inside others", self.at, self.at);
        }
        self.depth += 1;
        let result = inside(self);
        self.depth -= 1;
        result
    }

    /// Passes blanks, continued lines, and a comment. Gives the text of an off mark, if the
    /// comment is one.
    fn blanks(&mut self) -> Option<Span> {
        let mut off = None;
        loop {
            if self.starts("\\\n") {
                self.at += 2;
            } else if matches!(self.peek(), Some(' ' | '\t' | '\r')) {
                self.at += 1;
            } else if self.starts("#") {
                let start = self.at;
                let length = self.rest().find('\n').unwrap_or(self.rest().len());
                self.at += length;
                self.comments.push(self.span(start, self.at));
                let comment = &self.text[start..self.at];
                if let Some(stage) = comment.strip_prefix(OFF_MARK) {
                    let stage = stage.trim();
                    if !stage.is_empty() {
                        let from = start + comment.find(stage).unwrap_or(OFF_MARK.len());
                        off = Some(self.span(from, from + stage.len()));
                    }
                }
            } else {
                return off;
            }
        }
    }

    /// Passes blanks, comments and newlines.
    fn newlines(&mut self) -> Parsed<()> {
        loop {
            self.blanks();
            if self.peek() != Some('\n') {
                return Ok(());
            }
            self.newline()?;
        }
    }

    /// Passes a newline, and the here-documents behind it.
    fn newline(&mut self) -> Parsed<()> {
        self.at += 1;
        self.read_documents()
    }

    /// A reserved word that is here as a word of its own.
    fn at_word(&self, word: &str) -> bool {
        let Some(rest) = self.rest().strip_prefix(word) else { return false };
        rest.chars().next().is_none_or(ends_word)
    }

    /// Passes a reserved word.
    fn take_word(&mut self, word: &str) -> bool {
        let there = self.at_word(word);
        if there {
            self.at += word.len();
        }
        there
    }

    /// Commands up to one of these words, a closing parenthesis, `;;` or the end, which stay.
    fn list(&mut self, until: &[&str]) -> Parsed<List> {
        let mut list = List::default();
        loop {
            self.newlines()?;
            let over = match self.peek() {
                None | Some(')') => true,
                Some(';') => self.starts(";;"),
                Some(_) => until.iter().any(|word| self.at_word(word)),
            };
            if over {
                return Ok(list);
            }
            let item = self.item()?;
            self.blanks();
            match self.peek() {
                Some(';') if !self.starts(";;") => self.at += 1,
                Some('&') if !self.starts("&&") => {
                    let what = "& (run in the background)";
                    return self.unsupported(what, self.at, self.at + 1);
                }
                None | Some('\n' | ')' | ';') => {}
                Some(_) => return self.refuse_operator(),
            }
            list.items.push(item);
        }
    }

    /// As [`Parser::list`], where there must be a command.
    fn some_list(&mut self, until: &[&str]) -> Parsed<List> {
        let list = self.list(until)?;
        if list.items.is_empty() {
            return self.refuse_operator();
        }
        Ok(list)
    }

    fn item(&mut self) -> Parsed<Item> {
        let first = self.pipeline()?;
        let mut rest = Vec::new();
        loop {
            self.blanks();
            let connector = if self.starts("&&") {
                Connector::And
            } else if self.starts("||") {
                Connector::Or
            } else {
                return Ok(Item { first, rest });
            };
            let from = self.at;
            self.at += 2;
            self.newlines()?;
            if self.peek().is_none() {
                let operator = self.text[from..from + 2].to_owned();
                return self.fail(ShellErrorKind::MissingAfter(operator), from, from + 2);
            }
            rest.push((connector, self.pipeline()?));
        }
    }

    fn pipeline(&mut self) -> Parsed<Pipeline> {
        let (mut negated, mut timed) = (false, None);
        loop {
            if self.take_word("!") {
                negated = !negated;
            } else if timed.is_none() && self.take_word("time") {
                self.blanks();
                let portable = self.take_word("-p");
                timed = Some(if portable { TimeForm::Portable } else { TimeForm::Usual });
            } else {
                break;
            }
            self.blanks();
        }
        let alone = self.alone.len();
        let mut commands = vec![self.command()?];
        let mut pipes = Vec::new();
        loop {
            let off = self.blanks();
            if let (Some(off), Some(last)) = (off, commands.last_mut()) {
                last.off = Some(off);
            }
            if !self.starts("|") || self.starts("||") {
                break;
            }
            let from = self.at;
            let both = self.starts("|&");
            self.at += if both { 2 } else { 1 };
            let pipe = self.span(from, self.at);
            let off = self.blanks();
            if let Some(last) = commands.last_mut() {
                last.errors_too = both;
                last.off = off.or(last.off);
            }
            self.newlines()?;
            if self.peek().is_none() {
                return self.fail(ShellErrorKind::MissingAfterPipe, pipe.start, pipe.end);
            }
            pipes.push(pipe);
            commands.push(self.command()?);
        }
        let span = match (commands.first(), commands.last()) {
            (Some(first), Some(last)) => first.span.to(last.span),
            _ => Span::default(),
        };
        if let (true, Some(Alone { name, span })) = (commands.len() > 1, self.alone.get(alone)) {
            let what = format!("{name} in a pipeline with other commands");
            return Err(ShellError { kind: ShellErrorKind::Unsupported(what), span: *span });
        }
        Ok(Pipeline { negated, timed, commands, pipes, span })
    }

    /// An operator or reserved word that may not stand here.
    fn refuse_operator<T>(&self) -> Parsed<T> {
        let name = CLOSING.iter().find(|word| self.at_word(word));
        if let Some(word) = name {
            let end = self.at + word.len();
            return self.fail(ShellErrorKind::Unexpected((*word).to_owned()), self.at, end);
        }
        let operators = ["&&", "||", ";;", "|", ";", "&"];
        if let Some(token) = operators.iter().find(|token| self.starts(token)) {
            let kind = ShellErrorKind::MissingBefore((*token).to_owned());
            return self.fail(kind, self.at, self.at + token.len());
        }
        match self.peek() {
            None => self.fail(ShellErrorKind::Missing("a command"), self.at, self.at),
            Some(character) => {
                let shown = if character == '\n' {
                    "the end of the line".to_owned()
                } else {
                    character.to_string()
                };
                let end = self.at + character.len_utf8();
                self.fail(ShellErrorKind::Unexpected(shown), self.at, end)
            }
        }
    }

    fn command(&mut self) -> Parsed<Command> {
        if let Some(command) = self.deeper(Self::compound_command)? {
            return Ok(command);
        }
        let start = self.at;
        let mut command = Command {
            assignments: Vec::new(),
            words: Vec::new(),
            compound: None,
            redirections: Vec::new(),
            errors_too: false,
            span: self.span(start, start),
            off: None,
        };
        let mut end = start;
        loop {
            if let Some(off) = self.blanks() {
                command.off = Some(off);
            }
            match self.peek() {
                None | Some('\n' | ';' | '|' | ')') => break,
                Some('&') if !self.starts("&>") => break,
                Some('(') => {
                    return match &command.words[..] {
                        [name] if command.assignments.is_empty() => {
                            let name = name.clone();
                            self.function(&name, command.redirections.is_empty())
                        }
                        _ => self.fail(
                            ShellErrorKind::Unexpected("(".to_owned()),
                            self.at,
                            self.at + 1,
                        ),
                    };
                }
                _ => {}
            }
            if let Some(redirection) = self.redirection()? {
                command.redirections.push(redirection);
            } else if command.words.is_empty()
                && let Some(assignment) = self.assignment()?
            {
                command.assignments.push(assignment);
            } else {
                let word = self.word()?;
                if command.words.is_empty() {
                    self.check_name(&word)?;
                }
                command.words.push(word);
            }
            end = self.at;
        }
        command.span = self.span(start, end);
        let nothing = command.words.is_empty()
            && command.assignments.is_empty()
            && command.redirections.is_empty();
        if nothing {
            return self.refuse_operator();
        }
        self.check_arguments(&command)?;
        Ok(command)
    }

    /// Refuses what commands of the shell cannot do here, as far as the text tells.
    fn check_arguments(&mut self, command: &Command) -> Parsed<()> {
        let Some((word, arguments)) = command.words.split_first() else { return Ok(()) };
        let Some(name) = word.plain() else { return Ok(()) };
        match self.builtins.check(name, arguments) {
            Ok(Place::Anywhere) => Ok(()),
            Ok(Place::Alone) => {
                self.alone.push(Alone { name: name.to_owned(), span: word.span });
                Ok(())
            }
            Err(Refusal { what, span }) => {
                let kind = ShellErrorKind::Unsupported(what);
                Err(ShellError { kind, span: span.unwrap_or(word.span) })
            }
        }
    }

    fn check_name(&self, word: &Word) -> Parsed<()> {
        if let Some(closing) = CLOSING.iter().find(|closing| word.is_plain(closing)) {
            let kind = ShellErrorKind::Unexpected((*closing).to_owned());
            return Err(ShellError { kind, span: word.span });
        }
        let refused = |name: &str| {
            let other = OTHER_GRAMMARS.iter().find(|(word, _)| *word == name);
            other.map(|(_, what)| *what).or_else(|| self.builtins.refused(name))
        };
        if let Some(what) = word.plain().and_then(refused) {
            let kind = ShellErrorKind::Unsupported(what.to_owned());
            return Err(ShellError { kind, span: word.span });
        }
        if let [crate::Part::Text(text), ..] = &word.parts[..] {
            let name = name_length(text);
            if name > 0 && text[name..].starts_with("+=") {
                let kind = ShellErrorKind::Unsupported("NAME+=value".to_owned());
                return Err(ShellError { kind, span: word.span });
            }
        }
        Ok(())
    }

    fn assignment(&mut self) -> Parsed<Option<Assignment>> {
        let length = name_length(self.rest());
        if length == 0 || self.rest().as_bytes().get(length) != Some(&b'=') {
            return Ok(None);
        }
        let start = self.at;
        let name = self.rest()[..length].to_owned();
        self.at += length + 1;
        if self.starts("(") {
            return self.unsupported("an array", start, self.at + 1);
        }
        let value = self.assigned_word()?;
        Ok(Some(Assignment { name, value, span: self.span(start, self.at) }))
    }
}

#[cfg(test)]
mod tests;
