//! `ylotrope`: the Bench on a terminal, and pipelines without one.

mod check;
mod columns;
mod completions;
mod demo;
mod demo_data;
mod dry_run;
mod export;
mod guard;
mod interrupts;
mod log;
mod man;
mod output;
mod progress;
mod runs;
mod say;
mod shell_init;
mod sources;
mod statistics;

use std::ffi::OsString;
use std::fs::File;
use std::io::{self, BufWriter, IsTerminal, Write};
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::{Context, Result, bail};
use clap::error::ErrorKind;
use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
use engine::{Estimate, RunError, Variables, Watch, estimate, run_filter, run_script};
use insight::{RunEnd, RunRecord, Runs, SourceRecord};
use interrupts::Interrupts;
use output::ScreenOutput;
use stream::RunControl;
use tui::{Background, Left, Options, PassOn, Purpose};

/// The version and what it was built from.
const VERSION: &str = concat!(env!("CARGO_PKG_VERSION"), " (", env!("YLOTROPE_BUILD"), ")");

/// Build text pipelines, see what every stage does to sample data, then run them for real.
#[derive(Parser)]
#[command(
    version = VERSION,
    max_term_width = 100,
    override_usage = "ylotrope [OPTIONS] [FILES]...\n       ylotrope [OPTIONS] <COMMAND>"
)]
struct Cli {
    #[command(subcommand)]
    command: Option<Command>,
    #[command(flatten)]
    screen: ScreenOptions,
    /// When the screen is left, print the text to standard output instead of running it
    #[arg(long, conflicts_with = "files")]
    print: bool,
    /// Begin with this text
    #[arg(long, value_name = "TEXT", conflicts_with = "files", allow_hyphen_values = true)]
    line: Option<OsString>,
    /// Write a log of what is done, without data, to ylotrope/log where state is kept
    #[arg(long, value_enum, value_name = "LEVEL", global = true)]
    log: Option<log::Level>,
    /// Data files to work on, a folder to choose from, or a saved pipeline (a script ending in .sh) with its
    /// parameters; without any, data from standard input, or this folder
    files: Vec<PathBuf>,
}

#[derive(Args, Clone)]
struct ScreenOptions {
    /// Terminal background; detected by default
    #[arg(long, value_enum)]
    background: Option<BackgroundName>,
}

impl ScreenOptions {
    /// These where they are given, otherwise `others`.
    fn or(&self, others: &Self) -> Self {
        Self { background: self.background.or(others.background) }
    }
}

#[derive(Clone, Copy, ValueEnum)]
enum BackgroundName {
    Dark,
    Light,
}

#[derive(Subcommand)]
enum Command {
    /// Open the Bench on made-up data of a funicular railway
    Demo(ScreenOptions),
    /// Run a pipeline for real, without a screen, as sh would
    Run(Run),
    /// Run one filter alone, from standard input to standard output
    #[command(disable_help_flag = true)]
    Use(Use),
    /// Describe a filter, or list all of them
    Guide(Guide),
    /// Show what the columns of a file hold: kinds, different values, bounds
    Columns(columns::Arguments),
    /// Say what is wrong or could be better in a script or a line, as a compiler would
    Check(check::Arguments),
    /// Draw a pipeline or a run, or write its figures
    Export(export::Arguments),
    /// List, show or compare kept runs
    Runs(runs::Arguments),
    /// Print the configuration in force, with a comment for each setting
    Config,
    /// Print a manual page, of the program or of a filter
    Man {
        /// The filter
        filter: Option<OsString>,
        /// Write all pages into this folder instead
        #[arg(long, value_name = "FOLDER", conflicts_with = "filter")]
        to: Option<PathBuf>,
    },
    /// Print completions for bash, zsh or fish
    Completions {
        /// The shell
        shell: shell_init::Shell,
    },
    /// For completions: what can be in the place of a word
    #[command(hide = true)]
    Candidates {
        /// What is asked for
        words: Vec<String>,
    },
    /// Print what bash, zsh or fish reads to have the Bench at its prompt (Alt-i)
    ShellInit {
        /// The shell
        shell: shell_init::Shell,
    },
    /// Write any amount of the demo's gate.log, the same for the same seed
    DemoData(DemoData),
}

