//! What the tests need of the machine: all that is missing is named at once, and installed after a yes.

use std::io::{BufRead, IsTerminal, Write};
use std::process::{Command, Stdio};

use anyhow::{Context, Result, bail};

/// A program that the tests run.
struct Tool {
    program: &'static str,
    /// What makes it answer.
    asks: &'static str,
    /// The package that has it, by its name in Debian and those that are made of it.
    package: &'static str,
    /// What the tests do with it.
    for_what: &'static str,
}

const fn tool(
    program: &'static str,
    asks: &'static str,
    package: &'static str,
    for_what: &'static str,
) -> Tool {
    Tool { program, asks, package, for_what }
}

const TOOLS: [Tool; 12] = [
    tool("cc", "--version", "gcc", "the decoders of zstd and xz are compiled"),
    tool("git", "--version", "git", "the files of the project are listed"),
    tool("rustfmt", "--version", "rustfmt", "the format is checked"),
    tool("tmux", "-V", "tmux", "the interface is driven"),
    tool("pdftotext", "-v", "poppler-utils", "drawings are read back"),
    tool("zsh", "--version", "zsh", "its prompt and completions are tried"),
    tool("fish", "--version", "fish", "its prompt and completions are tried"),
    tool("man", "--version", "man-db", "manual pages are read"),
    tool("gzip", "--version", "gzip", "compressed data is compared"),
    tool("bzip2", "--help", "bzip2", "compressed data is compared"),
    tool("xz", "--version", "xz-utils", "compressed data is compared"),
    tool("zstd", "--version", "zstd", "compressed data is compared"),
];

fn answers(program: &str, asks: &str) -> bool {
    let mut probe = Command::new(program);
    probe.arg(asks).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    probe.status().is_ok_and(|status| status.success())
}

/// Those that do not answer.
fn missing<'t>(tools: &'t [Tool], answers: &dyn Fn(&str, &str) -> bool) -> Vec<&'t Tool> {
    tools.iter().filter(|tool| !answers(tool.program, tool.asks)).collect()
}

/// The packages of tools, each once, in their order.
fn packages<'t>(tools: &[&'t Tool]) -> Vec<&'t str> {
    let mut all: Vec<&str> = Vec::new();
    for tool in tools {
        if !all.contains(&tool.package) {
            all.push(tool.package);
        }
    }
    all
}

/// What is missing and what is done about it, before anything is.
fn said(missing: &[&Tool]) -> String {
    let mut text = String::from("The tests need programs that this machine has not:\n");
    for tool in missing {
        let Tool { program, package, for_what, .. } = tool;
        text.push_str(&format!("  {program:<10} package {package:<14} {for_what}\n"));
    }
    text.push_str(&format!("They can be installed now, as root, with:\n  {}\n", by_hand(missing)));
    text
}

/// The command that installs them.
fn by_hand(missing: &[&Tool]) -> String {
    format!(
        "apt-get update && apt-get install --no-install-recommends {}",
        packages(missing).join(" ")
    )
}

/// Has everything there that the tests need. At a terminal it asks before it installs anything; with `yes`, and
/// where there is no terminal to ask at, it continues.
pub(crate) fn ensure(yes: bool) -> Result<()> {
    let lacking = missing(&TOOLS, &answers);
    if lacking.is_empty() {
        return Ok(());
    }
    eprint!("{}", said(&lacking));
    if !yes && std::io::stdin().is_terminal() && !agreed(&mut std::io::stdin().lock())? {
        bail!("nothing was installed; install them by hand and run this again");
    }
    let packages = packages(&lacking);
    eprintln!("── installing {}", packages.join(", "));
    for arguments in [&["update", "-qq"][..], &["install", "-y", "-qq", "--no-install-recommends"]]
    {
        let mut command = Command::new("apt-get");
        command.args(arguments).stdin(Stdio::null()).env("DEBIAN_FRONTEND", "noninteractive");
        if arguments[0] == "install" {
            command.args(&packages);
        }
        // What matters is whether the programs answer after it.
        let _ = command.status();
    }
    let still = missing(&TOOLS, &answers);
    if still.is_empty() {
        return Ok(());
    }
    let names: Vec<&str> = still.iter().map(|tool| tool.program).collect();
    bail!(
        "{} could not be installed. By hand, as root: {}\nOn a system without apt-get, install what has these programs; then run this again.",
        names.join(", "),
        by_hand(&still)
    );
}

/// Asks; anything but a yes is a no.
fn agreed(answer: &mut dyn BufRead) -> Result<bool> {
    eprint!("Install them now? [y/N] ");
    std::io::stderr().flush().context("the terminal")?;
    let mut line = String::new();
    answer.read_line(&mut line).context("the terminal")?;
    Ok(matches!(line.trim(), "y" | "Y" | "yes"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_that_is_missing_is_named_at_once_with_what_installs_it() {
        let absent = ["zsh", "pdftotext", "xz"];
        let found = missing(&TOOLS, &|program, _| !absent.contains(&program));
        let text = said(&found);
        for (program, package) in
            [("pdftotext", "poppler-utils"), ("zsh", "zsh"), ("xz", "xz-utils")]
        {
            assert!(text.contains(program) && text.contains(package), "{text}");
        }
        assert!(text.contains("--no-install-recommends poppler-utils zsh xz-utils\n"), "{text}");
        assert!(missing(&TOOLS, &|_, _| true).is_empty());
    }

    #[test]
    fn a_package_is_installed_once() {
        let twice = [tool("a", "-V", "p", ""), tool("b", "-V", "p", ""), tool("c", "-V", "q", "")];
        assert_eq!(packages(&missing(&twice, &|_, _| false)), ["p", "q"]);
    }

    #[test]
    fn only_a_yes_is_one() {
        for (answer, yes) in
            [("y\n", true), ("yes\n", true), ("n\n", false), ("\n", false), ("", false)]
        {
            assert_eq!(agreed(&mut answer.as_bytes()).unwrap(), yes, "{answer:?}");
        }
    }
}
