//! Variables, fields and elements: reading and assigning.

use super::super::resolve::separator;
use super::super::value::find;
use super::{
    ArrayPlace, Eval, FIELDS_MAX, Local, Node, NumberFormat, Place, Rc, Runtime, SharedArray, Slot,
    Special, Splitter, Value, fault, push_value,
};
use crate::common::input::line_set::LineSet;
use crate::common::input::records::Separator;

impl Runtime<'_, '_> {
    pub(super) fn array(&self, place: ArrayPlace) -> SharedArray {
        match place {
            ArrayPlace::Global(at) => self.arrays[at].clone(),
            ArrayPlace::Local(at) => match &self.frames.locals[self.frames.base + at] {
                Local::Array(array) => array.clone(),
                Local::Value(_) => SharedArray::default(),
            },
        }
    }

    /// A subscript as text.
    pub(super) fn key(&mut self, parts: &[Node]) -> Eval<Vec<u8>> {
        let mut key = self.buffer();
        for (number, part) in parts.iter().enumerate() {
            if number > 0 {
                key.extend_from_slice(&self.specials.subscript_separator);
            }
            self.push(part, &mut key)?;
        }
        Ok(key)
    }

    fn lines_of(&self, place: &Place) -> Option<&LineSet> {
        let slot = match place {
            Place::Global(at) => &self.globals[*at],
            Place::Local(at) => match &self.frames.locals[self.frames.base + at] {
                Local::Value(slot) => slot,
                Local::Array(_) => return None,
            },
            _ => return None,
        };
        slot.lines.as_deref()
    }

    /// Notes the lines that a variable was made of.
    fn note_lines_of(&mut self, place: &Place) {
        if self.lineage.tracks {
            let mut reads = std::mem::take(&mut self.lineage.reads);
            if let Some(lines) = self.lines_of(place) {
                reads.add_all(lines);
            }
            self.lineage.reads = reads;
        }
    }

    pub(super) fn global_value(&mut self, at: usize) -> Value {
        self.note_lines_of(&Place::Global(at));
        self.globals[at].value.clone()
    }

    /// A parameter or local variable; the kinds of names were checked beforehand.
    #[inline]
    pub(super) fn local(&self, at: usize) -> Option<&Value> {
        match &self.frames.locals[self.frames.base + at] {
            Local::Value(slot) => Some(&slot.value),
            Local::Array(_) => None,
        }
    }

    pub(super) fn local_value(&mut self, at: usize) -> Value {
        self.note_lines_of(&Place::Local(at));
        self.local(at).cloned().unwrap_or_default()
    }

    /// The value of an element, which is made when it is not there, as the language has it.
    pub(super) fn element(&mut self, array: ArrayPlace, key: &[Node]) -> Eval<Value> {
        // What the subscript was made of is not what the element was made of.
        let reads = self.lineage.tracks.then(|| self.lineage.reads.clone());
        let key = self.key(key)?;
        if let Some(reads) = reads {
            self.lineage.reads = reads;
        }
        let shared = self.array(array);
        let mut array = shared.borrow_mut();
        let value = match find(&array, &key) {
            Some(slot) => {
                if let (true, Some(lines)) = (self.lineage.tracks, &slot.lines) {
                    self.lineage.reads.add_all(lines);
                }
                slot.value.clone()
            }
            None => {
                array.insert(key[..].into(), Slot::default());
                Value::Unset
            }
        };
        drop(array);
        self.give_back(key);
        Ok(value)
    }

    pub(super) fn special(&mut self, special: Special) -> Value {
        match special {
            Special::Nf => {
                self.touch();
                Value::Number(self.record.count() as f64)
            }
            Special::Nr | Special::Fnr => {
                self.touch_in_record();
                Value::Number(if special == Special::Nr {
                    self.specials.nr
                } else {
                    self.specials.fnr
                })
            }
            other => self.specials.values[other as usize].clone(),
        }
    }

    pub(in super::super) fn special_number(&mut self, special: Special) -> f64 {
        self.special(special).number()
    }

    pub(in super::super) fn push_text(&self, value: &Value, out: &mut Vec<u8>) {
        push_value(value, &self.specials.convfmt, out);
    }

