//! Expressions: as numbers, as texts, as truths, as values, so that none is turned into what it is
//! not used as.

use std::cmp::Ordering;

use pattern::Pattern;

use super::super::arithmetic::{calculate, compare};
use super::super::code::{Argument, Matcher};
use super::super::resolve::compile;
use super::super::text;
use super::super::tree::{Arithmetic, Comparison};
use super::{
    CALLS_MAX, Code, Eval, Flow, Local, Node, PATTERNS_MAX, Place, Rc, Runtime, SharedArray, Slot,
    Special, Value, fault, push_value,
};

impl<'m> Runtime<'m, '_> {
    /// Evaluates for what it does; its value is of no use.
    pub(super) fn effect(&mut self, node: &Node) -> Eval<()> {
        if self.lineage.tracks {
            self.lineage.reads.clear();
        }
        match node {
            Node::Append(parts) => self.append(&parts.0, &parts.1),
            Node::Increment { place, by, .. } => {
                if let Place::Global(at) = &**place
                    && let Value::Number(value) = &mut self.globals[*at].value
                    && !self.lineage.tracks
                {
                    *value += by;
                    return Ok(());
                }
                self.change_number(place, |old| Ok(old + by)).map(|_| ())
            }
            Node::Update(..) | Node::Assign(_) => self.number(node).map(|_| ()),
            Node::Builtin(call) if call.place.is_some() => self.substitute(call).map(|_| ()),
            _ => self.value(node).map(|_| ()),
        }
    }

    /// The value as a number: what loops are made of here, the rest in `other_number`.
    pub(super) fn number(&mut self, node: &Node) -> Eval<f64> {
        match node {
            Node::Number(value) => Ok(*value),
            Node::Global(at) if !self.lineage.tracks => match &self.globals[*at].value {
                Value::Number(value) => Ok(*value),
                other => Ok(other.number()),
            },
            Node::Local(at) if !self.lineage.tracks => match self.local(*at) {
                Some(Value::Number(value)) => Ok(*value),
                other => Ok(other.map_or(0.0, Value::number)),
            },
            Node::Arithmetic(operator, sides, at) => {
                let left = self.number(&sides.0)?;
                let right = self.number(&sides.1)?;
                match operator {
                    Arithmetic::Add => Ok(left + right),
                    Arithmetic::Subtract => Ok(left - right),
                    Arithmetic::Multiply => Ok(left * right),
                    _ => worked_out(*operator, left, right, *at),
                }
            }
            _ => self.other_number(node),
        }
    }

    fn other_number(&mut self, node: &Node) -> Eval<f64> {
        Ok(match node {
            Node::Column(number) => self.with_column(*number, text::to_number),
            Node::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                self.with_column(number, text::to_number)
            }
            Node::Special(Special::Nr) => {
                self.touch_in_record();
                self.specials.nr
            }
            Node::Special(Special::Nf) => {
                self.touch();
                self.record.count() as f64
            }
            Node::Negate(inside) => -self.number(inside)?,
            Node::Plus(inside) => self.number(inside)?,
            Node::Update(operator, parts, at) => {
                let right = self.number(&parts.1)?;
                if let Place::Global(slot) = &parts.0
                    && let Value::Number(value) = &mut self.globals[*slot].value
                    && !self.lineage.tracks
                {
                    *value = worked_out(*operator, *value, right, *at)?;
                    return Ok(*value);
                }
                let mut new = 0.0;
                self.change_number(&parts.0, |old| {
                    new = worked_out(*operator, old, right, *at)?;
                    Ok(new)
                })?;
                new
            }
            Node::Increment { place, by, before } => {
                let old = self.change_number(place, |old| Ok(old + by))?;
                if *before { old + by } else { old }
            }
            Node::Assign(parts) if self.is_plain(node) => {
                let value = self.number(&parts.1)?;
                if let Place::Global(at) = &parts.0 {
                    self.globals[*at].value = Value::Number(value);
                } else {
                    self.assign(&parts.0, Value::Number(value))?;
                }
                value
            }
            Node::Not(_)
            | Node::Compare(..)
            | Node::Match { .. }
            | Node::And(_)
            | Node::Or(_)
            | Node::In(..) => f64::from(u8::from(self.truth(node)?)),
            Node::Conditional(parts) => {
                let chosen = if self.truth(&parts.0)? { &parts.1 } else { &parts.2 };
                self.number(chosen)?
            }
            _ => self.value(node)?.number(),
        })
    }

    /// True for the assignment of what is a number whatever the data are, without lineage.
    fn is_plain(&self, node: &Node) -> bool {
        !self.lineage.tracks && matches!(node, Node::Assign(parts) if is_number(&parts.1))
    }

    pub(super) fn truth(&mut self, node: &Node) -> Eval<bool> {
        Ok(match node {
            Node::Number(value) => *value != 0.0,
            Node::Not(inside) => !self.truth(inside)?,
            Node::And(sides) => self.truth(&sides.0)? && self.truth(&sides.1)?,
            Node::Or(sides) => self.truth(&sides.0)? || self.truth(&sides.1)?,
            Node::Compare(comparison, sides) => {
                match (self.at_hand(&sides.0), self.at_hand(&sides.1)) {
                    (Some(left), Some(right)) => holds(*comparison, left, right),
                    _ => self.compare(*comparison, &sides.0, &sides.1)?,
                }
            }
            Node::Match { subject, pattern, negated } => {
                self.matches(subject, pattern)? != *negated
            }
            Node::In(array, key) => {
                let key = self.key(key)?;
                let found = self.array(*array).borrow().contains_key(&key[..]);
                self.give_back(key);
                found
            }
            other if is_number(other) => self.number(other)? != 0.0,
            _ => self.value(node)?.is_true(),
        })
    }

    /// The number of what needs no work to be one.
    #[inline]
    fn at_hand(&self, node: &Node) -> Option<f64> {
        match node {
            Node::Number(value) => Some(*value),
            Node::Global(at) if !self.lineage.tracks => match self.globals[*at].value {
                Value::Number(value) => Some(value),
                _ => None,
            },
            Node::Local(at) if !self.lineage.tracks => match self.local(*at) {
                Some(Value::Number(value)) => Some(*value),
                _ => None,
            },
            _ => None,
        }
    }

    /// As numbers where both sides are, else as texts.
    fn compare(&mut self, comparison: Comparison, left: &Node, right: &Node) -> Eval<bool> {
        let order = match (left, right) {
            (Node::Column(number), Node::Text(text)) => {
                let text = self.made.texts[*text].clone();
                self.with_column(*number, |column| Some(column.cmp(&text)))
            }
            (one, other) if self.is_number_now(one) && self.is_number_now(other) => {
                let left = self.number(one)?;
                let right = self.number(other)?;
                left.partial_cmp(&right)
            }
            _ => {
                let left = self.value(left)?;
                let right = self.value(right)?;
                self.order(&left, &right)
            }
        };
        Ok(compare(comparison, order))
    }

    /// True for what is a number, whatever the data are or by what a variable holds.
    #[inline]
    fn is_number_now(&self, node: &Node) -> bool {
        match node {
            Node::Global(at) => matches!(self.globals[*at].value, Value::Number(_)),
            Node::Local(at) => matches!(self.local(*at), Some(Value::Number(_))),
            other => is_number(other),
        }
    }

    fn order(&mut self, left: &Value, right: &Value) -> Option<Ordering> {
        if let (Some(one), Some(other)) = (left.as_number(), right.as_number()) {
            return one.partial_cmp(&other);
        }
        let (mut one, mut other) = (self.buffer(), self.buffer());
        push_value(left, &self.specials.convfmt, &mut one);
        push_value(right, &self.specials.convfmt, &mut other);
        let order = one.cmp(&other);
        self.give_back(one);
        self.give_back(other);
        Some(order)
    }

    /// Calls `each` with a pattern; one made of a text is kept for the next time.
    pub(super) fn with_pattern<T>(
        &mut self,
        matcher: &Matcher,
        each: impl FnOnce(&mut Self, &Pattern) -> Eval<T>,
    ) -> Eval<T> {
        let (made, at) = match matcher {
            Matcher::Known(number) => {
                let code: &'m Code = self.code;
                return each(self, &code.patterns[*number]);
            }
            Matcher::Made(made, at) => (made, *at),
        };
        let mut text = self.buffer();
        self.push(made, &mut text)?;
        let pattern = match self.made.patterns.iter().position(|(known, _)| *known == text) {
            Some(place) => {
                // The ones used lately move to the front.
                self.made.patterns.swap(place, place / 2);
                self.made.patterns[place / 2].1.clone()
            }
            None => {
                let pattern = match compile(&text) {
                    Ok(pattern) => Rc::new(pattern),
                    Err(error) => {
                        let shown = String::from_utf8_lossy(&text).into_owned();
                        return fault(at, format!("the pattern “{shown}”: {error}"));
                    }
                };
                self.made.patterns.truncate(PATTERNS_MAX - 1);
                self.made.patterns.push((text.clone(), pattern.clone()));
                pattern
            }
        };
        self.give_back(text);
        each(self, &pattern)
    }

    fn matches(&mut self, subject: &Node, matcher: &Matcher) -> Eval<bool> {
        // Without back-references no search is given up.
        let is_match = |pattern: &Pattern, text: &[u8]| pattern.is_match(text).unwrap_or(false);
        if let Node::Column(number) = subject {
            return self.with_pattern(matcher, |runtime, pattern| {
                Ok(runtime.with_column(*number, |column| is_match(pattern, column)))
            });
        }
        let mut text = self.buffer();
        self.push(subject, &mut text)?;
        let found = self.with_pattern(matcher, |_, pattern| Ok(is_match(pattern, &text)))?;
        self.give_back(text);
        Ok(found)
    }

    /// Adds the value as text.
    pub(super) fn push(&mut self, node: &Node, out: &mut Vec<u8>) -> Eval<()> {
        match node {
            Node::Column(number) => self.push_column(*number, out),
            Node::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                self.push_column(number, out);
            }
            Node::Text(number) => out.extend_from_slice(&self.made.texts[*number]),
            Node::Global(at) if !self.lineage.tracks => {
                push_value(&self.globals[*at].value, &self.specials.convfmt, out);
            }
            Node::Local(at) if !self.lineage.tracks => {
                if let Some(value) = self.local(*at) {
                    push_value(value, &self.specials.convfmt, out);
                }
            }
            Node::Concat(parts) => {
                for part in parts {
                    self.push(part, out)?;
                }
            }
            Node::Conditional(parts) => {
                let chosen = if self.truth(&parts.0)? { &parts.1 } else { &parts.2 };
                self.push(chosen, out)?;
            }
            _ => {
                let value = self.value(node)?;
                push_value(&value, &self.specials.convfmt, out);
            }
        }
        Ok(())
    }

    /// Adds the value as `print` writes it.
    pub(super) fn push_printed(&mut self, node: &Node, out: &mut Vec<u8>) -> Eval<()> {
        if matches!(node, Node::Column(_) | Node::Text(_) | Node::Concat(_)) {
            return self.push(node, out);
        }
        let value = self.value(node)?;
        push_value(&value, &self.specials.ofmt, out);
        Ok(())
    }

    pub(super) fn value(&mut self, node: &Node) -> Eval<Value> {
        Ok(match node {
            Node::Text(number) => Value::Text(self.made.texts[*number].clone()),
            Node::Global(at) => self.global_value(*at),
            Node::Local(at) => self.local_value(*at),
            Node::Special(special) => self.special(*special),
            Node::Column(number) => self.column(*number),
            Node::Field(number, at) => {
                let number = Self::column_number(self.number(number)?, *at)?;
                self.column(number)
            }
            Node::Element(array, key) => self.element(*array, key)?,
            Node::Concat(_) => {
                let text = self.text(node)?;
                self.io.check_value(text.len())?;
                let value = Value::text(&text[..]);
                self.give_back(text);
                value
            }
            Node::Assign(_) if self.is_plain(node) => Value::Number(self.number(node)?),
            Node::Assign(parts) => {
                let outer = self.lineage.tracks.then(|| std::mem::take(&mut self.lineage.reads));
                let value = self.value(&parts.1)?;
                self.assign(&parts.0, value.clone())?;
                if let Some(outer) = outer {
                    self.lineage.reads.add_all(&outer);
                }
                value
            }
            Node::Append(parts) => {
                self.append(&parts.0, &parts.1)?;
                self.place_value(&parts.0)?
            }
            Node::Conditional(parts) => {
                let chosen = if self.truth(&parts.0)? { &parts.1 } else { &parts.2 };
                self.value(chosen)?
            }
            Node::Call(number, arguments, at) => self.call(*number, arguments, *at)?,
            Node::Builtin(call) => self.builtin(call)?,
            Node::Getline(getline) => Value::Number(self.getline(getline)?),
            _ => Value::Number(self.number(node)?),
        })
    }

    /// Adds to the end of a text; a long one that nobody else holds is not copied for it.
    fn append(&mut self, place: &Place, parts: &[Node]) -> Eval<()> {
        let mut added = self.buffer();
        if self.lineage.tracks {
            // The lines of what was there come before those of what is added.
            self.place_value(place)?;
        }
        for part in parts {
            self.push(part, &mut added)?;
        }
        let held = match place {
            Place::Global(at) => {
                let held = self.global_value(*at);
                self.globals[*at].value = Value::Unset;
                held
            }
            _ => self.place_value(place)?,
        };
        let mut text = match held {
            Value::Text(text) => text,
            other => {
                let mut text = Vec::new();
                push_value(&other, &self.specials.convfmt, &mut text);
                text.into()
            }
        };
        self.io.check_value(text.len() + added.len())?;
        text.push(&added);
        self.give_back(added);
        self.assign(place, Value::Text(text))
    }

    fn call(&mut self, number: usize, arguments: &[Argument], at: usize) -> Eval<Value> {
        let code: &'m Code = self.code;
        let function = &code.functions[number];
        let mut frame = Vec::with_capacity(function.arrays.len());
        for argument in arguments {
            frame.push(match argument {
                Argument::Array(array) => Local::Array(self.array(*array)),
                Argument::Value(node) => {
                    let value = self.value(node)?;
                    let lines = (self.lineage.tracks && !self.lineage.reads.is_empty())
                        .then(|| Box::new(self.lineage.reads.clone()));
                    Local::Value(Slot { value, lines })
                }
            });
        }
        for array in function.arrays.iter().skip(frame.len()) {
            frame.push(if *array {
                Local::Array(SharedArray::default())
            } else {
                Local::Value(Slot::default())
            });
        }
        if self.frames.calls >= CALLS_MAX {
            return fault(at, format!("more than {CALLS_MAX} calls within calls"));
        }
        self.round()?;
        let outer = std::mem::take(&mut self.lineage.reads);
        let base = std::mem::replace(&mut self.frames.base, self.frames.locals.len());
        self.frames.locals.append(&mut frame);
        self.frames.calls += 1;
        let flow = crate::common::stack::running(|| self.run(&function.body));
        self.frames.calls -= 1;
        self.frames.locals.truncate(self.frames.base);
        self.frames.base = base;
        let value = match flow? {
            Flow::Return => std::mem::take(&mut self.frames.returned),
            _ => Value::Unset,
        };
        if self.lineage.tracks {
            let result = std::mem::replace(&mut self.lineage.reads, outer);
            self.lineage.reads.add_all(&result);
        }
        Ok(value)
    }
}

/// What a comparison says of two numbers.
#[inline]
fn holds(comparison: Comparison, left: f64, right: f64) -> bool {
    match comparison {
        Comparison::Less => left < right,
        Comparison::LessOrEqual => left <= right,
        Comparison::Equal => left == right,
        Comparison::NotEqual => left != right,
        Comparison::Greater => left > right,
        Comparison::GreaterOrEqual => left >= right,
    }
}

#[inline]
fn worked_out(operator: Arithmetic, left: f64, right: f64, at: usize) -> Eval<f64> {
    match calculate(operator, left, right) {
        Some(value) => Ok(value),
        None => fault(at, "division by zero"),
    }
}

/// True for what is a number whatever the data are.
fn is_number(node: &Node) -> bool {
    matches!(
        node,
        Node::Number(_)
            | Node::Arithmetic(..)
            | Node::Increment { .. }
            | Node::Update(..)
            | Node::Negate(_)
            | Node::Plus(_)
            | Node::Special(Special::Nr | Special::Nf | Special::Fnr)
    )
}
