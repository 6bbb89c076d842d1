//! `cargo xtask test`: all checks and tests, in order.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::{Context, Result, bail};

use crate::{layers, links, packages, tools, words};

/// Runs all checks in order; stops at the first that fails.
pub(crate) fn run(yes: bool) -> Result<()> {
    tools::ensure(yes)?;
    eprintln!("── formatting");
    format(true)?;
    eprintln!("── layers");
    layers::check(&root()?)?;
    eprintln!("── words");
    words::check(&root()?)?;
    eprintln!("── links");
    links::check(&root()?)?;
    eprintln!("── packages");
    packages::check(&root()?)?;
    let clippy = ["clippy", "--workspace", "--all-targets", "--locked", "--", "-D", "warnings"];
    step("clippy", &clippy)?;
    // What else the program can be built as.
    let other = ["clippy", "-p", "ylotrope", "--no-default-features", "--features", "unmetered"];
    step("other builds", &[&other[..], &["--locked", "--", "-D", "warnings"]].concat())?;
    step("tests", &["test", "--workspace", "--locked", "--no-fail-fast"])?;
    step("documentation", &["doc", "--workspace", "--no-deps", "--locked"])?;
    let fuzz = ["check", "--locked", "--manifest-path", "fuzz/Cargo.toml", "--bins"];
    step("fuzz targets", &fuzz)
}

/// Writes docs/advice.md, which a test compares with what the notes say.
pub(crate) fn write_advice() -> Result<()> {
    let status = Command::new("cargo")
        .args(["test", "--locked", "-p", "insight", "--test", "all", "advice::page"])
        .env("WRITE_DOCS", "1")
        .current_dir(root()?)
        .status()
        .context("cargo")?;
    anyhow::ensure!(status.success(), "the page cannot be written");
    Ok(())
}

/// The folder of the workspace.
pub(crate) fn root() -> Result<PathBuf> {
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    Ok(own.parent().context("the folder of the workspace")?.to_owned())
}

/// The files of the project that match, tracked or new, by their paths from its folder.
pub(crate) fn kept_files(root: &Path, patterns: &[&str]) -> Result<Vec<String>> {
    let listed = Command::new("git")
        .args(["ls-files", "-z", "--cached", "--others", "--exclude-standard"])
        .args(patterns)
        .current_dir(root)
        .output()
        .context("git")?;
    let files = String::from_utf8(listed.stdout).context("file names")?;
    let files = files.split('\0').filter(|file| !file.is_empty() && root.join(file).exists());
    Ok(files.map(str::to_owned).collect())
}

/// Formats every file that is kept, or only checks: `cargo fmt` alone does not see modules that
/// macros declare.
pub(crate) fn format(check: bool) -> Result<()> {
    let root = root()?;
    let files = kept_files(&root, &["*.rs"])?;
    let mut rustfmt = Command::new("rustfmt");
    rustfmt.args(["--edition", "2024"]).args(check.then_some("--check")).args(files);
    if !rustfmt.current_dir(&root).status().context("rustfmt")?.success() {
        bail!("formatting failed; cargo xtask format mends it");
    }
    Ok(())
}

fn step(name: &str, arguments: &[&str]) -> Result<()> {
    eprintln!("── {name}");
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let mut command = Command::new(cargo);
    let status = command.args(arguments).env("RUSTDOCFLAGS", "-D warnings").status();
    let status = status.context("cargo")?;
    if !status.success() {
        bail!("{name} failed");
    }
    Ok(())
}
