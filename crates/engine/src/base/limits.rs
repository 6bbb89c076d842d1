//! What a run may take of the machine: time, memory.

use parking_lot::{Condvar, Mutex};
use procfs::process::Process;
use procfs::{Current, Meminfo};
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use std::time::{Duration, Instant};

use stream::{Excess, RunControl, held_by_all};

use super::threads::start_within;

/// How often it is looked at how much memory there is.
const LOOK: Duration = Duration::from_millis(10);

/// Longer than this is not waited at once.
const LONG: Duration = Duration::from_mins(1);

/// Memory that the machine must have left.
const LEFT: u64 = 64 << 20;

/// A value may have one part in this many of the memory there is for all.
const VALUE_PART: u64 = 8;

/// The most that a preview may take without being told otherwise.
const BUDGET_MAX: u64 = 2 << 30;

/// A quarter of the machine's memory, at most 2 GiB.
pub fn default_budget() -> u64 {
    (machine_bytes() / 4).clamp(64 << 20, BUDGET_MAX)
}

fn machine_bytes() -> u64 {
    let facts = rustix::system::sysinfo();
    facts.totalram as u64 * u64::from(facts.mem_unit.max(1))
}

/// Pages that this process has: all that it may touch, and those in memory.
fn pages() -> Option<(u64, u64)> {
    let pages = Process::myself().and_then(|own| own.statm()).ok()?;
    let size = procfs::page_size();
    Some((pages.size * size, pages.resident * size))
}

/// Bytes of memory this process has now.
fn resident_bytes() -> u64 {
    pages().map_or(0, |(_, resident)| resident)
}

/// Bytes that are to be had: of the machine and of the group of processes this one is in (proc(5),
/// cgroups(7)). The system ends a process that takes more.
fn available_bytes() -> u64 {
    let machine = Meminfo::current().ok().and_then(|facts| facts.mem_available);
    let mut available = machine.unwrap_or(u64::MAX);
    let groups = Process::myself().and_then(|own| own.cgroups()).into_iter().flatten();
    // The one of version 2 has no number.
    for group in groups.filter(|group| group.hierarchy == 0).map(|group| group.pathname) {
        let number = |name: &str| -> Option<u64> {
            let path = format!("/sys/fs/cgroup{group}/{name}");
            std::fs::read_to_string(path).ok()?.trim().parse().ok()
        };
        if let (Some(most), Some(now)) = (number("memory.max"), number("memory.current")) {
            available = available.min(most.saturating_sub(now));
        }
    }
    available
}

/// Bytes that this process may still ask for by its own limit (getrlimit(2)): beyond that it is
/// refused, and there is no way on.
fn askable_bytes() -> u64 {
    let limit = rustix::process::getrlimit(rustix::process::Resource::As).current;
    match (limit, pages()) {
        (Some(limit), Some((size, _))) => limit.saturating_sub(size),
        _ => u64::MAX,
    }
}

/// True when a command that grows may find no more at its next step. What grows mostly doubles a
/// part of what it has.
fn is_scarce() -> bool {
    let resident = resident_bytes();
    // What others take is not ours to answer for.
    resident > LEFT
        && (available_bytes() < LEFT.max(resident / 16) || askable_bytes() < LEFT.max(resident))
}

/// How much a preview may do.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Lines of any one stream.
    pub lines: u64,
    /// Bytes of any one stream.
    pub bytes: u64,
    /// Elapsed time of the whole.
    pub time: Duration,
    /// Elapsed time of everything where that is tried after the first lines ([`Sample::Quick`]).
    ///
    /// [`Sample::Quick`]: crate::Sample::Quick
    pub quick: Duration,
    /// Bytes of memory that the whole may take.
    pub memory_bytes: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            lines: 1_000_000,
            bytes: 256 << 20,
            time: Duration::from_secs(10),
            quick: Duration::from_millis(300),
            memory_bytes: default_budget(),
        }
    }
}

impl Limits {
    /// For a sample that is meant to be everything.
    pub fn generous() -> Self {
        Self { lines: 20_000_000, bytes: 4 << 30, time: Duration::from_mins(2), ..Self::default() }
    }
}

