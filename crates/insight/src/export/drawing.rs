//! Results and runs as drawings and documents to hand over.

use std::io;
use std::path::Path;

use draw::{
    Course, Diagram, Errors, FileOut, Funnel, FunnelRow, Node, Port, Scene, Stage, Stream,
    Throughput, Wiring, pdf, svg,
};
use engine::{Figure, InputRecord, Known, PendingMode, Preview, StagePlan, StageResult};
use stream::InputName;
use thiserror::Error;

use crate::describe::units::{
    byte_rate, bytes, duration, figure_lines, grouped, known_mark, line_rate, lines,
};
use crate::describe::wiring::{End, wiring};
use crate::describe::words::effect;
use crate::export::report::{figures_csv, figures_json, report_html, report_markdown};
use crate::runs::record::{CommandRecord, RunEnd, RunRecord};

/// What is handed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Export {
    /// The pipeline: stages, streams, files, descriptors.
    Diagram,
    /// Where every descriptor leads.
    Wiring,
    /// A run over time.
    Throughput,
    /// Lines after each stage.
    Funnel,
    /// A run with its figures and drawings, to read.
    Report,
    /// The figures of a run.
    Figures,
}

impl Export {
    /// All of them with their names and what they are.
    pub const ALL: [(Self, &'static str, &'static str); 6] = [
        (Self::Diagram, "diagram", "the pipeline: stages, streams, files (.svg, .pdf)"),
        (Self::Funnel, "funnel", "the lines after each stage as a chart (.svg, .pdf)"),
        (Self::Wiring, "wiring", "where every descriptor leads (.svg, .pdf)"),
        (Self::Throughput, "throughput", "the last run over time (.svg, .pdf)"),
        (Self::Report, "report", "the last run to read, drawings inside (.md, .html)"),
        (Self::Figures, "figures", "the figures of the last run (.csv, .json)"),
    ];

    /// True for what is made from a run, not from a result on a sample.
    pub fn needs_run(self) -> bool {
        matches!(self, Self::Throughput | Self::Report | Self::Figures)
    }

    /// The ending of a file it is written to if nobody says another.
    pub fn usual_ending(self) -> &'static str {
        match self {
            Self::Report => "html",
            Self::Figures => "csv",
            _ => "svg",
        }
    }
}

