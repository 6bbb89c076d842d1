//! Laws every filter keeps, and comparison with the host's own utilities.

mod behaviour;
mod host;
mod laws;
mod support;
