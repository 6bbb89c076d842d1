//! A file that is opened without the rights of the command.

use bstr::ByteSlice;
use engine::{Preview, StageKind, StageResult};

use super::note::{Fix, Note, NoteKind, Severity, note};
use crate::edit::stages::TextEdit;

/// Commands that run another one with other rights.
const PRIVILEGED: [&str; 5] = ["sudo", "doas", "pkexec", "run0", "su"];

/// A file is opened by the shell before the privileged command begins, or may not be opened at all.
pub(super) fn privilege(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
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
    let name = path.display();
    let tool = if privileged { stage.name.clone() } else { "sudo".to_owned() };
    let text = match (privileged, denied) {
        (true, true) => format!(
            "{name} is opened with your own rights, which are not sufficient, not with those of {tool}"
        ),
        (true, false) => format!("{name} is opened with your own rights, not with those of {tool}"),
        (false, _) => format!("{name} may not be written with your own rights"),
    };
    let source = preview.text.get(target.span.range())?;
    let word =
        source.trim_start_matches(|c: char| c.is_ascii_digit()).trim_start_matches(['>', '|', ' ']);
    let option = if append { "-a " } else { "" };
    // The writing itself gets the rights, and its copy on the screen goes nowhere.
    let edit =
        TextEdit { span: target.span, text: format!("| {tool} tee {option}{word} > /dev/null") };
    // Behind the redirection nothing of the same command may follow.
    let last = target.span.end == stage.span.end && !tool.ends_with("su");
    let fix = last.then(|| Fix { label: format!("let {tool} tee write it"), edits: vec![edit] });
    Some(note(NoteKind::Privilege, number, Severity::Warning, text, fix))
}
