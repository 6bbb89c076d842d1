//! Which lines are worked on, as a form.

use engine::Sample;
use ratatui::crossterm::event::KeyCode;

/// The kinds of samples.
const ROWS: usize = 6;

/// The sample as a form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct SampleForm {
    /// The row: quick, first, last, every, random, everything.
    pub row: usize,
    /// Lines for quick, first, last and random; the step for every.
    pub numbers: [u64; 5],
    /// The seed for random.
    pub seed: u64,
    /// True while digits go to the seed.
    pub on_seed: bool,
    /// The next digit begins the number anew.
    pub fresh: bool,
}

impl SampleForm {
    /// The form filled with a sample.
    pub(crate) fn of(sample: Sample) -> Self {
        let mut form = Self {
            row: 0,
            numbers: [5000, 5000, 5000, 100, 5000],
            seed: 1,
            on_seed: false,
            fresh: true,
        };
        match sample {
            Sample::Quick(lines) => form.numbers[0] = lines,
            Sample::First(lines) => (form.row, form.numbers[1]) = (1, lines),
            Sample::Last(lines) => (form.row, form.numbers[2]) = (2, lines),
            Sample::Every(step) => (form.row, form.numbers[3]) = (3, step),
            Sample::Random { lines, seed } => {
                (form.row, form.numbers[4], form.seed) = (4, lines, seed);
            }
            Sample::Everything => form.row = 5,
        }
        form
    }

    /// The sample it describes.
    pub(crate) fn sample(&self) -> Sample {
        let number = self.numbers.get(self.row).copied().unwrap_or(0).max(1);
        match self.row {
            0 => Sample::Quick(number),
            1 => Sample::First(number),
            2 => Sample::Last(number),
            3 => Sample::Every(number),
            4 => Sample::Random { lines: number, seed: self.seed },
            _ => Sample::Everything,
        }
    }

    fn number(&mut self) -> Option<&mut u64> {
        if self.on_seed { Some(&mut self.seed) } else { self.numbers.get_mut(self.row) }
    }

    pub(crate) fn key(&mut self, code: KeyCode) {
        match code {
            KeyCode::Up => {
                self.row = (self.row + ROWS - 1) % ROWS;
                (self.fresh, self.on_seed) = (true, false);
            }
            KeyCode::Down => {
                self.row = (self.row + 1) % ROWS;
                (self.fresh, self.on_seed) = (true, false);
            }
            KeyCode::Tab if self.row == 4 => {
                self.on_seed = !self.on_seed;
                self.fresh = true;
            }
            KeyCode::Char(digit) if digit.is_ascii_digit() => {
                let fresh = std::mem::take(&mut self.fresh);
                let digit = u64::from(digit) - u64::from('0');
                if let Some(number) = self.number() {
                    let before = if fresh { 0 } else { *number };
                    *number = (before * 10 + digit).min(999_999_999);
                }
            }
            KeyCode::Backspace => {
                self.fresh = false;
                if let Some(number) = self.number() {
                    *number /= 10;
                }
            }
            _ => {}
        }
    }
}
