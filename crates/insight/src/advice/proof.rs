//! Changes are tried on this data before they are offered.

use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Preview, Request, StageResult, Trials};
use stream::RunControl;

use super::note::{Note, Proof};
use super::{OnRequest, about, candidates};
use crate::describe::units::{bytes, grouped};
use crate::edit::stages::apply_edits;

/// So long is measured how much faster another text is.
const MEASURED: Duration = Duration::from_millis(150);

/// Rounds that are measured at most, each of both texts.
const ROUNDS: usize = 9;

/// A text that takes longer than this many times as long is no better one.
const SLOWER: f64 = 1.1;

/// What makes more work for those who read it has to be this many times as fast.
const FASTER: f64 = 1.25;

/// Processor time that is enough to compare, in nanoseconds.
const ENOUGH: f64 = 1e6;

/// Notes with what they offer, each tried.
pub struct Proofs {
    trials: Trials,
    request: Request,
    /// How long other texts are measured, altogether.
    measured: Duration,
    asked: OnRequest,
    whatever_the_gain: bool,
}

/// What trials have shown.
#[derive(Default)]
pub struct Tried {
    /// What can be said, with the changes that did what they are to do.
    pub notes: Vec<Note>,
    /// Changes that were thought of and did not, with the notes they are of.
    pub dropped: Vec<Note>,
}

impl Proofs {
    /// For the results of this request: its text is exchanged for those to be tried. Programs that
    /// it allows are not started again.
    pub fn new(trials: Trials, request: Request) -> Self {
        Self {
            trials,
            request,
            measured: MEASURED,
            asked: OnRequest::default(),
            whatever_the_gain: false,
        }
    }

    /// With the notes on what other systems lack.
    #[must_use]
    pub fn with_portability(self) -> Self {
        Self { asked: OnRequest { portability: true, ..self.asked }, ..self }
    }

    /// With what the commands say on standard error.
    #[must_use]
    pub fn with_messages(self) -> Self {
        Self { asked: OnRequest { messages: true, ..self.asked }, ..self }
    }

    /// With texts that give the same, however fast they are: nothing is measured.
    #[must_use]
    pub fn whatever_the_gain(self) -> Self {
        Self { whatever_the_gain: true, ..self }
    }

    /// All notes on the result, with the changes that did in a trial what they are to do; see
    /// [`Self::tried`].
    pub fn notes(&self, preview: &Arc<Preview>, control: &RunControl) -> Vec<Note> {
        self.tried(preview, control).notes
    }

    /// Tries all changes. Blocks until that is done; `control` ends it, and then those that were
    /// not tried are left out.
    pub fn tried(&self, preview: &Arc<Preview>, control: &RunControl) -> Tried {
        let mut notes = candidates(preview, self.asked);
        let counts: Vec<_> = notes.iter().map(|note| notes_of(&notes, note.kind)).collect();
        let mut all = Tried::default();
        for (mut note, count) in notes.drain(..).zip(counts) {
            let proof = about(note.kind).proof;
            let says_by_itself = matches!(proof, Proof::Cures | Proof::Shows);
            let Some(fix) = note.fix.take() else {
                all.notes.extend(Some(note).filter(|_| says_by_itself));
                continue;
            };
            let text = apply_edits(&preview.text, &fix.edits);
            let right = if says_by_itself {
                self.cures(preview, &text, &mut note, count, control)
            } else {
                self.gives_the_same(preview, &text, &mut note, control)
            };
            if right {
                note.fix = Some(fix);
                all.notes.push(note);
                continue;
            }
            if says_by_itself {
                all.notes.push(note.clone());
            }
            note.fix = Some(fix);
            all.dropped.push(note);
        }
        all
    }

    /// The changed text has less to be said of this kind, and nothing fails that did not before.
    fn cures(
        &self,
        preview: &Arc<Preview>,
        text: &str,
        note: &mut Note,
        count: u64,
        control: &RunControl,
    ) -> bool {
        let Some(tried) = self.evaluate(text, preview, Some(preview), control) else {
            return false;
        };
        let after = candidates(&tried, self.asked);
        let cured = notes_of(&after, note.kind) < count
            && !fails_more(preview, &tried)
            && !leaves_nothing(preview, &tried);
        if cured && about(note.kind).proof == Proof::Shows {
            note.text.push_str(&first_message(&tried, note.stage));
        }
        cured
    }

    /// The changed text gives the same and is worth it; the note then says how much.
    fn gives_the_same(
        &self,
        preview: &Arc<Preview>,
        text: &str,
        note: &mut Note,
        control: &RunControl,
    ) -> bool {
        let Some(tried) = self.evaluate(text, preview, Some(preview), control) else {
            return false;
        };
        if !same(preview, &tried) {
            return false;
        }
        let gain = if self.whatever_the_gain {
            Some(String::new())
        } else {
            self.gain(preview, text, about(note.kind).proof, control)
        };
        let Some(gain) = gain else { return false };
        let data = if preview.is_whole() { "this data" } else { "this sample" };
        let how = match note.always {
            Some(_) => "the same for any data".to_owned(),
            None => format!("the same result on {data}"),
        };
        note.text = format!("{}; {how}{gain}", note.text);
        true
    }

    /// What a text gives on the same data.
    fn evaluate(
        &self,
        text: &str,
        like: &Preview,
        before: Option<&Arc<Preview>>,
        control: &RunControl,
    ) -> Option<Arc<Preview>> {
        let request = Request {
            text: text.to_owned(),
            script: None,
            // Changes are made within the pipeline: it begins where it began.
            at: like.stages.first()?.span.start,
            plan: None,
            sample: like.sample,
            allowed: engine::Consents::default(),
            ..self.request.clone()
        };
        // A limit uses a control up: the caller's is only asked.
        let own = RunControl::default();
        // What follows a file does not end by itself.
        if control.is_cancelled() || like.stages.iter().any(|stage| stage.follows) {
            return None;
        }
        self.trials.evaluate(request, before, &own).ok()
    }

