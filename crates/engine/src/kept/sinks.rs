//! Sinks that keep what they are given.

use parking_lot::Mutex;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

use stream::{Block, Excess, RunControl, Sink, WriteError};

use super::lines::Kept;

/// Keeps what is written, of any size, or as far as a budget lets it.
pub(crate) struct KeptSink {
    kept: Arc<Kept>,
    budget: Option<Arc<HoldBudget>>,
}

impl KeptSink {
    pub(crate) fn of(kept: Arc<Kept>) -> Self {
        Self { kept, budget: None }
    }

    /// The same within a budget.
    pub(crate) fn within(kept: Arc<Kept>, budget: Option<Arc<HoldBudget>>) -> Self {
        Self { kept, budget }
    }
}

impl Sink for KeptSink {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        if let Some(budget) = &self.budget {
            budget.take(block.len() as u64)?;
        }
        Ok(self.kept.append(&block)?)
    }
}

/// How much of what a run would write may be kept. Beyond that the run is ended.
#[derive(Debug)]
pub(crate) struct HoldBudget {
    limit: u64,
    held: AtomicU64,
    control: RunControl,
}

impl HoldBudget {
    pub(crate) fn new(limit: u64, control: &RunControl) -> Arc<Self> {
        Arc::new(Self { limit, held: AtomicU64::new(0), control: control.clone() })
    }

    fn take(&self, bytes: u64) -> Result<(), WriteError> {
        if self.held.fetch_add(bytes, Relaxed) + bytes > self.limit {
            self.control.exceed(Excess::HeldBack(self.limit));
            return Err(WriteError::Cancelled);
        }
        Ok(())
    }
}

/// Keeps the beginning of what a stage says on standard error.
#[derive(Default)]
pub(crate) struct Messages(pub(crate) Mutex<Vec<u8>>);

const MESSAGES_MAX: usize = 64 << 10;

impl Messages {
    /// What was said so far.
    pub(crate) fn text(&self) -> String {
        let text = self.0.lock();
        String::from_utf8_lossy(&text).into_owned()
    }
}

impl Sink for Messages {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        let mut text = self.0.lock();
        let room = MESSAGES_MAX.saturating_sub(text.len()).min(block.len());
        text.extend_from_slice(&block.bytes()[..room]);
        Ok(())
    }
}
