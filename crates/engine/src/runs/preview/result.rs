//! What a run on a sample gives.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::time::Instant;

use filters::{Filter, Verb};
use parking_lot::Mutex;
use shell::Span;
use stream::{CommandEnd, ExitStatus, InputName, LineId, OriginStore, Source, StageFigures};

use crate::base::figure::{Figure, Known};
use crate::base::limits::Limit;
use crate::files::identity::Identity;
use crate::files::pending::PendingFile;
use crate::files::sample::{PartialRead, Sample, SampledInput};
use crate::kept::lines::Kept;
use crate::plan::error::PlanError;
use crate::plan::outcome::RedirectError;
use crate::plan::pipeline::{StageKind, StagePlan};
use crate::plan::target::TargetKind;
use crate::policy::HeldCommand;
use crate::runs::figures::CommandFigures;
use crate::runs::preview::inside::PipelinesInside;

/// How a stage ended.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Ending {
    /// By itself.
    Finished,
    /// Its reader had enough: normal.
    ClosedPipe,
    /// A limit of the preview cut it off.
    Cut(Limit),
    /// It was not started, or failed inside.
    Failed,
}

/// One input of a stage.
#[derive(Clone)]
pub struct InputRecord {
    /// What it was.
    pub name: InputName,
    /// Its lines.
    pub kept: Arc<Kept>,
    /// The sample it is, where it comes from outside the pipeline.
    pub sampled: Option<Arc<SampledInput>>,
    /// How far its lines are known to be all there are.
    pub(crate) known: Known,
}

impl InputRecord {
    /// A stream of which all is there.
    pub(crate) fn of(name: InputName, kept: Arc<Kept>) -> Self {
        Self { name, kept, sampled: None, known: Known::Exact }
    }

    /// A sample, or all of what it is of.
    pub(crate) fn of_sample(name: InputName, sampled: Arc<SampledInput>) -> Self {
        let known = if sampled.complete { Known::Exact } else { Known::OfPart };
        Self { name, kept: sampled.kept.clone(), sampled: Some(sampled), known }
    }

    /// Its lines.
    pub fn lines(&self) -> Figure {
        Figure::new(self.kept.lines(), self.known)
    }

    /// Its bytes.
    pub fn bytes(&self) -> Figure {
        Figure::new(self.kept.bytes(), self.known)
    }

    /// Reads it as the stage did.
    pub(crate) fn source(&self) -> Box<dyn Source> {
        self.sampled.as_ref().map_or_else(|| self.kept.source(), |sampled| sampled.source())
    }
}

/// What a stage did.
pub struct StageResult {
    /// The stage's place in the text that was run.
    pub span: Span,
    /// Its name.
    pub name: String,
    /// The plan it ran from.
    pub plan: StagePlan,
    /// What it read, in the order it was opened.
    pub inputs: Vec<InputRecord>,
    /// What it wrote to standard output (into a file, where that was redirected).
    pub out: Arc<Kept>,
    /// Where each line of it comes from.
    pub origins: Arc<Mutex<OriginStore>>,
    /// Times and memory. What it read and wrote is told by [`Self::lines_in`] and its neighbours.
    pub figures: StageFigures,
    /// The status it ended with.
    pub status: ExitStatus,
    /// What it wrote to standard error, at most 64 KiB.
    pub messages: String,
    /// How it ended.
    pub ending: Ending,
    /// What it does; `None` for a program of the machine.
    pub verb: Option<Verb>,
    /// The filter, to be asked what it looks at; it is not run again. `None` for all that is none.
    pub filter: Option<Arc<dyn Filter>>,
    /// What it does, in words, once somebody has asked.
    pub(super) explanation: OnceLock<Option<String>>,
    /// True where what it wrote is, byte for byte, what it read.
    pub changes_nothing: bool,
    /// Why it holds data back, if it does.
    pub holds: Option<&'static str>,
    /// Files it would write.
    pub pending: Vec<PendingFile>,
    /// Commands it would start.
    pub held: Vec<HeldCommand>,
    /// The commands inside it, in the order of the text.
    pub inside: Vec<CommandFigures>,
    /// The pipelines of filters inside it that have read something.
    pub pipelines_inside: PipelinesInside,
    /// When it was made.
    pub made: Instant,
    /// True when this result was kept from the run before.
    pub reused: bool,
    /// True for a stage that continues with what its files get.
    pub follows: bool,
    /// True for a stage after one that follows a file: more may come for it.
    pub(super) fed_live: bool,
    /// Files of which it, or what runs inside it, has read a part.
    pub partial: Vec<PartialRead>,
    /// Files that what runs inside it has read.
    pub inside_read: Vec<PartialRead>,
    /// How much of its result is the same with all of the data, in bytes, where it has come to the
    /// end of something that was cut off; `None` where it has not.
    pub(super) sure_bytes: Option<u64>,
    /// Why it was never started, if it was not.
    pub unstarted: Option<CommandEnd>,
    /// The redirection that could not be performed; it was then never begun.
    pub redirect_error: Option<RedirectError>,
    pub(super) key: Vec<u8>,
    pub(super) files: Vec<(PathBuf, Option<Identity>)>,
}