/// Why nothing is handed over.
#[derive(Debug, Error)]
pub enum ExportError {
    /// The ending of the file is none that this can be.
    #[error("{0}: the name must end in {1}")]
    Ending(String, &'static str),
    /// There is no result to make it from.
    #[error("no result to draw")]
    NoResult,
    /// There is no run to make it from.
    #[error("no full run yet: run it on everything first")]
    NoRun,
    /// It cannot be made a PDF.
    #[error(transparent)]
    Pdf(#[from] draw::PdfError),
    /// The file cannot be written.
    #[error(transparent)]
    Write(#[from] io::Error),
}

/// Writes `what` to a file, in the form that its name ends in.
///
/// # Errors
/// See [`ExportError`]; an old file then stays as it was.
pub fn export(
    what: Export,
    preview: Option<&Preview>,
    record: Option<&RunRecord>,
    path: &Path,
) -> Result<(), ExportError> {
    let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
    let wrong = |endings| Err(ExportError::Ending(path.display().to_string(), endings));
    let content = match (what, ending) {
        (Export::Report, "md" | "html") => {
            report(preview, record.ok_or(ExportError::NoRun)?, ending == "html").into_bytes()
        }
        (Export::Report, _) => return wrong(".md or .html"),
        (Export::Figures, "csv") => figures_csv(record.ok_or(ExportError::NoRun)?).into_bytes(),
        (Export::Figures, "json") => figures_json(record.ok_or(ExportError::NoRun)?).into_bytes(),
        (Export::Figures, _) => return wrong(".csv or .json"),
        (_, "svg") => svg(&scene(what, preview, record)?).into_bytes(),
        (_, "pdf") => pdf(&scene(what, preview, record)?)?,
        _ => return wrong(".svg or .pdf"),
    };
    engine::put_in_place(path, engine::Writing::Result, |file| file.write_all(&content))?;
    Ok(())
}

fn scene(
    what: Export,
    preview: Option<&Preview>,
    record: Option<&RunRecord>,
) -> Result<Scene, ExportError> {
    if what == Export::Throughput {
        return Ok(throughput(record.ok_or(ExportError::NoRun)?).scene());
    }
    let preview = preview.ok_or(ExportError::NoResult)?;
    Ok(match what {
        Export::Wiring => wires(preview).scene(),
        Export::Funnel => funnel(preview).scene(),
        _ => diagram(preview).scene(),
    })
}

fn report(preview: Option<&Preview>, record: &RunRecord, html: bool) -> String {
    let mut drawings = Vec::new();
    // A result of another text would show another pipeline.
    if let Some(preview) = preview.filter(|preview| preview.text == record.text) {
        drawings.push(("The pipeline", svg(&diagram(preview).scene())));
    }
    drawings.push(("Lines after each stage", svg(&funnel_of(record).scene())));
    drawings.push(("Throughput", svg(&throughput(record).scene())));
    let report = if html { report_html } else { report_markdown };
    report(record, &drawings)
}

fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A command as it is in the text.
fn command_text(preview: &Preview, stage: &StageResult) -> String {
    one_line(preview.text.get(stage.span.range()).unwrap_or(&stage.name))
}

/// The pipeline that is shown, as it is in the text.
fn title(preview: &Preview) -> String {
    let mut title = String::new();
    let mut before: Option<&StageResult> = None;
    for stage in &preview.stages {
        if let Some(before) = before {
            let between = preview.text.get(before.span.end..stage.span.start).unwrap_or_default();
            // Where errors are piped too, the sign for it says so.
            title.push_str(if between.contains("|&") { " |& " } else { " | " });
        }
        title.push_str(&command_text(preview, stage));
        before = Some(stage);
    }
    title
}

/// What was looked at, in words.
fn about(preview: &Preview) -> String {
    if preview.is_whole() {
        return "all of the data".to_owned();
    }
    let samples: Vec<String> = preview
        .sources()
        .map(|(path, sampled)| {
            let name = path.map_or("standard input".to_owned(), |path| path.display().to_string());
            let shown = sampled.kept.lines();
            match sampled.whole_lines() {
                Some(whole) => format!("{name}: {} of {}", grouped(shown), lines(whole)),
                None => format!("{name}: {} of a larger whole", lines(shown)),
            }
        })
        .collect();
    samples.join(" · ")
}

fn stream(lines: Figure) -> Stream {
    Stream { lines: Some(lines.so_far()), mark: known_mark(lines.known()) }
}

fn funnel_row(number: Option<usize>, label: String, lines: Figure) -> FunnelRow {
    FunnelRow { number, label, lines: lines.so_far(), mark: known_mark(lines.known()) }
}

/// The pipeline of a result as a diagram.
pub fn diagram(preview: &Preview) -> Diagram {
    let first = preview.stages.first();
    let inputs = first.map(|first| &first.inputs[..]).unwrap_or_default();
    let sources: Vec<String> = first
        .map(|first| inputs.iter().map(|input| first.input_label(input)).collect())
        .unwrap_or_default();
    let last = preview.stages.len().saturating_sub(1);
    let plans: Vec<StagePlan> = preview.stages.iter().map(|stage| stage.plan.clone()).collect();
    let stages = preview.stages.iter().enumerate().map(|(number, stage)| {
        // Behind the first stage only what is not the pipe is a file of its own.
        let reads =
            stage.inputs.iter().filter(|input| number > 0 && stage.input_path(input).is_some());
        Stage {
            command: command_text(preview, stage),
            does: effect(stage),
            out: stream(passed_on(preview, number)),
            carries: carries(&plans, number),
            reads: reads.map(|input| stage.input_label(input)).collect(),
            files: files(stage),
            errors: errors(&plans, number),
        }
    });
    let end = preview.stages.last().filter(|stage| stage.plan.feeds_next());
    let source = inputs.iter().map(InputRecord::lines).sum();
    let mut stages: Vec<Stage> = stages.collect();
    if let Some(stage) = stages.get_mut(last).filter(|_| end.is_none()) {
        stage.out = Stream::default();
    }
    Diagram {
        title: title(preview),
        about: about(preview),
        sources,
        source: stream(source),
        on_standard_input: inputs.iter().any(|input| input.name == InputName::Standard),
        stages,
        end: end.map_or(String::new(), |_| "standard output".to_owned()),
    }
}

/// The files a stage would write.
fn files(stage: &StageResult) -> Vec<FileOut> {
    let redirected = |path: &Path| {
        let same = |(written, _, target): (&Path, bool, &engine::Target)| {
            (stage.plan.at(written) == path).then_some(target.descriptor)
        };
        stage.plan.written().find_map(same)
    };
    // Errors are told by themselves.
    let of_output = stage.pending.iter().filter(|file| redirected(&file.path) != Some(2));
    let mut files: Vec<FileOut> = of_output
        .map(|file| {
            let how = match file.mode {
                PendingMode::New => "new file",
                PendingMode::Replace => "replaced",
                PendingMode::Append => "added to",
            };
            FileOut {
                name: file.path.display().to_string(),
                how: format!("{how} · {}", figure_lines(file.lines())),
                descriptor: redirected(&file.path),
            }
        })
        .collect();
    // Nowhere is no file that would be written, but where something leads.
    for (path, _, target) in stage.plan.written() {
        if path == Path::new("/dev/null") && target.descriptor == 1 {
            files.push(FileOut {
                name: "nowhere".to_owned(),
                how: "discarded".to_owned(),
                descriptor: Some(1),
            });
        }
    }
    files
}

/// Where standard error of a stage leads when all its redirections are performed.
fn errors(plans: &[StagePlan], number: usize) -> Errors {
    let steps = wiring(plans, number, false);
    let wires = steps.last().map(|step| &step.wires[..]).unwrap_or_default();
    let end =
        |descriptor| wires.iter().find(|wire| wire.descriptor == descriptor).map(|wire| &wire.end);
    match end(2) {
        Some(End::Nowhere | End::Closed) => Errors::Discarded,
        Some(two @ End::PipeTo(_)) if end(1) == Some(two) => Errors::WithOutput,
        Some(End::PipeTo(_)) => Errors::Onwards,
        Some(two @ (End::Replaces(path) | End::Appends(path))) => {
            if end(1) == Some(two) {
                Errors::WithOutput
            } else {
                Errors::File(path.clone())
            }
        }
        _ => Errors::Usual,
    }
}

/// The lines that the next stage gets from a stage, or that it writes itself as the last one.
fn passed_on(preview: &Preview, number: usize) -> Figure {
    let stage = &preview.stages[number];
    let next = preview.stages.get(number + 1);
    let taken =
        next.and_then(|next| next.inputs.iter().find(|input| input.name == InputName::Standard));
    match taken {
        Some(input) => input.lines(),
        None if stage.plan.feeds_next() => stage.lines_out(),
        None => Figure::default(),
    }
}

/// The descriptors of a stage that lead to the next one, or to the end of the pipeline.
fn carries(plans: &[StagePlan], number: usize) -> String {
    let steps = wiring(plans, number, false);
    let wires = steps.last().map(|step| &step.wires[..]).unwrap_or_default();
    let on = wires.iter().filter(|wire| matches!(wire.end, End::PipeTo(_)));
    let on: Vec<String> = on.map(|wire| wire.descriptor.to_string()).collect();
    if on.is_empty() { "1".to_owned() } else { on.join(" ") }
}

/// The wiring of the pipeline of a result.
pub fn wires(preview: &Preview) -> Wiring {
    let plans: Vec<_> = preview.stages.iter().map(|stage| stage.plan.clone()).collect();
    let given = preview
        .stages
        .first()
        .is_some_and(|stage| stage.inputs.iter().any(|input| input.name == InputName::Standard));
    let node = |(number, stage): (usize, &StageResult)| {
        let steps = wiring(&plans, number, given);
        let ports = steps.last().map(|step| &step.wires[..]).unwrap_or_default();
        Node {
            command: command_text(preview, stage),
            ports: ports
                .iter()
                .map(|wire| Port {
                    number: wire.descriptor,
                    reads: wire.end.is_read() || wire.descriptor == 0,
                    leads: wire.end.says(),
                    piped: matches!(wire.end, End::PipeTo(_)),
                })
                .collect(),
            steps: steps.iter().skip(1).map(|step| step.says.clone()).collect(),
        }
    };
    Wiring {
        title: title(preview),
        about: "every descriptor and where it leads".to_owned(),
        nodes: preview.stages.iter().enumerate().map(node).collect(),
    }
}

/// The lines after each stage of a result.
pub fn funnel(preview: &Preview) -> Funnel {
    let mut rows = Vec::new();
    if let Some(first) = preview.stages.first() {
        let names: Vec<String> =
            first.inputs.iter().map(|input| first.input_label(input)).collect();
        if !names.is_empty() {
            rows.push(funnel_row(None, names.join("  "), first.lines_in()));
        }
    }
    rows.extend(preview.stages.iter().enumerate().map(|(number, stage)| {
        funnel_row(Some(number + 1), command_text(preview, stage), stage.lines_out())
    }));
    Funnel { title: title(preview), about: about(preview), rows }
}

/// The lines after each stage of a run.
fn funnel_of(record: &RunRecord) -> Funnel {
    let known = if record.end == RunEnd::Done { Known::Exact } else { Known::AtLeast };
    let mut rows = Vec::new();
    if let Some(first) = record.commands.first().filter(|first| first.bytes_in > 0) {
        let names: Vec<String> =
            record.sources.iter().map(|source| source.path.display().to_string()).collect();
        let label = if names.is_empty() { "what is read".to_owned() } else { names.join("  ") };
        rows.push(funnel_row(None, label, Figure::new(first.lines_in, known)));
    }
    rows.extend(record.commands.iter().enumerate().map(|(number, command)| {
        funnel_row(Some(number + 1), command.command.clone(), Figure::new(command.lines_out, known))
    }));
    Funnel { title: record.line(), about: about_run(record), rows }
}

fn about_run(record: &RunRecord) -> String {
    format!(
        "{} UTC · {} · {} read in {}",
        record.began.strftime("%F %T"),
        record.ended(),
        bytes(record.read_bytes),
        duration(record.elapsed_ns)
    )
}

/// A run over time.
pub fn throughput(record: &RunRecord) -> Throughput {
    let mut about = about_run(record);
    if let Some(slowest) = &record.slowest {
        about.push_str(&format!(" · slowest: {slowest}"));
    }
    Throughput {
        title: record.line(),
        about,
        elapsed: std::time::Duration::from_nanos(record.elapsed_ns),
        courses: record.commands.iter().map(|command| course(command, record.elapsed_ns)).collect(),
    }
}

fn course(command: &CommandRecord, elapsed_ns: u64) -> Course {
    /// Stretches of a chart.
    const PARTS: usize = 120;
    let seconds = (command.elapsed_ns as f64 / 1e9).max(1e-9);
    let share = |part: u64| part as f64 / command.elapsed_ns.max(1) as f64;
    let shares = [command.working_ns, command.waiting_ns, command.held_up_ns].map(share);
    Course {
        command: command.command.clone(),
        about: format!(
            "{} · {} on average · at work {:.0} %, waiting {:.0} %, held up {:.0} % · processor {} · at most {} held",
            line_rate(command.lines() as f64 / seconds),
            byte_rate(command.bytes() as f64 / seconds),
            shares[0] * 100.0,
            shares[1] * 100.0,
            shares[2] * 100.0,
            duration(command.processor_ns),
            bytes(command.peak_held_bytes),
        ),
        rates: command.rates(PARTS, elapsed_ns),
        shares,
    }
}
