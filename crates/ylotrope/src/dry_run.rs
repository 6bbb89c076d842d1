//! What a run would have changed, told on standard error.

use engine::{Cut, DryRun, HeldCommand, PendingFile, PendingMode};
use serde_json::{Value, json};

/// Tells which files would be written and which commands would run.
pub(crate) fn tell(dry: &DryRun, as_json: bool) {
    let text = if as_json { told_as_json(dry) } else { told(dry) };
    crate::say::error_text(&text);
}

fn counted(number: u64, one: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{number} {one}s") }
}

/// Why what is known is only a part, in words.
fn cut_in_words(cut: Cut) -> String {
    match cut {
        Cut::Interrupted => "interrupted".to_owned(),
        Cut::Limit(limit) => {
            format!("cut off at {}; --no-limit continues", insight::limit_in_words(limit))
        }
    }
}

fn told(dry: &DryRun) -> String {
    let nothing = dry.files.is_empty() && dry.commands.is_empty();
    let mut text = match dry.cut {
        None if nothing => return "nothing would be changed\n".to_owned(),
        None => String::new(),
        Some(cut) => {
            let what = if nothing {
                "nothing is known of what would be changed"
            } else {
                "only a part is known"
            };
            format!("{}: {what}\n", cut_in_words(cut))
        }
    };
    let least = if dry.cut.is_some() { "at least " } else { "" };
    if !dry.files.is_empty() {
        text.push_str(&format!(
            "would write {least}{}:\n",
            counted(dry.files.len() as u64, "file")
        ));
        for file in &dry.files {
            text.push_str(&format!("  {}\n", told_file(file, least)));
        }
    }
    if !dry.commands.is_empty() {
        text.push_str(&format!(
            "would run {least}{}:\n",
            counted(dry.commands.len() as u64, "command")
        ));
        for command in &dry.commands {
            text.push_str(&format!("  {}\n", told_command(command)));
        }
    }
    text
}

fn told_file(file: &PendingFile, least: &str) -> String {
    use std::os::unix::ffi::OsStrExt;
    let name = shell::quote_bytes(file.path.as_os_str().as_bytes());
    let written = format!(
        "{least}{}, {}",
        counted(file.kept.lines(), "line"),
        counted(file.kept.bytes(), "byte")
    );
    let now = match file.lines_now {
        Some(lines) => counted(lines, "line"),
        None => counted(file.bytes_now, "byte"),
    };
    match file.mode {
        PendingMode::New => format!("new       {name}  {written}"),
        PendingMode::Replace => format!("replaces  {name}  {now} by {written}"),
        PendingMode::Append => format!("appends   {name}  {written} to {now}"),
    }
}

fn told_command(command: &HeldCommand) -> String {
    let mut text = insight::command_line(command);
    if let Some(consent) = command.consent() {
        let quoted =
            |path: &std::path::Path| shell::quote_bytes(path.as_os_str().as_encoded_bytes());
        text.push_str(&format!("  ({}", quoted(&consent.program.path)));
        if command.directory.is_some() {
            text.push_str(&format!(" in {}", quoted(&consent.directory)));
        }
        for (name, _) in command.changes.iter().filter(|(_, value)| value.is_none()) {
            text.push_str(&format!(", without {name}"));
        }
        text.push(')');
    }
    text
}

fn text_of(bytes: &[u8]) -> Value {
    // JSON holds text only; what is not UTF-8 is told as shells write it.
    match std::str::from_utf8(bytes) {
        Ok(text) => json!(text),
        Err(_) => json!({ "quoted": shell::quote_bytes(bytes) }),
    }
}

fn told_as_json(dry: &DryRun) -> String {
    use std::os::unix::ffi::OsStrExt;
    let files: Vec<Value> = dry
        .files
        .iter()
        .map(|file| {
            let operation = match file.mode {
                PendingMode::New => "new",
                PendingMode::Replace => "replace",
                PendingMode::Append => "append",
            };
            json!({
                "file": text_of(file.path.as_os_str().as_bytes()),
                "operation": operation,
                "lines": file.kept.lines(),
                "bytes": file.kept.bytes(),
                "lines_now": file.lines_now,
                "bytes_now": file.bytes_now,
            })
        })
        .collect();
    let commands: Vec<Value> = dry
        .commands
        .iter()
        .map(|command| {
            let words: Vec<Value> = command.words.iter().map(|word| text_of(word)).collect();
            let directory =
                command.directory.as_ref().map(|path| text_of(path.as_os_str().as_bytes()));
            let file = command
                .program
                .as_ref()
                .map(|program| text_of(program.path.as_os_str().as_bytes()));
            let variables: Vec<Value> = command
                .changes
                .iter()
                .map(|(name, value)| json!([name, value.as_deref().map(text_of)]))
                .collect();
            json!({
                "words": words,
                "directory": directory,
                "file": file,
                "variables": variables,
                "reads_data": command.joined,
            })
        })
        .collect();
    let part = dry.cut.map(cut_in_words);
    // Where there is one, files and commands are only those that are known, and figures are the least.
    let all = json!({ "status": dry.status, "part": part, "files": files, "commands": commands });
    format!("{all}\n")
}
