//! The regular files that the arguments of a program name, with their content: a program that is not
//! known to take data only may do what is in them, so a consent covers it.

use std::collections::{BTreeSet, HashMap};
use std::ffi::OsStr;
use std::io::Read;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;

use parking_lot::Mutex;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::resolve::FileIdentity;
use crate::files::plain::open_regular;

/// Content is covered up to this many bytes a file.
const BYTES_MAX: u64 = 16 << 20;

/// Files whose content is covered; of further ones their state is.
const FILES_MAX: usize = 64;

/// Sums that are remembered.
const SUMS_MAX: usize = 1_000;

/// What is in a file.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Content {
    /// All of it: its SHA-256 sum, and how many bytes.
    Sum {
        /// The sum.
        sum: [u8; 32],
        /// How many bytes.
        bytes: u64,
    },
    /// More than 16 MiB, or one of more than 64 files, or one that cannot be read: only its state.
    State(FileIdentity),
}

/// A file that an argument names.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct NamedFile {
    /// As it is named, from the folder of the program.
    pub name: PathBuf,
    /// What is in it.
    pub content: Content,
}

/// Sums by the state of the file that they are of: a file that is not changed is read once.
static SUMS: LazyLock<Mutex<HashMap<FileIdentity, Content>>> = LazyLock::new(Mutex::default);

/// The regular files that `arguments` name for a program in `directory`, each once: the word as a
/// whole, what follows `=`, the letter of an option, or an at sign. Reads at most [`FILES_MAX`] files of
/// [`BYTES_MAX`] bytes.
pub(super) fn named_by(arguments: &[Vec<u8>], directory: &Path) -> Vec<NamedFile> {
    let names: BTreeSet<&[u8]> = arguments.iter().flat_map(|word| names_in(word)).collect();
    let mut all = Vec::new();
    for name in names {
        let name = Path::new(OsStr::from_bytes(name));
        let path = directory.join(name);
        if !std::fs::metadata(&path).is_ok_and(|facts| facts.is_file()) {
            continue;
        }
        let Ok(state) = FileIdentity::now(&path) else { continue };
        let content =
            if all.len() < FILES_MAX { content(&path, state) } else { Content::State(state) };
        all.push(NamedFile { name: name.to_owned(), content });
    }
    all
}

/// All parts of an argument that may be the name of a file.
fn names_in(word: &[u8]) -> impl Iterator<Item = &[u8]> {
    let after_sign = word.iter().position(|&byte| byte == b'=').map(|at| &word[at + 1..]);
    let after_letter = word.starts_with(b"-").then(|| word.get(2..)).flatten();
    let all = [Some(word), after_sign, after_letter, word.strip_prefix(b"@")];
    all.into_iter().flatten().filter(|name| !name.is_empty() && !name.contains(&0))
}

fn content(path: &Path, state: FileIdentity) -> Content {
    if state.bytes() > BYTES_MAX {
        return Content::State(state);
    }
    if let Some(known) = SUMS.lock().get(&state) {
        return known.clone();
    }
    let Some(content) = sum(path) else { return Content::State(state) };
    // Only what was there all the time has this state, and times have steps: what was changed just
    // now may be changed again without showing it.
    if state.is_settled() && FileIdentity::now(path).is_ok_and(|now| now == state) {
        let mut sums = SUMS.lock();
        if sums.len() >= SUMS_MAX {
            sums.clear();
        }
        sums.insert(state, content.clone());
    }
    content
}

fn sum(path: &Path) -> Option<Content> {
    let file = open_regular(path).ok()??;
    let mut digest = Sha256::new();
    let mut bytes = 0;
    let mut file = file.take(BYTES_MAX + 1);
    let mut buffer = vec![0; 1 << 16];
    loop {
        match file.read(&mut buffer) {
            Ok(0) => break,
            Ok(count) => {
                digest.update(&buffer[..count]);
                bytes += count as u64;
            }
            Err(_) => return None,
        }
    }
    (bytes <= BYTES_MAX).then(|| Content::Sum { sum: digest.finalize().into(), bytes })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_found_wherever_an_argument_names_them() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("tool.sh"), "echo 1\n").unwrap();
        std::fs::write(folder.path().join("with space"), "x").unwrap();
        std::fs::create_dir(folder.path().join("folder")).unwrap();
        let names = |words: &[&str]| {
            let words: Vec<Vec<u8>> = words.iter().map(|word| word.as_bytes().to_vec()).collect();
            let found = named_by(&words, folder.path());
            found.into_iter().map(|file| file.name.display().to_string()).collect::<Vec<_>>()
        };
        for words in [
            &["tool.sh"][..],
            &["--file=tool.sh"],
            &["-ftool.sh"],
            &["-f", "tool.sh"],
            &["@tool.sh"],
            &["tool.sh", "tool.sh", "folder", "none"],
        ] {
            assert_eq!(names(words), ["tool.sh"], "{words:?}");
        }
        assert_eq!(names(&["with space"]), ["with space"]);
        // A text for a shell is no name: what it writes would ask again each time.
        assert!(names(&["-c", ". ./tool.sh"]).is_empty());
        assert!(names(&["folder", "none", "", "-"]).is_empty());
    }

    #[test]
    fn another_content_is_another_file_and_the_same_content_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f");
        let look = || named_by(&[b"f".to_vec()], folder.path());
        std::fs::write(&path, "one").unwrap();
        let one = look();
        std::fs::write(&path, "two").unwrap();
        let two = look();
        assert_ne!(one, two);
        std::fs::remove_file(&path).unwrap();
        std::fs::write(&path, "one").unwrap();
        assert_eq!(look(), one);
        // What is too large is told by its state, and so is what cannot be read.
        let file = std::fs::File::options().write(true).open(&path).unwrap();
        file.set_len(BYTES_MAX + 1).unwrap();
        let large = look();
        assert!(matches!(large[0].content, Content::State(_)));
        file.set_modified(std::time::UNIX_EPOCH).unwrap();
        assert_ne!(look(), large);
    }

    #[test]
    fn beyond_many_files_their_states_are_covered() {
        let folder = tempfile::tempdir().unwrap();
        let words: Vec<Vec<u8>> =
            (0..FILES_MAX + 3).map(|number| format!("f{number:03}").into_bytes()).collect();
        for word in &words {
            std::fs::write(folder.path().join(OsStr::from_bytes(word)), "x").unwrap();
        }
        let found = named_by(&words, folder.path());
        let states = found.iter().filter(|file| matches!(file.content, Content::State(_)));
        assert_eq!((found.len(), states.count()), (words.len(), 3));
    }
}
