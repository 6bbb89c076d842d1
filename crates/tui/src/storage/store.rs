//! What outlives a session: earlier lines, the recovery file, saved pipelines.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use engine::{Writing, put_in_place};
use insight::{make_own_folder, read_own};

/// First line of a saved pipeline.
const SHEBANG: &str = "#!/bin/sh\n";

/// Earlier lines that are kept.
const HISTORY_MAX: usize = 1000;

/// Where Ylotrope keeps its own files.
#[derive(Clone, Debug)]
pub(crate) struct Store {
    directory: PathBuf,
}

/// Text found from a session that ended without saying so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Recovered {
    /// The text.
    pub text: String,
    file: PathBuf,
}

impl Store {
    /// The usual place: `$XDG_STATE_HOME/ylotrope` or `~/.local/state/ylotrope`.
    /// `None` where nobody knows which.
    pub(crate) fn usual() -> Option<Self> {
        Some(Self { directory: insight::own_folder(insight::Keeps::State)? })
    }

    /// A store somewhere else.
    #[cfg(test)]
    pub(crate) fn at(directory: PathBuf) -> Self {
        Self { directory }
    }

    /// Where it is.
    pub(crate) fn folder(&self) -> &Path {
        &self.directory
    }

    /// Takes a line out of the earlier ones.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub(crate) fn forget(&self, line: &str) -> io::Result<()> {
        let mut lines = self.history_lines()?;
        let line = escaped(line).into_bytes();
        let before = lines.len();
        lines.retain(|earlier| *earlier != line);
        if lines.len() == before {
            return Ok(());
        }
        let mut text = lines.join(&b'\n');
        text.push(b'\n');
        replace_file(&self.history_file(), &text, Writing::Own)
    }

    pub(crate) fn history_file(&self) -> PathBuf {
        self.directory.join("history")
    }

    fn recovery_file(&self) -> PathBuf {
        self.directory.join(format!("recovery-{}.sh", std::process::id()))
    }

    /// Earlier lines, oldest first. A line of several is kept with its newlines escaped. A line that
    /// is not UTF-8 is passed over here, and stays in the file.
    ///
    /// # Errors
    /// When the file cannot be read, or others may write it.
    pub(crate) fn history(&self) -> io::Result<Vec<String>> {
        let lines = self.history_lines()?;
        Ok(lines.iter().filter_map(|line| std::str::from_utf8(line).ok()).map(unescaped).collect())
    }

    /// The lines as they are in the file.
    fn history_lines(&self) -> io::Result<Vec<Vec<u8>>> {
        let bytes = read_own(&self.history_file())?.unwrap_or_default();
        let lines = bytes.split(|&byte| byte == b'\n').filter(|line| !line.is_empty());
        Ok(lines.map(<[u8]>::to_vec).collect())
    }

    /// Adds a line to the earlier ones.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub(crate) fn remember(&self, line: &str) -> io::Result<()> {
        make_own_folder(&self.directory)?;
        let mut lines = self.history_lines()?;
        let line = escaped(line).into_bytes();
        lines.retain(|earlier| *earlier != line);
        lines.push(line);
        let from = lines.len().saturating_sub(HISTORY_MAX);
        let mut text = lines[from..].join(&b'\n');
        text.push(b'\n');
        replace_file(&self.history_file(), &text, Writing::Own)
    }

    /// Writes the text where a crash leaves it.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub(crate) fn save_recovery(&self, text: &str) -> io::Result<()> {
        make_own_folder(&self.directory)?;
        replace_file(&self.recovery_file(), text.as_bytes(), Writing::Own)
    }

    /// Forgets the recovery text: the session ends in good order.
    pub(crate) fn clear_recovery(&self) {
        // There may be none.
        let _ = fs::remove_file(self.recovery_file());
    }

    /// The newest text of a session whose process is gone.
    pub(crate) fn recovered(&self) -> Option<Recovered> {
        let entries = fs::read_dir(&self.directory).ok()?;
        let mut found: Vec<(std::time::SystemTime, PathBuf)> = entries
            .flatten()
            .filter_map(|entry| {
                let name = entry.file_name().into_string().ok()?;
                let process = name.strip_prefix("recovery-")?.strip_suffix(".sh")?;
                let alive = procfs::process::Process::new(process.parse().ok()?)
                    .is_ok_and(|process| process.is_alive());
                let modified = entry.metadata().ok()?.modified().ok()?;
                (!alive).then(|| (modified, entry.path()))
            })
            .collect();
        found.sort();
        let (_, file) = found.pop()?;
        let text = String::from_utf8(read_own(&file).ok()??).ok()?;
        Some(Recovered { text, file })
    }

    /// Removes a recovered text that was taken or refused.
    pub(crate) fn settle(recovered: &Recovered) {
        // It may be gone already.
        let _ = fs::remove_file(&recovered.file);
    }
}

