//! A scene as PDF 1.7 (ISO 32000-1), its fonts embedded.

use pdf_writer::{Content, Filter, Finish, Name, Pdf, Rect, Ref, TextStr};

use crate::scene::{Element, Scene, color};
use crate::text::cells;

mod compression;
mod error;
mod fonts;
mod setting;

use compression::compressed;
pub use error::PdfError;
use fonts::Fonts;

/// The objects of the document, before those of the fonts.
const CATALOG: Ref = Ref::new(1);
const PAGES: Ref = Ref::new(2);
const PAGE: Ref = Ref::new(3);
const CONTENT: Ref = Ref::new(4);
const ABOUT: Ref = Ref::new(5);
const FIRST_OF_FONTS: i32 = 6;

/// The drawing as a PDF document of one page. Text stays text, in fonts of which the used part is
/// embedded; characters that these fonts have not are told by their numbers.
///
/// # Errors
/// When the drawing cannot be converted, which no drawing of this crate is known to cause.
pub fn pdf(scene: &Scene) -> Result<Vec<u8>, PdfError> {
    let mut fonts = Fonts::new()?;
    let content = content(scene, &mut fonts);
    let mut pdf = Pdf::new();
    pdf.catalog(CATALOG).pages(PAGES);
    pdf.pages(PAGES).kids([PAGE]).count(1);
    pdf.document_info(ABOUT).title(TextStr(&scene.title));
    let mut page = pdf.page(PAGE);
    page.parent(PAGES).contents(CONTENT);
    page.media_box(Rect::new(0.0, 0.0, scene.width.round() as f32, scene.height.round() as f32));
    let references = fonts.references(FIRST_OF_FONTS);
    let mut resources = page.resources();
    let mut named = resources.fonts();
    for (name, reference) in &references {
        named.pair(Name(name), *reference);
    }
    named.finish();
    resources.finish();
    page.finish();
    pdf.stream(CONTENT, &compressed(&content)?).filter(Filter::FlateDecode);
    fonts.write(&mut pdf, FIRST_OF_FONTS)?;
    Ok(pdf.finish())
}

/// What is on the page. A PDF counts from the bottom, a scene from the top.
fn content(scene: &Scene, fonts: &mut Fonts) -> Vec<u8> {
    let height = scene.height.round();
    let mut content = Content::new();
    fill(&mut content, color::PAPER);
    content.rect(0.0, 0.0, scene.width.round() as f32, height as f32).fill_nonzero();
    for element in &scene.elements {
        match element {
            Element::Rect { x, y, width, height: tall, fill, stroke } => {
                let below = height - y - tall;
                painted(&mut content, *fill, *stroke, |content| {
                    content.rect(*x as f32, below as f32, *width as f32, *tall as f32);
                });
            }
            Element::Line { from, to, color, width, dashed } => {
                pen(&mut content, *color, *width);
                if *dashed {
                    content.set_dash_pattern([3.0, 2.0], 0.0);
                }
                along(&mut content, &[*from, *to], height);
                content.stroke();
                if *dashed {
                    content.set_dash_pattern([], 0.0);
                }
            }
            Element::Polygon { points, fill, stroke } => {
                painted(&mut content, Some(*fill), *stroke, |content| {
                    along(content, points, height);
                    content.close_path();
                });
            }
            Element::Polyline { points, color, width } => {
                pen(&mut content, *color, *width);
                along(&mut content, points, height);
                content.stroke();
            }
            Element::Text { x, y, text, size, bold, color, anchor } => {
                let shown = fonts.with_pictures(text);
                // Longer text in the same room; `min` also takes the 0 / 0 of a text without cells.
                let size = size * (cells(text) as f64 / cells(&shown) as f64).min(1.0);
                fill(&mut content, *color);
                let glyphs = fonts.set(&shown, *bold);
                setting::show(&mut content, &glyphs, (*x, height - y), size, *anchor);
            }
        }
    }
    content.finish().to_vec()
}

/// Red, green and blue from 0 to 1.
fn parts(color: u32) -> [f32; 3] {
    [16, 8, 0].map(|shift| ((color >> shift) & 0xff) as f32 / 255.0)
}

fn fill(content: &mut Content, color: u32) {
    let [red, green, blue] = parts(color);
    content.set_fill_rgb(red, green, blue);
}

fn pen(content: &mut Content, color: u32, width: f64) {
    let [red, green, blue] = parts(color);
    content.set_stroke_rgb(red, green, blue).set_line_width(width as f32);
}

/// A shape, filled and with an edge as wanted.
fn painted(
    content: &mut Content,
    inside: Option<u32>,
    edge: Option<u32>,
    shape: impl FnOnce(&mut Content),
) {
    if let Some(color) = inside {
        fill(content, color);
    }
    if let Some(color) = edge {
        pen(content, color, 0.8);
    }
    shape(content);
    match (inside, edge) {
        (Some(_), Some(_)) => content.fill_nonzero_and_stroke(),
        (Some(_), None) => content.fill_nonzero(),
        (None, Some(_)) => content.stroke(),
        (None, None) => content.end_path(),
    };
}

fn along(content: &mut Content, points: &[(f64, f64)], height: f64) {
    for (number, (x, y)) in points.iter().enumerate() {
        let (x, y) = (*x as f32, (height - y) as f32);
        if number == 0 {
            content.move_to(x, y);
        } else {
            content.line_to(x, y);
        }
    }
}
