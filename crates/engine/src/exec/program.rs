//! Programs of this machine as stages.

use parking_lot::{Condvar, Mutex, RwLock};
use std::fs::File;
use std::io::{self, Read};
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::process::ExitStatusExt;
use std::process::Stdio;
use std::sync::Arc;
use std::time::{Duration, Instant};

use process_wrap::std::{ChildWrapper, CommandWrap, ProcessSession};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::process::{
    Pid, Signal, WaitId, WaitIdOptions, kill_process, kill_process_group, waitid,
};
use stream::{
    Block, CommandEnd, ExitStatus, ReadError, RunControl, Sink, StageMeter, WriteError, describe,
};

use crate::base::clock::{now_ns, run_ns};
use crate::base::sinks::say;
use crate::base::threads::{start_part, start_part_within};
use crate::files::block_source::read_block;
use crate::flow::descriptors::{End, Port, Ports, SharedInput};
use crate::flow::metered::MeteredSink;
use crate::plan::outcome::StageOutcome;
use crate::policy::{Group, Launch};

/// How long a program that was asked to end may take.
const GRACE: Duration = Duration::from_millis(500);

/// False once this process is ended from outside: what is started from then on nobody would end.
static MAY_START: RwLock<bool> = RwLock::new(true);

/// Starts no program of this machine any more. Waits for a start that is under way, so that whoever looks for
/// the children of this process after that finds all there will be.
pub fn start_no_more() {
    *MAY_START.write() = false;
}

/// A copy of a descriptor of this process, for a program to have.
fn own(descriptor: u8) -> io::Result<Stdio> {
    let copy = match descriptor {
        0 => rustix::stdio::stdin().try_clone_to_owned(),
        1 => rustix::stdio::stdout().try_clone_to_owned(),
        _ => rustix::stdio::stderr().try_clone_to_owned(),
    };
    Ok(Stdio::from(copy?))
}

/// Where a program writes.
fn out_port(port: Option<&Port>) -> io::Result<(Stdio, Option<Arc<dyn Sink>>)> {
    match port {
        Some(Port { own: Some(number), .. }) => Ok((own(*number)?, None)),
        Some(Port { end: End::Out(sink), .. }) => Ok((Stdio::piped(), Some(sink.clone()))),
        // Closed, or open for reading only: writing fails there as it must.
        _ => Ok((Stdio::from(File::open("/dev/null")?), None)),
    }
}

/// Starts a program and runs it to its end, moving blocks between it and its neighbours.
pub(crate) fn run_host(
    launch: &Launch,
    ports: Ports,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    meter.begin(run_ns(control));
    let outcome = match started(launch, &ports) {
        Ok((child, feed, out, error)) => {
            let metered = out.map(|inner| -> Arc<dyn Sink> {
                Arc::new(MeteredSink::of_program(inner, meter, control))
            });
            drop(ports);
            attend(child, feed, metered, error, launch.group, meter, control)
        }
        Err(error) => {
            say(&*ports.sink(2), &format!("{}: {}", launch.name(), describe(&error)));
            let status = ExitStatus::NOT_STARTED;
            StageOutcome { unstarted: Some(CommandEnd::NotStarted), ..StageOutcome::of(status) }
        }
    };
    meter.end(run_ns(control));
    outcome
}

type Launched = (Box<dyn ChildWrapper>, Fed, Option<Arc<dyn Sink>>, Option<Arc<dyn Sink>>);

/// Where the input of a program comes from, and both ends of its pipe.
type Fed = Option<(Arc<SharedInput>, OwnedFd, OwnedFd)>;

