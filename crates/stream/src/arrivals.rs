//! When lines came.

use std::time::SystemTime;

/// When the lines of a stream came to this machine's side of it, where somebody noted that as they
/// came in. It does not change when the same lines are read again.
pub trait Arrivals: Send + Sync {
    /// When somebody began to wait for the stream.
    fn begun(&self) -> SystemTime;

    /// When line `line` (from 0) was there; of an unterminated last one, its latest part. `None`
    /// where that is not known.
    fn of_line(&self, line: u64) -> Option<SystemTime>;
}
