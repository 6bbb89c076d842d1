use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use anyhow::{Context, Result, bail};

use crate::{rooms, words};

/// Runs all checks in order; stops at the first that fails.
pub(crate) fn run() -> Result<()> {
    ensure_tools()?;
    eprintln!("── formatting");
    format(true)?;
    eprintln!("── rooms");
    rooms::check(&root()?)?;
    eprintln!("── words");
    words::check(&root()?)?;
    let clippy = ["clippy", "--workspace", "--all-targets", "--locked", "--", "-D", "warnings"];
    step("clippy", &clippy)?;
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

fn has(program: &str, asks: &str) -> bool {
    let probe =
        Command::new(program).arg(asks).stdout(Stdio::null()).stderr(Stdio::null()).status();
    probe.is_ok_and(|status| status.success())
}

/// What the tests compare with and drive, each with what makes it answer and its package.
const TOOLS: [(&str, &str, &str); 9] = [
    // The real interface.
    ("tmux", "-V", "tmux"),
    // Drawings are read back.
    ("pdftotext", "-v", "poppler-utils"),
    // Prompts that the Bench is opened from, and completions.
    ("zsh", "--version", "zsh"),
    ("fish", "--version", "fish"),
    ("man", "--version", "man-db"),
    // The other side of compressed data.
    ("gzip", "--version", "gzip"),
    ("bzip2", "--help", "bzip2"),
    ("xz", "--version", "xz-utils"),
    ("zstd", "--version", "zstd"),
];

fn ensure_tools() -> Result<()> {
    for (program, asks, package) in TOOLS {
        if has(program, asks) {
            continue;
        }
        eprintln!("── {program} is missing; installing it with apt-get");
        let install = format!(
            "apt-get update -qq && apt-get install -y -qq --no-install-recommends {package}"
        );
        let _ = Command::new("sh").args(["-c", &install]).stdin(Stdio::null()).status();
        if !has(program, asks) {
            bail!(
                "the tests need {program} and it could not be installed; install {package} and run again"
            );
        }
    }
    Ok(())
}
