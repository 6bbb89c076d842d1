//! From what a stage did to its result.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::time::Instant;

use bytes::Bytes;
use filters::{Filter, Verb};
use stream::{InputName, Source, StageFigures};

use crate::base::limits::{Limit, Limits, Over};
use crate::files::held_back::HeldBackFiles;
use crate::files::identity::Identity;
use crate::files::pending::PendingFile;
use crate::files::sample::PartialRead;
use crate::flow::descriptors::descriptor_named;
use crate::kept::lines::Kept;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{StageKind, StagePlan};
use crate::plan::target::TargetKind;
use crate::runs::preview::result::{Ending, InputRecord, StageResult};
use crate::runs::preview::taps::Build;
use crate::runs::preview::task::Task;
use crate::runs::preview::verb::verb_of;

/// A stage that has ended, and what it was made from.
pub(super) struct EndedStage {
    pub(super) plan: StagePlan,
    pub(super) build: Build,
    pub(super) outcome: StageOutcome,
    pub(super) figures: StageFigures,
    pub(super) key: Vec<u8>,
    /// What stood at its standard input.
    pub(super) standard: Option<InputRecord>,
    /// The limit that the whole run has come to.
    pub(super) over: Option<Over>,
    pub(super) filter: Option<Arc<dyn Filter>>,
}

impl EndedStage {
    /// The file that standard input was redirected from.
    fn redirected(&self) -> Option<&Path> {
        match self.plan.input_target()? {
            TargetKind::Read(path) => Some(path.as_path()),
            _ => None,
        }
    }

    /// What was read of the command that is in the place of this file.
    fn substituted(&self, name: &[u8]) -> Option<Arc<Kept>> {
        let all = self.build.substituted.lock();
        let (_, kept) = all.iter().find(|(known, _)| known == name)?;
        kept.end();
        Some(kept.clone())
    }

    /// What a redirection has put at standard input.
    fn redirected_input(&self, files: &HeldBackFiles) -> Option<InputRecord> {
        let name = InputName::Standard;
        match self.plan.input_target()? {
            TargetKind::Read(path) => match self.substituted(path.as_os_str().as_bytes()) {
                Some(kept) => Some(InputRecord::of(name, kept)),
                None => Some(from_file(files, &self.plan.at(path), name)),
            },
            TargetKind::Text(text) => Some(InputRecord::of(name, Arc::new(Kept::of(text)))),
            _ => None,
        }
    }

    fn at_standard_input(&self, files: &HeldBackFiles) -> InputRecord {
        let redirected = self.redirected_input(files);
        redirected.or_else(|| self.standard.clone()).unwrap_or_else(empty_standard)
    }

    /// What it read, in the order in which it was opened.
    fn inputs(&self, files: &HeldBackFiles) -> Vec<InputRecord> {
        let mut names = self.outcome.inputs.clone();
        if names.is_empty() && matches!(self.plan.kind, StageKind::Host(_)) {
            // What a program reads is not known; what it is given is.
            let given = self.standard.is_some() || self.plan.input_target().is_some();
            names.extend(given.then_some(InputName::Standard));
            let all = self.build.substituted.lock();
            names.extend(all.iter().map(|(name, _)| InputName::File(name.clone())));
        }
        let mut taken = false;
        let input = |name: InputName| match &name {
            InputName::File(path) => {
                if let Some(kept) = self.substituted(path) {
                    return InputRecord::of(name, kept);
                }
                let path = Path::new(OsStr::from_bytes(path));
                if descriptor_named(path) == Some(0) {
                    return InputRecord { name, sampled: None, ..self.at_standard_input(files) };
                }
                let path = self.plan.at(path);
                from_file(files, &path, name)
            }
            // Standard input is read once; opened again it is at its end.
            InputName::Standard if taken => empty_standard(),
            InputName::Standard => {
                taken = true;
                self.at_standard_input(files)
            }
        };
        names.into_iter().map(input).collect()
    }

    fn ending(&self, limits: &Limits) -> Ending {
        let cut = *self.build.cut.lock();
        match (cut, self.over) {
            (Some(limit), _) => Ending::Cut(limit),
            (None, Some(over)) if self.outcome.cancelled => Ending::Cut(Limit::of(over, limits)),
            (None, _) if self.outcome.panicked => Ending::Failed,
            (None, _) if self.outcome.closed => Ending::ClosedPipe,
            (None, _) => Ending::Finished,
        }
    }

    /// The files it would write, by redirection or itself.
    fn pending(&self, files: &HeldBackFiles) -> Vec<PendingFile> {
        let pending = files.pending.lock();
        let by_redirection = self.plan.written().map(|(path, ..)| path);
        let paths = by_redirection.chain(self.outcome.written.iter().map(PathBuf::as_path));
        let found: Vec<PendingFile> = paths
            .filter_map(|path| {
                let path = self.plan.at(path);
                pending.iter().rev().find(|file| file.path == path).cloned()
            })
            .collect();
        for file in &found {
            file.kept.end();
        }
        found
    }

