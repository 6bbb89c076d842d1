//! The current record and its fields, cut only as far as they are needed.

use std::rc::Rc;

use bytes::Bytes;
use pattern::{Pattern, TooManySteps};

use super::split::Splitter;
use super::text::NumberFormat;
use super::value::Value;
use crate::common::substitution::{Replacement, replace, replace_by};
use crate::text::blanks::word;

/// Fields beyond this are refused: they are slips, and would fill the memory.
pub(super) const FIELDS_MAX: usize = 1 << 24;

pub(super) struct Record {
    /// `$0`, unless it is stale: this part of a block, or a text of its own.
    block: Bytes,
    start: usize,
    end: usize,
    own: Option<Vec<u8>>,
    /// A text that is used no more, for the next one.
    spare: Vec<u8>,
    ahead: Ahead,
    splitter: Rc<Splitter>,
    /// The fields found so far, as parts of the text.
    spans: Vec<(usize, usize)>,
    /// Where to look for the next field; `None` when all were found.
    next: Option<usize>,
    /// The fields once one was changed: these count then, not the spans.
    changed: Option<Vec<Value>>,
    /// Fields that are used no more, for the next ones.
    spare_fields: Vec<Value>,
    /// True when `$0` must be put together again from the fields.
    stale: bool,
}

/// Where a plain text is next in the block: one search serves all records up to there.
#[derive(Default)]
struct Ahead {
    /// The number of the pattern.
    pattern: usize,
    /// The text is at `next`, and nowhere between `from` and there. A `next` of 0 says nothing.
    from: usize,
    next: usize,
}

impl Ahead {
    /// The first place at or behind `from`, or one behind the block.
    #[inline]
    fn next(
        &mut self,
        number: usize,
        pattern: &Pattern,
        block: &[u8],
        from: usize,
    ) -> Result<usize, TooManySteps> {
        if self.pattern != number || from < self.from || from > self.next || self.next == 0 {
            let found = pattern.find(block, from)?.map_or(usize::MAX, |found| found.start);
            *self = Self { pattern: number, from, next: found };
        }
        Ok(self.next)
    }
}

impl Record {
    pub(super) fn new(splitter: Rc<Splitter>) -> Self {
        Self {
            block: Bytes::new(),
            start: 0,
            end: 0,
            own: None,
            spare: Vec::new(),
            ahead: Ahead::default(),
            splitter,
            spans: Vec::new(),
            next: None,
            changed: None,
            spare_fields: Vec::new(),
            stale: false,
        }
    }

    /// Takes the block that the next records are parts of.
    pub(super) fn set_block(&mut self, block: Bytes) {
        self.settle();
        self.block = block;
        self.ahead = Ahead::default();
    }

    /// Makes the text independent of the block.
    fn settle(&mut self) {
        if self.own.is_none() {
            let mut own = std::mem::take(&mut self.spare);
            own.clear();
            own.extend_from_slice(&self.block[self.start..self.end]);
            self.own = Some(own);
        }
    }

    /// Takes a part of the block as text, to be cut by `splitter`.
    #[inline]
    pub(super) fn set_part(&mut self, start: usize, end: usize, splitter: &Rc<Splitter>) {
        (self.start, self.end) = (start, end);
        if let Some(own) = self.own.take() {
            self.spare = own;
        }
        self.begin(splitter);
    }

    /// Takes a new text, to be cut by `splitter`; a buffer for another one comes back.
    pub(super) fn set(&mut self, text: Vec<u8>, splitter: &Rc<Splitter>) -> Vec<u8> {
        let old = self.own.replace(text);
        self.begin(splitter);
        old.unwrap_or_else(|| std::mem::take(&mut self.spare))
    }

    #[inline]
    fn begin(&mut self, splitter: &Rc<Splitter>) {
        if !Rc::ptr_eq(&self.splitter, splitter) {
            self.splitter = splitter.clone();
        }
        self.spans.clear();
        self.next = Some(0);
        if let Some(fields) = self.changed.take() {
            self.spare_fields = fields;
        }
        self.stale = false;
    }

    #[inline]
    fn find(&mut self, wanted: usize) {
        let text = match &self.own {
            Some(own) => own,
            None => &self.block[self.start..self.end],
        };
        if let Splitter::Blanks = *self.splitter {
            let Some(at) = self.next else { return };
            self.next = find_by_blanks(text, at, wanted, &mut self.spans);
            return;
        }
        while self.spans.len() < wanted {
            let Some(at) = self.next else { return };
            let Some((span, next)) = self.splitter.next(text, at) else {
                self.next = None;
                return;
            };
            self.spans.push(span);
            self.next = next;
        }
    }

    /// `NF`.
    pub(super) fn count(&mut self) -> usize {
        match &self.changed {
            Some(fields) => fields.len(),
            None => {
                self.find(usize::MAX);
                self.spans.len()
            }
        }
    }

