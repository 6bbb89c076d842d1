//! Expansion of words (XCU 2.6): braces, home, parameters, commands, arithmetic, field splitting,
//! file names, quotes.

use std::path::Path;

use bytes::Bytes;
use pattern::glob_part;
use shell::arithmetic::{self, ArithmeticError};
use shell::{Expansion, Operation, Otherwise, Parameter, Part, Span, Word};
use stream::{Files, RunControl};

use crate::language::glob::{Glob, has_pattern};
use crate::language::shell::Shell;
use crate::language::unwind::{ShellResult, Unwind};

/// Words that braces may make of one.
const WORDS_MAX: u64 = 1 << 20;

/// Bytes of a here-document or a word that expansions may make.
const BYTES_MAX: usize = 256 << 20;

/// What a word is made of before it is split into fields.
#[derive(Clone, Copy)]
pub(crate) enum Unit {
    /// A byte; whether it is quoted; whether it came from an unquoted expansion.
    Byte(u8, bool, bool),
    /// Where `"$@"` ends a field.
    Break,
    /// Something quoted is here, so that the field exists even when empty.
    Present,
}

fn push(units: &mut Vec<Unit>, bytes: &[u8], quoted: bool, expanded: bool) {
    units.extend(bytes.iter().map(|&byte| Unit::Byte(byte, quoted, expanded)));
}

