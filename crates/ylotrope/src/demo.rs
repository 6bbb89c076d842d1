//! The demo: made-up data and pipelines, carried in the program and written to a folder.

use std::collections::BTreeMap;
use std::path::Path;
use std::{fs, io};

use engine::Writing;
use include_dir::{Dir, include_dir};
use sha2::{Digest, Sha256};

/// Every file of the demo.
static FOLDERS: [Dir<'_>; 2] = [
    include_dir!("$CARGO_MANIFEST_DIR/../../demo/data"),
    include_dir!("$CARGO_MANIFEST_DIR/../../demo/pipelines"),
];

/// The pipeline that is open at the start.
pub(crate) const FIRST: &str = "worst-gates.sh";

/// Where the files that were created are noted, beside the folder of the demo.
const NOTED: &str = "demo-laid-out.json";

/// The sums of the files that were created, by their names: one that still has its sum is nobody's work.
type LaidOut = BTreeMap<String, String>;

fn sum(bytes: &[u8]) -> String {
    let sum = Sha256::digest(bytes);
    sum.iter().map(|byte| format!("{byte:02x}")).collect()
}

fn noted(folder: &Path) -> Option<LaidOut> {
    serde_json::from_slice(&fs::read(folder.with_file_name(NOTED)).ok()?).ok()
}

/// Writes a file of the demo. Those that are executable where they come from are here, too.
fn write(folder: &Path, file: &include_dir::File<'_>) -> io::Result<()> {
    let path = folder.join(file.path());
    let is_script = path.extension().is_some_and(|extension| extension == "sh");
    let writing = if is_script { Writing::Script } else { Writing::Result };
    engine::put_in_place(&path, writing, |to| to.write_all(file.contents()))
}

fn note(folder: &Path, laid_out: &LaidOut) -> io::Result<()> {
    let text = serde_json::to_vec_pretty(laid_out).map_err(io::Error::other)?;
    engine::put_in_place(&folder.with_file_name(NOTED), Writing::Own, |to| to.write_all(&text))
}

/// Lays the demo out in `folder`. What a person changed or deleted stays so; a file that is as it was laid
/// out is brought to what it is now. Other files are left alone.
///
/// # Errors
/// When the folder cannot be written.
pub(crate) fn lay_out(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)?;
    let before = noted(folder).unwrap_or_default();
    let mut laid_out = before.clone();
    for file in FOLDERS.iter().flat_map(Dir::files) {
        let (name, new) = (file.path().display().to_string(), sum(file.contents()));
        let now = fs::read(folder.join(file.path())).ok().map(|now| sum(&now));
        let as_laid_out = match (&now, before.get(&name)) {
            (Some(now), Some(then)) => now == then,
            // A file of a demo that was laid out before that was noted.
            (Some(_), None) => false,
            (None, then) => then.is_none(),
        };
        if as_laid_out && now.as_ref() != Some(&new) {
            write(folder, file)?;
        }
        laid_out
            .entry(name)
            .and_modify(|sum| {
                if as_laid_out {
                    sum.clone_from(&new);
                }
            })
            .or_insert(new);
    }
    if laid_out == before { Ok(()) } else { note(folder, &laid_out) }
}

/// A file that was brought back.
pub(crate) struct Restored {
    pub(crate) name: String,
    /// What the file is called now that was there.
    pub(crate) kept: Option<String>,
}

/// Brings all files of the demo back to how they were created; those that a person changed are kept by
/// another name. Tells which.
///
/// # Errors
/// When the folder cannot be written.
pub(crate) fn reset(folder: &Path) -> io::Result<Vec<Restored>> {
    fs::create_dir_all(folder)?;
    let mut restored = Vec::new();
    let mut laid_out = LaidOut::new();
    for file in FOLDERS.iter().flat_map(Dir::files) {
        let (path, name) = (folder.join(file.path()), file.path().display().to_string());
        laid_out.insert(name.clone(), sum(file.contents()));
        let kept = match fs::symlink_metadata(&path) {
            Ok(facts) if facts.is_file() && fs::read(&path)? == file.contents() => continue,
            Ok(_) => Some(set_aside(folder, &name)?),
            Err(_) => None,
        };
        write(folder, file)?;
        restored.push(Restored { name, kept });
    }
    note(folder, &laid_out)?;
    Ok(restored)
}

/// Gives what is there a name that nothing has; tells which.
fn set_aside(folder: &Path, name: &str) -> io::Result<String> {
    let names = (1..).map(|number: u32| format!("{name}.yours-{number}"));
    let taken = |name: &String| fs::symlink_metadata(folder.join(name)).is_ok();
    let kept = names.take(10_000).find(|name| !taken(name)).ok_or(io::ErrorKind::AlreadyExists)?;
    fs::rename(folder.join(name), folder.join(&kept))?;
    Ok(kept)
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn what_a_person_changed_stays_until_it_is_reset() {
        let home = tempfile::tempdir().unwrap();
        let folder = home.path().join("a/demo");
        lay_out(&folder).unwrap();
        let mode =
            |name: &str| fs::metadata(folder.join(name)).unwrap().permissions().mode() & 0o777;
        assert_eq!(mode(FIRST) & 0o111, 0o111);
        assert_eq!(mode("gate.log") & 0o111, 0);
        let original = fs::read(folder.join(FIRST)).unwrap();
        assert_eq!(original, FOLDERS[1].get_file(FIRST).unwrap().contents());
        fs::write(folder.join(FIRST), "changed\n").unwrap();
        fs::remove_file(folder.join("cabins.csv")).unwrap();
        fs::write(folder.join("mine"), "mine\n").unwrap();
        // What is as it should be is not written again: its time and rights stay.
        fs::set_permissions(folder.join("gate.log"), fs::Permissions::from_mode(0o444)).unwrap();
        lay_out(&folder).unwrap();
        assert_eq!(fs::read(folder.join(FIRST)).unwrap(), b"changed\n");
        assert!(!folder.join("cabins.csv").exists());
        let restored = reset(&folder).unwrap();
        let names: Vec<_> = restored.iter().map(|one| (&*one.name, one.kept.as_deref())).collect();
        let kept = format!("{FIRST}.yours-1");
        assert_eq!(names, [("cabins.csv", None), (FIRST, Some(&*kept))]);
        assert_eq!(fs::read(folder.join(FIRST)).unwrap(), original);
        assert_eq!(fs::read(folder.join(kept)).unwrap(), b"changed\n");
        assert_eq!(fs::read(folder.join("mine")).unwrap(), b"mine\n");
        assert_eq!(mode("gate.log"), 0o444);
        assert!(reset(&folder).unwrap().is_empty());
        assert!(lay_out(&folder.join("mine")).is_err());
    }

    #[test]
    fn a_file_of_an_older_demo_that_nobody_changed_is_brought_up_to_date() {
        let home = tempfile::tempdir().unwrap();
        let folder = home.path().join("demo");
        lay_out(&folder).unwrap();
        fs::write(folder.join(FIRST), "older\n").unwrap();
        let mut laid_out = noted(&folder).unwrap();
        laid_out.insert(FIRST.to_owned(), sum(b"older\n"));
        note(&folder, &laid_out).unwrap();
        lay_out(&folder).unwrap();
        let now = FOLDERS[1].get_file(FIRST).unwrap().contents();
        assert_eq!(fs::read(folder.join(FIRST)).unwrap(), now);
        assert_eq!(noted(&folder).unwrap()[FIRST], sum(now));
    }
}
