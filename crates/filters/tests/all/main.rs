//! Laws every filter keeps, and comparison with the host's own utilities.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics

mod behaviour;
mod cases;
mod compressed;
mod explanations;
mod fields;
mod host;
mod laws;
mod models;
mod models_of_runs;
mod programs;
mod support;
