//! Background work by its kind: of most kinds only the newest counts, of some each is done.

use std::collections::{HashMap, VecDeque};
use std::fmt::Display;
use std::hash::Hash;
use std::io;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::time::{Duration, Instant};

use parking_lot::{Condvar, Mutex};
use stream::RunControl;

use super::background::BackgroundError;
use super::threads::start_thread;

/// Threads of one kind: one that winds down after it was cancelled does not keep the next one waiting.
const AT_ONCE: usize = 2;

/// What becomes of work that is asked for while other work of its kind is not done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// Only the newest counts: what runs is cancelled, and what waits is dropped without an answer.
    Newest,
    /// Each is done, one after the other, in their order.
    Each,
}

/// Does the work, or answers that there is no thread for it.
type Work = Box<dyn FnOnce(Option<io::Error>) + Send>;

/// Work of a kind that has not begun.
struct Waiting {
    order: Order,
    control: RunControl,
    work: Work,
}

/// The work of a kind.
#[derive(Default)]
struct Slot {
    running: Vec<(u64, RunControl)>,
    waiting: VecDeque<Waiting>,
}

struct Shared<K> {
    slots: Mutex<State<K>>,
    ended: Condvar,
}

struct State<K> {
    slots: HashMap<K, Slot>,
    /// How many have begun; each has its number.
    begun: u64,
    /// Nothing begins any more.
    closed: bool,
}

/// Background work by its kind. Threads are started when they are needed, at most two a kind, and end when
/// nothing waits. Dropping it leaves what runs alone; [`Jobs::finish`] ends it.
pub struct Jobs<K> {
    shared: Arc<Shared<K>>,
}

impl<K: Copy + Eq + Hash + Display + Send + 'static> Default for Jobs<K> {
    fn default() -> Self {
        let state = State { slots: HashMap::new(), begun: 0, closed: false };
        Self { shared: Arc::new(Shared { slots: Mutex::new(state), ended: Condvar::new() }) }
    }
}

impl<K: Copy + Eq + Hash + Display + Send + 'static> Jobs<K> {
    /// Does `work` in the background and hands what comes of it to `answer`, also where the work panics and
    /// where there is no thread for it. Work that is superseded before it begins has no answer; work that
    /// looks at `control` ends early when it is. Never waits.
    pub fn start<T: 'static>(
        &self,
        kind: K,
        order: Order,
        control: RunControl,
        work: impl FnOnce() -> T + Send + 'static,
        answer: impl FnOnce(Result<T, BackgroundError>) + Send + 'static,
    ) {
        let work: Work = Box::new(move |no_thread| {
            answer(match no_thread {
                Some(error) => Err(BackgroundError::NoThread(error)),
                None => catch_unwind(AssertUnwindSafe(work)).map_err(|_| {
                    tracing::error!("background work has failed inside");
                    BackgroundError::Panicked
                }),
            });
        });
        let mut state = self.shared.slots.lock();
        if state.closed && order == Order::Newest {
            return;
        }
        let slot = state.slots.entry(kind).or_default();
        if order == Order::Newest {
            slot.waiting.clear();
            slot.running.iter().for_each(|(_, control)| control.cancel());
        }
        slot.waiting.push_back(Waiting { order, control, work });
        let room = match order {
            Order::Newest => slot.running.len() < AT_ONCE,
            Order::Each => slot.running.is_empty(),
        };
        if room && let Some((number, work)) = state.begin(kind) {
            drop(state);
            self.begin(kind, number, work);
        }
    }

    /// Starts a thread that does this and what waits after it. Without a thread all of that is answered at once.
    fn begin(&self, kind: K, number: u64, work: Work) {
        let shared = self.shared.clone();
        let first = Arc::new(Mutex::new(Some((number, work))));
        let own = first.clone();
        let started = start_thread(&kind.to_string(), move || {
            let first = own.lock().take();
            do_all(&shared, kind, first, None);
        });
        if let Err(error) = started {
            let first = first.lock().take();
            do_all(&self.shared, kind, first, Some(error.kind()));
        }
    }

    /// Cancels what runs, drops what only the newest of counts, and waits until everything has ended, at most
    /// this long. Gives how many still run: those hang in the system, or have more to write.
    pub fn finish(&self, within: Duration) -> usize {
        let deadline = Instant::now() + within;
        let mut state = self.shared.slots.lock();
        state.closed = true;
        for slot in state.slots.values_mut() {
            slot.waiting.retain(|one| one.order == Order::Each);
            slot.running.iter().for_each(|(_, control)| control.cancel());
        }
        loop {
            let left: usize =
                state.slots.values().map(|slot| slot.running.len() + slot.waiting.len()).sum();
            if left == 0 || self.shared.ended.wait_until(&mut state, deadline).timed_out() {
                return left;
            }
        }
    }
}

