//! Advice on lines as people type them: the note each should get, and lines that get none.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;
use std::sync::Arc;

use engine::{Consents, Limits, Preview, Request, Sample, Trials, Variables};
use insight::{ADVICE, Note, NoteKind, Proofs, Severity, apply_edits};
use stream::RunControl;

mod corpus;
mod host;
mod page;
mod rewrites;

/// The files that the lines are about.
pub(super) fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, data: &[u8]| std::fs::write(folder.path().join(name), data).unwrap();
    let mut log = String::new();
    for number in 0..400u32 {
        let (what, reason) = match number % 17 {
            3 | 9 => ("refused", " reason=\"expired\""),
            11 => ("stuck", ""),
            _ => ("passed", ""),
        };
        let _ = writeln!(
            log,
            "2031-04-02 06:{:02}:{:02} gate-{:02} card={} {what} zone={}{reason}",
            number / 60,
            number % 60,
            number * 7 % 22 + 1,
            10_000 + number * 137 % 90_000,
            number % 6 + 1
        );
    }
    put("gate.log", log.as_bytes());
    put("more.log", log.replace("2031-04-02", "2031-04-03").as_bytes());
    put("big.log", log.repeat(100).as_bytes());
    let rows = (0..40_000u32).map(|row| format!("{row},cabin {row},north,{}\n", row % 30));
    put("big.csv", rows.collect::<String>().as_bytes());
    put(
        "cabins.csv",
        b"id,name,line,capacity,built\n1,Alder,north,24,1998\n2,Birch,north,24,1999\n\
          3,Cedar,south,30,2007\n4,Dogwood,south,30,2011\n5,Elm,north,8,2012\n",
    );
    put(
        "stock.csv",
        b"part,what,count\n17,\"rope, steel\",3\n18,winch,12\n19,\"bolt, long\",140\n",
    );
    put("sizes.txt", b"2G backup\n10K notes\n300M frames\n1G logs\n512K keys\n");
    put("versions.txt", b"v1.9.2\nv1.10.0\nv1.2.11\nv1.10.3\n");
    put("counts.txt", b"9 gate-02\n10 gate-07\n131 gate-01\n7 gate-11\n88 gate-04\n");
    put("dos.txt", b"passed\r\nrefused\r\npassed\r\nstuck\r\n");
    put("dos.csv", b"id,state,count\r\n1,passed,3\r\n2,refused,4\r\n");
    put("marked.csv", b"\xef\xbb\xbfid,state\n1,passed\n2,refused\n");
    put("open.txt", b"one\ntwo\nthree");
    put("nul.bin", b"refused\0now\nrefused again\n");
    put("latin.txt", b"caf\xe9 open\nhut closed\n");
    put(
        "packed.gz",
        b"\x1f\x8b\x08\x00\x00\x00\x00\x00\x00\x03\x4b\x4c\x4a\x06\x00\xc2\x41\x24\x35\x03\n",
    );
    // Bytes as they are: its data has carriage returns whichever way it is read.
    put("untouched.gz", b"\x1f\x8b\x08\x00\x00\x00\x00\x00\x00\x03\x01 \x00\xdf\xffpassed\x0d\x0arefused\x0d\x0apassed\x0d\x0astuck\x0d\x0a\x17z\xce\xd2 \x00\x00\x00");
    // Carriage returns in its head only, which is no text.
    put("zones.gz", b"\x1f\x8b\x08\x10\x00\x00\x00\x00\x00\x03made\x0d\x0aby hand\x0d\x0a\x00\x01\x0f\x00\xf0\xffpassed\x0arefused\x0a\xe7\xd7\xa0\xf6\x0f\x00\x00\x00");
    put("table.tsv", b"gate\tpassed\trefused\n01\t120\t3\n02\t88\t14\n");
    put("ps.txt", b"USER    PID  CPU\nroot      1  0.0\nwinch   204  3.1\nrail   1187 12.4\n");
    put("hosts.txt", b"10.0.0.1 up\n10.0.0.2 up\n10.0x0.1 odd\n10.0.031 odd\n");
    put("gaps.txt", b"gate-02\n\n\ngate-07\n\ngate-02\n");
    put("times.txt", b"06:00:03\n06:01:11\n06:02:00\n");
    put("words.txt", b"refused\nstuck\n");
    put("station.conf", b"name = tarn\nheight = 1412\nmode = winter\n");
    put("line one.log", b"first\n");
    put("line two.log", b"second\nthird\n");
    put("sudo", b"#!/bin/sh\nexit 9\n");
    let rights = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(folder.path().join("sudo"), rights).unwrap();
    folder
}

pub(super) fn request(folder: &Path, line: &str) -> Request {
    Request {
        text: format!("cd {}; {line}", folder.display()),
        at: usize::MAX,
        variables: Variables::default(),
        script: None,
        plan: None,
        sample: Sample::Everything,
        limits: Limits::default(),
        allowed: Consents::default(),
    }
}

/// The result of a line, and what is said of it with everything tried.
pub(super) fn advised(folder: &Path, line: &str) -> (Arc<Preview>, Vec<Note>) {
    let (trials, request) = (Trials::default(), request(folder, line));
    let preview = trials
        .evaluate(request.clone(), None, &RunControl::default())
        .unwrap_or_else(|error| panic!("{line}: {error}"));
    let notes = Proofs::new(trials, request).notes(&preview, &RunControl::default());
    (preview, notes)
}

