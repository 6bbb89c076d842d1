//! The functions of the language, and `getline`.

use pattern::Pattern;
use stream::{CommandEnd, CommandRequest, ReadError, StageError};

use super::super::code::{BuiltinCall, From, Getline, Matcher};
use super::super::replacement;
use super::super::split::next_by_pattern;
use super::super::streams::{shell_line, status_of};
use super::super::tree::Builtin;
use super::{ArrayPlace, Eval, Node, Place, Rc, Runtime, Slot, Special, Splitter, Value, fault};
use crate::common::substitution::replace;
use crate::common::time;
use crate::text::characters;

/// Where a character of a text begins, counted from 0; the text's length behind the last.
fn offset_of(text: &[u8], character: usize) -> usize {
    if text.is_ascii() {
        return character.min(text.len());
    }
    characters::each(text).take(character).map(|(_, bytes)| bytes.len()).sum()
}

impl Runtime<'_, '_> {
    /// A value as text, in a buffer that should be given back.
    pub(super) fn text(&mut self, node: &Node) -> Eval<Vec<u8>> {
        let mut text = self.buffer();
        self.push(node, &mut text)?;
        Ok(text)
    }

    pub(super) fn builtin(&mut self, call: &BuiltinCall) -> Eval<Value> {
        let values = &call.values[..];
        let number = match (call.builtin, values) {
            (Builtin::Atan2, [y, x]) => {
                let y = self.number(y)?;
                y.atan2(self.number(x)?)
            }
            (Builtin::Cos, [x]) => self.number(x)?.cos(),
            (Builtin::Sin, [x]) => self.number(x)?.sin(),
            (Builtin::Exp, [x]) => self.number(x)?.exp(),
            (Builtin::Log, [x]) => self.number(x)?.ln(),
            (Builtin::Sqrt, [x]) => self.number(x)?.sqrt(),
            (Builtin::Int, [x]) => self.number(x)?.trunc(),
            (Builtin::Rand, _) => self.chance.random.f64(),
            (Builtin::Srand, values) => {
                let seed = match values {
                    [seed] => self.number(seed)?,
                    _ => (self.io.files().machine().now_ns() / 1_000_000_000) as f64,
                };
                self.chance.random = fastrand::Rng::with_seed(seed.to_bits());
                std::mem::replace(&mut self.chance.seed, seed)
            }
            (Builtin::Length, _) => return self.length(call),
            (Builtin::Index, [text, wanted]) => {
                let text = self.text(text)?;
                let wanted = self.text(wanted)?;
                let found = memchr::memmem::find(&text, &wanted);
                let place = found.map_or(0, |at| characters::count(&text[..at]) + 1);
                self.give_back(text);
                self.give_back(wanted);
                place as f64
            }
            (Builtin::Match, [text]) => return self.find(call, text),
            (Builtin::Split, [text, rest @ ..]) => return self.split(call, text, rest.first()),
            (Builtin::Sub | Builtin::Gsub, _) => self.substitute(call)?,
            (Builtin::Gensub, [replacement, which, rest @ ..]) => {
                return self.generate(call, replacement, which, rest.first());
            }
            (Builtin::Substr, [text, start, rest @ ..]) => {
                return self.part(text, start, rest.first());
            }
            (Builtin::Sprintf, values) => {
                let mut text = self.buffer();
                self.format(values, call.at, &mut text)?;
                let value = Value::text(&text[..]);
                self.give_back(text);
                return Ok(value);
            }
            (Builtin::Tolower | Builtin::Toupper, [text]) => {
                let text = self.text(text)?;
                let changed = change_case(&text, call.builtin == Builtin::Toupper);
                self.give_back(text);
                return Ok(Value::text(changed));
            }
            (Builtin::Close, [name]) => {
                let name = self.text(name)?;
                self.flush()?;
                let status = self.streams.close(&name)?;
                self.give_back(name);
                status
            }
            (Builtin::Fflush, []) => {
                self.flush()?;
                self.streams.flush()?;
                0.0
            }
            (Builtin::Fflush, [name, ..]) => {
                let name = self.text(name)?;
                let known = self.streams.flush_one(&name)?;
                if known || name.is_empty() || name == b"/dev/stdout" {
                    self.flush()?;
                    0.0
                } else {
                    -1.0
                }
            }
            (Builtin::System, [line]) => self.system(line)?,
            (Builtin::Systime, _) => {
                (self.io.files().machine().now_ns().div_euclid(1_000_000_000)) as f64
            }
            (Builtin::Mktime, [text]) => {
                let text = self.text(text)?;
                made_time(&String::from_utf8_lossy(&text), &time::zone(self.io.files()))
            }
            (Builtin::Strftime, values) => return self.written_time(values),
            // The number of arguments was checked when the program was read.
            _ => return fault(call.at, "a wrong number of arguments"),
        };
        Ok(Value::Number(number))
    }

