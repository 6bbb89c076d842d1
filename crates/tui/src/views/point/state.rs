//! What is pointed at, and what can be done with it.

use std::ops::Range;
use std::sync::Arc;

use engine::Kept;
use insight::{Ground, Offer, Outcome, Splitting, Spot, offers};

use crate::screen::list::List;
use crate::state::put_at::PutAt;
use crate::state::trials::Trials;

/// What is known of an offer's outcome.
#[derive(Clone, Debug)]
pub(crate) enum Tried {
    /// It is not tried yet.
    Waiting,
    /// It could not be tried.
    Impossible,
    /// It was.
    Made(Outcome),
}

/// What can be chosen of the list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Entry {
    /// An offer, by its number.
    Offer(usize),
    /// This line as one end of a range.
    RangeEnd,
    /// This piece as an example for a pattern.
    Example,
    /// This piece as an example of what the pattern must not match.
    CounterExample,
}

/// A line or a column that is pointed at.
pub(crate) struct PointView {
    /// The lines around it.
    pub ground: Arc<Ground>,
    /// The line's number in its stream, from 1; `None` for a column as such.
    pub line: Option<u64>,
    /// The line that was marked as the other end of a range.
    pub other_line: Option<u64>,
    /// The line.
    pub text: Vec<u8>,
    /// The field, from 0.
    pub field: usize,
    /// A marked piece of the line.
    pub marked: Option<Range<usize>>,
    /// Where stages are put.
    pub at: PutAt,
    /// What can be done, with a search.
    pub list: List<Entry>,
    /// Examples for a pattern were marked already: this many.
    pub examples: usize,
    /// All offers.
    pub offers: Vec<Offer>,
    /// What comes out of each.
    pub outcomes: Vec<Tried>,
    /// The stream's beginning, to try them on.
    pub input: Arc<Kept>,
    /// It is all of it.
    pub whole: bool,
    /// With awk where both will do.
    pub by_awk: bool,
    /// The offers that are tried.
    pub(crate) trials: Trials,
}

impl PointView {
    /// Makes the offers for what is pointed at now.
    pub(crate) fn renew(&mut self) {
        let spot = Spot {
            line: self.line,
            other_line: self.other_line,
            text: self.text.clone(),
            field: Some(self.field).filter(|at| *at < self.field_count()),
            marked: self.marked.clone(),
        };
        self.offers = offers(&self.ground, &spot);
        self.outcomes = vec![Tried::Waiting; self.offers.len()];
        let query = std::mem::take(&mut self.list.query);
        let mut entries: Vec<(String, Entry)> = Vec::new();
        let mut own = Vec::new();
        if self.piece().is_some() {
            own.push((self.words_of(Entry::Example), Entry::Example));
            if self.examples > 0 {
                own.push((self.words_of(Entry::CounterExample), Entry::CounterExample));
            }
        }
        // Who has marked examples wants to mark the next one.
        if self.examples > 0 {
            entries.append(&mut own);
        }
        let offers = self.offers.iter().enumerate();
        entries.extend(
            offers
                .map(|(at, offer)| (format!("{} {}", offer.says, offer.stages), Entry::Offer(at))),
        );
        if self.line.is_some() {
            entries.push((self.words_of(Entry::RangeEnd), Entry::RangeEnd));
        }
        entries.append(&mut own);
        self.list = List::new(entries);
        self.list.query = query;
    }

    /// An entry in words.
    pub(crate) fn words_of(&self, entry: Entry) -> String {
        match entry {
            Entry::Offer(at) => {
                self.offers.get(at).map(|offer| offer.says.clone()).unwrap_or_default()
            }
            Entry::RangeEnd => {
                "this line as one end of a range; then point at the other one".to_owned()
            }
            Entry::Example if self.examples == 0 => {
                "a pattern from this and other examples …".to_owned()
            }
            Entry::Example => {
                format!("one more example for the pattern ({} so far)", self.examples)
            }
            Entry::CounterExample => "an example of what the pattern must not match".to_owned(),
        }
    }

    /// What is marked, or the field.
    pub(crate) fn piece(&self) -> Option<Range<usize>> {
        self.marked.clone().or_else(|| self.place()).filter(|piece| !piece.is_empty())
    }

    /// How many fields there are to point at.
    pub(crate) fn field_count(&self) -> usize {
        match self.line {
            Some(_) => self.ground.fields(&self.text).len(),
            None => self.ground.table().columns.len(),
        }
    }

    /// The place of the field in the line; `None` where the line does not have it.
    pub(crate) fn place(&self) -> Option<Range<usize>> {
        let field = self.ground.fields(&self.text).get(self.field).cloned()?;
        (Splitting::has(&field) && self.line.is_some()).then_some(field)
    }

    /// The next field the line has, or the one before it.
    pub(crate) fn step(&mut self, by: i64) {
        let count = self.field_count() as i64;
        let mut next = self.field as i64;
        let fields = self.ground.fields(&self.text);
        let had =
            |at: i64| self.line.is_none() || fields.get(at as usize).is_some_and(Splitting::has);
        loop {
            next += by;
            if !(0..count).contains(&next) {
                return;
            }
            if had(next) {
                break;
            }
        }
        self.field = next as usize;
        self.marked = None;
        self.renew();
    }

    /// Points at the field that has this byte.
    pub(crate) fn go_to(&mut self, byte: usize) {
        let fields = self.ground.fields(&self.text);
        let has = |field: &Range<usize>| Splitting::has(field) && field.contains(&byte);
        if let Some(at) = fields.iter().position(has) {
            self.field = at;
            self.marked = None;
            self.renew();
        }
    }

    /// Marks a piece of the line, from the character at one byte to the one at another.
    pub(crate) fn mark_between(&mut self, from: usize, to: usize) {
        let boundary = |at: usize| self.text.get(at).is_none_or(|byte| byte & 0xc0 != 0x80);
        let end = (to + 1..=self.text.len()).find(|at| boundary(*at)).unwrap_or(to);
        if from < end && boundary(from) {
            self.marked = Some(from..end);
            self.renew();
        }
    }

    /// Moves the beginning (or the end) of the marked piece by a character.
    pub(crate) fn mark(&mut self, beginning: bool, forward: bool) {
        if self.line.is_none() {
            return;
        }
        let Range { mut start, mut end } =
            self.marked.clone().or_else(|| self.place()).unwrap_or(0..self.text.len());
        let boundary = |at: usize| self.text.get(at).is_none_or(|byte| byte & 0xc0 != 0x80);
        let moved = |from: usize| {
            let mut at = from;
            loop {
                at = if forward { (at + 1).min(self.text.len()) } else { at.saturating_sub(1) };
                if boundary(at) {
                    return at;
                }
            }
        };
        if beginning {
            start = moved(start);
        } else {
            end = moved(end);
        }
        if start < end {
            self.marked = Some(start..end);
            self.renew();
        }
    }

    /// The selected entry.
    pub(crate) fn entry(&self) -> Option<Entry> {
        self.list.found().get(self.list.at).map(|(_, entry)| *entry)
    }

    /// The stages of the selected offer, and the offer.
    pub(crate) fn chosen(&self) -> Option<(&Offer, &str)> {
        let found = self.list.found();
        let Entry::Offer(at) = found.get(self.list.at)?.1 else { return None };
        let offer = self.offers.get(at)?;
        let by_awk = offer.by_awk.as_deref().filter(|_| self.by_awk);
        Some((offer, by_awk.unwrap_or(&offer.stages)))
    }
}
