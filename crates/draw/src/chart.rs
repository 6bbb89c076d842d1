//! Charts: the throughput of a run over time, and the lines after each stage.

use std::time::Duration;

use crate::diagram::heading;
use crate::scene::{Face, Scene, color};
use crate::text::{grouped, lines, visible, wrap};

/// The throughput of a run: a chart for each command over the same time.
#[derive(Clone, Debug, Default)]
pub struct Throughput {
    /// What is over it.
    pub title: String,
    /// In small type under the title.
    pub about: String,
    /// The time it took.
    pub elapsed: Duration,
    /// The commands.
    pub courses: Vec<Course>,
}

/// How one command went on.
#[derive(Clone, Debug, Default)]
pub struct Course {
    /// Its text.
    pub command: String,
    /// In small type: averages, shares.
    pub about: String,
    /// Lines a second in stretches of equal length over the whole time.
    pub rates: Vec<f64>,
    /// Shares of its time: at work, waiting, held up; they add up to 1 or to 0.
    pub shares: [f64; 3],
}

/// Lines after each stage.
#[derive(Clone, Debug, Default)]
pub struct Funnel {
    /// What is over it.
    pub title: String,
    /// In small type under the title.
    pub about: String,
    /// What is read, then every stage.
    pub rows: Vec<FunnelRow>,
}

/// A bar of it.
#[derive(Clone, Debug, Default)]
pub struct FunnelRow {
    /// The stage's number from 1; `None` for what is read.
    pub number: Option<usize>,
    /// Its text, or the name of what is read.
    pub label: String,
    /// Lines.
    pub lines: u64,
    /// What is before their number, where it is not that of all of the data.
    pub mark: &'static str,
}

const WIDTH: f64 = 720.0;
const MARGIN: f64 = 28.0;
const LEFT: f64 = 96.0;
const RIGHT: f64 = WIDTH - MARGIN;
const CODE: Face = Face::new(10.0);
const SMALL: Face = Face::new(8.5).quiet();
const AXIS: Face = Face::new(8.0).quiet();

/// A round number that at most four steps of lead to `most`.
fn step(most: f64) -> f64 {
    if most.is_nan() || most <= 0.0 {
        return 1.0;
    }
    let raw = most / 4.0;
    let power = 10_f64.powf(raw.log10().floor());
    [1.0, 2.0, 2.5, 5.0, 10.0]
        .into_iter()
        .map(|part| part * power)
        .find(|&step| step >= raw)
        .unwrap_or(power * 10.0)
}

