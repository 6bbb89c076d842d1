//! Whole pipelines timed beside the utilities of the machine, by turns.

use std::fs::File;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};

mod forms;

use forms::FORMS;

/// Files made of the data before anything is timed, each by a line of the host's utilities.
const MADE: &[(&str, &str)] = &[
    ("SHUFFLED", "cut -d' ' -f4- FILE > SHUFFLED"),
    ("GATES", "cut -d' ' -f3 FILE > GATES"),
    ("SORTED", "sort GATES > SORTED"),
    ("ONE", "nl -ba -nrz -w9 -s' ' FILE > ONE"),
    ("OTHER", "awk 'NR % 3' ONE > OTHER"),
    ("TABS", r"sed 's/ /\t/g' FILE > TABS"),
    ("COMMAS", "tr ' ' , < FILE > COMMAS"),
    ("LETTERS", "sed 's/$/ zażółć gęślą jaźń/' FILE > LETTERS"),
    ("BLANKS", "sed 'n;n;n;G' FILE > BLANKS"),
    ("NUMBERS", "seq 3000000 > NUMBERS"),
    ("CARDS", "sort SHUFFLED > CARDS"),
    ("SOME", "awk 'NR % 3' CARDS > SOME"),
    ("BYGATE", "sort -k3,3 FILE > BYGATE"),
];

/// The pipelines; names in capitals are files. `Limit` is the ratio that is aimed at.
const PIPELINES: &[(&str, f64)] = &[
    ("cut -d' ' -f3 FILE | sort | uniq -c | sort -rn | head -n 5", 0.4),
    ("grep refused FILE | wc -l", 0.8),
    ("grep refused FILE | tail -n 1", 0.8),
    ("grep -E '[a-z]+-[0-9]+ card=[0-9]*7[0-9]* [a-z]+d' FILE | tail -n 1", 0.8),
    ("grep -v refused FILE | tail -n 1", 0.8),
    ("grep -c refused FILE", 0.8),
    ("grep -i REFUSED FILE | tail -n 1", 0.8),
    ("cut -d' ' -f3 FILE | tail -n 1", 0.8),
    ("cut -d' ' -f1,3- FILE | tail -n 1", 0.8),
    ("cut -c 12-40 FILE | tail -n 1", 0.8),
    ("tr a-z A-Z < FILE | tail -n 1", 0.8),
    ("tr -d 0-9 < FILE | tail -n 1", 0.8),
    ("tr -cs A-Za-z '\\n' < FILE | tail -n 1", 0.8),
    ("cat -n FILE | tail -n 1", 0.8),
    ("grep -n refused FILE | tail -n 1", 0.8),
    ("expand FILE | tail -n 1", 0.8),
    ("wc -l FILE", 0.8),
    ("wc -w FILE", 0.8),
    ("wc -m FILE", 0.8),
    ("sort FILE | tail -n 1", 0.8),
    ("sort SHUFFLED | tail -n 1", 0.8),
    ("sort -t= -k2,2n FILE | tail -n 1", 0.8),
    ("sort -k3,3 FILE | tail -n 1", 0.8),
    ("sort -k5,5 -k3,3r FILE | tail -n 1", 0.8),
    ("sort GATES | tail -n 1", 0.8),
    ("uniq -c SORTED | tail -n 1", 0.8),
    ("uniq SORTED | tail -n 1", 0.8),
    ("head -n 6000000 FILE | tail -n 1", 0.8),
    ("tail -n 6000000 FILE | tail -n 1", 0.8),
    ("paste FILE GATES | tail -n 1", 0.8),
    ("join ONE OTHER | tail -n 1", 0.8),
    ("comm -12 ONE OTHER | tail -n 1", 0.8),
    ("fold -w 30 FILE | tail -n 1", 0.8),
    ("od FILE | tail -n 1", 0.8),
    ("awk '{print $3}' FILE | tail -n 1", 0.6),
    ("awk '{print length($0)}' FILE | tail -n 1", 0.8),
    ("awk '!seen[$4]++' FILE | tail -n 1", 0.8),
    ("awk '$6 == \"refused\"' FILE | tail -n 1", 0.6),
    ("awk '/refused/{print $3}' FILE | tail -n 1", 0.6),
    ("awk '{c[$3]++} END{for(k in c) print c[k],k}' FILE | sort", 0.6),
    ("awk '{s+=$7} END{print s/NR}' FILE", 0.6),
    ("awk -F'[ =]' '{print $5}' FILE | tail -n 1", 0.6),
    ("awk '{gsub(/[0-9]+/, \"#\"); print}' FILE | tail -n 1", 0.6),
    ("awk '{gsub(/gate/, \"door\"); print}' FILE | tail -n 1", 0.6),
    (LOOPS, 0.9),
    ("sed s/refused/denied/ FILE | tail -n 1", 0.5),
    ("sed 's/[a-z]-[0-9][0-9]/N/g' FILE | tail -n 1", 0.5),
    ("sed /refused/d FILE | tail -n 1", 0.5),
    ("sed -n /refused/p FILE | tail -n 1", 0.5),
    ("sed y/abc/xyz/ FILE | tail -n 1", 0.5),
    ("sed '2,$!d' FILE | tail -n 1", 0.5),
    ("sed -E 's/([0-9]+)-([0-9]+)-([0-9]+)/\\3.\\2.\\1/' FILE | tail -n 1", 0.8),
    // What is done every day, in four to eight stages.
    ("grep refused FILE | cut -d' ' -f3 | sort | uniq -c | sort -rn | head -n 5", 0.8),
    (
        "cut -d' ' -f1,3 FILE | sed 's/gate-//' | sort | uniq -c | awk '$1 > 100' | sort -k2,2 -k1,1rn | head -n 20",
        0.8,
    ),
    ("grep -v passed FILE | awk '{print $3, $5}' | sort | uniq -c | sort -rn | head -n 10", 0.8),
    ("tr ' ' '\\n' < FILE | grep -v '^card=' | sort | uniq -c | sort -rn | head -n 20", 0.8),
    (
        "sed -n '/refused/p' FILE | cut -d' ' -f2 | cut -c1-2 | sort | uniq -c | awk '{print $2, $1}' | sort -k2,2nr",
        0.8,
    ),
    (
        "cat FILE | grep gate-03 | grep refused | sed 's/.*card=//' | cut -d' ' -f1 | sort -n | uniq -d | wc -l",
        0.8,
    ),
    (
        "awk '{n[$3]++; if ($5 == \"refused\") r[$3]++} END {for (g in n) printf \"%s %d %.4f\\n\", g, n[g], r[g]/n[g]}' FILE | sort -k3,3nr | head -n 5 | cut -d' ' -f1 | tr a-z A-Z",
        0.8,
    ),
    ("cut -d' ' -f1,2 FILE | cut -c1-16 | uniq -c | sort -rn | head -n 10 | nl", 0.8),
    (
        "grep -o 'card=[0-9]*' FILE | cut -d= -f2 | sort -n | uniq -c | sort -k1,1nr -k2,2n | head -n 3 | awk '{print $2}'",
        0.8,
    ),
    (
        "sed -e 's/card=/card /' -e '/zone=4/d' FILE | awk '{print $5, $3}' | sort -u | cut -d' ' -f2 | uniq -c | sort -rn | head -n 10 | tac",
        0.8,
    ),
    ("echo 'scale=1000; sqrt(2)' | bc", 1.0),
    ("echo '2^20000' | bc", 1.0),
];

