use std::fs::File;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

use anyhow::{Context, Result, bail};

/// The pipelines, with `FILE` for the data.
const PIPELINES: &[&str] = &[
    "grep refused FILE | wc -l",
    "cut -d' ' -f3 FILE | sort | uniq -c | sort -rn | head -n 5",
    "sort FILE | tail -n 1",
    "tr a-z A-Z < FILE | tail -n 1",
    "wc -l FILE",
    // The data is in order of time; this one is not.
    "cut -d' ' -f4- FILE | sort | tail -n 1",
];

/// Times each pipeline by turns with the host's shell and with ours, and prints medians.
pub(crate) fn run(size: &str, rounds: usize) -> Result<()> {
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let built = Command::new(cargo).args(["build", "--release", "--locked"]).status()?;
    if !built.success() {
        bail!("the build failed");
    }
    let ours = PathBuf::from("target/release/ylotrope");
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("gate.log");
    let made = Command::new(&ours).args(["demo-data", "--size", size]).arg(&data).status()?;
    if !made.success() {
        bail!("the data could not be made");
    }
    println!("{size} of gate.log, {rounds} rounds, medians of wall-clock seconds\n");
    println!("| pipeline | host | ours | ratio |");
    println!("|---|---:|---:|---:|");
    for pipeline in PIPELINES {
        let line = pipeline.replace("FILE", &data.display().to_string());
        let (mut host_times, mut our_times) = (Vec::new(), Vec::new());
        let (host_out, our_out) = (folder.path().join("host"), folder.path().join("ours"));
        for _ in 0..rounds.max(1) {
            host_times.push(time(Command::new("sh").args(["-c", &line]), &host_out)?);
            our_times.push(time(Command::new(&ours).args(["run", "-c", &line]), &our_out)?);
        }
        if std::fs::read(&host_out)? != std::fs::read(&our_out)? {
            bail!("{pipeline}: the outputs differ");
        }
        let (host, ours) = (median(host_times), median(our_times));
        let shown = pipeline.replace('|', "\\|");
        println!("| `{shown}` | {host:.3} | {ours:.3} | {:.2} |", ours / host);
    }
    Ok(())
}

fn time(command: &mut Command, out: &Path) -> Result<f64> {
    command.env("LC_ALL", "C").stdin(Stdio::null()).stdout(File::create(out)?);
    let started = Instant::now();
    command.status().context("the pipeline could not be started")?;
    Ok(started.elapsed().as_secs_f64())
}

fn median(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}
