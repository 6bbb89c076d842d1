//! Files that runs write: how they are left.

use engine::{Variables, undo};

use crate::previews::Bench;

#[test]
fn files_are_written_from_everything_not_from_the_sample() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path().display();
    let mut bench = Bench::new();
    bench.sample = engine::Sample::First(2);
    std::fs::write(directory.path().join("in"), "a\nb\nc\n").unwrap();
    let mut applied = bench.write(&format!("cat {folder}/in > {folder}/out")).unwrap();
    assert_eq!(std::fs::read(directory.path().join("out")).unwrap(), b"a\nb\nc\n");
    assert_eq!(applied[0].lines, 3);
    undo(&mut applied[0]).unwrap();
    assert!(!directory.path().join("out").exists());
}

#[test]
fn a_failing_stage_leaves_the_old_file() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path().display();
    std::fs::write(directory.path().join("out"), "old\n").unwrap();
    let mut bench = Bench::new();
    let error = bench.write(&format!("sort {folder}/nope > {folder}/out")).unwrap_err();
    assert!(error.to_string().contains("nothing was written"), "{error}");
    assert_eq!(std::fs::read(directory.path().join("out")).unwrap(), b"old\n");
    assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), 1);
}

#[test]
fn a_program_is_not_started_without_consent() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path().display();
    let mut bench = Bench::new();
    let error = bench.write(&format!("touch {folder}/x | cat > {folder}/y")).unwrap_err();
    assert!(error.to_string().contains("was not allowed"), "{error}");
    assert_eq!(std::fs::read_dir(directory.path()).unwrap().count(), 0);
}

#[test]
fn scripts_have_variables_and_statuses() {
    let directory = tempfile::tempdir().unwrap();
    let out = directory.path().join("out");
    let text = format!(
        "X='a b'\necho $X \"$X\" $1 \"$#\" > {0}\ngrep -q zz {0}\necho $? >> {0}\nfalse | true\n",
        out.display()
    );
    let mut variables = Variables::new("script", vec![b"one".to_vec()]);
    assert_eq!(
        engine::run_script(&text, &mut variables, &stream::RunControl::default(), None).unwrap(),
        0
    );
    assert_eq!(std::fs::read_to_string(&out).unwrap(), "a b a b one 1\n1\n");
    assert_eq!(
        engine::run_script("true | false", &mut variables, &stream::RunControl::default(), None)
            .unwrap(),
        1
    );
    assert_eq!(
        engine::run_script(
            "no-such-program-here 2>/dev/null",
            &mut variables,
            &stream::RunControl::default(),
            None,
        )
        .unwrap(),
        127
    );
}

#[test]
fn a_large_file_counted_in_parts_has_the_same_count() {
    let directory = tempfile::tempdir().unwrap();
    let (data, out) = (directory.path().join("data"), directory.path().join("out"));
    let mut text = "a line of some length\n".repeat(450_001);
    text.push_str("open");
    std::fs::write(&data, &text).unwrap();
    let line = format!("wc -lc {0} > {1}; wc -l < {0} >> {1}", data.display(), out.display());
    engine::run_script(&line, &mut Variables::default(), &stream::RunControl::default(), None)
        .unwrap();
    let expected = format!("450001 {} {}\n450001\n", text.len(), data.display());
    assert_eq!(std::fs::read_to_string(&out).unwrap().trim_start(), expected);
}
