//! Nothing is started and nothing waited for without a yes: stand-ins for programs that leave a
//! mark, files that wait for ever, and everything that is half typed.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

use engine::{
    Consent, Fed, HeldCommand, SessionEvent, Variables, dry_run, estimate, listed_programs,
};
use stream::RunControl;

use crate::previews::Bench;

/// Programs beside those of the list that texts of the tests start.
const OTHERS: [&str; 22] = [
    "awk", "bash", "blkid", "chmod", "cp", "curl", "date", "env", "gzip", "kill", "ln", "mkdir",
    "mv", "nice", "perl", "printenv", "python3", "rm", "sh", "touch", "umount", "xargs",
];

/// A folder with a stand-in for every program, which notes that it was started.
struct StandIns {
    folder: tempfile::TempDir,
}

impl StandIns {
    fn new() -> Self {
        use std::os::unix::fs::PermissionsExt;
        let stand_ins = Self { folder: tempfile::tempdir().unwrap() };
        let bin = stand_ins.bin();
        std::fs::create_dir(&bin).unwrap();
        let script = format!("#!/bin/sh\necho \"$0 $*\" >> {}\n", stand_ins.marks().display());
        for name in listed_programs().chain(OTHERS) {
            let path = bin.join(name);
            std::fs::write(&path, &script).unwrap();
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o755)).unwrap();
        }
        stand_ins
    }

    fn bin(&self) -> PathBuf {
        self.folder.path().join("bin")
    }

    fn marks(&self) -> PathBuf {
        self.folder.path().join("marks")
    }

    fn started(&self) -> String {
        std::fs::read_to_string(self.marks()).unwrap_or_default()
    }
}

/// Evaluates a text in the Bench, whatever comes of it.
fn evaluate(bench: &mut Bench, text: &str) {
    let request = bench.request(text);
    let generation = bench.workbench.evaluate(request);
    loop {
        match bench.news.recv_timeout(Duration::from_mins(1)).expect("an answer") {
            SessionEvent::Done(preview) if preview.generation == generation => {
                bench.workbench.accept(&preview);
                return;
            }
            SessionEvent::Refused(found, _) | SessionEvent::Nothing(found)
                if found == generation =>
            {
                return;
            }
            SessionEvent::Failed(found, message) if found == generation => {
                assert!(!message.contains("internal error"), "{message}: {text}");
                return;
            }
            _ => {}
        }
    }
}

#[test]
fn a_changed_path_starts_nothing_in_any_way_of_looking() {
    let stand_ins = StandIns::new();
    let bin = stand_ins.bin().display().to_string();
    let mut bench = Bench::new();
    let names: Vec<&str> = listed_programs().chain(OTHERS).collect();
    for name in names {
        for text in [
            format!("PATH={bin} {name}"),
            format!("PATH={bin}:$PATH; {name} -l | wc -l"),
            format!("export PATH={bin}:$PATH\necho $({name})"),
            format!("cd {bin}; ./{name}"),
            format!("cd {bin}; PATH=.:$PATH; seq 3 | xargs {name}"),
            format!(
                "PATH={bin}; awk 'BEGIN {{ system(\"{name}\"); \"{name}\" | getline; print | \"{name}\" }}'"
            ),
            format!(
                "f() {{ {name}; }}; PATH={bin} f; for x in 1 2; do PATH={bin}; {name} $x; done"
            ),
            format!("PATH={bin}; cat <({name}) > /dev/null; if {name}; then {name}; fi"),
        ] {
            evaluate(&mut bench, &text);
            dry_run(
                &text,
                &mut Variables::default(),
                engine::DryLimits::AsPreview,
                &RunControl::default(),
            )
            .unwrap();
            estimate(&text, Variables::default());
            assert_eq!(stand_ins.started(), "", "{text}");
        }
    }
}

/// Evaluates every beginning of every line that the tests know, as typing it does; run as a process
/// of its own that finds the stand-ins first.
#[test]
#[ignore = "started by another test"]
fn evaluates_all_that_is_half_typed() {
    let Some(folder) = std::env::var_os("YLOTROPE_TEST_FOLDER") else { return };
    let mut bench = Bench::new();
    bench.limits.time = Duration::from_millis(200);
    let mut corpora = vec![
        include_str!("../../../ylotrope/tests/shell/posix.txt").to_owned(),
        include_str!("../../../ylotrope/tests/shell/bash.txt").to_owned(),
        NAMED.join("\n"),
    ];
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/pipelines");
    for entry in std::fs::read_dir(demo).unwrap() {
        corpora.push(std::fs::read_to_string(entry.unwrap().path()).unwrap());
    }
    let mut count = 0;
    for line in corpora.iter().flat_map(|corpus| corpus.lines()) {
        for (end, _) in line.char_indices().map(|(at, one)| (at + one.len_utf8(), one)) {
            let text = &line[..end];
            // A blank more changes nothing.
            if text.ends_with(' ') || engine::parse(text).is_err() {
                continue;
            }
            evaluate(&mut bench, &format!("cd {}\n{text}", Path::new(&folder).display()));
            count += 1;
        }
    }
    assert!(count > 5000, "{count}");
}

