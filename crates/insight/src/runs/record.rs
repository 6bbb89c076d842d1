//! Runs kept: what ran on what, with the figures of every command, and how it ended.
//!
//! A run is one JSON document (RFC 8259) in a folder of its own kind; times are nanoseconds, sizes
//! bytes. What a field is called is what it is.

use std::fs;
use std::io::{self, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

use engine::{CommandFigures, CommandKind, Snapshot};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::runs::bottleneck::slowest;
use crate::runs::folders::{Keeps, make_own_folder, own_folder, read_own};
use crate::runs::history::{History, Moment, Rate, rates_of};

/// Runs that are kept; older ones make room.
const RUNS_MAX: usize = 200;

/// Points of a command's course that are kept.
const POINTS: usize = 240;

/// Bytes of the output that are kept for comparing.
const OUTPUT_KEPT: usize = 256 << 10;

/// A run.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct RunRecord {
    /// What this is, for those who come later.
    pub version: u32,
    /// When it began, in UTC (RFC 3339).
    pub began: Timestamp,
    /// The text.
    pub text: String,
    /// The script it is from.
    #[serde(default)]
    pub script: Option<PathBuf>,
    /// Where it ran.
    pub directory: PathBuf,
    /// How it ended.
    pub end: RunEnd,
    /// The status of the text.
    pub status: u8,
    /// Nanoseconds it took, without pauses.
    pub elapsed_ns: u64,
    /// Bytes read of files.
    pub read_bytes: u64,
    /// The files it read, with their sizes then.
    pub sources: Vec<SourceRecord>,
    /// The files it wrote.
    pub written: Vec<WrittenRecord>,
    /// Every command, in the order of the text.
    pub commands: Vec<CommandRecord>,
    /// The command that held the others up, and why.
    #[serde(default)]
    pub slowest: Option<String>,
    /// The beginning of what went to standard output, where it was kept, and all of its bytes.
    #[serde(default)]
    pub output: Option<String>,
    /// Bytes that went to standard output.
    #[serde(default)]
    pub output_bytes: u64,
}

/// How a run ended.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "how", content = "why")]
pub enum RunEnd {
    /// By itself.
    #[default]
    Done,
    /// Somebody ended it.
    Cancelled,
    /// Nothing was written, because of this.
    Failed(String),
}

/// A file that was read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SourceRecord {
    /// Its name as the text has it.
    pub path: PathBuf,
    /// Its size.
    pub bytes: u64,
}

/// A file that was written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct WrittenRecord {
    /// The file.
    pub path: PathBuf,
    /// Bytes written.
    pub bytes: u64,
    /// Lines written.
    pub lines: u64,
}

/// A command of a run.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)] // as in `StageFigures` and `Shares`
pub struct CommandRecord {
    /// Its words as they stand in the text.
    pub command: String,
    pub name: String,
    /// `filter`, `program` or `shell`.
    pub kind: String,
    /// How often it ended.
    pub runs: u64,
    pub status: u8,
    pub lines_in: u64,
    pub lines_out: u64,
    pub bytes_in: u64,
    pub bytes_out: u64,
    pub elapsed_ns: u64,
    pub working_ns: u64,
    pub waiting_ns: u64,
    pub held_up_ns: u64,
    pub processor_ns: u64,
    pub peak_held_bytes: u64,
    /// What it writes goes to the next command.
    pub linked: bool,
    /// How it went on: moments, and what had passed by then.
    #[serde(default)]
    pub course: Vec<CoursePoint>,
}

/// What had passed through a command by a moment.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct CoursePoint {
    /// Nanoseconds since the run began.
    pub at_ns: u64,
    /// Lines read, or written where nothing is read.
    pub lines: u64,
    /// Bytes.
    pub bytes: u64,
}

