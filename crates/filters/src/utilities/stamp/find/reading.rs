//! How times are to be read, and what is found.

use std::ops::Range;

use jiff::{Timestamp, Zoned};

/// Which of two numbers of a date is the day, where both could be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::utilities::stamp) enum Order {
    DayFirst,
    MonthFirst,
}

/// How what is found is to be read.
pub(in crate::utilities::stamp) struct Reading {
    /// A time without a zone is in that of this; one without a year is in the year that puts it at
    /// most a day after this.
    pub(in crate::utilities::stamp) now: Zoned,
    /// What was asked for dates of numbers only.
    pub(in crate::utilities::stamp) order: Option<Order>,
    /// Numbers anywhere in a line are seconds since 1970, not only at its beginning.
    pub(in crate::utilities::stamp) epoch: bool,
    /// When the machine was started whose kernel wrote.
    pub(in crate::utilities::stamp) start: Option<Timestamp>,
}

/// A time in a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::utilities::stamp) enum Moment {
    /// A point in time.
    At(Timestamp),
    /// This many nanoseconds after a start that is not known.
    SinceStart(i128),
}

/// Why a time may be another one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::utilities::stamp) enum Doubt {
    /// Day and month can be exchanged; the month was taken to be first.
    DayOrMonth,
    /// It is only a number.
    Epoch,
}

/// What was found, and where.
pub(in crate::utilities::stamp) struct Found {
    pub(in crate::utilities::stamp) range: Range<usize>,
    pub(in crate::utilities::stamp) moment: Moment,
    pub(in crate::utilities::stamp) doubt: Option<Doubt>,
}
