//! Programs of this machine as stages.

use std::ffi::OsStr;
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use stream::{Block, Cancel, ExitStatus, JobEnd, Sink, Source, StageMeter, WriteError, describe};

use crate::plan::{StageKind, StagePlan};
use crate::stage::{Connections, MeteredSink, StageOutcome};
use crate::world::{read_block, write_block};

/// Which of its descriptors a program simply inherits.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Inherited {
    pub(crate) stdin: bool,
    pub(crate) stdout: bool,
    pub(crate) stderr: bool,
}

fn port(inherited: bool) -> Stdio {
    if inherited { Stdio::inherit() } else { Stdio::piped() }
}

/// Runs a program to its end, moving blocks between it and its neighbours.
pub(crate) fn run_host(
    plan: &StagePlan,
    connections: Connections,
    inherited: Inherited,
    meter: &Arc<StageMeter>,
    cancel: &Cancel,
) -> StageOutcome {
    let StageKind::Host(name) = &plan.kind else { return StageOutcome::of(ExitStatus(0)) };
    let started = Instant::now();
    let Connections { stdin, stdout, stderr, .. } = connections;
    let mut command = Command::new(OsStr::from_bytes(name));
    command
        .args(plan.arguments.iter().map(|argument| OsStr::from_bytes(argument)))
        .envs(plan.assignments.iter().map(|(name, value)| (name, OsStr::from_bytes(value))))
        .stdin(if stdin.is_none() && !inherited.stdin {
            Stdio::null()
        } else {
            port(inherited.stdin)
        })
        .stdout(port(inherited.stdout))
        .stderr(port(inherited.stderr));
    let child = match command.spawn() {
        Ok(child) => child,
        Err(error) => {
            let shown = String::from_utf8_lossy(name);
            let (message, status) = match error.kind() {
                io::ErrorKind::NotFound => (format!("{shown}: command not found\n"), 127),
                _ => (format!("{shown}: {}\n", describe(&error)), 126),
            };
            // A standard error that cannot be written has nobody to be told.
            let _ = stderr.write(Block::new(message.into_bytes()));
            let end = if status == 127 { JobEnd::NotFound } else { JobEnd::NotStarted };
            return StageOutcome { unstarted: Some(end), ..StageOutcome::of(ExitStatus(status)) };
        }
    };
    let out: Arc<dyn Sink> =
        Arc::new(MeteredSink { inner: stdout, meter: meter.clone(), cancel: cancel.clone() });
    let outcome = attend(child, stdin, &out, &stderr, meter, cancel);
    meter.set_elapsed(started.elapsed().as_nanos() as u64);
    outcome
}

fn attend(
    mut child: Child,
    stdin: Option<Box<dyn Source>>,
    out: &Arc<dyn Sink>,
    error: &Arc<dyn Sink>,
    meter: &Arc<StageMeter>,
    cancel: &Cancel,
) -> StageOutcome {
    let (input, output, errors) = (child.stdin.take(), child.stdout.take(), child.stderr.take());
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
    // Cancels the feeding of a program that has ended.
    let over = Cancel::default();
    std::thread::scope(|scope| {
        if let (Some(input), Some(mut source)) = (input, stdin) {
            let over = &over;
            scope.spawn(move || {
                while !over.is_cancelled() {
                    let Ok(Some(block)) = source.next_block() else { break };
                    meter.count_in(&block);
                    if write_block(&input, block.bytes()).is_err() {
                        break;
                    }
                }
            });
        }
        if let Some(errors) = errors {
            scope.spawn(move || {
                while let Ok(Some(block)) = read_block(&errors) {
                    if error.write(block).is_err() {
                        break;
                    }
                }
            });
        }
        let moving = output.map(|output| {
            scope.spawn(move || -> Result<(), WriteError> {
                while let Some(block) = read_block(&output)? {
                    out.write(block)?;
                }
                Ok(())
            })
        });
        let mut wait = Duration::from_micros(50);
        let status = loop {
            match child.try_wait() {
                Ok(Some(status)) => break Ok(status),
                Ok(None) if cancel.is_cancelled() => {
                    // It may have ended by itself in between.
                    let _ = child.kill();
                    outcome.cancelled = true;
                    break child.wait();
                }
                Ok(None) => {
                    std::thread::sleep(wait);
                    wait = (wait * 2).min(Duration::from_millis(2));
                }
                Err(error) => break Err(error),
            }
        };
        over.cancel();
        outcome.signal =
            status.as_ref().ok().and_then(ExitStatusExt::signal).map(|signal| signal as u8);
        let code = status
            .ok()
            .map(|status| status.code().unwrap_or_else(|| 128 + status.signal().unwrap_or(0)));
        outcome.status = ExitStatus(code.unwrap_or(1) as u8);
        outcome.closed = outcome.status == ExitStatus::CLOSED_PIPE;
        if let Some(moving) = moving {
            let closed = matches!(moving.join(), Ok(Err(WriteError::Closed)));
            outcome.closed |= closed;
        }
    });
    outcome
}
