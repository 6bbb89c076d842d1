//! The packages that the program is made of: whether their licences allow it, whether there is one version of each,
//! and the notices that go with what is handed out.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::Path;
use std::process::Command;

use anyhow::{Context, Result, bail, ensure};
use cargo_metadata::{Metadata, MetadataCommand, Package};
use spdx::{Expression, LicenseItem, ParseMode};

/// Licences under which something may be part of the program: they ask for their text to go with it, and for
/// nothing of whoever uses it. Names of the SPDX list.
const LICENCES: [&str; 12] = [
    "0BSD",
    "Apache-2.0",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "BSL-1.0",
    "CC0-1.0",
    "ISC",
    "MIT",
    "Unicode-3.0",
    "Unlicense",
    "Zlib",
    "bzip2-1.0.6",
];

/// Packages of which there are two versions in the program, each with what still asks for the older one.
const TWICE: [(&str, &str); 1] = [("signal-hook", "crossterm")];

/// Files that have the text of a licence, or what must be said with it.
const TEXTS: [&str; 5] = ["LICENSE", "LICENCE", "COPYING", "NOTICE", "UNLICENSE"];

/// What the program is handed out for.
const PLATFORM: &str = "x86_64-unknown-linux-gnu";

/// What cargo knows of the workspace on the systems that the program is for.
fn metadata(root: &Path) -> Result<Metadata> {
    let options = ["--locked", "--filter-platform", PLATFORM];
    let mut command = MetadataCommand::new();
    command.manifest_path(root.join("Cargo.toml"));
    command.other_options(options.map(str::to_owned)).exec().context("cargo metadata")
}

/// The packages from elsewhere that the program is linked with, in the order of their names: as `cargo tree`
/// has them. The resolution in the metadata has also what no feature asks for.
fn linked<'m>(root: &Path, metadata: &'m Metadata) -> Result<Vec<&'m Package>> {
    let listed = Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()))
        .args(["tree", "--locked", "-p", "ylotrope", "-e", "normal,no-proc-macro"])
        .args(["--target", PLATFORM, "--prefix", "none", "--format", "{p}"])
        .current_dir(root)
        .output()
        .context("cargo tree")?;
    ensure!(listed.status.success(), "cargo tree failed");
    let listed = String::from_utf8(listed.stdout).context("cargo tree")?;
    let known: BTreeSet<(&str, &str)> = listed.lines().filter_map(name_and_version).collect();
    let is_linked = |package: &&Package| {
        let version = package.version.to_string();
        package.source.is_some() && known.contains(&(package.name.as_str(), version.as_str()))
    };
    let mut packages: Vec<&Package> = metadata.packages.iter().filter(is_linked).collect();
    packages.sort_by_key(|package| (package.name.to_string(), package.version.clone()));
    Ok(packages)
}

/// `NAME vVERSION …`
fn name_and_version(line: &str) -> Option<(&str, &str)> {
    let mut words = line.split(' ');
    Some((words.next()?, words.next()?.strip_prefix('v')?))
}

/// Checks licences and versions of all that the program is linked with.
pub(crate) fn check(root: &Path) -> Result<()> {
    let metadata = metadata(root)?;
    let packages = linked(root, &metadata)?;
    let mut wrong = String::new();
    for package in &packages {
        let licence = package.license.as_deref().unwrap_or_default();
        if !is_allowed(licence) {
            let _ =
                writeln!(wrong, "{} {}: its licence is {licence:?}", package.name, package.version);
        }
    }
    let names: Vec<&str> = packages.iter().map(|package| package.name.as_str()).collect();
    wrong.push_str(&versions(&names, &TWICE.map(|(name, _)| name)));
    ensure!(wrong.is_empty(), "packages that the program is made of:\n{wrong}");
    Ok(())
}

/// Whether one of the ways in which a package may be used is one of ours.
fn is_allowed(licence: &str) -> bool {
    let Ok(expression) = Expression::parse_mode(licence, ParseMode::LAX) else { return false };
    expression.evaluate(|asked| match &asked.license {
        LicenseItem::Spdx { id, .. } => LICENCES.contains(&id.name),
        LicenseItem::Other(_) => false,
    })
}