/// Nested loops without input.
const LOOPS: &str = "awk 'BEGIN{for(i=0;i<3000;i++) for(j=0;j<3000;j++) {s+=i*j%7; if (j>i) t++}; print s,t}' < /dev/null";

/// What is run for its memory alone, on files of 2 GiB, and the most MiB it may take.
const MEMORY: &[(&str, u64)] = &[("sort -S 256M BIG | tail -n 1", 512)];

/// Lines in which the meters do the most for the least work, for [`metering`].
const METERED: &[&str] = &[
    "cat FILE | cat | cat | wc -l",
    "grep -v passed FILE | cut -d' ' -f3 | tail -n 1",
    "tr a-z A-Z < FILE | tail -n 1",
    "seq 20000000 | tail -n 1",
    "awk '{print $3}' FILE | uniq -c | tail -n 1",
];

/// Times pipelines by turns with meters and in a build without them.
pub(crate) fn metering(size: &str, rounds: usize) -> Result<()> {
    let metered = build(&[])?;
    let plain = build(&["--features", "unmetered", "--target-dir", "target/unmetered"])?;
    let folder = tempfile::tempdir()?;
    let path = |name: &str| folder.path().join(name).display().to_string();
    make(&metered, size, &path("FILE"))?;
    println!("{size} of gate.log, {rounds} rounds, medians of seconds\n");
    println!("| pipeline | without meters | with | ratio |\n|---|---:|---:|---:|");
    let mut ratios = Vec::new();
    for pipeline in METERED {
        let line = fill(pipeline, &path);
        let mut times = [Vec::new(), Vec::new()];
        for round in 0..rounds.max(1) * 2 {
            // By turns, and each first as often as the other.
            let order = if round % 2 == 0 { [0, 1] } else { [1, 0] };
            for which in order {
                let program = if which == 0 { &plain } else { &metered };
                let mut command = Command::new(program);
                let out = folder.path().join("out");
                times[which].push(time(command.args(["run", "-c", &line]), "C", &out)?.0);
            }
        }
        let [plain, metered] = times.map(median);
        ratios.push(metered / plain);
        let shown = pipeline.replace('|', "\\|");
        println!("| `{shown}` | {plain:.3} | {metered:.3} | {:.3} |", metered / plain);
    }
    println!("\nmedian of the ratios: {:.3}", median(ratios));
    Ok(())
}

