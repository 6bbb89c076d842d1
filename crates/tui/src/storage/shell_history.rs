//! The history file of the user's shell: read where the user wants it, never written.

use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// Bytes of it that are read, from its end.
const MOST: u64 = 4 << 20;

/// Where it is: `$HISTFILE`, or the usual file of bash or zsh. It is not opened for that.
pub(crate) fn usual() -> Option<PathBuf> {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let named = std::env::var_os("HISTFILE").map(PathBuf::from);
    let usual = [".bash_history", ".zsh_history"].iter();
    let usual = usual.filter_map(|name| home.as_ref().map(|home| home.join(name)));
    named.into_iter().chain(usual).find(|path| path.is_file())
}

/// Its lines, the oldest first, each once; lines that are not UTF-8 are passed over.
///
/// # Errors
/// When the file cannot be read.
pub(crate) fn read(path: &Path) -> io::Result<Vec<String>> {
    let Some(mut file) = engine::open_regular(path)? else { return Ok(Vec::new()) };
    let length = file.metadata()?.len();
    let mut bytes = Vec::new();
    file.seek(SeekFrom::Start(length.saturating_sub(MOST)))?;
    file.take(MOST).read_to_end(&mut bytes)?;
    // The first line may be the end of one.
    let from = if length > MOST {
        bytes.iter().position(|byte| *byte == b'\n').map_or(bytes.len(), |at| at + 1)
    } else {
        0
    };
    Ok(lines(&bytes[from..]))
}

fn lines(bytes: &[u8]) -> Vec<String> {
    let mut seen = std::collections::HashSet::new();
    let mut lines: Vec<String> = Vec::new();
    for line in bytes.split(|byte| *byte == b'\n').rev() {
        let Ok(line) = std::str::from_utf8(line) else { continue };
        let line = command(line).trim();
        if !line.is_empty() && seen.insert(line.to_owned()) {
            lines.push(line.to_owned());
        }
    }
    lines.reverse();
    lines
}

/// A line without what is noted beside the command: the time, as bash and zsh do.
fn command(line: &str) -> &str {
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    if line.strip_prefix('#').is_some_and(digits) {
        return "";
    }
    let noted = line.strip_prefix(": ").and_then(|rest| rest.split_once(';'));
    match noted {
        Some((times, command)) if times.split(':').all(digits) => command,
        _ => line,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_both_shells_are_read_without_their_times() {
        let text =
            b"ls\n#1700000000\ngrep a b\n: 1700000000:0;sort x; uniq\nls\n\xff\n\n#no time\n";
        assert_eq!(lines(text), ["grep a b", "sort x; uniq", "ls", "#no time"]);
        assert!(lines(b"").is_empty());
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("history");
        std::fs::write(&path, "x\n".repeat(MOST as usize / 2 + 9) + "end\n").unwrap();
        assert_eq!(read(&path).unwrap(), ["x", "end"]);
        assert!(read(&folder.path().join("none")).is_err());
    }
}
