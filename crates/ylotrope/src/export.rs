//! `ylotrope export`: drawings and documents of a pipeline or a run.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::mpsc::channel;

use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use engine::{Consents, Limits, Preview, Request, Sample, SessionEvent, Variables, Workbench};
use insight::{Export, RunRecord, Runs, export};

#[derive(Args)]
pub(crate) struct Arguments {
    /// Draw this text
    #[arg(short = 'c', value_name = "LINE", conflicts_with = "script")]
    line: Option<String>,
    /// Draw this script; of several pipelines the longest is drawn, with what those before it
    /// would have done
    script: Option<PathBuf>,
    /// What to draw
    #[arg(long, value_enum)]
    what: What,
    /// The file to write; its extension decides the format
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
    /// Use only the first LINES lines of each file
    #[arg(long, value_name = "LINES")]
    sample: Option<u64>,
    /// The run to draw, by its name or its number in “ylotrope runs”; else the last one of the same
    /// text that was kept
    #[arg(long)]
    run: Option<String>,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
enum What {
    /// The pipeline: stages, streams, files (.svg, .pdf)
    Diagram,
    /// Where every descriptor leads (.svg, .pdf)
    Wiring,
    /// A run over time (.svg, .pdf)
    Throughput,
    /// The lines after each stage as a chart (.svg, .pdf)
    Funnel,
    /// A run to read, drawings inside (.md, .html)
    Report,
    /// The figures of a run (.csv, .json)
    Figures,
}

impl What {
    fn export(self) -> Export {
        match self {
            Self::Diagram => Export::Diagram,
            Self::Wiring => Export::Wiring,
            Self::Throughput => Export::Throughput,
            Self::Funnel => Export::Funnel,
            Self::Report => Export::Report,
            Self::Figures => Export::Figures,
        }
    }
}

/// Makes what is asked for.
pub(crate) fn make(arguments: &Arguments) -> Result<()> {
    let what = arguments.what.export();
    let mut text = match (&arguments.line, &arguments.script) {
        (Some(line), _) => Some(line.clone()),
        (None, Some(script)) => {
            Some(tui::open_script(script).with_context(|| script.display().to_string())?)
        }
        (None, None) => None,
    };
    let record = if what.needs_run() { Some(record(arguments, text.as_deref())?) } else { None };
    if let Some(record) = &record {
        text.get_or_insert_with(|| record.text.clone());
    }
    let Some(text) = text else { bail!("a script or -c LINE is needed") };
    // A report shows the pipeline too, where its data are still there.
    let preview = match what {
        Export::Throughput | Export::Figures => None,
        Export::Report => look(&text, arguments.sample).ok(),
        _ => Some(look(&text, arguments.sample)?),
    };
    export(what, preview.as_deref(), record.as_ref(), &arguments.to)
        .with_context(|| arguments.to.display().to_string())?;
    Ok(())
}

/// The run that is meant.
fn record(arguments: &Arguments, text: Option<&str>) -> Result<RunRecord> {
    let runs = Runs::usual().ok_or(insight::NotOurs::NoHome)?;
    if let Some(wanted) = &arguments.run {
        return Ok(crate::runs::find(&runs, wanted)?.record);
    }
    let Some(text) = text else { bail!("--run, a script or -c LINE is needed") };
    let last = runs.all().into_iter().find(|run| run.record.text.trim() == text.trim());
    match last {
        Some(run) => Ok(run.record),
        None => bail!("no run of this text was kept: “ylotrope run --keep” keeps one"),
    }
}

/// Where the pipeline of the most stages is in a text of several.
fn longest_pipeline(text: &str) -> usize {
    let Ok(script) = engine::parse(text) else { return 0 };
    let stages = |pipeline: &&shell::Pipeline| pipeline.commands.len();
    // Of those that are as long the first one.
    let longest = script.pipelines().collect::<Vec<_>>().into_iter().rev().max_by_key(stages);
    longest.map_or(0, |pipeline| pipeline.span.start)
}

/// What every stage does to the data, without changing anything.
fn look(text: &str, sample: Option<u64>) -> Result<Arc<Preview>> {
    let (sender, news) = channel();
    let mut workbench = Workbench::new(None, move |job| drop(sender.send(job)));
    workbench.evaluate(Request {
        text: text.to_owned(),
        at: longest_pipeline(text),
        variables: Variables::new("ylotrope", Vec::new()),
        script: None,
        plan: None,
        sample: sample.map_or(Sample::Everything, Sample::First),
        limits: Limits::generous(),
        allowed: Consents::default(),
    });
    loop {
        match news.recv()? {
            SessionEvent::Done(preview) => return Ok(preview),
            SessionEvent::Refused(_, error) => bail!("{error}"),
            SessionEvent::Failed(_, message) => bail!("{message}"),
            SessionEvent::Nothing(_) => bail!("nothing to draw"),
            _ => {}
        }
    }
}
