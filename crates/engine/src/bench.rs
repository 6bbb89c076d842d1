//! The session of a screen: the newest text wins, and what continues beside it.

pub(crate) mod capture;
pub(crate) mod evaluation;
pub(crate) mod follow;
pub(crate) mod request;
pub(crate) mod session;
pub(crate) mod start_held;
pub(crate) mod trials;

#[cfg(test)]
mod thread_tests;
