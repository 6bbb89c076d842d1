//! A pipeline as a diagram: stages below each other, the streams between them as bands.

use crate::scene::{Face, Scene, color};
use crate::text::{lines, visible, wrap};

/// A pipeline.
#[derive(Clone, Debug, Default)]
pub struct Diagram {
    /// What is over it.
    pub title: String,
    /// In small type under the title: what was looked at.
    pub about: String,
    /// What the first stage reads: names of files, or standard input.
    pub sources: Vec<String>,
    /// What the first stage reads.
    pub source: Stream,
    /// It reads that on its standard input, not by the names of files.
    pub on_standard_input: bool,
    /// The stages.
    pub stages: Vec<Stage>,
    /// Where the last stage's standard output leads.
    pub end: String,
}

/// A stream between two stages.
#[derive(Clone, Copy, Debug, Default)]
pub struct Stream {
    /// Its lines; `None` where they are not known.
    pub lines: Option<u64>,
    /// What is before their number, where it is not that of all of the data.
    pub mark: &'static str,
}

/// A stage.
#[derive(Clone, Debug, Default)]
pub struct Stage {
    /// Its text.
    pub command: String,
    /// What it does, in a few words.
    pub does: String,
    /// What it writes to the next stage.
    pub out: Stream,
    /// The descriptors that lead there, as they are shown: `1`, `2`, `1 2`.
    pub carries: String,
    /// Files it reads besides its standard input.
    pub reads: Vec<String>,
    /// Files it writes.
    pub files: Vec<FileOut>,
    /// Where its standard error leads.
    pub errors: Errors,
}

/// A file that is written.
#[derive(Clone, Debug, Default)]
pub struct FileOut {
    /// Its name.
    pub name: String,
    /// `new`, `replaced`, `appended to`.
    pub how: String,
    /// The descriptor, where it is a redirection.
    pub descriptor: Option<u8>,
}

/// Where standard error leads.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Errors {
    /// To whoever runs the pipeline, like that of all others.
    #[default]
    Usual,
    /// To the next stage, and the output elsewhere.
    Onwards,
    /// Nowhere.
    Discarded,
    /// With standard output.
    WithOutput,
    /// To this file.
    File(String),
}

const WIDTH: f64 = 720.0;
const MARGIN: f64 = 28.0;
/// The middle of the bands.
const AXIS: f64 = 250.0;
const BOX_LEFT: f64 = 60.0;
const BOX_RIGHT: f64 = 440.0;
const SIDE: f64 = 476.0;
const TITLE: Face = Face::new(13.0).bold();
const CODE: Face = Face::new(10.5);
const SMALL: Face = Face::new(8.5).quiet();

/// Half the width of a band: the logarithm of its lines.
fn half(stream: Stream) -> f64 {
    match stream.lines {
        None => 20.0,
        Some(0) => 0.6,
        Some(lines) => 3.0 + (lines as f64).log10() * 17.0,
    }
    .min(150.0)
}

fn count(stream: Stream) -> String {
    stream.lines.map_or_else(String::new, |count| format!("{}{}", stream.mark, lines(count)))
}

