//! What the drawings are given of a result, and what becomes of an export that cannot be made.

use engine::Sample;
use insight::{Export, ExportError, diagram, export, funnel, wires};

use super::{file, preview_of};

/// Lines over the files `log` and `words`, for their ends and files.
const LINES: &[&str] = &[
    "grep b log",
    "cat log words | sort",
    "sort < log",
    "cat log | sort > out",
    "cat log | sort >> words",
    "cat log | tee copy | wc -l",
    "cat log 2> errors | wc -l",
    "grep b log > /dev/null",
    "grep b log > out 2>&1",
    "grep b log 2>&1 > out",
    "grep b log 2>&- | cat",
    "cat log |& sort",
    "sort log | join - words",
    "cat <<< word | rev",
    "cat log 3> third | cat",
    "while read x; do echo $x; done < log 2>> errors | tr a-z A-Z",
];

#[test]
fn lines_and_what_is_drawn_of_them() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path();
    file(folder, "log", "b\na\nb\nB\na\n");
    file(folder, "words", "a rope\nb winch\n");
    let mut table = String::new();
    for line in LINES {
        let preview = preview_of(&format!("cd {}; {line}", folder.display()), Sample::First(5000));
        let drawn = diagram(&preview);
        let given = if drawn.on_standard_input { " on standard input" } else { "" };
        table.push_str(&format!("{}\n  about: {}\n", drawn.title, drawn.about));
        let source = drawn.source.lines;
        table.push_str(&format!("  reads {:?}{given}: {source:?} lines\n", drawn.sources));
        for stage in &drawn.stages {
            table.push_str(&format!(
                "  {} ({}): {:?}\n",
                stage.command, stage.does, stage.out.lines
            ));
            if !stage.reads.is_empty() {
                table.push_str(&format!("    also reads {:?}\n", stage.reads));
            }
            table.push_str(&format!("    errors: {:?}\n", stage.errors));
            for file in &stage.files {
                table.push_str(&format!(
                    "    file {:?} {}: {}\n",
                    file.descriptor, file.name, file.how
                ));
            }
        }
        table.push_str(&format!("  end: {:?}\n", drawn.end));
        for node in wires(&preview).nodes {
            table.push_str(&format!("  wiring of {}\n", node.command));
            for port in node.ports {
                let way = if port.reads { "<" } else { ">" };
                let pipe = if port.piped { " (pipe)" } else { "" };
                table.push_str(&format!("    {} {way} {}{pipe}\n", port.number, port.leads));
            }
            for step in node.steps {
                table.push_str(&format!("    step: {step}\n"));
            }
        }
        let rows: Vec<String> = funnel(&preview)
            .rows
            .iter()
            .map(|row| format!("{:?} {} {}", row.number, row.label, row.lines))
            .collect();
        table.push_str(&format!("  funnel: {}\n", rows.join(" · ")));
    }
    insta::assert_snapshot!("drawn", table.replace(&folder.display().to_string(), "DIR"));
}

#[test]
fn a_part_of_the_data_says_so_in_the_drawing() {
    let directory = tempfile::tempdir().unwrap();
    let lines: String = (0..100).map(|number| format!("{number}\n")).collect();
    let log = file(directory.path(), "log", &lines);
    let part = diagram(&preview_of(&format!("cat {log}"), Sample::First(10)));
    assert!(part.about.starts_with(&format!("{log}: 10 ")), "{}", part.about);
    let whole = diagram(&preview_of(&format!("cat {log}"), Sample::Everything));
    assert_eq!(whole.about, "all of the data");
}

#[test]
fn a_report_draws_the_pipeline_of_its_own_text_only() {
    let directory = tempfile::tempdir().unwrap();
    let preview = preview_of("seq 3 | sort", Sample::First(5000));
    let command = insight::CommandRecord {
        command: "seq 3".to_owned(),
        name: "seq".to_owned(),
        lines_in: 3,
        bytes_in: 6,
        ..insight::CommandRecord::default()
    };
    let mut record = insight::RunRecord {
        text: preview.text.clone(),
        commands: vec![command],
        ..insight::RunRecord::default()
    };
    let made = |name: &str, record: &insight::RunRecord| {
        let path = directory.path().join(name);
        export(Export::Report, Some(&preview), Some(record), &path).unwrap();
        std::fs::read_to_string(path).unwrap()
    };
    let (markdown, html) = (made("a.md", &record), made("a.html", &record));
    assert!(markdown.starts_with('#') && html.starts_with("<!"), "{markdown}");
    assert!(markdown.contains("The pipeline") && html.contains("The pipeline"));
    let (_, funnel) = markdown.split_once("Lines after each stage").unwrap();
    let (funnel, _) = funnel.split_once("</svg>").unwrap();
    let texts: Vec<&str> = funnel
        .split('>')
        .filter_map(|part| part.split_once("</text").map(|(text, _)| text))
        .collect();
    assert!(texts.contains(&"1  seq 3"), "{texts:?}");
    // Where no file was read, the bar at the top says so.
    assert!(markdown.contains("what is read"));
    record.sources = vec![insight::SourceRecord { path: "/data/gate.log".into(), bytes: 6 }];
    record.text = "seq 4".to_owned();
    let other = made("b.md", &record);
    assert!(!other.contains("The pipeline") && other.contains("Lines after each stage"));
    assert!(!other.contains("what is read") && other.contains("/data/gate.log"));
}

#[test]
fn what_cannot_be_exported_says_why_and_writes_nothing() {
    let directory = tempfile::tempdir().unwrap();
    let preview = preview_of("seq 3 | sort", Sample::First(5000));
    for (what, name, _) in Export::ALL {
        let path = directory.path().join(format!("{name}.odd"));
        let error = export(what, Some(&preview), None, &path).unwrap_err();
        assert!(matches!(error, ExportError::Ending(..)), "{name}: {error}");
        let path = directory.path().join(format!("{name}.{}", what.usual_ending()));
        let made = export(what, Some(&preview), None, &path);
        if what.needs_run() {
            assert!(matches!(made, Err(ExportError::NoRun)), "{name}");
            assert!(!path.exists(), "{name}");
        } else {
            made.unwrap();
            assert!(std::fs::read_to_string(&path).unwrap().starts_with("<svg"), "{name}");
            let error = export(what, None, None, &path).unwrap_err();
            assert!(matches!(error, ExportError::NoResult), "{name}: {error}");
        }
    }
}