#[test]
fn what_is_half_typed_starts_nothing() {
    let stand_ins = StandIns::new();
    let work = stand_ins.folder.path().join("work");
    std::fs::create_dir(&work).unwrap();
    std::fs::write(work.join("a.txt"), "one\ntwo\n").unwrap();
    let path = std::env::var("PATH").unwrap();
    let output = Command::new(std::env::current_exe().unwrap())
        .args(["--ignored", "--exact", "held::evaluates_all_that_is_half_typed"])
        .env("PATH", format!("{}:{path}", stand_ins.bin().display()))
        .env("YLOTROPE_TEST_FOLDER", &work)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success() && said.contains("1 passed"), "{said}");
    assert_eq!(stand_ins.started(), "");
    assert_eq!(std::fs::read_dir(&work).unwrap().count(), 1);
}

/// Lines that must ask, and what they would have done.
const NAMED: [&str; 40] = [
    "mount -a",
    "mount -tTYPE /x",
    "ip a a 192.0.2.1/32 dev lo",
    "ip l s lo down",
    "ip -s netns exec x y",
    "ip -b FILE",
    "hostname --file=X",
    "gzip f -- -t",
    "gzip -S -l f",
    "ss -D F",
    "blkid -c F",
    "file -C -m F",
    "dmesg --clea",
    "journalctl --rota",
    "ss --kil",
    "journalctl --cursor-file=x",
    "systemctl status -H HOST",
    "PATH=/evil ls",
    "LD_PRELOAD=x.so ls",
    "GCONV_PATH=/x ls",
    "LOCPATH=/x ls",
    "BASH_ENV=x bash -c :",
    "IFS=x; ls",
    "SYSTEMD_PAGER=x journalctl",
    "GIT_PAGER=x ls",
    "LESSOPEN=x ls",
    "PERL5LIB=x ls",
    "PYTHONPATH=x ls",
    "ls | xargs -n 1 dmesg --clear",
    "echo -a | xargs mount",
    "echo x | xargs -I{} hostname {}",
    "xargs -a list rm",
    "find . -name x -delete",
    "find . -exec touch x ;",
    "find . -ok touch x ;",
    "awk 'BEGIN { system(\"mount -a\") }'",
    "sh -c 'mount -a'",
    "env mount -a",
    "command mount -a",
    "nice mount -a",
];

#[test]
fn named_cases_of_the_machines_own_programs_are_held() {
    for line in NAMED {
        let plain = |part: &str| !part.contains(['=', ';', '|', '\'']);
        if !plain(line) {
            continue;
        }
        let words: Vec<Vec<u8>> = line.split(' ').map(|word| word.as_bytes().to_vec()).collect();
        let there = std::env::var("PATH")
            .unwrap()
            .split(':')
            .any(|folder| Path::new(folder).join(line.split(' ').next().unwrap()).exists());
        let native = filters::find(&words[0]).is_some();
        if there && !native {
            assert!(HeldCommand::of_words(&words).is_some(), "{line}");
        }
    }
}

fn fifo(path: &Path) {
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    let kind = rustix::fs::FileType::Fifo;
    rustix::fs::mknodat(rustix::fs::CWD, path, kind, mode, 0).unwrap();
}

#[test]
fn files_that_wait_or_act_are_named_and_not_opened() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().display();
    fifo(&folder.path().join("pipe"));
    std::os::unix::fs::symlink("/dev/zero", folder.path().join("zero")).unwrap();
    std::fs::write(folder.path().join("x"), "x\n").unwrap();
    let mut bench = Bench::new();
    bench.limits.time = Duration::from_secs(5);
    let mut texts = Vec::new();
    for (name, why) in
        [("pipe", "named pipe"), ("zero", "a device"), ("/proc/kmsg", "of the kernel")]
    {
        if name.starts_with('/') && !Path::new(name).exists() {
            continue;
        }
        for text in [
            format!("cat {name}"),
            format!("cat < {name}"),
            format!("sort {name} x | uniq"),
            format!("grep x x {name}"),
            format!("while read x; do echo $x; done < {name}"),
            format!("tail -f {name}"),
            format!("awk '{{print}}' {name}"),
            format!("sed -n p {name}"),
            format!("wc -c {name}"),
            format!("xargs -a {name} echo"),
            format!("x=$(cat {name}); echo $x"),
        ] {
            texts.push((text, why));
        }
    }
    for (text, why) in texts {
        let since = Instant::now();
        let request = bench.request(&format!("cd {at}\n{text}"));
        let generation = bench.workbench.evaluate(request);
        let mut said = String::new();
        while said.is_empty() {
            match bench.news.recv_timeout(Duration::from_secs(10)).expect("an answer") {
                SessionEvent::Done(preview) if preview.generation == generation => {
                    said = format!("{} {}", preview.stages[0].messages, preview.said);
                    bench.workbench.accept(&preview);
                }
                // What follows a file says so later.
                SessionEvent::Arrived => {
                    let request = bench.request(&format!("cd {at}\n{text}"));
                    let preview = bench.answer(request);
                    said = preview.stages[0].messages.clone();
                }
                SessionEvent::Refused(_, error) => said = error.to_string(),
                _ => {}
            }
            if said.trim().is_empty() && text.starts_with("tail -f") {
                said.clear();
            }
        }
        assert!(since.elapsed() < Duration::from_secs(30), "{text}");
        assert!(said.contains(why) || text.starts_with("x="), "{text}: {said}");
        let dry = dry_run(
            &format!("cd {at}\n{text}"),
            &mut Variables::default(),
            engine::DryLimits::AsPreview,
            &RunControl::default(),
        );
        assert!(since.elapsed() < Duration::from_secs(30) && dry.is_ok(), "{text}");
    }
}