impl CommandRecord {
    /// A command's figures with its words in `text`.
    pub fn of(text: &str, command: &CommandFigures, moments: &[Moment]) -> Self {
        let figures = &command.figures;
        let shares = figures.shares();
        let words = text.get(command.span.range()).unwrap_or(&command.name);
        let step = moments.len().div_ceil(POINTS).max(1);
        let last = moments.len().saturating_sub(1);
        let kept = moments.iter().enumerate().filter(|(at, _)| at % step == 0 || *at == last);
        let point = |moment: &Moment| CoursePoint {
            at_ns: moment.at_ns,
            lines: moment.lines,
            bytes: moment.bytes,
        };
        Self {
            command: words.split_whitespace().collect::<Vec<_>>().join(" "),
            name: command.name.clone(),
            kind: match command.kind {
                CommandKind::Filter => "filter",
                CommandKind::Program => "program",
                CommandKind::Shell => "shell",
            }
            .to_owned(),
            runs: command.runs,
            status: command.status.0,
            lines_in: figures.lines_in,
            lines_out: figures.lines_out,
            bytes_in: figures.bytes_in,
            bytes_out: figures.bytes_out,
            elapsed_ns: figures.elapsed_ns,
            working_ns: shares.working_ns,
            waiting_ns: shares.waiting_ns,
            held_up_ns: shares.held_up_ns,
            processor_ns: figures.processor_ns,
            peak_held_bytes: figures.peak_held_bytes,
            linked: command.linked,
            course: kept.map(|(_, moment)| point(moment)).collect(),
        }
    }

    /// Lines that passed: read, or written where nothing is read.
    pub fn lines(&self) -> u64 {
        if self.bytes_in > 0 { self.lines_in } else { self.lines_out }
    }

    /// Lines a second in this many stretches of equal length over a run.
    pub fn rates(&self, parts: usize, elapsed_ns: u64) -> Vec<f64> {
        let moment = |point: &CoursePoint| Moment {
            at_ns: point.at_ns,
            lines: point.lines,
            bytes: point.bytes,
            queued_blocks: 0,
        };
        let moments: Vec<Moment> = self.course.iter().map(moment).collect();
        let lines = |rate: Option<Rate>| rate.map_or(0.0, |rate| rate.lines);
        rates_of(&moments, parts, 0, elapsed_ns).into_iter().map(lines).collect()
    }

    /// Bytes that passed.
    pub fn bytes(&self) -> u64 {
        if self.bytes_in > 0 { self.bytes_in } else { self.bytes_out }
    }
}

impl RunRecord {
    /// A run that has ended, or one that continues, as it is now.
    pub fn of(text: &str, began: Timestamp, snapshot: &Snapshot, history: &History) -> Self {
        let commands = snapshot.commands.iter();
        Self {
            version: 1,
            began,
            text: text.to_owned(),
            directory: std::env::current_dir().unwrap_or_default(),
            elapsed_ns: snapshot.elapsed_ns,
            read_bytes: snapshot.read_bytes,
            slowest: slowest(&snapshot.commands).map(|found| {
                format!("{} {}: {}", found.at + 1, snapshot.commands[found.at].name, found.says)
            }),
            commands: commands
                .map(|command| CommandRecord::of(text, command, history.moments(command.span)))
                .collect(),
            ..Self::default()
        }
    }

    /// Keeps the beginning of the output for comparing.
    #[must_use]
    pub fn with_output(mut self, output: &engine::Kept) -> Self {
        let mut kept = Vec::new();
        let mut first = 0;
        while kept.len() < OUTPUT_KEPT {
            let lines = output.lines_at(first, 256);
            if lines.is_empty() {
                break;
            }
            first += lines.len() as u64;
            for line in lines {
                kept.extend_from_slice(&line);
                kept.push(b'\n');
            }
        }
        kept.truncate(OUTPUT_KEPT);
        self.output = Some(String::from_utf8_lossy(&kept).into_owned());
        self.output_bytes = output.bytes();
        self
    }

    /// When it began, in the zone of the machine.
    pub fn began_here(&self) -> String {
        self.began.to_zoned(jiff::tz::TimeZone::system()).strftime("%F %T").to_string()
    }

    /// The text on one line, without the first line that is for the system.
    pub fn line(&self) -> String {
        let first = self.text.split('\n').next().unwrap_or_default();
        let body = if first.starts_with("#!") { &self.text[first.len()..] } else { &self.text };
        body.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    /// How it ended, in words.
    pub fn ended(&self) -> String {
        match &self.end {
            RunEnd::Done if self.status == 0 => "done".to_owned(),
            RunEnd::Done => format!("status {}", self.status),
            RunEnd::Cancelled => "cancelled".to_owned(),
            RunEnd::Failed(_) => "failed".to_owned(),
        }
    }
}

/// The folder where runs are kept.
#[derive(Clone, Debug)]
pub struct Runs {
    folder: PathBuf,
}

/// A run that was kept.
#[derive(Clone, Debug)]
pub struct KeptRun {
    /// Its name: unique, in the order of time.
    pub id: String,
    /// The run.
    pub record: RunRecord,
}

impl Runs {
    /// The usual place: `$XDG_STATE_HOME/ylotrope/runs` or `~/.local/state/ylotrope/runs`.
    /// `None` where nobody knows which.
    pub fn usual() -> Option<Self> {
        Some(Self::at(own_folder(Keeps::State)?.join("runs")))
    }

