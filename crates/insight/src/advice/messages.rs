//! What commands say on standard error, for those who see no screen.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;

pub(super) const ABOUT: About = About {
    kind: NoteKind::Message,
    basis: Basis::Data,
    when: "a command says something on standard error (the Bench shows it anyway)",
    example: "sort gate.log none.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    // A filter that has all commands it wants held back says just that.
    let stage = look.stage;
    let tells_of_held = stage.filter.is_some() && !stage.held.is_empty() && stage.status.0 == 0;
    if stage.is_held() || tells_of_held {
        return None;
    }
    let mut said = stage.messages.lines().filter(|line| !line.is_empty());
    let first = said.next()?;
    let text = match said.count() {
        0 => first.to_owned(),
        more => format!("{first} (and {} more)", grouped(more as u64)),
    };
    let severity = if stage.status.0 == 0 { Severity::Hint } else { Severity::Warning };
    Some(look.note(NoteKind::Message, severity, text))
}
