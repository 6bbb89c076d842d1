//! Numbers as they are shown: grouped, with units, three significant digits.

use engine::{Figure, Known};
use stream::StageFigures;

/// Thousands grouped by a space.
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(' ');
        }
        text.push(digit);
    }
    text
}

fn three_digits(value: f64) -> String {
    if value >= 99.95 {
        format!("{value:.0}")
    } else if value >= 9.995 {
        format!("{value:.1}")
    } else {
        format!("{value:.2}")
    }
}

/// A number of lines: `1 line`, `5 000 lines`.
pub fn lines(number: u64) -> String {
    format!("{} {}", grouped(number), if number == 1 { "line" } else { "lines" })
}

/// What is before a number that is not that of all of the data.
pub fn known_mark(known: Known) -> &'static str {
    match known {
        Known::Exact => "",
        Known::AtLeast => "≥ ",
        Known::OfPart => "≈ ",
    }
}

/// A figure as others are written by `number`, with its mark.
fn marked(figure: Figure, number: impl Fn(u64) -> String) -> String {
    let (value, known) = figure.parts();
    format!("{}{}", known_mark(known), number(value))
}

/// A figure with its mark: `5 000`, `≈ 5 000` of a part of the data, `≥ 5 000` where there is more that
/// nobody has read.
pub fn figure(figure: Figure) -> String {
    marked(figure, grouped)
}

/// A figure of lines with its mark, as [`figure()`]: `≈ 5 000 lines`.
pub fn figure_lines(figure: Figure) -> String {
    marked(figure, lines)
}

/// A figure of bytes with its mark, as [`figure()`]: `≈ 44.1 KiB`.
pub fn figure_bytes(figure: Figure) -> String {
    marked(figure, bytes)
}

/// A share with the mark of the less known of both: `≈ 14.0 %`.
pub(crate) fn figure_percent(part: Figure, whole: Figure) -> String {
    let known = part.known().max(whole.known());
    format!("{}{}", known_mark(known), percent(part.so_far(), whole.so_far()))
}

/// A number of bytes: `512 B`, `44.1 KiB`.
pub fn bytes(number: u64) -> String {
    if number < 1024 {
        return format!("{number} B");
    }
    let mut value = number as f64;
    let mut unit = "B";
    for next in ["KiB", "MiB", "GiB", "TiB", "PiB"] {
        if value < 1023.5 {
            break;
        }
        value /= 1024.0;
        unit = next;
    }
    format!("{} {unit}", three_digits(value))
}

/// A time in two units at most: `0.31 ms`, `12.5 s`, `3 min 20 s`, `2 h 05 min`, `3 d 04 h`.
pub fn duration(nanoseconds: u64) -> String {
    let seconds = nanoseconds as f64 / 1e9;
    if nanoseconds < 5_000 {
        return "0 ms".to_owned();
    }
    if seconds >= 100.0 {
        let whole = seconds.round() as u64;
        let (minutes, hours) = (whole / 60, whole / 3600);
        return match hours {
            0 => format!("{minutes} min {:02} s", whole % 60),
            1..24 => format!("{hours} h {:02} min", minutes % 60),
            _ => format!("{} d {:02} h", hours / 24, hours % 24),
        };
    }
    if seconds >= 1.0 {
        format!("{} s", three_digits(seconds))
    } else {
        format!("{} ms", three_digits(seconds * 1e3))
    }
}

/// Lines a second: `142 lines/s`, `3.10 M lines/s`.
pub fn rate(lines: u64, nanoseconds: u64) -> String {
    if nanoseconds == 0 || lines == 0 {
        return "–".to_owned();
    }
    line_rate(lines as f64 / (nanoseconds as f64 / 1e9))
}

/// Lines a second, as [`rate`].
pub fn line_rate(value: f64) -> String {
    if value < 0.005 {
        "0 lines/s".to_owned()
    } else if value >= 999_500.0 {
        format!("{} M lines/s", three_digits(value / 1e6))
    } else if value >= 999.5 {
        format!("{} k lines/s", three_digits(value / 1e3))
    } else {
        format!("{} lines/s", three_digits(value))
    }
}

/// Bytes a second: `413 MiB/s`.
pub fn byte_rate(value: f64) -> String {
    if value < 0.5 { "0 B/s".to_owned() } else { format!("{}/s", bytes(value.round() as u64)) }
}

/// A share: `14.0 %`.
pub fn percent(part: u64, whole: u64) -> String {
    if whole == 0 {
        return "0 %".to_owned();
    }
    let value = part as f64 * 100.0 / whole as f64;
    if part > 0 && value < 0.05 { "< 0.1 %".to_owned() } else { format!("{value:.1} %") }
}

/// How far something is, of 1: `99.9 %` until all of it is done.
pub fn progress(done: f64) -> String {
    format!("{:.1} %", (done.clamp(0.0, 1.0) * 1000.0).floor() / 10.0)
}

