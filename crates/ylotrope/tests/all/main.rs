//! The program as its users start it: without a screen beside `sh`, and in a terminal.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics

mod at_home;
mod attacks;
mod bench;
mod check;
mod columns;
mod command_line;
mod dry_run;
mod effects;
mod ends;
mod everyday;
mod pipes;
mod runs;
mod shell;
mod standing_alone;
mod tmux;
mod why;