impl<K: Copy + Eq + Hash> State<K> {
    /// Takes the next work of a kind, which runs from here on.
    fn begin(&mut self, kind: K) -> Option<(u64, Work)> {
        let slot = self.slots.get_mut(&kind)?;
        let next = slot.waiting.pop_front()?;
        self.begun += 1;
        slot.running.push((self.begun, next.control));
        Some((self.begun, next.work))
    }
}

/// Does work of a kind until nothing waits, or answers why there is no thread for it.
fn do_all<K: Copy + Eq + Hash>(
    shared: &Shared<K>,
    kind: K,
    first: Option<(u64, Work)>,
    no_thread: Option<io::ErrorKind>,
) {
    let mut next = first;
    while let Some((number, work)) = next {
        // What answering fails of is the listener's own affair: the slot is free again all the same.
        let error = no_thread.map(io::Error::from);
        let _ = catch_unwind(AssertUnwindSafe(move || work(error)));
        let mut state = shared.slots.lock();
        if let Some(slot) = state.slots.get_mut(&kind) {
            slot.running.retain(|(one, _)| *one != number);
        }
        next = state.begin(kind);
        shared.ended.notify_all();
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc::{Receiver, Sender, channel};

    use super::*;

    /// Work that tells that it has begun and goes on until it is let go.
    fn held(jobs: &Jobs<&'static str>, kind: &'static str, order: Order, number: u32) -> Held {
        let (begun_in, begun) = channel();
        let (go, gone) = channel::<()>();
        let (answer_in, answer) = channel();
        let control = RunControl::default();
        let work = move || {
            begun_in.send(()).unwrap();
            let _ = gone.recv();
            number
        };
        let answered = move |result: Result<u32, BackgroundError>| {
            answer_in.send(result.unwrap()).unwrap();
        };
        jobs.start(kind, order, control.clone(), work, answered);
        Held { begun, go, answer, control }
    }

    struct Held {
        begun: Receiver<()>,
        go: Sender<()>,
        answer: Receiver<u32>,
        control: RunControl,
    }

    #[test]
    fn only_the_newest_of_a_kind_counts() {
        let jobs = Jobs::default();
        let first = held(&jobs, "lens", Order::Newest, 1);
        first.begun.recv().unwrap();
        // One that winds down does not keep the next one waiting; a third one waits.
        let second = held(&jobs, "lens", Order::Newest, 2);
        second.begun.recv().unwrap();
        assert!(first.control.is_cancelled() && !second.control.is_cancelled());
        let third = held(&jobs, "lens", Order::Newest, 3);
        let fourth = held(&jobs, "lens", Order::Newest, 4);
        assert!(second.control.is_cancelled());
        // Another kind is not kept waiting.
        let other = held(&jobs, "notes", Order::Newest, 5);
        other.begun.recv().unwrap();
        first.go.send(()).unwrap();
        fourth.begun.recv().unwrap();
        for (held, number) in [(&second, 2), (&fourth, 4), (&other, 5)] {
            held.go.send(()).unwrap();
            assert_eq!(held.answer.recv().unwrap(), number);
        }
        assert_eq!(first.answer.recv().unwrap(), 1);
        // What never began has no answer and is gone.
        assert!(third.begun.recv().is_err() && third.answer.recv().is_err());
        assert_eq!(jobs.finish(Duration::from_secs(30)), 0);
    }

    #[test]
    fn each_is_done_in_its_order_also_when_it_ends() {
        let jobs = Jobs::default();
        let all: Vec<Held> =
            (0..5).map(|number| held(&jobs, "writing", Order::Each, number)).collect();
        all[0].begun.recv().unwrap();
        for one in &all {
            one.go.send(()).unwrap();
        }
        assert_eq!(jobs.finish(Duration::from_secs(30)), 0);
        let answers: Vec<u32> = all.iter().map(|one| one.answer.recv().unwrap()).collect();
        assert_eq!(answers, [0, 1, 2, 3, 4]);
    }

    #[test]
    fn an_end_does_not_wait_for_what_hangs() {
        let jobs = Jobs::default();
        let hangs = held(&jobs, "files", Order::Newest, 1);
        hangs.begun.recv().unwrap();
        assert_eq!(jobs.finish(Duration::from_millis(10)), 1);
        assert!(hangs.control.is_cancelled());
        // Nothing but what must be done begins after that.
        let late = held(&jobs, "lens", Order::Newest, 2);
        assert!(late.begun.recv().is_err());
        hangs.go.send(()).unwrap();
        assert_eq!(hangs.answer.recv().unwrap(), 1);
    }

    #[test]
    fn it_answers_after_a_panic_and_goes_on() {
        let jobs = Jobs::default();
        let (sender, answers) = channel();
        for number in 0..3 {
            let sender = sender.clone();
            let work = move || if number == 1 { panic!("as asked") } else { number };
            jobs.start("trail", Order::Each, RunControl::default(), work, move |result| {
                sender.send(result.ok()).unwrap();
            });
        }
        let all: Vec<Option<i32>> = (0..3).map(|_| answers.recv().unwrap()).collect();
        assert_eq!(all, [Some(0), None, Some(2)]);
    }
}
