//! Lines that were evaluated before, each with what it gave then.

use std::io::{self, Write};
use std::path::{Path, PathBuf};

use foldhash::HashSet;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::runs::folders::{make_own_folder, read_own};

/// Lines that are kept.
pub const PAST_MOST: usize = 20_000;

/// This many more are appended before the file is written anew.
const SLACK: usize = 5_000;

/// A line that was evaluated.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PastLine {
    /// The text.
    pub text: String,
    /// When, in UTC.
    pub when: Timestamp,
    /// Lines of its result.
    pub lines: u64,
    /// Bytes of it.
    pub bytes: u64,
    /// How long it took, in nanoseconds.
    pub elapsed_ns: u64,
    /// The files it read.
    #[serde(default)]
    pub files: Vec<PathBuf>,
    /// The figures are those of a part of the data.
    #[serde(default)]
    pub partial: bool,
}

/// The file of past lines: a JSON object a line, the newest last.
#[derive(Clone, Debug)]
pub struct PastLog {
    path: PathBuf,
}

impl PastLog {
    /// The one in this folder.
    pub fn in_folder(folder: &Path) -> Self {
        Self { path: folder.join("past.jsonl") }
    }

    /// All of them, the newest first, each text once; at most 20 000. What cannot be read as one is
    /// passed over.
    ///
    /// # Errors
    /// When the file cannot be read, or others may write it.
    pub fn lines(&self) -> io::Result<Vec<PastLine>> {
        Ok(newest(&read_own(&self.path)?.unwrap_or_default()))
    }

    /// Adds a line; of a file that has grown too long the oldest are left out.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub fn add(&self, line: &PastLine) -> io::Result<()> {
        let folder = self.path.parent().unwrap_or(Path::new("."));
        make_own_folder(folder)?;
        let now = read_own(&self.path)?.unwrap_or_default();
        if memchr::memchr_iter(b'\n', &now).count() >= PAST_MOST + SLACK {
            let mut lines = newest(&now);
            lines.retain(|old| old.text != line.text);
            lines.truncate(PAST_MOST - 1);
            lines.insert(0, line.clone());
            return self.replace(&lines);
        }
        let mut text = serde_json::to_vec(line).map_err(io::Error::other)?;
        text.push(b'\n');
        // An interrupted line before it must not swallow this one.
        if now.last().is_some_and(|last| *last != b'\n') {
            text.insert(0, b'\n');
        }
        let mut options = std::fs::OpenOptions::new();
        std::os::unix::fs::OpenOptionsExt::mode(options.append(true).create(true), 0o600);
        options.open(&self.path)?.write_all(&text)
    }

    /// Forgets a text.
    ///
    /// # Errors
    /// When the file cannot be read or written.
    pub fn remove(&self, text: &str) -> io::Result<()> {
        let mut lines = self.lines()?;
        lines.retain(|line| line.text != text);
        self.replace(&lines)
    }

    /// Writes all, given with the newest first.
    fn replace(&self, lines: &[PastLine]) -> io::Result<()> {
        let mut text = Vec::new();
        for line in lines.iter().rev() {
            serde_json::to_writer(&mut text, line).map_err(io::Error::other)?;
            text.push(b'\n');
        }
        engine::put_in_place(&self.path, engine::Writing::Own, |file| file.write_all(&text))
    }
}

/// The lines of a file, the newest first, each text once.
fn newest(bytes: &[u8]) -> Vec<PastLine> {
    let mut known: HashSet<String> = HashSet::default();
    let mut lines: Vec<PastLine> = Vec::new();
    for line in bytes.rsplit(|byte| *byte == b'\n').filter(|line| !line.is_empty()) {
        let Ok(line) = serde_json::from_slice::<PastLine>(line) else { continue };
        if known.insert(line.text.clone()) {
            lines.push(line);
            if lines.len() == PAST_MOST {
                break;
            }
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(text: &str, lines: u64) -> PastLine {
        PastLine {
            text: text.to_owned(),
            when: Timestamp::from_second(1_900_000_000).unwrap(),
            lines,
            bytes: 10,
            elapsed_ns: 1_000,
            files: vec!["gate.log".into()],
            partial: false,
        }
    }

    #[test]
    fn each_text_is_there_once_with_its_newest_figures() {
        let folder = tempfile::tempdir().unwrap();
        let log = PastLog::in_folder(&folder.path().join("own"));
        assert!(log.lines().unwrap().is_empty());
        for (text, lines) in [("sort a\nb", 1), ("uniq", 2), ("sort a\nb", 3)] {
            log.add(&line(text, lines)).unwrap();
        }
        let read = log.lines().unwrap();
        assert_eq!(read, [line("sort a\nb", 3), line("uniq", 2)]);
        log.remove("uniq").unwrap();
        assert_eq!(log.lines().unwrap(), [line("sort a\nb", 3)]);
        // Half a line is passed over, and the next one is not lost with it.
        let path = folder.path().join("own/past.jsonl");
        let mut half = std::fs::read(&path).unwrap();
        half.extend_from_slice(b"{\"text\":\"brok");
        std::fs::write(&path, half).unwrap();
        log.add(&line("tac", 4)).unwrap();
        assert_eq!(log.lines().unwrap(), [line("tac", 4), line("sort a\nb", 3)]);
    }

    #[test]
    fn only_so_many_are_kept() {
        let folder = tempfile::tempdir().unwrap();
        let log = PastLog::in_folder(folder.path());
        let text: String = (0..PAST_MOST + SLACK)
            .map(|at| serde_json::to_string(&line(&format!("seq {at}"), 1)).unwrap() + "\n")
            .collect();
        std::fs::write(folder.path().join("past.jsonl"), text).unwrap();
        log.add(&line("newest", 1)).unwrap();
        let read = log.lines().unwrap();
        assert_eq!((read.len(), read[0].text.as_str()), (PAST_MOST, "newest"));
        let kept = std::fs::read(folder.path().join("past.jsonl")).unwrap();
        assert_eq!(memchr::memchr_iter(b'\n', &kept).count(), PAST_MOST);
    }
}
