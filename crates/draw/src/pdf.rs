//! A scene as PDF, its fonts embedded.

use std::sync::Arc;

use svg2pdf::usvg::{Options, Tree, fontdb::Database};
use svg2pdf::{ConversionOptions, PageOptions};
use thiserror::Error;
use ttf_parser::Face;

use crate::scene::{Element, Scene};
use crate::svg::svg;
use crate::text::cells;

/// Why there is no PDF.
#[derive(Debug, Error)]
#[error("the drawing cannot be made a PDF: {0}")]
pub struct PdfError(String);

/// The fonts that come with this, compressed: for code, and for letters that the first has not.
const FONTS: [&[u8]; 3] = [
    include_bytes!(concat!(env!("OUT_DIR"), "/mono")),
    include_bytes!(concat!(env!("OUT_DIR"), "/mono-bold")),
    include_bytes!(concat!(env!("OUT_DIR"), "/sans")),
];

/// The fonts as they are used.
fn fonts() -> Result<Vec<Vec<u8>>, PdfError> {
    let unpacked = FONTS.iter().map(|font| zstd::decode_all(*font));
    unpacked.collect::<Result<_, _>>().map_err(|error| PdfError(error.to_string()))
}

/// Text in which every character has a picture in `faces`; the others are told by their numbers.
fn with_pictures(text: &str, faces: &[Face<'_>]) -> String {
    let mut out = String::with_capacity(text.len());
    for character in text.chars() {
        if faces.iter().any(|face| face.glyph_index(character).is_some()) {
            out.push(character);
        } else {
            out.push_str(&format!("‹{:04X}›", character as u32));
        }
    }
    out
}

/// The drawing as a PDF document of one page. Text stays text, in fonts of which the used part is
/// embedded; characters that these fonts have not are told by their numbers.
///
/// # Errors
/// When the drawing cannot be converted, which no drawing of this crate is known to cause.
pub fn pdf(scene: &Scene) -> Result<Vec<u8>, PdfError> {
    let fonts = fonts()?;
    let faces: Vec<Face<'_>> = fonts.iter().filter_map(|font| Face::parse(font, 0).ok()).collect();
    let mut scene = scene.clone();
    for element in &mut scene.elements {
        if let Element::Text { text, size, .. } = element {
            let shown = with_pictures(text, &faces);
            // Longer text in the same room; `min` also takes the 0 / 0 of a text without cells.
            *size *= (cells(text) as f64 / cells(&shown) as f64).min(1.0);
            *text = shown;
        }
    }
    let mut database = Database::new();
    for font in &fonts {
        database.load_font_data(font.clone());
    }
    database.set_monospace_family("DejaVu Sans Mono");
    let options = Options {
        fontdb: Arc::new(database),
        font_family: "DejaVu Sans Mono".to_owned(),
        ..Options::default()
    };
    let tree =
        Tree::from_str(&svg(&scene), &options).map_err(|error| PdfError(error.to_string()))?;
    svg2pdf::to_pdf(&tree, ConversionOptions::default(), PageOptions::default())
        .map_err(|error| PdfError(error.to_string()))
}