/// A number of an axis with three digits and a letter for thousands.
fn short(value: f64) -> String {
    let plain = |value: f64| {
        let text = format!("{value:.2}");
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    if value >= 1e9 {
        format!("{} G", plain(value / 1e9))
    } else if value >= 1e6 {
        format!("{} M", plain(value / 1e6))
    } else if value >= 1e3 {
        format!("{} k", plain(value / 1e3))
    } else {
        plain(value)
    }
}

impl Throughput {
    /// Draws it.
    pub fn scene(&self) -> Scene {
        const HEIGHT: f64 = 64.0;
        let title = visible(&self.title);
        let mut scene = Scene::new(&title, WIDTH);
        let mut y = heading(&mut scene, &title, &visible(&self.about));
        let seconds = if self.elapsed.is_zero() { 1.0 } else { self.elapsed.as_secs_f64() };
        // There is room for twice the marks that go upwards.
        let across = step(seconds / 2.0);
        let width = RIGHT - LEFT;
        for (number, course) in self.courses.iter().enumerate() {
            let hue = color::hue(number);
            let label = format!("{}  {}", number + 1, visible(&course.command));
            for row in wrap(&label, CODE.cells_in(RIGHT - MARGIN), 3) {
                scene.text(MARGIN, y, RIGHT - MARGIN, &row, CODE.bold());
                y += 13.0;
            }
            for row in wrap(&visible(&course.about), SMALL.cells_in(RIGHT - MARGIN), 3) {
                scene.text(MARGIN, y, RIGHT - MARGIN, &row, SMALL);
                y += 11.0;
            }
            shares(&mut scene, y - 5.0, number, &course.shares);
            y += 12.0;
            let most =
                course.rates.iter().copied().filter(|rate| rate.is_finite()).fold(0.0, f64::max);
            let up = step(most);
            let top = (most / up).ceil().max(1.0) * up;
            let place = |rate: f64| y + HEIGHT * (1.0 - (rate / top).clamp(0.0, 1.0));
            let mut mark = 0.0;
            while mark <= top * 1.0001 {
                let at = place(mark);
                scene.line((LEFT, at), (RIGHT, at), color::RULE, 0.4);
                scene.text(LEFT - 6.0, at + 2.8, 60.0, &short(mark), AXIS.at_end());
                mark += up;
            }
            let points: Vec<(f64, f64)> =
                stairs(&course.rates, width).map(|(x, rate)| (LEFT + x, place(rate))).collect();
            if !points.is_empty() {
                let mut area = points.clone();
                area.push((RIGHT, y + HEIGHT));
                area.push((LEFT, y + HEIGHT));
                scene.polygon(area, color::tint(hue), None);
                scene.polyline(points, hue, 1.1);
            }
            scene.line((LEFT, y), (LEFT, y + HEIGHT), color::INK, 0.7);
            scene.line((LEFT, y + HEIGHT), (RIGHT, y + HEIGHT), color::INK, 0.7);
            scene.text(LEFT + 4.0, y - 4.0, 120.0, "lines a second", AXIS);
            let mut mark = 0.0;
            while mark <= seconds * 1.0001 {
                let x = LEFT + width * mark / seconds;
                scene.line((x, y + HEIGHT), (x, y + HEIGHT + 3.0), color::INK, 0.7);
                // The last mark gives way to the name of the axis.
                if x < RIGHT - 60.0 {
                    scene.text(x, y + HEIGHT + 12.0, 60.0, &short(mark), AXIS.centred());
                }
                mark += across;
            }
            scene.text(RIGHT, y + HEIGHT + 12.0, 60.0, "seconds", AXIS.at_end());
            y += HEIGHT + 36.0;
        }
        if self.courses.is_empty() {
            scene.text(MARGIN, y, WIDTH, "nothing ran", SMALL);
        }
        scene.text(
            MARGIN,
            y,
            RIGHT - MARGIN,
            "bars: filled at work, empty waiting for input, dark held up by the next stage",
            AXIS,
        );
        scene.height = y + 16.0;
        scene
    }
}

/// Rates as stairs over a width.
fn stairs(rates: &[f64], width: f64) -> impl Iterator<Item = (f64, f64)> {
    let each = width / rates.len().max(1) as f64;
    rates.iter().enumerate().flat_map(move |(at, &rate)| {
        let rate = if rate.is_finite() { rate } else { 0.0 };
        [(at as f64 * each, rate), ((at + 1) as f64 * each, rate)]
    })
}

/// One bar of the time of a command.
fn shares(scene: &mut Scene, y: f64, number: usize, shares: &[f64; 3]) {
    let hue = color::hue(number);
    let mut x = MARGIN;
    let width = RIGHT - MARGIN;
    let fills = [Some(hue), None, Some(color::INK)];
    for (share, fill) in shares.iter().zip(fills) {
        let part = width * share.clamp(0.0, 1.0);
        if part >= 0.3 && x + part <= RIGHT + 0.5 {
            scene.rect((x, y), (part, 5.0), fill, Some(hue));
            x += part;
        }
    }
}

impl Funnel {
    /// Draws it. The axis is logarithmic where the smallest bar would not be seen else.
    pub fn scene(&self) -> Scene {
        const BAR: f64 = 15.0;
        let title = visible(&self.title);
        let mut scene = Scene::new(&title, WIDTH);
        let mut y = heading(&mut scene, &title, &visible(&self.about));
        let most = self.rows.iter().map(|row| row.lines).max().unwrap_or(0).max(1);
        let least = self.rows.iter().map(|row| row.lines).filter(|&lines| lines > 0).min();
        let logarithmic = least.is_some_and(|least| most / least >= 200);
        let room = 120.0;
        let width = RIGHT - MARGIN - room;
        let length = |lines: u64| -> f64 {
            if lines == 0 {
                0.0
            } else if logarithmic {
                width * (1.0 + (lines as f64).log10()) / (1.0 + (most as f64).log10())
            } else {
                width * lines as f64 / most as f64
            }
        };
        for row in &self.rows {
            let hue = row.number.map_or(color::SOURCE, |number| color::hue(number - 1));
            let number = row.number.map(|number| format!("{number}  ")).unwrap_or_default();
            let label = format!("{number}{}", visible(&row.label));
            for row in wrap(&label, CODE.cells_in(RIGHT - MARGIN), 3) {
                scene.text(MARGIN, y, RIGHT - MARGIN, &row, CODE);
                y += 13.0;
            }
            y -= 7.0;
            let bar = length(row.lines);
            if bar > 0.0 {
                scene.rect((MARGIN, y), (bar.max(0.8), BAR), Some(color::tint(hue)), Some(hue));
            }
            let mut text = format!("{}{}", row.mark, lines(row.lines));
            if row.lines != most {
                text.push_str(&format!("  {}{}", row.mark, share(row.lines, most)));
            }
            scene.text(MARGIN + bar + 6.0, y + 11.0, RIGHT - MARGIN - bar - 6.0, &text, SMALL);
            y += BAR + 22.0;
        }
        // The axis.
        y -= 8.0;
        scene.line((MARGIN, y), (MARGIN + width, y), color::INK, 0.7);
        let mut marks = Vec::new();
        if logarithmic {
            let mut mark = 1_u64;
            while mark <= most {
                marks.push(mark);
                let Some(next) = mark.checked_mul(10) else { break };
                mark = next;
            }
        } else {
            let each = step(most as f64).max(1.0);
            marks
                .extend((0..).map(|at| (at as f64 * each) as u64).take_while(|&mark| mark <= most));
        }
        let mut free = f64::NEG_INFINITY;
        for mark in marks {
            let x = MARGIN + length(mark);
            scene.line((x, y), (x, y + 3.0), color::INK, 0.7);
            let text = short(mark as f64);
            let half = AXIS.width(&text) / 2.0;
            if x - half >= free {
                scene.text(x.max(half), y + 12.0, 60.0, &text, AXIS.centred());
                free = x + half + 6.0;
            }
        }
        let name = if logarithmic { "lines, logarithmic" } else { "lines" };
        scene.text(MARGIN + width + 24.0, y + 3.0, 100.0, name, AXIS);
        scene.height = y + 26.0;
        scene
    }
}

/// A part of a whole in words.
fn share(part: u64, whole: u64) -> String {
    let percent = part as f64 * 100.0 / whole as f64;
    if part > 0 && percent < 0.05 {
        format!("1 in {}", grouped(whole / part))
    } else {
        format!("{percent:.1} %")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn steps_are_round_and_few() {
        for most in [0.0, 0.3, 1.0, 7.0, 99.0, 1_234.0, 4.2e9] {
            let each = step(most);
            assert!(most / each <= 4.001, "{most} by {each}");
        }
    }

    #[test]
    fn numbers_of_an_axis_change_their_letter_at_each_thousand() {
        for (value, says) in [
            (0.0, "0"),
            (0.5, "0.5"),
            (0.25, "0.25"),
            (10.0, "10"),
            (999.0, "999"),
            (1e3, "1 k"),
            (2_500.0, "2.5 k"),
            (999_990.0, "999.99 k"),
            (1e6, "1 M"),
            (2_500_000.0, "2.5 M"),
            (1e9, "1 G"),
            (1.25e9, "1.25 G"),
            (4e12, "4000 G"),
        ] {
            assert_eq!(short(value), says, "{value}");
        }
    }

    #[test]
    fn steps_are_the_next_round_number() {
        for (most, each) in
            [(4.0, 1.0), (4.4, 2.0), (8.0, 2.0), (9.0, 2.5), (11.0, 5.0), (21.0, 10.0)]
        {
            assert!((step(most) - each).abs() < 1e-9, "{most}: {}", step(most));
        }
    }

    #[test]
    fn charts_hold_any_data() {
        let long = "word ".repeat(400);
        for text in ["", "cut -f1", "<&>\u{1b}", &long] {
            let course = |rates: Vec<f64>, shares| Course {
                command: text.to_owned(),
                about: text.to_owned(),
                rates,
                shares,
            };
            let throughput = Throughput {
                title: text.to_owned(),
                about: text.to_owned(),
                elapsed: Duration::from_millis(12_500),
                courses: vec![
                    course(vec![0.0, 5e6, 1e3, f64::NAN, f64::INFINITY], [0.5, 0.25, 0.25]),
                    course(vec![], [0.0; 3]),
                    course(vec![1.0; 500], [1.0, 0.0, 0.0]),
                ],
            };
            assert_eq!(throughput.scene().misplaced(), Vec::<String>::new());
            for counts in [vec![0, 0], vec![1_204_331, 702, 5], vec![u64::MAX, 1], vec![10, 9, 8]] {
                let row = |(at, &lines): (usize, &u64)| FunnelRow {
                    number: (at > 0).then_some(at),
                    label: text.to_owned(),
                    lines,
                    mark: "≥ ",
                };
                let funnel = Funnel {
                    title: text.to_owned(),
                    about: text.to_owned(),
                    rows: counts.iter().enumerate().map(row).collect(),
                };
                assert_eq!(funnel.scene().misplaced(), Vec::<String>::new(), "{counts:?}");
            }
        }
        assert!(Funnel::default().scene().height > 0.0);
        assert!(Throughput::default().scene().height > 0.0);
    }

    #[test]
    fn a_small_part_is_told_as_one_in_so_many() {
        for (part, whole, says) in [
            (0, 3, "0.0 %"),
            (1, 2000, "0.1 %"),
            (1, 2001, "1 in 2\u{a0}001"),
            (3, 1_000_000, "1 in 333\u{a0}333"),
            (2, 2, "100.0 %"),
        ] {
            assert_eq!(share(part, whole), says, "{part} of {whole}");
        }
    }

    #[test]
    fn a_bar_of_time_ends_where_its_room_does() {
        let bars = |shares_of: &[f64; 3]| -> Vec<(f64, f64)> {
            let mut scene = Scene::new("bars", RIGHT);
            shares(&mut scene, 0.0, 0, shares_of);
            let rects = scene.elements.iter().filter_map(|element| match element {
                crate::scene::Element::Rect { x, width, .. } => Some((*x, *width)),
                _ => None,
            });
            rects.collect()
        };
        let width = RIGHT - MARGIN;
        assert_eq!(bars(&[0.5, 0.25, 0.25]).len(), 3);
        assert!((bars(&[0.5, 0.0, 0.5])[1].0 - (MARGIN + width / 2.0)).abs() < 1e-9);
        assert_eq!(bars(&[1.0, 0.5, 0.0]).len(), 1, "no more than all");
        assert_eq!(bars(&[0.3 / width * 0.99, 1.0, 0.0]).len(), 1, "too thin to be seen");
    }
}
