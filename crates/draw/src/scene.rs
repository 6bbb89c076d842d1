//! What a drawing is made of, in points (1/72 inch).

use crate::text::{cells, cut};

/// The width of a cell of the font, of its size.
const CELL: f64 = 0.6021;

/// Ink and paper for print.
pub(crate) mod color {
    pub(crate) const INK: u32 = 0x1f_2226;
    pub(crate) const QUIET: u32 = 0x5c_6167;
    pub(crate) const RULE: u32 = 0xb9_b4a8;
    pub(crate) const PAPER: u32 = 0xff_ffff;
    pub(crate) const SOURCE: u32 = 0x8f_8b80;
    /// The hue of each stage, then again from the first.
    const HUES: [u32; 6] = [0x2f_7186, 0x8a_6420, 0x4f_7a3c, 0x7d_4f94, 0xa1_4d3b, 0x2c_7a66];

    pub(crate) fn hue(number: usize) -> u32 {
        HUES[number % HUES.len()]
    }

    /// So light that text on it is read well.
    pub(crate) fn tint(color: u32) -> u32 {
        let part = |shift: u32| {
            let value = (color >> shift) & 0xff;
            (value + (255 - value) * 78 / 100) << shift
        };
        part(16) | part(8) | part(0)
    }
}

/// On which side of its place text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Anchor {
    Start,
    Middle,
    End,
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Element {
    Rect { x: f64, y: f64, width: f64, height: f64, fill: Option<u32>, stroke: Option<u32> },
    Line { from: (f64, f64), to: (f64, f64), color: u32, width: f64, dashed: bool },
    Polygon { points: Vec<(f64, f64)>, fill: u32, stroke: Option<u32> },
    Polyline { points: Vec<(f64, f64)>, color: u32, width: f64 },
    Text { x: f64, y: f64, text: String, size: f64, bold: bool, color: u32, anchor: Anchor },
}

/// A drawing: what is on it, and how large it is.
#[derive(Clone, Debug, PartialEq)]
pub struct Scene {
    pub(crate) width: f64,
    pub(crate) height: f64,
    /// What it shows, for those who cannot see it.
    pub(crate) title: String,
    pub(crate) elements: Vec<Element>,
}

/// Text as it is set.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Face {
    pub(crate) size: f64,
    pub(crate) bold: bool,
    pub(crate) color: u32,
    pub(crate) anchor: Anchor,
}

impl Face {
    pub(crate) const fn new(size: f64) -> Self {
        Self { size, bold: false, color: color::INK, anchor: Anchor::Start }
    }

    pub(crate) const fn bold(self) -> Self {
        Self { bold: true, ..self }
    }

    pub(crate) const fn colored(self, color: u32) -> Self {
        Self { color, ..self }
    }

    pub(crate) const fn quiet(self) -> Self {
        self.colored(color::QUIET)
    }

    pub(crate) const fn at_end(self) -> Self {
        Self { anchor: Anchor::End, ..self }
    }

    pub(crate) const fn centred(self) -> Self {
        Self { anchor: Anchor::Middle, ..self }
    }

    /// How wide text is.
    pub(crate) fn width(self, text: &str) -> f64 {
        cells(text) as f64 * self.size * CELL
    }

    /// How many cells there are in a width.
    pub(crate) fn cells_in(self, width: f64) -> usize {
        (width / (self.size * CELL)).floor().max(0.0) as usize
    }
}

impl Scene {
    pub(crate) fn new(title: &str, width: f64) -> Self {
        Self { width, height: 0.0, title: title.to_owned(), elements: Vec::new() }
    }

    /// Puts text whose base line is at `y`, cut to `room`.
    pub(crate) fn text(&mut self, x: f64, y: f64, room: f64, text: &str, face: Face) {
        let text = cut(text, face.cells_in(room));
        if text.is_empty() {
            return;
        }
        let Face { size, bold, color, anchor } = face;
        self.elements.push(Element::Text { x, y, text, size, bold, color, anchor });
    }

    pub(crate) fn line(&mut self, from: (f64, f64), to: (f64, f64), color: u32, width: f64) {
        self.elements.push(Element::Line { from, to, color, width, dashed: false });
    }

    pub(crate) fn dashes(&mut self, from: (f64, f64), to: (f64, f64), color: u32) {
        self.elements.push(Element::Line { from, to, color, width: 0.8, dashed: true });
    }

    pub(crate) fn rect(
        &mut self,
        at: (f64, f64),
        size: (f64, f64),
        fill: Option<u32>,
        stroke: Option<u32>,
    ) {
        let ((x, y), (width, height)) = (at, size);
        self.elements.push(Element::Rect { x, y, width, height, fill, stroke });
    }

    pub(crate) fn polygon(&mut self, points: Vec<(f64, f64)>, fill: u32, stroke: Option<u32>) {
        self.elements.push(Element::Polygon { points, fill, stroke });
    }

    pub(crate) fn polyline(&mut self, points: Vec<(f64, f64)>, color: u32, width: f64) {
        self.elements.push(Element::Polyline { points, color, width });
    }

    /// A small triangle that points at a place, from the left or from above.
    pub(crate) fn arrow(&mut self, to: (f64, f64), down: bool, color: u32) {
        let (x, y) = to;
        let points = if down {
            vec![(x - 3.0, y - 5.0), (x + 3.0, y - 5.0), (x, y)]
        } else {
            vec![(x - 5.0, y - 3.0), (x - 5.0, y + 3.0), (x, y)]
        };
        self.polygon(points, color, None);
    }
}

#[cfg(test)]
impl Scene {
    /// The boxes that texts take, for tests.
    pub(crate) fn text_boxes(&self) -> Vec<(f64, f64, f64, f64, String)> {
        let boxed = |element: &Element| match element {
            Element::Text { x, y, text, size, bold, color, anchor } => {
                let face = Face { size: *size, bold: *bold, color: *color, anchor: *anchor };
                let width = face.width(text);
                let left = match anchor {
                    Anchor::Start => *x,
                    Anchor::Middle => x - width / 2.0,
                    Anchor::End => x - width,
                };
                Some((left, y - size * 0.8, left + width, y + size * 0.2, text.clone()))
            }
            _ => None,
        };
        self.elements.iter().filter_map(boxed).collect()
    }

    /// Texts that run out of the drawing or over each other.
    pub(crate) fn misplaced(&self) -> Vec<String> {
        let boxes = self.text_boxes();
        let mut wrong = Vec::new();
        for (at, one) in boxes.iter().enumerate() {
            if one.0 < -0.01 || one.2 > self.width + 0.01 || one.1 < -0.01 || one.3 > self.height {
                wrong.push(format!("out: {one:?} of {} x {}", self.width, self.height));
            }
            for other in &boxes[at + 1..] {
                let apart = one.2 <= other.0 + 0.01
                    || other.2 <= one.0 + 0.01
                    || one.3 <= other.1 + 0.01
                    || other.3 <= one.1 + 0.01;
                if !apart {
                    wrong.push(format!("over: {one:?} and {other:?}"));
                }
            }
        }
        wrong
    }
}
