//! One run: whether it is cancelled or paused, and how many commands are at work.

use parking_lot::{Condvar, Mutex, MutexGuard};
use std::sync::atomic::{AtomicU8, AtomicU64, AtomicUsize, Ordering::Relaxed};
use std::sync::{Arc, OnceLock, Weak};

use thiserror::Error;

const RUNS: u8 = 0;
const PAUSED: u8 = 1;
const CANCELLED: u8 = 2;

/// What everything that works on one run looks at: whether to stop, and whether to wait.
///
/// Times are nanoseconds of a clock that whoever pauses and asks has; they must all use the same.
#[derive(Clone, Debug, Default)]
pub struct RunControl(Arc<Shared>);

/// More than a run may have of the machine; it is ended then.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum Excess {
    /// It holds more than this many bytes.
    #[error("more than {} MiB of memory are needed", .0 >> 20)]
    Memory(u64),
    /// The whole process has grown by more than this many bytes, which the run does not account for.
    #[error("the program as a whole has grown by more than {} MiB", .0 >> 20)]
    Process(u64),
    /// The machine has no more memory.
    #[error("the machine has no more memory")]
    NoMemory,
    /// It would write more than this many bytes, which are held back.
    #[error("more than {} MiB would be written", .0 >> 20)]
    HeldBack(u64),
    /// The machine starts no more threads.
    #[error("the machine starts no more threads")]
    NoThread,
    /// It would run more than this many commands at the same time.
    #[error("more than {0} commands at the same time")]
    Commands(usize),
}

/// Commands of one run that may be at work at the same time.
pub const COMMANDS_MAX: usize = 1000;

/// Commands that are at work, until this is dropped.
#[derive(Debug)]
pub struct AtWork(RunControl, usize);

impl Drop for AtWork {
    fn drop(&mut self) {
        self.0.0.commands.fetch_sub(self.1, Relaxed);
    }
}

/// Bytes that are held for all runs of the process.
static ALL_HELD: AtomicU64 = AtomicU64::new(0);

/// Bytes that are held for all runs of the process, as far as their holders say so.
pub fn held_by_all() -> u64 {
    ALL_HELD.load(Relaxed)
}

/// What somebody holds for a run, until this is dropped.
#[derive(Debug)]
pub struct Holding {
    run: RunControl,
    bytes: AtomicU64,
}

impl Holding {
    /// States how many bytes it is now.
    pub fn set(&self, bytes: u64) {
        let before = self.bytes.swap(bytes, Relaxed);
        // Both are a moment apart; the sum is right once nobody changes it.
        self.run.0.held.fetch_add(bytes, Relaxed);
        self.run.0.held.fetch_sub(before, Relaxed);
        ALL_HELD.fetch_add(bytes, Relaxed);
        ALL_HELD.fetch_sub(before, Relaxed);
    }
}

impl Drop for Holding {
    fn drop(&mut self) {
        self.set(0);
    }
}

#[derive(Debug, Default)]
struct Shared {
    flag: AtomicU8,
    excess: OnceLock<Excess>,
    /// Bytes that one value of a command may have; 0 for no limit.
    value_limit: AtomicU64,
    commands: AtomicUsize,
    /// Bytes that those who hold data for this run say they hold.
    held: AtomicU64,
    pauses: Mutex<Pauses>,
    changed: Condvar,
    /// Who waits for something else and must look again when the run is cancelled.
    waiting: Waiting,
}

/// Whoever waits for something of its own in a run.
pub trait Wakes: Send + Sync {
    /// The run was cancelled: whoever waits looks again. Called once, on the thread that cancels, and
    /// must not wait for the run.
    fn wake(&self);
}

#[derive(Default)]
struct Waiting(Mutex<Vec<Weak<dyn Wakes>>>);

impl std::fmt::Debug for Waiting {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(formatter, "{} waiting", self.0.lock().len())
    }
}

#[derive(Debug, Default)]
struct Pauses {
    /// Since when, while paused.
    since_ns: Option<u64>,
    /// All pauses that are over.
    over_ns: u64,
}

