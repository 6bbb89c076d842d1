//! The Bench on a machine that has no more threads: whatever was asked for is answered.

use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use super::capture::Capture;
use super::request::{Request, SessionEvent};
use super::session::Workbench;
use super::start_held::OnFailure;
use crate::base::limits::Limits;
use crate::base::threads::faults::with_threads;
use crate::files::sample::Sample;
use crate::plan::variables::Variables;
use crate::policy::Consents;
use crate::runs::estimate::Estimate;
use crate::runs::full::FullRequest;

const PATIENCE: Duration = Duration::from_secs(30);

fn request(text: &str) -> Request {
    Request {
        text: text.to_owned(),
        script: None,
        at: usize::MAX,
        variables: Variables::default(),
        plan: None,
        sample: Sample::First(1000),
        limits: Limits::default(),
        allowed: Consents::default(),
    }
}

fn full(text: &str) -> FullRequest {
    FullRequest {
        text: text.to_owned(),
        variables: Variables::default(),
        allowed: Consents::default(),
        left_out: std::collections::BTreeSet::default(),
        writes: false,
        follows: false,
        expected: Estimate::default(),
    }
}

/// Asks a workbench for something with ever more threads, until none is missing; `is_answer` knows the answer.
fn is_always_answered(
    what: &str,
    ask: impl Fn(&mut Workbench),
    is_answer: impl Fn(&SessionEvent) -> bool,
) {
    let mut threads = 0;
    loop {
        let ((), asked) = with_threads(threads, || {
            let (sender, news): (_, Receiver<SessionEvent>) = channel();
            let mut workbench = Workbench::new(None, move |event| drop(sender.send(event)));
            ask(&mut workbench);
            loop {
                let event = news.recv_timeout(PATIENCE);
                let event = event.unwrap_or_else(|_| panic!("{what}: no answer with {threads}"));
                if is_answer(&event) {
                    return;
                }
            }
        });
        if asked <= threads || threads > 40 {
            assert!(threads > 0, "{what} needs none");
            return;
        }
        threads += 1;
    }
}

#[test]
fn whatever_was_asked_for_is_answered_without_threads() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    std::fs::write(&data, "b\na\n".repeat(30_000)).unwrap();
    let data = data.display();
    for text in [
        format!("sort {data} | uniq -c"),
        format!("tail -f {data} | grep a"),
        format!("x=$(head -n 1 {data}); echo $x | tr b c"),
        format!("comm <(sort {data}) {data}"),
    ] {
        let preview = |workbench: &mut Workbench| {
            workbench.evaluate(request(&text));
        };
        is_always_answered(&text, preview, |event| {
            matches!(
                event,
                SessionEvent::Done(_) | SessionEvent::Settled(_) | SessionEvent::Failed(..)
            )
        });
        let run = |workbench: &mut Workbench| drop(workbench.run_all(full(&text)));
        is_always_answered(&text, run, |event| matches!(event, SessionEvent::FullEnded(_)));
        let estimate =
            |workbench: &mut Workbench| workbench.estimate(text.clone(), Variables::default());
        is_always_answered(&text, estimate, |event| matches!(event, SessionEvent::Estimated(..)));
    }
    let act = |workbench: &mut Workbench| workbench.start_held(Vec::new(), OnFailure::Stop);
    is_always_answered("a list", act, |event| matches!(event, SessionEvent::ActingEnded));
}

#[test]
fn standard_input_is_not_taken_without_a_thread() {
    let (reading, _writing) = rustix::pipe::pipe().unwrap();
    let (taken, _) = with_threads(0, || Capture::start(reading, || ()));
    assert!(taken.is_err());
}
