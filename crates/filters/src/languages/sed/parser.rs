//! The text of a sed script (XCU sed, "Editing Commands in sed").

use std::collections::HashMap;
use std::ops::Range;

use pattern::{Options, Pattern, PatternErrorKind, Subject, Syntax};

use super::tree::{
    Action, Address, Command, End, PatternUse, Script, Substitution, Translation, When,
};

use crate::common::substitution::Replacement;
use crate::spec::Shade;

mod texts;

/// Something wrong in a script.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Fault {
    pub(super) span: Range<usize>,
    pub(super) message: String,
}

type Parsed<T> = Result<T, Fault>;

pub(super) struct Parser<'t> {
    text: &'t [u8],
    at: usize,
    extended: bool,
    script: Script,
    /// Open blocks: the command, and where its brace is.
    open: Vec<(usize, usize)>,
    labels: HashMap<Vec<u8>, usize>,
    /// Branches to labels, with the place of the label's name.
    jumps: Vec<(usize, Range<usize>)>,
    shades: Vec<(Range<usize>, Shade)>,
    /// Patterns by their texts and flags.
    known: HashMap<(Vec<u8>, bool, bool), usize>,
}

/// The parts of a script, up to the first error.
pub(super) fn shades(text: &[u8], extended: bool) -> Vec<(Range<usize>, Shade)> {
    let mut parser = Parser::new(text, extended);
    while parser.command().unwrap_or(false) {}
    let mut shades = parser.shades;
    shades.sort_by_key(|(range, _)| range.start);
    shades
}

/// Parses a whole script.
pub(super) fn parse(text: &[u8], extended: bool) -> Parsed<Script> {
    let mut parser = Parser::new(text, extended);
    if text == b"#n" || text.starts_with(b"#n\n") {
        parser.script.quiet = true;
    }
    while parser.command()? {}
    if let Some((_, brace)) = parser.open.pop() {
        return Err(Fault { span: brace..brace + 1, message: "this { has no }".to_owned() });
    }
    let end = parser.script.commands.len();
    for (command, label) in std::mem::take(&mut parser.jumps) {
        let Some(&target) = parser.labels.get(&text[label.clone()]) else {
            let shown = String::from_utf8_lossy(&text[label.clone()]).into_owned();
            return Err(Fault { span: label, message: format!("no label “{shown}”") });
        };
        let target = Some(target.min(end));
        let action = &mut parser.script.commands[command].action;
        *action = match action {
            Action::BranchIfChanged(_) => Action::BranchIfChanged(target),
            Action::BranchUnlessChanged(_) => Action::BranchUnlessChanged(target),
            _ => Action::Branch(target),
        };
    }
    Ok(parser.script)
}

impl<'t> Parser<'t> {
    fn new(text: &'t [u8], extended: bool) -> Self {
        Self {
            text,
            at: 0,
            extended,
            script: Script::default(),
            open: Vec::new(),
            labels: HashMap::new(),
            jumps: Vec::new(),
            shades: Vec::new(),
            known: HashMap::new(),
        }
    }

    fn fault<T>(span: Range<usize>, message: impl Into<String>) -> Parsed<T> {
        Err(Fault { span, message: message.into() })
    }

    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    fn skip_blanks(&mut self) {
        while matches!(self.peek(), Some(b' ' | b'\t' | b'\r')) {
            self.at += 1;
        }
    }

    fn number(&mut self) -> Option<u64> {
        let start = self.at;
        let mut value = 0u64;
        while let Some(digit) = self.peek().filter(u8::is_ascii_digit) {
            value = value.saturating_mul(10).saturating_add(u64::from(digit - b'0'));
            self.at += 1;
        }
        (self.at > start).then_some(value)
    }

