//! Files that are followed: what they get is written as it comes, through truncation, and with
//! `-F` through replacement and absence.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::time::Duration;

use stream::{ExitStatus, FileFacts, Input, InputTrouble, ReadError, StageError, StageIo};

use super::part::part;
use crate::common::options::file_headers::Headers;
use crate::common::options::head_tail_count::Amount;

/// How a file is followed.
#[derive(Clone, Copy)]
pub(super) struct Follow {
    /// Whatever has the name, not the file that had it first.
    pub(super) by_name: bool,
    pub(super) retry: bool,
    pub(super) interval: Duration,
}

/// A file that is followed.
struct Followed {
    name: Vec<u8>,
    input: Option<Input>,
    /// It was said already that it cannot be read.
    missing: bool,
    /// It is not looked at any more.
    given_up: bool,
}

pub(super) fn run(
    io: &mut StageIo<'_>,
    files: &[Vec<u8>],
    amount: Amount,
    mut headers: Headers,
    follow: Follow,
) -> Result<ExitStatus, StageError> {
    let standard = [b"-".to_vec()];
    let files = if files.is_empty() { &standard[..] } else { files };
    let mut followed = Vec::new();
    // Which file the last output was from, for headers.
    let mut current = usize::MAX;
    for (number, name) in files.iter().enumerate() {
        let mut file =
            Followed { name: name.clone(), input: None, missing: false, given_up: false };
        match io.open(name) {
            Ok(mut input) => {
                headers.write(io, name)?;
                current = number;
                tolerate(io, name, |io| part(io, &mut input, amount))?;
                // A pipe ends when it ends.
                if input.file_facts().is_some_and(|facts| facts.is_regular()) || name != b"-" {
                    file.input = Some(input);
                } else {
                    file.given_up = true;
                }
            }
            Err(error) => {
                io.note_status(1);
                let shown = String::from_utf8_lossy(name).into_owned();
                io.message(&format!(
                    "cannot open '{shown}' for reading: {}",
                    stream::describe(&error)
                ))?;
                file.missing = true;
                file.given_up = !follow.retry;
            }
        }
        followed.push(file);
    }
    loop {
        io.out().flush()?;
        if followed.iter().all(|file| file.given_up) {
            let any_file = files.iter().any(|name| name != b"-");
            if any_file {
                return Err(StageError::failed(1, "no files remaining"));
            }
            return Ok(io.status());
        }
        io.pause(follow.interval)?;
        for (number, file) in followed.iter_mut().enumerate() {
            if file.given_up {
                continue;
            }
            if follow.by_name && file.name != b"-" {
                look_by_name(io, file, follow)?;
            }
            let Followed { name, input: Some(input), .. } = file else { continue };
            let truncated = match (input.file_facts(), input.position()) {
                (Some(FileFacts { bytes, .. }), Some(position)) => bytes < position,
                _ => false,
            };
            if truncated && input.rewind() {
                let shown = String::from_utf8_lossy(name).into_owned();
                io.message(&format!("{shown}: file truncated"))?;
            }
            let name = name.clone();
            tolerate(io, &name, |io| {
                while let Some(lines) = input.next_block()? {
                    if current != number {
                        headers.write(io, &name)?;
                        current = number;
                    }
                    io.out().pass_lines(lines)?;
                }
                Ok(())
            })?;
        }
    }
}

/// A file that cannot be read is reported; the others go on.
fn tolerate(
    io: &mut StageIo<'_>,
    name: &[u8],
    work: impl FnOnce(&mut StageIo<'_>) -> Result<(), InputTrouble>,
) -> Result<(), StageError> {
    match work(io) {
        Ok(()) => Ok(()),
        Err(InputTrouble::Stage(error)) => Err(error),
        Err(InputTrouble::Read(ReadError::Cancelled)) => Err(StageError::Cancelled),
        Err(InputTrouble::Read(ReadError::Io(error))) => {
            io.note_status(1);
            let shown = String::from_utf8_lossy(name).into_owned();
            io.message(&format!("error reading '{shown}': {}", stream::describe(&error)))
        }
    }
}

/// Takes up the file that has the name now.
fn look_by_name(
    io: &mut StageIo<'_>,
    file: &mut Followed,
    follow: Follow,
) -> Result<(), StageError> {
    let shown = String::from_utf8_lossy(&file.name).into_owned();
    let found = io.files().facts(Path::new(OsStr::from_bytes(&file.name)));
    let found = match found {
        Ok(facts) => facts,
        Err(error) => {
            if !file.missing {
                io.message(&format!(
                    "'{shown}' has become inaccessible: {}",
                    stream::describe(&error)
                ))?;
            }
            file.missing = true;
            // What was written before it went away is still read below, once.
            if !follow.retry {
                file.given_up = true;
            }
            return Ok(());
        }
    };
    let same = file
        .input
        .as_ref()
        .and_then(Input::file_facts)
        .is_some_and(|facts| facts.same_file(&found));
    if same {
        file.missing = false;
        return Ok(());
    }
    // The rest of the old file comes first.
    if let Some(input) = &mut file.input {
        let name = file.name.clone();
        tolerate(io, &name, |io| {
            while let Some(lines) = input.next_block()? {
                io.out().pass_lines(lines)?;
            }
            Ok(())
        })?;
    }
    let what = if file.missing { "has appeared" } else { "has been replaced" };
    match io.open(&file.name) {
        Ok(input) => {
            io.message(&format!("'{shown}' {what};  following new file"))?;
            file.input = Some(input);
            file.missing = false;
        }
        Err(_) => file.missing = true,
    }
    Ok(())
}