fn started(launch: &Launch, ports: &Ports) -> io::Result<Launched> {
    let mut command = launch.command();
    let mut fed = None;
    match ports.get(0) {
        Some(Port { own: Some(_), .. }) if launch.group.is_own() => {
            command.stdin(Stdio::null());
        }
        Some(Port { own: Some(number), end: End::In(input) }) if !input.has_left() => {
            command.stdin(own(*number)?);
        }
        Some(Port { end: End::In(input), .. }) => {
            let (reading, writing) = rustix::pipe::pipe_with(rustix::pipe::PipeFlags::CLOEXEC)?;
            command.stdin(Stdio::from(reading.try_clone()?));
            fed = Some((input.clone(), reading, writing));
        }
        _ => {
            command.stdin(Stdio::null());
        }
    }
    let (stdout, out) = out_port(ports.get(1))?;
    let (stderr, error) = out_port(ports.get(2))?;
    command.stdout(stdout).stderr(stderr);
    let may_start = MAY_START.read();
    if !*may_start {
        return Err(io::Error::other("not started: this process is being ended"));
    }
    let _starting = lease::starting();
    let child = if launch.group.is_own() {
        // A session of its own has no terminal.
        let wrapped = CommandWrap::from(command).wrap(ProcessSession).spawn()?;
        // The program itself is waited for, not all that it has started.
        wrapped.into_inner()
    } else {
        Box::new(command.spawn()?)
    };
    Ok((child, fed, out, error))
}

/// Asks a program to end, and ends it where it does not.
struct Ender {
    child: Box<dyn ChildWrapper>,
    group: Group,
    asked: Option<Instant>,
    /// It has ended and was waited for.
    waited: bool,
}

impl Drop for Ender {
    /// Whatever becomes of this thread, nothing is left running that nobody looks after.
    fn drop(&mut self) {
        if !self.waited {
            self.signal(Signal::KILL);
            // There is nobody to be told.
            let _ = self.child.wait();
        }
    }
}

impl Ender {
    fn signal(&self, signal: Signal) {
        let Some(id) = Pid::from_raw(self.child.id() as i32) else { return };
        // It may have ended by itself in between.
        let own = self.group.is_own();
        let _ = if own { kill_process_group(id, signal) } else { kill_process(id, signal) };
    }

    /// Asks first; later on, makes it end.
    fn end(&mut self) {
        match self.asked {
            None => {
                self.signal(Signal::TERM);
                self.asked = Some(Instant::now());
            }
            Some(since) if since.elapsed() >= GRACE => self.signal(Signal::KILL),
            Some(_) => {}
        }
    }
}

fn attend(
    mut child: Box<dyn ChildWrapper>,
    fed: Fed,
    out: Option<Arc<dyn Sink>>,
    error: Option<Arc<dyn Sink>>,
    group: Group,
    meter: &Arc<StageMeter>,
    control: &RunControl,
) -> StageOutcome {
    let (output, errors) = (child.stdout().take(), child.stderr().take());
    let mut outcome = StageOutcome::of(ExitStatus::SUCCESS);
    std::thread::scope(|scope| {
        let mut ender = Ender { child, group, asked: None, waited: false };
        let feeding = fed.map(|(input, reading, writing)| {
            Feeding::start(input, reading, writing, meter, control)
        });
        let telling = errors.zip(error).map(|(errors, error)| {
            start_part_within(scope, "errors", control, move || forward(&errors, &*error, control))
        });
        let moving = output.zip(out).map(|(output, out)| {
            start_part_within(scope, "output", control, move || forward(&output, &*out, control))
        });
        let (Ok(feeding), Ok(_), Ok(moving)) =
            (feeding.transpose(), telling.transpose(), moving.transpose())
        else {
            // It would write to nobody, or take the end of its input for all there is. It is ended
            // with the run.
            outcome = StageOutcome { cancelled: true, ..StageOutcome::of(ExitStatus::NOT_STARTED) };
            return;
        };
        let mut wait = Duration::from_micros(50);
        let mut usage = Usage::of(ender.child.id(), meter);
        while !usage.has_ended() {
            if control.is_paused() {
                ender.signal(Signal::STOP);
                control.is_cancelled();
                ender.signal(Signal::CONT);
            }
            if control.is_cancelled() {
                outcome.cancelled = true;
                ender.end();
            }
            usage.look_now_and_then();
            std::thread::sleep(wait);
            wait = (wait * 2).min(Duration::from_millis(2));
        }
        // Its figures can be read until it is waited for; its number belongs to its group till then.
        usage.look();
        let own = group.is_own();
        if own && ender.asked.is_some() {
            // What it started may still hold its descriptors.
            ender.signal(Signal::KILL);
        }
        outcome.read_error = feeding.and_then(Feeding::end);
        let moved = moving.map(|moving| {
            // What it started may write on; that ends with the run.
            while !moving.is_finished() {
                if control.is_cancelled() {
                    outcome.cancelled = true;
                    if own {
                        ender.signal(Signal::KILL);
                    }
                    break;
                }
                std::thread::sleep(wait);
            }
            moving.join()
        });
        if group == Group::Ended || own && control.was_cancelled() {
            ender.signal(Signal::KILL);
        }
        let status = ender.child.wait();
        ender.waited = true;
        outcome.signal =
            status.as_ref().ok().and_then(ExitStatusExt::signal).map(|signal| signal as u8);
        let code = status
            .ok()
            .map(|status| status.code().unwrap_or_else(|| 128 + status.signal().unwrap_or(0)));
        outcome.status = ExitStatus(code.unwrap_or(1) as u8);
        // A reader that has gone because the run was cancelled did not have enough.
        let gone = outcome.status == ExitStatus::CLOSED_PIPE;
        outcome.closed = gone && !control.was_cancelled();
        outcome.cancelled |= gone && control.was_cancelled();
        if outcome.read_error.is_some() && outcome.status == ExitStatus::SUCCESS {
            outcome.status = ExitStatus(1);
        }
        match moved {
            Some(Ok(Err(WriteError::Closed))) => outcome.closed = true,
            Some(Ok(Err(WriteError::Cancelled))) => outcome.cancelled = true,
            Some(Ok(Err(WriteError::Io(error)))) => {
                // It has not noticed, or only as a reader that has gone.
                outcome.closed = false;
                outcome.write_error = Some(describe(&error));
                outcome.status = ExitStatus(1);
            }
            _ => {}
        }
    });
    outcome
}