impl Shell<'_> {
    /// The fields a word becomes: none, one, or several.
    pub(crate) fn fields(&mut self, word: &Word) -> ShellResult<Vec<Vec<u8>>> {
        let mut result = Vec::new();
        if has_braces(word) {
            let count = count_without_braces(word);
            if count > WORDS_MAX {
                let message = match count {
                    u64::MAX => "these braces expand to too many words".to_owned(),
                    count => format!("these braces expand to {count} words, too many"),
                };
                return Unwind::fault(message, word.span, 2);
            }
            for word in without_braces(word) {
                self.fields_of(&word, &mut result)?;
            }
        } else {
            self.fields_of(word, &mut result)?;
        }
        Ok(result)
    }

    fn fields_of(&mut self, word: &Word, result: &mut Vec<Vec<u8>>) -> ShellResult<()> {
        let units = self.units(word)?;
        for field in split(&units, &self.separators()) {
            if !self.state.options.no_glob && has_pattern(&field) {
                let glob = Glob { bytes: field };
                let names = self.with_files(|files| glob.matches(files));
                if names.is_empty() {
                    result.push(glob.text());
                } else {
                    result.extend(names);
                }
            } else {
                result.push(field.iter().map(|&(byte, _)| byte).collect());
            }
        }
        Ok(())
    }

    /// The one value a word has where it is not split: an assignment, the target of a
    /// redirection.
    pub(crate) fn value(&mut self, word: &Word) -> ShellResult<Vec<u8>> {
        let units = self.units(word)?;
        Ok(joined(&units))
    }

    /// The text of parts in quotes: a here-document.
    pub(crate) fn quoted_value(&mut self, parts: &[Part]) -> ShellResult<Vec<u8>> {
        let mut units = Vec::new();
        self.quoted_units(parts, &mut units)?;
        Ok(joined(&units))
    }

    /// A word as a pattern: bytes, and whether each means itself.
    pub(crate) fn pattern(&mut self, word: &Word) -> ShellResult<Vec<(u8, bool)>> {
        let units = self.units(word)?;
        let bytes = units.into_iter().filter_map(|unit| match unit {
            Unit::Byte(byte, quoted, _) => Some((byte, quoted)),
            Unit::Break => Some((b' ', true)),
            Unit::Present => None,
        });
        Ok(bytes.collect())
    }

    pub(crate) fn separators(&self) -> Vec<u8> {
        self.state.get("IFS", self.files).unwrap_or_else(|| b" \t\n".to_vec())
    }

    pub(crate) fn units(&mut self, word: &Word) -> ShellResult<Vec<Unit>> {
        let mut units = Vec::new();
        for part in &word.parts {
            match part {
                Part::Text(text) => push(&mut units, text.as_bytes(), false, false),
                Part::Escaped(character) => {
                    units.push(Unit::Present);
                    push(&mut units, character.encode_utf8(&mut [0; 4]).as_bytes(), true, false);
                }
                Part::Single(text) => {
                    units.push(Unit::Present);
                    push(&mut units, text.as_bytes(), true, false);
                }
                Part::Dollar(bytes) => {
                    units.push(Unit::Present);
                    push(&mut units, bytes, true, false);
                }
                Part::Double(inner) => {
                    if !self.vanishes(inner) {
                        units.push(Unit::Present);
                    }
                    self.quoted_units(inner, &mut units)?;
                }
                Part::Home(name) => {
                    let home = self.home(name.as_deref());
                    push(&mut units, &home, true, false);
                }
                Part::Parameter(parameter, span) => {
                    self.push_parameter(parameter, *span, false, &mut units)?;
                }
                Part::Expansion(expansion, span) => {
                    self.push_expansion(expansion, *span, false, &mut units)?;
                }
                Part::Command(list, span) => {
                    let output = self.output_of(list, *span)?;
                    push(&mut units, &output, false, true);
                }
                Part::Arithmetic(inner, span) => {
                    let value = self.arithmetic(inner, *span)?;
                    push(&mut units, value.to_string().as_bytes(), false, true);
                }
                Part::Substituted(direction, list, _) => {
                    let name = self.substitute(*direction, list);
                    push(&mut units, &name, true, false);
                }
                // The parser reads braces only where there may be several words, and those have
                // been made words of their own before.
                Part::Alternatives(_) | Part::Sequence(_) => {
                    return Unwind::fault("braces cannot be used here", word.span, 2);
                }
            }
            // A unit takes four bytes.
            let limit = (self.control.value_limit() / 4).min(BYTES_MAX as u64);
            if units.len() as u64 > limit {
                return Unwind::fault("this word is too long", word.span, 2);
            }
        }
        Ok(units)
    }

    /// `"$@"` alone without parameters is nothing at all, not an empty field.
    fn vanishes(&self, inner: &[Part]) -> bool {
        matches!(inner, [Part::Parameter(Parameter::All, _)]) && self.state.positional.is_empty()
    }

    fn quoted_units(&mut self, inner: &[Part], units: &mut Vec<Unit>) -> ShellResult<()> {
        for part in inner {
            match part {
                Part::Text(text) => push(units, text.as_bytes(), true, false),
                Part::Escaped(character) => {
                    push(units, character.encode_utf8(&mut [0; 4]).as_bytes(), true, false);
                }
                Part::Parameter(parameter, span) => {
                    self.push_parameter(parameter, *span, true, units)?;
                }
                Part::Expansion(expansion, span) => {
                    self.push_expansion(expansion, *span, true, units)?;
                }
                Part::Command(list, span) => {
                    let output = self.output_of(list, *span)?;
                    push(units, &output, true, false);
                }
                Part::Arithmetic(inner, span) => {
                    let value = self.arithmetic(inner, *span)?;
                    push(units, value.to_string().as_bytes(), true, false);
                }
                Part::Double(inner) => self.quoted_units(inner, units)?,
                // The parser puts none of the others in quotes.
                _ => {}
            }
        }
        Ok(())
    }

    fn home(&self, name: Option<&str>) -> Vec<u8> {
        let Some(name) = name else {
            let home = self.state.get("HOME", self.files);
            return home.unwrap_or_else(|| b"~".to_vec());
        };
        home_of(name, self.files).unwrap_or_else(|| format!("~{name}").into_bytes())
    }

    /// A parameter that must have a value where the options ask for it.
    fn checked(&self, parameter: &Parameter, span: Span) -> ShellResult<Vec<u8>> {
        match self.state.parameter(parameter, self.files) {
            Some(value) => Ok(value),
            None if self.state.options.no_unset => {
                let name = match parameter {
                    Parameter::Variable(name) => name.clone(),
                    Parameter::Position(number) => number.to_string(),
                    _ => return Ok(Vec::new()),
                };
                Unwind::fault(format!("{name}: this parameter has no value"), span, 2)
            }
            None => Ok(Vec::new()),
        }
    }

    fn push_parameter(
        &mut self,
        parameter: &Parameter,
        span: Span,
        quoted: bool,
        units: &mut Vec<Unit>,
    ) -> ShellResult<()> {
        if !matches!(parameter, Parameter::All | Parameter::AllJoined) {
            let value = self.checked(parameter, span)?;
            push(units, &value, quoted, !quoted);
            return Ok(());
        }
        let joined = quoted && *parameter == Parameter::AllJoined;
        let separator = self.separators().first().copied();
        for number in 0..self.state.positional.len() {
            if number > 0 {
                match (joined, quoted) {
                    (true, _) => units.extend(separator.map(|byte| Unit::Byte(byte, true, false))),
                    (false, true) => units.extend([Unit::Break, Unit::Present]),
                    (false, false) => units.push(Unit::Break),
                }
            }
            push(units, &self.state.positional[number], quoted, !quoted);
        }
        Ok(())
    }

    fn push_expansion(
        &mut self,
        expansion: &Expansion,
        span: Span,
        quoted: bool,
        units: &mut Vec<Unit>,
    ) -> ShellResult<()> {
        let parameter = &expansion.parameter;
        let all = matches!(parameter, Parameter::All | Parameter::AllJoined);
        match &expansion.operation {
            Operation::Length => {
                let length = if all {
                    self.state.positional.len()
                } else {
                    characters(&self.checked(parameter, span)?)
                };
                push(units, length.to_string().as_bytes(), quoted, !quoted);
            }
            Operation::Remove { suffix, longest, pattern } => {
                let pattern = self.pattern(pattern)?;
                if all {
                    for number in 0..self.state.positional.len() {
                        if number > 0 {
                            units.extend([Unit::Break, Unit::Present]);
                        }
                        let value = &self.state.positional[number];
                        let left = removed(value, &pattern, *suffix, *longest, self.control)?;
                        push(units, left, quoted, !quoted);
                    }
                } else {
                    let value = self.checked(parameter, span)?;
                    let left = removed(&value, &pattern, *suffix, *longest, self.control)?;
                    push(units, left, quoted, !quoted);
                }
            }
            Operation::Otherwise { how, or_empty, word } => {
                let present = if all {
                    match &self.state.positional[..] {
                        [] => false,
                        [only] => !*or_empty || !only.is_empty(),
                        _ => true,
                    }
                } else {
                    let value = self.state.parameter(parameter, self.files);
                    value.is_some_and(|value| !*or_empty || !value.is_empty())
                };
                match (how, present) {
                    (Otherwise::Instead, false) => {}
                    (Otherwise::Instead, true) | (Otherwise::Use, false) => {
                        self.push_word(word, quoted, units)?;
                    }
                    (_, true) => self.push_parameter(parameter, span, quoted, units)?,
                    (Otherwise::Assign, false) => {
                        let value = if quoted {
                            self.quoted_value(&word.parts)?
                        } else {
                            self.value(word)?
                        };
                        if let Parameter::Variable(name) = parameter {
                            self.assign(name, value.clone(), span)?;
                        }
                        push(units, &value, quoted, !quoted);
                    }
                    (Otherwise::Fail, false) => {
                        let value = if quoted {
                            self.quoted_value(&word.parts)?
                        } else {
                            self.value(word)?
                        };
                        let name = match parameter {
                            Parameter::Variable(name) => name.clone(),
                            Parameter::Position(number) => number.to_string(),
                            _ => "the parameter".to_owned(),
                        };
                        let text = if value.is_empty() {
                            "this parameter has no value".to_owned()
                        } else {
                            String::from_utf8_lossy(&value).into_owned()
                        };
                        return Unwind::fault(format!("{name}: {text}"), span, 2);
                    }
                }
            }
        }
        Ok(())
    }

    /// The word of `${x-word}`.
    fn push_word(&mut self, word: &Word, quoted: bool, units: &mut Vec<Unit>) -> ShellResult<()> {
        if quoted {
            return self.quoted_units(&word.parts, units);
        }
        // What is not quoted in it is split as what any expansion gives.
        let inner = self.units(word)?;
        units.extend(inner.into_iter().map(|unit| match unit {
            Unit::Byte(byte, false, _) => Unit::Byte(byte, false, true),
            other => other,
        }));
        Ok(())
    }

    fn arithmetic(&mut self, inner: &[Part], span: Span) -> ShellResult<i64> {
        let text = self.quoted_value(inner)?;
        let text = String::from_utf8_lossy(&text).into_owned();
        self.calculate(&text, span)
    }

    /// The value of an expression of whole numbers.
    pub(crate) fn calculate(&mut self, text: &str, span: Span) -> ShellResult<i64> {
        match arithmetic::evaluate(text, &mut Names { shell: self, span }) {
            Ok(value) => Ok(value),
            Err(ArithmeticError { message, .. }) => {
                Unwind::fault(format!("{}: {message}", text.trim()), span, 2)
            }
        }
    }
}

