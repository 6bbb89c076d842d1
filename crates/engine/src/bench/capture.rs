//! Standard input taken in while the screen is up.

use std::os::fd::OwnedFd;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use std::time::Duration;

use stream::{Arrivals, Block, ReadError, RunControl, Source};

use crate::files::block_source::read_block;
use crate::kept::lines::Kept;

/// Bytes taken from standard input at most. Beyond that reading stops, and whoever writes waits.
const CAPTURE_LIMIT: u64 = 1 << 30;

/// Why a full run is not possible on standard input that is not all there.
pub const MORE_THAN_KEPT: &str =
    "standard input has more than the 1 GiB that is kept; save it to a file to run on all of it";

/// What has come from standard input so far.
pub struct Capture {
    kept: Arc<Kept>,
    /// Bytes that are taken in at most.
    limit: u64,
    full: AtomicBool,
}

impl Capture {
    /// Reads from the beginning, and waits for what has not come yet.
    pub(crate) fn source(self: &Arc<Self>, control: &RunControl) -> Box<dyn Source> {
        Box::new(Coming {
            capture: self.clone(),
            source: self.kept.source(),
            control: control.clone(),
        })
    }

    /// Starts taking in `descriptor` on a thread of its own; `arrived` is called after each
    /// block and at the end.
    ///
    /// # Errors
    /// When no thread can be started.
    pub fn start(
        descriptor: OwnedFd,
        arrived: impl Fn() + Send + 'static,
    ) -> std::io::Result<Arc<Self>> {
        Self::start_limited(descriptor, CAPTURE_LIMIT, arrived)
    }

    /// As [`Capture::start`], with another limit.
    ///
    /// # Errors
    /// As there.
    pub fn start_limited(
        descriptor: OwnedFd,
        limit: u64,
        arrived: impl Fn() + Send + 'static,
    ) -> std::io::Result<Arc<Self>> {
        let full = AtomicBool::new(false);
        let capture = Arc::new(Self { kept: Arc::new(Kept::coming()), limit, full });
        let taking = capture.clone();
        std::thread::Builder::new().name("capture".to_owned()).spawn(move || {
            while let Ok(Some(block)) = read_block(&descriptor) {
                if taking.kept.append(&block).is_err() {
                    break;
                }
                arrived();
                if taking.kept.bytes() >= taking.limit {
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

/// How long a reader that has read all that came sleeps before it looks again.
const LOOK_AGAIN: Duration = Duration::from_millis(15);

/// Standard input as it comes.
struct Coming {
    capture: Arc<Capture>,
    source: Box<dyn Source>,
    control: RunControl,
}

impl Source for Coming {
    fn next_block(&mut self) -> Result<Option<Block>, ReadError> {
        loop {
            // Asked before reading: what came before the end is then read for sure.
            let ended = self.capture.kept.has_ended();
            let full = self.capture.is_full();
            let block = self.source.next_block()?;
            if block.is_some() || ended {
                return Ok(block);
            }
            if full {
                return Err(ReadError::Io(std::io::Error::other(MORE_THAN_KEPT)));
            }
            if self.control.is_cancelled() {
                return Err(ReadError::Cancelled);
            }
            std::thread::sleep(LOOK_AGAIN);
        }
    }

    fn arrivals(&self) -> Option<Arc<dyn Arrivals>> {
        self.source.arrivals()
    }

    fn file_bytes(&self) -> Option<u64> {
        // Its size is known once it has ended; as a source with a whole it counts either way.
        Some(self.capture.kept.bytes())
    }
}