#[derive(Args)]
struct Run {
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
    #[command(flatten)]
    telling: Telling,
    /// The script and its arguments ($0, $1, …); with -c, $0 and the arguments as for sh
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    arguments: Vec<OsString>,
}

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

#[derive(Args)]
struct Use {
    /// The filter, its options and its operands
    #[arg(
        trailing_var_arg = true,
        allow_hyphen_values = true,
        required = true,
        value_name = "FILTER [ARGUMENT]"
    )]
    words: Vec<OsString>,
}

#[derive(Args)]
struct Guide {
    /// The filter to describe
    filter: Option<OsString>,
}

#[derive(Args)]
struct DemoData {
    /// How much: bytes, or with K, M, G
    #[arg(long)]
    size: String,
    /// Different seeds give different data
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// The file to write
    file: PathBuf,
}

fn main() -> ExitCode {
    let mut arguments: Vec<OsString> = std::env::args_os().collect();
    let is_worker = arguments.get(1).is_some_and(|first| first == guard::WORKER);
    if is_worker {
        guard::follow_parent();
        arguments.remove(1);
    }
    let cli = Cli::parse_from(&arguments);
    if let Some(conflict) = conflict(&cli) {
        Cli::command().error(ErrorKind::ArgumentConflict, conflict).exit();
    }
    let has_screen = matches!(cli.command, None | Some(Command::Demo(_))) && output::has_terminal();
    if has_screen && !is_worker {
        arguments.remove(0);
        return guard::run(arguments).unwrap_or_else(|error| {
            say::error(&format!("ylotrope: the screen cannot be started: {error}"));
            ExitCode::from(2)
        });
    }
    let level = cli.log.or_else(|| log::Level::from_str(&tui::log_level()?, false).ok());
    if let Some(level) = level
        && let Err(error) = log::begin(level)
    {
        say::error(&format!("ylotrope: {error:#}"));
        return ExitCode::from(2);
    }
    let outcome = match cli.command {
        Some(Command::Run(run)) => return run_for_real(run),
        Some(Command::Use(used)) => return use_filter(used),
        Some(Command::Guide(guide)) => return show_guide(guide),
        Some(Command::Check(arguments)) => return check::tell(arguments),
        Some(Command::Config) => return show_configuration(),
        Some(Command::Man { filter, to }) => return show_pages(filter, to),
        Some(Command::Completions { shell }) => {
            say::print_exactly(&completions::script(shell));
            return ExitCode::SUCCESS;
        }
        Some(Command::Candidates { words }) => {
            say::print(&completions::candidates(&words));
            return ExitCode::SUCCESS;
        }
        Some(Command::ShellInit { shell }) => {
            say::print_exactly(&shell_init::text(shell));
            return ExitCode::SUCCESS;
        }
        Some(Command::Columns(arguments)) => columns::tell(&arguments).map(|()| Left::Done),
        Some(Command::Export(arguments)) => export::make(&arguments).map(|()| Left::Done),
        Some(Command::Runs(arguments)) => runs::tell(&arguments).map(|()| Left::Done),
        Some(Command::Demo(screen)) => open_demo(&screen.or(&cli.screen)),
        Some(Command::DemoData(demo_data)) => write_demo_data(&demo_data).map(|()| Left::Done),
        None => open(&cli),
    };
    match outcome {
        Ok(Left::Done) => ExitCode::SUCCESS,
        Ok(Left::Signal(signal)) => ExitCode::from(128 + signal as u8),
        Ok(Left::Declined) => ExitCode::from(DECLINED),
        Ok(Left::Print(text)) => {
            say::print_exactly(&text);
            ExitCode::SUCCESS
        }
        Ok(Left::PassOn(what)) => pass_on(*what),
        Err(error) => {
            say::error(&format!("ylotrope: {error:#}"));
            ExitCode::from(2)
        }
    }
}

/// What a command cannot do with the options before it. A log is for every command.
fn conflict(cli: &Cli) -> Option<&'static str> {
    let has_screen = matches!(cli.command, None | Some(Command::Demo(_)));
    let unused = cli.screen.background.is_some() && !has_screen;
    unused.then_some("--background is for the screen, and this command has none")
}

fn options(screen: &ScreenOptions) -> Options {
    let background = screen.background.map(|background| match background {
        BackgroundName::Dark => Background::Dark,
        BackgroundName::Light => Background::Light,
    });
    Options { background, ..Options::default() }
}

