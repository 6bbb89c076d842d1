//! Filters that run a program of their own language.

pub(crate) mod awk;
pub(crate) mod bc;
pub(crate) mod sed;
