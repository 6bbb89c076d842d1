//! Passes data through and says how much, how fast and how long still. A filter of our own.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::sync::Arc;

use stream::{Block, ExitStatus, Sink, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, OptionId, OptionSpec, Spec, Style, UsageError, Verb,
    example, long_option,
};
use crate::text::phrases::from_files;

const PERCENT: OptionId = OptionId::Long("percent");
const EXPECT: OptionId = OptionId::Long("expect");

const OPTIONS: &[OptionSpec] = &[
    long_option(
        "percent",
        None,
        "write whole percents, one per line, for another program to read",
        false,
    ),
    long_option(
        "expect",
        Some("NUM"),
        "how many bytes will come, where that cannot be seen; with k, M, G",
        false,
    ),
];

static SPEC: Spec = Spec {
    name: "meter",
    summary: "passes data through and reports bytes, rate and time on standard error",
    options: OPTIONS,
    operands: Operands::Files,
    operand_names: "[file …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example("meter gate.log | grep -c refused", "progress while grep reads"),
        example("meter --expect 2G < /dev/zero | head -c 2G > big", "with the time that is left"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

/// Nanoseconds between two reports on a terminal.
const REPORT_EVERY: i128 = 200_000_000;

struct Meter {
    files: Vec<Vec<u8>>,
    percent: bool,
    size: Option<u64>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    Ok(Box::new(Meter {
        files: arguments.operand_values(),
        percent: arguments.has(PERCENT),
        size: arguments.number(&SPEC, EXPECT, "invalid size")?,
    }))
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    let how = if arguments.has(PERCENT) { "percents" } else { "bytes, rate and time" };
    format!("passes everything{files} on and reports {how} on standard error")
}

/// What is reported, when and where.
struct Report {
    error: Arc<dyn Sink>,
    terminal: bool,
    percent: bool,
    whole: Option<u64>,
    start: i128,
    last: i128,
    last_percent: Option<u64>,
    bytes: u64,
    /// Columns of the line on the terminal.
    shown: usize,
}

impl Filter for Meter {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let error = io.error_sink()?;
        let start = io.files().machine().now_ns();
        let mut report = Report {
            terminal: error.is_terminal(),
            error,
            percent: self.percent,
            whole: self.size.or_else(|| whole(io, &files)),
            start,
            last: start,
            last_percent: None,
            bytes: 0,
            shown: 0,
        };
        let outcome = io.each_input(&files, 1, |io, input, _| {
            if report.whole.is_none() && files.is_empty() {
                report.whole = input.file_bytes();
            }
            while let Some(lines) = input.next_block()? {
                report.bytes += lines.bytes.len() as u64;
                io.out().pass_lines(lines)?;
                report.progress(io.files().machine().now_ns());
            }
            Ok(())
        });
        report.end(io.files().machine().now_ns(), outcome.is_ok());
        outcome?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Passes
    }
}

/// The bytes of all files, where they are known.
fn whole(io: &StageIo<'_>, files: &[Vec<u8>]) -> Option<u64> {
    if files.is_empty() {
        return None;
    }
    let machine = io.files().machine();
    files
        .iter()
        .map(|file| {
            let facts = machine.facts(Path::new(OsStr::from_bytes(file))).ok()?;
            facts.is_regular().then_some(facts.bytes)
        })
        .sum()
}

impl Report {
    fn write(&self, text: String) {
        // A standard error that cannot be written has nobody to be told.
        let _ = self.error.write(Block::new(text.into_bytes()));
    }

    fn progress(&mut self, now: i128) {
        if self.percent {
            let Some(whole) = self.whole else { return };
            let percent =
                (u128::from(self.bytes) * 100).checked_div(u128::from(whole)).unwrap_or(100) as u64;
            let percent = percent.min(100);
            if self.last_percent != Some(percent) {
                self.last_percent = Some(percent);
                self.write(format!("{percent}\n"));
            }
        } else if self.terminal && now - self.last >= REPORT_EVERY {
            self.last = now;
            let line = self.line(now, true);
            let width = line.chars().count();
            let rest = " ".repeat(self.shown.saturating_sub(width));
            self.shown = width;
            self.write(format!("\r{line}{rest}"));
        }
    }

    /// The last report: on a terminal in the place of the others, else the only one.
    fn end(&mut self, now: i128, complete: bool) {
        if self.percent {
            if complete && self.last_percent != Some(100) {
                self.write("100\n".to_owned());
            }
            return;
        }
        let line = self.line(now, false);
        let width = line.chars().count();
        let rest = " ".repeat(self.shown.saturating_sub(width));
        let back = if self.terminal && self.shown > 0 { "\r" } else { "" };
        self.write(format!("{back}{line}{rest}\n"));
    }

    fn line(&self, now: i128, going: bool) -> String {
        let seconds = (now - self.start).max(0) as f64 / 1e9;
        let rate = if seconds > 0.0 { self.bytes as f64 / seconds } else { 0.0 };
        let mut line = size(self.bytes as f64);
        if let (Some(whole), true) = (self.whole, going) {
            let percent = self.bytes as f64 * 100.0 / whole.max(1) as f64;
            line.push_str(&format!(" of {}  {:.0} %", size(whole as f64), percent.min(100.0)));
        }
        line.push_str(&format!("  {}/s  {}", size(rate), clock(seconds)));
        if let (Some(whole), true) = (self.whole, going)
            && rate > 0.0
            && whole > self.bytes
        {
            line.push_str(&format!("  {} left", clock((whole - self.bytes) as f64 / rate)));
        }
        line
    }
}

/// Bytes with a unit: `812 B`, `44.1 KiB`.
fn size(bytes: f64) -> String {
    let mut value = bytes;
    for unit in ["B", "KiB", "MiB", "GiB", "TiB"] {
        if value < 1000.0 || unit == "TiB" {
            return if unit == "B" {
                format!("{value:.0} {unit}")
            } else {
                format!("{value:.1} {unit}")
            };
        }
        value /= 1024.0;
    }
    String::new()
}

/// `3.2 s`, `4:05`, `1:02:03`.
fn clock(seconds: f64) -> String {
    let whole = seconds as u64;
    match whole {
        0..=59 => format!("{seconds:.1} s"),
        60..=3599 => format!("{}:{:02}", whole / 60, whole % 60),
        _ => format!("{}:{:02}:{:02}", whole / 3600, whole / 60 % 60, whole % 60),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_are_short() {
        assert_eq!(size(812.0), "812 B");
        assert_eq!(size(45_158.4), "44.1 KiB");
        assert_eq!(size(5.0 * 1024.0 * 1024.0), "5.0 MiB");
        assert_eq!(clock(3.24), "3.2 s");
        assert_eq!(clock(245.0), "4:05");
        assert_eq!(clock(3723.0), "1:02:03");
    }
}
