//! Any amount of `gate.log` of the Kestrel Tarn funicular, the same for the same seed.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::PathBuf;

use anyhow::{Context, Result};
use clap::Args;
use rand_xoshiro::SplitMix64;
use rand_xoshiro::rand_core::{Rng, SeedableRng};

#[derive(Args)]
pub(crate) struct DemoData {
    /// How much: bytes, or with K, M, G
    #[arg(long)]
    size: String,
    /// Different seeds give different data
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// The file to write
    file: PathBuf,
}

/// Writes what is asked for into its file.
pub(crate) fn write_file(demo_data: &DemoData) -> Result<()> {
    let size =
        parse_size(&demo_data.size).context("--size: a number, with K, M or G if you like")?;
    let file =
        File::create(&demo_data.file).with_context(|| demo_data.file.display().to_string())?;
    let mut out = BufWriter::with_capacity(1 << 20, file);
    write(&mut out, size, demo_data.seed)?;
    out.flush()?;
    Ok(())
}

fn parse_size(text: &str) -> Option<u64> {
    let digits = text.trim_end_matches(|character: char| character.is_ascii_alphabetic());
    let factor = match text[digits.len()..].to_ascii_uppercase().as_str() {
        "" => 1,
        "K" | "KIB" => 1 << 10,
        "M" | "MIB" => 1 << 20,
        "G" | "GIB" => 1 << 30,
        _ => return None,
    };
    digits.parse::<u64>().ok()?.checked_mul(factor)
}

/// Gates and how often each is passed, of 100; the bad ones refuse more.
const GATES: [(u32, u64, u64); 14] = [
    (1, 13, 5),
    (2, 12, 6),
    (3, 11, 24),
    (4, 9, 7),
    (5, 8, 5),
    (6, 8, 9),
    (8, 8, 21),
    (9, 7, 6),
    (11, 6, 8),
    (12, 5, 5),
    (14, 4, 7),
    (17, 4, 46),
    (18, 3, 6),
    (21, 2, 38),
];

/// The same numbers for the same seed, for ever.
struct Sequence(SplitMix64);

impl Sequence {
    fn below(&mut self, bound: u64) -> u64 {
        self.0.next_u64() % bound
    }
}

/// A moment of the log, second by second from 2031-04-02 06:12:00.
struct Clock {
    day: u32,
    month: u32,
    year: u32,
    second: u32,
}

impl Clock {
    fn advance(&mut self, seconds: u32) {
        self.second += seconds;
        // The railway rests from 23:40 to 05:50.
        if self.second >= 23 * 3600 + 40 * 60 {
            self.second = 5 * 3600 + 50 * 60;
            self.day += 1;
        }
        let leap = self.year.is_multiple_of(4)
            && (!self.year.is_multiple_of(100) || self.year.is_multiple_of(400));
        let days = match self.month {
            2 if leap => 29,
            2 => 28,
            4 | 6 | 9 | 11 => 30,
            _ => 31,
        };
        if self.day > days {
            self.day = 1;
            self.month += 1;
        }
        if self.month > 12 {
            self.month = 1;
            self.year += 1;
        }
    }
}

/// Writes whole lines, as many as fit into `size` bytes.
///
/// # Errors
/// When `out` cannot be written.
pub(crate) fn write(out: &mut impl Write, size: u64, seed: u64) -> io::Result<u64> {
    let mut sequence = Sequence(SplitMix64::seed_from_u64(seed));
    let mut clock = Clock { day: 2, month: 4, year: 2031, second: 6 * 3600 + 12 * 60 };
    let mut written = 0;
    let mut line = Vec::with_capacity(96);
    loop {
        let draw = sequence.below(105);
        let mut sum = 0;
        let (gate, refusals) = GATES
            .iter()
            .find(|(_, share, _)| {
                sum += share;
                draw < sum
            })
            .map_or((1, 5), |(gate, _, refusals)| (*gate, *refusals));
        let card = 10_000 + sequence.below(90_000);
        let zone = 1 + sequence.below(6);
        let refused = sequence.below(100) < refusals;
        // A card read twice leaves two spaces before the gate.
        let gap = if sequence.below(230) == 0 { "  " } else { " " };
        line.clear();
        let (hour, minute, second) =
            (clock.second / 3600, clock.second / 60 % 60, clock.second % 60);
        write!(
            line,
            "{:04}-{:02}-{:02} {hour:02}:{minute:02}:{second:02}{gap}gate-{gate:02} card={card} {} zone={zone}",
            clock.year,
            clock.month,
            clock.day,
            if refused { "refused" } else { "passed" },
        )?;
        if refused {
            let reason =
                ["expired", "unknown card", "no credit", "wrong zone"][sequence.below(4) as usize];
            write!(line, " reason=\"{reason}\"")?;
        }
        line.push(b'\n');
        written += line.len() as u64;
        if written > size {
            return Ok(written - line.len() as u64);
        }
        out.write_all(&line)?;
        clock.advance(sequence.below(4) as u32);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Documents, screenshots and tests rest on these lines.
    #[test]
    fn the_first_lines_are_the_same_for_ever() {
        let mut out = Vec::new();
        write(&mut out, 1_200, 1).unwrap();
        insta::assert_snapshot!("first-lines", String::from_utf8(out).unwrap());
        let mut out = Vec::new();
        let written = write(&mut out, 3_000_000, 1).unwrap();
        assert_eq!(written, out.len() as u64);
        // Far enough on for a day to end, and for the clock to be right then.
        let last = out.split(|byte| *byte == b'\n').rev().nth(1).unwrap();
        insta::assert_snapshot!("a-later-line", String::from_utf8_lossy(last));
    }

    #[test]
    fn the_same_seed_gives_the_same_whole_lines() {
        let make = |size, seed| {
            let mut out = Vec::new();
            write(&mut out, size, seed).unwrap();
            out
        };
        let data = make(100_000, 1);
        assert_eq!(data, make(100_000, 1));
        assert_ne!(data, make(100_000, 2));
        assert!(data.len() > 99_800 && data.len() <= 100_000 && data.ends_with(b"\n"));
        assert!(make(200_000, 1).starts_with(&data));
    }

    #[test]
    fn the_clock_knows_the_night_and_the_ends_of_months_and_years() {
        const LAST: u32 = 23 * 3600 + 40 * 60 - 1;
        let after = |year, month, day| {
            let mut clock = Clock { day, month, year, second: LAST };
            clock.advance(0);
            assert_eq!((clock.day, clock.second), (day, LAST), "the day is not over");
            clock.advance(1);
            assert_eq!(clock.second, 5 * 3600 + 50 * 60);
            (clock.year, clock.month, clock.day)
        };
        assert_eq!(after(2031, 4, 2), (2031, 4, 3));
        assert_eq!(after(2031, 4, 30), (2031, 5, 1));
        assert_eq!(after(2031, 5, 30), (2031, 5, 31));
        assert_eq!(after(2031, 12, 31), (2032, 1, 1));
        assert_eq!(after(2031, 2, 28), (2031, 3, 1));
        assert_eq!(after(2032, 2, 28), (2032, 2, 29));
        assert_eq!(after(2100, 2, 28), (2100, 3, 1), "not a leap year");
        assert_eq!(after(2400, 2, 28), (2400, 2, 29));
    }
}
