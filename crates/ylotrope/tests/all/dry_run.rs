//! A dry run changes nothing, and tells what a run does.

use std::collections::BTreeMap;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use proptest::prelude::*;
use serde_json::Value;

use crate::shell::{files, seed};

fn ours(arguments: &[&str], directory: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ylotrope"))
        .arg("run")
        .args(arguments)
        .current_dir(directory)
        .env("LC_ALL", "C.UTF-8")
        .stdin(Stdio::null())
        .output()
        .unwrap()
}

/// All that can be seen of the files from outside.
fn state(directory: &Path) -> BTreeMap<String, (u64, i64, i64, u32, u64, Vec<u8>)> {
    let mut names = BTreeMap::new();
    files(directory, "", &mut names);
    let facts = |name: String| {
        let path = directory.join(&name);
        let facts = std::fs::metadata(&path).unwrap();
        let seen = (facts.ino(), facts.mtime(), facts.mtime_nsec(), facts.mode(), facts.len());
        (name, (seen.0, seen.1, seen.2, seen.3, seen.4, std::fs::read(path).unwrap()))
    };
    names.into_keys().map(facts).collect()
}

/// Commands that write files, of every kind there is.
fn writer() -> impl Strategy<Value = String> {
    let commands = vec![
        "echo x > a.txt",
        "echo x >> b.txt",
        "cat three.txt > new",
        "sort -r three.txt -o three.txt",
        "sort b.txt -o sorted",
        "tee t1 t2 < b.txt",
        "tee -a a.txt < b.txt > /dev/null",
        "split -l 1 three.txt part.",
        "csplit -s three.txt 2",
        "sed -i s/a/A/ a.txt",
        "sed -i.bak s/o/0/ three.txt",
        "sed 'w written' b.txt",
        "sed -n 's/e/E/w changed' three.txt",
        "awk '{print > $1}' pairs.txt",
        "awk '{print >> \"log\"; print | \"sort\"}' b.txt",
        "{ echo o; echo e >&2; } &> both",
        "cat nosuch 2> err",
        "cat <> fresh",
        "(cd sub; echo y > made; cat made)",
        "while read a b; do echo $b >> $a; done < pairs.txt",
        "for f in *.txt; do wc -l < $f > $f.count; done",
        "cat *.txt | head -n 4 > all",
        "cat new all made log 2>/dev/null",
        "paste a.txt b.txt > a.txt",
        "echo x | tee >(tr x y > up) > low",
        "[ -f new ] && echo there",
        "ls > /dev/null",
        "x=$(cat a.txt); echo \"$x\" > copy",
        "> a.txt",
        "cut -c1 three.txt >| cut",
        "uniq three.txt uniq.out",
        "wc -l a.txt",
        "echo z > sub/deep",
        "cat sub/* > inner",
        "sort sub/deep a.txt",
        "f() { echo $1 > $1; }; f made; f other",
    ];
    prop::sample::select(commands).prop_map(str::to_owned)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn nothing_changes_and_what_is_told_is_what_happens(
        parts in prop::collection::vec(writer(), 1..5),
        connector in prop::sample::select(vec!["; ", " && ", "\n"]),
    ) {
        let line = parts.join(connector);
        let (dry, real) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        seed(dry.path());
        seed(real.path());
        let before = state(dry.path());
        let told = ours(&["--dry-run", "--json", "-c", &line], dry.path());
        prop_assert_eq!(&before, &state(dry.path()), "{} changed something", line);
        let done = ours(&["-c", &line], real.path());
        prop_assert_eq!(told.status.code(), done.status.code(), "{}", line);
        let (told_out, done_out) =
            (String::from_utf8_lossy(&told.stdout), String::from_utf8_lossy(&done.stdout));
        prop_assert_eq!(told_out, done_out, "{}", line);
        let said = String::from_utf8_lossy(&told.stderr).into_owned();
        let json: Value = serde_json::from_str(said.lines().last().unwrap()).unwrap();
        let mut expected = BTreeMap::new();
        for file in json["files"].as_array().unwrap() {
            let name = file["file"].as_str().unwrap();
            let path = Path::new(name).strip_prefix(dry.path()).unwrap_or(Path::new(name));
            let written = file["bytes"].as_u64().unwrap();
            let appends = file["operation"] == "append";
            let now = if appends { file["bytes_now"].as_u64().unwrap() } else { 0 };
            expected.insert(path.to_string_lossy().into_owned(), now + written);
        }
        for (name, (.., length, bytes)) in state(real.path()) {
            let told = expected.remove(&name);
            let old = before.get(&name).map(|(.., bytes)| bytes);
            match told {
                Some(told) => prop_assert_eq!(told, length, "{} in {}", name, line),
                None => prop_assert_eq!(old, Some(&bytes), "{} in {}", name, line),
            }
        }
        prop_assert!(expected.is_empty(), "{:?} in {}", expected, line);
    }
}

#[test]
fn commands_are_told_and_not_run() {
    let directory = tempfile::tempdir().unwrap();
    seed(directory.path());
    let line = "rm a.txt; ls *.txt | xargs -n 2 rm -f; awk '{system(\"rm \" $0)}' b.txt; touch 'a b' $'c\\nd'";
    let output = ours(&["--dry-run", "-c", line], directory.path());
    assert_eq!(output.status.code(), Some(0));
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    for command in [
        "would run 7 commands:\n",
        "  rm a.txt  (/usr/bin/rm)\n",
        "  rm -f a.txt b.txt  (/",
        "  rm -f pairs.txt plain.txt  (/",
        "  sh -c 'rm beta'  (/",
        "  touch 'a b' $'c\\nd'  (/",
    ] {
        assert!(said.contains(command), "{command} in {said}");
    }
    assert!(directory.path().join("a.txt").exists());
    let output = ours(&["--dry-run", "-c", "cat a.txt"], directory.path());
    assert_eq!(String::from_utf8_lossy(&output.stderr), "nothing would be changed\n");
    assert_eq!(String::from_utf8_lossy(&output.stdout), "alpha\n");
}