    /// A field's number, checked.
    pub(super) fn column_number(number: f64, at: usize) -> Eval<usize> {
        if number < 0.0 || number.is_nan() {
            return fault(at, format!("no field {number}"));
        }
        if number >= FIELDS_MAX as f64 {
            return fault(at, format!("a record has at most {FIELDS_MAX} fields"));
        }
        Ok(number as usize)
    }

    pub(super) fn column(&mut self, number: usize) -> Value {
        self.touch();
        if number == 0 {
            self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
            return Value::input(self.record.text());
        }
        self.record.value(number)
    }

    #[inline]
    pub(super) fn push_column(&mut self, number: usize, out: &mut Vec<u8>) {
        self.touch();
        if number == 0 {
            self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
            out.extend_from_slice(self.record.text());
        } else if let Some(text) = self.record.span(number) {
            out.extend_from_slice(text);
        } else {
            let value = self.record.value(number);
            push_value(&value, &self.specials.convfmt, out);
        }
    }

    /// Calls `each` with a field's text.
    #[inline]
    pub(super) fn with_column<T>(&mut self, number: usize, each: impl FnOnce(&[u8]) -> T) -> T {
        self.touch();
        if number == 0 {
            self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
            return each(self.record.text());
        }
        if let Some(text) = self.record.span(number) {
            return each(text);
        }
        let mut buffer = self.buffer();
        let value = self.record.value(number);
        push_value(&value, &self.specials.convfmt, &mut buffer);
        let result = each(&buffer);
        self.give_back(buffer);
        result
    }

    /// Begins a new current record.
    pub(in super::super) fn set_record(&mut self, text: Vec<u8>) {
        let buffer = self.record.set(text, &self.specials.splitter);
        self.give_back(buffer);
    }

    /// Begins a new current record: a part of the record's block.
    #[inline]
    pub(in super::super) fn set_part(&mut self, start: usize, end: usize) {
        self.record.set_part(start, end, &self.specials.splitter);
    }