    /// The files that it read, as they were then, and arguments that named none.
    fn files(&self, inputs: &[InputRecord]) -> Vec<(PathBuf, Option<Identity>)> {
        let read = inputs.iter().filter_map(|input| {
            let identity = input.sampled.as_ref().and_then(|sampled| sampled.identity)?;
            let path = match (&input.name, self.redirected()) {
                (InputName::File(name), _) => Path::new(OsStr::from_bytes(name)),
                (InputName::Standard, Some(path)) => path,
                (InputName::Standard, None) => return None,
            };
            Some((self.plan.at(path), Some(identity)))
        });
        read.chain(missing(&self.plan)).collect()
    }

    /// What it did: as its filter says, or as its data shows.
    fn verb(&self, inputs: &[InputRecord]) -> Option<Verb> {
        let origins = self.build.origins.lock();
        if let StageKind::Shell(_) = &self.plan.kind {
            let known = origins.lines() == self.build.kept.lines();
            return known.then(|| verb_of(Verb::Passes, inputs, &self.build.kept, &origins));
        }
        let filter = self.filter.as_ref()?;
        let declared = filter.verb();
        if filter.verb_varies() {
            return Some(verb_of(declared, inputs, &self.build.kept, &origins));
        }
        Some(declared)
    }

    /// The result of the stage.
    pub(super) fn finish(self, task: &Task<'_>) -> StageResult {
        self.build.kept.end();
        let own = self.build.files.clone();
        let inputs = self.inputs(&own);
        let ending = self.ending(&task.limits);
        let pending = self.pending(&own);
        let files = self.files(&inputs);
        let verb = self.verb(&inputs);
        let is_input = |read: &PartialRead| {
            let mut known = inputs.iter().filter_map(|input| input.sampled.as_ref());
            known.any(|sampled| Arc::ptr_eq(sampled, &read.sampled))
        };
        let mut inside_read = own.all_read();
        inside_read.retain(|read| !is_input(read));
        let changes_nothing =
            matches!(&inputs[..], [one] if same_bytes(&one.kept, &self.build.kept));
        let Self { plan, build, outcome, figures, key, filter, .. } = self;
        StageResult {
            span: plan.span,
            name: plan.name(),
            inputs,
            out: build.kept,
            origins: build.origins,
            figures,
            status: outcome.status,
            messages: build.messages.text(),
            ending,
            verb,
            explanation: OnceLock::new(),
            changes_nothing,
            holds: filter.as_ref().and_then(|filter| filter.holds()),
            filter,
            pending,
            held: build.held.into_inner(),
            inside: build.inside.into_list(),
            pipelines_inside: build.pipelines.into_inner(),
            made: Instant::now(),
            reused: false,
            follows: false,
            fed_live: false,
            partial: own.partial(),
            inside_read,
            sure_bytes: None,
            unstarted: outcome.unstarted,
            redirect_error: outcome.redirect_error.clone(),
            key,
            files,
            plan,
        }
    }
}

/// A file as it was read: its sample, or what would have been written to it before.
fn from_file(files: &HeldBackFiles, path: &Path, name: InputName) -> InputRecord {
    if let Some(sampled) = files.sampled(path) {
        return InputRecord::of_sample(name, sampled);
    }
    let pending = files.pending.lock();
    let overlay = pending.iter().rev().find(|file| file.path == path);
    InputRecord::of(name, overlay.map_or_else(|| Arc::new(Kept::of(b"")), |file| file.kept.clone()))
}

/// True for two streams of the same bytes. Larger ones than the limit are not compared.
fn same_bytes(one: &Arc<Kept>, other: &Arc<Kept>) -> bool {
    const COMPARED: u64 = 64 << 20;
    if one.bytes() != other.bytes() || one.bytes() > COMPARED {
        return false;
    }
    let (mut one, mut other) = (one.source(), other.source());
    let (mut left, mut right) = (Bytes::new(), Bytes::new());
    let refill = |part: &mut Bytes, source: &mut Box<dyn Source>| {
        if part.is_empty()
            && let Ok(Some(block)) = source.next_block()
        {
            *part = block.into_bytes();
        }
    };
    loop {
        refill(&mut left, &mut one);
        refill(&mut right, &mut other);
        let both = left.len().min(right.len());
        if left.split_to(both) != right.split_to(both) {
            return false;
        }
        if both == 0 {
            return left.len() == right.len();
        }
    }
}

fn empty_standard() -> InputRecord {
    InputRecord::of(InputName::Standard, Arc::new(Kept::of(b"")))
}

/// Arguments that name no file now: when one appears, the stage must run again.
fn missing(plan: &StagePlan) -> impl Iterator<Item = (PathBuf, Option<Identity>)> + '_ {
    plan.arguments.iter().filter_map(|argument| {
        use std::os::unix::ffi::OsStrExt;
        let plain = !argument.is_empty() && !argument.starts_with(b"-") && argument.len() < 4096;
        let path = plan.at(Path::new(OsStr::from_bytes(argument)));
        (plain && !argument.contains(&b'\n') && Identity::now(&path).is_err())
            .then_some((path, None))
    })
}
