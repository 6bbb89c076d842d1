//! A stage that follows files, run for the Bench: it continues in the background, and every preview
//! takes what it has written so far.

use std::sync::Arc;
use std::time::Instant;

use stream::{Block, RunControl, Sink, StageMeter, WriteError};

use crate::base::threads::start_thread;
use crate::exec::command::CommandStarter;
use crate::exec::context::SystemPorts;
use crate::exec::native::{Connections, run_native};
use crate::files::held_back::HeldBackFiles;
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::NamedPorts;
use crate::kept::lines::Kept;
use crate::plan::pipeline::StagePlan;
use crate::policy::Policy;

/// Bytes kept of what a followed file gets. Beyond that the stage ends.
const LIVE_LIMIT: u64 = 1 << 30;

/// A stage that runs on in the background.
pub(crate) struct FollowedStage {
    key: Vec<u8>,
    pub(crate) kept: Arc<Kept>,
    pub(crate) messages: Arc<Kept>,
    control: RunControl,
    since: Instant,
}

impl FollowedStage {
    /// For how long it has run, in nanoseconds.
    pub(crate) fn elapsed_ns(&self) -> u64 {
        self.since.elapsed().as_nanos() as u64
    }

    /// Starts a stage; `arrived` is called whenever it wrote something.
    ///
    /// # Errors
    /// When no thread can be started.
    pub(crate) fn start(
        stage: &StagePlan,
        arrived: impl Fn() + Send + Sync + 'static,
    ) -> std::io::Result<Self> {
        let live = Self {
            key: stage.key(),
            kept: Arc::new(Kept::coming()),
            messages: Arc::default(),
            control: RunControl::default(),
            since: Instant::now(),
        };
        let arrived = Arc::new(arrived);
        let said = live.messages.clone();
        let sink = |kept: &Arc<Kept>| -> Arc<dyn Sink> {
            let (kept, said, arrived) = (kept.clone(), said.clone(), arrived.clone());
            Arc::new(FollowSink { kept, said, arrived })
        };
        let connections = Connections {
            stdin: None,
            stdout: sink(&live.kept),
            stderr: sink(&live.messages),
            origins: None,
            eager: true,
            named: NamedPorts::default(),
            watched: None,
        };
        let (stage, control, kept) = (stage.clone(), live.control.clone(), live.kept.clone());
        start_thread("live", move || {
            let meter = Arc::new(StageMeter::default());
            let files = Arc::new(HeldBackFiles::new(None, control.clone()).live());
            let starter = CommandStarter::deferred(files.clone(), Policy::Nothing);
            let system = SystemPorts { files: &*files, commands: &starter };
            match &stage.directory {
                None => run_native(&stage, connections, system, &meter, &control),
                Some(directory) => {
                    let files = InDirectory { inner: &*files, directory };
                    let system = SystemPorts { files: &files, ..system };
                    run_native(&stage, connections, system, &meter, &control)
                }
            };
            kept.end();
            arrived();
        })?;
        Ok(live)
    }

    /// True when this is what `stage` would run.
    pub(crate) fn is_of(&self, stage: &StagePlan) -> bool {
        self.key == stage.key()
    }

    /// True as long as more may come.
    pub(crate) fn runs(&self) -> bool {
        !self.control.is_cancelled() && !self.kept.has_ended()
    }

    /// Ends the stage; what it has written stays.
    pub(crate) fn stop(&self) {
        self.control.cancel();
    }
}

impl Drop for FollowedStage {
    fn drop(&mut self) {
        self.stop();
    }
}

struct FollowSink<F> {
    kept: Arc<Kept>,
    /// What is said on standard error.
    said: Arc<Kept>,
    arrived: Arc<F>,
}

impl<F: Fn() + Send + Sync> Sink for FollowSink<F> {
    fn write(&self, block: Block) -> Result<(), WriteError> {
        if self.kept.bytes() >= LIVE_LIMIT {
            let message =
                format!("more than {} MiB came; it is no longer followed\n", LIVE_LIMIT >> 20);
            self.said.append(&Block::new(message.into_bytes()))?;
            return Err(WriteError::Closed);
        }
        self.kept.append(&block)?;
        (self.arrived)();
        Ok(())
    }
}
