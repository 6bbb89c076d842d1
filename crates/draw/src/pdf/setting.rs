//! Glyphs at their places in the content of a page.

use pdf_writer::{Content, Name, Str};

use super::fonts::Glyph;
use crate::scene::Anchor;

/// Shows glyphs in a row whose base line is at a place, the size in points.
pub(super) fn show(
    content: &mut Content,
    glyphs: &[Glyph],
    (x, y): (f64, f64),
    size: f64,
    anchor: Anchor,
) {
    let width: f64 = glyphs.iter().map(|glyph| glyph.advance).sum::<f64>() * size;
    let mut at = match anchor {
        Anchor::Start => x,
        Anchor::Middle => x - width / 2.0,
        Anchor::End => x - width,
    };
    let mut rest = glyphs;
    content.begin_text();
    while let Some(first) = rest.first() {
        // One piece: glyphs that follow each other as the font itself says.
        let length =
            1 + rest.windows(2).take_while(|pair| pair[0].is_followed_by(&pair[1])).count();
        let (piece, others) = rest.split_at(length);
        let (right, up) = first.offset;
        content.set_font(Name(first.font), size as f32);
        let place = [at + right * size, y + up * size].map(|place| place as f32);
        content.set_text_matrix([1.0, 0.0, 0.0, 1.0, place[0], place[1]]);
        let codes: Vec<u8> = piece.iter().flat_map(|glyph| glyph.code.to_be_bytes()).collect();
        content.show(Str(&codes));
        at += piece.iter().map(|glyph| glyph.advance).sum::<f64>() * size;
        rest = others;
    }
    content.end_text();
}