    /// A folder of somebody's choice.
    pub fn at(folder: PathBuf) -> Self {
        Self { folder }
    }

    fn file(&self, id: &str) -> PathBuf {
        self.folder.join(format!("{id}.json"))
    }

    /// Keeps a run, whole or not at all, and gives its name.
    ///
    /// # Errors
    /// When it cannot be written.
    pub fn keep(&self, record: &RunRecord) -> io::Result<String> {
        make_own_folder(&self.folder)?;
        let stem = record.began.strftime("%Y%m%dT%H%M%S").to_string();
        let mut id = stem.clone();
        let mut number = 1;
        while self.file(&id).exists() {
            number += 1;
            id = format!("{stem}-{number}");
        }
        let mut file = tempfile::Builder::new()
            .prefix(".run-")
            .permissions(fs::Permissions::from_mode(0o600))
            .tempfile_in(&self.folder)?;
        serde_json::to_writer_pretty(&mut file, record)?;
        file.write_all(b"\n")?;
        file.persist_noclobber(self.file(&id)).map_err(|error| error.error)?;
        self.make_room();
        Ok(id)
    }

    fn make_room(&self) {
        let ids = self.ids();
        for id in ids.iter().skip(RUNS_MAX) {
            // Somebody else may have made room already.
            let _ = self.remove(id);
        }
    }

    /// The names of all runs, newest first.
    pub fn ids(&self) -> Vec<String> {
        let Ok(entries) = fs::read_dir(&self.folder) else { return Vec::new() };
        let id = |entry: fs::DirEntry| {
            let name = entry.file_name().into_string().ok()?;
            name.strip_suffix(".json").filter(|id| !id.starts_with('.')).map(str::to_owned)
        };
        let mut ids: Vec<String> = entries.flatten().filter_map(id).collect();
        // `…-10` comes after `…-9`.
        let key = |id: &String| {
            let (stem, number) = id.split_once('-').unwrap_or((id, "1"));
            (stem.to_owned(), number.parse::<u64>().unwrap_or(0))
        };
        ids.sort_by_key(|id| std::cmp::Reverse(key(id)));
        ids
    }

    /// All runs, newest first; those that cannot be read are passed over.
    pub fn all(&self) -> Vec<KeptRun> {
        let run = |id: String| Some(KeptRun { record: self.load(&id).ok()?, id });
        self.ids().into_iter().filter_map(run).collect()
    }

    /// One run.
    ///
    /// # Errors
    /// When it is not there or is no run.
    pub fn load(&self, id: &str) -> io::Result<RunRecord> {
        let plain = !id.is_empty() && !id.contains('/') && !id.starts_with('.');
        if !plain {
            return Err(io::ErrorKind::NotFound.into());
        }
        load_file(&self.file(id))
    }