#[test]
fn a_program_that_runs_its_input_is_asked_about_at_every_change_of_it() {
    let folder = tempfile::tempdir().unwrap();
    let marks = folder.path().join("marks");
    let mut bench = Bench::new();
    let text = |what: &str| format!("echo 'echo {what} >> {0}; echo done' | sh", marks.display());
    let preview = bench.run(&text("one"));
    assert!(preview.stages[1].is_held());
    let held = preview.commands[0].clone();
    assert!(matches!(held.fed, Fed::Exactly { bytes, .. } if bytes > 10), "{held:?}");
    let consent = held.consent().unwrap();
    assert_eq!(consent.program.path, std::fs::canonicalize("/bin/sh").unwrap());
    let look = |bench: &mut Bench, text: &str, consent: &Consent| {
        let mut request = bench.request(text);
        request.allowed.add(consent.clone());
        bench.answer(request)
    };
    let preview = look(&mut bench, &text("one"), &consent);
    assert!(!preview.stages[1].is_held());
    assert_eq!(preview.stages[1].out.contents(), b"done\n");
    assert_eq!(std::fs::read_to_string(&marks).unwrap(), "one\n");
    let preview = look(&mut bench, &text("two"), &consent);
    assert!(preview.stages[1].is_held(), "other input");
    let preview = look(&mut bench, &format!("cd /; {}", text("one")), &consent);
    assert!(preview.stages[1].is_held(), "another folder");
    let preview = look(&mut bench, &format!("export X=1; {}", text("one")), &consent);
    assert!(preview.stages[1].is_held(), "another variable");
    assert_eq!(std::fs::read_to_string(&marks).unwrap(), "one\n");
}

#[test]
fn a_consented_program_has_no_terminal_and_ends_with_what_it_started() {
    let folder = tempfile::tempdir().unwrap();
    let pids = folder.path().join("pids");
    let script = format!("ps -o tty= -p $$; (sleep 1000 & echo $! >> {}); echo ok", pids.display());
    let words = vec![b"sh".to_vec(), b"-c".to_vec(), script.clone().into_bytes()];
    let mut bench = Bench::new();
    let mut request = bench.request(&format!("sh -c {} | head -n 1", shell::quote(&script)));
    bench.limits.time = Duration::from_secs(1);
    request.limits = bench.limits;
    request.allowed.add(HeldCommand::of_words(&words).unwrap().consent().unwrap());
    let preview = bench.answer(request);
    assert_eq!(String::from_utf8(preview.stages[1].out.contents()).unwrap().trim(), "?");
    await_end(&pids);
}

/// Waits until the process whose number a file holds is gone.
fn await_end(pids: &Path) {
    let pid = std::fs::read_to_string(pids).unwrap();
    let since = Instant::now();
    while Path::new("/proc").join(pid.trim()).exists() {
        assert!(since.elapsed() < Duration::from_secs(10), "{pid} still runs");
        std::thread::yield_now();
    }
}

#[test]
fn a_preview_leaves_nothing_running_that_a_program_started() {
    let folder = tempfile::tempdir().unwrap();
    let pids = folder.path().join("pids");
    // Nothing of the pipeline waits for what is started.
    let script = format!("sleep 1000 > /dev/null 2>&1 & echo $! > {}; echo ok", pids.display());
    let words = vec![b"sh".to_vec(), b"-c".to_vec(), script.clone().into_bytes()];
    let mut bench = Bench::new();
    let mut request = bench.request(&format!("sh -c {}", shell::quote(&script)));
    request.allowed.add(HeldCommand::of_words(&words).unwrap().consent().unwrap());
    let preview = bench.answer(request);
    assert_eq!(preview.stages[0].out.contents(), b"ok\n");
    assert_eq!(preview.stages[0].status.0, 0);
    await_end(&pids);
}

#[test]
fn a_followed_file_is_that_of_the_folder_the_text_is_in() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("sub")).unwrap();
    std::fs::write(folder.path().join("sub/log"), "in sub\n").unwrap();
    let mut bench = Bench::new();
    let text = format!("cd {}; cd sub\ntail -f log | tr a-z A-Z", folder.path().display());
    let since = Instant::now();
    loop {
        let preview = bench.run(&text);
        if preview.stages[1].out.contents() == b"IN SUB\n" {
            break;
        }
        assert!(since.elapsed() < Duration::from_secs(20), "{}", preview.stages[0].messages);
    }
}
