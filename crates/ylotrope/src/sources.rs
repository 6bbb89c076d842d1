//! The command that reads what the Bench is opened on: by content, not by name.

use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};
use filters::Form;

/// The form of a compressed regular file; `None` for any other file.
fn form_of(path: &Path) -> Option<Form> {
    // Nothing else is opened: that could wait, or take data away from others.
    let file = engine::open_regular(path).ok()??;
    let mut first = [0; 6];
    let read = file.read_at(&mut first, 0).ok()?;
    Form::of_content(&first[..read])
}

/// The text that reads these files.
///
/// # Errors
/// A name that cannot be part of a text; files that are compressed in different ways.
pub(crate) fn reading(files: &[PathBuf]) -> Result<String> {
    let mut named = Vec::new();
    for file in files {
        let Some(name) = file.to_str() else {
            bail!("{}: a name that is not UTF-8 cannot be part of the text", file.display());
        };
        named.push((name, form_of(file)));
    }
    insight::reading_command(&named)
        .context("files that are compressed in different ways cannot be read by one command")
}

/// The command that reads standard input, where that is a file whose content is known; `cat` else.
pub(crate) fn standard_input() -> &'static str {
    let form = form_of(Path::new("/proc/self/fd/0"));
    form.map_or("cat", Form::reader)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_read_by_their_content() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str, content: &[u8]| {
            let path = folder.path().join(name);
            std::fs::write(&path, content).unwrap();
            path
        };
        let (plain, gzip) = (at("a", b"x\n"), at("b.gz", b"\x1f\x8b\x08\0"));
        let (renamed, xz) = (at("c.log", b"\x1f\x8b\x08\0"), at("d", b"\xfd7zXZ\0"));
        let name = |path: &PathBuf| path.display().to_string();
        for (files, expected) in [
            (vec![&plain], format!("cat {}", name(&plain))),
            (vec![&gzip], format!("zcat {}", name(&gzip))),
            (vec![&renamed], format!("zcat < {}", name(&renamed))),
            (vec![&xz], format!("xzcat {}", name(&xz))),
            (vec![&plain, &gzip], format!("zcat -f {} {}", name(&plain), name(&gzip))),
        ] {
            let files: Vec<PathBuf> = files.into_iter().cloned().collect();
            assert_eq!(reading(&files).unwrap(), expected);
        }
        assert!(reading(&[gzip, xz]).is_err());
    }
}
