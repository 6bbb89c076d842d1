//! Work on a thread of its own, which always answers.

use parking_lot::Mutex;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use thiserror::Error;

use super::threads::start_thread;

/// Why there is no result.
#[derive(Debug, Error)]
pub enum BackgroundError {
    /// The work has failed inside.
    #[error("internal error")]
    Panicked,
    /// The machine has no more threads.
    #[error("no thread: {0}")]
    NoThread(std::io::Error),
}

/// Does `work` on a thread of its own and hands what comes of it to `answer`, also where the work
/// panics, and where no thread can be started (`answer` is then called before this returns). It is
/// called exactly once.
pub fn in_background<T: 'static>(
    name: &str,
    work: impl FnOnce() -> T + Send + 'static,
    answer: impl FnOnce(Result<T, BackgroundError>) + Send + 'static,
) {
    let answer = Arc::new(Mutex::new(Some(answer)));
    let say = |answer: &Mutex<Option<_>>, result| {
        let answer = answer.lock().take();
        if let Some(answer) = answer {
            let answer: Box<dyn FnOnce(Result<T, BackgroundError>)> = Box::new(answer);
            answer(result);
        }
    };
    let answering = answer.clone();
    let spawned = start_thread(name, move || {
        let result = catch_unwind(AssertUnwindSafe(work)).map_err(|_| {
            tracing::error!("background work has failed inside");
            BackgroundError::Panicked
        });
        say(&answering, result);
    });
    if let Err(error) = spawned {
        say(&answer, Err(BackgroundError::NoThread(error)));
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc::channel;

    use super::*;

    #[test]
    fn it_answers_also_after_a_panic() {
        let (sender, answers) = channel();
        let other = sender.clone();
        in_background("works", || 7, move |result| sender.send(result).unwrap());
        assert_eq!(answers.recv().unwrap().unwrap(), 7);
        in_background(
            "panics",
            || -> i32 { panic!("as asked") },
            move |result| other.send(result).unwrap(),
        );
        assert!(matches!(answers.recv().unwrap(), Err(BackgroundError::Panicked)));
    }
}
