//! What the commands of a run did, told on standard error.

use std::io::Write;
use std::time::Duration;

use clap::ValueEnum;
use engine::CommandFigures;
use serde_json::{Value, json};

/// How it is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A table to read
    Text,
    /// One JSON document
    Json,
    /// A row a command, with a head (RFC 4180)
    Csv,
}

/// Tells what every command did.
pub(crate) fn tell(text: &str, commands: &[CommandFigures], elapsed: Duration, form: Form) {
    let told = match form {
        Form::Text => as_text(text, commands, elapsed),
        Form::Json => as_json(text, commands, elapsed),
        Form::Csv => as_csv(text, commands),
    };
    // A standard error that cannot be written has nobody to be told.
    let _ = std::io::stderr().write_all(told.as_bytes());
}

/// A command's words as they stand in the text, on one line.
fn words(text: &str, command: &CommandFigures) -> String {
    let words = text.get(command.span.range()).unwrap_or(&command.name);
    words.split_whitespace().collect::<Vec<_>>().join(" ")
}

fn seconds(nanoseconds: u64) -> String {
    format!("{:.3}", nanoseconds as f64 / 1e9)
}

fn as_text(text: &str, commands: &[CommandFigures], elapsed: Duration) -> String {
    const LONGEST: usize = 40;
    let mut out = format!(
        "{:>6} {:>12} {:>12} {:>14} {:>14} {:>9} {:>9} {:>9} {:>6}  command\n",
        "runs",
        "lines in",
        "lines out",
        "bytes in",
        "bytes out",
        "processor",
        "waiting",
        "held up",
        "status"
    );
    for command in commands {
        let figures = &command.figures;
        let words = words(text, command);
        let mut shown: String = words.chars().take(LONGEST).collect();
        if shown.len() < words.len() {
            shown.push('…');
        }
        out.push_str(&format!(
            "{:>6} {:>12} {:>12} {:>14} {:>14} {:>7} s {:>7} s {:>7} s {:>6}  {shown}\n",
            command.runs,
            figures.lines_in,
            figures.lines_out,
            figures.bytes_in,
            figures.bytes_out,
            seconds(figures.processor_ns),
            seconds(figures.waiting_ns),
            seconds(figures.held_up_ns),
            command.status.0,
        ));
    }
    out.push_str(&format!("{:.3} s in all\n", elapsed.as_secs_f64()));
    out
}

fn as_json(text: &str, commands: &[CommandFigures], elapsed: Duration) -> String {
    let commands: Vec<Value> = commands
        .iter()
        .map(|command| {
            let figures = &command.figures;
            json!({
                "command": words(text, command),
                "name": command.name,
                "runs": command.runs,
                "lines_in": figures.lines_in,
                "lines_out": figures.lines_out,
                "bytes_in": figures.bytes_in,
                "bytes_out": figures.bytes_out,
                "processor_ns": figures.processor_ns,
                "waiting_ns": figures.waiting_ns,
                "held_up_ns": figures.held_up_ns,
                "peak_held_bytes": figures.peak_held_bytes,
                "status": command.status.0,
            })
        })
        .collect();
    format!("{}\n", json!({ "elapsed_ns": elapsed.as_nanos() as u64, "commands": commands }))
}

fn as_csv(text: &str, commands: &[CommandFigures]) -> String {
    let mut out = "command,runs,lines_in,lines_out,bytes_in,bytes_out,processor_ns,waiting_ns,held_up_ns,peak_held_bytes,status\r\n".to_owned();
    for command in commands {
        let figures = &command.figures;
        out.push_str(&format!(
            "\"{}\",{},{},{},{},{},{},{},{},{},{}\r\n",
            words(text, command).replace('"', "\"\""),
            command.runs,
            figures.lines_in,
            figures.lines_out,
            figures.bytes_in,
            figures.bytes_out,
            figures.processor_ns,
            figures.waiting_ns,
            figures.held_up_ns,
            figures.peak_held_bytes,
            command.status.0,
        ));
    }
    out
}