    /// Parses one command; false at the end of the script.
    #[allow(clippy::too_many_lines)] // one arm for each command
    fn command(&mut self) -> Parsed<bool> {
        while matches!(self.peek(), Some(byte) if byte.is_ascii_whitespace() || byte == b';') {
            self.at += 1;
        }
        let start = self.at;
        if self.peek().is_none() {
            return Ok(false);
        }
        let when = self.when()?;
        self.skip_blanks();
        let mut negated = false;
        while self.peek() == Some(b'!') {
            if negated {
                return Self::fault(self.at..self.at + 1, "there is a ! already");
            }
            negated = true;
            self.at += 1;
            self.skip_blanks();
        }
        let Some(name) = self.peek() else {
            return Self::fault(start..self.at, "a command should follow this address");
        };
        let place = self.at;
        self.at += 1;
        let number = self.script.commands.len();
        let alone = matches!(when, When::Always);
        let action = match name {
            b'#' | b':' | b'}' if !alone => {
                let message = format!("“{}” takes no address", char::from(name));
                return Self::fault(start..self.at, message);
            }
            b'#' => {
                let rest = &self.text[self.at..];
                self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                self.shades.push((place..self.at, Shade::Comment));
                return Ok(true);
            }
            b':' => {
                let label = self.label();
                if label.is_empty() {
                    return Self::fault(place..self.at, "“:” needs the name of a label");
                }
                if self.labels.insert(self.text[label.clone()].to_vec(), number).is_some() {
                    return Self::fault(label, "this label is there already");
                }
                return Ok(true);
            }
            b'{' => {
                self.open.push((number, place));
                self.push(when, negated, Action::Block(0));
                return Ok(true);
            }
            b'}' => {
                let Some((block, _)) = self.open.pop() else {
                    return Self::fault(place..place + 1, "this } has no {");
                };
                self.script.commands[block].action = Action::Block(number);
                self.end_of_command()?;
                return Ok(true);
            }
            b'a' => Action::Append(self.text_argument(place)?),
            b'i' => Action::Insert(self.text_argument(place)?),
            b'c' => Action::Change(self.text_argument(place)?),
            b'b' | b't' | b'T' => {
                let label = self.label();
                if !label.is_empty() {
                    self.jumps.push((number, label));
                }
                let action = match name {
                    b'b' => Action::Branch(None),
                    b't' => Action::BranchIfChanged(None),
                    _ => Action::BranchUnlessChanged(None),
                };
                self.push(when, negated, action);
                self.end_of_command()?;
                return Ok(true);
            }
            b'e' => {
                let message = "“e” runs commands of the machine, which is not supported";
                return Self::fault(place..place + 1, message);
            }
            b'r' | b'R' | b'w' | b'W' => {
                let file = self.file_name(place)?;
                match name {
                    b'r' => Action::ReadFile(file),
                    b'R' => Action::ReadLine(file),
                    b'w' => Action::WriteFile(self.written(file)),
                    _ => Action::WriteFirst(self.written(file)),
                }
            }
            b'q' | b'Q' if matches!(when, When::Range(..)) => {
                return Self::fault(start..self.at, "“q” and “Q” take one address at most");
            }
            b'q' | b'Q' | b'l' | b'L' => {
                self.skip_blanks();
                let value = self.number();
                match name {
                    b'q' => Action::Quit(value.unwrap_or(0) as u8),
                    b'Q' => Action::QuitSilently(value.unwrap_or(0) as u8),
                    b'l' => Action::List(value.map(|value| value as usize)),
                    _ => return Self::fault(place..place + 1, "“L” is not supported"),
                }
            }
            b's' => self.substitution(place)?,
            b'y' => self.translation(place)?,
            b'd' => Action::Delete,
            b'D' => Action::DeleteFirst,
            b'F' => Action::FileName,
            b'g' => Action::CopyFromHold,
            b'G' => Action::AppendFromHold,
            b'h' => Action::CopyToHold,
            b'H' => Action::AppendToHold,
            b'x' => Action::Exchange,
            b'n' => Action::Next,
            b'N' => Action::AppendNext,
            b'p' => Action::Print,
            b'P' => Action::PrintFirst,
            b'=' => Action::Number,
            b'z' => Action::Empty,
            b'v' => {
                let rest = &self.text[self.at..];
                self.at += rest.iter().position(|b| b"\n;".contains(b)).unwrap_or(rest.len());
                Action::Nothing
            }
            _ => {
                let (character, length) = crate::text::characters::first(&self.text[place..]);
                let shown = character
                    .map_or_else(|| "this byte".to_owned(), |c| format!("“{}”", c.escape_debug()));
                let message = format!("unknown command {shown}");
                return Self::fault(place..place + length, message);
            }
        };
        let takes_rest = matches!(
            action,
            Action::Append(_)
                | Action::Insert(_)
                | Action::Change(_)
                | Action::ReadFile(_)
                | Action::ReadLine(_)
                | Action::WriteFile(_)
                | Action::WriteFirst(_)
        );
        let writes = matches!(&action, Action::Substitute(s) if s.write.is_some());
        self.push(when, negated, action);
        if !takes_rest && !writes {
            self.end_of_command()?;
        }
        Ok(true)
    }

    fn push(&mut self, when: When, negated: bool, action: Action) {
        self.script.commands.push(Command { when, negated, action });
    }