struct Names<'n, 's> {
    shell: &'n mut Shell<'s>,
    span: Span,
}

impl arithmetic::Variables for Names<'_, '_> {
    fn get(&mut self, name: &str) -> Result<String, String> {
        match self.shell.state.get(name, self.shell.files) {
            Some(value) => Ok(String::from_utf8_lossy(&value).into_owned()),
            None if self.shell.state.options.no_unset => {
                Err(format!("{name}: this parameter has no value"))
            }
            None => Ok(String::new()),
        }
    }

    fn set(&mut self, name: &str, value: i64) -> Result<(), String> {
        self.shell
            .assign(name, value.to_string().into_bytes(), self.span)
            .map_err(|leave| leave.message())
    }
}

fn joined(units: &[Unit]) -> Vec<u8> {
    let bytes = units.iter().filter_map(|unit| match unit {
        Unit::Byte(byte, ..) => Some(*byte),
        Unit::Break => Some(b' '),
        Unit::Present => None,
    });
    bytes.collect()
}

fn characters(value: &[u8]) -> usize {
    String::from_utf8_lossy(value).chars().count()
}

/// What is left of a value when the shortest or longest part that matches is taken off one end.
fn removed<'v>(
    value: &'v [u8],
    pattern: &[(u8, bool)],
    suffix: bool,
    longest: bool,
    control: &RunControl,
) -> ShellResult<&'v [u8]> {
    let found = glob_part(pattern, value, suffix, || !control.is_cancelled());
    let Ok(found) = found else { return Err(Unwind::Cancelled) };
    let Some((short, long)) = found else { return Ok(value) };
    let length = if longest { long } else { short };
    Ok(if suffix { &value[..value.len() - length] } else { &value[length..] })
}