/// The shares of a stage's time at work, waiting and held up as whole percents that make 100; all
/// are 0 where no time has passed.
pub fn share_percents(figures: &StageFigures) -> [u64; 3] {
    let shares = figures.shares();
    let parts = [shares.working_ns, shares.waiting_ns, shares.held_up_ns];
    let whole = u128::from(figures.elapsed_ns);
    if whole == 0 {
        return [0; 3];
    }
    let hundredfold = parts.map(|part| u128::from(part) * 100);
    let mut percents = hundredfold.map(|part| (part / whole) as u64);
    // What rounding down took goes to those it took most from.
    let mut places = [0, 1, 2];
    places.sort_by_key(|place| std::cmp::Reverse(hundredfold[*place] % whole));
    let lost = 100 - percents.iter().sum::<u64>();
    for place in places.into_iter().take(lost as usize) {
        percents[place] += 1;
    }
    percents
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_make_a_hundred() {
        for (waiting, held_up) in [(0, 0), (5, 989), (333, 333), (10, 0), (1, 1), (1000, 0)] {
            let figures = StageFigures {
                elapsed_ns: 1000,
                waiting_ns: waiting,
                held_up_ns: held_up,
                ..StageFigures::default()
            };
            let percents = share_percents(&figures);
            assert_eq!(percents.iter().sum::<u64>(), 100, "{waiting} {held_up}");
            assert!(percents[1].abs_diff(waiting / 10) <= 1);
        }
        assert_eq!(share_percents(&StageFigures::default()), [0; 3]);
    }

    #[test]
    fn nothing_is_done_before_it_is() {
        for (done, says) in [
            (-1.0, "0.0 %"),
            (0.0, "0.0 %"),
            (0.0019, "0.1 %"),
            (0.5, "50.0 %"),
            (0.999_99, "99.9 %"),
            (1.0, "100.0 %"),
            (2.0, "100.0 %"),
        ] {
            assert_eq!(progress(done), says, "{done}");
        }
    }

    #[test]
    fn units_change_where_three_digits_would_become_four() {
        for (number, says) in [
            (0, "0 B"),
            (1023, "1023 B"),
            (1024, "1.00 KiB"),
            (10_229, "9.99 KiB"),
            (10_240, "10.0 KiB"),
            (102_348, "99.9 KiB"),
            (102_400, "100 KiB"),
            (1_048_063, "1023 KiB"),
            (1_048_064, "1.00 MiB"),
            (1 << 40, "1.00 TiB"),
            (1 << 50, "1.00 PiB"),
            (u64::MAX, "16384 PiB"),
        ] {
            assert_eq!(bytes(number), says, "{number}");
        }
        for (nanoseconds, says) in [
            (0, "0 ms"),
            (4_999, "0 ms"),
            (5_000, "0.01 ms"),
            (994_000, "0.99 ms"),
            (9_994_000, "9.99 ms"),
            (9_995_000, "10.0 ms"),
            (9_996_000, "10.0 ms"),
            (999_000_000, "999 ms"),
            (1_000_000_000, "1.00 s"),
            (99_900_000_000, "99.9 s"),
            (100_000_000_000, "1 min 40 s"),
            (119_600_000_000, "2 min 00 s"),
            (3_599_000_000_000, "59 min 59 s"),
            (3_600_000_000_000, "1 h 00 min"),
            (86_399_000_000_000, "23 h 59 min"),
            (100_000_000_000_000, "1 d 03 h"),
        ] {
            assert_eq!(duration(nanoseconds), says, "{nanoseconds}");
        }
        for (value, says) in [
            (0.0, "0 lines/s"),
            (0.004, "0 lines/s"),
            (0.005, "0.01 lines/s"),
            (142.0, "142 lines/s"),
            (999.4, "999 lines/s"),
            (999.5, "1.00 k lines/s"),
            (999_499.0, "999 k lines/s"),
            (999_500.0, "1.00 M lines/s"),
        ] {
            assert_eq!(line_rate(value), says, "{value}");
        }
        assert_eq!((byte_rate(0.49), byte_rate(0.5)), ("0 B/s".into(), "1 B/s".into()));
        assert_eq!(byte_rate(2048.0), "2.00 KiB/s");
        assert_eq!((rate(0, 5), rate(5, 0)), ("–".into(), "–".into()));
    }

    #[test]
    fn shares_say_when_they_are_tiny_and_when_there_is_no_whole() {
        for (part, whole, says) in [
            (0, 0, "0 %"),
            (0, 5, "0.0 %"),
            (1, 2_000, "0.1 %"),
            (1, 2_001, "< 0.1 %"),
            (1, 3, "33.3 %"),
            (3, 3, "100.0 %"),
        ] {
            assert_eq!(percent(part, whole), says, "{part} of {whole}");
        }
        assert_eq!(
            (lines(0), lines(1), lines(2)),
            ("0 lines".into(), "1 line".into(), "2 lines".into())
        );
    }

    #[test]
    fn numbers_have_groups_units_and_three_digits() {
        assert_eq!(grouped(1_204_331), "1 204 331");
        assert_eq!(
            (grouped(0), grouped(999), grouped(1000)),
            ("0".into(), "999".into(), "1 000".into())
        );
        assert_eq!(
            (bytes(512), bytes(45_158), bytes(1 << 30)),
            ("512 B".into(), "44.1 KiB".into(), "1.00 GiB".into())
        );
        assert_eq!(
            (duration(310_000), duration(12_500_000_000)),
            ("0.31 ms".into(), "12.5 s".into())
        );
        assert_eq!(duration(200_000_000_000), "3 min 20 s");
        assert_eq!(
            (rate(5000, 1_000_000_000), rate(5_000_000, 1_000_000_000)),
            ("5.00 k lines/s".into(), "5.00 M lines/s".into())
        );
        assert_eq!((percent(702, 5000), percent(1, 100_000)), ("14.0 %".into(), "< 0.1 %".into()));
    }

    #[test]
    fn three_digits_are_shown_on_either_side_of_their_limits() {
        for (value, says) in
            [(0.0, "0.00"), (9.994, "9.99"), (9.995, "10.0"), (99.94, "99.9"), (99.95, "100")]
        {
            assert_eq!(three_digits(value), says, "{value}");
        }
    }
}