/// What the status of a process is that was interrupted: 128 + SIGINT. Nothing was wanted.
const DECLINED: u8 = 130;

/// Opens the screen, on the controlling terminal where standard output is something else; afterwards
/// standard output is what it was.
fn show(mut options: Options) -> Result<Left> {
    let output = ScreenOutput::take()?;
    if options.purpose == Purpose::Work {
        options.purpose = output.purpose();
    }
    let left = tui::run(options);
    output.give_back()?;
    Ok(left?)
}

/// Runs the text as `ylotrope run` does, with what was standard input.
fn pass_on(PassOn { text, mut variables, input }: PassOn) -> ExitCode {
    let fed = input.map(output::feed_standard_input).transpose();
    if let Err(error) = fed {
        say::error(&format!("ylotrope: standard input cannot be handed on: {error}"));
        return ExitCode::from(2);
    }
    let interrupts = Interrupts::watch();
    let outcome = run_script(&text, &mut variables, &interrupts.control, None);
    interrupts.pass_on();
    match outcome {
        Ok(status) => ExitCode::from(status),
        Err(error) => not_run(&text, &error),
    }
}

/// Lays the demo out, goes to its folder, and gives the pipeline that is opened there.
fn lay_out_demo() -> Result<PathBuf> {
    let folder = insight::own_folder(insight::Keeps::State);
    let folder = folder.ok_or(insight::NotOurs::NoHome)?.join("demo");
    let shown = folder.display().to_string();
    demo::lay_out(&folder).with_context(|| format!("the demo cannot be created in {shown}"))?;
    std::env::set_current_dir(&folder).with_context(|| shown)?;
    Ok(PathBuf::from(demo::FIRST))
}

fn open_demo(screen: &ScreenOptions) -> Result<Left> {
    let path = lay_out_demo()?;
    let text = tui::open_script(&path)?;
    show(Options { text, path: Some(path), ..options(screen) })
}

fn is_script(path: &Path) -> bool {
    path.extension().is_some_and(|extension| extension == "sh")
}

fn open(cli: &Cli) -> Result<Left> {
    let files = &cli.files;
    let (files, parameters) = match &files[..] {
        [script, parameters @ ..] if is_script(script) => (&files[..1], parameters),
        _ => (&files[..], &files[..0]),
    };
    let mut options = options(&cli.screen);
    if cli.print {
        options.purpose = Purpose::Prompt;
    }
    options.demo = Some(|| lay_out_demo().map_err(|error| format!("{error:#}")));
    let parameters = parameters.iter().map(|word| word.clone().into_os_string().into_vec());
    options.parameters = parameters.collect();
    if let Some(line) = &cli.line {
        let line = line.to_str().context("--line: the text is not UTF-8")?;
        options.text = line.to_owned();
        return show(options);
    }
    if let [folder] = files
        && folder.is_dir()
    {
        std::env::set_current_dir(folder).with_context(|| folder.display().to_string())?;
        options.starts = true;
        return show(options);
    }
    for file in files {
        let facts = std::fs::metadata(file).with_context(|| file.display().to_string())?;
        if facts.is_dir() {
            bail!("{}: is a folder; name it alone, or the files in it", file.display());
        }
    }
    match files {
        [script] if is_script(script) => {
            options.text =
                tui::open_script(script).with_context(|| script.display().to_string())?;
            options.path = Some(script.clone());
        }
        [] if io::stdin().is_terminal() => options.starts = true,
        [] => options.text = sources::standard_input().to_owned(),
        files => options.text = sources::reading(files)?,
    }
    show(options)
}

