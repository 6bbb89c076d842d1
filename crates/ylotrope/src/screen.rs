//! Opening the screen: with what, and what is done after it is left.

use std::io::{self, IsTerminal};
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use engine::run_script;
use tui::{Background, Left, Options, PassOn, Purpose};

use crate::interrupts::Interrupts;
use crate::output::{self, ScreenOutput};
use crate::real_run::not_run;
use crate::{Cli, demo, say, sources};

#[derive(Args, Clone)]
pub(crate) struct ScreenOptions {
    /// Terminal background; detected by default
    #[arg(long, value_enum)]
    pub(crate) background: Option<BackgroundName>,
}

impl ScreenOptions {
    /// These where they are given, otherwise `others`.
    pub(crate) fn or(&self, others: &Self) -> Self {
        Self { background: self.background.or(others.background) }
    }
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum BackgroundName {
    Dark,
    Light,
}

fn options(screen: &ScreenOptions) -> Options {
    let background = screen.background.map(|background| match background {
        BackgroundName::Dark => Background::Dark,
        BackgroundName::Light => Background::Light,
    });
    Options { background, ..Options::default() }
}

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
pub(crate) fn pass_on(PassOn { text, mut variables, input }: PassOn) -> ExitCode {
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

fn demo_folder() -> Result<PathBuf> {
    let folder = insight::own_folder(insight::Keeps::State);
    Ok(folder.ok_or(insight::NotOurs::NoHome)?.join("demo"))
}

/// Brings the files of the demo back to how they were, and says which.
pub(crate) fn reset_demo() -> Result<()> {
    let folder = demo_folder()?;
    let shown = folder.display().to_string();
    let restored = demo::reset(&folder).with_context(|| shown.clone())?;
    for demo::Restored { name, kept } in &restored {
        let kept = kept.as_ref().map(|kept| format!("; yours is {kept} now")).unwrap_or_default();
        say::print(&format!("restored {shown}/{name}{kept}\n"));
    }
    if restored.is_empty() {
        say::print(&format!("{shown}: every file is as it was\n"));
    }
    Ok(())
}

/// Lays the demo out, goes to its folder, and gives the pipeline that is opened there.
fn lay_out_demo() -> Result<PathBuf> {
    let folder = demo_folder()?;
    let shown = folder.display().to_string();
    demo::lay_out(&folder).with_context(|| format!("the demo cannot be created in {shown}"))?;
    std::env::set_current_dir(&folder).with_context(|| shown)?;
    if !Path::new(demo::FIRST).exists() {
        bail!("{} was deleted; “ylotrope demo --reset” restores it", demo::FIRST);
    }
    Ok(PathBuf::from(demo::FIRST))
}

pub(crate) fn open_demo(screen: &ScreenOptions) -> Result<Left> {
    let path = lay_out_demo()?;
    let text = tui::open_script(&path)?;
    show(Options { text, path: Some(path), ..options(screen) })
}

fn is_script(path: &Path) -> bool {
    path.extension().is_some_and(|extension| extension == "sh")
}

pub(crate) fn open(cli: &Cli) -> Result<Left> {
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