impl Diagram {
    /// Draws it.
    pub fn scene(&self) -> Scene {
        let title = visible(&self.title);
        let mut scene = Scene::new(&title, WIDTH);
        let mut y = heading(&mut scene, &title, &visible(&self.about));
        // The sources.
        let names = if self.sources.is_empty() {
            "nothing is read".to_owned()
        } else {
            self.sources.iter().map(|name| visible(name)).collect::<Vec<_>>().join("   ")
        };
        for row in wrap(&names, CODE.cells_in(BOX_RIGHT - BOX_LEFT), 4) {
            scene.text(AXIS, y, BOX_RIGHT - BOX_LEFT, &row, CODE.bold().centred());
            y += 14.0;
        }
        y -= 6.0;
        if !self.sources.is_empty() {
            let descriptor = if self.on_standard_input { "0" } else { "" };
            band(&mut scene, &mut y, self.source, color::SOURCE, descriptor);
        }
        for (number, stage) in self.stages.iter().enumerate() {
            let hue = color::hue(number);
            let top = y;
            let rows =
                wrap(&visible(&stage.command), CODE.cells_in(BOX_RIGHT - BOX_LEFT - 34.0), 5);
            let sides = sides(stage);
            // As high as what is beside it, so that each wire begins at the box.
            let beside: f64 = sides.iter().map(Side::height).sum();
            let height = (rows.len() as f64 * 13.5 + 25.0).max(beside + 4.0);
            scene.rect(
                (BOX_LEFT, top),
                (BOX_RIGHT - BOX_LEFT, height),
                Some(color::PAPER),
                Some(hue),
            );
            scene.rect((BOX_LEFT, top), (24.0, height), Some(color::tint(hue)), Some(hue));
            let label = (number + 1).to_string();
            scene.text(BOX_LEFT + 12.0, top + 17.0, 24.0, &label, CODE.bold().centred());
            let mut line = top + 17.0;
            for row in rows {
                scene.text(BOX_LEFT + 32.0, line, BOX_RIGHT - BOX_LEFT - 34.0, &row, CODE);
                line += 13.5;
            }
            let room = BOX_RIGHT - BOX_LEFT - 38.0;
            scene.text(BOX_LEFT + 32.0, line - 0.5, room, &visible(&stage.does), SMALL);
            draw_sides(&mut scene, top, &sides, hue);
            y = top + height;
            if number + 1 < self.stages.len() || !self.end.is_empty() {
                band(&mut scene, &mut y, stage.out, hue, &visible(&stage.carries));
            }
        }
        if !self.end.is_empty() {
            y += 12.0;
            for row in wrap(&visible(&self.end), CODE.cells_in(BOX_RIGHT - BOX_LEFT), 3) {
                scene.text(AXIS, y, BOX_RIGHT - BOX_LEFT, &row, CODE.bold().centred());
                y += 14.0;
            }
        }
        let legend = "0 standard input   1 standard output   2 standard error   \
                      width of a band: logarithm of its lines";
        y += 22.0;
        scene.text(MARGIN, y, WIDTH - 2.0 * MARGIN, legend, Face::new(7.5).quiet());
        scene.height = y + 14.0;
        scene
    }
}

/// The title and what it is about; gives where the next row is.
pub(crate) fn heading(scene: &mut Scene, title: &str, about: &str) -> f64 {
    let room = WIDTH - 2.0 * MARGIN;
    let mut y = MARGIN + 10.0;
    for row in wrap(title, TITLE.cells_in(room), 6) {
        scene.text(MARGIN, y, room, &row, TITLE);
        y += 17.0;
    }
    for row in wrap(about, SMALL.cells_in(room), 3) {
        scene.text(MARGIN, y, room, &row, SMALL);
        y += 12.0;
    }
    y + 18.0
}

/// A stream from `y` down, with its lines beside it and its descriptor at its beginning.
fn band(scene: &mut Scene, y: &mut f64, stream: Stream, hue: u32, descriptor: &str) {
    const HEIGHT: f64 = 30.0;
    let half = half(stream);
    let points = vec![
        (AXIS - half, *y),
        (AXIS + half, *y),
        (AXIS + half, *y + HEIGHT),
        (AXIS - half, *y + HEIGHT),
    ];
    scene.polygon(points, color::tint(hue), Some(hue));
    let text = count(stream);
    let wide = half * 2.0 > Face::new(8.5).width(&text) + 10.0;
    let inside = Face::new(8.5);
    if wide {
        scene.text(AXIS, *y + 18.0, half * 2.0, &text, inside.centred());
    } else {
        scene.text(AXIS + half + 6.0, *y + 18.0, 180.0, &text, inside);
    }
    scene.text(AXIS - half - 6.0, *y + 18.0, 20.0, descriptor, SMALL.at_end());
    *y += HEIGHT;
}

/// What is at the right of a stage, and how its wire is drawn.
struct Side {
    mark: String,
    rows: Vec<String>,
    note: String,
    dashed: bool,
}

