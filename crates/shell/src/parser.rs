use crate::{
    Assignment, Command, OFF_MARK, Parameter, Part, Pipeline, Redirection, RedirectionKind, Script,
    ShellError, ShellErrorKind, Span, Word,
};

/// Words that begin another kind of command (XCU 2.4).
const RESERVED: [&str; 17] = [
    "!", "{", "}", "case", "do", "done", "elif", "else", "esac", "fi", "for", "if", "in", "then",
    "until", "while", "[[",
];

/// Commands that act on the shell itself, so that no program can stand in for them.
const SHELL_COMMANDS: [&str; 27] = [
    ".", ":", "alias", "bg", "break", "cd", "command", "continue", "eval", "exec", "exit",
    "export", "fg", "hash", "jobs", "local", "read", "readonly", "return", "set", "shift",
    "source", "time", "trap", "umask", "unset", "wait",
];

/// Parses a whole text.
///
/// # Errors
/// The first thing that is wrong or not supported, with its place.
pub fn parse(text: &str) -> Result<Script, ShellError> {
    let mut parser = Parser { text, at: 0, script: Script::default(), inside: 0 };
    parser.script()?;
    Ok(parser.script)
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    script: Script,
    /// How many `<( … )` are open.
    inside: usize,
}

/// `<( … )` within each other beyond this are refused.
const DEPTH_MAX: usize = 20;

fn fail<T>(kind: ShellErrorKind, start: usize, end: usize) -> Result<T, ShellError> {
    Err(ShellError { kind, span: Span::new(start, end) })
}

fn unsupported<T>(what: impl Into<String>, start: usize, end: usize) -> Result<T, ShellError> {
    fail(ShellErrorKind::Unsupported(what.into()), start, end)
}

