//! Stages that are tried in the background.

use stream::RunControl;

/// A list of stages that is tried, as long as somebody looks: it ends when this is dropped.
#[derive(Default)]
pub(crate) struct Trials {
    /// Which list: only the news of the newest count.
    pub(crate) number: u64,
    /// Ends it.
    pub(crate) control: RunControl,
}

impl Drop for Trials {
    fn drop(&mut self) {
        self.control.cancel();
    }
}
