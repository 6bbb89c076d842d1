//! What a run has seen, for what it says at its end.

use indexmap::IndexMap;

use super::value::Value;
use crate::text::phrases::counted;

/// Different names that are listed.
const NAMES_MAX: usize = 10_000;

/// Counts of records and what was in them.
pub(super) struct Seen {
    pub(super) records: u64,
    pub(super) bad: u64,
    /// In how many records each wanted field is missing.
    missing: Vec<u64>,
    /// Every name with the records that have it and the first value, where names are listed.
    listed: IndexMap<Vec<u8>, (u64, Vec<u8>)>,
    more_names: bool,
}

impl Seen {
    /// Nothing yet, where this many fields are wanted.
    pub(super) fn of(wanted: usize) -> Self {
        Self {
            records: 0,
            bad: 0,
            missing: vec![0; wanted],
            listed: IndexMap::new(),
            more_names: false,
        }
    }

    /// Counts a record that was read.
    pub(super) fn count(&mut self, values: &[Value<'_>]) {
        self.records += 1;
        for (value, missing) in values.iter().zip(&mut self.missing) {
            *missing += u64::from(*value == Value::Missing);
        }
    }

    /// Adds what another has counted, and forgets it there. Names are not counted by several.
    pub(super) fn take_counts(&mut self, other: &mut Self) {
        self.records += std::mem::take(&mut other.records);
        self.bad += std::mem::take(&mut other.bad);
        for (all, missing) in self.missing.iter_mut().zip(&mut other.missing) {
            *all += std::mem::take(missing);
        }
    }

    /// Counts a name of a record.
    pub(super) fn list(&mut self, name: &[u8], value: &[u8]) {
        if let Some((records, _)) = self.listed.get_mut(name) {
            *records += 1;
        } else if self.listed.len() < NAMES_MAX {
            self.listed.insert(name.to_vec(), (1, value.to_vec()));
        } else {
            self.more_names = true;
        }
    }

    /// The names with the records that have them and the first value.
    pub(super) fn listed(&self) -> impl Iterator<Item = (&[u8], u64, &[u8])> {
        self.listed.iter().map(|(name, (records, first))| (&name[..], *records, &first[..]))
    }

    /// What was missing and what could not be read, in lines.
    pub(super) fn told(&self, names: &[Vec<u8>], keep_bad: bool) -> Vec<String> {
        let number = |count: u64| counted(count, "", "").trim().to_owned();
        let mut told = Vec::new();
        if self.bad > 0 {
            let what = if keep_bad { "passed on as it was" } else { "dropped" };
            let bad = counted(self.bad, "record", "records");
            told.push(format!("{bad} of {} cannot be read, {what}", number(self.records)));
        }
        let records = counted(self.records - self.bad, "record", "records");
        for (name, missing) in names.iter().zip(&self.missing).filter(|(_, count)| **count > 0) {
            let name = String::from_utf8_lossy(name);
            told.push(format!("“{name}” is missing in {} of {records}", number(*missing)));
        }
        if self.more_names {
            told.push(format!("only the first {NAMES_MAX} names are listed"));
        }
        told
    }
}
