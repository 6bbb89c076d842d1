use std::process::{Command, Stdio};

use anyhow::{Context, Result, bail};

/// Runs all checks in order; stops at the first that fails.
pub(crate) fn run() -> Result<()> {
    ensure_tmux()?;
    step("formatting", &["fmt", "--all", "--check"])?;
    let clippy = ["clippy", "--workspace", "--all-targets", "--locked", "--", "-D", "warnings"];
    step("clippy", &clippy)?;
    step("tests", &["test", "--workspace", "--locked"])
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

fn has(program: &str) -> bool {
    let probe =
        Command::new(program).arg("-V").stdout(Stdio::null()).stderr(Stdio::null()).status();
    probe.is_ok_and(|status| status.success())
}

/// The real interface is driven through tmux.
fn ensure_tmux() -> Result<()> {
    if has("tmux") {
        return Ok(());
    }
    eprintln!("── tmux is missing; installing it with apt-get");
    let install = "apt-get update -qq && apt-get install -y -qq --no-install-recommends tmux";
    let _ = Command::new("sh").args(["-c", install]).stdin(Stdio::null()).status();
    if !has("tmux") {
        bail!("the tests need tmux and it could not be installed; install it and run again");
    }
    Ok(())
}
