//! The grammar of lists, pipelines and simple commands (XCU 2.10).

use crate::{
    Assignment, Command, Connector, Document, Item, List, OFF_MARK, Pipeline, Script, ShellError,
    ShellErrorKind, Span, TimeForm, Uses, Word,
};

mod characters;
mod compound;
mod expansions;
mod redirections;
mod words;

use characters::{ends_word, name_length};

/// Words that end a part of a compound command (XCU 2.4).
const CLOSING: [&str; 8] = ["}", "do", "done", "elif", "else", "esac", "fi", "then"];

/// Words of other shells' grammars, and commands of shells that are not done here.
const UNSUPPORTED: [(&str, &str); 35] = [
    ("alias", "alias"),
    ("bg", "bg (job control)"),
    ("bind", "bind"),
    ("builtin", "builtin"),
    ("caller", "caller"),
    ("compgen", "compgen"),
    ("complete", "complete"),
    ("compopt", "compopt"),
    ("coproc", "coproc"),
    ("declare", "declare"),
    ("dirs", "dirs"),
    ("disown", "disown (job control)"),
    ("enable", "enable"),
    ("fc", "fc"),
    ("fg", "fg (job control)"),
    ("function", "the word “function” (write NAME() { …; })"),
    ("hash", "hash"),
    ("help", "help"),
    ("history", "history"),
    ("jobs", "jobs (job control)"),
    ("let", "let (write $(( … )))"),
    ("logout", "logout"),
    ("mapfile", "mapfile"),
    ("popd", "popd"),
    ("pushd", "pushd"),
    ("readarray", "readarray"),
    ("select", "select"),
    ("shopt", "shopt"),
    ("source", "source (write . FILE)"),
    ("suspend", "suspend (job control)"),
    ("typeset", "typeset"),
    ("ulimit", "ulimit"),
    ("unalias", "unalias"),
    ("wait", "wait (job control)"),
    ("eval", "eval (its commands are not known before it runs)"),
];

/// Why a command of shells is not done here; `None` for every other name. For names that are known
/// only when the text runs.
pub fn unsupported_command(name: &[u8]) -> Option<&'static str> {
    UNSUPPORTED.iter().find(|(known, _)| known.as_bytes() == name).map(|(_, what)| *what)
}

/// Options of `set` that are done: letters, and names after `-o`.
const SET_LETTERS: &str = "efuo";
const SET_NAMES: [&str; 4] = ["errexit", "nounset", "noglob", "pipefail"];

/// Commands within commands beyond this are refused.
const DEPTH_MAX: usize = 60;

/// Parses a whole text.
///
/// # Errors
/// The first thing that is wrong or not supported, with its place.
pub fn parse(text: &str) -> Result<Script, ShellError> {
    let mut parser = Parser::new(text);
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
    /// Where its operator stands.
    span: Span,
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    comments: Vec<Span>,
    /// How many commands are open around this place.
    depth: usize,
    /// The parameters of the script that are used so far.
    uses: Uses,
    /// Here-documents whose bodies come behind the line.
    documents: Vec<Awaited>,
    /// Where `umask` stands with an argument: it holds for the whole process, so it cannot be done
    /// beside other commands.
    masks: Vec<Span>,
    /// Where there is a brace that is only itself.
    no_braces: std::collections::HashSet<usize>,
    /// Where everything is said to be, in text that stands elsewhere in another form.
    fixed: Option<Span>,
}

type Parsed<T> = Result<T, ShellError>;

impl<'t> Parser<'t> {
    fn new(text: &'t str) -> Self {
        Self {
            text,
            at: 0,
            comments: Vec::new(),
            depth: 0,
            uses: Uses::default(),
            documents: Vec::new(),
            masks: Vec::new(),
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

    /// A reserved word that stands here as a word of its own.
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
        let masks = self.masks.len();
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
        if let (true, Some(mask)) = (commands.len() > 1, self.masks.get(masks)) {
            let what = "umask in a pipeline with other commands".to_owned();
            return Err(ShellError { kind: ShellErrorKind::Unsupported(what), span: *mask });
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
                    Self::check_name(&word)?;
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

    /// Refuses what commands of the shell cannot do here, as far as it stands in the text.
    fn check_arguments(&mut self, command: &Command) -> Parsed<()> {
        let Some((name, arguments)) = command.words.split_first() else { return Ok(()) };
        let refused = |what: &str, span: Span| {
            Err(ShellError { kind: ShellErrorKind::Unsupported(what.to_owned()), span })
        };
        let plain = |word: &Word| word.literal();
        if name.is_plain("exec") {
            if let Some(word) = arguments.first() {
                return refused("exec with a command", word.span);
            }
        } else if name.is_plain("umask") && !arguments.is_empty() {
            self.masks.push(name.span);
        } else if name.is_plain("set") && arguments.is_empty() {
            return refused("set without arguments", name.span);
        } else if name.is_plain("trap") && arguments.len() < 2 {
            return refused("trap without a command and EXIT", name.span);
        } else if name.is_plain("trap") {
            let unknown =
                |word: &&Word| plain(word).is_some_and(|text| text != "EXIT" && text != "0");
            if let Some(word) = arguments.iter().skip(1).find(unknown) {
                return refused("trap for anything but EXIT", word.span);
            }
        } else if name.is_plain("set") {
            let mut named = false;
            for word in arguments {
                let Some(text) = plain(word) else { break };
                if std::mem::take(&mut named) {
                    if !SET_NAMES.contains(&text.as_str()) {
                        return refused(&format!("set -o {text}"), word.span);
                    }
                    continue;
                }
                let Some(letters) = text.strip_prefix(['-', '+']) else { break };
                if text == "--" || letters.is_empty() {
                    break;
                }
                if let Some(letter) = letters.chars().find(|&one| !SET_LETTERS.contains(one)) {
                    return refused(&format!("set -{letter}"), word.span);
                }
                named = letters.contains('o');
            }
        }
        Ok(())
    }

    fn check_name(word: &Word) -> Parsed<()> {
        if let Some(closing) = CLOSING.iter().find(|closing| word.is_plain(closing)) {
            let kind = ShellErrorKind::Unexpected((*closing).to_owned());
            return Err(ShellError { kind, span: word.span });
        }
        let found = UNSUPPORTED.iter().find(|(name, _)| word.is_plain(name));
        if let Some((_, what)) = found {
            let kind = ShellErrorKind::Unsupported((*what).to_owned());
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
