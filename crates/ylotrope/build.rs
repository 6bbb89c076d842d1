//! Says from which state of the sources the program is built, for `--version`.

#![allow(clippy::print_stdout, reason = "that is how a build script speaks")]

use std::process::Command;

fn main() {
    let commit = Command::new("git")
        .args(["rev-parse", "--short=10", "HEAD"])
        .output()
        .ok()
        .filter(|output| output.status.success())
        .and_then(|output| String::from_utf8(output.stdout).ok());
    // Sources without their history have no name for their state.
    let commit = commit.map_or_else(|| "no commit known".to_owned(), |text| text.trim().to_owned());
    let profile = std::env::var("PROFILE").unwrap_or_default();
    let target = std::env::var("TARGET").unwrap_or_default();
    println!("cargo::rustc-env=YLOTROPE_BUILD={commit}, {profile}, {target}");
    println!("cargo::rerun-if-changed=build.rs");
    println!("cargo::rerun-if-changed=../../.git/HEAD");
    println!("cargo::rerun-if-changed=../../.git/logs/HEAD");
}
