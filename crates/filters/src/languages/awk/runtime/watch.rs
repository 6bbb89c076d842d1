//! A line that is watched: which rules it comes to, and why they write nothing of it.

use std::ops::Range;

use stream::StageError;

use super::{ArrayPlace, Eval, Node, Place, Runtime, Special, Stop, Value, When};
use crate::text::phrases::counted;

/// Reasons that are told at most.
const REASONS: usize = 3;

/// Characters of a value that are told.
const SHOWN: usize = 60;

impl Runtime<'_, '_> {
    /// True while the watched line is the current record.
    #[inline]
    pub(super) fn is_watched(&self) -> bool {
        let Some(watch) = &self.watch else { return false };
        self.in_record
            && self.lineage.current.is_some_and(|(from, to)| from <= watch.line && watch.line <= to)
    }

    fn note(&mut self, reason: String) {
        if let Some(watch) = &mut self.watch {
            watch.reasons.push(reason);
        }
    }

    /// As the rules are run, noting which of them do not hold, with the values they look at.
    pub(super) fn watched_rules(&mut self) -> Eval<()> {
        let code = self.code;
        if let Some(watch) = &mut self.watch {
            watch.reached = true;
        }
        if code.rules.is_empty() {
            self.note("the program has no rule for records".to_owned());
        }
        for (number, rule) in code.rules.iter().enumerate() {
            let applies = match &rule.when {
                When::Always => true,
                When::Matches(condition) => self.watched_truth(condition, &rule.at)?,
                When::Range(first, last, state) => {
                    let begins = !self.ranges[*state];
                    if begins && !self.truth(first)? {
                        let text = self.text_of(&rule.at);
                        self.note(format!("{text}: not between the two"));
                        false
                    } else {
                        self.ranges[*state] = !self.truth(last)?;
                        true
                    }
                }
            };
            if !applies {
                continue;
            }
            let Some(body) = &rule.body else {
                self.print(&[], None)?;
                continue;
            };
            let known = self.watch.as_ref().map_or(0, |watch| watch.reasons.len());
            let ran = self.run(body);
            let says_more = self.watch.as_ref().is_some_and(|watch| watch.reasons.len() > known);
            let of = match &rule.when {
                When::Always => format!("rule {}", number + 1),
                _ => format!("the rule for {}", self.text_of(&rule.at)),
            };
            if let Err(stop) = ran {
                match *stop {
                    Stop::Next => self.note(format!("{of} ends with next")),
                    Stop::NextFile => self.note(format!("{of} ends with nextfile")),
                    Stop::Exit => self.note(format!("{of} ends the program")),
                    Stop::Stage(_) | Stop::Fault { .. } => {}
                }
                return Err(stop);
            }
            if !says_more {
                self.note(format!("{of} writes nothing of it"));
            }
        }
        Ok(())
    }

    fn text_of(&self, at: &Range<usize>) -> String {
        self.watch.as_ref().map_or_else(String::new, |watch| watch.source(at))
    }

    /// The truth of a condition; where it does not hold, that is noted with the values it has.
    pub(super) fn watched_truth(&mut self, condition: &Node, at: &Range<usize>) -> Eval<bool> {
        // Before it is asked: asking may change what it looks at.
        let mut values = Vec::new();
        self.values_of(condition, &mut values);
        let holds = self.truth(condition)?;
        if !holds {
            let text = self.text_of(at);
            let mut shown: Vec<String> = Vec::new();
            for (name, value) in values {
                let part = format!("{name} is {value}");
                if !shown.contains(&part) {
                    shown.push(part);
                }
            }
            let why =
                if shown.is_empty() { String::new() } else { format!(": {}", shown.join(", ")) };
            self.note(format!("{text} does not hold{why}"));
        }
        Ok(holds)
    }