impl StageResult {
    /// Makes this the result of a stage that follows a file: what it read is what it wrote.
    pub(super) fn make_followed(&mut self, messages: &str) {
        let name = self.plan.arguments.iter().rev().find(|argument| !argument.starts_with(b"-"));
        let name = InputName::File(name.cloned().unwrap_or_default());
        let known = Known::AtLeast;
        self.inputs = vec![InputRecord { known, ..InputRecord::of(name, self.out.clone()) }];
        let mut origins = OriginStore::default();
        origins.push(self.out.lines(), stream::Origin::Sequence(LineId::new(0, 0)));
        self.origins = Arc::new(Mutex::new(origins));
        self.messages = messages.to_owned();
        self.follows = true;
    }

    /// What the filter does with its arguments, in words; `None` for what is no filter.
    pub fn explanation(&self) -> Option<&str> {
        let explain = || match &self.plan.kind {
            StageKind::Native(definition) => definition.explain(&self.plan.arguments),
            _ => None,
        };
        self.explanation.get_or_init(explain).as_deref()
    }

    /// True where its result may be another one with all of the data.
    pub fn from_part(&self) -> bool {
        self.sure_bytes.is_some()
    }

    /// How far what it wrote is known to be all that it would write.
    pub fn known(&self) -> Known {
        match self.ending {
            _ if self.from_part() => Known::OfPart,
            Ending::ClosedPipe => Known::AtLeast,
            _ if self.follows || self.fed_live => Known::AtLeast,
            _ => Known::Exact,
        }
    }

    /// The lines that it wrote.
    pub fn lines_out(&self) -> Figure {
        Figure::new(self.out.lines(), self.known())
    }

    /// The bytes that it wrote.
    pub fn bytes_out(&self) -> Figure {
        Figure::new(self.out.bytes(), self.known())
    }

    /// The lines of all that it reads, whether it has looked at each or not.
    pub fn lines_in(&self) -> Figure {
        self.inputs.iter().map(InputRecord::lines).sum()
    }

    /// The bytes of all that it reads, whether it has looked at each or not.
    pub fn bytes_in(&self) -> Figure {
        self.inputs.iter().map(InputRecord::bytes).sum()
    }

    /// True for a program that was not started, because the user has not consented to it.
    pub fn is_held(&self) -> bool {
        self.unstarted == Some(CommandEnd::HeldBack)
    }

    /// The file an input is, be it by its name or by a redirection.
    pub fn input_path(&self, input: &InputRecord) -> Option<PathBuf> {
        use std::os::unix::ffi::OsStrExt;
        match &input.name {
            InputName::File(name) => Some(self.plan.at(Path::new(OsStr::from_bytes(name)))),
            InputName::Standard => {
                self.plan.targets.iter().rev().find_map(|target| match &target.kind {
                    TargetKind::Read(path) if target.descriptor == 0 => Some(self.plan.at(path)),
                    _ => None,
                })
            }
        }
    }

    /// What an input is called: its file, the command in its place, or standard input.
    pub fn input_label(&self, input: &InputRecord) -> String {
        use std::os::unix::ffi::OsStrExt;
        let text = match &input.name {
            InputName::File(name) => match self.plan.substituted(name) {
                Some(text) => return text,
                None => return String::from_utf8_lossy(name).into_owned(),
            },
            InputName::Standard => self.input_path(input),
        };
        match (text, self.plan.input_target()) {
            (Some(path), _) => {
                let substituted = self.plan.substituted(path.as_os_str().as_bytes());
                substituted.unwrap_or_else(|| path.display().to_string())
            }
            (None, Some(TargetKind::Text(_))) => "text of the command".to_owned(),
            (None, _) => "standard input".to_owned(),
        }
    }

    /// Lines over all inputs.
    pub fn input_lines(&self) -> u64 {
        self.inputs.iter().map(|input| input.kept.lines()).sum()
    }

    /// The place of a line over all inputs, one after the other.
    pub fn flat(&self, id: LineId) -> u64 {
        let before: u64 = self.inputs.iter().take(id.input()).map(|input| input.kept.lines()).sum();
        before + id.line()
    }

    /// The input and the line within it at a place over all inputs.
    pub fn input_at(&self, flat: u64) -> Option<(usize, u64)> {
        let mut rest = flat;
        for (number, input) in self.inputs.iter().enumerate() {
            let lines = input.kept.lines();
            if rest < lines {
                return Some((number, rest));
            }
            rest -= lines;
        }
        None
    }

