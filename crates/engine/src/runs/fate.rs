//! Why nothing of a line is in a stage's output.

use std::cell::RefCell;
use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;
use filters::{Dropped, InputLines};
use stream::{Files, InputName, LineId, RunControl, Sink, StageMeter};

use crate::base::limits::with_limits;
use crate::base::sinks::Nowhere;
use crate::exec::command::CommandStarter;
use crate::exec::context::SystemPorts;
use crate::exec::native::{Connections, run_native};
use crate::files::held_back::HeldBackFiles;
use crate::files::substituted::SubstitutedFiles;
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::Ports;
use crate::policy::Policy;
use crate::runs::preview::result::StageResult;

/// So long a language may run again.
const PATIENCE: Duration = Duration::from_secs(5);

/// Lines that are read at once to look at one of them.
const PART: u64 = 1024;

/// What a stage has read, read again in parts.
struct ReadLines<'s> {
    stage: &'s StageResult,
    /// The part read last: its input, its first line, its lines.
    part: RefCell<(usize, u64, Vec<Bytes>)>,
}

impl InputLines for ReadLines<'_> {
    fn count(&self, input: usize) -> u64 {
        self.stage.inputs.get(input).map_or(0, |input| input.kept.lines())
    }

    fn line(&self, input: usize, number: u64) -> Option<Vec<u8>> {
        let kept = &self.stage.inputs.get(input)?.kept;
        let first = number - number % PART;
        let mut part = self.part.borrow_mut();
        if (part.0, part.1) != (input, first) || part.2.is_empty() {
            *part = (input, first, kept.lines_at(first, PART as usize));
        }
        part.2.get((number - first) as usize).map(|line| line.to_vec())
    }
}

/// Why nothing of a line, by its place over all inputs, is in the output of its stage: in the
/// filter's own words. Languages are run again on what the stage has read; no file is written
/// and no program is started then. `None` where the stage is no filter of ours or does not know.
/// Blocks until it is known, at most five seconds; not begun where `control` was cancelled.
pub fn fate(stage: &StageResult, flat: u64, control: &RunControl) -> Option<String> {
    let filter = stage.filter.as_ref().filter(|_| stage.plan.off.is_none())?;
    let (input, number) = stage.input_at(flat)?;
    let lines = ReadLines { stage, part: RefCell::new((0, 0, Vec::new())) };
    let line = lines.line(input, number)?;
    let dropped = Dropped { line: &line, input, number, lines: &lines };
    if let Some(reason) = filter.why_dropped(&dropped) {
        return Some(reason);
    }
    if !filter.tells_fate() {
        return None;
    }
    let held_back = Arc::new(HeldBackFiles::new(None, control.clone()));
    let here;
    let own: &dyn Files = match &stage.plan.directory {
        None => &*held_back,
        Some(directory) => {
            here = InDirectory { inner: &*held_back, directory };
            &here
        }
    };
    let mut files = SubstitutedFiles::new(own);
    let mut standard = None;
    for input in &stage.inputs {
        match &input.name {
            InputName::Standard => standard = Some(input.source()),
            InputName::File(name) => files.add_reader(name.clone(), input.source()),
        }
    }
    let starter = CommandStarter::beside(held_back.clone(), Policy::Nothing);
    let nowhere: Arc<dyn Sink> = Arc::new(Nowhere);
    let ports = Ports::new(standard, nowhere, Arc::new(Nowhere));
    let mut connections = Connections::of(ports, Some(Arc::default()), false);
    connections.watched = Some(LineId::new(input, number));
    let system = SystemPorts { files: &files, commands: &starter };
    let meter = StageMeter::default().into();
    // A limit uses a control up: the caller's is only asked before.
    let own = RunControl::default();
    if control.is_cancelled() {
        return None;
    }
    let (outcome, over) = with_limits(&own, PATIENCE, None, || {
        run_native(&stage.plan, connections, system, &meter, &own)
    });
    outcome.fate.filter(|fate| over.is_none() && !outcome.cancelled && !fate.is_empty())
}
