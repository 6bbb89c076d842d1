//! Arguments as a filter gets them, parsed by its description.

use std::ops::Range;

use bstr::ByteSlice;
use thiserror::Error;

use super::description::{OptionId, OptionSpec, Optional, Spec, Style};

/// Arguments after parsing by a [`Spec`].
#[derive(Clone, Debug, Default)]
pub struct Arguments {
    /// The options, in order.
    pub options: Vec<Given>,
    /// Everything else, in order.
    pub operands: Vec<Operand>,
    /// By what they were parsed; `None` for none.
    spec: Option<&'static Spec>,
}

/// An option as given.
#[derive(Clone, Debug)]
pub struct Given {
    /// Which one it is.
    pub id: OptionId,
    /// Its value.
    pub value: Vec<u8>,
    /// Which argument holds the value (or the option), from 0 for the first behind the name.
    pub word: usize,
}

impl Given {
    /// True where it is an option with one of these letters.
    pub fn is_one_of(&self, letters: &str) -> bool {
        self.id.letter().is_some_and(|letter| letters.contains(letter))
    }
}

/// An operand as given.
#[derive(Clone, Debug)]
pub struct Operand {
    /// Its value.
    pub value: Vec<u8>,
    /// Which argument it is, from 0 for the first behind the name.
    pub word: usize,
}

/// Arguments a filter cannot work with.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{message}")]
pub struct UsageError {
    /// What is wrong, without the filter's name; may have a second line.
    pub message: String,
    /// Which argument is meant, from 0 for the first behind the name.
    pub word: Option<usize>,
    /// The bytes of that argument's value that are meant.
    pub part: Option<Range<usize>>,
    /// The status to end with.
    pub status: u8,
    /// The option is none of this filter's: the machine's own program may have it.
    pub unknown_option: bool,
}

impl UsageError {
    /// A usage error of `spec`, about argument `word`.
    pub fn new(spec: &Spec, word: Option<usize>, message: impl Into<String>) -> Self {
        Self {
            message: message.into(),
            word,
            part: None,
            status: spec.usage_status,
            unknown_option: false,
        }
    }

    pub(crate) fn with_hint(spec: &Spec, word: Option<usize>, message: &str) -> Self {
        let hint = format!("{message}\nTry '{} --help' for more information.", spec.name);
        Self::new(spec, word, hint)
    }

    /// The message's first line.
    pub fn first_line(&self) -> &str {
        self.message.lines().next().unwrap_or_default()
    }
}

/// How many digits a text begins with.
fn digits(text: &[u8]) -> usize {
    text.iter().take_while(|byte| byte.is_ascii_digit()).count()
}

impl Arguments {
    /// Parses the arguments behind a filter's name.
    ///
    /// # Errors
    /// The first option that does not exist, lacks its value or has one it does not take.
    pub fn parse(spec: &'static Spec, arguments: &[Vec<u8>]) -> Result<Self, UsageError> {
        let mut parsed = Self { spec: Some(spec), ..Self::default() };
        if spec.style == Style::Own {
            let operands = arguments.iter().enumerate();
            parsed.operands =
                operands.map(|(word, value)| Operand { value: value.clone(), word }).collect();
            return Ok(parsed);
        }
        let mut at = usize::from(parsed.plus_number(spec, arguments));
        let mut only_operands = false;
        while let Some(argument) = arguments.get(at) {
            let word = at;
            at += 1;
            let negative_number = spec.style == Style::NegativeNumbers
                && argument.len() > 1
                && matches!(argument[1], b'0'..=b'9' | b'.');
            if only_operands || argument == b"-" || !argument.starts_with(b"-") || negative_number {
                only_operands |= matches!(spec.style, Style::NegativeNumbers | Style::OptionsFirst);
                parsed.operands.push(Operand { value: argument.clone(), word });
            } else if argument == b"--" {
                only_operands = true;
            } else if let Some(long) = argument.strip_prefix(b"--") {
                at += parsed.long(spec, long, word, arguments.get(at))?;
            } else {
                at += parsed.cluster(spec, &argument[1..], word, arguments.get(at))?;
            }
        }
        Ok(parsed)
    }