    fn length(&mut self, call: &BuiltinCall) -> Eval<Value> {
        let length = match (call.array, call.values.first()) {
            (Some(array), _) => self.array(array).borrow().len(),
            (None, None) => self.with_column(0, characters::count),
            (None, Some(Node::Column(number))) => self.with_column(*number, characters::count),
            (None, Some(value)) => {
                let text = self.text(value)?;
                let length = characters::count(&text);
                self.give_back(text);
                length
            }
        };
        Ok(Value::Number(length as f64))
    }

    fn find(&mut self, call: &BuiltinCall, text: &Node) -> Eval<Value> {
        let Some(matcher) = &call.matcher else { return Ok(Value::Unset) };
        let text = self.text(text)?;
        let found = self.with_pattern(matcher, |_, pattern| Ok(search(pattern, &text, 0)))?;
        let (start, length) = match found {
            Some(found) => (
                (characters::count(&text[..found.start]) + 1) as f64,
                characters::count(&text[found]) as f64,
            ),
            None => (0.0, -1.0),
        };
        self.give_back(text);
        self.set_special(Special::Rstart, Value::Number(start))?;
        self.set_special(Special::Rlength, Value::Number(length))?;
        Ok(Value::Number(start))
    }

    fn split(&mut self, call: &BuiltinCall, text: &Node, separator: Option<&Node>) -> Eval<Value> {
        let text = self.text(text)?;
        let splitter = match (&call.matcher, separator) {
            (Some(matcher), _) => {
                // The pattern of the program itself is shared, not compiled again.
                self.fill(call.array, &text, |at, runtime| {
                    runtime
                        .with_pattern(matcher, |_, pattern| Ok(next_by_pattern(pattern, &text, at)))
                })?
            }
            (None, separator) => {
                let splitter = match separator {
                    Some(separator) => {
                        let separator = self.text(separator)?;
                        match Splitter::new(&separator, false) {
                            Ok(splitter) => Rc::new(splitter),
                            Err(error) => return fault(call.at, error.to_string()),
                        }
                    }
                    None => self.specials.splitter.clone(),
                };
                self.fill(call.array, &text, |at, _| Ok(splitter.next(&text, at)))?
            }
        };
        self.give_back(text);
        Ok(Value::Number(splitter as f64))
    }

    /// Fills an array with the fields of a text.
    fn fill(
        &mut self,
        array: Option<ArrayPlace>,
        text: &[u8],
        mut next: impl FnMut(usize, &mut Self) -> Eval<Option<((usize, usize), Option<usize>)>>,
    ) -> Eval<usize> {
        let Some(array) = array else { return Ok(0) };
        let shared = self.array(array);
        if self.lineage.tracks && self.in_record {
            self.touch();
        }
        let lines = (self.lineage.tracks && !self.lineage.reads.is_empty())
            .then(|| Box::new(self.lineage.reads.clone()));
        let (mut at, mut count) = (Some(0), 0usize);
        let mut key = self.buffer();
        // As long as the elements are those of a split before this one, only their values change.
        let mut again = true;
        while let Some(place) = at
            && let Some(((start, end), after)) = next(place, self)?
        {
            count += 1;
            key.clear();
            super::super::text::push_whole(count as i64, &mut key);
            let slot = Slot { value: Value::input(&text[start..end]), lines: lines.clone() };
            let mut array = shared.borrow_mut();
            match array.get_index_mut(count - 1) {
                Some((known, known_slot)) if again && **known == key[..] => *known_slot = slot,
                _ => {
                    if again {
                        array.truncate(count - 1);
                        again = false;
                    }
                    array.insert(key[..].into(), slot);
                }
            }
            at = after;
        }
        if again {
            shared.borrow_mut().truncate(count);
        }
        self.give_back(key);
        Ok(count)
    }