fn has_braces(word: &Word) -> bool {
    let brace = |part: &Part| matches!(part, Part::Alternatives(_) | Part::Sequence(_));
    word.parts.iter().any(brace)
}

/// How many words a word with braces means: known before any of them is made.
fn count_without_braces(word: &Word) -> u64 {
    let counts = word.parts.iter().map(|part| match part {
        Part::Alternatives(inner) => {
            inner.iter().map(count_without_braces).fold(0, u64::saturating_add)
        }
        Part::Sequence(sequence) => sequence.count(),
        _ => 1,
    });
    counts.fold(1, u64::saturating_mul)
}

/// Adds a part at the end of a word; text that follows text becomes one with it.
fn add_part(word: &mut Word, part: &Part) {
    match (word.parts.last_mut(), part) {
        (Some(Part::Text(before)), Part::Text(text)) => before.push_str(text),
        _ => word.parts.push(part.clone()),
    }
}

/// The words that a word with braces means, [`WORDS_MAX`] at most.
fn without_braces(word: &Word) -> Vec<Word> {
    let mut words = vec![Word { parts: Vec::new(), span: word.span }];
    for part in &word.parts {
        let choices: Vec<Vec<Part>> = match part {
            Part::Alternatives(inner) => {
                let mut all = Vec::new();
                for word in inner {
                    all.extend(without_braces(word).into_iter().map(|word| word.parts));
                }
                all
            }
            Part::Sequence(sequence) => {
                let words = sequence.words(WORDS_MAX).unwrap_or_default();
                words.into_iter().map(|text| vec![Part::Text(text)]).collect()
            }
            part => {
                for word in &mut words {
                    add_part(word, part);
                }
                continue;
            }
        };
        words = words
            .iter()
            .flat_map(|before| {
                choices.iter().map(|choice| {
                    let mut word = before.clone();
                    for part in choice {
                        add_part(&mut word, part);
                    }
                    word
                })
            })
            .collect();
    }
    words
}

/// The home directory of a user of this machine.
fn home_of(name: &str, files: &dyn Files) -> Option<Vec<u8>> {
    let mut source = files.read(Path::new("/etc/passwd")).ok()?;
    let mut all = Vec::new();
    while let Ok(Some(block)) = source.next_block() {
        all.extend_from_slice(block.bytes());
    }
    let all = Bytes::from(all);
    all.split(|byte| *byte == b'\n').find_map(|line| {
        let mut fields = line.split(|byte| *byte == b':');
        (fields.next()? == name.as_bytes()).then(|| fields.nth(4).map(<[u8]>::to_vec))?
    })
}

/// Splits at separators that came from expansions (XCU 2.6.5): runs of white space count once
/// and not at the ends, each other separator ends a field.
fn split(units: &[Unit], separators: &[u8]) -> Vec<Vec<(u8, bool)>> {
    let mut fields: Vec<Vec<(u8, bool)>> = Vec::new();
    let mut field: Option<Vec<(u8, bool)>> = None;
    // White space just ended a field; a separator right behind it belongs to it.
    let mut after_space = false;
    for &unit in units {
        match unit {
            Unit::Byte(byte, _, true) if separators.contains(&byte) => {
                let space = matches!(byte, b' ' | b'\t' | b'\n');
                if space {
                    if let Some(field) = field.take() {
                        fields.push(field);
                        after_space = true;
                    }
                } else {
                    if !after_space || field.is_some() {
                        fields.push(field.take().unwrap_or_default());
                    }
                    after_space = false;
                }
            }
            Unit::Byte(byte, quoted, _) => {
                after_space = false;
                field.get_or_insert_with(Vec::new).push((byte, quoted));
            }
            Unit::Break => {
                after_space = false;
                fields.extend(field.take());
            }
            Unit::Present => {
                after_space = false;
                field.get_or_insert_with(Vec::new);
            }
        }
    }
    fields.extend(field);
    fields
}
