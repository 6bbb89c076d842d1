//! Text tried on a stream that is there: nothing is changed, no program is started.

use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;

use stream::{RunControl, Sink};

use crate::base::limits::{Limits, with_limits};
use crate::base::sinks::Nowhere;
use crate::exec::command::CommandStarter;
use crate::exec::context::{Observer, RunContext, Withheld};
use crate::files::held_back::HeldBackFiles;
use crate::flow::descriptors::Ports;
use crate::kept::lines::Kept;
use crate::kept::sinks::KeptSink;
use crate::language::interpreter::ShellLanguage;
use crate::language::run_text::run_text;
use crate::plan::pipeline::StagePlan;
use crate::plan::variables::Variables;
use crate::policy::Policy;

/// Notes whether anything was not started.
#[derive(Default)]
struct NotStarted(AtomicBool);

impl Observer for NotStarted {
    fn withheld(&self, _stage: &StagePlan, _joined: bool) -> Withheld {
        self.0.store(true, Relaxed);
        Withheld { message: None, status: 126 }
    }
}

/// What the text writes to standard output when it reads this stream, as far as it is there, on
/// standard input. `None` where the text cannot be run, needs a program of the machine, or
/// comes to a limit of time or memory. Blocks until it is done; `control` ends it.
pub fn try_on(
    text: &str,
    input: &Arc<Kept>,
    limits: &Limits,
    control: &RunControl,
) -> Option<Arc<Kept>> {
    let files = Arc::new(HeldBackFiles::new(None, control.clone()));
    let starter = CommandStarter::beside(files.clone(), Policy::Nothing);
    let withheld = NotStarted::default();
    let out = Arc::new(Kept::default());
    let sink: Arc<dyn Sink> = Arc::new(KeptSink::of(out.clone()));
    let context = RunContext {
        files: &*files,
        commands: &starter,
        descriptors: Ports::new(Some(input.source()), sink, Arc::new(Nowhere)),
        policy: Policy::Nothing,
        observer: &withheld,
        taps: None,
        interpreter: &ShellLanguage,
        within: None,
    };
    let (outcome, over) = with_limits(control, limits.time, Some(limits.memory_bytes), || {
        run_text(text, &context, &mut Variables::default(), control)
    });
    let ended = over.is_none() && outcome.is_ok() && !withheld.0.load(Relaxed);
    out.end();
    ended.then_some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tried(text: &str) -> Option<String> {
        let input = Arc::new(Kept::of(b"b x\na y\nb z\n"));
        let out = try_on(text, &input, &Limits::default(), &RunControl::default())?;
        Some(String::from_utf8(out.contents()).unwrap())
    }

    #[test]
    fn text_is_tried_on_a_stream() {
        assert_eq!(tried("grep b | cut -d' ' -f2").as_deref(), Some("x\nz\n"));
        assert_eq!(tried("grep none").as_deref(), Some(""));
        assert_eq!(tried("sort -u -k1,1").as_deref(), Some("a y\nb x\n"));
        assert_eq!(tried("awk '{"), None);
        assert_eq!(tried("/usr/bin/sort"), None);
    }

    #[test]
    fn a_trial_writes_no_file_and_ends_in_time() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("out");
        assert_eq!(tried(&format!("tee {}", path.display())).unwrap().len(), 12);
        assert!(!path.exists());
        let input = Arc::new(Kept::of(b"x\n"));
        let limits = Limits { time: std::time::Duration::from_millis(50), ..Limits::default() };
        assert!(
            try_on("awk 'BEGIN { while (1) x++ }'", &input, &limits, &RunControl::default())
                .is_none()
        );
    }
}