    /// Takes `--name` or `--name=value`; gives how many further arguments it used.
    fn long(
        &mut self,
        spec: &'static Spec,
        long: &[u8],
        word: usize,
        next: Option<&Vec<u8>>,
    ) -> Result<usize, UsageError> {
        let (name, value) = match long.split_once_str("=") {
            Some((name, value)) => (name, Some(value)),
            None => (long, None),
        };
        let shown = String::from_utf8_lossy(name).into_owned();
        let exact = spec.options.iter().find(|option| option.long.as_bytes() == name);
        let begun: Vec<&OptionSpec> = spec
            .options
            .iter()
            .filter(|option| !option.long.is_empty() && option.long.as_bytes().starts_with(name))
            .collect();
        let option = match (exact, &begun[..]) {
            (Some(option), _) => option,
            (None, [only]) => *only,
            (None, []) => {
                let message = format!("unrecognized option '--{shown}'");
                let error = UsageError::with_hint(spec, Some(word), &message);
                return Err(UsageError { unknown_option: true, ..error });
            }
            (None, _) => {
                let message = format!("option '--{shown}' is ambiguous");
                return Err(UsageError::with_hint(spec, Some(word), &message));
            }
        };
        let (value, word, used) = match (option.value, value, next) {
            (None, None, _) => (Vec::new(), word, 0),
            (None, Some(_), _) => {
                let message = format!("option '--{}' doesn't allow an argument", option.long);
                return Err(UsageError::with_hint(spec, Some(word), &message));
            }
            (Some(_), Some(value), _) => (value.to_vec(), word, 0),
            (Some(_), None, _) if option.optional != Optional::Never => (Vec::new(), word, 0),
            (Some(_), None, Some(next)) => (next.clone(), word + 1, 1),
            (Some(_), None, None) => {
                let message = format!("option '--{}' requires an argument", option.long);
                return Err(UsageError::with_hint(spec, Some(word), &message));
            }
        };
        self.options.push(Given { id: option.id, value, word });
        Ok(used)
    }

