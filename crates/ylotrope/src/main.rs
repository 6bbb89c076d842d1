//! `ylotrope`: the Bench on a terminal, and pipelines without one.

mod check;
mod columns;
mod completions;
mod demo;
mod demo_data;
mod dry_run;
mod export;
mod guard;
mod input_file;
mod interrupts;
mod log;
mod man;
mod one_filter;
mod output;
mod progress;
mod real_run;
mod runs;
mod say;
mod screen;
mod shell_init;
mod sources;
mod statistics;

use std::ffi::OsString;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::error::ErrorKind;
use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
use tui::Left;

use demo_data::DemoData;
use one_filter::{Guide, Use};
use real_run::Run;
use screen::ScreenOptions;

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

#[derive(Args)]
struct DemoOptions {
    #[command(flatten)]
    screen: ScreenOptions,
    /// Bring the files of the demo back to how they were, say which, and open nothing
    #[arg(long)]
    reset: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Open the Bench on made-up data of a funicular railway
    Demo(DemoOptions),
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
    Config {
        /// Add the settings that are not in the configuration file to it; what is there stays
        #[arg(long)]
        write: bool,
    },
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

/// What the status of a process is that was interrupted: 128 + SIGINT. Nothing was wanted.
const DECLINED: u8 = 130;

/// A text without what would steer a terminal, without memory.
struct Unraw<'t>(&'t str);

impl std::fmt::Display for Unraw<'_> {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        use std::fmt::Write;
        let shown = |character| if stream::steers(character) { '\u{fffd}' } else { character };
        self.0.chars().try_for_each(|character| formatter.write_char(shown(character)))
    }
}

/// Says where something failed inside, in one line and without memory: a list of calls needs both memory and a
/// lock, and whoever has no memory while it is written waits for that lock for ever.
fn say_panics_shortly() {
    std::panic::set_hook(Box::new(|panic| {
        use std::io::Write;
        let payload = panic.payload();
        let text = payload.downcast_ref::<&str>().copied();
        let text = text.or_else(|| payload.downcast_ref::<String>().map(String::as_str));
        let text = Unraw(text.unwrap_or_default());
        let mut errors = std::io::stderr();
        // A standard error that cannot be written has nobody to be told.
        let _ = match panic.location() {
            Some(place) => writeln!(errors, "ylotrope: internal error at {place}: {text}"),
            None => writeln!(errors, "ylotrope: internal error: {text}"),
        };
    }));
}

fn main() -> ExitCode {
    say_panics_shortly();
    say::end(told())
}

/// Does what the command line asks for; gives the status.
fn told() -> ExitCode {
    let mut arguments: Vec<OsString> = std::env::args_os().collect();
    let is_worker = arguments.get(1).is_some_and(|first| first == guard::WORKER);
    let _parent = is_worker.then(|| {
        arguments.remove(1);
        guard::Parent::follow()
    });
    let cli = match Cli::try_parse_from(&arguments) {
        Ok(cli) => cli,
        Err(error) => return told_by_parser(&error),
    };
    if let Some(conflict) = conflict(&cli) {
        return told_by_parser(&Cli::command().error(ErrorKind::ArgumentConflict, conflict));
    }
    if let Some(folder) = insight::own_folder(insight::Keeps::State) {
        // Without it a write is not noted beforehand; that is all.
        engine::keep_journals_in(folder.join("journal"));
    }
    let has_screen = wants_screen(&cli) && output::has_terminal();
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
        Some(Command::Run(run)) => return real_run::run_for_real(run),
        Some(Command::Use(used)) => return one_filter::use_filter(used),
        Some(Command::Guide(guide)) => return one_filter::show_guide(guide),
        Some(Command::Check(arguments)) => return check::tell(arguments),
        Some(Command::Config { write }) => return show_configuration(write),
        Some(Command::Man { filter, to }) => return man::show_pages(filter, to),
        Some(Command::Completions { shell }) => {
            say::print_exactly(&completions::script(shell));
            return ExitCode::SUCCESS;
        }
        Some(Command::Candidates { words }) => {
            say::print_exactly(&completions::candidates(&words));
            return ExitCode::SUCCESS;
        }
        Some(Command::ShellInit { shell }) => {
            say::print_exactly(&shell_init::text(shell));
            return ExitCode::SUCCESS;
        }
        Some(Command::Columns(arguments)) => columns::tell(&arguments).map(|()| Left::Done),
        Some(Command::Export(arguments)) => export::make(&arguments).map(|()| Left::Done),
        Some(Command::Runs(arguments)) => runs::tell(&arguments).map(|()| Left::Done),
        Some(Command::Demo(demo)) if demo.reset => screen::reset_demo().map(|()| Left::Done),
        Some(Command::Demo(demo)) => screen::open_demo(&demo.screen.or(&cli.screen)),
        Some(Command::DemoData(demo_data)) => {
            demo_data::write_file(&demo_data).map(|()| Left::Done)
        }
        None => screen::open(&cli),
    };
    match outcome {
        Ok(Left::Done) => ExitCode::SUCCESS,
        Ok(Left::Signal(signal)) => ExitCode::from(128 + signal as u8),
        Ok(Left::Declined) => ExitCode::from(DECLINED),
        Ok(Left::Print(text)) => {
            say::print_exactly(&text);
            ExitCode::SUCCESS
        }
        Ok(Left::PassOn(what)) => screen::pass_on(*what),
        Err(error) => {
            say::error(&format!("ylotrope: {error:#}"));
            ExitCode::from(2)
        }
    }
}

/// Prints help, the version, or what is wrong with the command line, which is quoted there: names never
/// reach the terminal raw.
fn told_by_parser(error: &clap::Error) -> ExitCode {
    let text = error.render().to_string();
    if error.use_stderr() {
        say::error_text(&text);
    } else {
        say::print(&text);
    }
    ExitCode::from(u8::try_from(error.exit_code()).unwrap_or(2))
}

fn wants_screen(cli: &Cli) -> bool {
    match &cli.command {
        None => true,
        Some(Command::Demo(demo)) => !demo.reset,
        _ => false,
    }
}

/// What a command cannot do with the options before it. A log is for every command.
fn conflict(cli: &Cli) -> Option<&'static str> {
    let has_screen = wants_screen(cli);
    let unused = cli.screen.background.is_some() && !has_screen;
    unused.then_some("--background is for the screen, and this command has none")
}

fn show_configuration(write: bool) -> ExitCode {
    let shown = if write {
        tui::write_configuration().map(|said| format!("{said}\n"))
    } else {
        tui::configuration()
    };
    match shown {
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