    /// True when nothing cut the result off, so that it may be used again.
    pub(super) fn reusable(&self) -> bool {
        self.ending == Ending::Finished
            && !self.is_held()
            && self.files.iter().all(|(path, identity)| Identity::now(path).ok() == *identity)
    }

    pub(super) fn copy(&self, span: Span) -> Self {
        Self {
            span,
            name: self.name.clone(),
            plan: self.plan.clone(),
            inputs: self.inputs.clone(),
            out: self.out.clone(),
            origins: self.origins.clone(),
            figures: self.figures,
            status: self.status,
            messages: self.messages.clone(),
            ending: self.ending,
            verb: self.verb,
            filter: self.filter.clone(),
            explanation: self.explanation.clone(),
            changes_nothing: self.changes_nothing,
            holds: self.holds,
            pending: self.pending.clone(),
            held: self.held.clone(),
            inside: self.inside.clone(),
            pipelines_inside: self.pipelines_inside.clone(),
            made: self.made,
            reused: true,
            follows: self.follows,
            fed_live: self.fed_live,
            partial: self.partial.clone(),
            inside_read: self.inside_read.clone(),
            sure_bytes: self.sure_bytes,
            unstarted: self.unstarted,
            redirect_error: self.redirect_error.clone(),
            key: self.key.clone(),
            files: self.files.clone(),
        }
    }
}

/// The result of a run on a sample.
pub struct Preview {
    /// Which request it answers.
    pub generation: u64,
    /// The text it is of.
    pub text: String,
    /// Which lines of the sources it was made of.
    pub sample: Sample,
    /// What each stage did.
    pub stages: Vec<StageResult>,
    /// Files of which what comes before the pipeline has read a part.
    pub partial_before: Vec<PartialRead>,
    /// True where another command of the text has come to the end of something that was cut off.
    pub cut_elsewhere: bool,
    /// True where a program was started for it that only the user has let through.
    pub(crate) used_consent: bool,
    /// All files that would be written, also by the other commands of the text, each once.
    pub pending: Vec<PendingFile>,
    /// Files that may not be written, and why.
    pub refused: Vec<(PathBuf, String)>,
    /// All commands that would be started, in their order.
    pub commands: Vec<HeldCommand>,
    /// False where a real run would not come to this pipeline: `false && this`.
    pub reached: bool,
    /// What is wrong with a stage of the text; the stages are those before it.
    pub wrong: Option<PlanError>,
    /// What the other commands of the text said on standard error.
    pub said: String,
    /// How long it took, in nanoseconds.
    pub elapsed_ns: u64,
    /// Where a file is followed, for how long, in nanoseconds: all that came has come in that time.
    pub followed_ns: Option<u64>,
    /// When it was ready.
    pub ready: Instant,
}

impl Preview {
    /// The files whose samples it was made from.
    pub fn sources(&self) -> impl Iterator<Item = (Option<PathBuf>, &Arc<SampledInput>)> {
        self.stages.iter().flat_map(|stage| {
            let sampled = stage.inputs.iter().filter_map(|input| {
                let sampled = input.sampled.as_ref()?;
                Some((stage.input_path(input), sampled))
            });
            sampled.collect::<Vec<_>>()
        })
    }

    /// What was read in part, by the stages, what runs inside them and the commands before them;
    /// each once.
    pub fn partial(&self) -> Vec<&Arc<SampledInput>> {
        let inputs = self.stages.iter().flat_map(|stage| &stage.inputs);
        let inputs = inputs.filter_map(|input| input.sampled.as_ref());
        let inside = self.stages.iter().flat_map(|stage| &stage.partial);
        let read = inside.chain(&self.partial_before).map(|partial| &partial.sampled);
        let mut all: Vec<&Arc<SampledInput>> = Vec::new();
        for sampled in inputs.chain(read).filter(|sampled| !sampled.complete) {
            if !all.iter().any(|known| Arc::ptr_eq(known, sampled)) {
                all.push(sampled);
            }
        }
        all
    }

    /// True when nothing depends on data that was cut off.
    pub fn is_whole(&self) -> bool {
        !self.cut_elsewhere && !self.stages.iter().any(StageResult::from_part)
    }

    /// Files that were read and are now different.
    pub fn changed_files(&self) -> Vec<PathBuf> {
        let files = self.stages.iter().flat_map(|stage| &stage.files);
        let mut changed: Vec<PathBuf> = files
            .filter(|(path, identity)| Identity::now(path).ok() != *identity)
            .map(|(path, _)| path.clone())
            .collect();
        changed.dedup();
        changed
    }
}