impl Parser<'_> {
    fn rest(&self) -> &str {
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
                self.script.comments.push(Span::new(start, self.at));
                let comment = &self.text[start..self.at];
                if let Some(stage) = comment.strip_prefix(OFF_MARK) {
                    let stage = stage.trim();
                    if !stage.is_empty() {
                        let from = start + comment.find(stage).unwrap_or(OFF_MARK.len());
                        off = Some(Span::new(from, from + stage.len()));
                    }
                }
            } else {
                return off;
            }
        }
    }

    fn script(&mut self) -> Result<(), ShellError> {
        loop {
            self.blanks();
            match self.peek() {
                None => return Ok(()),
                Some('\n') => {
                    self.at += 1;
                    continue;
                }
                Some(_) => {}
            }
            let pipeline = self.pipeline()?;
            self.script.pipelines.push(pipeline);
            self.blanks();
            match self.peek() {
                None | Some('\n') => {}
                Some(';') if !self.starts(";;") => self.at += 1,
                Some(_) => return self.refuse_operator(),
            }
        }
    }

    fn pipeline(&mut self) -> Result<Pipeline, ShellError> {
        let mut commands = vec![self.command()?];
        let mut pipes = Vec::new();
        loop {
            let off = self.blanks();
            if let (Some(off), Some(last)) = (off, commands.last_mut()) {
                last.off = Some(off);
            }
            if !self.starts("|") || self.starts("||") || self.starts("|&") {
                break;
            }
            let pipe = Span::new(self.at, self.at + 1);
            self.at += 1;
            if let (Some(off), Some(last)) = (self.blanks(), commands.last_mut()) {
                last.off = Some(off);
            }
            while self.peek() == Some('\n') {
                self.at += 1;
                self.blanks();
            }
            if self.peek().is_none() {
                return fail(ShellErrorKind::MissingAfterPipe, pipe.start, pipe.end);
            }
            pipes.push(pipe);
            commands.push(self.command()?);
        }
        let span = match (commands.first(), commands.last()) {
            (Some(first), Some(last)) => first.span.to(last.span),
            _ => Span::default(),
        };
        Ok(Pipeline { commands, pipes, span })
    }

    /// An operator that may not stand here.
    fn refuse_operator<T>(&self) -> Result<T, ShellError> {
        for (token, name) in [
            ("&&", "&& (run if the first succeeds)"),
            ("||", "|| (run if the first fails)"),
            ("|&", "|&"),
            ("&>", "&>"),
            ("&", "& (run in the background)"),
            ("(", "( … ) (a subshell)"),
            ("`", "`…` (command substitution)"),
        ] {
            if self.starts(token) {
                return unsupported(name, self.at, self.at + token.len());
            }
        }
        let token: String = self.rest().chars().take(1).collect();
        let shown = if token == "\n" { "the end of the line".to_owned() } else { token.clone() };
        let end = self.at + token.len();
        match token.as_str() {
            "|" | ";" => fail(ShellErrorKind::MissingBefore(shown), self.at, end),
            _ => fail(ShellErrorKind::Unexpected(shown), self.at, end),
        }
    }

    fn command(&mut self) -> Result<Command, ShellError> {
        let start = self.at;
        let mut command = Command {
            assignments: Vec::new(),
            words: Vec::new(),
            redirections: Vec::new(),
            span: Span::new(start, start),
            off: None,
        };
        loop {
            let before_blanks = self.at;
            if let Some(off) = self.blanks() {
                command.off = Some(off);
            }
            match self.peek() {
                None | Some('\n' | ';' | '|') => break,
                Some(')') if self.inside > 0 => break,
                Some('<') if self.starts("<(") && !command.words.is_empty() => {
                    let word = self.substitution()?;
                    command.words.push(word);
                }
                Some('&' | '(' | ')') => return self.refuse_operator(),
                Some('<' | '>') => {
                    let redirection = self.redirection(self.at, None)?;
                    command.redirections.push(redirection);
                }
                Some('0'..='9') if self.is_descriptor() => {
                    let from = self.at;
                    let digits = self.rest().bytes().take_while(u8::is_ascii_digit).count();
                    let number = self.rest()[..digits].to_owned();
                    self.at += digits;
                    let redirection = self.redirection(from, Some(number))?;
                    command.redirections.push(redirection);
                }
                Some(_) => {
                    if command.words.is_empty()
                        && let Some(assignment) = self.assignment()?
                    {
                        command.assignments.push(assignment);
                    } else {
                        let word = self.word()?;
                        if command.words.is_empty() {
                            check_name(&word)?;
                        }
                        command.words.push(word);
                        if command.words.len() == 1 && self.starts("(") {
                            return unsupported("a function", word_start(&command), self.at + 1);
                        }
                    }
                }
            }
            debug_assert!(self.at > before_blanks);
            command.span.end = self.at;
        }
        if command.words.is_empty()
            && command.assignments.is_empty()
            && command.redirections.is_empty()
        {
            return self.refuse_operator();
        }
        Ok(command)
    }

    /// `<( … )` as a word.
    fn substitution(&mut self) -> Result<Word, ShellError> {
        let start = self.at;
        if self.inside >= DEPTH_MAX {
            return unsupported("<( … ) so deep inside others", start, start + 2);
        }
        self.at += 2;
        self.inside += 1;
        self.blanks();
        let pipeline = self.pipeline()?;
        self.blanks();
        self.inside -= 1;
        match self.peek() {
            Some(')') => self.at += 1,
            None | Some('\n') => {
                return fail(ShellErrorKind::Unterminated("<("), start, start + 2);
            }
            Some(';') => {
                return unsupported("<( … ) with several pipelines", self.at, self.at + 1);
            }
            Some(_) => return self.refuse_operator(),
        }
        let span = Span::new(start, self.at);
        Ok(Word { parts: vec![Part::Substituted(Box::new(pipeline))], span })
    }

    fn is_descriptor(&self) -> bool {
        let digits = self.rest().bytes().take_while(u8::is_ascii_digit).count();
        matches!(self.rest().as_bytes().get(digits), Some(b'<' | b'>'))
    }

    fn redirection(
        &mut self,
        from: usize,
        number: Option<String>,
    ) -> Result<Redirection, ShellError> {
        for (token, name) in [
            ("<<<", "<<< (a here-string)"),
            ("<<", "<< (a here-document)"),
            ("<(", "<( … ) in the place of a command"),
            (">(", ">( … ) (process substitution)"),
            ("<>", "<>"),
        ] {
            if self.starts(token) {
                return unsupported(name, from, self.at + token.len());
            }
        }
        let operator = [">>", ">|", ">&", "<&", ">", "<"]
            .into_iter()
            .find(|token| self.starts(token))
            .unwrap_or("<");
        self.at += operator.len();
        let default = u8::from(!operator.starts_with('<'));
        let descriptor = match number {
            None => default,
            Some(text) => match text.parse() {
                Ok(number @ 0..=2) => number,
                _ => return fail(ShellErrorKind::BadDescriptor(text), from, self.at),
            },
        };
        self.blanks();
        if matches!(self.peek(), None | Some('\n' | ';' | '|' | '&' | '<' | '>' | '(' | ')')) {
            return fail(ShellErrorKind::MissingTarget(operator.to_owned()), from, self.at);
        }
        let word = self.word()?;
        let kind = match operator {
            "<" => RedirectionKind::Read(word),
            ">>" => RedirectionKind::Append(word),
            ">" | ">|" => RedirectionKind::Replace(word),
            _ => match word.literal().as_deref() {
                Some("-") => return unsupported("closing a descriptor", from, self.at),
                Some(text @ ("0" | "1" | "2")) => {
                    RedirectionKind::Duplicate(text.parse().unwrap_or_default())
                }
                Some(text)
                    if !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit()) =>
                {
                    let text = text.to_owned();
                    return fail(ShellErrorKind::BadDescriptor(text), word.span.start, self.at);
                }
                _ => return unsupported(format!("{operator} with a file"), from, self.at),
            },
        };
        Ok(Redirection { descriptor, kind, span: Span::new(from, self.at) })
    }

    fn assignment(&mut self) -> Result<Option<Assignment>, ShellError> {
        let length = name_length(self.rest());
        if length == 0 || self.rest().as_bytes().get(length) != Some(&b'=') {
            return Ok(None);
        }
        let start = self.at;
        let name = self.rest()[..length].to_owned();
        self.at += length + 1;
        let value = self.word()?;
        Ok(Some(Assignment { name, value, span: Span::new(start, self.at) }))
    }

    /// A word, possibly empty (after `NAME=`).
    fn word(&mut self) -> Result<Word, ShellError> {
        let start = self.at;
        let mut parts: Vec<Part> = Vec::new();
        if self.starts("~") {
            let user = self.rest()[1..]
                .find(|c: char| c == '/' || ends_word(c) || "'\"\\$`".contains(c))
                .map_or(self.rest().len() - 1, |length| length);
            if user > 0 {
                return unsupported("~ with a user's name", start, start + 1 + user);
            }
            self.at += 1;
            parts.push(Part::Home);
        }
        while let Some(character) = self.peek() {
            let from = self.at;
            match character {
                _ if ends_word(character) => break,
                '\\' => {
                    self.at += 1;
                    match self.bump() {
                        None => parts.push(Part::Escaped('\\')),
                        Some('\n') => {}
                        Some(escaped) => parts.push(Part::Escaped(escaped)),
                    }
                }
                '\'' => {
                    let Some(length) = self.rest()[1..].find('\'') else {
                        return fail(
                            ShellErrorKind::Unterminated("quote '"),
                            from,
                            self.text.len(),
                        );
                    };
                    parts.push(Part::Single(self.rest()[1..=length].to_owned()));
                    self.at += length + 2;
                }
                '"' => {
                    let inner = self.double_quoted()?;
                    parts.push(Part::Double(inner));
                }
                '$' => {
                    if let Some(part) = self.parameter(false)? {
                        parts.push(part);
                    } else {
                        self.at += 1;
                        push_text(&mut parts, '$');
                    }
                }
                '`' => return unsupported("`…` (command substitution)", from, from + 1),
                '{' if self.is_brace_expansion() => {
                    let end = from + self.rest().find('}').unwrap_or(0) + 1;
                    return unsupported("{…} (brace expansion)", from, end);
                }
                _ => {
                    self.at += character.len_utf8();
                    push_text(&mut parts, character);
                }
            }
        }
        Ok(Word { parts, span: Span::new(start, self.at) })
    }

    /// `{a,b}` or `{1..3}` ahead, unquoted.
    fn is_brace_expansion(&self) -> bool {
        let body = &self.rest()[1..];
        let Some(end) = body.find(|c: char| c == '}' || c == '{' || ends_word(c)) else {
            return false;
        };
        body[end..].starts_with('}') && (body[..end].contains(',') || body[..end].contains(".."))
    }

    fn double_quoted(&mut self) -> Result<Vec<Part>, ShellError> {
        let start = self.at;
        self.at += 1;
        let mut parts = Vec::new();
        loop {
            let from = self.at;
            match self.peek() {
                None => {
                    return fail(ShellErrorKind::Unterminated("quote \""), start, self.text.len());
                }
                Some('"') => {
                    self.at += 1;
                    return Ok(parts);
                }
                Some('\\') => {
                    self.at += 1;
                    match self.peek() {
                        Some(escaped @ ('$' | '`' | '"' | '\\')) => {
                            self.at += 1;
                            parts.push(Part::Escaped(escaped));
                        }
                        Some('\n') => self.at += 1,
                        _ => push_text(&mut parts, '\\'),
                    }
                }
                Some('$') => {
                    if let Some(part) = self.parameter(true)? {
                        parts.push(part);
                    } else {
                        self.at += 1;
                        push_text(&mut parts, '$');
                    }
                }
                Some('`') => return unsupported("`…` (command substitution)", from, from + 1),
                Some(character) => {
                    self.at += character.len_utf8();
                    push_text(&mut parts, character);
                }
            }
        }
    }

    /// A parameter at `$`; `None` where the dollar sign is only itself.
    fn parameter(&mut self, quoted: bool) -> Result<Option<Part>, ShellError> {
        let start = self.at;
        let rest = &self.text[start + 1..];
        for (token, name) in [
            ("((", "$((…)) (arithmetic)"),
            ("(", "$(…) (command substitution)"),
            ("'", "$'…'"),
            ("\"", "$\"…\""),
        ] {
            // `$"` and `$'` inside double quotes are a dollar sign and an ordinary character.
            let ordinary = quoted && (token == "'" || token == "\"");
            if rest.starts_with(token) && !ordinary {
                return unsupported(name, start, start + 1 + token.len());
            }
        }
        if let Some(body) = rest.strip_prefix('{') {
            let Some(length) = body.find('}') else {
                return fail(ShellErrorKind::Unterminated("${"), start, self.text.len());
            };
            let end = start + 2 + length + 1;
            let Some(parameter) = parameter_named(&body[..length]) else {
                return unsupported(format!("${{{}}}", &body[..length]), start, end);
            };
            self.at = end;
            return Ok(Some(Part::Parameter(parameter, Span::new(start, end))));
        }
        let length = match rest.chars().next() {
            Some('0'..='9' | '@' | '*' | '#' | '?' | '$') => 1,
            Some(special @ ('!' | '-')) => {
                return unsupported(format!("${special}"), start, start + 2);
            }
            _ => name_length(rest),
        };
        let Some(parameter) = parameter_named(&rest[..length]) else { return Ok(None) };
        self.at = start + 1 + length;
        Ok(Some(Part::Parameter(parameter, Span::new(start, self.at))))
    }
}

