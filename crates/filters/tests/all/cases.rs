//! Filters in cases: what a line writes, and its status, with nothing of the machine's needed. Every
//! case is run on its input whole, byte by byte with tiny output, and with origins kept.

#![allow(clippy::too_many_lines)] // tables of cases

mod awk;
mod bc;
mod cat;
mod column;
mod comm_and_tsort;
mod cut;
mod date;
mod fmt;
mod fold_expand_unexpand;
mod grep;
mod head_and_tail;
mod join;
mod kept_differences;
mod names_and_checksums;
mod nl;
mod numfmt;
mod od;
mod paste;
mod printf_and_echo;
mod sed;
mod seq;
mod sort;
mod split_and_csplit;
mod tac_rev_tee;
mod test_and_expr;
mod tr;
mod uniq;
mod wc;

use std::collections::BTreeMap;
use std::path::PathBuf;

use stream::testing::FixedFiles;

use crate::support::{Cuts, WHOLE, run_in, words};

/// A line, its standard input, what it writes, and its status.
struct Case(&'static str, &'static [u8], &'static [u8], u8);

/// A case that leaves files: those that are new or other than before, by name.
struct Written(
    &'static str,
    &'static [u8],
    &'static [u8],
    u8,
    &'static [(&'static str, &'static [u8])],
);

const CUTS: [Cuts; 3] =
    [WHOLE, Cuts { input: 1, output: 1, origins: false }, Cuts { origins: true, ..WHOLE }];

fn agree(cases: &[Case]) {
    agree_among(&[], cases);
}

/// Runs each case among `files`; names all that come out otherwise, not only the first.
fn agree_among(files: &[(&str, &[u8])], cases: &[Case]) {
    let mut wrong = String::new();
    for Case(line, input, output, status) in cases {
        wrong += &difference(files, line, input, (output, *status), None);
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// As [`agree_among`], and what is in the files afterwards.
fn leave(files: &[(&str, &[u8])], cases: &[Written]) {
    let mut wrong = String::new();
    for Written(line, input, output, status, left) in cases {
        wrong += &difference(files, line, input, (output, *status), Some(left));
    }
    assert!(wrong.is_empty(), "{wrong}");
}

fn difference(
    files: &[(&str, &[u8])],
    line: &str,
    input: &[u8],
    expected: (&[u8], u8),
    left: Option<&[(&str, &[u8])]>,
) -> String {
    for cuts in CUTS {
        let mut among = FixedFiles { cut: cuts.input, ..FixedFiles::default() };
        for (name, data) in files {
            among.files.insert(PathBuf::from(name), data.to_vec());
        }
        let line_words = words(line);
        let line_words: Vec<&[u8]> = line_words.iter().map(|word| &word[..]).collect();
        let outcome = run_in(&among, &line_words, input, cuts);
        if (&outcome.out[..], outcome.status) != expected {
            return format!(
                "{line}, input in pieces of {}\n  writes   {:?} ({})\n  expected {:?} ({})\n  {}\n",
                cuts.input,
                String::from_utf8_lossy(&outcome.out),
                outcome.status,
                String::from_utf8_lossy(expected.0),
                expected.1,
                outcome.error,
            );
        }
        let Some(left) = left else { continue };
        let found: BTreeMap<PathBuf, Vec<u8>> = among
            .written
            .lock()
            .iter()
            .map(|(name, sink)| (name.clone(), sink.contents()))
            .filter(|(name, data)| among.files.get(name) != Some(data))
            .collect();
        let left: BTreeMap<PathBuf, Vec<u8>> =
            left.iter().map(|(name, data)| (PathBuf::from(name), data.to_vec())).collect();
        if found != left {
            return format!("{line}\n  leaves   {found:?}\n  expected {left:?}\n");
        }
    }
    String::new()
}
