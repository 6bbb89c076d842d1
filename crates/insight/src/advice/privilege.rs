//! A file that is opened without the rights of the command.

use bstr::ByteSlice;
use engine::StageKind;

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};

pub(super) const ABOUT: About = About {
    kind: NoteKind::Privilege,
    basis: Basis::Line,
    when: "a file is opened by the shell with your own rights, not with those of the command",
    example: "sudo sort station.conf > sorted.conf",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// Commands that run another one with other rights.
const PRIVILEGED: [&str; 5] = ["sudo", "doas", "pkexec", "run0", "su"];

/// A file is opened by the shell before the privileged command begins, or may not be opened at all.
fn find(look: &Look<'_>) -> Option<Note> {
    let stage = look.stage;
    let named = |name: &[u8]| {
        let name = name.rsplit_str("/").next().unwrap_or_default();
        PRIVILEGED.iter().any(|known| known.as_bytes() == name)
    };
    let privileged = matches!(&stage.plan.kind, StageKind::Host(name) if named(name));
    let (path, append, target) =
        stage.plan.written().filter(|(_, _, target)| target.descriptor == 1).last()?;
    let denied = stage.redirect_error.as_ref().is_some_and(|error| error.denies(path));
    if !privileged && !denied {
        return None;
    }
    // Everybody may write there, and tee is sent there.
    if path == std::path::Path::new("/dev/null") {
        return None;
    }
    let name = path.display();
    let tool = if privileged { stage.name.clone() } else { "sudo".to_owned() };
    let text = match (privileged, denied) {
        (true, true) => format!(
            "{name} is opened with your own rights, which are not sufficient, not with those of {tool}"
        ),
        (true, false) => format!("{name} is opened with your own rights, not with those of {tool}"),
        (false, _) => format!("{name} may not be written with your own rights"),
    };
    let source = look.source(target.span);
    let word =
        source.trim_start_matches(|c: char| c.is_ascii_digit()).trim_start_matches(['>', '|', ' ']);
    let option = if append { "-a " } else { "" };
    // The writing itself gets the rights, and its copy on the screen goes nowhere.
    let edits = replace(target.span, format!("| {tool} tee {option}{word} > /dev/null"));
    // After the redirection nothing of the same command may follow.
    let last = target.span.end == stage.span.end && !tool.ends_with("su");
    let edits = last.then_some(edits);
    let note = look.note_at(NoteKind::Privilege, Severity::Warning, target.span, text);
    Some(note.with_maybe(format!("let {tool} tee write it"), edits))
}