/// The limit that cut something off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Limit {
    /// This many lines.
    Lines(u64),
    /// This many bytes.
    Bytes(u64),
    /// So much time.
    Time(Duration),
    /// So much memory that the run holds.
    Memory(u64),
    /// So much that the whole process has grown.
    Process(u64),
    /// This many commands at the same time.
    Commands(usize),
    /// As many threads as the machine starts.
    Threads,
}

impl Limit {
    /// The limit that ended a run.
    pub(crate) fn of(over: Over, limits: &Limits) -> Self {
        match over {
            Over::Time => Self::Time(limits.time),
            Over::Excess(Excess::Memory(bytes)) => Self::Memory(bytes),
            Over::Excess(Excess::Process(bytes)) => Self::Process(bytes),
            Over::Excess(Excess::NoMemory) => Self::Memory(limits.memory_bytes),
            Over::Excess(Excess::NoThread) => Self::Threads,
            Over::Excess(Excess::HeldBack(bytes)) => Self::Bytes(bytes),
            Over::Excess(Excess::Commands(count)) => Self::Commands(count),
        }
    }
}

/// Why a run was ended early.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Over {
    /// Its time was over.
    Time,
    /// It would have taken too much of the machine.
    Excess(Excess),
}

/// Full runs in progress. They may take all that the machine has, so the size of the process says nothing
/// about others then.
static FULL_RUNS: AtomicUsize = AtomicUsize::new(0);

/// A full run, until this is dropped.
struct FullRunCounted;

impl FullRunCounted {
    fn begin() -> Self {
        FULL_RUNS.fetch_add(1, Relaxed);
        Self
    }
}

impl Drop for FullRunCounted {
    fn drop(&mut self) {
        FULL_RUNS.fetch_sub(1, Relaxed);
    }
}

/// How much memory a run may take, and what the process had when it began.
struct MemoryLimit {
    bytes: u64,
    resident_before: u64,
    held_before: u64,
    /// A full run has been there in the meantime: what the process has is not this run's.
    beside_full: bool,
}

impl MemoryLimit {
    fn new(bytes: u64, control: &RunControl) -> Self {
        Self {
            bytes,
            resident_before: resident_bytes(),
            held_before: control.held_bytes(),
            beside_full: FULL_RUNS.load(Relaxed) > 0,
        }
    }

    /// What is too much: what the run says it holds; else, as the last brake, how the process has
    /// grown.
    fn exceeded(&mut self, control: &RunControl) -> Option<Excess> {
        if control.held_bytes().saturating_sub(self.held_before) > self.bytes {
            return Some(Excess::Memory(self.bytes));
        }
        self.beside_full |= FULL_RUNS.load(Relaxed) > 0;
        let grown = resident_bytes().saturating_sub(self.resident_before);
        if !self.beside_full {
            return (grown > self.bytes).then_some(Excess::Process(self.bytes));
        }
        // What the others say they hold is theirs, and what grows takes up to twice of that.
        let others = held_by_all().saturating_sub(control.held_bytes());
        if grown > self.bytes.saturating_add(others.saturating_mul(2)) {
            return Some(Excess::Process(self.bytes));
        }
        is_scarce().then_some(Excess::NoMemory)
    }
}

/// Runs something that is cancelled after `time`, or when it holds more than `memory` bytes, or this process
/// has grown by as many while nothing else may take more; tells whether it was.
pub(crate) fn with_limits<T>(
    control: &RunControl,
    time: Duration,
    memory: Option<u64>,
    run: impl FnOnce() -> T,
) -> (T, Option<Over>) {
    let finished = (Mutex::new(false), Condvar::new());
    let over = Mutex::new(None);
    // What no clock of this machine reaches is no limit.
    let deadline = Instant::now().checked_add(time);
    let mut limit = memory.map(|memory| MemoryLimit::new(memory, control));
    if let Some(memory) = memory {
        control.limit_values(memory / VALUE_PART);
    }
    let watch = || {
        let mut done = finished.0.lock();
        while !*done {
            let left = deadline.map_or(LONG, |deadline| {
                deadline.saturating_duration_since(Instant::now()).min(LONG)
            });
            let wait = if limit.is_some() { left.min(LOOK) } else { left };
            finished.1.wait_for(&mut done, wait);
            if *done || control.was_cancelled() {
                break;
            }
            if let Some(excess) = limit.as_mut().and_then(|limit| limit.exceeded(control)) {
                control.exceed(excess);
                break;
            }
            if deadline.is_some_and(|deadline| Instant::now() >= deadline) {
                *over.lock() = Some(Over::Time);
                control.cancel();
                break;
            }
        }
    };
    let result = watched(control, &finished, watch, run);
    let over = over.into_inner();
    (result, control.excess().map(Over::Excess).or(over))
}

