//! What the user said yes to.

use std::collections::BTreeSet;
use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use super::environment::Change;
use super::named_files::{Content, NamedFile};
use super::resolve::Program;

/// What a program is fed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Fed {
    /// Nothing: it finds its input at its end.
    Nothing,
    /// Data, whatever they are.
    Anything,
    /// Exactly the data with this SHA-256 sum, and this many bytes.
    Exactly {
        /// The sum.
        sum: [u8; 32],
        /// How many bytes.
        bytes: u64,
    },
}

/// One yes, and all that it covers. A program is started by it only while every part is the same.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Consent {
    /// The file and its state.
    pub program: Program,
    /// The name it is called by, and its arguments.
    pub words: Vec<Vec<u8>>,
    /// Where it runs.
    pub directory: PathBuf,
    /// What differs from the environment that Ylotrope began with.
    pub changes: Vec<Change>,
    /// What it is fed.
    pub fed: Fed,
    /// The files that its arguments name, with their content, where the program may do what they
    /// say: none for one that takes data only.
    #[serde(default)]
    pub files: Vec<NamedFile>,
}

impl Consent {
    /// True where it holds for another session too: a file that is too large for its content to be
    /// covered is asked about each time.
    pub fn may_be_kept(&self) -> bool {
        self.files.iter().all(|file| matches!(file.content, Content::Sum { .. }))
    }
}

/// All that the user said yes to.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Consents(BTreeSet<Consent>);

impl Consents {
    /// Adds one.
    pub fn add(&mut self, consent: Consent) {
        self.0.insert(consent);
    }

    /// Adds all of `others`.
    pub fn add_all(&mut self, others: &Self) {
        self.0.extend(others.0.iter().cloned());
    }

    /// Forgets all.
    pub fn clear(&mut self) {
        self.0.clear();
    }

    /// True when there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &Consent> {
        self.0.iter()
    }

    /// True when one covers exactly this, or this with whatever it is fed.
    pub fn covers(&self, asked: &Consent) -> bool {
        self.0.contains(asked)
            || asked.fed != Fed::Nothing
                && self.0.contains(&Consent { fed: Fed::Anything, ..asked.clone() })
    }

    /// True when one covers this but for what it is fed.
    pub(super) fn may_cover(&self, asked: &Consent) -> bool {
        self.0.iter().any(|one| Consent { fed: asked.fed, ..one.clone() } == *asked)
    }
}

impl FromIterator<Consent> for Consents {
    fn from_iter<I: IntoIterator<Item = Consent>>(consents: I) -> Self {
        Self(consents.into_iter().collect())
    }
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use super::*;

    #[test]
    fn a_yes_covers_the_input_it_was_given_for() {
        let consent = |fed| Consent {
            program: Program::of(Path::new("/bin/sh")).unwrap(),
            words: vec![b"sh".to_vec()],
            directory: "/".into(),
            changes: Vec::new(),
            fed,
            files: Vec::new(),
        };
        let exactly = |bytes| Fed::Exactly { sum: [1; 32], bytes };
        let mut all = Consents::default();
        assert!(all.is_empty());
        all.add(consent(Fed::Anything));
        assert!(!all.is_empty());
        assert!(all.covers(&consent(Fed::Anything)) && all.covers(&consent(exactly(1))));
        assert!(!all.covers(&consent(Fed::Nothing)), "with nothing it may do something else");
        assert!(all.may_cover(&consent(Fed::Nothing)));
        let other = Consent { directory: "/tmp".into(), ..consent(Fed::Anything) };
        assert!(!all.covers(&other) && !all.may_cover(&other));
        let mut some: Consents = [consent(exactly(1)), other.clone()].into_iter().collect();
        assert!(some.covers(&consent(exactly(1))) && !some.covers(&consent(exactly(2))));
        assert!(some.covers(&other));
        some.add_all(&all);
        assert_eq!(some.iter().count(), 3);
        some.clear();
        assert!(some.is_empty() && !some.covers(&other));
    }
}
