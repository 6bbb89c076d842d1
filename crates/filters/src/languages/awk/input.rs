//! The main input of a program: its operands one after the other, or standard input.

use stream::{ReadError, StageError, describe};

use super::code::{ARGV, Special};
use super::operands::assignment;
use super::runtime::Runtime;
use super::shared_text::SharedText;
use super::stop::{Eval, Stop};
use super::value::{Slot, Value};
use crate::common::input::records::{Blocks, Found, Records, Separator};

/// The value an assignment from outside gives: escapes are read as in a string.
pub(super) fn outside_value(text: &[u8]) -> Value {
    let mut value = Vec::with_capacity(text.len());
    let mut at = 0;
    while at < text.len() {
        if text[at] == b'\\' && at + 1 < text.len() {
            at += 1 + super::lexer::unescape(&text[at + 1..], &mut value);
        } else {
            value.push(text[at]);
            at += 1;
        }
    }
    Value::input(&value)
}

/// Records between two looks at how much is held.
const RECORDS_A_LOOK: u64 = 4096;

/// What an element of an array takes besides texts that are not short: its place in the table and
/// in the order.
const ELEMENT_BYTES: usize = size_of::<Slot>() + size_of::<SharedText>() + 24;

impl Runtime<'_, '_> {
    /// The next record of the main input; `None` at the end of the last operand.
    pub(super) fn next_record(&mut self) -> Eval<Option<Found>> {
        loop {
            if self.input.ended {
                self.state_holdings();
                return Ok(None);
            }
            let Some(records) = &mut self.input.records else {
                self.open_next()?;
                continue;
            };
            match records.next(&self.specials.separator, self.lineage.tracks) {
                Ok(Some(found)) => {
                    self.specials.nr += 1.0;
                    self.specials.fnr += 1.0;
                    if (self.specials.nr as u64).is_multiple_of(RECORDS_A_LOOK) {
                        self.state_holdings();
                    }
                    return Ok(Some(found));
                }
                Ok(None) => self.input.records = None,
                Err(ReadError::Cancelled) => return Err(StageError::Cancelled.into()),
                Err(ReadError::Io(error)) => {
                    let name = String::from_utf8_lossy(&self.input.name).into_owned();
                    self.input.records = None;
                    self.status = 2;
                    self.flush()?;
                    self.io.message(&format!("{name}: {}", describe(&error)))?;
                }
            }
        }
    }

    /// States how much the arrays hold: the room of their elements, and their keys and texts as
    /// far as a few of them tell.
    fn state_holdings(&mut self) {
        const LOOKED_AT: usize = 8;
        let mut bytes = 0;
        for array in &self.arrays {
            let array = array.borrow();
            let each = array.len() / LOOKED_AT.min(array.len()).max(1);
            let looked: Vec<usize> = array
                .iter()
                .step_by(each.max(1))
                .map(|(key, slot)| key.own_bytes() + slot.value.text_bytes())
                .collect();
            let texts = looked.iter().sum::<usize>() / looked.len().max(1);
            bytes += array.len() * (ELEMENT_BYTES + texts);
        }
        self.io.holds(bytes as u64);
    }

    /// Leaves what was not read for other commands: after `exit` there may be more.
    pub(super) fn leave_input(&mut self) {
        if let Some(records) = &mut self.input.records {
            records.leave();
        }
    }

    /// Leaves what is read for the next operand.
    pub(super) fn next_file(&mut self) {
        self.input.records = None;
    }

    /// Opens the next operand that is a file; standard input where there is none.
    fn open_next(&mut self) -> Eval<()> {
        loop {
            self.input.next += 1;
            let number = self.input.next;
            let count = self.special_number(Special::Argc);
            if number as f64 >= count {
                let standard = !self.input.any_file;
                self.input.any_file = true;
                if standard {
                    return self.open(b"-");
                }
                self.input.ended = true;
                return Ok(());
            }
            let key = number.to_string();
            let slot = self.arrays[ARGV].borrow().get(key.as_bytes()).map(|s| s.value.clone());
            let mut operand = Vec::new();
            if let Some(value) = slot {
                self.push_text(&value, &mut operand);
            }
            if operand.is_empty() {
                continue;
            }
            if let Some((name, value)) = assignment(&operand) {
                self.assign_outside(name, value)?;
                continue;
            }
            self.input.any_file = true;
            return self.open(&operand);
        }
    }

    fn open(&mut self, operand: &[u8]) -> Eval<()> {
        match self.io.open(operand) {
            Ok(input) => {
                let eager = self.io.out().is_eager();
                self.input.records = Some(Records::new(Blocks::Input(input), eager));
                self.specials.fnr = 0.0;
                let named = if operand == b"-" && self.input.next as f64 >= self.argc() {
                    &b""[..]
                } else {
                    operand
                };
                self.input.name = operand.to_vec();
                self.set_special(Special::Filename, Value::input(named))
            }
            Err(error) => {
                self.status = 2;
                let name = String::from_utf8_lossy(operand);
                self.flush()?;
                self.io.message(&format!("{name}: {}", describe(&error)))?;
                Ok(())
            }
        }
    }

    fn argc(&mut self) -> f64 {
        self.special_number(Special::Argc)
    }

    /// Gives a variable a value from outside.
    pub(super) fn assign_outside(&mut self, name: &str, value: &[u8]) -> Eval<()> {
        let value = outside_value(value);
        if let Some((_, special)) = super::code::SPECIALS.iter().find(|(known, _)| *known == name) {
            return self.set_special(*special, value);
        }
        if let Some(place) = self.code.globals.iter().position(|known| known == name) {
            self.globals[place].value = value;
        }
        Ok(())
    }

    /// Reads and runs the rules on every record.
    pub(super) fn each_record(&mut self) -> Eval<()> {
        self.in_record = true;
        // The block the record is cut from; blocks are told apart by where they lie.
        let mut known: *const u8 = std::ptr::null();
        loop {
            let in_block = match (&mut self.input.records, &*self.specials.separator) {
                (Some(records), Separator::Byte(b'\n')) => {
                    if let Some(pattern) = &self.code.only
                        && self.watch.is_none()
                    {
                        let skipped = records.skip_to(pattern) as f64;
                        self.specials.nr += skipped;
                        self.specials.fnr += skipped;
                    }
                    records.next_in_block()
                }
                _ => None,
            };
            if let (Some((start, end, line)), Some(records)) = (in_block, &self.input.records) {
                if records.block().as_ptr() != known || start == 0 {
                    known = records.block().as_ptr();
                    self.record.set_block(records.block().clone());
                    self.state_holdings();
                }
                self.specials.nr += 1.0;
                self.specials.fnr += 1.0;
                self.lineage.current = Some((line, line));
                self.set_part(start, end);
            } else {
                let Some(found) = self.next_record()? else { return Ok(()) };
                self.lineage.current = Some(found.lines);
                self.set_record(found.text.to_vec());
            }
            match self.rules() {
                Ok(()) => {}
                Err(stop) => match *stop {
                    Stop::Next => {}
                    Stop::NextFile => self.next_file(),
                    other => return Err(Box::new(other)),
                },
            }
        }
    }
}
