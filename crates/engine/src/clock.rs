//! The one clock of all meters.

use std::sync::OnceLock;
use std::time::Instant;

use stream::Cancel;

/// Nanoseconds since this was asked first.
pub(crate) fn now_ns() -> u64 {
    static START: OnceLock<Instant> = OnceLock::new();
    START.get_or_init(Instant::now).elapsed().as_nanos() as u64
}

/// As [`now_ns`], standing still while the run is paused.
pub(crate) fn run_ns(cancel: &Cancel) -> u64 {
    cancel.without_pauses(now_ns())
}
