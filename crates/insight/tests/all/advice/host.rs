//! What is offered, run by the shell and the utilities of the machine.

use std::path::Path;
use std::process::Command;

use engine::Trials;
use insight::{Proof, about, apply_edits};
use stream::RunControl;

use super::{corpus, folder, request, tried};

/// What the machine writes, and its status; `None` where it does not end soon or lacks a program.
fn on_the_host(folder: &Path, text: &str) -> Option<(Vec<u8>, i32)> {
    let run = Command::new("timeout")
        .args(["20", "bash", "-c", text])
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .env("TZ", "UTC")
        .output()
        .unwrap();
    let status = run.status.code()?;
    (status != 124 && status != 127).then_some((run.stdout, status))
}

/// Kinds whose change mends what this machine's own programs do otherwise, or what they say.
const OTHERWISE: [&str; 3] = ["error-hidden", "error-order", "invalid-utf8"];

/// The files that the changed line writes here and on the machine, each time in a folder of its own.
fn files_differ(line: &str, edits: &[insight::TextEdit]) -> Option<String> {
    let folder = folder();
    let request = request(folder.path(), line);
    let text = apply_edits(&request.text, edits);
    let request = engine::Request { text: text.clone(), ..request };
    let ours = Trials::default().evaluate(request, None, &RunControl::default()).unwrap();
    on_the_host(folder.path(), &text)?;
    ours.pending.iter().find_map(|file| {
        let written = std::fs::read(&file.path).unwrap_or_default();
        let expected = file.kept.contents();
        let appends = file.mode == engine::PendingMode::Append;
        let same = if appends { written.ends_with(&expected) } else { written == expected };
        (!same).then(|| format!("{} is another one", file.path.display()))
    })
}

#[test]
fn changes_are_right_on_the_host() {
    let folder = folder();
    let (mut run, mut wrong) = (0, Vec::new());
    for (line, _) in corpus::LINES {
        let trials = Trials::default();
        if trials.evaluate(request(folder.path(), line), None, &RunControl::default()).is_err() {
            continue;
        }
        let (preview, tried) = tried(folder.path(), line);
        for note in &tried.notes {
            let Some(fix) = &note.fix else { continue };
            if OTHERWISE.contains(&note.kind.id()) {
                continue;
            }
            let text = apply_edits(&preview.text, &fix.edits);
            if !preview.pending.is_empty() {
                run += 1;
                wrong.extend(files_differ(line, &fix.edits).map(|why| format!("{text}: {why}")));
                continue;
            }
            let Some(after) = on_the_host(folder.path(), &text) else { continue };
            run += 1;
            let kind = note.kind.id();
            if matches!(about(note.kind).proof, Proof::Same | Proof::Faster) {
                let before = on_the_host(folder.path(), &preview.text);
                if before.as_ref() != Some(&after) {
                    wrong.push(format!("{kind}: {line} and {text}: {before:?}, {after:?}"));
                }
                continue;
            }
            let request = engine::Request { text: text.clone(), ..request(folder.path(), "") };
            let ours = trials.evaluate(request, None, &RunControl::default()).unwrap();
            if ours.stages.iter().any(|stage| !stage.held.is_empty()) {
                continue;
            }
            let ours = ours.stages.last().unwrap().out.contents();
            if after.0 != ours && !line.contains("shuf") {
                let said = String::from_utf8_lossy(&after.0[..after.0.len().min(200)]).into_owned();
                wrong.push(format!("{kind}: {text}: the machine gives {said:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {run}:\n{}", wrong.len(), wrong.join("\n"));
    assert!(run >= 60, "{run}");
}
