//! docs/advice.md: every note with an example, made from what the notes say of themselves.

use std::fmt::Write as _;
use std::path::Path;

use engine::Trials;
use insight::{ADVICE, Basis, Proof, Proofs, Severity, apply_edits};
use stream::RunControl;

use super::request;

const HEAD: &str = include_str!("page.md");

/// The demo's files in a folder of their own.
fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/data");
    for file in std::fs::read_dir(data).unwrap() {
        let file = file.unwrap();
        std::fs::copy(file.path(), folder.path().join(file.file_name())).unwrap();
    }
    std::fs::write(folder.path().join("night shift.log"), "quiet\n").unwrap();
    std::fs::write(folder.path().join("sudo"), "#!/bin/sh\nexit 9\n").unwrap();
    let rights = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(folder.path().join("sudo"), rights).unwrap();
    folder
}

fn title(basis: Basis) -> &'static str {
    match basis {
        Basis::Data => "From the data",
        Basis::Line => "From the text",
        Basis::Cost => "What it costs",
        Basis::Portability => "On other systems (with `--posix`)",
    }
}

fn page() -> String {
    let folder = demo();
    let mut page = HEAD.to_owned();
    for basis in [Basis::Data, Basis::Line, Basis::Cost, Basis::Portability] {
        let _ = writeln!(page, "\n## {}\n", title(basis));
        for about in ADVICE.iter().filter(|about| about.basis == basis) {
            let id = about.kind.id();
            let _ = writeln!(page, "### {id}\n\nSaid when {}.", about.when);
            match about.proof {
                Proof::Cures | Proof::Shows => {}
                Proof::Same => page.push_str("Only where both texts give the same.\n"),
                Proof::Faster => {
                    page.push_str("Only where both texts give the same, and one much faster.\n");
                }
            }
            page.push('\n');
            if about.example.is_empty() {
                continue;
            }
            let example = about.example.replace("sudo ", "./sudo ");
            let request = request(folder.path(), &example);
            let trials = Trials::default();
            let preview = trials
                .evaluate(request.clone(), None, &RunControl::default())
                .unwrap_or_else(|error| panic!("{example}: {error}"));
            let proofs = Proofs::new(trials, request).with_portability().with_messages();
            let proofs = proofs.whatever_the_gain();
            let notes = proofs.notes(&preview, &RunControl::default());
            let note = notes.iter().find(|note| note.kind == about.kind);
            let note = note.unwrap_or_else(|| panic!("{id}: its example does not get it"));
            let mark = if note.severity == Severity::Warning { '!' } else { '·' };
            // How much is held depends on the machine.
            let text = if id == "holds-everything" {
                "holds data back, …: it must read everything before it writes"
            } else {
                &note.text
            };
            let text = text.replace("./sudo", "sudo");
            let _ = writeln!(page, "    {}\n    {mark} {text}", about.example);
            if let Some(fix) = &note.fix {
                let fixed = apply_edits(&preview.text, &fix.edits);
                let after = fixed.split_once("; ").map_or("", |(_, after)| after);
                let fixed = format!("{}: {after}", fix.label).replace("./sudo", "sudo");
                let _ = writeln!(page, "      f {fixed}");
            }
            page.push('\n');
        }
    }
    page.truncate(page.trim_end().len());
    page.push('\n');
    page
}

/// `cargo xtask advice` writes the page instead.
#[test]
fn the_page_says_what_the_notes_say() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/advice.md");
    let page = page();
    if std::env::var_os("WRITE_DOCS").is_some() {
        std::fs::write(&path, &page).unwrap();
    }
    let kept = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(kept == page, "docs/advice.md is not what the notes say; cargo xtask advice writes it");
}
