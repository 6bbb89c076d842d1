use std::sync::atomic::{AtomicU8, Ordering::Relaxed};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

const RUNS: u8 = 0;
const PAUSED: u8 = 1;
const CANCELLED: u8 = 2;

/// What everything that works on one run looks at: whether to stop, and whether to wait.
///
/// Times are nanoseconds of a clock that whoever pauses and asks has; they must all use the same.
#[derive(Clone, Debug, Default)]
pub struct Cancel(Arc<Shared>);

#[derive(Debug, Default)]
struct Shared {
    flag: AtomicU8,
    pauses: Mutex<Pauses>,
    changed: Condvar,
}

#[derive(Debug, Default)]
struct Pauses {
    /// Since when, while paused.
    since_ns: Option<u64>,
    /// All pauses that are over.
    over_ns: u64,
}

impl Cancel {
    fn lock(&self) -> MutexGuard<'_, Pauses> {
        self.0.pauses.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Asks to stop, for good; a pause ends.
    pub fn cancel(&self) {
        let mut pauses = self.lock();
        pauses.since_ns = None;
        self.0.flag.store(CANCELLED, Relaxed);
        drop(pauses);
        self.0.changed.notify_all();
    }

    /// True once somebody asked to stop. Waits first while the run is paused, so that every place
    /// that looks is one where the run can be held.
    #[inline]
    pub fn is_cancelled(&self) -> bool {
        match self.0.flag.load(Relaxed) {
            RUNS => false,
            CANCELLED => true,
            _ => self.wait(),
        }
    }

    #[cold]
    fn wait(&self) -> bool {
        let mut pauses = self.lock();
        while self.0.flag.load(Relaxed) == PAUSED {
            pauses = self.0.changed.wait(pauses).unwrap_or_else(PoisonError::into_inner);
        }
        drop(pauses);
        self.was_cancelled()
    }

    /// As [`Cancel::is_cancelled`], for those who look on: never waits.
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
mod tests {
    use super::*;

    #[test]
    fn a_pause_holds_whoever_looks_and_its_time_does_not_count() {
        let cancel = Cancel::default();
        cancel.pause(100);
        assert!(cancel.is_paused());
        assert_eq!(cancel.without_pauses(500), 100);
        let (sender, receiver) = std::sync::mpsc::channel();
        let held = cancel.clone();
        let thread = std::thread::spawn(move || {
            sender.send(()).unwrap();
            held.is_cancelled()
        });
        receiver.recv().unwrap();
        cancel.resume(600);
        assert!(!thread.join().unwrap());
        assert_eq!(cancel.without_pauses(700), 200);
        cancel.resume(900);
        assert_eq!(cancel.without_pauses(1000), 500);
    }

    #[test]
    fn cancelling_ends_a_pause() {
        let cancel = Cancel::default();
        cancel.pause(0);
        let held = cancel.clone();
        let thread = std::thread::spawn(move || held.is_cancelled());
        cancel.cancel();
        assert!(thread.join().unwrap());
        cancel.pause(5);
        assert!(cancel.is_cancelled() && !cancel.is_paused());
    }
}