/// How long a reader waits before it looks again whether the run continues.
const LOOK_AGAIN: Timespec = Timespec { tv_sec: 0, tv_nsec: 20_000_000 };

/// Hands on what a program writes, until its last writer has gone or the run is cancelled.
fn forward(from: &impl AsFd, to: &dyn Sink, control: &RunControl) -> Result<(), WriteError> {
    loop {
        if poll(&mut [PollFd::new(from, PollFlags::IN)], Some(&LOOK_AGAIN)) == Ok(0) {
            if control.was_cancelled() {
                return Err(WriteError::Cancelled);
            }
            continue;
        }
        match read_block(from)? {
            Some(block) => to.write(block)?,
            None => return Ok(()),
        }
    }
}

/// How often the system is asked what a program uses.
const LOOK_NS: u64 = 50_000_000;

/// What a program uses of the machine, by the system's own account (proc(5)): its processor time
/// with that of the children it has waited for, the memory it has, and how long it waited.
struct Usage<'m> {
    process: Option<Pid>,
    meter: &'m StageMeter,
    looked_ns: u64,
}

impl<'m> Usage<'m> {
    fn of(process: u32, meter: &'m StageMeter) -> Self {
        Self { process: Pid::from_raw(process as i32), meter, looked_ns: now_ns() }
    }

    /// True when the program has ended and nobody has waited for it.
    fn has_ended(&self) -> bool {
        let Some(process) = self.process else { return true };
        let options = WaitIdOptions::EXITED | WaitIdOptions::NOWAIT | WaitIdOptions::NOHANG;
        // An error means that there is nothing to wait for.
        !matches!(waitid(WaitId::Pid(process), options), Ok(None))
    }

    fn look_now_and_then(&mut self) {
        if now_ns().saturating_sub(self.looked_ns) >= LOOK_NS {
            self.look();
        }
    }

    fn look(&mut self) {
        let now = now_ns();
        let since_ns = now.saturating_sub(std::mem::replace(&mut self.looked_ns, now));
        let Some(process) = self.process else { return };
        let process = procfs::process::Process::new(process.as_raw_nonzero().get());
        let Ok(stat) = process.and_then(|process| process.stat()) else { return };
        // Of its own and of its children that have ended.
        let ended = u64::try_from(stat.cutime + stat.cstime).unwrap_or(0);
        let tick_ns = 1_000_000_000 / procfs::ticks_per_second().max(1);
        self.meter.set_processor((stat.utime + stat.stime + ended) * tick_ns);
        if matches!(stat.state, 'S' | 'D') {
            self.meter.add_reading(since_ns);
        }
        self.meter.set_held(stat.rss * procfs::page_size());
    }
}