    /// `sub` and `gsub`; gives how many matches were replaced.
    pub(super) fn substitute(&mut self, call: &BuiltinCall) -> Eval<f64> {
        let (Some(matcher), Some(place), [new]) = (&call.matcher, &call.place, &call.values[..])
        else {
            return Ok(0.0);
        };
        let most = if call.builtin == Builtin::Gsub { usize::MAX } else { 1 };
        if let (Matcher::Known(number), true, Node::Text(text)) = (matcher, is_record(place), new) {
            return self.substitute_in_record(*number, *text, most, call.at);
        }
        let new = self.text(new)?;
        let replacement = replacement::read(&new, false);
        self.give_back(new);
        let value = self.place_value(place)?;
        let mut text = self.buffer();
        self.push_text(&value, &mut text);
        let mut changed = Vec::new();
        let count = self.with_pattern(matcher, |_, pattern| {
            replace(pattern, &text, &replacement, 1, most, &mut changed)
                .or_else(|error| fault(call.at, error.to_string()))
        })?;
        self.give_back(text);
        if count > 0 {
            self.assign(place, Value::text(changed))?;
        }
        Ok(count as f64)
    }

    /// The usual case: a pattern and a text of the program itself, on the record. Nothing is copied
    /// where nothing matches.
    fn substitute_in_record(
        &mut self,
        pattern: usize,
        text: usize,
        most: usize,
        at: usize,
    ) -> Eval<f64> {
        let code = self.code;
        self.touch();
        self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
        if self.made.replacements[text].is_none() {
            self.made.replacements[text] =
                Some(Rc::new(replacement::read(&self.made.texts[text], false)));
        }
        let mut changed = self.buffer();
        let Some(replacement) = &self.made.replacements[text] else { return Ok(0.0) };
        let pattern = (pattern, &code.patterns[pattern]);
        let count = match self.record.replace(pattern, replacement, most, &mut changed) {
            Ok(count) => count,
            Err(error) => return fault(at, error.to_string()),
        };
        if count > 0 {
            self.set_record(changed);
        } else {
            self.give_back(changed);
        }
        Ok(count as f64)
    }

    fn generate(
        &mut self,
        call: &BuiltinCall,
        replacement: &Node,
        which: &Node,
        target: Option<&Node>,
    ) -> Eval<Value> {
        let Some(matcher) = &call.matcher else { return Ok(Value::Unset) };
        let new = self.text(replacement)?;
        let replacement = replacement::read(&new, true);
        let which_text = self.text(which)?;
        let all = matches!(which_text.first(), Some(b'g' | b'G'));
        let (from, most) = if all {
            (1, usize::MAX)
        } else {
            ((super::super::text::to_number(&which_text) as usize).max(1), 1)
        };
        let text = match target {
            Some(target) => self.text(target)?,
            None => {
                let mut text = self.buffer();
                self.push_column(0, &mut text);
                text
            }
        };
        let mut changed = Vec::with_capacity(text.len());
        let count = self.with_pattern(matcher, |_, pattern| {
            replace(pattern, &text, &replacement, from, most, &mut changed)
                .or_else(|error| fault(call.at, error.to_string()))
        })?;
        if count == 0 {
            changed.extend_from_slice(&text);
        }
        for buffer in [new, which_text, text] {
            self.give_back(buffer);
        }
        Ok(Value::text(changed))
    }

    fn part(&mut self, text: &Node, start: &Node, length: Option<&Node>) -> Eval<Value> {
        let text = self.text(text)?;
        let first = rounded(self.number(start)?);
        let end = match length {
            // As the standard has it: the characters from place m to place m + n - 1.
            Some(length) => first + rounded(self.number(length)?),
            None => f64::INFINITY,
        };
        let from = first.max(1.0);
        let part = if end > from && !end.is_nan() {
            let start = offset_of(&text, (from - 1.0) as usize);
            let length = (end - from).min(text.len() as f64) as usize;
            let end = start + offset_of(&text[start..], length);
            Value::text(&text[start..end])
        } else {
            Value::text(&b""[..])
        };
        self.give_back(text);
        Ok(part)
    }

    fn system(&mut self, line: &Node) -> Eval<f64> {
        let line = self.text(line)?;
        self.flush()?;
        self.streams.flush()?;
        let out = self.io.out().side(self.lineage.current.filter(|_| self.in_record))?;
        let error = self.io.error_sink()?;
        let words = shell_line(&line);
        let control = self.io.cancel().clone();
        let job = CommandRequest {
            words: &words,
            input: None,
            out,
            error,
            environment: stream::Environment::default(),
            directory: None,
            control: &control,
        };
        let end = self.io.commands().run(job);
        if end == CommandEnd::HeldBack {
            self.streams.note_held_back();
        }
        self.io.check_cancel()?;
        Ok(status_of(end))
    }

