//! The full-screen Bench. A state, functions that change it by
//! events, and views as pure functions from the state to a buffer. Only this crate and the binary know a terminal.

mod actions;
mod event_loop;
mod frame;
mod hints;
mod parts;
mod screen;
#[cfg(test)]
mod screen_tests;
mod state;
mod storage;
mod terminal;
mod text;
mod theme;
mod update;
mod views;

pub use event_loop::{
    Left, Options, PassOn, TuiError, configuration, log_level, run, write_configuration,
};
pub use shell::quote;
pub use state::purpose::Purpose;
pub use storage::store::open_script;
pub use theme::Background;
