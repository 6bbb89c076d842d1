//! The state of the Bench. Knows no keys and draws nothing.

pub(crate) mod app;
pub(crate) mod columns;
pub(crate) mod compare;
pub(crate) mod drawer;
pub(crate) mod event;
pub(crate) mod examples;
pub(crate) mod guide;
pub(crate) mod kept;
pub(crate) mod lens;
pub(crate) mod list;
pub(crate) mod parsed;
pub(crate) mod pending;
pub(crate) mod place;
pub(crate) mod point;
pub(crate) mod program;
pub(crate) mod result;
pub(crate) mod run;
pub(crate) mod sample_form;
pub(crate) mod screen;
pub(crate) mod session;
pub(crate) mod sheet;
pub(crate) mod target;
pub(crate) mod text;
pub(crate) mod trail;
pub(crate) mod trials;
pub(crate) mod versions;
