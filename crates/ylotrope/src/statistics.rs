//! What the commands of a run did, told on standard error.

use clap::ValueEnum;
use insight::{RunRecord, figures_csv, figures_json};

/// How it is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A table to read
    Text,
    /// One JSON document
    Json,
    /// One row per command, with a header (RFC 4180)
    Csv,
}

/// Tells what every command did.
pub(crate) fn tell(record: &RunRecord, form: Form) {
    let told = match form {
        Form::Text => as_text(record),
        Form::Json => figures_json(record),
        Form::Csv => figures_csv(record),
    };
    crate::say::error_text(&told);
}

fn seconds(nanoseconds: u64) -> String {
    format!("{:.3}", nanoseconds as f64 / 1e9)
}

/// The figures as a table.
pub(crate) fn as_text(record: &RunRecord) -> String {
    const LONGEST: usize = 40;
    let mut out = format!(
        "{:>6} {:>12} {:>12} {:>14} {:>14} {:>9} {:>9} {:>9} {:>9} {:>9} {:>6}  command\n",
        "runs",
        "lines in",
        "lines out",
        "bytes in",
        "bytes out",
        "working",
        "waiting",
        "held up",
        "processor",
        "memory",
        "status"
    );
    for command in &record.commands {
        let mut shown: String = command.command.chars().take(LONGEST).collect();
        if shown.len() < command.command.len() {
            shown.push('…');
        }
        out.push_str(&format!(
            "{:>6} {:>12} {:>12} {:>14} {:>14} {:>7} s {:>7} s {:>7} s {:>7} s {:>9} {:>6}  {shown}\n",
            command.runs,
            command.lines_in,
            command.lines_out,
            command.bytes_in,
            command.bytes_out,
            seconds(command.working_ns),
            seconds(command.waiting_ns),
            seconds(command.held_up_ns),
            seconds(command.processor_ns),
            insight::bytes(command.peak_held_bytes),
            command.status,
        ));
    }
    out.push_str(&format!("{} s in all\n", seconds(record.elapsed_ns)));
    out
}
