//! Writes of processes that were killed: finished or taken back by whoever comes next, and what of them
//! may still be undone.

use std::io;
use std::path::PathBuf;
use std::sync::Arc;

use rustix::fs::OFlags;

use super::applied::Applied;
use super::journal::{Entry, Journal, Left, Line, Named, Old, Way};
use super::parts::{Prepared, rewrite};
use crate::files::place::Place;
use crate::files::staged::number_of;
use crate::files::temporary::together;

/// What became of a write that was cut off.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Recovered {
    /// All files have their new content; otherwise all have their old one.
    pub finished: bool,
    /// The files.
    pub files: Vec<PathBuf>,
    /// Files that others have changed since, or that cannot be written: why, and where the content is that
    /// was meant for it.
    pub left: Vec<(PathBuf, String, Option<PathBuf>)>,
}

/// What a journal says.
struct Said {
    entries: Vec<Entry>,
    decided: bool,
    taken_back: bool,
    done: Option<Vec<Option<Left>>>,
    undoing: Vec<usize>,
    undone: Vec<usize>,
    closed: bool,
}

impl Said {
    fn of(lines: Vec<Line>) -> Self {
        let mut said = Self {
            entries: Vec::new(),
            decided: false,
            taken_back: false,
            done: None,
            undoing: Vec::new(),
            undone: Vec::new(),
            closed: false,
        };
        for line in lines {
            match line {
                Line::Begun(entries) => said.entries = entries,
                Line::Decided => said.decided = true,
                Line::TakenBack => said.taken_back = true,
                Line::Done(left) => said.done = Some(left),
                Line::Undoing(number) => said.undoing.push(number),
                Line::Undone(number) => said.undone.push(number),
                Line::Closed => said.closed = true,
            }
        }
        said
    }

    fn prepared(entry: &Entry) -> io::Result<Prepared> {
        Ok(Prepared {
            place: entry.target.place()?,
            entry: entry.clone(),
            content: entry.content.temporary()?,
            old: entry.old.named().map(Named::temporary).transpose()?,
            written: None,
        })
    }
}

/// Finishes or takes back the writes of processes that were killed, and says what became of each. Writes
/// that are still in progress are left alone. Waits for the disk.
pub fn recover_writes() -> Vec<Recovered> {
    let Ok(_together) = together() else { return Vec::new() };
    let mut all = Vec::new();
    for (journal, lines) in Journal::left_behind() {
        let said = Said::of(lines);
        if said.closed || said.entries.is_empty() {
            clear_away(&said);
            drop(journal);
            continue;
        }
        if said.done.is_some() {
            finish_undoing(&said, &journal);
            journal.leave();
            continue;
        }
        all.extend(recover(&said, journal));
    }
    all
}

/// Removes what a write has left that is not needed any more.
fn clear_away(said: &Said) {
    for entry in &said.entries {
        // Dropping it removes it.
        drop(entry.content.temporary());
        drop(entry.old.named().map(Named::temporary));
    }
}

fn recover(said: &Said, journal: Journal) -> Option<Recovered> {
    let finished = said.decided && !said.taken_back;
    let files = said.entries.iter().map(|entry| entry.target.path().to_owned()).collect();
    let mut left = Vec::new();
    if !said.decided {
        // Nothing was changed: only the files beside them are there.
        clear_away(said);
        drop(journal);
        return Some(Recovered { finished, files, left });
    }
    for entry in &said.entries {
        let done = if finished { finish(entry) } else { take_back(entry) };
        if let Err(error) = done {
            let kept = set_aside(entry);
            left.push((entry.target.path().to_owned(), stream::describe(&error), kept));
        }
    }
    tracing::warn!(files = said.entries.len(), finished, "a write that was cut off");
    if finished && left.is_empty() {
        let now = said.entries.iter().map(|entry| Left::now(&entry.target.place().ok()?).ok());
        if journal.note(&Line::Done(now.collect())).is_ok() {
            journal.leave();
            return Some(Recovered { finished, files, left });
        }
    }
    if left.iter().any(|(.., kept)| kept.is_none()) {
        // What is still needed stays, for the next one to try.
        journal.leave();
    } else {
        clear_away(said);
        drop(journal);
    }
    Some(Recovered { finished, files, left })
}

