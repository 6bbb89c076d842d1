//! Running a text for real, without a screen, and telling about it.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use engine::{Cut, DryLimits, Estimate, RunError, Variables, Watch, estimate, run_script};
use insight::{RunEnd, RunRecord, Runs, SourceRecord};
use stream::RunControl;

use crate::input_file::{Waits, read_script};
use crate::interrupts::Interrupts;
use crate::{dry_run, guard, progress, say, statistics};

#[derive(Args)]
pub(crate) struct Run {
    /// Run this text instead of a script
    #[arg(short = 'c', value_name = "LINE")]
    line: Option<OsString>,
    /// Only check that the text can be run, as sh -n does
    #[arg(short = 'n', conflicts_with_all = ["dry_run", "stats", "progress", "keep"])]
    check_only: bool,
    /// Change nothing: print to standard error which files would be written and which commands run
    #[arg(long)]
    dry_run: bool,
    /// With --dry-run: print it as JSON
    #[arg(long, requires = "dry_run")]
    json: bool,
    /// With --dry-run: however long it takes, and however much would be written
    #[arg(long, requires = "dry_run")]
    no_limit: bool,
    #[command(flatten)]
    telling: Telling,
    /// The script and its arguments ($0, $1, …); with -c, $0 and the arguments as for sh
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    arguments: Vec<OsString>,
}

/// The status of a dry run that was interrupted: 128 + SIGINT.
const INTERRUPTED: u8 = 130;

/// The status of a dry run that was ended at a limit.
const CUT_OFF: u8 = 3;

/// What is told about a run.
#[derive(Args)]
struct Telling {
    /// Print per-command statistics to standard error at the end
    #[arg(long, value_enum, value_name = "FORM", conflicts_with = "dry_run")]
    stats: Option<statistics::Form>,
    /// Show progress on standard error, then a summary
    #[arg(
        long,
        value_enum,
        value_name = "FORM",
        num_args = 0..=1,
        require_equals = true,
        default_missing_value = "line",
        conflicts_with = "dry_run"
    )]
    progress: Option<progress::Form>,
    /// Print nothing about the run, even if asked for elsewhere
    #[arg(long)]
    quiet: bool,
    /// Keep the figures of this run; “ylotrope runs” lists and compares them
    #[arg(long, conflicts_with = "dry_run")]
    keep: bool,
}

/// Runs like `sh`: status 2 for text that cannot be run, 127 for a script that is not there.
pub(crate) fn run_for_real(run: Run) -> ExitCode {
    let mut arguments = run.arguments.into_iter().map(OsString::into_vec);
    let mut script = None;
    let (text, name) = if let Some(line) = run.line {
        let name = arguments.next().unwrap_or_else(|| b"ylotrope".to_vec());
        (line.into_string().ok(), name)
    } else {
        let Some(name) = arguments.next() else {
            say::error("ylotrope run: a script or -c LINE is needed");
            return ExitCode::from(2);
        };
        let path = PathBuf::from(OsString::from_vec(name.clone()));
        script = Some(path.clone());
        let looks = run.check_only || run.dry_run;
        match read_script(&path, if looks { Waits::Little } else { Waits::Long }) {
            Ok(bytes) => (String::from_utf8(bytes).ok(), name),
            Err(error) => {
                let why = stream::describe(&error);
                say::error(&format!("ylotrope run: {}: {why}", path.display()));
                return ExitCode::from(127);
            }
        }
    };
    let Some(text) = text else {
        say::error("ylotrope run: the text is not UTF-8");
        return ExitCode::from(2);
    };
    if run.check_only {
        return match engine::parse(&text) {
            Ok(_) => ExitCode::SUCCESS,
            Err(error) => not_run(&text, &RunError::Shell(error)),
        };
    }
    if !run.dry_run {
        guard::say_recovered();
    }
    let mut variables = Variables::new(name, arguments.collect());
    let interrupts = Interrupts::watch();
    let outcome = if run.dry_run {
        let limits = if run.no_limit { DryLimits::None } else { DryLimits::AsPreview };
        let dry = engine::dry_run(&text, &mut variables, limits, &interrupts.control);
        dry.map(|dry| {
            dry_run::tell(&dry, run.json);
            match dry.cut {
                None => dry.status,
                Some(Cut::Interrupted) => INTERRUPTED,
                Some(Cut::Limit(_)) => CUT_OFF,
            }
        })
    } else if run.telling.is_asked() {
        run_watched(&text, script.as_deref(), &mut variables, &interrupts.control, &run.telling)
    } else {
        run_script(&text, &mut variables, &interrupts.control, None)
    };
    interrupts.pass_on();
    match outcome {
        Ok(status) => ExitCode::from(status),
        Err(error) => not_run(&text, &error),
    }
}