    /// How much faster the text is than that of the result, and how much less memory it takes, in
    /// words; measured by turns. `None` where it is slower, or not worth it.
    fn gain(
        &self,
        preview: &Preview,
        text: &str,
        proof: Proof,
        control: &RunControl,
    ) -> Option<String> {
        let started = Instant::now();
        let (mut now, mut other, mut held) = (Vec::new(), Vec::new(), (0, 0));
        while now.len() < ROUNDS && (now.len() < 3 || started.elapsed() < self.measured) {
            let one = self.evaluate(&preview.text, preview, None, control)?;
            let two = self.evaluate(text, preview, None, control)?;
            held = (held_by(&one), held_by(&two));
            now.push(taken(&one));
            other.push(taken(&two));
        }
        let (now, other) = (middle(&mut now), middle(&mut other));
        let ratio = now / other.max(1.0);
        if !is_worth_it(proof, now, ratio) {
            return None;
        }
        let mut words = if now < ENOUGH {
            // Of so little data no figure means anything.
            String::new()
        } else if ratio < SLOWER {
            ", as fast".to_owned()
        } else if ratio < 10.0 {
            format!(", {ratio:.1} times as fast")
        } else {
            format!(", {ratio:.0} times as fast")
        };
        if held.0 > (held.1 * 2).max(1 << 20) {
            words.push_str(&format!(
                " and {} of memory in the place of {}",
                bytes(held.1),
                bytes(held.0)
            ));
        }
        Some(words)
    }
}

/// Whether a text that takes `1 / ratio` of `now` nanoseconds is worth to be offered.
fn is_worth_it(proof: Proof, now: f64, ratio: f64) -> bool {
    match proof {
        Proof::Faster => ratio >= FASTER && now >= ENOUGH,
        _ => ratio >= 1.0 / SLOWER || now < ENOUGH,
    }
}

/// What a stage says, in a few words.
fn first_message(preview: &Preview, stage: usize) -> String {
    let messages = preview.stages.get(stage).map_or("", |stage| stage.messages.as_str());
    match (messages.lines().next(), messages.lines().count()) {
        (None, _) => String::new(),
        (Some(first), 1) => format!(": “{first}”"),
        (Some(first), count) => format!(", the first of {}: “{first}”", grouped(count as u64)),
    }
}

/// How much notes of a kind are about.
fn notes_of(notes: &[Note], kind: super::note::NoteKind) -> u64 {
    notes.iter().filter(|note| note.kind == kind).map(|note| note.count).sum()
}

/// The processor time of all stages, in nanoseconds.
fn taken(preview: &Preview) -> f64 {
    let own: u64 = preview.stages.iter().map(|stage| stage.figures.processor_ns).sum();
    own as f64
}

fn held_by(preview: &Preview) -> u64 {
    preview.stages.iter().map(|stage| stage.figures.peak_held_bytes).sum()
}

fn middle(times: &mut [f64]) -> f64 {
    times.sort_by(f64::total_cmp);
    times.get(times.len() / 2).copied().unwrap_or(0.0)
}

/// A stage fails in the changed text that did not, or the text did not run.
fn fails_more(before: &Preview, after: &Preview) -> bool {
    let failed =
        |stage: &&StageResult| stage.status.0 > 1 && stage.status.0 != 141 && !stage.is_held();
    let count = |preview: &Preview| preview.stages.iter().filter(failed).count();
    count(after) > count(before)
}

/// The changed text has no result where there was one: whatever it mends, that is not meant.
fn leaves_nothing(before: &Preview, after: &Preview) -> bool {
    let bytes = |preview: &Preview| preview.stages.last().map_or(0, |stage| stage.out.bytes());
    bytes(before) > 0 && bytes(after) == 0
}

/// Both give the same: bytes, status, messages, files.
fn same(before: &Preview, after: &Preview) -> bool {
    let (Some(one), Some(other)) = (before.stages.last(), after.stages.last()) else {
        return false;
    };
    // What was not started, or was cut off, says nothing.
    let done = |preview: &Preview| {
        preview.stages.iter().all(|stage| {
            !stage.is_held()
                && !matches!(stage.ending, engine::Ending::Cut(_))
                && stage.held.is_empty()
        })
    };
    let messages = |preview: &Preview| -> String {
        preview.stages.iter().map(|stage| stage.messages.as_str()).collect()
    };
    let files = |preview: &Preview| {
        let mut files: Vec<_> = preview
            .pending
            .iter()
            .map(|file| (file.path.clone(), file.mode, file.kept.contents()))
            .collect();
        files.sort_by(|one, other| one.0.cmp(&other.0));
        files
    };
    done(before)
        && done(after)
        && one.status == other.status
        && one.out.bytes() == other.out.bytes()
        && messages(before) == messages(after)
        && before.said == after.said
        && one.out.contents() == other.out.contents()
        && files(before) == files(after)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_slower_or_hardly_faster_is_not_offered() {
        let much = 5e6;
        assert!(is_worth_it(Proof::Same, much, 1.0) && is_worth_it(Proof::Same, much, 3.0));
        assert!(!is_worth_it(Proof::Same, much, 0.7));
        assert!(is_worth_it(Proof::Same, 1000.0, 0.7), "too little to tell");
        assert!(is_worth_it(Proof::Faster, much, 1.5));
        assert!(!is_worth_it(Proof::Faster, much, 1.1) && !is_worth_it(Proof::Faster, 1000.0, 9.0));
    }
}
