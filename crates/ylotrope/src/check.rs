//! `ylotrope check`: advice on a text without a screen.

use std::ffi::OsString;
use std::io::{self, IsTerminal};
use std::os::fd::AsFd;
use std::os::unix::ffi::OsStringExt;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use clap::Args;
use engine::{Capture, Consents, Limits, Request, Sample, Trials, Variables};
use insight::{check, checked_json, checked_text};

use crate::input_file::{Waits, read_script};
use crate::interrupts::Interrupts;

#[derive(Args)]
pub(crate) struct Arguments {
    /// Check this text instead of a script
    #[arg(short = 'c', value_name = "LINE")]
    line: Option<OsString>,
    /// Look at the first N lines of each file; without it, at everything where that is quick
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    sample: Option<u64>,
    /// Also say what is not in POSIX
    #[arg(long)]
    posix: bool,
    /// Print it as JSON
    #[arg(long)]
    json: bool,
    /// The script and its arguments ($0, $1, …); with -c, $0 and the arguments as for sh
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    arguments: Vec<OsString>,
}

/// Lines that are looked at first, and alone where everything would not be quick.
const FIRST: u64 = 5_000;

/// So long everything may take: nobody waits at a screen, and what is said should not depend on
/// how busy the machine is.
const QUICK: Duration = Duration::from_secs(2);

/// A pipeline that has not ended by then is looked at as far as it came.
const ENDLESS: Duration = Duration::from_secs(3);

/// So long is waited for standard input, if it does not end before.
const PATIENCE: Duration = Duration::from_secs(2);

/// Nothing that cannot be wrong was said: 0; otherwise 1; text that cannot be run: 2.
pub(crate) fn tell(arguments: Arguments) -> ExitCode {
    let failed = |message: &str| {
        crate::say::error(&format!("ylotrope check: {message}"));
        ExitCode::from(2)
    };
    let mut words = arguments.arguments.into_iter().map(OsString::into_vec);
    let (text, name, shown) = if let Some(line) = arguments.line {
        let name = words.next().unwrap_or_else(|| b"ylotrope".to_vec());
        (line.into_vec(), name, "-c".to_owned())
    } else {
        let Some(name) = words.next() else { return failed("a script or -c LINE is needed") };
        let path = PathBuf::from(OsString::from_vec(name.clone()));
        match read_script(&path, Waits::Little) {
            Ok(bytes) => (bytes, name, path.display().to_string()),
            Err(error) => {
                return failed(&format!("{}: {}", path.display(), stream::describe(&error)));
            }
        }
    };
    let Ok(text) = String::from_utf8(text) else { return failed("the text is not UTF-8") };
    let sample = arguments.sample.map_or(Sample::Quick(FIRST), Sample::First);
    let request = Request {
        text,
        script: None,
        at: 0,
        variables: Variables::new(name, words.collect()),
        plan: None,
        sample,
        limits: Limits { quick: QUICK, time: ENDLESS, ..Limits::default() },
        allowed: Consents::default(),
    };
    let interrupts = Interrupts::watch();
    // Standard input is whose text reads it: it is not touched before that is known.
    let wanted = Arc::new(AtomicBool::new(false));
    let probing = Trials::probing(wanted.clone());
    let mut checked = check(&probing, &request, arguments.posix, &interrupts.control);
    if wanted.load(Relaxed) && checked.errors.is_empty() {
        let input = match given_input(arguments.sample.unwrap_or(u64::MAX)) {
            Ok(input) => input,
            Err(error) => return failed(&format!("standard input: {error}")),
        };
        checked = check(&Trials::new(input), &request, arguments.posix, &interrupts.control);
    }
    interrupts.pass_on();
    let out = if arguments.json {
        checked_json(&checked, &shown)
    } else {
        checked_text(&checked, &shown)
    };
    crate::say::print(&out);
    ExitCode::from(match (checked.errors.is_empty(), checked.has_warnings()) {
        (false, _) => 2,
        (true, true) => 1,
        (true, false) => 0,
    })
}

/// What comes from standard input, where that is not a terminal, as far as it is needed: waits for
/// more than `lines` of it, or its end.
fn given_input(lines: u64) -> io::Result<Option<Arc<Capture>>> {
    let input = io::stdin();
    if input.is_terminal() {
        return Ok(None);
    }
    let (sender, news) = channel();
    let descriptor = input.as_fd().try_clone_to_owned()?;
    let capture = Capture::start(descriptor, move || sender.send(()).unwrap_or_default())?;
    wait(&capture, &news, lines);
    Ok(Some(capture))
}

fn wait(capture: &Capture, news: &Receiver<()>, lines: u64) {
    let deadline = Instant::now() + PATIENCE;
    while !capture.kept().has_ended() && capture.kept().lines() <= lines {
        // As long as something comes, it is waited for, but not for ever.
        let left = deadline.saturating_duration_since(Instant::now());
        if left.is_zero() || news.recv_timeout(left).is_err() {
            break;
        }
    }
}