fn check_name(word: &Word) -> Result<(), ShellError> {
    let [Part::Text(name)] = &word.parts[..] else { return Ok(()) };
    if RESERVED.contains(&name.as_str()) || SHELL_COMMANDS.contains(&name.as_str()) {
        return unsupported(name.clone(), word.span.start, word.span.end);
    }
    if name == "function" {
        return unsupported("a function", word.span.start, word.span.end);
    }
    Ok(())
}

fn word_start(command: &Command) -> usize {
    command.words.first().map_or(command.span.start, |word| word.span.start)
}

fn push_text(parts: &mut Vec<Part>, character: char) {
    if let Some(Part::Text(text)) = parts.last_mut() {
        text.push(character);
    } else {
        parts.push(Part::Text(character.to_string()));
    }
}

fn ends_word(character: char) -> bool {
    matches!(character, ' ' | '\t' | '\r' | '\n' | '|' | '&' | ';' | '<' | '>' | '(' | ')')
}

fn name_length(text: &str) -> usize {
    let bytes = text.as_bytes();
    if !bytes.first().is_some_and(|byte| byte.is_ascii_alphabetic() || *byte == b'_') {
        return 0;
    }
    bytes.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count()
}

fn parameter_named(name: &str) -> Option<Parameter> {
    Some(match name {
        "@" => Parameter::All,
        "*" => Parameter::AllJoined,
        "#" => Parameter::Count,
        "?" => Parameter::Status,
        "$" => Parameter::Process,
        "" => return None,
        _ if name.bytes().all(|byte| byte.is_ascii_digit()) => {
            Parameter::Position(name.parse().ok()?)
        }
        _ if name_length(name) == name.len() => Parameter::Variable(name.to_owned()),
        _ => return None,
    })
}

#[cfg(test)]
mod tests;