    /// Forgets a run.
    ///
    /// # Errors
    /// When it cannot be removed.
    pub fn remove(&self, id: &str) -> io::Result<()> {
        fs::remove_file(self.file(id))
    }
}

fn load_file(path: &Path) -> io::Result<RunRecord> {
    let bytes = read_own(path)?.ok_or(io::ErrorKind::NotFound)?;
    Ok(serde_json::from_slice(&bytes)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(text: &str, second: i64) -> RunRecord {
        let began = Timestamp::from_second(1_900_000_000 + second).unwrap();
        RunRecord { version: 1, text: text.to_owned(), began, ..RunRecord::default() }
    }

    #[test]
    fn runs_are_kept_whole_and_in_order() {
        let folder = tempfile::tempdir().unwrap();
        let runs = Runs::at(folder.path().join("runs"));
        let mut first = record("grep a f | sort", 0);
        first.end = RunEnd::Failed("no room".to_owned());
        first.commands.push(CommandRecord {
            course: vec![CoursePoint { at_ns: 5, lines: 6, bytes: 7 }],
            ..CommandRecord::default()
        });
        let one = runs.keep(&first).unwrap();
        let others: Vec<String> = (0..12).map(|_| runs.keep(&record("x", 1)).unwrap()).collect();
        assert_eq!(runs.load(&one).unwrap(), first);
        let ids = runs.ids();
        assert_eq!(ids.last(), Some(&one));
        assert_eq!(ids.first(), others.last());
        assert_eq!(runs.all().len(), 13);
        runs.remove(&one).unwrap();
        assert!(runs.load(&one).is_err());
    }

    #[test]
    fn only_so_many_are_kept_and_no_other_file_is_read() {
        let folder = tempfile::tempdir().unwrap();
        let runs = Runs::at(folder.path().to_owned());
        std::fs::write(folder.path().join("note.txt"), "mine").unwrap();
        std::fs::write(folder.path().join("19990101T000000.json"), "broken").unwrap();
        for second in 0..RUNS_MAX as i64 + 5 {
            runs.keep(&record("x", second)).unwrap();
        }
        assert_eq!(runs.ids().len(), RUNS_MAX);
        assert!(folder.path().join("note.txt").exists());
        assert!(runs.load("../note").is_err());
    }

    #[test]
    fn a_run_says_how_it_ended_and_what_passed() {
        let mut run = record("#!/bin/sh\n# count\n grep a f |\n  sort\n", 0);
        assert_eq!(run.line(), "# count grep a f | sort");
        run.text = "grep a f\n".to_owned();
        assert_eq!((run.line().as_str(), run.ended().as_str()), ("grep a f", "done"));
        run.status = 3;
        assert_eq!(run.ended(), "status 3");
        run.end = RunEnd::Cancelled;
        assert_eq!(run.ended(), "cancelled");
        let mut command = CommandRecord {
            lines_out: 5,
            bytes_out: 50,
            course: [(1, 2), (2, 6)]
                .map(|(at, lines)| CoursePoint { at_ns: at * 1_000_000_000, lines, bytes: lines })
                .to_vec(),
            ..CommandRecord::default()
        };
        assert_eq!((command.lines(), command.bytes()), (5, 50), "what reads nothing");
        (command.lines_in, command.bytes_in) = (7, 70);
        assert_eq!((command.lines(), command.bytes()), (7, 70));
        assert_eq!(command.rates(2, 2_000_000_000), [2.0, 4.0]);
    }

    #[test]
    fn the_beginning_of_the_output_is_kept() {
        let of = |text: &str| record("x", 0).with_output(&engine::Kept::of(text.as_bytes()));
        let few = of("a\nb");
        assert_eq!((few.output.as_deref(), few.output_bytes), (Some("a\nb\n"), 3));
        assert_eq!(of("").output.as_deref(), Some(""));
        let many: String = (0..OUTPUT_KEPT).map(|number| format!("{number}\n")).collect();
        let run = of(&many);
        assert_eq!(run.output_bytes, many.len() as u64);
        assert_eq!(run.output.as_deref(), Some(&many[..OUTPUT_KEPT]));
    }

    #[test]
    fn names_that_are_no_runs_are_not_opened() {
        let folder = tempfile::tempdir().unwrap();
        let runs = Runs::at(folder.path().join("runs"));
        let id = runs.keep(&record("x", 0)).unwrap();
        let text = std::fs::read(runs.file(&id)).unwrap();
        for name in ["", ".hidden", "other"] {
            std::fs::write(runs.file(name), &text).unwrap();
        }
        std::fs::write(folder.path().join("above.json"), &text).unwrap();
        for name in ["", ".hidden", "../above", "./other"] {
            let error = runs.load(name).unwrap_err();
            assert_eq!(error.kind(), std::io::ErrorKind::NotFound, "{name}");
        }
        assert!(runs.load("other").is_ok());
    }

    #[test]
    fn the_course_of_a_long_run_is_thinned_and_has_its_end() {
        let course = |count: usize| -> Vec<u64> {
            let moments: Vec<Moment> = (0..count as u64)
                .map(|at_ns| Moment { at_ns, lines: 2 * at_ns, ..Moment::default() })
                .collect();
            let record = CommandRecord::of("sort", &CommandFigures::default(), &moments);
            record.course.iter().map(|point| point.at_ns).collect()
        };
        assert_eq!(course(0), [0; 0]);
        assert_eq!(course(1), [0]);
        assert_eq!(course(POINTS), (0..POINTS as u64).collect::<Vec<_>>());
        let thin = course(POINTS + 2);
        assert_eq!(thin.len(), POINTS / 2 + 2);
        assert_eq!((thin[1], thin[thin.len() - 1]), (2, POINTS as u64 + 1));
    }
}
