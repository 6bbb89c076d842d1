//! Keeps the text for the case that the session breaks off: written after a short pause, away from
//! the keys.

use std::io;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use crate::storage::store::Store;

/// How long nothing must change before the text is written.
const PAUSE: Duration = Duration::from_millis(200);

/// Who types on and on has the text written this often.
const MOST: Duration = Duration::from_secs(1);

enum Ask {
    Keep(String),
    Forget(Option<Sender<()>>),
}

/// Writes the recovery file on a thread of its own. What was not written yet is written when this is
/// dropped.
pub(crate) struct Recovery {
    asks: Option<Sender<Ask>>,
    thread: Option<JoinHandle<()>>,
}

impl Recovery {
    /// Keeps texts in `store`; `failed` hears of a text that could not be written.
    ///
    /// # Errors
    /// Where there is no thread for it.
    pub(crate) fn start(
        store: Store,
        failed: impl Fn(io::Error) + Send + 'static,
    ) -> io::Result<Self> {
        let (asks, asked) = channel();
        let work = move || keep(&store, &asked, &failed);
        let thread = engine::start_thread("recovery", work)?;
        Ok(Self { asks: Some(asks), thread: Some(thread) })
    }

    fn ask(&self, ask: Ask) {
        if let Some(asks) = &self.asks {
            // The thread ends only when this does.
            let _ = asks.send(ask);
        }
    }

    /// The text is kept, soon. Does not block.
    pub(crate) fn keep(&self, text: String) {
        self.ask(Ask::Keep(text));
    }

    /// There is nothing to keep any more. Does not block.
    pub(crate) fn forget(&self) {
        self.ask(Ask::Forget(None));
    }

    /// As [`Recovery::forget`], and waits until the file is gone: the session ends in good order.
    pub(crate) fn forget_now(&self) {
        let (sender, gone) = channel();
        self.ask(Ask::Forget(Some(sender)));
        // An error means that it is over already.
        let _ = gone.recv();
    }
}

impl Drop for Recovery {
    fn drop(&mut self) {
        self.asks = None;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

fn keep(store: &Store, asked: &Receiver<Ask>, failed: &impl Fn(io::Error)) {
    // What is to be written, and since when.
    let mut waiting: Option<(String, Instant)> = None;
    let write = |text: String| {
        if let Err(error) = store.save_recovery(&text) {
            failed(error);
        }
    };
    loop {
        let next = match &waiting {
            None => asked.recv().map_err(|_| RecvTimeoutError::Disconnected),
            Some((_, since)) => asked.recv_timeout(PAUSE.min(MOST.saturating_sub(since.elapsed()))),
        };
        match next {
            Ok(Ask::Keep(text)) => {
                let since = waiting.map_or_else(Instant::now, |(_, since)| since);
                waiting = Some((text, since));
            }
            Ok(Ask::Forget(done)) => {
                waiting = None;
                store.clear_recovery();
                if let Some(done) = done {
                    let _ = done.send(());
                }
            }
            Err(error) => {
                if let Some((text, _)) = waiting.take() {
                    write(text);
                }
                if error == RecvTimeoutError::Disconnected {
                    return;
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use super::*;

    fn kept(folder: &Path) -> Vec<String> {
        let entries = std::fs::read_dir(folder).unwrap().flatten();
        // A file that is written apart first may be gone by now.
        entries.filter_map(|entry| std::fs::read_to_string(entry.path()).ok()).collect()
    }

    fn recovery(folder: &Path) -> Recovery {
        Recovery::start(Store::at(folder.to_owned()), |error| panic!("{error}")).unwrap()
    }

    #[test]
    fn the_newest_text_is_written_at_the_latest_when_the_session_ends() {
        let folder = tempfile::tempdir().unwrap();
        let recovery = recovery(folder.path());
        for text in ["g", "gr", "grep x"] {
            recovery.keep(text.to_owned());
        }
        drop(recovery);
        assert_eq!(kept(folder.path()), ["grep x"]);
    }

    #[test]
    fn the_text_is_written_while_nothing_is_typed() {
        let folder = tempfile::tempdir().unwrap();
        let recovery = recovery(folder.path());
        recovery.keep("grep x".to_owned());
        let since = Instant::now();
        while kept(folder.path()) != ["grep x"] && since.elapsed() < Duration::from_secs(30) {
            std::thread::yield_now();
        }
        assert_eq!(kept(folder.path()), ["grep x"]);
    }

    #[test]
    fn what_is_forgotten_is_not_written_after_that() {
        let folder = tempfile::tempdir().unwrap();
        let recovery = recovery(folder.path());
        recovery.keep("grep x".to_owned());
        recovery.forget_now();
        drop(recovery);
        assert!(kept(folder.path()).is_empty());
    }

    #[test]
    fn a_file_that_cannot_be_written_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let (sender, told) = channel();
        // A folder cannot be made where a file is.
        let place = folder.path().join("file");
        std::fs::write(&place, "").unwrap();
        let recovery =
            Recovery::start(Store::at(place), move |error| sender.send(error).unwrap()).unwrap();
        recovery.keep("grep x".to_owned());
        assert!(told.recv_timeout(Duration::from_secs(30)).is_ok());
    }
}