/// The same with texts that give the same, however fast they are.
pub(super) fn tried(folder: &Path, line: &str) -> (Arc<Preview>, insight::Tried) {
    let (trials, request) = (Trials::default(), request(folder, line));
    let preview = trials
        .evaluate(request.clone(), None, &RunControl::default())
        .unwrap_or_else(|error| panic!("{line}: {error}"));
    let proofs = Proofs::new(trials, request).whatever_the_gain();
    let tried = proofs.tried(&preview, &RunControl::default());
    (preview, tried)
}

/// The notes that ask for something.
pub(super) fn asking(notes: &[Note]) -> Vec<&Note> {
    notes.iter().filter(|note| note.severity != Severity::Remark).collect()
}

#[test]
fn each_kind_is_described_once() {
    for kind in NoteKind::ALL {
        let about: Vec<_> = ADVICE.iter().filter(|about| about.kind == *kind).collect();
        assert_eq!(about.len(), 1, "{}", kind.id());
        assert!(!about[0].when.is_empty());
    }
}

#[test]
fn lines_get_the_note_they_should() {
    let folder = folder();
    let mut missed = Vec::new();
    let mut said: BTreeMap<&str, usize> = BTreeMap::new();
    for (line, expected) in corpus::LINES {
        let (trials, request) = (Trials::default(), request(folder.path(), line));
        if let Err(engine::Untried::Refused(_)) =
            trials.evaluate(request.clone(), None, &RunControl::default())
        {
            let notes = insight::refused_notes(&request.text);
            let fixed = notes.first().and_then(|note| note.fix.as_ref());
            let text = apply_edits(&request.text, &fixed.expect(line).edits);
            let request = Request { text, ..request };
            assert!(trials.evaluate(request, None, &RunControl::default()).is_ok(), "{line}");
            *said.entry(expected).or_default() += usize::from(notes[0].kind.id() == *expected);
            continue;
        }
        let (preview, tried) = tried(folder.path(), line);
        let asking = asking(&tried.notes);
        let ids: Vec<&str> = asking.iter().map(|note| note.kind.id()).collect();
        if ids.contains(expected) {
            *said.entry(expected).or_default() += 1;
        } else {
            missed.push(format!("{line}\n    wants {expected}, gets {ids:?}"));
        }
        for note in asking {
            // What is offered can be run, and says its place.
            assert!(
                note.span.end <= preview.text.len() && note.span.start <= note.span.end,
                "{line}"
            );
            if let Some(fix) = &note.fix {
                let text = apply_edits(&preview.text, &fix.edits);
                assert!(engine::parse(&text).is_ok(), "{line}: {text}");
                assert_ne!(text, preview.text);
            }
        }
    }
    let all = corpus::LINES.len();
    assert!(all >= 150);
    assert!(missed.len() * 50 <= all, "{} of {all} missed:\n{}", missed.len(), missed.join("\n"));
    // Each kind that rests on data, text or cost has lines.
    for about in ADVICE.iter().filter(|about| about.basis != insight::Basis::Portability) {
        let id = about.kind.id();
        let remark =
            ["changed", "closed-pipe", "holds-everything", "sample-only", "cut-off", "message"];
        assert!(remark.contains(&id) || said.contains_key(id), "no line gets {id}");
    }
}

#[test]
fn what_is_said_and_offered() {
    let folder = folder();
    let mut table = String::new();
    for (line, _) in corpus::LINES {
        let request = request(folder.path(), line);
        if Trials::default().evaluate(request, None, &RunControl::default()).is_err() {
            continue;
        }
        let (preview, tried) = tried(folder.path(), line);
        let _ = writeln!(table, "{line}");
        for note in asking(&tried.notes) {
            let _ = writeln!(table, "    {} {}: {}", note.stage + 1, note.kind.id(), note.text);
            if let Some(fix) = &note.fix {
                let text = apply_edits(&preview.text, &fix.edits);
                let after = text.split_once("; ").map_or("", |(_, after)| after);
                let _ = writeln!(table, "        {} → {after}", fix.label);
            }
        }
    }
    insta::assert_snapshot!("advice", table);
}

#[test]
fn good_lines_get_no_note() {
    let folder = folder();
    let mut wrong = Vec::new();
    for line in corpus::GOOD {
        let (_, notes) = advised(folder.path(), line);
        for note in asking(&notes) {
            wrong.push(format!("{line}\n    {}: {}", note.kind.id(), note.text));
        }
    }
    assert!(corpus::GOOD.len() >= 240);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_figure_of_the_first_lines_says_so() {
    let folder = folder();
    let said = |line: &str| {
        let (_, notes) = advised(folder.path(), line);
        notes.into_iter().map(|note| note.text).collect::<Vec<_>>().join("\n")
    };
    let first = "the first 200 000 lines";
    for (line, wanted) in [
        ("seq 250000 | awk '{print $9}'", format!("none of {first} has a field 9")),
        ("seq 250000 | cut -d, -f2", format!("200 000 of {first} have no comma")),
        ("yes Stuck | head -n 250000 | grep stuck", format!("200 000 lines in {first} do")),
        ("seq 250000 | xargs basename", "more than 200 000 items go".to_owned()),
        ("seq 9 | awk '{print $9}'", "none of 9 lines has a field 9".to_owned()),
    ] {
        assert!(said(line).contains(&wanted), "{line}: {}", said(line));
    }
}
