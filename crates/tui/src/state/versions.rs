//! The versions of this session's text.

use std::path::PathBuf;

use engine::{Figure, Preview};
/// Versions that are kept.
const MOST: usize = 200;

/// A text that was evaluated in this session, with what it gave.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Version {
    /// Its number, from 1.
    pub number: usize,
    /// The text.
    pub text: String,
    /// Lines of its result.
    pub lines: Figure,
    /// Bytes of it.
    pub bytes: Figure,
    /// How long it took, in nanoseconds.
    pub elapsed_ns: u64,
    /// The files it read.
    pub files: Vec<PathBuf>,
    /// It was of a part of the data.
    pub partial: bool,
}

/// The versions of this session, the oldest first.
#[derive(Default)]
pub(crate) struct Versions {
    all: Vec<Version>,
    /// How many there were.
    count: usize,
}

impl Versions {
    /// The oldest first.
    pub(crate) fn all(&self) -> &[Version] {
        &self.all
    }

    /// Notes a result. The same text again is the same version.
    pub(crate) fn note(&mut self, preview: &Preview) {
        let Some(last) = preview.stages.last() else { return };
        let known = self.all.iter().position(|version| version.text == preview.text);
        let number = match known {
            Some(at) => self.all.remove(at).number,
            None => {
                self.count += 1;
                self.count
            }
        };
        self.all.push(Version {
            number,
            text: preview.text.clone(),
            lines: last.lines_out(),
            bytes: last.bytes_out(),
            elapsed_ns: preview.elapsed_ns,
            files: files_of(preview),
            partial: !preview.is_whole(),
        });
        if self.all.len() > MOST {
            self.all.remove(0);
        }
    }
}

/// The files that were read for a result, each once.
fn files_of(preview: &Preview) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = preview.sources().filter_map(|(path, _)| path).collect();
    files.dedup();
    files
}

/// What can be compared.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Candidate {
    /// What it is called: `now`, `version 3`, `without stage 2`, a file.
    pub name: String,
    /// Its text.
    pub text: String,
    /// Where in it the pipeline begins that is looked at.
    pub at: usize,
    /// Lines, bytes and time, where it was evaluated.
    pub figures: Option<(Figure, Figure, u64)>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_text_is_one_version() {
        let mut versions = Versions::default();
        let note = |versions: &mut Versions, text: &str| {
            let request = engine::Request {
                text: text.to_owned(),
                script: None,
                at: usize::MAX,
                variables: engine::Variables::default(),
                plan: None,
                sample: engine::Sample::Everything,
                limits: engine::Limits::default(),
                allowed: engine::Consents::default(),
            };
            let control = stream::RunControl::default();
            versions.note(&engine::Trials::default().evaluate(request, None, &control).unwrap());
        };
        for text in ["seq 3", "seq 4", "seq 3"] {
            note(&mut versions, text);
        }
        let numbers: Vec<usize> = versions.all().iter().map(|version| version.number).collect();
        assert_eq!(numbers, [2, 1]);
        assert_eq!(versions.all()[1].lines, Figure::exact(3));
        for count in 0..MOST + 5 {
            note(&mut versions, &format!("seq {count}"));
        }
        assert_eq!(versions.all().len(), MOST);
    }
}