    /// Only blanks, `;`, `}`, a comment or a newline may stand behind a command.
    fn end_of_command(&mut self) -> Parsed<()> {
        self.skip_blanks();
        match self.peek() {
            None | Some(b'}' | b'#') => Ok(()),
            Some(b'\n' | b';') => {
                self.at += 1;
                Ok(())
            }
            Some(_) => {
                let rest = &self.text[self.at..];
                let end = rest.iter().position(|byte| b"\n;}".contains(byte)).unwrap_or(rest.len());
                Self::fault(self.at..self.at + end.max(1), "extra characters after the command")
            }
        }
    }

    fn when(&mut self) -> Parsed<When> {
        let start = self.at;
        let Some(first) = self.address()? else { return Ok(When::Always) };
        let behind = self.at;
        self.skip_blanks();
        if self.peek() != Some(b',') {
            self.at = behind;
            if first == Address::Start {
                let message = "line 0 is only the beginning of a range that ends at a pattern";
                return Self::fault(start..self.at, message);
            }
            return Ok(When::At(first));
        }
        self.at += 1;
        self.skip_blanks();
        let place = self.at;
        let end = match self.peek() {
            Some(sign @ (b'+' | b'~')) => {
                self.at += 1;
                let Some(number) = self.number() else {
                    return Self::fault(place..self.at, "a number should follow here");
                };
                if sign == b'+' { End::After(number) } else { End::Multiple(number) }
            }
            _ => match self.address()? {
                Some(Address::Line(line) | Address::Step(line, _)) => End::Line(line),
                Some(Address::Start) => End::Line(0),
                Some(Address::Last) => End::Last,
                Some(Address::Pattern(pattern)) => End::Pattern(pattern),
                None => {
                    let message = "the end of the range should follow this comma";
                    return Self::fault(start..place, message);
                }
            },
        };
        if first == Address::Start && !matches!(end, End::Pattern(_)) {
            let message = "line 0 is only the beginning of a range that ends at a pattern";
            return Self::fault(start..self.at, message);
        }
        self.script.looks_ahead |= end == End::Last;
        self.script.ranges += 1;
        Ok(When::Range(first, end, self.script.ranges - 1))
    }

    fn address(&mut self) -> Parsed<Option<Address>> {
        let start = self.at;
        match self.peek() {
            Some(b'$') => {
                self.at += 1;
                self.script.looks_ahead = true;
                Ok(Some(Address::Last))
            }
            Some(b'0'..=b'9') => {
                let line = self.number().unwrap_or(0);
                if self.peek() == Some(b'~') {
                    self.at += 1;
                    let step = self.number().unwrap_or(0);
                    return Ok(Some(if step == 0 && line > 0 {
                        Address::Line(line)
                    } else {
                        Address::Step(line, step)
                    }));
                }
                Ok(Some(if line == 0 { Address::Start } else { Address::Line(line) }))
            }
            Some(b'/' | b'\\') => {
                if self.peek() == Some(b'\\') {
                    self.at += 1;
                }
                let text = self.delimited(start, "address", true)?;
                self.shades.push((start..self.at, Shade::Pattern));
                let (mut fold, mut lines) = (false, false);
                loop {
                    match self.peek() {
                        Some(b'I') => fold = true,
                        Some(b'M') => lines = true,
                        _ => break,
                    }
                    self.at += 1;
                }
                Ok(Some(Address::Pattern(self.pattern(text, fold, lines)?)))
            }
            _ => Ok(None),
        }
    }

    /// The text between delimiters, of which the first is next: where it lies. Goes on behind the
    /// second.
    fn delimited(&mut self, start: usize, what: &str, brackets: bool) -> Parsed<Range<usize>> {
        let Some(delimiter) = self.peek().filter(|byte| !matches!(byte, b'\n' | b'\\')) else {
            return Self::fault(start..self.at.max(start + 1), "a delimiter should follow here");
        };
        let begin = self.at + crate::text::characters::first(&self.text[self.at..]).1;
        let width = begin - self.at;
        let delimiter_text = &self.text[self.at..begin];
        self.at = begin;
        loop {
            let rest = &self.text[self.at..];
            match rest.first() {
                None => return Self::fault(start..self.at, format!("this {what} has no end")),
                Some(b'\n') if brackets && what == "address" => {
                    return Self::fault(start..self.at, format!("this {what} has no end"));
                }
                Some(b'\\') if rest.len() > 1 => self.at += 2,
                Some(b'[') if brackets && delimiter != b'[' => self.skip_bracket(),
                Some(_) if rest.starts_with(delimiter_text) => {
                    let text = begin..self.at;
                    self.at += width;
                    return Ok(text);
                }
                Some(_) => self.at += 1,
            }
        }
    }

