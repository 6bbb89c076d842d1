//! Previews, full runs, samples, limits, cancelling, writing.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)] // tests fail by panics

mod faults;
mod full;
mod held;
mod previews;
mod scripts;
mod writing;
