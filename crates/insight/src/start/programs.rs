//! Programs of the machine that only look, as sources.

use std::path::{Path, PathBuf};

/// A line that begins a pipeline.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SourceProgram {
    /// The program and its arguments; it only looks.
    pub line: &'static str,
    /// What it writes.
    pub says: &'static str,
}

const fn source(line: &'static str, says: &'static str) -> SourceProgram {
    SourceProgram { line, says }
}

/// The programs, those used most first. Each is on the list of what only looks.
const SOURCES: [SourceProgram; 14] = [
    source("journalctl -n 5000 --no-pager", "the system log, newest last"),
    source("ps -eo pid,ppid,user,pcpu,pmem,etime,args", "all processes"),
    source("ss -tnp", "connections and their processes"),
    source("df -h", "file systems and their free space"),
    source("ls -l", "the files of this folder"),
    source("find . -type f", "all files below this folder"),
    source("du -a .", "what takes how much space"),
    source("systemctl list-units --no-pager", "services and their state"),
    source("last -n 200", "who was here when"),
    source("lsblk", "disks and their parts"),
    source("ip addr", "addresses of this machine"),
    source("id", "who I am"),
    source("who", "who is here"),
    source("uptime", "how long the machine is up, and its load"),
];

impl SourceProgram {
    /// The name of the program.
    pub fn name(&self) -> &'static str {
        self.line.split(' ').next().unwrap_or_default()
    }
}

/// Those that are on this machine, by a list of folders as `PATH` is; `listed` tells what only looks.
pub fn source_programs(path: &str, listed: impl Fn(&str) -> bool) -> Vec<SourceProgram> {
    let folders: Vec<PathBuf> = std::env::split_paths(path).collect();
    let is_here = |name: &str| {
        folders.iter().any(|folder| {
            std::fs::metadata(folder.join(name)).is_ok_and(|facts| {
                use std::os::unix::fs::PermissionsExt;
                facts.is_file() && facts.permissions().mode() & 0o111 != 0
            })
        })
    };
    SOURCES.iter().filter(|one| listed(one.name()) && is_here(one.name())).copied().collect()
}

/// The folder as one writes it: with `~` for the home.
pub fn folder_name(folder: &Path) -> String {
    let home = std::env::home_dir().filter(|home| home.is_absolute() && home != Path::new("/"));
    match home.as_deref().and_then(|home| folder.strip_prefix(home).ok()) {
        Some(rest) if rest.as_os_str().is_empty() => "~".to_owned(),
        Some(rest) => format!("~/{}", rest.display()),
        None => folder.display().to_string(),
    }
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn only_programs_that_are_here_and_only_look_are_offered() {
        let listed: Vec<&str> = engine::listed_programs().collect();
        let not_listed: Vec<&str> =
            SOURCES.iter().map(SourceProgram::name).filter(|name| !listed.contains(name)).collect();
        assert!(not_listed.is_empty(), "{not_listed:?}");
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("ps"), "").unwrap();
        let path = folder.path().display().to_string();
        assert_eq!(source_programs(&path, |_| true), []);
        let rights = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(folder.path().join("ps"), rights).unwrap();
        assert_eq!(source_programs(&path, |_| true).len(), 1);
        assert_eq!(source_programs(&path, |name| name != "ps"), []);
    }
}
