//! `cargo xtask dist`: what people install. A stripped program, manual pages, completions, licences and
//! checksums as an archive, and a Debian package that is tried where it was made.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail, ensure};

use crate::packages;
use crate::test::root;

/// Bytes that the program may have.
const PROGRAM_MAX: u64 = 15_000_000;

/// How fast it must be up, the best of a few times.
const START_MAX: Duration = Duration::from_millis(20);

/// The shells, each with where its completions are looked for, below `/usr/share`.
const SHELLS: [(&str, &str); 3] = [
    ("bash", "bash-completion/completions/ylotrope"),
    ("zsh", "zsh/vendor-completions/_ylotrope"),
    ("fish", "fish/vendor_completions.d/ylotrope.fish"),
];

/// Makes everything in `target/dist` and tries it.
pub(crate) fn run() -> Result<()> {
    let root = root()?;
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let built = ["build", "--profile", "dist", "--locked", "-p", "ylotrope"];
    let status = Command::new(cargo).args(built).current_dir(&root).status().context("cargo")?;
    ensure!(status.success(), "the program is not built");
    let out = root.join("target/dist-out");
    if out.exists() {
        fs::remove_dir_all(&out)?;
    }
    let version = env!("CARGO_PKG_VERSION");
    let name = format!("ylotrope-{version}-x86_64-linux");
    let tree = out.join(&name);
    fill(&root, &tree)?;
    let archive = out.join(format!("{name}.tar.gz"));
    sums(&tree)?;
    // The same content gives the same archive.
    tool(
        Command::new("tar")
            .args(["--sort=name", "--owner=0", "--group=0", "--numeric-owner", "--mtime=@0", "-C"])
            .arg(&out)
            .args(["-czf"])
            .arg(&archive)
            .arg(&name),
    )?;
    let package = debian(&root, &out, &tree, version)?;
    let made = [&archive, &package];
    let sums = sum_of(&out, &made.map(|path| file_name(path)))?;
    fs::write(out.join("SHA256SUMS"), sums)?;
    try_archive(&out, &archive, &name)?;
    try_package(&out, &package)?;
    for path in made {
        println!("{}  {:.1} MB", path.display(), fs::metadata(path)?.len() as f64 / 1e6);
    }
    Ok(())
}

fn file_name(path: &Path) -> String {
    path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
}

fn tool(command: &mut Command) -> Result<()> {
    let status = command.status().with_context(|| format!("{command:?}"))?;
    ensure!(status.success(), "{command:?} failed");
    Ok(())
}

/// What the program prints.
fn printed(program: &Path, arguments: &[&str]) -> Result<Vec<u8>> {
    let output = Command::new(program).args(arguments).output()?;
    ensure!(output.status.success(), "{} {arguments:?} failed", program.display());
    Ok(output.stdout)
}

/// The folder of the archive: program, pages, completions, licences, and what there is to read.
fn fill(root: &Path, tree: &Path) -> Result<()> {
    fs::create_dir_all(tree.join("licenses"))?;
    fs::create_dir_all(tree.join("completions"))?;
    let program = tree.join("ylotrope");
    fs::copy(root.join("target/dist/ylotrope"), &program)?;
    let size = fs::metadata(&program)?.len();
    println!("the program: {:.2} MB", size as f64 / 1e6);
    ensure!(size < PROGRAM_MAX, "the program has {size} bytes; at most {PROGRAM_MAX} are wanted");
    printed(&program, &["man", "--to", &tree.join("man").display().to_string()])?;
    for (shell, _) in SHELLS {
        let text = printed(&program, &["completions", shell])?;
        fs::write(tree.join("completions").join(format!("ylotrope.{shell}")), text)?;
    }
    for file in ["README.md", "CHANGELOG.md", "docs/install.md"] {
        let to = tree.join(file.rsplit('/').next().unwrap_or(file));
        fs::copy(root.join(file), to).with_context(|| file.to_owned())?;
    }
    for file in ["LICENSE-MIT", "LICENSE-APACHE"] {
        fs::copy(root.join(file), tree.join("licenses").join(file))?;
    }
    fs::write(tree.join("licenses/PACKAGES.txt"), packages::notices(root)?)?;
    for file in fs::read_dir(root.join("licenses"))?.flatten() {
        fs::copy(file.path(), tree.join("licenses").join(file.file_name()))?;
    }
    Ok(())
}

