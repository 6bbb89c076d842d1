//! From what a stage did to its result.

use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::time::Instant;

use filters::{Filter, Verb};
use stream::{InputName, StageFigures};

use crate::base::limits::{Limit, Over};
use crate::files::identity::Identity;
use crate::files::pending::PendingFile;
use crate::kept::lines::Kept;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{StageKind, StagePlan};
use crate::plan::target::TargetKind;
use crate::runs::preview::result::{Ending, InputRecord, StageResult};
use crate::runs::preview::taps::Build;
use crate::runs::preview::task::Task;
use crate::runs::preview::verb::verb_of;

#[allow(clippy::too_many_arguments)] // one call, one result made of all of them
pub(super) fn finish(
    task: &Task<'_>,
    plan: StagePlan,
    build: Build,
    outcome: StageOutcome,
    figures: StageFigures,
    key: Vec<u8>,
    standard: Option<InputRecord>,
    over: Option<Over>,
    filter: Option<Arc<dyn Filter>>,
) -> StageResult {
    build.kept.end();
    let redirected = plan.targets.iter().rev().find_map(|target| match &target.kind {
        TargetKind::Read(path) => Some(path.clone()),
        _ => None,
    });
    let from_file = |path: &Path, name: InputName| {
        let sampled = task.files.sampled(path);
        let pending = task.files.pending.lock();
        let overlay = pending.iter().rev().find(|file| file.path == path);
        let kept = match (&sampled, overlay) {
            (Some(sampled), _) => sampled.kept.clone(),
            (None, Some(file)) => file.kept.clone(),
            (None, None) => Arc::new(Kept::of(b"")),
        };
        InputRecord { name, kept, sampled }
    };
    let mut names = outcome.inputs.clone();
    if names.is_empty() && matches!(plan.kind, StageKind::Host(_)) {
        names.push(InputName::Standard);
    }
    let mut taken = false;
    let inputs: Vec<InputRecord> = names
        .into_iter()
        .map(|name| match &name {
            InputName::File(path) => {
                use std::os::unix::ffi::OsStrExt;
                let path = Path::new(std::ffi::OsStr::from_bytes(path)).to_owned();
                from_file(&path, name)
            }
            // Standard input is read once; opened again it is at its end.
            InputName::Standard if taken => empty_standard(),
            InputName::Standard => {
                taken = true;
                match &redirected {
                    Some(path) => from_file(path, InputName::Standard),
                    None => standard.clone().unwrap_or_else(empty_standard),
                }
            }
        })
        .collect();
    let cut = *build.cut.lock();
    let ending = match cut {
        Some(limit) => Ending::Cut(limit),
        None if outcome.cancelled && over.is_some() => {
            Ending::Cut(over.map_or(Limit::Lines(0), |over| Limit::of(over, &task.limits)))
        }
        None if outcome.panicked => Ending::Failed,
        None if outcome.closed => Ending::ClosedPipe,
        None => Ending::Finished,
    };
    let pending = task.files.pending.lock();
    let by_redirection = plan.written().map(|(path, ..)| path);
    let pending: Vec<PendingFile> = by_redirection
        .chain(outcome.written.iter().map(PathBuf::as_path))
        .filter_map(|path| pending.iter().rev().find(|file| file.path == path).cloned())
        .collect();
    for file in &pending {
        file.kept.end();
    }
    let files = inputs
        .iter()
        .filter_map(|input| {
            use std::os::unix::ffi::OsStrExt;
            let identity = input.sampled.as_ref().and_then(|sampled| sampled.identity)?;
            let path = match (&input.name, &redirected) {
                (InputName::File(name), _) => {
                    Path::new(std::ffi::OsStr::from_bytes(name)).to_owned()
                }
                (InputName::Standard, Some(path)) => path.clone(),
                (InputName::Standard, None) => return None,
            };
            Some((path, Some(identity)))
        })
        .chain(missing(&plan))
        .collect();
    let verb = filter.as_ref().map(|filter| {
        let declared = filter.verb();
        if !filter.verb_varies() {
            return declared;
        }
        let origins = build.origins.lock();
        verb_of(declared, &inputs, &build.kept, &origins)
    });
    let verb = match &plan.kind {
        StageKind::Shell(_) => {
            let origins = build.origins.lock();
            let known = origins.lines() == build.kept.lines();
            known.then(|| verb_of(Verb::Passes, &inputs, &build.kept, &origins))
        }
        _ => verb,
    };
    let inside = build.inside.into_list();
    let messages = build.messages.0.lock();
    StageResult {
        span: plan.span,
        name: plan.name(),
        inputs,
        out: build.kept,
        origins: build.origins,
        figures,
        status: outcome.status,
        messages: String::from_utf8_lossy(&messages).into_owned(),
        ending,
        verb,
        explanation: OnceLock::new(),
        holds: filter.as_ref().and_then(|filter| filter.holds()),
        filter,
        pending,
        held: build.held.into_inner(),
        inside,
        made: Instant::now(),
        reused: false,
        follows: false,
        is_held: outcome.unstarted == Some(stream::CommandEnd::HeldBack),
        key,
        files,
        plan,
    }
}

fn empty_standard() -> InputRecord {
    InputRecord { name: InputName::Standard, kept: Arc::new(Kept::of(b"")), sampled: None }
}

/// Arguments that name no file now: when one appears, the stage must run again.
fn missing(plan: &StagePlan) -> impl Iterator<Item = (PathBuf, Option<Identity>)> + '_ {
    plan.arguments.iter().filter_map(|argument| {
        use std::os::unix::ffi::OsStrExt;
        let plain = !argument.is_empty() && !argument.starts_with(b"-") && argument.len() < 4096;
        let path = PathBuf::from(std::ffi::OsStr::from_bytes(argument));
        (plain && !argument.contains(&b'\n') && Identity::now(&path).is_err())
            .then_some((path, None))
    })
}