impl RunControl {
    fn lock(&self) -> MutexGuard<'_, Pauses> {
        self.0.pauses.lock()
    }

    /// Asks to stop, for good; a pause ends.
    pub fn cancel(&self) {
        let mut pauses = self.lock();
        pauses.since_ns = None;
        self.0.flag.store(CANCELLED, Relaxed);
        drop(pauses);
        self.0.changed.notify_all();
        // Whoever begins to wait from here on sees the flag.
        let waiting = std::mem::take(&mut *self.0.waiting.0.lock());
        for one in waiting.iter().filter_map(Weak::upgrade) {
            one.wake();
        }
    }

    /// Has somebody woken when the run is cancelled; at once where it is already.
    pub fn wakes(&self, one: Weak<dyn Wakes>) {
        let mut waiting = self.0.waiting.0.lock();
        if waiting.len() == waiting.capacity() {
            waiting.retain(|one| one.strong_count() > 0);
        }
        waiting.push(one.clone());
        drop(waiting);
        if self.was_cancelled()
            && let Some(one) = one.upgrade()
        {
            one.wake();
        }
    }

    /// True once somebody asked to stop. Waits first while the run is paused, so that every place
    /// that looks is one where the run can be held.
    #[inline]
    pub fn is_cancelled(&self) -> bool {
        match self.0.flag.load(Relaxed) {
            RUNS => false,
            CANCELLED => true,
            _ => self.wait_while_paused(),
        }
    }

    #[cold]
    fn wait_while_paused(&self) -> bool {
        let mut pauses = self.lock();
        while self.0.flag.load(Relaxed) == PAUSED {
            self.0.changed.wait(&mut pauses);
        }
        drop(pauses);
        self.was_cancelled()
    }

    /// Ends the run because it would take too much of the machine.
    pub fn exceed(&self, excess: Excess) {
        // The first reason is the one that is told.
        let _ = self.0.excess.set(excess);
        self.cancel();
    }

    /// Why the run was ended, where it would have taken too much.
    pub fn excess(&self) -> Option<Excess> {
        self.0.excess.get().copied()
    }

    /// An account for somebody who holds data for this run.
    pub fn holding(&self) -> Holding {
        Holding { run: self.clone(), bytes: AtomicU64::new(0) }
    }

    /// Bytes that are held for this run: kept streams, tables, values, as far as their holders say so.
    pub fn held_bytes(&self) -> u64 {
        self.0.held.load(Relaxed)
    }

    /// Sets how many bytes one value of a command may have: a text, a line, an array's element.
    pub fn limit_values(&self, bytes: u64) {
        self.0.value_limit.store(bytes, Relaxed);
    }

    /// How many bytes one value of a command may have.
    pub fn value_limit(&self) -> u64 {
        match self.0.value_limit.load(Relaxed) {
            0 => u64::MAX,
            limit => limit,
        }
    }

    /// Notes that `count` more commands are at work.
    ///
    /// # Errors
    /// Where these are too many; the run is ended then.
    pub fn begin_commands(&self, count: usize) -> Result<AtWork, Excess> {
        let before = self.0.commands.fetch_add(count, Relaxed);
        let at_work = AtWork(self.clone(), count);
        if before + count > COMMANDS_MAX {
            let excess = Excess::Commands(COMMANDS_MAX);
            self.exceed(excess);
            return Err(excess);
        }
        Ok(at_work)
    }

    /// As [`RunControl::is_cancelled`], for those who look on: never waits.
    pub fn was_cancelled(&self) -> bool {
        self.0.flag.load(Relaxed) == CANCELLED
    }

    /// Holds the run. Nothing happens to one that is cancelled or paused already.
    pub fn pause(&self, now_ns: u64) {
        let mut pauses = self.lock();
        if self.0.flag.load(Relaxed) == RUNS {
            pauses.since_ns = Some(now_ns);
            self.0.flag.store(PAUSED, Relaxed);
        }
    }

    /// Lets the run go on.
    pub fn resume(&self, now_ns: u64) {
        let mut pauses = self.lock();
        if let Some(since) = pauses.since_ns.take() {
            pauses.over_ns += now_ns.saturating_sub(since);
            self.0.flag.store(RUNS, Relaxed);
            drop(pauses);
            self.0.changed.notify_all();
        }
    }

    /// True while the run is held.
    pub fn is_paused(&self) -> bool {
        self.0.flag.load(Relaxed) == PAUSED
    }

    /// `now_ns` without the pauses: a clock that stands still while the run does.
    pub fn without_pauses(&self, now_ns: u64) -> u64 {
        let pauses = self.lock();
        pauses.since_ns.unwrap_or(now_ns).saturating_sub(pauses.over_ns)
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods)] // threads of the tests' own
mod tests {
    use std::time::Duration;