fn escaped(line: &str) -> String {
    line.replace('\\', "\\\\").replace('\n', "\\n")
}

fn unescaped(line: &str) -> String {
    let mut text = String::new();
    let mut characters = line.chars();
    while let Some(character) = characters.next() {
        match character {
            '\\' => match characters.next() {
                Some('n') => text.push('\n'),
                Some(other) => text.push(other),
                None => text.push('\\'),
            },
            _ => text.push(character),
        }
    }
    text
}

/// Puts a file of these bytes in place.
fn replace_file(path: &Path, bytes: &[u8], writing: Writing) -> io::Result<()> {
    put_in_place(path, writing, |file| file.write_all(bytes))
}

/// Saves a pipeline as a script that `sh` runs: the text as it is under a first line for `sh`.
///
/// # Errors
/// When the file cannot be written; an old file then stays as it was.
pub(crate) fn save_script(path: &Path, text: &str) -> io::Result<()> {
    let script =
        if text.starts_with("#!") { text.to_owned() } else { format!("{SHEBANG}{text}\n") };
    replace_file(path, script.as_bytes(), Writing::Script)
}

/// Keeps a stream as a file, whole or not at all; gives its bytes.
///
/// # Errors
/// When the file cannot be written; an old file then stays as it was.
pub(crate) fn keep_stream(path: &Path, kept: &Arc<engine::Kept>) -> io::Result<u64> {
    put_in_place(path, Writing::Result, |file| {
        let mut source = kept.source();
        let mut bytes = 0;
        while let Some(block) =
            source.next_block().map_err(|error| io::Error::other(error.to_string()))?
        {
            file.write_all(block.bytes())?;
            bytes += block.len() as u64;
        }
        Ok(bytes)
    })
}

/// Opens a script: what `save_script` wrote gives exactly the text that was saved.
///
/// # Errors
/// When the file cannot be read or is no text.
pub fn open_script(path: &Path) -> io::Result<String> {
    use std::io::Read;
    let mut bytes = Vec::new();
    // A pipe or a device in the place of a script is said and not waited for.
    if let Some(file) = engine::open_regular(path)? {
        { file }.read_to_end(&mut bytes)?;
    }
    let text = String::from_utf8(bytes)
        .map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "not a text file"))?;
    let body = text.strip_prefix(SHEBANG).unwrap_or(&text);
    let ours = body.len() < text.len();
    Ok(if ours {
        body.strip_suffix('\n').unwrap_or(body).to_owned()
    } else {
        text.trim_end_matches('\n').to_owned()
    })
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_script_of_others_loses_the_empty_lines_at_its_end() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("own.sh");
        for (file, text) in [
            ("seq 3\n\n\n", "seq 3"),
            ("#!/bin/sh\nseq 3\n\n\n", "seq 3\n\n"),
            ("#!/bin/sh\n", ""),
            ("", ""),
        ] {
            std::fs::write(&path, file).unwrap();
            assert_eq!(open_script(&path).unwrap(), text, "{file:?}");
        }
    }

    #[test]
    fn earlier_lines_are_kept_once_and_whole() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::at(directory.path().join("state"));
        store.remember("a \\n b\nc").unwrap();
        store.remember("second").unwrap();
        store.remember("a \\n b\nc").unwrap();
        assert_eq!(store.history().unwrap(), ["second", "a \\n b\nc"]);
        // One bad byte costs nothing but its line, and that stays.
        let file = directory.path().join("state/history");
        let mut bytes = fs::read(&file).unwrap();
        bytes.extend_from_slice(b"bad \xFF\n");
        fs::write(&file, &bytes).unwrap();
        store.remember("third").unwrap();
        assert_eq!(store.history().unwrap(), ["second", "a \\n b\nc", "third"]);
        assert!(fs::read(&file).unwrap().windows(5).any(|part| part == b"bad \xFF"));
    }

    #[test]
    fn only_texts_of_dead_processes_are_recovered() {
        let directory = tempfile::tempdir().unwrap();
        let store = Store::at(directory.path().to_owned());
        store.save_recovery("mine").unwrap();
        assert_eq!(store.recovered(), None);
        fs::write(directory.path().join("recovery-999999999.sh"), "lost").unwrap();
        let recovered = store.recovered().unwrap();
        assert_eq!(recovered.text, "lost");
        Store::settle(&recovered);
        assert_eq!(store.recovered(), None);
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]
        #[test]
        fn a_saved_pipeline_is_opened_exactly_as_it_was(text in "[ -~\n\u{e9}]{0,60}") {
            prop_assume!(!text.starts_with("#!"));
            let directory = tempfile::tempdir().unwrap();
            let path = directory.path().join("x.sh");
            save_script(&path, &text).unwrap();
            prop_assert_eq!(open_script(&path).unwrap(), text);
            prop_assert!(fs::metadata(&path).unwrap().permissions().mode() & 0o100 != 0);
        }
    }
}