    /// Passes over a bracket expression; only over its `[` where it has no end in this line.
    fn skip_bracket(&mut self) {
        let rest = &self.text[self.at..];
        let mut at = 1 + usize::from(rest.get(1) == Some(&b'^'));
        at += usize::from(rest.get(at) == Some(&b']'));
        loop {
            match rest.get(at) {
                None | Some(b'\n') => {
                    self.at += 1;
                    return;
                }
                Some(b']') => {
                    self.at += at + 1;
                    return;
                }
                Some(b'[') if matches!(rest.get(at + 1), Some(b':' | b'.' | b'=')) => {
                    let close = [rest[at + 1], b']'];
                    let inside = rest.get(at + 2..).unwrap_or_default();
                    at += inside.windows(2).position(|pair| pair == close).map_or(1, |end| end + 4);
                }
                Some(_) => at += 1,
            }
        }
    }

    /// The pattern whose text lies there.
    fn pattern(&mut self, place: Range<usize>, fold: bool, lines: bool) -> Parsed<PatternUse> {
        if place.is_empty() {
            if fold || lines {
                return Self::fault(place, "an empty pattern, the one used last, takes no flags");
            }
            self.script.uses_last_pattern = true;
            return Ok(PatternUse::Last);
        }
        let delimiter = self.text[place.start - 1];
        let text = texts::pattern_text(&self.text[place.clone()], delimiter);
        let key = (text, fold, lines);
        if let Some(known) = self.known.get(&key) {
            return Ok(PatternUse::Known(*known));
        }
        let subject = if lines { Subject::Lines } else { Subject::Text };
        let options =
            Options { ignore_case: fold, subject, refuse_bare_class: true, ..Options::default() };
        let syntax = if self.extended { Syntax::Extended } else { Syntax::Basic };
        let pattern = Pattern::new(&[&key.0], syntax, options).map_err(|error| {
            let start = (place.start + error.span.start).min(place.end);
            let end = (place.start + error.span.end).min(place.end);
            let known = key.0.len() == place.len() && start < end;
            let span = if known { start..end } else { place.clone() };
            let message = match error.kind {
                PatternErrorKind::BackReference => "no such group before this".to_owned(),
                other => other.to_string(),
            };
            Fault { span, message }
        })?;
        self.script.patterns.push(pattern);
        self.script.texts.push((key.0.clone(), fold));
        let number = self.script.patterns.len() - 1;
        self.known.insert(key, number);
        Ok(PatternUse::Known(number))
    }

    fn label(&mut self) -> Range<usize> {
        self.skip_blanks();
        let start = self.at;
        while matches!(self.peek(), Some(byte) if !byte.is_ascii_whitespace() && byte != b';') {
            self.at += 1;
        }
        start..self.at
    }

    fn file_name(&mut self, place: usize) -> Parsed<Vec<u8>> {
        self.skip_blanks();
        let rest = &self.text[self.at..];
        let length = memchr::memchr(b'\n', rest).unwrap_or(rest.len());
        let name = rest[..length].to_vec();
        self.at += length;
        if name.is_empty() {
            return Self::fault(place..self.at, "the name of a file should follow here");
        }
        Ok(name)
    }

    fn written(&mut self, name: Vec<u8>) -> usize {
        let written = &mut self.script.written;
        written.iter().position(|known| *known == name).unwrap_or_else(|| {
            written.push(name);
            written.len() - 1
        })
    }

    /// The text behind `a`, `i` and `c`, with a newline at its end.
    fn text_argument(&mut self, place: usize) -> Parsed<Vec<u8>> {
        self.skip_blanks();
        if self.peek().is_none() || self.peek() == Some(b'\n') {
            return Self::fault(place..place + 1, "a text should follow here");
        }
        let mut literal_first = false;
        if self.peek() == Some(b'\\') {
            let behind = &self.text[self.at + 1..];
            let blanks = behind.iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
            match behind.get(blanks) {
                Some(b'\n') if blanks + 1 == behind.len() => {
                    self.at += 2 + blanks;
                    return Ok(Vec::new());
                }
                Some(b'\n') => self.at += 2 + blanks,
                None => {
                    self.at += 1 + blanks;
                    return Ok(Vec::new());
                }
                // Blanks behind the backslash belong to the text, and what is there is itself.
                Some(_) => {
                    self.at += 1;
                    literal_first = blanks == 0;
                }
            }
        }
        let mut text = Vec::new();
        if literal_first && let Some(byte) = self.peek() {
            text.push(byte);
            self.at += 1;
        }
        let length = texts::free_text(&self.text[self.at..], &mut text);
        self.at += length;
        text.push(b'\n');
        Ok(text)
    }