    /// `strftime([format [, seconds [, utc]]])`
    fn written_time(&mut self, values: &[Node]) -> Eval<Value> {
        let format = match values.first() {
            Some(format) => self.text(format)?,
            None => b"%a %b %e %H:%M:%S %Z %Y".to_vec(),
        };
        let files = self.io.files();
        let seconds = match values.get(1) {
            Some(seconds) => self.number(seconds)?.floor() as i128,
            None => files.machine().now_ns().div_euclid(1_000_000_000),
        };
        let utc = match values.get(2) {
            Some(utc) => self.truth(utc)?,
            None => false,
        };
        let zone = if utc { jiff::tz::TimeZone::UTC } else { time::zone(files) };
        let time = time::at_nanoseconds(seconds.saturating_mul(1_000_000_000)).to_zoned(zone);
        let mut text = Vec::new();
        time::directives::write(&time, &format, &mut text);
        self.give_back(format);
        Ok(Value::text(text))
    }

    pub(super) fn getline(&mut self, getline: &Getline) -> Eval<f64> {
        let found = match &getline.from {
            From::Input => self.next_record()?,
            From::File(name) | From::Command(name) => {
                let command = matches!(getline.from, From::Command(_));
                let name = self.text(name)?;
                if command {
                    self.flush()?;
                }
                let separator = self.specials.separator.clone();
                let tracks = self.lineage.tracks;
                let Some(records) = self.streams.reader(self.io, command, &name)? else {
                    return Ok(-1.0);
                };
                let found = match records.next(&separator, tracks) {
                    Ok(found) => found,
                    Err(ReadError::Cancelled) => return Err(StageError::Cancelled.into()),
                    Err(ReadError::Io(_)) => return Ok(-1.0),
                };
                self.give_back(name);
                if command && found.is_some() {
                    self.specials.nr += 1.0;
                }
                found
            }
        };
        let Some(found) = found else { return Ok(0.0) };
        let known = !matches!(getline.from, From::Command(_));
        match &getline.place {
            None => {
                self.lineage.current = known.then_some(found.lines);
                self.set_record(found.text.to_vec());
            }
            Some(place) => {
                if self.lineage.tracks {
                    self.lineage.reads.clear();
                    if known {
                        self.lineage.reads.add(found.lines.0, found.lines.1);
                    }
                }
                let value = Value::input(&found.text);
                let in_record = std::mem::replace(&mut self.in_record, false);
                let assigned = self.assign(place, value);
                self.in_record = in_record;
                assigned?;
            }
        }
        Ok(1.0)
    }
}

/// True for `$0`, where that is known beforehand.
fn is_record(place: &Place) -> bool {
    matches!(place, Place::Field(Node::Number(number), _) if *number == 0.0)
}

/// Rounded to the nearest whole number, halves to the even one.
fn rounded(value: f64) -> f64 {
    value.round_ties_even()
}

fn search(pattern: &Pattern, text: &[u8], from: usize) -> Option<std::ops::Range<usize>> {
    // Without back-references no search is given up.
    pattern.find(text, from).ok().flatten()
}

fn change_case(text: &[u8], upper: bool) -> Vec<u8> {
    if text.is_ascii() {
        return if upper { text.to_ascii_uppercase() } else { text.to_ascii_lowercase() };
    }
    let mut changed = Vec::with_capacity(text.len());
    for (character, bytes) in characters::each(text) {
        match character {
            Some(character) => {
                changed.extend_from_slice(
                    characters::in_case(character, upper).encode_utf8(&mut [0; 4]).as_bytes(),
                );
            }
            None => changed.extend_from_slice(bytes),
        }
    }
    changed
}

/// `YYYY MM DD HH MM SS [DST]` as seconds since 1970; -1 for what is no time. Parts beyond their
/// usual bounds run over into the next larger one.
fn made_time(text: &str, zone: &jiff::tz::TimeZone) -> f64 {
    let parts: Option<Vec<i64>> =
        text.split_whitespace().map(|part| part.parse::<f64>().ok().map(|n| n as i64)).collect();
    let time = || {
        let parts = parts?;
        let [year, month, day, hour, minute, second, ..] = parts[..] else { return None };
        let months = year.checked_mul(12)?.checked_add(month - 1)?;
        let first = jiff::civil::Date::new(
            months.div_euclid(12).try_into().ok()?,
            (months.rem_euclid(12) + 1) as i8,
            1,
        );
        let seconds = (day - 1)
            .checked_mul(86_400)?
            .checked_add(hour.checked_mul(3600)?)?
            .checked_add(minute.checked_mul(60)?)?
            .checked_add(second)?;
        let start = first.ok()?.to_datetime(jiff::civil::Time::midnight());
        let span = jiff::Span::new().try_seconds(seconds).ok()?;
        let zoned = start.checked_add(span).ok()?.to_zoned(zone.clone()).ok()?;
        Some(zoned.timestamp().as_second() as f64)
    };
    time().unwrap_or(-1.0)
}