/// Runs something for real: it is ended with a reason when the machine has no more memory, before
/// the system ends the whole process without one.
pub(crate) fn with_memory_of_machine<T>(control: &RunControl, run: impl FnOnce() -> T) -> T {
    let _full = FullRunCounted::begin();
    let finished = (Mutex::new(false), Condvar::new());
    let available = available_bytes().min(askable_bytes());
    control.limit_values((available / VALUE_PART).max(1 << 20));
    let watch = || {
        let mut done = finished.0.lock();
        while !*done && !control.was_cancelled() {
            finished.1.wait_for(&mut done, LOOK);
            if !*done && is_scarce() {
                tracing::warn!("the machine has no more memory");
                control.exceed(Excess::NoMemory);
            }
        }
    };
    watched(control, &finished, watch, run)
}

/// Says that what is watched has ended, whichever way that was: whoever watches ends then.
struct Finishes<'f>(&'f (Mutex<bool>, Condvar));

impl Drop for Finishes<'_> {
    fn drop(&mut self) {
        *self.0.0.lock() = true;
        self.0.1.notify_all();
    }
}

/// Does `run` while `watch` looks on, until `finished`. Where nobody can look on the run is ended before it
/// begins: what has no limits is not let loose on a machine that has nothing left.
fn watched<T>(
    control: &RunControl,
    finished: &(Mutex<bool>, Condvar),
    watch: impl FnOnce() + Send,
    run: impl FnOnce() -> T,
) -> T {
    std::thread::scope(|scope| {
        // Also after a panic, for which the scope would wait otherwise.
        let _finishes = Finishes(finished);
        if start_within(scope, "limits", watch).is_err() {
            control.exceed(Excess::NoThread);
        }
        run()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn time_and_memory_end_what_would_not_end() {
        let forever = |control: &RunControl| {
            while !control.is_cancelled() {
                std::thread::yield_now();
            }
        };
        let control = RunControl::default();
        let ((), over) =
            with_limits(&control, Duration::from_millis(50), None, || forever(&control));
        assert_eq!(over, Some(Over::Time));
        let control = RunControl::default();
        let ((), over) = with_limits(&control, Duration::from_mins(1), Some(32 << 20), || {
            let mut all = Vec::new();
            while !control.is_cancelled() {
                all.push(vec![1_u8; 1 << 20]);
            }
        });
        // Nobody said that it holds them.
        assert_eq!(over, Some(Over::Excess(Excess::Process(32 << 20))));
        let control = RunControl::default();
        let holding = control.holding();
        let ((), over) = with_limits(&control, Duration::from_mins(1), Some(32 << 20), || {
            holding.set(33 << 20);
            forever(&control);
        });
        assert_eq!(over, Some(Over::Excess(Excess::Memory(32 << 20))));
        // What a full run beside it holds is not its own.
        let (full, control) = (FullRunCounted::begin(), RunControl::default());
        let others = RunControl::default().holding();
        others.set(96 << 20);
        let (taken, over) = with_limits(&control, Duration::from_mins(1), Some(32 << 20), || {
            let all = vec![1_u8; 96 << 20];
            std::thread::sleep(LOOK * 5);
            all.iter().map(|&byte| u64::from(byte)).sum::<u64>()
        });
        assert_eq!((taken, over), (96 << 20, None));
        drop(full);
        let control = RunControl::default();
        assert_eq!(with_limits(&control, Duration::from_mins(1), Some(1 << 30), || 7), (7, None));
        assert!(available_bytes() > LEFT && default_budget() >= 64 << 20);
    }
}
