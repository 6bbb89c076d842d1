use std::fmt::Write;

use crate::Spec;

/// All filters with what they do, one a line.
pub fn list() -> String {
    let mut specs: Vec<&Spec> = crate::ALL.iter().map(|definition| definition.spec).collect();
    specs.sort_by_key(|spec| spec.name);
    let width = specs.iter().map(|spec| spec.name.len()).max().unwrap_or(0);
    let mut text = String::new();
    for spec in specs {
        let _ = writeln!(text, "{:width$}  {}", spec.name, spec.summary);
    }
    text
}

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