/// All files below a folder, by their paths from it, in order.
fn files_in(folder: &Path) -> Result<Vec<PathBuf>> {
    let mut found = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in fs::read_dir(next)?.flatten() {
            let path = entry.path();
            if path.is_dir() { folders.push(path) } else { found.push(path) }
        }
    }
    found.sort();
    found.iter().map(|path| Ok(path.strip_prefix(folder)?.to_owned())).collect()
}

/// The checksums of files, as `sha256sum -c` reads them.
fn sum_of(folder: &Path, files: &[String]) -> Result<String> {
    let output = Command::new("sha256sum").args(files).current_dir(folder).output()?;
    ensure!(output.status.success(), "sha256sum failed");
    Ok(String::from_utf8(output.stdout)?)
}

fn sums(tree: &Path) -> Result<()> {
    let files: Vec<String> =
        files_in(tree)?.iter().map(|path| path.display().to_string()).collect();
    let sums = sum_of(tree, &files)?;
    Ok(fs::write(tree.join("SHA256SUMS"), sums)?)
}

/// The Debian package (Debian policy manual, chapters 5 and 12).
fn debian(root: &Path, out: &Path, tree: &Path, version: &str) -> Result<PathBuf> {
    let stage = out.join("debian");
    let put = |from: &Path, to: &str, mode: u32| -> Result<()> {
        let to = stage.join(to);
        fs::create_dir_all(to.parent().context("a folder")?)?;
        fs::copy(from, &to)?;
        Ok(fs::set_permissions(&to, fs::Permissions::from_mode(mode))?)
    };
    put(&tree.join("ylotrope"), "usr/bin/ylotrope", 0o755)?;
    for page in fs::read_dir(tree.join("man"))?.flatten() {
        let to = format!("usr/share/man/man1/{}", page.file_name().to_string_lossy());
        put(&page.path(), &to, 0o644)?;
        tool(Command::new("gzip").args(["-9nf"]).arg(stage.join(&to)))?;
    }
    for (shell, to) in SHELLS {
        let from = tree.join("completions").join(format!("ylotrope.{shell}"));
        put(&from, &format!("usr/share/{to}"), 0o644)?;
    }
    let doc = "usr/share/doc/ylotrope";
    put(&root.join("README.md"), &format!("{doc}/README.md"), 0o644)?;
    put(&root.join("CHANGELOG.md"), &format!("{doc}/changelog"), 0o644)?;
    tool(Command::new("gzip").args(["-9nf"]).arg(stage.join(doc).join("changelog")))?;
    let mut copyright = String::new();
    for file in files_in(&tree.join("licenses"))? {
        copyright.push_str(&format!("{}\n\n", file.display()));
        copyright.push_str(&fs::read_to_string(tree.join("licenses").join(&file))?);
        copyright.push_str("\n\n");
    }
    fs::write(stage.join(doc).join("copyright"), copyright)?;
    let bytes: u64 = files_in(&stage)?
        .iter()
        .map(|file| fs::metadata(stage.join(file)).map_or(0, |facts| facts.len()))
        .sum();
    fs::create_dir_all(stage.join("DEBIAN"))?;
    fs::write(
        stage.join("DEBIAN/control"),
        format!(
            "Package: ylotrope\nVersion: {version}\nArchitecture: amd64\nMaintainer: the authors of \
             Ylotrope <ylotrope@localhost>\nInstalled-Size: {}\nDepends: libc6 (>= 2.34), libgcc-s1\n\
             Section: utils\nPriority: optional\nDescription: workbench for text pipelines in the \
             terminal\n Build pipelines of grep, cut, awk, sed, sort and others, see what every stage\n \
             does to sample data, then run them for real. Nothing is written before you\n say so.\n",
            bytes.div_ceil(1024)
        ),
    )?;
    let package = out.join(format!("ylotrope_{version}_amd64.deb"));
    tool(
        Command::new("dpkg-deb")
            .args(["--root-owner-group", "-Zxz", "--build"])
            .arg(&stage)
            .arg(&package)
            .stdout(Stdio::null()),
    )?;
    fs::remove_dir_all(&stage)?;
    Ok(package)
}

