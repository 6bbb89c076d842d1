//! The result on screen, and the one that is being made.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Preview, Request};
use insight::{Note, NoteKind};

use crate::state::told::Told;
use crate::state::trials::Trials;

/// What the text gives.
pub(crate) struct ResultState {
    /// The result on screen.
    pub(crate) preview: Option<Arc<Preview>>,
    /// Advice on it.
    pub(crate) notes: Vec<Note>,
    /// The result whose advice is known, by its number.
    pub(crate) noted: Option<u64>,
    /// What the newest preview was asked for.
    pub(crate) request: Option<Request>,
    /// The changes that are tried for advice; they end with the result they are for.
    pub(crate) trying: Trials,
    /// The preview that is being made.
    pub(crate) waiting: Option<u64>,
    /// Since when.
    pub(crate) waiting_since: Instant,
    /// Files that changed since they were read.
    pub(crate) changed: Vec<PathBuf>,
    /// When it was last looked whether they have.
    pub(crate) changes_seen: Instant,
    /// That is being looked at now.
    pub(crate) looks: bool,
    /// Something came from standard input, or from what is followed, and was not looked at yet.
    pub(crate) arrived: bool,
    /// Who is told when it is.
    pub(crate) told: Vec<Told>,
    /// When the newest preview was there, and how long it took.
    pub(crate) answered: (Instant, Duration),
    /// Notes that are not shown again, with the text of their stage.
    pub(crate) dismissed: BTreeSet<(NoteKind, String)>,
}

impl ResultState {
    /// No result yet.
    pub(crate) fn new() -> Self {
        Self {
            preview: None,
            notes: Vec::new(),
            noted: None,
            request: None,
            trying: Trials::default(),
            waiting: None,
            waiting_since: Instant::now(),
            changed: Vec::new(),
            changes_seen: Instant::now(),
            looks: false,
            arrived: false,
            told: Vec::new(),
            answered: (Instant::now(), Duration::ZERO),
            dismissed: BTreeSet::new(),
        }
    }

    /// True while the advice on the result on screen is still being made.
    #[cfg(test)]
    pub(crate) fn lacks_advice(&self) -> bool {
        self.preview.as_ref().is_some_and(|preview| self.noted != Some(preview.generation))
    }

    /// True for the number of the result on screen.
    pub(crate) fn is_of(&self, generation: u64) -> bool {
        self.preview.as_ref().is_some_and(|preview| preview.generation == generation)
    }

    /// The text of a note's stage: a note is dismissed for this text only.
    fn stage_text(&self, note: &Note) -> String {
        let preview = self.preview.as_ref();
        let span =
            preview.and_then(|preview| preview.stages.get(note.stage)).map(|stage| stage.span);
        span.zip(preview)
            .and_then(|(span, preview)| preview.text.get(span.range()))
            .unwrap_or_default()
            .to_owned()
    }

    /// Advice on a stage that was not dismissed.
    pub(crate) fn notes_for(&self, stage: usize) -> Vec<&Note> {
        let dismissed = |note: &Note| self.dismissed.contains(&(note.kind, self.stage_text(note)));
        self.notes.iter().filter(|note| note.stage == stage && !dismissed(note)).collect()
    }
}