/// Gives a program its input on a thread of its own. Where others read the same input, what the
/// program did not read of its pipe is left for them, as if it had never been taken.
struct Feeding {
    input: Arc<SharedInput>,
    /// The other end of the pipe, where others read the input too.
    reading: Option<OwnedFd>,
    state: Arc<(Mutex<FeedState>, Condvar)>,
}

#[derive(Default)]
struct FeedState {
    /// The program has ended.
    over: bool,
    /// A block was taken and is being written.
    busy: bool,
    /// Why there is no more of the input.
    failed: Option<String>,
}

impl Feeding {
    fn start(
        input: Arc<SharedInput>,
        reading: OwnedFd,
        writing: OwnedFd,
        meter: &Arc<StageMeter>,
        control: &RunControl,
    ) -> io::Result<Self> {
        let shared = Arc::strong_count(&input) > 1;
        // Without this end a program that closes its input is noticed at once.
        let reading = shared.then_some(reading);
        // A write never waits, so that the end of the program is noticed.
        let _ = rustix::io::ioctl_fionbio(&writing, true);
        let state = Arc::new((Mutex::new(FeedState::default()), Condvar::new()));
        let (source, meter, shared_state) = (input.clone(), meter.clone(), state.clone());
        let control = control.clone();
        // The thread may wait for more input longer than the program runs; nobody waits for it.
        let run = control.clone();
        start_part("feed", &run, move || {
            feed(&source, &writing, &meter, &shared_state, &control);
        })?;
        Ok(Self { input, reading, state })
    }

    /// The program has ended: takes back what it has not read. Says why it did not get all.
    fn end(self) -> Option<String> {
        let (state, changed) = &*self.state;
        let mut state = state.lock();
        state.over = true;
        while state.busy {
            changed.wait(&mut state);
        }
        let failed = state.failed.take();
        drop(state);
        let Some(reading) = self.reading else { return failed };
        let _ = rustix::io::ioctl_fionbio(&reading, true);
        let mut left = Vec::new();
        // Ends with what is there: the other end may be open still.
        let _ = File::from(reading).read_to_end(&mut left);
        self.input.give_back(left);
        failed
    }
}

fn feed(
    input: &Arc<SharedInput>,
    writing: &OwnedFd,
    meter: &Arc<StageMeter>,
    state: &(Mutex<FeedState>, Condvar),
    control: &RunControl,
) {
    let lock = || state.0.lock();
    loop {
        let taken = input.next_if(|_| {
            let mut state = lock();
            state.busy = !state.over;
            state.busy
        });
        let block = match taken {
            Ok(Some(block)) => block,
            Ok(None) | Err(ReadError::Cancelled) => return,
            Err(ReadError::Io(error)) => {
                lock().failed = Some(describe(&error));
                return;
            }
        };
        let bytes = block.bytes().clone();
        let mut at = 0;
        while at < bytes.len() {
            match rustix::io::write(writing, &bytes[at..]) {
                Ok(written) => at += written,
                Err(rustix::io::Errno::INTR) => {}
                Err(rustix::io::Errno::AGAIN) if !lock().over => {
                    // Held while the run is; the end of the program is what ends this.
                    control.is_cancelled();
                    wait_for_room(writing);
                }
                Err(_) => break,
            }
        }
        meter.count_in(&Block::new(bytes.slice(..at)));
        let open = at == bytes.len();
        if !open {
            input.give_back(bytes.slice(at..));
        }
        lock().busy = false;
        state.1.notify_all();
        if !open {
            return;
        }
    }
}

/// Waits until something can be written, but not long.
fn wait_for_room(writing: &OwnedFd) {
    let timeout = Timespec { tv_sec: 0, tv_nsec: 5_000_000 };
    // Whatever came of it, the next write tells.
    let _ = poll(&mut [PollFd::new(writing, PollFlags::OUT)], Some(&timeout));
}
