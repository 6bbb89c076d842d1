//! Advice that is true of this data: a file for each note or a few that belong together.

use engine::Preview;

use about::About;
use look::Look;
use note::{Basis, Note, NoteKind, Proof};

pub(crate) mod about;
mod always_matches;
mod byte_order_mark;
mod carriage_returns;
pub(crate) mod check;
mod compressed_form;
mod course;
mod delimiter_absent;
mod dot_any;
mod empty_fields;
mod errors;
mod field_missing;
mod items;
mod look;
mod messages;
mod never_keeps;
pub(crate) mod note;
mod nothing_matched;
mod order;
mod portability;
mod privilege;
pub(crate) mod proof;
mod quoted_csv;
mod relied_on;
mod repeats_apart;
mod replaces;
mod rewrites;
mod same_file;
mod seen;
mod text_form;
mod total_of_nothing;
mod tr_lengths;
mod tr_words;
mod unquoted_dollar;
mod unquoted_glob;
mod used_fields;

/// All kinds of notes, in the order in which they are found.
pub const ABOUT: &[About] = &[
    unquoted_dollar::ABOUT,
    unquoted_glob::ABOUT,
    same_file::ABOUT,
    replaces::ABOUT,
    privilege::ABOUT,
    errors::ORDER,
    errors::IN_OUTPUT,
    errors::HIDDEN,
    course::NOTHING_COMES,
    never_keeps::ABOUT,
    text_form::COMPRESSED,
    nothing_matched::ABOUT,
    always_matches::ABOUT,
    dot_any::ABOUT,
    repeats_apart::ABOUT,
    delimiter_absent::ABOUT,
    quoted_csv::ABOUT,
    empty_fields::ABOUT,
    field_missing::ABOUT,
    total_of_nothing::ABOUT,
    tr_words::ABOUT,
    tr_lengths::ABOUT,
    order::NUMBERS,
    order::SIZES,
    order::VERSIONS,
    items::BATCH,
    items::SPLIT,
    carriage_returns::ABOUT,
    byte_order_mark::ABOUT,
    text_form::NO_FINAL_NEWLINE,
    text_form::NUL_BYTES,
    text_form::INVALID_TEXT,
    text_form::BLANK_LINES,
    rewrites::NEEDLESS_CAT,
    rewrites::COUNT_BY_WC,
    rewrites::SORT_UNIQ,
    rewrites::SORT_UNIQUE_KEY,
    rewrites::LATE_FILTER,
    rewrites::UNDONE_ORDER,
    rewrites::TWO_IN_ONE,
    rewrites::GREP_AND_COLUMN,
    rewrites::SIMPLER_THAN_AWK,
    rewrites::EARLY_HEAD,
    rewrites::LOOP_OF_GREP,
    rewrites::READ_TWICE,
    portability::LOCALE_ORDER,
    portability::NOT_POSIX,
    course::CLOSED_PIPE,
    course::CUT_OFF,
    course::CHANGED,
    course::HOLDS_EVERYTHING,
    course::SAMPLE_ONLY,
    messages::ABOUT,
];

/// What is known of a kind of note.
pub fn about(kind: NoteKind) -> &'static About {
    // A test sees to it that each kind is there.
    ABOUT.iter().find(|about| about.kind == kind).unwrap_or(&ABOUT[0])
}

/// The notes that can be said at once, stage by stage, warnings first: what rests on a trial is not
/// among them, and changes are offered only once they were tried; see [`crate::Proofs`].
pub fn notes(preview: &Preview) -> Vec<Note> {
    let mut notes =
        found(preview, |about| !on_request(about) && about.proof != Proof::Same && !about.searches);
    notes.retain(|note| matches!(about(note.kind).proof, Proof::Cures | Proof::Shows));
    for note in &mut notes {
        note.fix = None;
    }
    notes
}

/// What may be the reason why a text cannot be run; changes are not tried.
pub fn refused_notes(text: &str) -> Vec<Note> {
    unquoted_dollar::of_refused(text)
}

/// Notes that are only for those who ask for them.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct OnRequest {
    /// What other systems lack.
    pub(crate) portability: bool,
    /// What the commands say, for those who do not see it.
    pub(crate) messages: bool,
}

/// It is not said unasked.
fn on_request(about: &About) -> bool {
    about.basis == Basis::Portability || about.kind == NoteKind::Message
}

/// All notes with the changes they would offer, none of them tried.
pub(crate) fn candidates(preview: &Preview, asked: OnRequest) -> Vec<Note> {
    found(preview, |about| match about.kind {
        NoteKind::Message => asked.messages,
        _ => asked.portability || !on_request(about),
    })
}

/// The notes of some kinds, stage by stage, warnings first.
fn found(preview: &Preview, wanted: impl Fn(&About) -> bool) -> Vec<Note> {
    let script = engine::parse(&preview.text).ok();
    let mut notes: Vec<Note> = Vec::new();
    for (number, stage) in preview.stages.iter().enumerate() {
        if stage.plan.off.is_some() {
            continue;
        }
        let look = Look::of(preview, number, script.as_ref());
        let before = notes.len();
        for about in ABOUT.iter().filter(|about| wanted(about)) {
            notes.extend((about.find)(&look));
        }
        notes[before..].sort_by_key(|note| note.severity);
    }
    notes
}
