//! Drawings of hostile data: well-formed, and with all of their text.

#![allow(clippy::disallowed_methods)] // threads of the tests' own

mod golden;

use std::process::{Command, Stdio};

use draw::{Diagram, Errors, FileOut, Scene, Stage, Stream, pdf, svg, visible};
use proptest::prelude::*;

fn diagram(labels: &[String]) -> Scene {
    let stage = |label: &String| Stage {
        command: label.clone(),
        does: label.clone(),
        carries: "1".to_owned(),
        out: Stream { lines: Some(label.len() as u64), ..Stream::default() },
        files: vec![FileOut { name: label.clone(), how: "new".to_owned(), descriptor: Some(1) }],
        errors: Errors::File(label.clone()),
        reads: vec![label.clone()],
    };
    let first = labels.first().cloned().unwrap_or_default();
    Diagram {
        title: first.clone(),
        about: first.clone(),
        sources: labels.to_vec(),
        source: Stream { lines: None, ..Stream::default() },
        on_standard_input: false,
        stages: labels.iter().map(stage).collect(),
        end: first,
    }
    .scene()
}

fn hostile() -> impl Strategy<Value = String> {
    let parts = prop::sample::select(vec![
        "'",
        "\"",
        "<",
        ">",
        "&",
        "]]>",
        "<!--",
        "&amp;",
        "\u{0}",
        "\u{1b}[31m",
        "\t",
        "\n",
        "\u{7f}",
        "\u{202e}",
        "שלום",
        "مرحبا",
        "索道",
        "é",
        "e\u{301}",
        "👩‍🔧",
        "\u{fffe}",
        "a",
        " ",
        "\\",
        "%",
        "xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx",
    ]);
    prop::collection::vec(parts, 0..12).prop_map(|parts| parts.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_label_gives_well_formed_svg_with_its_text(labels in prop::collection::vec(hostile(), 1..4)) {
        let text = svg(&diagram(&labels));
        let document = roxmltree::Document::parse(&text);
        prop_assert!(document.is_ok(), "{:?}\n{text}", document.err());
        let document = document.unwrap();
        let shown: String = document
            .descendants()
            .filter(|node| node.has_tag_name("text"))
            .filter_map(|node| node.text())
            .collect();
        let squeezed = |text: &str| text.split_whitespace().collect::<String>();
        for label in &labels {
            // Short ones are never cut.
            if label.chars().count() < 20 {
                prop_assert!(squeezed(&shown).contains(&squeezed(&visible(label))), "{label:?} in {shown:?}");
            }
        }
    }
}

proptest! {
    // Making fonts smaller takes its time.
    #![proptest_config(ProptestConfig { cases: 6, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_label_gives_a_pdf(labels in prop::collection::vec(hostile(), 1..3)) {
        let bytes = pdf(&diagram(&labels)).unwrap();
        prop_assert!(bytes.starts_with(b"%PDF-") && bytes.ends_with(b"%%EOF"));
    }
}

#[test]
fn a_pdf_has_the_text_and_its_fonts() {
    let labels =
        ["grep 'refused' gate.log", "cut -d\" \" -f3 <a&b>", "мир \u{1b} é"].map(str::to_owned);
    let bytes = pdf(&diagram(&labels)).unwrap();
    // Every font is embedded, with the way back to its characters.
    let found = |what: &[u8]| bytes.windows(what.len()).filter(|part| *part == what).count();
    assert!(found(b"/FontFile2") + found(b"/FontFile3") >= 2);
    assert!(found(b"/ToUnicode") >= 2);
    // The machine's own reader of PDF.
    let reader = Command::new("pdftotext")
        .args(["-layout", "-", "-"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn();
    let mut reader = reader.expect("pdftotext, of poppler-utils");
    let mut input = reader.stdin.take().unwrap();
    let feeding = std::thread::spawn(move || std::io::Write::write_all(&mut input, &bytes));
    let output = reader.wait_with_output().unwrap();
    feeding.join().unwrap().unwrap();
    assert!(output.status.success());
    let text = String::from_utf8(output.stdout).unwrap();
    let squeezed: String = text.split_whitespace().collect();
    for label in &labels {
        let label: String = visible(label).split_whitespace().collect();
        assert!(squeezed.contains(&label), "{label} in {text}");
    }
}
