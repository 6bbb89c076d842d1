//! Previews, full runs, samples, limits, cancelling, writing.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics

mod arrivals;
mod budget;
mod compressed;
mod estimates;
mod faults;
mod full;
mod held;
mod language;
mod parts;
mod places;
mod previews;
mod scripts;
mod writing;