/// Unpacks the archive in an empty folder and tries what is there.
fn try_archive(out: &Path, archive: &Path, name: &str) -> Result<()> {
    let empty = out.join("empty");
    fs::create_dir_all(&empty)?;
    tool(Command::new("tar").arg("-xzf").arg(archive).arg("-C").arg(&empty))?;
    let tree = empty.join(name);
    let checked = Command::new("sha256sum")
        .args(["--quiet", "-c", "SHA256SUMS"])
        .current_dir(&tree)
        .status()?;
    ensure!(checked.success(), "the checksums of the archive are wrong");
    try_program(&tree.join("ylotrope"), &empty)?;
    fs::remove_dir_all(&empty)?;
    println!("the archive: unpacked in an empty folder, checksums and program tried");
    Ok(())
}

/// A pipeline, the version, and how fast it starts; with no variable but what it is given.
fn try_program(program: &Path, home: &Path) -> Result<()> {
    let clean = |arguments: &[&str]| {
        let mut command = Command::new(program);
        command.args(arguments).env_clear().env("HOME", home).current_dir(home);
        command.stdin(Stdio::null());
        command
    };
    let output = clean(&["run", "-c", "seq 1000 | grep 7 | wc -l"]).output()?;
    ensure!(output.stdout == b"271\n", "a pipeline gave {:?}", output.stdout);
    let mut best = Duration::MAX;
    for _ in 0..10 {
        let since = Instant::now();
        let output = clean(&["--version"]).output()?;
        best = best.min(since.elapsed());
        ensure!(output.status.success(), "--version failed");
    }
    println!("starts in {:.1} ms", best.as_secs_f64() * 1e3);
    ensure!(best < START_MAX, "it takes longer than {START_MAX:?} to start");
    Ok(())
}

/// Installs the package in a small root of its own, tries it, and removes it cleanly.
fn try_package(out: &Path, package: &Path) -> Result<()> {
    let small = out.join("root");
    for folder in ["var/lib/dpkg/info", "var/lib/dpkg/updates", "var/lib/dpkg/triggers", "tmp"] {
        fs::create_dir_all(small.join(folder))?;
    }
    fs::write(small.join("var/lib/dpkg/status"), "")?;
    fs::write(small.join("var/lib/dpkg/available"), "")?;
    let dpkg = |arguments: &[&str], more: Option<&Path>| -> Result<()> {
        // What it depends on is the machine's own here; as whoever makes it, not as root.
        let mut command = Command::new("dpkg");
        command.arg(format!("--root={}", small.display()));
        command.args([
            "--force-depends",
            "--force-not-root",
            "--force-script-chrootless",
            "--log=/dev/null",
        ]);
        command.args(arguments).args(more).stdout(Stdio::null()).stderr(Stdio::null());
        tool(&mut command)
    };
    dpkg(&["--install"], Some(package))?;
    let program = small.join("usr/bin/ylotrope");
    try_program(&program, &small.join("tmp"))?;
    for wanted in ["usr/share/man/man1/ylotrope.1.gz", "usr/share/man/man1/ylotrope-sort.1.gz"]
        .into_iter()
        .map(str::to_owned)
        .chain(SHELLS.iter().map(|(_, to)| format!("usr/share/{to}")))
    {
        ensure!(small.join(&wanted).exists(), "{wanted} was not installed");
    }
    dpkg(&["--purge", "ylotrope"], None)?;
    let left: Vec<PathBuf> = files_in(&small)?
        .into_iter()
        .filter(|path| !path.starts_with("var/lib/dpkg") && !path.starts_with("tmp"))
        .collect();
    if !left.is_empty() {
        bail!("after it was removed these files are left: {left:?}");
    }
    fs::remove_dir_all(&small)?;
    println!("the package: installed in a small root, tried, and removed with nothing left");
    Ok(())
}