    /// The place's value now.
    pub(super) fn place_value(&mut self, place: &Place) -> Eval<Value> {
        match place {
            Place::Global(at) => Ok(self.global_value(*at)),
            Place::Local(at) => Ok(self.local_value(*at)),
            Place::Special(special) => Ok(self.special(*special)),
            Place::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                Ok(self.column(number))
            }
            Place::Element(array, key) => self.element(*array, key),
        }
    }

    /// The lines a value assigned now was made of, where they are kept.
    fn made_of(&mut self) -> Option<Box<LineSet>> {
        if !self.lineage.tracks {
            return None;
        }
        (!self.lineage.reads.is_empty()).then(|| Box::new(self.lineage.reads.copy()))
    }

    /// Assigns a value that was just evaluated.
    #[inline]
    pub(super) fn assign(&mut self, place: &Place, value: Value) -> Eval<()> {
        let lines = self.made_of();
        self.set_slot(place, Slot { value, lines })
    }

    pub(super) fn set_slot(&mut self, place: &Place, slot: Slot) -> Eval<()> {
        match place {
            Place::Global(at) => self.globals[*at] = slot,
            Place::Local(at) => {
                let at = self.frames.base + at;
                self.frames.locals[at] = Local::Value(slot);
            }
            Place::Special(special) => return self.set_special(*special, slot.value),
            Place::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                self.set_column(number, slot.value);
            }
            Place::Element(array, key) => {
                let key = self.key(key)?;
                let shared = self.array(*array);
                let mut array = shared.borrow_mut();
                match array.get_mut(&key[..]) {
                    Some(known) => *known = slot,
                    None => {
                        array.insert(key[..].into(), slot);
                    }
                }
                drop(array);
                self.give_back(key);
            }
        }
        Ok(())
    }

    /// Changes the number in a place; gives the number before. The place then comes from the
    /// lines it came from, and from those looked at for the change.
    pub(super) fn change_number(
        &mut self,
        place: &Place,
        change: impl FnOnce(f64) -> Eval<f64>,
    ) -> Eval<f64> {
        if self.lineage.tracks && self.in_record {
            self.touch();
        }
        if let (Place::Element(ArrayPlace::Global(array), key), false) =
            (place, self.lineage.tracks)
            && let [Node::Column(number)] = key[..]
        {
            // Counting by a field, the usual case: its text is not copied.
            if number == 0 {
                self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
            }
            if let Some(key) = self.record.column(number) {
                let mut array = self.arrays[*array].borrow_mut();
                let slot = match array.get_mut(key) {
                    Some(slot) => slot,
                    None => array.entry(key.into()).or_default(),
                };
                let old = slot.value.number();
                slot.value = Value::Number(change(old)?);
                return Ok(old);
            }
        }
        let old;
        match place {
            Place::Element(array, key) => {
                let key = self.key(key)?;
                let shared = self.array(*array);
                let mut array = shared.borrow_mut();
                let slot = match array.get_mut(&key[..]) {
                    Some(slot) => slot,
                    None => array.entry(key[..].into()).or_default(),
                };
                old = slot.value.number();
                slot.value = Value::Number(change(old)?);
                if self.lineage.tracks && !self.lineage.reads.is_empty() {
                    slot.lines.get_or_insert_default().add_all(&self.lineage.reads);
                }
                drop(array);
                self.give_back(key);
            }
            Place::Global(at) => {
                let slot = &mut self.globals[*at];
                old = slot.value.number();
                slot.value = Value::Number(change(old)?);
                if self.lineage.tracks && !self.lineage.reads.is_empty() {
                    slot.lines.get_or_insert_default().add_all(&self.lineage.reads);
                }
            }
            Place::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                old = self.column(number).number();
                self.set_column(number, Value::Number(change(old)?));
            }
            Place::Local(_) | Place::Special(_) => {
                old = self.place_value(place)?.number();
                let new = change(old)?;
                self.assign(place, Value::Number(new))?;
            }
        }
        Ok(old)
    }

    pub(super) fn set_column(&mut self, number: usize, value: Value) {
        if number == 0 {
            let mut text = Vec::new();
            push_value(&value, &self.specials.convfmt, &mut text);
            self.set_record(text);
        } else {
            self.record.assign(number, value);
        }
    }

    pub(in super::super) fn set_special(&mut self, special: Special, value: Value) -> Eval<()> {
        if matches!(special, Special::Rstart | Special::Rlength | Special::Filename) {
            self.specials.values[special as usize] = value;
            return Ok(());
        }
        let mut text = Vec::new();
        push_value(&value, &self.specials.convfmt, &mut text);
        match special {
            Special::Nf => {
                let count = Self::column_number(value.number(), usize::MAX)?;
                self.record.resize(count);
                return Ok(());
            }
            Special::Nr => self.specials.nr = value.number(),
            Special::Fnr => self.specials.fnr = value.number(),
            Special::Ofs => {
                // What was changed before is put together with the old one.
                self.record.refresh(&self.specials.output_separator, &self.specials.convfmt);
                self.specials.output_separator = text;
            }
            Special::Ors => self.specials.output_end = text,
            Special::Subsep => self.specials.subscript_separator = text,
            Special::Convfmt => self.specials.convfmt = NumberFormat::new(&text),
            Special::Ofmt => self.specials.ofmt = NumberFormat::new(&text),
            Special::Rs => match separator(&text) {
                Ok(separator) => self.specials.separator = Rc::new(separator),
                Err(error) => return fault(usize::MAX, format!("RS: {error}")),
            },
            _ => {}
        }
        self.specials.values[special as usize] = value;
        if matches!(special, Special::Fs | Special::Rs) {
            let mut text = Vec::new();
            push_value(
                &self.specials.values[Special::Fs as usize],
                &self.specials.convfmt,
                &mut text,
            );
            let paragraphs = matches!(*self.specials.separator, Separator::Paragraph);
            match Splitter::new(&text, paragraphs) {
                Ok(splitter) => self.specials.splitter = Rc::new(splitter),
                Err(error) => return fault(usize::MAX, format!("FS: {error}")),
            }
        }
        Ok(())
    }
}
