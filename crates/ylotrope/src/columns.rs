//! `ylotrope columns`: what the columns of a file hold.

use std::path::{Path, PathBuf};

use anyhow::{Context, Result};
use clap::{Args, ValueEnum};
use engine::source_of;
use insight::{Splitting, columns_csv, columns_json, columns_text, read_columns};
use stream::describe;

use crate::input_file::open_to_look;

#[derive(Args)]
pub(crate) struct Arguments {
    /// Split lines so; without, it is found from the first lines
    #[arg(long, value_enum, value_name = "HOW")]
    split: Option<Split>,
    /// Print it as JSON
    #[arg(long, conflicts_with = "csv")]
    json: bool,
    /// Print it as CSV (RFC 4180), a row for each column
    #[arg(long)]
    csv: bool,
    /// The file; without, or for -, standard input
    file: Option<PathBuf>,
}

/// Ways to split lines that need no example.
#[derive(Clone, Copy, ValueEnum)]
enum Split {
    /// At runs of blanks
    Blanks,
    /// At every blank
    Blank,
    /// At TAB
    Tab,
    /// At commas outside double quotes
    Comma,
    /// At semicolons outside double quotes
    Semicolon,
    /// At colons
    Colon,
    /// At vertical bars
    Bar,
    /// At the first equals sign: a name and a value
    Equals,
}

impl From<Split> for Splitting {
    fn from(split: Split) -> Self {
        match split {
            Split::Blanks => Self::Blanks,
            Split::Blank => Self::Byte(b' '),
            Split::Tab => Self::Byte(b'\t'),
            Split::Comma => Self::Quoted(b','),
            Split::Semicolon => Self::Quoted(b';'),
            Split::Colon => Self::Byte(b':'),
            Split::Bar => Self::Byte(b'|'),
            Split::Equals => Self::First(b'='),
        }
    }
}

/// Prints the columns of a file.
pub(crate) fn tell(arguments: &Arguments) -> Result<()> {
    let path = arguments.file.as_deref().filter(|path| *path != Path::new("-"));
    let path = path.unwrap_or(Path::new("/dev/stdin"));
    let shown = || {
        arguments.file.as_deref().map_or("standard input".into(), |path| path.display().to_string())
    };
    let mut source = open_to_look(path)
        .and_then(source_of)
        .map_err(|error| anyhow::anyhow!(describe(&error)))
        .with_context(shown)?;
    let split = arguments.split.map(Splitting::from);
    let (survey, _) = read_columns(&mut *source, split, |_, _| true)
        // Its text has the reason.
        .map_err(|error| anyhow::anyhow!(error.to_string()))
        .with_context(shown)?;
    let table = survey.table();
    let text = match (arguments.json, arguments.csv) {
        (true, _) => columns_json(&table),
        (_, true) => columns_csv(&table),
        _ => columns_text(&table),
    };
    if arguments.json || arguments.csv {
        crate::say::print_exactly(&text);
    } else {
        crate::say::print(&text);
    }
    Ok(())
}
