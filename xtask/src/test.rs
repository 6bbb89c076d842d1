use std::process::{Command, Stdio};

use anyhow::{Context, Result, bail};

/// Runs all checks in order; stops at the first that fails.
pub(crate) fn run() -> Result<()> {
    ensure_tools()?;
    step("formatting", &["fmt", "--all", "--check"])?;
    let clippy = ["clippy", "--workspace", "--all-targets", "--locked", "--", "-D", "warnings"];
    step("clippy", &clippy)?;
    step("tests", &["test", "--workspace", "--locked"])?;
    let fuzz = ["check", "--locked", "--manifest-path", "fuzz/Cargo.toml", "--bins"];
    step("fuzz targets", &fuzz)
}

fn step(name: &str, arguments: &[&str]) -> Result<()> {
    eprintln!("── {name}");
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let status = Command::new(cargo).args(arguments).status().context("cargo")?;
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

/// The real interface is driven through tmux, and drawings are read back by pdftotext.
fn ensure_tools() -> Result<()> {
    for (program, asks, package) in [("tmux", "-V", "tmux"), ("pdftotext", "-v", "poppler-utils")] {
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