/// Runs like `sh`: status 2 for text that cannot be run, 127 for a script that is not there.
fn run_for_real(run: Run) -> ExitCode {
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
        match std::fs::read(&path) {
            Ok(bytes) => (String::from_utf8(bytes).ok(), name),
            Err(error) => {
                say::error(&format!("ylotrope run: {}: {error}", path.display()));
                return ExitCode::from(127);
            }
        }
    };
    let Some(text) = text else {
        say::error("ylotrope run: the text is not UTF-8");
        return ExitCode::from(2);
    };
    if run.check_only {
        return match shell::parse(&text) {
            Ok(_) => ExitCode::SUCCESS,
            Err(error) => not_run(&text, &RunError::Shell(error)),
        };
    }
    let mut variables = Variables::new(name, arguments.collect());
    let interrupts = Interrupts::watch();
    let outcome = if run.dry_run {
        let dry = engine::dry_run(&text, &mut variables, &interrupts.control);
        dry.map(|dry| {
            dry_run::tell(&dry, run.json);
            dry.status
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
fn not_run(text: &str, error: &RunError) -> ExitCode {
    let at = match error {
        RunError::Shell(error) => error.span.start,
        RunError::Plan(error) => error.span.start,
        RunError::Excess(excess) => {
            say::error(&format!("ylotrope run: {excess}; the run was ended"));
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

/// Runs one filter as its own program would run.
fn use_filter(used: Use) -> ExitCode {
    let mut words = used.words.into_iter().map(OsString::into_vec);
    let name = words.next().unwrap_or_default();
    let arguments = words.collect();
    // What stands behind the filter is its own; before it there is only this.
    if name == b"--help" || name == b"-h" {
        println!("Usage: ylotrope use FILTER [ARGUMENT …]\n\n“ylotrope guide” lists the filters.");
        return ExitCode::SUCCESS;
    }
    let interrupts = Interrupts::watch();
    let status = run_filter(&name, arguments, &interrupts.control);
    interrupts.pass_on();
    let Some(status) = status else {
        return no_such_filter("use", &name);
    };
    ExitCode::from(status)
}

fn no_such_filter(command: &str, name: &[u8]) -> ExitCode {
    let name = String::from_utf8_lossy(name);
    say::error(&format!("ylotrope {command}: no filter “{name}”; “ylotrope guide” lists them"));
    ExitCode::from(127)
}

fn show_configuration() -> ExitCode {
    match tui::configuration() {
        Ok(text) => {
            say::print(&text);
            ExitCode::SUCCESS
        }
        Err(why) => {
            say::error(&format!("ylotrope config: {why}"));
            ExitCode::from(2)
        }
    }
}

/// Prints a manual page, or writes all of them.
fn show_pages(filter: Option<OsString>, to: Option<PathBuf>) -> ExitCode {
    if let Some(folder) = to {
        let write = |(name, page): (String, String)| std::fs::write(folder.join(name), page);
        let written = std::fs::create_dir_all(&folder)
            .and_then(|()| man::all().into_iter().try_for_each(write));
        if let Err(error) = written {
            say::error(&format!(
                "ylotrope man: {}: {}",
                folder.display(),
                stream::describe(&error)
            ));
            return ExitCode::from(2);
        }
        return ExitCode::SUCCESS;
    }
    let page = match filter {
        None => man::of_program(),
        Some(name) => match filters::find(name.as_encoded_bytes()) {
            Some(definition) => man::of_filter(definition.spec),
            None => return no_such_filter("man", name.as_encoded_bytes()),
        },
    };
    say::print_exactly(&page);
    ExitCode::SUCCESS
}

fn show_guide(guide: Guide) -> ExitCode {
    let text = match guide.filter {
        None => filters::list(),
        Some(name) => match filters::find(name.as_encoded_bytes()) {
            Some(definition) => filters::guide(definition.spec),
            None => return no_such_filter("guide", name.as_encoded_bytes()),
        },
    };
    // Whoever closes standard output has read enough.
    say::print(&text);
    ExitCode::SUCCESS
}

fn write_demo_data(demo_data: &DemoData) -> Result<()> {
    let size =
        parse_size(&demo_data.size).context("--size: a number, with K, M or G if you like")?;
    let file =
        File::create(&demo_data.file).with_context(|| demo_data.file.display().to_string())?;
    let mut out = BufWriter::with_capacity(1 << 20, file);
    demo_data::write(&mut out, size, demo_data.seed)?;
    out.flush()?;
    Ok(())
}

fn parse_size(text: &str) -> Option<u64> {
    let digits = text.trim_end_matches(|character: char| character.is_ascii_alphabetic());
    let factor = match text[digits.len()..].to_ascii_uppercase().as_str() {
        "" => 1,
        "K" | "KIB" => 1 << 10,
        "M" | "MIB" => 1 << 20,
        "G" | "GIB" => 1 << 30,
        _ => return None,
    };
    digits.parse::<u64>().ok()?.checked_mul(factor)
}