    use super::*;

    #[test]
    fn what_is_held_is_the_sum_of_what_holders_say_until_they_end() {
        let (run, other) = (RunControl::default(), RunControl::default());
        let (one, two) = (run.holding(), run.holding());
        one.set(10);
        two.set(5);
        one.set(3);
        assert_eq!((run.held_bytes(), other.held_bytes()), (8, 0));
        drop(two);
        assert_eq!(run.clone().held_bytes(), 3);
        drop(one);
        assert_eq!(run.held_bytes(), 0);
    }

    #[test]
    fn a_pause_holds_whoever_looks_and_its_time_does_not_count() {
        let control = RunControl::default();
        control.pause(100);
        assert!(control.is_paused());
        assert_eq!(control.without_pauses(500), 100);
        let (sender, receiver) = std::sync::mpsc::channel();
        let held = control.clone();
        let thread = std::thread::spawn(move || {
            sender.send(()).unwrap();
            let cancelled = held.is_cancelled();
            sender.send(()).unwrap();
            cancelled
        });
        receiver.recv().unwrap();
        // It does not come back before the pause is over.
        assert!(receiver.recv_timeout(Duration::from_millis(30)).is_err());
        control.resume(600);
        assert!(!thread.join().unwrap());
        assert_eq!(control.without_pauses(700), 200);
        control.resume(900);
        assert_eq!(control.without_pauses(1000), 500);
    }

    #[test]
    fn pauses_are_counted_once_however_often_they_are_asked_for() {
        let control = RunControl::default();
        control.pause(10);
        control.pause(20);
        control.resume(30);
        assert_eq!(control.without_pauses(100), 80);
        control.pause(100);
        control.resume(90);
        assert_eq!(control.without_pauses(100), 80, "a clock that goes back takes nothing");
        assert!(!control.is_paused() && !control.is_cancelled() && !control.was_cancelled());
    }

    #[test]
    fn the_first_excess_is_the_one_that_is_told() {
        let control = RunControl::default();
        assert_eq!(control.excess(), None);
        control.exceed(Excess::Memory(5 << 20));
        control.exceed(Excess::NoMemory);
        assert_eq!(control.excess(), Some(Excess::Memory(5 << 20)));
        assert!(control.was_cancelled() && control.is_cancelled());
        let said = control.excess().map(|excess| excess.to_string());
        assert_eq!(said.as_deref(), Some("more than 5 MiB of memory are needed"));
    }

    #[test]
    fn commands_at_work_are_bounded_and_counted_down() {
        let control = RunControl::default();
        let most = control.begin_commands(COMMANDS_MAX).unwrap();
        drop(most);
        let half = control.begin_commands(COMMANDS_MAX / 2).unwrap();
        let rest = control.begin_commands(COMMANDS_MAX / 2).unwrap();
        assert!(!control.was_cancelled(), "as many as are allowed");
        assert_eq!(control.begin_commands(1).unwrap_err(), Excess::Commands(COMMANDS_MAX));
        assert_eq!(control.excess(), Some(Excess::Commands(COMMANDS_MAX)));
        assert!(control.was_cancelled());
        drop((half, rest));
        assert!(control.begin_commands(COMMANDS_MAX).is_ok(), "all of them have ended");
    }

    #[test]
    fn values_have_no_limit_until_one_is_set() {
        let control = RunControl::default();
        assert_eq!(control.value_limit(), u64::MAX);
        control.limit_values(1 << 20);
        assert_eq!(control.clone().value_limit(), 1 << 20, "copies share it");
        control.limit_values(0);
        assert_eq!(control.value_limit(), u64::MAX);
    }

    #[test]
    fn cancelling_ends_a_pause() {
        let control = RunControl::default();
        control.pause(0);
        let held = control.clone();
        let thread = std::thread::spawn(move || held.is_cancelled());
        control.cancel();
        assert!(thread.join().unwrap());
        control.pause(5);
        assert!(control.is_cancelled() && !control.is_paused());
    }
}
