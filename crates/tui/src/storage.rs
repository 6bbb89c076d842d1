//! What is kept between sessions: earlier lines, recovery, scripts, the configuration.

pub(crate) mod config;
pub(crate) mod folders;
pub(crate) mod recovery;
pub(crate) mod settings;
pub(crate) mod shell_history;
pub(crate) mod store;
