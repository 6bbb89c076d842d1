//! Nobody reads what was not theirs, and what is replaced is the same to everybody.

use std::os::unix::fs::{MetadataExt, PermissionsExt, chown, lchown, symlink};
use std::path::Path;
use std::process::Command;

use rustix::fs::{IFlags, XattrFlags};

use super::{PROGRAM, is_root, run, sh, text, ylotrope};

/// All that a file is to others, but for its number and times.
fn seen(path: &Path) -> String {
    let Ok(facts) = std::fs::symlink_metadata(path) else { return "nothing".to_owned() };
    let mut said =
        format!("{:o} {} {} {} names", facts.mode(), facts.uid(), facts.gid(), facts.nlink());
    if facts.is_symlink() {
        said.push_str(&format!(" to {}", std::fs::read_link(path).unwrap().display()));
    }
    let mut names = vec![0; 4096];
    let length = rustix::fs::llistxattr(path, &mut names[..]).unwrap_or(0);
    let mut attributes: Vec<_> = names[..length].split(|&byte| byte == 0).collect();
    attributes.sort_unstable();
    for name in attributes.into_iter().filter(|name| !name.is_empty()) {
        let mut value = vec![0; 4096];
        let length = rustix::fs::lgetxattr(path, name, &mut value[..]).unwrap();
        said.push_str(&format!(" {}={:?}", text(name), &value[..length]));
    }
    if facts.is_file() {
        let flags =
            std::fs::File::open(path).ok().and_then(|file| rustix::fs::ioctl_getflags(file).ok());
        said.push_str(&format!(
            " {:?}",
            flags.map(|flags| flags & (IFlags::NODUMP | IFlags::NOATIME))
        ));
        said.push_str(&format!(" {:?}", std::fs::read_to_string(path).ok()));
    }
    said
}

/// A list of rights with one more user.
fn list(user: u32, mask: u16) -> Vec<u8> {
    let mut bytes = 2_u32.to_le_bytes().to_vec();
    let none = u32::MAX;
    for (tag, rights, number) in
        [(1_u16, 6_u16, none), (2, 6, user), (4, 4, none), (16, mask, none), (32, 0, none)]
    {
        bytes.extend_from_slice(&tag.to_le_bytes());
        bytes.extend_from_slice(&rights.to_le_bytes());
        bytes.extend_from_slice(&number.to_le_bytes());
    }
    bytes
}

fn mode(path: &Path, mode: u32) {
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
}

/// Makes `f` in a folder, in some way.
type Make = fn(&Path);

/// New files in the folder of this one get a list of rights.
fn list_of_folder(file: &Path) {
    let (folder, name) = (file.parent().unwrap(), "system.posix_acl_default");
    rustix::fs::setxattr(folder, name, &list(77, 6), XattrFlags::empty()).unwrap();
}

#[test]
fn a_replaced_file_is_as_sh_leaves_it_under_every_kind_of_rights() {
    assert!(is_root(), "owners and flags are set by root here");
    let kinds: [(&str, Make); 18] = [
        ("no file", |_| {}),
        ("0600", |f| mode(f, 0o600)),
        ("0644", |f| mode(f, 0o644)),
        ("0666", |f| mode(f, 0o666)),
        ("0444", |f| mode(f, 0o444)),
        ("0755", |f| mode(f, 0o755)),
        ("0000", |f| mode(f, 0)),
        ("runs as its owner", |f| mode(f, 0o4755)),
        ("runs as its group", |f| mode(f, 0o2755)),
        ("another owner", |f| chown(f, Some(1234), Some(4321)).unwrap()),
        ("another group", |f| chown(f, None, Some(4321)).unwrap()),
        ("a list", |f| {
            rustix::fs::setxattr(f, "system.posix_acl_access", &list(77, 6), XattrFlags::empty())
                .unwrap();
        }),
        ("a list of the folder", |f| {
            mode(f, 0o600);
            list_of_folder(f);
        }),
        ("a list of the folder, no file", |f| {
            std::fs::remove_file(f).unwrap();
            list_of_folder(f);
        }),
        ("an attribute", |f| {
            rustix::fs::setxattr(f, "user.note", b"x", XattrFlags::empty()).unwrap();
        }),
        ("a flag", |f| {
            let file = std::fs::File::open(f).unwrap();
            let flags = rustix::fs::ioctl_getflags(&file).unwrap();
            rustix::fs::ioctl_setflags(&file, flags | IFlags::NODUMP).unwrap();
        }),
        ("two names", |f| std::fs::hard_link(f, f.with_file_name("other")).unwrap()),
        ("a link", |f| {
            std::fs::rename(f, f.with_file_name("other")).unwrap();
            symlink("other", f).unwrap();
        }),
    ];
    for (kind, make) in kinds {
        for line in [
            "echo new > f",
            ": > f",
            "echo more >> f",
            "umask 077; echo new > f",
            "seq 3 | sort -o f",
        ] {
            let both = [true, false].map(|ours| {
                // On a disk: not every system in memory has flags and attributes.
                let folder = tempfile::tempdir_in("/var/tmp").unwrap();
                let file = folder.path().join("f");
                if kind != "no file" {
                    std::fs::write(&file, "old\n").unwrap();
                    make(&file);
                }
                let output = if ours { run(folder.path(), line) } else { sh(folder.path(), line) };
                (output.status.code(), seen(&file), seen(&folder.path().join("other")))
            });
            assert_eq!(both[0], both[1], "{kind}: {line}");
        }
    }
}

