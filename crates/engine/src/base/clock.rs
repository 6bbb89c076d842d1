//! The one clock of all meters.

use std::sync::OnceLock;
use std::time::Instant;

use rustix::time::{ClockId, clock_gettime};
use stream::RunControl;

/// Nanoseconds since this was asked first.
pub(crate) fn now_ns() -> u64 {
    static START: OnceLock<Instant> = OnceLock::new();
    START.get_or_init(Instant::now).elapsed().as_nanos() as u64
}

/// As [`now_ns`], standing still while the run is paused.
pub(crate) fn run_ns(control: &RunControl) -> u64 {
    control.without_pauses(now_ns())
}

/// Processor time of this thread, in nanoseconds.
pub(crate) fn thread_time() -> u64 {
    let time = clock_gettime(ClockId::ThreadCPUTime);
    time.tv_sec as u64 * 1_000_000_000 + time.tv_nsec as u64
}
