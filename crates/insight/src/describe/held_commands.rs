//! A command that is held back, told whole: what a yes to it covers.

use std::os::unix::ffi::OsStrExt;

use engine::{Consent, Content, Fed, HeldCommand, NamedFile};

use crate::describe::units::bytes;

/// A command as a shell would be given it: the variables that the text set for it, its name, its
/// arguments.
pub fn command_line(command: &HeldCommand) -> String {
    let set = command.changes.iter().filter_map(|(name, value)| {
        value.as_ref().map(|value| format!("{name}={}", shell::quote_bytes(value)))
    });
    let words = command.words.iter().map(|word| shell::quote_bytes(word));
    set.chain(words).collect::<Vec<_>>().join(" ")
}

/// What is started, where, with which variables and what input: one line each.
pub fn command_details(command: &HeldCommand) -> Vec<String> {
    let mut lines = Vec::new();
    let quoted = |path: &std::path::Path| shell::quote_bytes(path.as_os_str().as_bytes());
    match command.consent() {
        Some(Consent { program, directory, .. }) => {
            lines.push(format!("file {}", quoted(&program.path)));
            lines.push(format!("in folder {}", quoted(&directory)));
        }
        None => lines.push("no program of this name".to_owned()),
    }
    for (name, value) in &command.changes {
        lines.push(match value {
            Some(value) => format!("with {name}={}", shell::quote_bytes(value)),
            None => format!("without the variable {name}"),
        });
    }
    lines.extend(command.files.iter().map(named_file));
    lines.push(match command.fed {
        Fed::Nothing => "no input".to_owned(),
        Fed::Anything => "reads data of this pipeline".to_owned(),
        Fed::Exactly { bytes: count, .. } => {
            format!(
                "reads exactly the {} it gets now; other input needs a new consent",
                bytes(count)
            )
        }
    });
    lines
}

/// What a consent holds of a file that an argument names.
fn named_file(file: &NamedFile) -> String {
    let name = shell::quote_bytes(file.name.as_os_str().as_bytes());
    match file.content {
        Content::Sum { bytes: count, .. } => {
            format!(
                "with the content that {name} has now ({}); another content needs a new consent",
                bytes(count)
            )
        }
        Content::State(_) => format!(
            "with {name} as it is now; its content is not looked at (over 16 MiB, or one of more than 64 files), so it is asked each time"
        ),
    }
}