/// How the time and the memory of some pipelines grow with the data.
pub(crate) fn growth(rounds: usize) -> Result<()> {
    const SIZES: [&str; 4] = ["64M", "256M", "1G", "2G"];
    const LINES: [&str; 4] = [
        "grep refused FILE | cut -d' ' -f3 | sort | uniq -c | sort -rn | head -n 5",
        "awk '{n[$3]++} END {for (g in n) print g, n[g]}' FILE | sort",
        "sed 's/card=[0-9]*/card=*/' FILE | grep -v passed | wc -l",
        "sort -S 256M -k3,3 FILE | tail -n 1",
    ];
    let ours = build(&[])?;
    let folder = tempfile::tempdir()?;
    let path = |name: &str| folder.path().join(name).display().to_string();
    println!("{rounds} rounds, medians of seconds, peak MiB of memory\n");
    println!("| pipeline | {} |\n|---|{}", SIZES.join(" | "), "---:|".repeat(SIZES.len()));
    let mut rows: Vec<String> = LINES.iter().map(|line| line.replace('|', "\\|")).collect();
    for row in &mut rows {
        *row = format!("| `{row}` |");
    }
    for size in SIZES {
        make(&ours, size, &path("FILE"))?;
        for (line, row) in LINES.iter().zip(&mut rows) {
            let line = fill(line, &path);
            let mut times = Vec::new();
            let mut peak = 0;
            for _ in 0..rounds.max(1) {
                let out = folder.path().join("out");
                let mut command = Command::new(&ours);
                let (seconds, bytes) = time(command.args(["run", "-c", &line]), "C", &out)?;
                times.push(seconds);
                peak = peak.max(bytes);
            }
            row.push_str(&format!(" {:.2} s, {} |", median(times), peak >> 20));
        }
    }
    println!("{}", rows.join("\n"));
    Ok(())
}

/// Builds the program for timing; gives where it is.
fn build(more: &[&str]) -> Result<PathBuf> {
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let built = Command::new(cargo).args(["build", "--release", "--locked"]).args(more).status()?;
    if !built.success() {
        bail!("the build failed");
    }
    let folder = if more.is_empty() { "target" } else { "target/unmetered" };
    Ok(PathBuf::from(folder).join("release/ylotrope"))
}

/// What `bench-host` is asked for.
#[derive(clap::Args)]
pub(crate) struct Asked {
    /// How much gate.log
    #[arg(long, default_value = "512M")]
    size: String,
    /// Rounds; the median counts
    #[arg(long, default_value_t = 5)]
    rounds: usize,
    /// Only pipelines that hold this text
    #[arg(long)]
    only: Option<String>,
    /// The locale both sides run in
    #[arg(long, default_value = "C.UTF-8")]
    locale: String,
    /// Also measure the memory of a large sort
    #[arg(long)]
    memory: bool,
    /// Instead, one filter at a time in many of its forms
    #[arg(long)]
    forms: bool,
    /// Beside another build of ylotrope, such as the one before a change, in place of the host
    #[arg(long, value_name = "PROGRAM")]
    beside: Option<PathBuf>,
}

impl Asked {
    /// The command of the other side.
    fn other(&self, line: &str) -> Command {
        match &self.beside {
            Some(program) => ours(program, line),
            None => {
                let mut command = Command::new("sh");
                command.args(["-c", line]);
                command
            }
        }
    }
}

fn ours(program: &Path, line: &str) -> Command {
    let mut command = Command::new(program);
    command.args(["run", "-c", line]);
    command
}

