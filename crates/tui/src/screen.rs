//! The screen: what is drawn into, what can be pointed at on it, and lists and lines that keys change.

pub(crate) mod canvas;
pub(crate) mod input;
pub(crate) mod list;
pub(crate) mod place;
pub(crate) mod target;
pub(crate) mod view_name;