/// Points between two things at the side.
const BETWEEN: f64 = 6.0;

impl Side {
    fn height(&self) -> f64 {
        let rows = self.rows.len() + usize::from(!self.note.is_empty());
        rows as f64 * 12.0 + BETWEEN
    }
}

/// Files and errors at the right of a stage.
fn sides(stage: &Stage) -> Vec<Side> {
    let room = WIDTH - MARGIN - SIDE;
    let names = |name: &str| wrap(&visible(name), Face::new(9.5).cells_in(room), 3);
    let mut sides = Vec::new();
    let mut side = |mark: &str, rows: Vec<String>, note: &str, dashed: bool| {
        sides.push(Side { mark: mark.to_owned(), rows, note: note.to_owned(), dashed });
    };
    for name in &stage.reads {
        side("", names(name), "read too", false);
    }
    for file in &stage.files {
        let mark = file.descriptor.map(|number| number.to_string()).unwrap_or_default();
        side(&mark, names(&file.name), &visible(&file.how), false);
    }
    match &stage.errors {
        Errors::Usual => side("2", Vec::new(), "the terminal", true),
        Errors::Discarded => side("2", vec!["errors discarded".to_owned()], "", true),
        Errors::Onwards => side("2", vec!["errors to the next stage".to_owned()], "", true),
        Errors::WithOutput => side("2", vec!["errors with the output".to_owned()], "", true),
        Errors::File(name) => side("2", names(name), "errors", true),
    }
    sides
}

/// Draws them, each at the end of a wire of its own from the box.
fn draw_sides(scene: &mut Scene, top: f64, sides: &[Side], hue: u32) {
    let room = WIDTH - MARGIN - SIDE;
    let mut y = top + 14.0;
    for side in sides {
        let middle = y - 3.0;
        if side.dashed {
            scene.dashes((BOX_RIGHT, middle), (SIDE - 6.0, middle), hue);
        } else {
            scene.line((BOX_RIGHT, middle), (SIDE - 6.0, middle), hue, 0.8);
        }
        scene.text(BOX_RIGHT + 4.0, middle - 2.0, 16.0, &side.mark, SMALL);
        let mut line = y;
        for text in &side.rows {
            scene.text(SIDE, line, room, text, Face::new(9.5));
            line += 12.0;
        }
        if !side.note.is_empty() {
            scene.text(SIDE, line, room, &side.note, SMALL);
        }
        y += side.height();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stage(command: &str, lines: u64) -> Stage {
        Stage {
            command: command.to_owned(),
            does: "keeps 14.0 %".to_owned(),
            out: Stream { lines: Some(lines), ..Stream::default() },
            ..Stage::default()
        }
    }

    #[test]
    fn nothing_runs_out_or_over_whatever_the_labels_say() {
        let long = "x".repeat(3000);
        let words = "grep 'a b' | ".repeat(80);
        for text in ["", "a", "<&\"'>", "שלום\u{202e}\u{1b}[2J", "索道索道索道", &long, &words]
        {
            let side = |number: u8| FileOut {
                name: text.to_owned(),
                how: text.to_owned(),
                descriptor: Some(number),
            };
            let diagram = Diagram {
                title: text.to_owned(),
                about: text.to_owned(),
                sources: vec![text.to_owned(), "gate.log".to_owned()],
                source: Stream { lines: Some(u64::MAX), mark: "≈ " },
                on_standard_input: true,
                stages: vec![
                    stage(text, u64::MAX),
                    Stage {
                        files: vec![side(1), side(3), side(9)],
                        reads: vec![text.to_owned()],
                        errors: Errors::File(text.to_owned()),
                        ..stage(text, 0)
                    },
                    Stage { errors: Errors::Discarded, ..stage("sort", 12) },
                ],
                end: text.to_owned(),
            };
            let scene = diagram.scene();
            assert_eq!(scene.misplaced(), Vec::<String>::new(), "{text:.40}");
        }
        assert!(Diagram::default().scene().height > 0.0);
    }
}
