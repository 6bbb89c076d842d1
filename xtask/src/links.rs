//! Whether what the documents point at is there: links to files, and places in the sources.

use std::path::Path;

use anyhow::{Result, ensure};

use crate::test::kept_files;

/// Checks all documents of the project.
pub(crate) fn check(root: &Path) -> Result<()> {
    let mut wrong = Vec::new();
    for file in kept_files(root, &["*.md"])? {
        let text = std::fs::read_to_string(root.join(&file))?;
        let folder = root.join(&file).parent().map(Path::to_owned).unwrap_or_default();
        let is_there = |target: &str| folder.join(target).exists();
        wrong.extend(
            links(&text).filter(|target| !is_there(target)).map(|to| format!("{file}: {to}")),
        );
        let in_sources =
            |place: &str| root.join(place).exists() || root.join("crates").join(place).exists();
        wrong.extend(
            places(&text).filter(|place| !in_sources(place)).map(|to| format!("{file}: {to}")),
        );
    }
    ensure!(wrong.is_empty(), "documents point at what is not there:\n{}", wrong.join("\n"));
    Ok(())
}

/// Targets of links to files: not those to places elsewhere, or in the same document.
fn links(text: &str) -> impl Iterator<Item = &str> {
    text.split("](").skip(1).filter_map(|rest| {
        let target = rest.split_once(')')?.0;
        let target = target.split_once('#').map_or(target, |(file, _)| file);
        let elsewhere = target.contains("://") || target.starts_with("mailto:");
        (!target.is_empty() && !elsewhere && !target.contains(' ')).then_some(target)
    })
}

/// Places in the sources: code that is a path to a file of Rust or a folder of sources. `NAME` is for the reader
/// to fill in.
fn places(text: &str) -> impl Iterator<Item = &str> {
    text.split('`').skip(1).step_by(2).filter(|code| {
        let is_path = code.contains('/') && !code.contains(char::is_whitespace);
        let in_sources = code.contains("/src/") || code.contains("/tests/");
        is_path && in_sources && !code.contains("NAME") && !code.starts_with('/')
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn links_to_files_are_found() {
        let text = "[a](b.md) ![c](d/e.png) [f](https://g.example/h) [i](#j) [k](l.md#m) `x](y)`";
        let found: Vec<_> = links(text).collect();
        assert_eq!(found, ["b.md", "d/e.png", "l.md", "y"]);
    }

    #[test]
    fn places_in_the_sources_are_found() {
        let text = "`a/src/b.rs`, `crates/c/tests/all/`, `/usr/src/d`, `a/src/NAME.rs`, `cut -d/src/ x`, `e/f`";
        let found: Vec<_> = places(text).collect();
        assert_eq!(found, ["a/src/b.rs", "crates/c/tests/all/"]);
    }

    #[test]
    fn what_is_not_there_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let git = |arguments: &[&str]| {
            let status = std::process::Command::new("git")
                .args(arguments)
                .current_dir(folder.path())
                .status();
            assert!(status.unwrap().success());
        };
        git(&["init", "-q"]);
        std::fs::write(folder.path().join("a.md"), "[b](c.md) `x/src/y.rs` [a](a.md)").unwrap();
        let error = check(folder.path()).unwrap_err().to_string();
        assert!(error.ends_with("there:\na.md: c.md\na.md: x/src/y.rs"), "{error}");
        std::fs::write(folder.path().join("a.md"), "[a](a.md)").unwrap();
        assert!(check(folder.path()).is_ok());
    }
}
