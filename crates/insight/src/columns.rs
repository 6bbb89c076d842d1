//! What is in a stream, column by column: how its lines are split, and what each field holds.

pub(crate) mod detect;
pub(crate) mod form;
pub(crate) mod kind;
pub(crate) mod reading;
pub(crate) mod splitting;
pub(crate) mod survey;
pub(crate) mod table;
pub(crate) mod words;
