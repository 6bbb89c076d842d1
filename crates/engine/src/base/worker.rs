//! A worker with a mailbox for one task: a newer task takes the place of one that waits.

use parking_lot::{Condvar, Mutex, MutexGuard};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use super::background::BackgroundError;
use super::threads::start_thread;

type Task = Box<dyn FnOnce() + Send>;

/// Threads that take from one mailbox. A second one begins the newest task while the first still
/// winds down one that was cancelled.
const THREADS: usize = 2;

#[derive(Default)]
struct Mailbox {
    task: Option<Task>,
    closed: bool,
    threads: usize,
    /// Threads that wait for a task.
    idle: usize,
}

#[derive(Default)]
struct Shared {
    mailbox: Mutex<Mailbox>,
    changed: Condvar,
}

impl Shared {
    fn lock(&self) -> MutexGuard<'_, Mailbox> {
        self.mailbox.lock()
    }

    /// Waits for tasks and does them, until the mailbox is closed.
    fn work(&self) {
        loop {
            let mut mailbox = self.lock();
            let task = loop {
                if let Some(task) = mailbox.task.take() {
                    break task;
                }
                if mailbox.closed {
                    return;
                }
                mailbox.idle += 1;
                self.changed.wait(&mut mailbox);
                mailbox.idle -= 1;
            };
            drop(mailbox);
            task();
        }
    }
}

/// Does the newest task that it is given, on threads of its own that stay. At most two tasks are
/// done at the same time; of those that wait only the newest stays. Dropping it lets the tasks that
/// have begun end by themselves.
#[derive(Default)]
pub(crate) struct Worker {
    shared: Arc<Shared>,
}

impl Worker {
    /// Hands over `work`; what comes of it goes to `answer`, also where the work panics or no
    /// thread can be started. A task that waits is given up without an answer: whoever posts
    /// another has no use for it. Does not block.
    pub(crate) fn post<T: 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
        answer: impl FnOnce(Result<T, BackgroundError>) + Send + 'static,
    ) {
        let task = move || {
            let result = catch_unwind(AssertUnwindSafe(work));
            // An answer that fails inside must not take the worker with it.
            let _ = catch_unwind(AssertUnwindSafe(move || {
                answer(result.map_err(|_| BackgroundError::Panicked));
            }));
        };
        let mut mailbox = self.shared.lock();
        mailbox.task = Some(Box::new(task));
        let wanted = mailbox.idle == 0 && mailbox.threads < THREADS;
        mailbox.threads += usize::from(wanted);
        drop(mailbox);
        self.shared.changed.notify_one();
        if !wanted {
            return;
        }
        let shared = self.shared.clone();
        let started = start_thread("worker", move || shared.work());
        if started.is_err() {
            let mut mailbox = self.shared.lock();
            mailbox.threads -= 1;
            // Without any thread the task is done here, so that it is answered.
            let task = (mailbox.threads == 0).then(|| mailbox.task.take()).flatten();
            drop(mailbox);
            if let Some(task) = task {
                task();
            }
        }
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        let mut mailbox = self.shared.lock();
        mailbox.closed = true;
        mailbox.task = None;
        drop(mailbox);
        self.shared.changed.notify_all();
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc::channel;
    use std::time::Duration;

    use super::*;

    const LONG: Duration = Duration::from_secs(30);

    #[test]
    fn every_task_that_begins_is_answered_also_after_a_panic() {
        let worker = Worker::default();
        let (sender, answers) = channel();
        for number in 0..20 {
            let sender = sender.clone();
            worker.post(
                move || if number % 3 == 0 { panic!("as asked") } else { number },
                move |result| sender.send(result.ok()).unwrap(),
            );
            let expected = (number % 3 != 0).then_some(number);
            assert_eq!(answers.recv_timeout(LONG).unwrap(), expected);
        }
        // Two threads at most, however many tasks there were.
        assert!(worker.shared.lock().threads <= THREADS);
    }

    #[test]
    fn of_tasks_that_wait_only_the_newest_is_done() {
        let worker = Worker::default();
        let (sender, answers) = channel();
        let gate = Arc::new((Mutex::new(false), Condvar::new()));
        let (began, begun) = channel();
        for _ in 0..THREADS {
            let (gate, began) = (gate.clone(), began.clone());
            worker.post(
                move || {
                    began.send(()).unwrap();
                    gate.1.wait_while(&mut gate.0.lock(), |open| !*open);
                },
                |_| {},
            );
            // Both threads are held at the gate before anything else is posted.
            begun.recv_timeout(LONG).unwrap();
        }
        for number in 0..10 {
            let sender = sender.clone();
            worker.post(move || number, move |result| sender.send(result.unwrap()).unwrap());
        }
        *gate.0.lock() = true;
        gate.1.notify_all();
        assert_eq!(answers.recv_timeout(LONG).unwrap(), 9);
        drop(worker);
        drop(sender);
        assert!(answers.recv().is_err(), "nothing but the newest was done");
    }

    #[test]
    fn an_answer_that_panics_leaves_the_worker_at_work() {
        let worker = Worker::default();
        let (sender, answers) = channel();
        for _ in 0..3 {
            let (done, ended) = channel::<()>();
            worker.post(move || drop(done), |_| panic!("as asked"));
            assert!(ended.recv_timeout(LONG).is_err());
        }
        worker.post(|| 5, move |result| sender.send(result.unwrap()).unwrap());
        assert_eq!(answers.recv_timeout(LONG).unwrap(), 5);
    }
}