    /// Takes a number and the letter of a unit after it, as option `option` or `c`; gives the rest.
    fn number_and_unit<'l>(
        &mut self,
        option: char,
        units: &[u8],
        sign: &[u8],
        letters: &'l [u8],
        word: usize,
    ) -> &'l [u8] {
        let (number, rest) = letters.split_at(digits(letters));
        let number = if number.is_empty() { b"10" } else { number };
        let unit = rest.first().filter(|unit| units.contains(unit));
        let (short, size) = match unit {
            None | Some(b'l') => (option, &b""[..]),
            Some(b'c') => ('c', &b""[..]),
            Some(size) => ('c', std::slice::from_ref(size)),
        };
        self.options.push(Given { id: short.into(), value: [sign, number, size].concat(), word });
        &rest[usize::from(unit.is_some())..]
    }

    /// Takes `+5`, `+5l`, `+5f` and the like as the first of at most two arguments; false where the
    /// first one is something else.
    fn plus_number(&mut self, spec: &'static Spec, arguments: &[Vec<u8>]) -> bool {
        let Style::NumberAndUnit { option, units, plus: true } = spec.style else { return false };
        let operand = |word: &Vec<u8>| word == b"-" || !word.starts_with(b"-");
        let letters = match arguments {
            [first] => first.strip_prefix(b"+"),
            [first, second] if operand(second) => first.strip_prefix(b"+"),
            _ => None,
        };
        let Some(letters) = letters else { return false };
        let unit = letters[digits(letters)..].first().filter(|unit| units.contains(unit));
        let after = &letters[digits(letters) + usize::from(unit.is_some())..];
        if !matches!(after, b"" | b"f") {
            return false;
        }
        self.number_and_unit(option, units, b"+", letters, 0);
        if after == b"f" {
            self.options.push(Given { id: 'f'.into(), value: Vec::new(), word: 0 });
        }
        true
    }

    /// Takes `-abc`; gives how many further arguments it used.
    fn cluster(
        &mut self,
        spec: &'static Spec,
        letters: &[u8],
        word: usize,
        next: Option<&Vec<u8>>,
    ) -> Result<usize, UsageError> {
        match spec.style {
            Style::NumberIs(short) if digits(letters) == letters.len() => {
                self.options.push(Given { id: short.into(), value: letters.to_vec(), word });
                return Ok(0);
            }
            Style::NumberAndUnit { option, units, .. } if digits(letters) > 0 => {
                let rest = self.number_and_unit(option, units, b"", letters, word);
                return if rest.is_empty() { Ok(0) } else { self.cluster(spec, rest, word, next) };
            }
            _ => {}
        }
        let mut from = 0;
        for (at, &letter) in letters.iter().enumerate() {
            if at < from {
                continue;
            }
            if let (Style::NumberAmong(short), used @ 1..) = (spec.style, digits(&letters[at..])) {
                from = at + used;
                self.options.push(Given {
                    id: short.into(),
                    value: letters[at..from].to_vec(),
                    word,
                });
                continue;
            }
            let letter = char::from(letter);
            let Some(option) = spec.option(letter).filter(|option| option.has_letter()) else {
                let message = format!("invalid option -- '{letter}'");
                let error = UsageError::with_hint(spec, Some(word), &message);
                return Err(UsageError { unknown_option: true, ..error });
            };
            if option.value.is_none() || option.optional == Optional::LongOnly {
                self.options.push(Given { id: letter.into(), value: Vec::new(), word });
                continue;
            }
            let rest = &letters[at + 1..];
            if !rest.is_empty() || option.optional == Optional::Attached {
                self.options.push(Given { id: letter.into(), value: rest.to_vec(), word });
                return Ok(0);
            }
            let Some(next) = next else {
                let message = format!("option requires an argument -- '{letter}'");
                return Err(UsageError::with_hint(spec, Some(word), &message));
            };
            self.options.push(Given { id: letter.into(), value: next.clone(), word: word + 1 });
            return Ok(1);
        }
        Ok(0)
    }

    /// True when the option was given.
    pub fn has(&self, id: impl Into<OptionId>) -> bool {
        self.last(id).is_some()
    }

    /// The option as given last.
    pub fn last(&self, id: impl Into<OptionId>) -> Option<&Given> {
        let id = self.known(id);
        self.options.iter().rev().find(|given| given.id == id)
    }

    /// Every giving of the option, in order.
    pub fn all(&self, id: impl Into<OptionId>) -> impl Iterator<Item = &Given> {
        let id = self.known(id);
        self.options.iter().filter(move |given| given.id == id)
    }

    /// As [`Arguments::last`] where the filter may not have such an option, as for what several filters share.
    pub fn last_of_any(&self, id: impl Into<OptionId>) -> Option<&Given> {
        let id = id.into();
        self.options.iter().rev().find(|given| given.id == id)
    }

    /// As [`Arguments::has`] where the filter may not have such an option.
    pub fn has_any(&self, id: impl Into<OptionId>) -> bool {
        self.last_of_any(id).is_some()
    }

    /// The option that is asked for. Who asks for one that the filter does not have asks in vain, and would not
    /// see that it was renamed: that is a mistake in the program, found by any test that comes by.
    fn known(&self, id: impl Into<OptionId>) -> OptionId {
        let id = id.into();
        debug_assert!(
            self.spec.is_none_or(|spec| spec.option(id).is_some()),
            "{} has no option {id:?}",
            self.spec.map_or("", |spec| spec.name)
        );
        id
    }

    /// The values of the operands.
    pub fn operand_values(&self) -> Vec<Vec<u8>> {
        self.operands.iter().map(|operand| operand.value.clone()).collect()
    }

    /// The whole number an option was last given, with a size suffix if it has one; `None`
    /// without the option.
    ///
    /// # Errors
    /// `what` and the value, where that is no number.
    pub(crate) fn number(
        &self,
        spec: &Spec,
        id: impl Into<OptionId>,
        what: &str,
    ) -> Result<Option<u64>, UsageError> {
        let Some(given) = self.last(id) else { return Ok(None) };
        match crate::text::counts::count(&given.value) {
            Some(number) => Ok(Some(number)),
            None => {
                let message = format!("{what}: {}", shown(&given.value));
                Err(UsageError::new(spec, Some(given.word), message))
            }
        }
    }

    /// The operands, at most `most` of them.
    ///
    /// # Errors
    /// The first one too many.
    pub(crate) fn at_most(&self, spec: &'static Spec, most: usize) -> Result<(), UsageError> {
        match self.operands.get(most) {
            None => Ok(()),
            Some(extra) => {
                let message = format!("extra operand {}", shown(&extra.value));
                Err(UsageError::with_hint(spec, Some(extra.word), &message))
            }
        }
    }

    /// The operands, at least `least` of them.
    ///
    /// # Errors
    /// `missing operand`, after the last one there is.
    pub(crate) fn at_least(&self, spec: &'static Spec, least: usize) -> Result<(), UsageError> {
        if self.operands.len() >= least {
            return Ok(());
        }
        let message = match self.operands.last() {
            None => "missing operand".to_owned(),
            Some(last) => format!("missing operand after {}", shown(&last.value)),
        };
        Err(UsageError::with_hint(spec, None, &message))
    }
}

/// Text for a message: the value in quotes, invalid bytes replaced.
pub(crate) fn shown(value: &[u8]) -> String {
    format!("‘{}’", String::from_utf8_lossy(value))
}