/// Says why a text was not run to its end, and where in it that is.
pub(crate) fn not_run(text: &str, error: &RunError) -> ExitCode {
    let at = match error {
        RunError::Shell(error) => error.span.start,
        RunError::Plan(error) => error.span.start,
        RunError::Excess(_) | RunError::Internal => {
            say::error(&format!("ylotrope run: {error}"));
            return ExitCode::from(2);
        }
    };
    let before = text.get(..at).unwrap_or_default();
    let line = before.matches('\n').count() + 1;
    let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
    say::error(&format!("ylotrope run: line {line}, column {column}: {error}"));
    ExitCode::from(2)
}

impl Telling {
    fn is_asked(&self) -> bool {
        self.stats.is_some() || self.progress.is_some() || self.keep
    }
}

/// As [`run_script`], telling how far it is and what came of it.
fn run_watched(
    text: &str,
    script: Option<&Path>,
    variables: &mut Variables,
    control: &RunControl,
    telling: &Telling,
) -> Result<u8, RunError> {
    let began = jiff::Timestamp::now();
    let form = telling.progress.filter(|_| !telling.quiet);
    let expected = if telling.progress.is_some() || telling.keep {
        estimate(text, variables.clone())
    } else {
        Estimate::default()
    };
    if form == Some(progress::Form::Line) {
        progress::expect(&expected);
    }
    let screen = progress::TerminalLine::default();
    let giving_way = screen.clone();
    let watch =
        Watch::announcing(control, expected.expected(), move |ends| giving_way.give_way(ends));
    let progress = progress::Progress::start(&watch, form, &screen);
    let outcome = run_script(text, variables, control, Some(&watch));
    let history = progress.stop();
    let snapshot = watch.snapshot();
    let mut record = RunRecord::of(text, began, &snapshot, &history);
    record.script = script.map(Path::to_owned);
    if let Some(text) = script.and_then(|script| tui::open_script(script).ok()) {
        // As the Bench has it, so that runs of both are of the same text.
        record.text = text;
    }
    let source = |(path, bytes): (PathBuf, u64)| SourceRecord { path, bytes };
    record.sources = expected.sources.into_iter().map(source).collect();
    match &outcome {
        _ if control.was_cancelled() => record.end = RunEnd::Cancelled,
        Ok(status) => record.status = *status,
        Err(error) => record.end = RunEnd::Failed(error.to_string()),
    }
    progress::finish(form, outcome.is_ok() && !control.was_cancelled());
    if form == Some(progress::Form::Line) {
        progress::summary(&record, &snapshot);
    }
    if let Some(form) = telling.stats.filter(|_| !telling.quiet) {
        statistics::tell(&record, form);
    }
    if telling.keep
        && let Err(why) = keep(&record)
    {
        say::error(&format!("ylotrope run: the figures are not kept: {why}"));
    }
    outcome
}

fn keep(record: &RunRecord) -> Result<(), String> {
    let runs = Runs::usual().ok_or_else(|| insight::NotOurs::NoHome.to_string())?;
    runs.keep(record).map(drop).map_err(|error| error.to_string())
}