    fn substitution(&mut self, place: usize) -> Parsed<Action> {
        let old = self.delimited(place, "substitution", true)?;
        let delimiter = old.start - 1;
        self.at = old.end;
        let new = self.delimited(place, "substitution", false)?;
        self.shades.push((old.clone(), Shade::Pattern));
        let groups = texts::groups(&self.text[new.clone()]);
        self.shades.extend(
            groups.map(|range| (new.start + range.start..new.start + range.end, Shade::Field)),
        );
        let parts = texts::replacement(&self.text[new.clone()], self.text[delimiter]).map_err(
            |(at, message)| Fault {
                span: new.start + at..(new.start + at + 2).min(new.end),
                message: message.to_owned(),
            },
        )?;
        let mut substitution = Substitution {
            pattern: PatternUse::Last,
            replacement: Replacement::new(parts),
            from: 1,
            all: false,
            print: false,
            write: None,
        };
        let (mut fold, mut lines, mut numbered) = (false, false, false);
        loop {
            let flag = self.at;
            match self.peek() {
                Some(b'g') if !substitution.all => substitution.all = true,
                Some(b'p') if !substitution.print => substitution.print = true,
                Some(b'g' | b'p') => {
                    return Self::fault(flag..flag + 1, "this flag is there already");
                }
                Some(b'i' | b'I') => fold = true,
                Some(b'm' | b'M') => lines = true,
                Some(b'e') => {
                    let message = "the flag “e” runs commands of the machine, not supported";
                    return Self::fault(flag..flag + 1, message);
                }
                Some(b'0'..=b'9') => {
                    let number = self.number().unwrap_or(0);
                    if number == 0 || numbered {
                        let message = if numbered {
                            "a number is there already"
                        } else {
                            "matches count from 1"
                        };
                        return Self::fault(flag..self.at, message);
                    }
                    numbered = true;
                    substitution.from = number.min(usize::MAX as u64) as usize;
                    continue;
                }
                Some(b'w') => {
                    self.at += 1;
                    let file = self.file_name(flag)?;
                    substitution.write = Some(self.written(file));
                    break;
                }
                _ => break,
            }
            self.at += 1;
        }
        substitution.pattern = self.pattern(old.clone(), fold, lines)?;
        let most = substitution.replacement.groups();
        if let PatternUse::Known(number) = substitution.pattern
            && most > self.script.patterns[number].groups()
        {
            let message = format!("the pattern has no group {most}");
            return Self::fault(new, message);
        }
        Ok(Action::Substitute(Box::new(substitution)))
    }

    fn translation(&mut self, place: usize) -> Parsed<Action> {
        let from = self.delimited(place, "translation", false)?;
        let delimiter = self.text[from.start - 1];
        self.at = from.end;
        let to = self.delimited(place, "translation", false)?;
        let read = |range: &Range<usize>| {
            texts::translated(&self.text[range.clone()], delimiter).map_err(|at| Fault {
                span: range.start + at..(range.start + at + 2).min(range.end),
                message: "only \\\\, \\n and an escaped delimiter are allowed here".to_owned(),
            })
        };
        let (from_list, to_list) = (read(&from)?, read(&to)?);
        if from_list.len() != to_list.len() {
            let message = format!(
                "both sides must have as many characters: {} and {}",
                from_list.len(),
                to_list.len()
            );
            return Self::fault(from.start..to.end, message);
        }
        let mut bytes: [u8; 256] = std::array::from_fn(|byte| byte as u8);
        let mut wide = false;
        let mut seen = [false; 256];
        for (from, to) in from_list.iter().zip(&to_list) {
            match (&from[..], &to[..]) {
                ([from], [to]) => {
                    // Of several for the same character the first counts.
                    if !std::mem::replace(&mut seen[usize::from(*from)], true) {
                        bytes[usize::from(*from)] = *to;
                    }
                }
                _ => wide = true,
            }
        }
        let wide = wide.then(|| from_list.into_iter().zip(to_list).collect());
        Ok(Action::Translate(Box::new(Translation { bytes, wide })))
    }
}