    /// The fields and variables that a condition looks at, as far as looking changes nothing.
    fn values_of(&mut self, node: &Node, values: &mut Vec<(String, String)>) {
        match node {
            Node::Column(0) => {}
            Node::Column(number) => self.add(format!("${number}"), node, values),
            Node::Special(special) => {
                let name = match special {
                    Special::Nr => "NR",
                    Special::Fnr => "FNR",
                    Special::Nf => "NF",
                    Special::Filename => "FILENAME",
                    _ => return,
                };
                self.add(name.to_owned(), node, values);
            }
            Node::Field(number, _) => {
                if matches!(**number, Node::Special(Special::Nf)) {
                    self.add("$NF".to_owned(), node, values);
                } else {
                    self.values_of(number, values);
                }
            }
            Node::Global(at) => {
                let name = self.code.globals.get(*at).cloned().unwrap_or_default();
                self.add(name, node, values);
            }
            Node::Element(array, key) | Node::In(array, key) => {
                self.element_of(*array, key, values);
            }
            Node::Increment { place, .. } => match &**place {
                Place::Global(at) => self.values_of(&Node::Global(*at), values),
                Place::Element(array, key) => self.element_of(*array, key, values),
                _ => {}
            },
            Node::Negate(inside) | Node::Plus(inside) | Node::Not(inside) => {
                self.values_of(inside, values);
            }
            Node::Arithmetic(_, sides, _) => self.both(sides, values),
            Node::Compare(_, sides) => self.both(sides, values),
            Node::And(sides) | Node::Or(sides) => self.both(sides, values),
            Node::Match { subject, .. } => self.values_of(subject, values),
            Node::Concat(parts) => parts.iter().for_each(|part| self.values_of(part, values)),
            Node::Conditional(parts) => self.values_of(&parts.0, values),
            Node::Builtin(call) if call.place.is_none() => {
                call.values.iter().for_each(|value| self.values_of(value, values));
            }
            _ => {}
        }
    }

    fn both(&mut self, sides: &(Node, Node), values: &mut Vec<(String, String)>) {
        self.values_of(&sides.0, values);
        self.values_of(&sides.1, values);
    }

    /// An element of an array of the program, with its key as it is now.
    fn element_of(&mut self, array: ArrayPlace, key: &[Node], values: &mut Vec<(String, String)>) {
        for part in key {
            self.values_of(part, values);
        }
        let ArrayPlace::Global(at) = array else { return };
        let mut text = Vec::new();
        let plain = key.iter().all(|part| {
            matches!(
                part,
                Node::Column(_)
                    | Node::Global(_)
                    | Node::Special(_)
                    | Node::Text(_)
                    | Node::Number(_)
            )
        });
        let [part] = key else { return };
        if !plain || self.push(part, &mut text).is_err() {
            return;
        }
        let name = self.code.array_names.get(at).cloned().unwrap_or_default();
        let slot = self.arrays[at].borrow().get(&text[..]).map(|slot| slot.value.clone());
        let value = slot.map_or_else(|| "not there".to_owned(), |value| self.shown(&value));
        let key = String::from_utf8_lossy(&text).into_owned();
        values.push((format!("{name}[{key}]"), value));
    }

    fn add(&mut self, name: String, node: &Node, values: &mut Vec<(String, String)>) {
        if let Ok(value) = self.value(node) {
            let value = self.shown(&value);
            values.push((name, value));
        }
    }

    fn shown(&mut self, value: &Value) -> String {
        let mut text = Vec::new();
        self.push_text(value, &mut text);
        let text = String::from_utf8_lossy(&text).into_owned();
        match value {
            Value::Number(_) => text,
            _ if text.is_empty() => "empty".to_owned(),
            _ if text.chars().count() > SHOWN => {
                format!("“{}…”", text.chars().take(SHOWN).collect::<String>())
            }
            _ => format!("“{text}”"),
        }
    }

    /// Tells what was found out of the watched line, where there is one.
    pub(in super::super) fn tell_fate(&mut self, outcome: &Eval<()>) {
        let Some(watch) = self.watch.take() else { return };
        if matches!(outcome, Err(stop) if matches!(**stop, Stop::Stage(StageError::Cancelled))) {
            return;
        }
        let nr = self.specials.nr;
        let fate = if !watch.reached {
            format!("not read as a record: the program ends at record {nr}, or getline took it")
        } else if watch.reasons.len() > REASONS {
            let more = counted((watch.reasons.len() - REASONS) as u64, "reason", "reasons");
            format!("{}; and {more} more", watch.reasons[..REASONS].join("; "))
        } else {
            watch.reasons.join("; ")
        };
        self.io.tell_fate(fate);
    }
}
