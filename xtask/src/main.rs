//! `cargo xtask`: the one test command, and the benchmark against the host's utilities.

#![allow(clippy::print_stdout, clippy::print_stderr, reason = "these commands only print")]

mod bench;
mod dist;
mod layers;
mod links;
mod packages;
mod test;
mod tools;
mod words;

use anyhow::Result;
use clap::Parser;

#[derive(Parser)]
enum Cli {
    /// Check what the tests need, then formatting, clippy, and all tests
    Test {
        /// Install programs that are missing without asking
        #[arg(long)]
        yes: bool,
    },
    /// Make what people install, in target/dist-out, and try it: an archive and a Debian package
    Dist,
    /// Format every file, also those that macros declare
    Format,
    /// Write docs/advice.md: all notes with their examples, as they are said
    Advice,
    /// Check that modules import only earlier ones, and that no files import in a circle
    Layers,
    /// Check that what the documents point at is there
    Links,
    /// Check licences and versions of the packages that the program is made of
    Packages {
        /// Instead, print the notices that go with the program
        #[arg(long)]
        notices: bool,
    },
    /// Check that what users read keeps to one register
    Words {
        /// Instead, write docs/screen-words.md: all words of the screen, view by view
        #[arg(long)]
        write: bool,
    },
    /// Time pipelines with meters and in a build without them
    BenchMetering {
        /// How much gate.log
        #[arg(long, default_value = "512M")]
        size: String,
        /// Rounds; the median counts
        #[arg(long, default_value_t = 5)]
        rounds: usize,
    },
    /// Time pipelines on 64 MiB to 2 GiB
    BenchGrowth {
        /// Rounds; the median counts
        #[arg(long, default_value_t = 3)]
        rounds: usize,
    },
    /// Time whole pipelines beside the host's utilities and print a table of ratios
    BenchHost(bench::Asked),
}

fn main() -> Result<()> {
    match Cli::parse() {
        Cli::Test { yes } => test::run(yes),
        Cli::Dist => dist::run(),
        Cli::Format => test::format(false),
        Cli::Words { write: true } => words::write(&test::root()?),
        Cli::Words { write: false } => words::check(&test::root()?),
        Cli::Links => links::check(&test::root()?),
        Cli::Packages { notices: false } => packages::check(&test::root()?),
        Cli::Packages { notices: true } => {
            print!("{}", packages::notices(&test::root()?)?);
            Ok(())
        }
        Cli::Advice => test::write_advice(),
        Cli::Layers => layers::check(&test::root()?),
        Cli::BenchHost(asked) => bench::run(&asked),
        Cli::BenchMetering { size, rounds } => bench::metering(&size, rounds),
        Cli::BenchGrowth { rounds } => bench::growth(rounds),
    }
}