/// Times each pipeline by turns with the host's shell, or another build, and with ours, and prints
/// medians.
pub(crate) fn run(asked: &Asked) -> Result<()> {
    let Asked { size, rounds, locale, forms, .. } = asked;
    let (program, only) = (build(&[])?, asked.only.as_deref());
    let folder = tempfile::tempdir()?;
    let path = |name: &str| folder.path().join(name).display().to_string();
    let all: Vec<(&str, f64)> =
        if *forms { FORMS.iter().map(|line| (*line, 0.8)).collect() } else { PIPELINES.to_vec() };
    let chosen: Vec<_> =
        all.iter().filter(|(line, _)| only.is_none_or(|text| line.contains(text))).collect();
    make(&program, size, &path("FILE"))?;
    for (name, line) in MADE {
        // A file made of another needs that one too.
        let needed = MADE.iter().any(|(other, line)| other != name && line.contains(name));
        if needed || chosen.iter().any(|(pipeline, _)| pipeline.contains(name)) {
            let status =
                Command::new("sh").args(["-c", &fill(line, &path)]).env("LC_ALL", "C").status()?;
            if !status.success() {
                bail!("{name} could not be made");
            }
        }
    }
    println!("{size} of gate.log, {rounds} rounds, {locale}, medians of seconds; peak is ours\n");
    let other = if asked.beside.is_some() { "other" } else { "host" };
    println!("| pipeline | {other} | ours | ratio | peak MiB |");
    println!("|---|---:|---:|---:|---:|");
    let mut ratios = Vec::new();
    for (pipeline, limit) in chosen {
        let line = fill(pipeline, &path);
        let (mut other_times, mut our_times) = (Vec::new(), Vec::new());
        let (other_out, our_out) = (folder.path().join("other"), folder.path().join("ours"));
        let mut peak = 0;
        for _ in 0..(*rounds).max(1) {
            other_times.push(time(&mut asked.other(&line), locale, &other_out)?.0);
            let (seconds, bytes) = time(&mut ours(&program, &line), locale, &our_out)?;
            our_times.push(seconds);
            peak = peak.max(bytes);
        }
        let differs = std::fs::read(&other_out)? != std::fs::read(&our_out)?;
        if differs && !*forms {
            bail!("{pipeline}: the outputs differ");
        }
        let (other, mine) = (median(other_times), median(our_times));
        ratios.push(mine / other);
        let shown = pipeline.replace('|', "\\|");
        // Beside another build, 1.1 is more than the noise of a quiet machine.
        let limit = if asked.beside.is_some() { 1.1 } else { *limit };
        let over = if mine / other > limit { " (!)" } else { "" };
        // Single forms also show where the host takes bytes for characters.
        let differs = if differs { " other output" } else { "" };
        println!(
            "| `{shown}` | {other:.3} | {mine:.3} | {:.2}{over}{differs} | {} |",
            mine / other,
            peak >> 20
        );
    }
    if !ratios.is_empty() {
        println!("\nmedian of the ratios: {:.2}", median(ratios));
    }
    if asked.memory {
        make(&program, "2G", &path("BIG"))?;
        for (pipeline, most) in MEMORY {
            let line = fill(pipeline, &path);
            let out = folder.path().join("ours");
            let (seconds, bytes) = time(&mut ours(&program, &line), locale, &out)?;
            let over = if bytes >> 20 > *most { " (!)" } else { "" };
            println!("\n`{pipeline}` on 2 GiB: {seconds:.1} s, peak {} MiB{over}", bytes >> 20);
        }
    }
    Ok(())
}

fn make(ours: &Path, size: &str, path: &str) -> Result<()> {
    let made = Command::new(ours).args(["demo-data", "--size", size, path]).status()?;
    if !made.success() {
        bail!("the data could not be made");
    }
    Ok(())
}

/// The line with file names in the place of the words in capitals.
fn fill(line: &str, path: &impl Fn(&str) -> String) -> String {
    let mut filled = line.replace("FILE", &path("FILE")).replace("BIG", &path("BIG"));
    for (name, _) in MADE {
        filled = filled.replace(name, &path(name));
    }
    filled
}

/// Seconds, and the most bytes of memory taken.
fn time(command: &mut Command, locale: &str, out: &Path) -> Result<(f64, u64)> {
    command.env("LC_ALL", locale).stdin(Stdio::null()).stdout(File::create(out)?);
    let started = Instant::now();
    let mut child = command.spawn().context("the pipeline could not be started")?;
    let mut peak = 0;
    loop {
        peak = peak.max(peak_of(&child).unwrap_or(0));
        if child.try_wait()?.is_some() {
            return Ok((started.elapsed().as_secs_f64(), peak));
        }
        std::thread::sleep(Duration::from_millis(2));
    }
}

fn peak_of(child: &Child) -> Option<u64> {
    let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    let kibibytes: u64 = line.split_whitespace().nth(1)?.parse().ok()?;
    Some(kibibytes * 1024)
}

fn median(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}