    /// Puts `$0` together again where a field was changed.
    pub(super) fn refresh(&mut self, separator: &[u8], format: &NumberFormat) {
        if !self.stale {
            return;
        }
        let mut text = std::mem::take(&mut self.spare);
        text.clear();
        for (number, field) in self.changed.iter().flatten().enumerate() {
            if number > 0 {
                text.extend_from_slice(separator);
            }
            push_value(field, format, &mut text);
        }
        if let Some(old) = self.own.replace(text) {
            self.spare = old;
        }
        self.stale = false;
    }

    /// `$0`, which must be fresh.
    #[inline]
    pub(super) fn text(&self) -> &[u8] {
        match &self.own {
            Some(own) => own,
            None => &self.block[self.start..self.end],
        }
    }

    /// As [`replace`](crate::common::substitution::replace) on `$0`, which must be fresh. The pattern is that
    /// with this number in the program.
    #[inline]
    pub(super) fn replace(
        &mut self,
        (number, pattern): (usize, &Pattern),
        replacement: &Replacement,
        most: usize,
        out: &mut Vec<u8>,
    ) -> Result<usize, TooManySteps> {
        let plain = pattern.plain_text().filter(|plain| !plain.contains(&b'\n'));
        let (None, Some(plain)) = (&self.own, plain) else {
            return replace(pattern, self.text(), replacement, 1, most, out);
        };
        let (start, length) = (self.start, plain.len());
        let (block, ahead) = (&self.block[..], &mut self.ahead);
        let text = &block[start..self.end];
        let mut find = |at: usize| {
            let found = ahead.next(number, pattern, block, start + at)?;
            Ok((found < start + text.len()).then(|| found - start..found - start + length))
        };
        match find(0)? {
            None => Ok(0),
            Some(_) => replace_by(pattern, text, replacement, 1, most, out, find),
        }
    }

    /// Field `number` (from 1) as it is in the text; `None` where it was changed.
    #[inline]
    pub(super) fn span(&mut self, number: usize) -> Option<&[u8]> {
        if self.changed.is_some() {
            return None;
        }
        if self.spans.len() < number {
            self.find(number);
        }
        Some(match self.spans.get(number - 1) {
            Some(&(start, end)) => &self.text()[start..end],
            None => b"",
        })
    }

    /// As [`Record::span`], or `$0` where `number` is 0; that must be fresh.
    #[inline]
    pub(super) fn column(&mut self, number: usize) -> Option<&[u8]> {
        if number == 0 { Some(self.text()) } else { self.span(number) }
    }

    /// Field `number` (from 1).
    pub(super) fn value(&mut self, number: usize) -> Value {
        match &self.changed {
            Some(fields) => fields.get(number - 1).cloned().unwrap_or_default(),
            None => {
                self.find(number);
                match self.spans.get(number - 1) {
                    Some(&(start, end)) => Value::input(&self.text()[start..end]),
                    None => Value::Unset,
                }
            }
        }
    }

    fn change(&mut self) -> &mut Vec<Value> {
        self.find(usize::MAX);
        self.stale = true;
        let text = match &self.own {
            Some(own) => own,
            None => &self.block[self.start..self.end],
        };
        let (spans, spare) = (&self.spans, &mut self.spare_fields);
        self.changed.get_or_insert_with(|| {
            let mut fields = std::mem::take(spare);
            fields.clear();
            fields.extend(spans.iter().map(|&(start, end)| Value::input(&text[start..end])));
            fields
        })
    }

    /// Sets field `number` (from 1); those before it that are missing become empty.
    pub(super) fn assign(&mut self, number: usize, value: Value) {
        let fields = self.change();
        if fields.len() < number {
            fields.resize(number, Value::Unset);
        }
        fields[number - 1] = value;
    }

    /// Sets `NF`.
    pub(super) fn resize(&mut self, count: usize) {
        self.change().resize(count, Value::Unset);
    }
}

/// As [`Splitter::Blanks`], several fields at once; gives where to look for the next.
fn find_by_blanks(
    text: &[u8],
    from: usize,
    wanted: usize,
    spans: &mut Vec<(usize, usize)>,
) -> Option<usize> {
    let is_blank = |byte: u8| byte <= b' ' && matches!(byte, b' ' | b'\t' | b'\n');
    let mut at = from;
    while spans.len() < wanted {
        while is_blank(*text.get(at)?) {
            at += 1;
        }
        let start = at;
        at += word::<b'\n'>(&text[at..]);
        spans.push((start, at));
    }
    Some(at)
}

/// Adds a value as text.
pub(super) fn push_value(value: &Value, format: &NumberFormat, out: &mut Vec<u8>) {
    match value {
        Value::Unset => {}
        Value::Number(number) => super::text::push_number(*number, format, out),
        Value::Text(text) | Value::Input(text) => out.extend_from_slice(text),
    }
}
