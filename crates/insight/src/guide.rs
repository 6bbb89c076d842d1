//! The Guide: recipes by aim, each with a form for the stream it is used on.

pub(crate) mod form;
pub(crate) mod option_use;
pub(crate) mod recipe;
pub(crate) mod recipes;
pub(crate) mod samples;
pub(crate) mod search;
pub(crate) mod topics;
