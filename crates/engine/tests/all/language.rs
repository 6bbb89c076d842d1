//! The language of the shell in cases: what a text writes, its status, and the files it leaves.
//! Every text is run twice: as a dry run, which must show the same and change nothing, and for real.

#![allow(clippy::too_many_lines)] // tables of cases

mod arithmetic;
mod builtins;
mod control;
mod parameters;
mod redirections;
mod refused;
mod substitutions;
mod words;

use std::collections::BTreeMap;
use std::path::Path;

use engine::{Variables, dry_run, run_script};
use stream::RunControl;

/// A text, what it writes, its status, and the files that are new or other than before.
struct Text(&'static str, &'static [u8], u8, &'static [(&'static str, &'static [u8])]);

const FILES: [(&str, &[u8]); 6] = [
    (".hidden", b"h\n"),
    ("a.txt", b"alpha\n"),
    ("b.txt", b"beta\ngamma\n"),
    ("pairs.txt", b"k1 v2\nk2 v1\nk1 v1\nk3 v2\n"),
    ("sub/inner.txt", b"inside\n"),
    ("three.txt", b"one\ntwo\nthree\n"),
];

type Contents = BTreeMap<String, Vec<u8>>;

fn begin(folder: &Path) {
    std::fs::create_dir(folder.join("sub")).unwrap();
    for (name, data) in FILES {
        std::fs::write(folder.join(name), data).unwrap();
    }
}

/// All files below a folder, by their names in it.
fn contents(folder: &Path) -> Contents {
    let mut all = Contents::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(inner) = folders.pop() {
        for entry in std::fs::read_dir(inner).unwrap().flatten() {
            if entry.path().is_dir() {
                folders.push(entry.path());
            } else {
                let name = entry.path().strip_prefix(folder).unwrap().display().to_string();
                all.insert(name, std::fs::read(entry.path()).unwrap());
            }
        }
    }
    all
}

/// What differs from the files a case begins with.
fn changed(mut all: Contents) -> Contents {
    for (name, data) in FILES {
        if all.get(name).is_some_and(|found| found == data) {
            all.remove(name);
        }
    }
    all
}

/// The text in `folder`, with what it writes in a file beside it.
fn placed(text: &str, folder: &Path, out: &Path) -> String {
    format!(
        "HOME=/home/tarn; cd {}; exec < /dev/null > {} 2> {}.messages\n{text}",
        folder.display(),
        out.display(),
        out.display()
    )
}

/// What a run did: what it wrote, its status, changed files.
type Done = (String, u8, Contents);

fn dry(text: &str) -> Done {
    let home = tempfile::tempdir().unwrap();
    let (folder, out) = (home.path().join("folder"), home.path().join("out"));
    std::fs::create_dir(&folder).unwrap();
    begin(&folder);
    let before = contents(home.path());
    let text = placed(text, &folder, &out);
    let dry = match dry_run(
        &text,
        &mut Variables::default(),
        engine::DryLimits::AsPreview,
        &RunControl::default(),
    ) {
        Ok(dry) => dry,
        Err(error) => return (format!("refused: {error}"), 2, Contents::new()),
    };
    assert_eq!(contents(home.path()), before, "a dry run changes nothing: {text}");
    let (mut written, mut all) = (Vec::new(), Contents::new());
    for file in &dry.files {
        if file.path == out {
            written = file.kept.contents();
        } else if let Ok(name) = file.path.strip_prefix(&folder) {
            let name = name.display().to_string();
            let mut data = match file.mode {
                engine::PendingMode::Append => std::fs::read(&file.path).unwrap_or_default(),
                _ => Vec::new(),
            };
            data.extend(file.kept.contents());
            all.insert(name, data);
        }
    }
    (String::from_utf8_lossy(&written).into_owned(), dry.status, changed(all))
}

fn real(text: &str) -> Done {
    let home = tempfile::tempdir().unwrap();
    let (folder, out) = (home.path().join("folder"), home.path().join("out"));
    std::fs::create_dir(&folder).unwrap();
    begin(&folder);
    let text = placed(text, &folder, &out);
    match run_script(&text, &mut Variables::default(), &RunControl::default(), None) {
        Ok(status) => {
            let written = std::fs::read(&out).unwrap_or_default();
            let written = String::from_utf8_lossy(&written).into_owned();
            (written, status, changed(contents(&folder)))
        }
        Err(error) => (format!("refused: {error}"), 2, Contents::new()),
    }
}

/// Runs each text both ways; names all that come out otherwise, not only the first.
fn agree(texts: &[Text]) {
    let mut wrong = String::new();
    for Text(text, out, status, left) in texts {
        let left: Contents =
            left.iter().map(|(name, data)| ((*name).to_owned(), data.to_vec())).collect();
        let expected = (String::from_utf8_lossy(out).into_owned(), *status, left);
        for (way, done) in [("dry run", dry(text)), ("run", real(text))] {
            if done != expected {
                wrong += &format!("{text}\n  {way:8} {done:?}\n  expected {expected:?}\n");
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}