/// Gives a file its new content, where it has not got it yet.
fn finish(entry: &Entry) -> io::Result<()> {
    let prepared = Said::prepared(entry)?;
    let changed = || io::Error::other("it was changed by others meanwhile");
    let place = &prepared.place;
    // Until it is done all of it is needed again.
    let result = match entry.way {
        Way::Rename => match place.number() {
            Ok(now) if now == entry.content_number => Ok(()),
            Ok(now) if Some(now) == entry.old_number => put(&prepared, Some(place)),
            Err(_) if entry.old_number.is_none() => put(&prepared, None),
            _ => Err(changed()),
        },
        Way::Rewrite => {
            let mut target = place.open(OFlags::WRONLY)?;
            if Some(number_of(&target)?) == entry.old_number {
                rewrite(&mut target, &mut prepared.content.open(OFlags::RDONLY)?)
            } else {
                Err(changed())
            }
        }
        Way::Append => append(entry, &prepared),
    };
    prepared.content.forget();
    if let Some(old) = &prepared.old {
        old.forget();
    }
    result?;
    place.folder.sync()
}

fn put(prepared: &Prepared, old: Option<&Place>) -> io::Result<()> {
    if let Some(rights) = &prepared.entry.rights {
        rights.give(&prepared.content.open(OFlags::WRONLY)?)?;
    }
    match old {
        Some(place) => prepared.content.put_in_place(place),
        None => prepared.content.put_where_nothing_is(&prepared.place),
    }
}

/// Adds what is missing of what was to be added.
fn append(entry: &Entry, prepared: &Prepared) -> io::Result<()> {
    use io::{Read, Seek, SeekFrom};
    let Old::Shorter(length, _) = entry.old else { return Ok(()) };
    let mut target = prepared.place.open(OFlags::RDWR)?;
    let mut content = prepared.content.open(OFlags::RDONLY)?;
    let now = target.metadata()?.len();
    let changed = || io::Error::other("it was changed by others meanwhile");
    if Some(number_of(&target)?) != entry.old_number || now < length {
        return Err(changed());
    }
    // As far as it goes, what follows must be the beginning of it.
    target.seek(SeekFrom::Start(length))?;
    let (mut one, mut other) = (vec![0; 1 << 16], vec![0; 1 << 16]);
    let mut at = length;
    loop {
        let count = target.read(&mut one)?;
        if count == 0 {
            break;
        }
        let wanted = &mut other[..count];
        if content.read_exact(wanted).is_err() || *wanted != one[..count] {
            return Err(changed());
        }
        at += count as u64;
    }
    target.seek(SeekFrom::Start(at))?;
    io::copy(&mut content, &mut target)?;
    target.sync_all()
}

/// Brings back what a file was.
fn take_back(entry: &Entry) -> io::Result<()> {
    let mut applied = Applied::of(Said::prepared(entry)?, None, 0, None);
    applied.restore()
}

/// Gives content that has no place a name that can be seen; tells which.
fn set_aside(entry: &Entry) -> Option<PathBuf> {
    let place = entry.target.place().ok()?;
    let content = entry.content.temporary().ok()?;
    for number in 0..1000 {
        let mut name = place.name.clone();
        name.push(if number == 0 {
            ".not-written".to_owned()
        } else {
            format!(".not-written-{number}")
        });
        let path = place.path.with_file_name(&name);
        let aside = Place::of_name(&path).ok()?;
        match content.put_where_nothing_is(&aside) {
            Ok(()) => return Some(path),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(_) => break,
        }
    }
    content.forget();
    None
}

/// Ends what was being undone.
fn finish_undoing(said: &Said, journal: &Journal) {
    for &number in said.undoing.iter().filter(|number| !said.undone.contains(number)) {
        let Some(entry) = said.entries.get(number) else { continue };
        if take_back(entry).is_ok() {
            // What cannot be said now is done again by the next one, which changes nothing.
            let _ = journal.note(&Line::Undone(number));
        }
    }
}

/// The files of the last write of a process that was killed after it, to be undone; what may be undone of
/// earlier ones is given up.
pub fn left_to_undo() -> Vec<Applied> {
    let mut left = Journal::left_behind();
    let newest = left.pop();
    for (journal, lines) in left {
        let said = Said::of(lines);
        if said.done.is_some() {
            clear_away(&said);
            drop(journal);
        } else {
            journal.leave();
        }
    }
    let Some((journal, lines)) = newest else { return Vec::new() };
    let said = Said::of(lines);
    let Some(done) = &said.done else {
        journal.leave();
        return Vec::new();
    };
    let journal = Arc::new(journal);
    let entries = said.entries.iter().zip(done).enumerate();
    entries
        .filter(|(number, _)| !said.undone.contains(number))
        .filter_map(|(number, (entry, left))| {
            let prepared = Said::prepared(entry).ok()?;
            Some(Applied::of(prepared, *left, number, Some(journal.clone())))
        })
        .collect()
}
