//! The state of the Bench. Knows no keys and draws nothing.

pub(crate) mod app;
pub(crate) mod drawer;
pub(crate) mod event;
pub(crate) mod examples;
pub(crate) mod job;
pub(crate) mod kept;
pub(crate) mod lens;
pub(crate) mod open_drawer;
pub(crate) mod page;
pub(crate) mod parsed;
pub(crate) mod pending;
pub(crate) mod purpose;
pub(crate) mod put_at;
pub(crate) mod result;
pub(crate) mod run;
pub(crate) mod search;
pub(crate) mod session;
pub(crate) mod shelf;
pub(crate) mod text;
pub(crate) mod told;
pub(crate) mod trials;
pub(crate) mod versions;
pub(crate) mod view;
