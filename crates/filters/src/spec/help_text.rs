//! The description of a filter as text.

use std::fmt::Write;

use super::description::Spec;

/// The description of a filter as plain text: synopsis, options, examples.
pub fn guide(spec: &Spec) -> String {
    let mut text = format!("{}: {}\n\n", spec.name, spec.summary);
    let options = if spec.options.is_empty() { "" } else { " [option …]" };
    let _ = writeln!(text, "  {}{options} {}", spec.name, spec.operand_names);
    if !spec.options.is_empty() {
        text.push('\n');
    }
    let width = spec.options.iter().map(|option| option.written().chars().count()).max();
    let width = width.unwrap_or(0);
    for option in spec.options {
        let written = option.written();
        let pad = width - written.chars().count();
        let beyond = if option.posix { "" } else { "  (not POSIX)" };
        let _ = writeln!(text, "  {written}{:pad$}  {}{beyond}", "", option.meaning);
    }
    if !spec.examples.is_empty() {
        text.push('\n');
    }
    for example in spec.examples {
        let _ = writeln!(text, "  {}\n      {}", example.line, example.says);
    }
    text
}