#[test]
fn links_and_files_of_others_in_shared_folders_are_opened_as_the_kernel_lets_sh() {
    assert!(is_root(), "owners are set by root here");
    let folder = tempfile::tempdir().unwrap();
    mode(folder.path(), 0o755);
    let shared = folder.path().join("shared");
    std::fs::create_dir(&shared).unwrap();
    mode(&shared, 0o1777);
    let victim = folder.path().join("victim");
    let make = || {
        for name in ["link", "dangling", "theirs"] {
            let _ = std::fs::remove_file(shared.join(name));
        }
        let _ = std::fs::remove_file(folder.path().join("new"));
        std::fs::write(&victim, "old\n").unwrap();
        symlink(&victim, shared.join("link")).unwrap();
        symlink(folder.path().join("new"), shared.join("dangling")).unwrap();
        for name in ["link", "dangling"] {
            lchown(shared.join(name), Some(1234), Some(1234)).unwrap();
        }
        std::fs::write(shared.join("theirs"), "old\n").unwrap();
        chown(shared.join("theirs"), Some(1234), Some(1234)).unwrap();
    };
    for name in ["link", "dangling", "theirs"] {
        for operator in [">", ">>"] {
            let line = format!("echo new {operator} shared/{name}");
            let both = [true, false].map(|ours| {
                make();
                let output =
                    if ours { run(folder.path(), &line) } else { sh(folder.path(), &line) };
                (
                    output.status.success(),
                    seen(&victim),
                    seen(&folder.path().join("new")),
                    seen(&shared.join(name)),
                )
            });
            assert_eq!(both[0], both[1], "{line}");
        }
    }
}

#[test]
fn another_user_reads_nothing_of_what_is_being_written() {
    let can = Command::new("setpriv").args(["--reuid=1234", "--clear-groups", "true"]).status();
    assert!(
        is_root() && can.is_ok_and(|status| status.success()),
        "this test needs root and setpriv"
    );
    let folder = tempfile::tempdir().unwrap();
    mode(folder.path(), 0o777);
    std::fs::write(folder.path().join("f"), "old\n").unwrap();
    mode(&folder.path().join("f"), 0o600);
    // Somebody else who looks at all there is, all the time, until the file is there.
    let spy = "while [ ! -e done ]; do cat ./.ylotrope-* ./f ./g.gz ./new 2> /dev/null; done | grep -c secret > seen.spy; true";
    let other = Command::new("setpriv")
        .args(["--reuid=1234", "--regid=1234", "--clear-groups", "sh", "-c", spy])
        .current_dir(folder.path())
        .spawn();
    let mut other = other.unwrap();
    let line = "umask 077; i=0; while [ $i -lt 40 ]; do seq -f 'secret %.0f' 20000 > f; seq -f 'secret %.0f' 2000 | sort -o new; sed -i s/secret/secret/ f; rm -f new; i=$((i+1)); done";
    let output = run(folder.path(), line);
    std::fs::write(folder.path().join("done"), "").unwrap();
    other.wait().unwrap();
    assert!(output.status.success(), "{}", text(&output.stderr));
    let seen = std::fs::read_to_string(folder.path().join("seen.spy")).unwrap();
    assert_eq!(seen.trim(), "0");
    assert_eq!(std::fs::metadata(folder.path().join("f")).unwrap().mode() & 0o777, 0o600);
}

#[test]
fn a_file_that_somebody_has_open_is_not_replaced_under_them() {
    for (line, left) in [
        (": > log", "late\n"),
        ("> log", "late\n"),
        ("true > log", "late\n"),
        ("echo new > log", "new\nlate\n"),
        ("seq 3 | sort -r -o log", "3\n2\n1\nlate\n"),
        ("sed -i s/old/changed/ log", "changed\nlate\n"),
    ] {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("log"), "old\n").unwrap();
        // What a daemon does: it has its log open, and continues with it.
        let mut daemon = Command::new("sh")
            .args(["-c", "exec 9>> log; echo ready; read go; echo late >&9"])
            .current_dir(folder.path())
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let mut ready = [0; 6];
        std::io::Read::read_exact(daemon.stdout.as_mut().unwrap(), &mut ready).unwrap();
        let output = run(folder.path(), line);
        assert!(output.status.success(), "{line}: {}", text(&output.stderr));
        drop(daemon.stdin.take());
        daemon.wait().unwrap();
        assert_eq!(std::fs::read_to_string(folder.path().join("log")).unwrap(), left, "{line}");
    }
}

#[test]
fn without_proc_nothing_of_others_is_removed_and_files_are_written_in_place() {
    let can = Command::new("unshare").args(["-m", "true"]).status();
    assert!(
        is_root() && can.is_ok_and(|status| status.success()),
        "this test needs root and namespaces"
    );
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "old\n").unwrap();
    // A file of a run that lives: it waits for the end of its input.
    let mut living = ylotrope(folder.path())
        .args(["run", "-c", "{ echo half; read x; } > f"])
        .stdin(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let staged = || {
        let names = std::fs::read_dir(folder.path()).unwrap().flatten();
        names.filter(|entry| entry.file_name().to_string_lossy().starts_with(".ylotrope-")).count()
    };
    let since = std::time::Instant::now();
    while staged() == 0 {
        assert!(since.elapsed().as_secs() < 20);
        std::thread::yield_now();
    }
    let inside =
        format!("mount -t tmpfs none /proc && {PROGRAM} run -c 'echo new > g; cd /; pwd -P'");
    let output = Command::new("unshare")
        .args(["-m", "sh", "-c", &inside])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert!(output.status.success(), "{}", text(&output.stderr));
    assert_eq!((text(&output.stdout).as_str(), staged()), ("/\n", 1));
    assert_eq!(std::fs::read_to_string(folder.path().join("g")).unwrap(), "new\n");
    drop(living.stdin.take());
    living.wait().unwrap();
    assert_eq!(std::fs::read_to_string(folder.path().join("f")).unwrap(), "half\n");
}