/// What is there twice and is not known to be, and the other way round.
fn versions(names: &[&str], known: &[&str]) -> String {
    let mut wrong = String::new();
    let twice: BTreeSet<&str> =
        names.windows(2).filter(|pair| pair[0] == pair[1]).map(|pair| pair[0]).collect();
    for name in twice.iter().filter(|name| !known.contains(name)) {
        let _ = writeln!(wrong, "{name}: there are two versions of it");
    }
    for name in known.iter().filter(|name| !twice.contains(*name)) {
        let _ = writeln!(wrong, "{name}: it is on the list of what is there twice, and is not");
    }
    wrong
}

/// The notices: each package with its licence, and each text once, with those that it is for.
pub(crate) fn notices(root: &Path) -> Result<String> {
    let metadata = metadata(root)?;
    let packages = linked(root, &metadata)?;
    let mut out = String::from(
        "Packages that Ylotrope is made of, each with its licence; the texts follow.\n\n",
    );
    let mut texts: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for package in &packages {
        let name = format!("{} {}", package.name, package.version);
        let licence = package.license.as_deref().unwrap_or_default();
        let place = package.repository.as_deref().unwrap_or("https://crates.io");
        let _ = writeln!(out, "{name}\n    {licence}\n    {place}");
        let folder = package.manifest_path.parent().context("the folder of a package")?;
        for text in texts_in(folder.as_std_path())? {
            texts.entry(text).or_default().push(name.clone());
        }
    }
    if packages.is_empty() || texts.is_empty() {
        bail!("no package was found");
    }
    for (text, names) in texts {
        let _ =
            write!(out, "\n{}\nFor {}:\n\n{}\n", "─".repeat(80), names.join(", "), text.trim_end());
    }
    Ok(out)
}

/// The texts of licences in a folder.
fn texts_in(folder: &Path) -> Result<Vec<String>> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).with_context(|| folder.display().to_string())?.flatten()
    {
        let name = entry.file_name().to_string_lossy().to_uppercase();
        if TEXTS.iter().any(|text| name.starts_with(text)) && entry.path().is_file() {
            let bytes = std::fs::read(entry.path())?;
            found.push(String::from_utf8_lossy(&bytes).replace("\r\n", "\n"));
        }
    }
    found.sort();
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_licence_is_allowed_where_one_of_its_ways_is() {
        for licence in
            ["MIT", "MIT OR Apache-2.0", "MIT/Apache-2.0", "(MIT OR GPL-3.0-only) AND ISC"]
        {
            assert!(is_allowed(licence), "{licence}");
        }
        for licence in ["", "GPL-3.0-only", "MIT AND GPL-3.0-only", "Kestrel", "MPL-2.0"] {
            assert!(!is_allowed(licence), "{licence}");
        }
    }

    #[test]
    fn what_is_there_twice_is_on_the_list_and_the_other_way_round() {
        assert_eq!(versions(&["a", "b", "b", "c"], &["b"]), "");
        assert!(versions(&["a", "b", "b"], &[]).starts_with("b: there are two"));
        assert!(versions(&["a", "b"], &["b"]).starts_with("b: it is on the list"));
    }

    #[test]
    fn a_line_of_the_tree_has_a_name_and_a_version() {
        assert_eq!(name_and_version("bstr v1.14.0"), Some(("bstr", "1.14.0")));
        assert_eq!(name_and_version("tui v0.1.0 (/x/tui) (*)"), Some(("tui", "0.1.0")));
        assert_eq!(name_and_version(""), None);
    }

    #[test]
    fn texts_of_licences_are_found_by_their_names() {
        let folder = tempfile::tempdir().unwrap();
        for name in ["LICENSE-MIT", "license.txt", "COPYING", "README.md"] {
            std::fs::write(folder.path().join(name), format!("{name}\r\n")).unwrap();
        }
        assert_eq!(
            texts_in(folder.path()).unwrap(),
            ["COPYING\n", "LICENSE-MIT\n", "license.txt\n"]
        );
    }
}
