//! Commands that were held back, started for real.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};

use stream::{CommandEnd, CommandRequest, Commands, RunControl};

use crate::base::threads::start_within;
use crate::exec::command::CommandStarter;
use crate::files::real::RealFiles;
use crate::kept::sinks::Messages;
use crate::policy::{HeldCommand, Policy};

/// How a command that was started ended, or why it was not.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StartResult {
    /// By itself, with this status, after saying this (at most 64 KiB).
    Exited(u8, String),
    /// By this signal, after saying this.
    Signalled(u8, String),
    /// There is no such command.
    NotFound,
    /// It could not be started.
    NotStarted(String),
    /// It runs now.
    Running,
}

impl StartResult {
    /// True when it ended with 0.
    pub fn succeeded(&self) -> bool {
        matches!(self, Self::Exited(0, _))
    }
}

/// What is done when a command fails.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnFailure {
    /// The others are not started.
    Stop,
    /// The next one is started.
    GoOn,
    /// The same, with as many at the same time as there are processors, in no order.
    Together,
}

/// Commands that are run at the same time, at most.
const TOGETHER_MAX: usize = 8;

/// Starts commands one after the other, or several together; `told` hears of each when it begins and when it
/// ends. They read nothing; what they write to both outputs is kept for telling. Where no thread can be had
/// for others, all are run by this one.
pub(crate) fn start_held(
    commands: &[(usize, HeldCommand)],
    on_failure: OnFailure,
    control: &RunControl,
    told: impl Fn(usize, StartResult) + Sync,
) {
    // What was shown is what is there when the first one begins; what it does to the others is theirs.
    let changed: Vec<bool> =
        commands.iter().map(|(_, command)| !command.names_the_same_files()).collect();
    let next = AtomicUsize::new(0);
    let work = || {
        while !control.is_cancelled() {
            let at = next.fetch_add(1, Relaxed);
            let Some((number, command)) = commands.get(at) else { return };
            told(*number, StartResult::Running);
            let start_result = if changed[at] {
                let why = "not run: a file that it names has changed since it was shown";
                StartResult::NotStarted(why.to_owned())
            } else {
                run(command, control)
            };
            let stops = on_failure == OnFailure::Stop && !start_result.succeeded();
            told(*number, start_result);
            if stops {
                return;
            }
        }
    };
    let helpers = match on_failure {
        OnFailure::Stop | OnFailure::GoOn => 0,
        OnFailure::Together => {
            let processors = std::thread::available_parallelism().map_or(1, usize::from);
            processors.clamp(1, TOGETHER_MAX).min(commands.len().max(1)) - 1
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..helpers {
            if start_within(scope, "acting", work).is_err() {
                break;
            }
        }
        work();
    });
}

fn run(command: &HeldCommand, control: &RunControl) -> StartResult {
    let said: Arc<Messages> = Arc::default();
    let job = CommandRequest {
        words: &command.words,
        input: None,
        out: said.clone(),
        error: said.clone(),
        environment: command.environment(),
        directory: command.directory.clone().map(Into::into),
        control,
    };
    let policy = Policy::Shown(Arc::new(command.clone()));
    let end = CommandStarter::beside(Arc::new(RealFiles), policy).run(job);
    tracing::info!(
        program = %String::from_utf8_lossy(command.words.first().map_or(b"", |name| name)),
        ?end,
        "command ended"
    );
    let text = match end {
        CommandEnd::HeldBack => "not run: its file has changed since it was shown".to_owned(),
        _ => said.text(),
    };
    match end {
        CommandEnd::Exited(status) => StartResult::Exited(status, text),
        CommandEnd::Signalled(signal) => StartResult::Signalled(signal, text),
        CommandEnd::NotFound => StartResult::NotFound,
        CommandEnd::NotStarted | CommandEnd::HeldBack => StartResult::NotStarted(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_failure_stops_the_others_only_where_that_was_asked_for() {
        let command = |line: &[&str]| {
            let words: Vec<Vec<u8>> = line.iter().map(|word| word.as_bytes().to_vec()).collect();
            HeldCommand::of_words(&words).unwrap()
        };
        let folder = tempfile::tempdir().unwrap();
        let made = folder.path().join("made").display().to_string();
        for (first, on_failure, reached) in [
            ("/none/at/all", OnFailure::Stop, false),
            ("/none/at/all", OnFailure::GoOn, true),
            (&made[..], OnFailure::Stop, true),
            (&made[..], OnFailure::GoOn, true),
        ] {
            let all = [(4, command(&["touch", first])), (7, command(&["touch", &made]))];
            let told = parking_lot::Mutex::new(Vec::new());
            start_held(&all, on_failure, &RunControl::default(), |number, result| {
                told.lock().push((number, result.succeeded()));
            });
            let mut expected = vec![(4, false), (4, first == made)];
            if reached {
                expected.extend([(7, false), (7, true)]);
            }
            assert_eq!(*told.lock(), expected, "{first} {on_failure:?}");
        }
        // A file that is named was changed since; what the list itself does to it is as shown.
        let tool = folder.path().join("tool.sh");
        std::fs::write(&tool, "exit 3\n").unwrap();
        let line = ["sh", tool.to_str().unwrap()];
        let (removes, runs) = (command(&["rm", line[1]]), command(&line));
        let results = |all: &[(usize, HeldCommand)]| {
            let told = parking_lot::Mutex::new(Vec::new());
            start_held(all, OnFailure::GoOn, &RunControl::default(), |_, result| {
                told.lock().push(result);
            });
            told.into_inner()
        };
        let all = [(0, runs.clone()), (1, removes), (2, runs.clone())];
        let ended = results(&all);
        assert!(
            matches!(
                &ended[..],
                [
                    _,
                    StartResult::Exited(3, _),
                    _,
                    StartResult::Exited(0, _),
                    _,
                    StartResult::Exited(..)
                ]
            ),
            "{ended:?}"
        );
        std::fs::write(&tool, "exit 4\n").unwrap();
        assert!(matches!(&results(&[(0, runs)])[1], StartResult::NotStarted(_)));
        // Several together: each once.
        let folder = tempfile::tempdir().unwrap();
        let names: Vec<String> =
            (0..40).map(|at| folder.path().join(at.to_string()).display().to_string()).collect();
        let all: Vec<(usize, HeldCommand)> =
            names.iter().enumerate().map(|(at, name)| (at, command(&["touch", name]))).collect();
        let told = parking_lot::Mutex::new(Vec::new());
        start_held(&all, OnFailure::Together, &RunControl::default(), |number, result| {
            if result != StartResult::Running {
                told.lock().push((number, result.succeeded()));
            }
        });
        let mut told = told.into_inner();
        told.sort_unstable();
        assert!(told.iter().copied().eq((0..40).map(|at| (at, true))));
        assert!(names.iter().all(|name| std::path::Path::new(name).exists()));
        let control = RunControl::default();
        control.cancel();
        start_held(&[(0, command(&["touch", &made]))], OnFailure::GoOn, &control, |_, _| {
            panic!("it was stopped before it began");
        });
    }
}
