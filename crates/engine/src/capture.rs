//! Standard input taken in while the screen is up.

use std::os::fd::OwnedFd;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use crate::kept::Kept;
use crate::world::read_block;

/// Bytes taken from standard input at most. Beyond that reading stops, and whoever writes waits.
const CAPTURE_LIMIT: u64 = 1 << 30;

/// What has come from standard input so far.
pub struct Capture {
    kept: Arc<Kept>,
    full: AtomicBool,
}

impl Capture {
    /// Starts taking in `descriptor` on a thread of its own; `arrived` is called after each
    /// block and at the end.
    ///
    /// # Errors
    /// When no thread can be started.
    pub fn start(
        descriptor: OwnedFd,
        arrived: impl Fn() + Send + 'static,
    ) -> std::io::Result<Arc<Self>> {
        let capture = Arc::new(Self { kept: Arc::default(), full: AtomicBool::new(false) });
        let taking = capture.clone();
        std::thread::Builder::new().name("capture".to_owned()).spawn(move || {
            while let Ok(Some(block)) = read_block(&descriptor) {
                if taking.kept.append(&block).is_err() {
                    break;
                }
                arrived();
                if taking.kept.bytes() >= CAPTURE_LIMIT {
                    taking.full.store(true, Ordering::Relaxed);
                    arrived();
                    return;
                }
            }
            taking.kept.end();
            arrived();
        })?;
        Ok(capture)
    }

    /// The data so far.
    pub fn kept(&self) -> &Arc<Kept> {
        &self.kept
    }

    /// True when the limit was reached and the rest is left unread.
    pub fn is_full(&self) -> bool {
        self.full.load(Ordering::Relaxed)
    }
}
