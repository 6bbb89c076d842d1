//! The fonts of a document: text becomes glyphs of them, and what was used of them is embedded.

use std::collections::BTreeMap;

use pdf_writer::types::{CidFontType, FontFlags, SystemInfo, UnicodeCmap};
use pdf_writer::{Filter, Finish, Name, Pdf, Rect, Ref, Str};
use rustybuzz::{Direction, Face, UnicodeBuffer};
use subsetter::GlyphRemapper;
use unicode_bidi::{BidiInfo, Level};

use super::compression::compressed;
use super::error::PdfError;

/// For code, and for letters that the first two have not: by which names the document knows them.
const NAMES: [(&[u8], &[u8]); 3] = [
    (b"F0", b"YLOTRA+DejaVuSansMono"),
    (b"F1", b"YLOTRB+DejaVuSansMono-Bold"),
    (b"F2", b"YLOTRC+DejaVuSans"),
];

/// The objects that one font is.
const OBJECTS: i32 = 5;

/// Codes are those of the glyphs themselves.
const IDENTITY: SystemInfo<'_> =
    SystemInfo { registry: Str(b"Adobe"), ordering: Str(b"Identity"), supplement: 0 };

/// A glyph where it is shown; lengths are parts of the size of the font.
pub(super) struct Glyph {
    pub(super) font: &'static [u8],
    /// Its number in the embedded part of the font.
    pub(super) code: u16,
    /// How far it is to the next one.
    pub(super) advance: f64,
    /// How far the font itself says that it is.
    own_advance: f64,
    /// How far beside its place it is shown, and above it.
    pub(super) offset: (f64, f64),
}

impl Glyph {
    /// True where the next one is where it is without being put there.
    pub(super) fn is_followed_by(&self, next: &Self) -> bool {
        let as_usual = (self.advance - self.own_advance).abs() < 1e-6;
        self.font == next.font && as_usual && self.offset == next.offset
    }
}

/// A font, and what was used of it.
struct Font {
    data: &'static [u8],
    face: Face<'static>,
    used: GlyphRemapper,
    /// The text of each used glyph, by its number in the whole font.
    texts: BTreeMap<u16, String>,
}

/// All of them.
pub(super) struct Fonts {
    all: Vec<Font>,
}

impl Fonts {
    pub(super) fn new() -> Result<Self, PdfError> {
        let data =
            [dejavu::sans_mono::regular(), dejavu::sans_mono::bold(), dejavu::sans::regular()];
        let font = |data: &'static [u8]| {
            let face = Face::from_slice(data, 0).ok_or(PdfError::Font)?;
            Ok(Font { data, face, used: GlyphRemapper::new(), texts: BTreeMap::new() })
        };
        Ok(Self { all: data.into_iter().map(font).collect::<Result<_, PdfError>>()? })
    }

    /// Text in which every character has a picture in one of the fonts; the others are told by their numbers.
    pub(super) fn with_pictures(&self, text: &str) -> String {
        let mut out = String::with_capacity(text.len());
        for character in text.chars() {
            if self.all.iter().any(|font| font.face.glyph_index(character).is_some()) {
                out.push(character);
            } else {
                out.push_str(&format!("‹{:04X}›", character as u32));
            }
        }
        out
    }

    /// The first font that has a character.
    fn font_for(&self, character: char, bold: bool) -> usize {
        let order = if bold { [1, 0, 2] } else { [0, 2, 1] };
        let has = |font: &usize| self.all[*font].face.glyph_index(character).is_some();
        order.into_iter().find(has).unwrap_or(order[0])
    }

    /// Text as glyphs from left to right: in the order in which it is read, letters joined as their script
    /// joins them.
    pub(super) fn set(&mut self, text: &str, bold: bool) -> Vec<Glyph> {
        let mut glyphs = Vec::new();
        let order = BidiInfo::new(text, Some(Level::ltr()));
        for paragraph in &order.paragraphs {
            let (levels, runs) = order.visual_runs(paragraph, paragraph.range.clone());
            for run in runs {
                let backwards = levels[run.start].is_rtl();
                let mut pieces = self.pieces(&text[run], bold);
                if backwards {
                    pieces.reverse();
                }
                for (font, piece) in pieces {
                    self.shape(font, piece, backwards, &mut glyphs);
                }
            }
        }
        glyphs
    }

    /// Text in pieces of one font each. What is put on a letter stays with it where its font has both.
    fn pieces<'t>(&self, text: &'t str, bold: bool) -> Vec<(usize, &'t str)> {
        let mut pieces: Vec<(usize, usize, usize)> = Vec::new();
        for (at, character) in text.char_indices() {
            let end = at + character.len_utf8();
            let font = self.font_for(character, bold);
            match pieces.last_mut() {
                Some((last, _, until)) if *last == font => *until = end,
                _ => pieces.push((font, at, end)),
            }
        }
        pieces.into_iter().map(|(font, from, to)| (font, &text[from..to])).collect()
    }

    fn shape(&mut self, number: usize, text: &str, backwards: bool, glyphs: &mut Vec<Glyph>) {
        let font = &mut self.all[number];
        let mut buffer = UnicodeBuffer::new();
        buffer.push_str(text);
        buffer.set_direction(if backwards {
            Direction::RightToLeft
        } else {
            Direction::LeftToRight
        });
        buffer.guess_segment_properties();
        let shaped = rustybuzz::shape(&font.face, &[], buffer);
        let unit = f64::from(font.face.units_per_em());
        let mut starts: Vec<usize> =
            shaped.glyph_infos().iter().map(|info| info.cluster as usize).collect();
        starts.sort_unstable();
        starts.dedup();
        let mut told = None;
        for (info, position) in shaped.glyph_infos().iter().zip(shaped.glyph_positions()) {
            let glyph = info.glyph_id as u16;
            let own = font.face.glyph_hor_advance(rustybuzz::ttf_parser::GlyphId(glyph));
            let start = info.cluster as usize;
            let end = starts.iter().find(|next| **next > start).copied().unwrap_or(text.len());
            // Of several glyphs for the same letters the first has their text.
            let own_text = if told == Some(start) { "" } else { &text[start..end] };
            told = Some(start);
            font.texts.entry(glyph).or_insert_with(|| own_text.to_owned());
            glyphs.push(Glyph {
                font: NAMES[number].0,
                code: font.used.remap(glyph),
                advance: f64::from(position.x_advance) / unit,
                own_advance: f64::from(own.unwrap_or(0)) / unit,
                offset: (f64::from(position.x_offset) / unit, f64::from(position.y_offset) / unit),
            });
        }
    }

    /// The names and objects of the fonts that were used.
    pub(super) fn references(&self, first: i32) -> Vec<(&'static [u8], Ref)> {
        let used = |(number, _): &(usize, _)| !self.all[*number].texts.is_empty();
        let names = NAMES.iter().enumerate().filter(used);
        names
            .map(|(number, (name, _))| (*name, Ref::new(first + number as i32 * OBJECTS)))
            .collect()
    }

    /// Writes the used part of each font (ISO 32000-1, 9.7).
    pub(super) fn write(&self, pdf: &mut Pdf, first: i32) -> Result<(), PdfError> {
        for (number, font) in self.all.iter().enumerate() {
            if !font.texts.is_empty() {
                font.write(pdf, first + number as i32 * OBJECTS, NAMES[number].1)?;
            }
        }
        Ok(())
    }
}

impl Font {
    fn write(&self, pdf: &mut Pdf, first: i32, name: &[u8]) -> Result<(), PdfError> {
        let name = Name(name);
        let [whole, glyphs, about, texts, data] = [0, 1, 2, 3, 4].map(|at| Ref::new(first + at));
        let per_mille = |value: f64| (value * 1000.0 / f64::from(self.face.units_per_em())) as f32;
        let mut font = pdf.type0_font(whole);
        font.base_font(name).encoding_predefined(Name(b"Identity-H"));
        font.descendant_font(glyphs).to_unicode(texts);
        font.finish();

        let mut cid = pdf.cid_font(glyphs);
        cid.subtype(CidFontType::Type2).base_font(name).system_info(IDENTITY);
        cid.font_descriptor(about).default_width(0.0).cid_to_gid_map_predefined(Name(b"Identity"));
        let widths = self.used.remapped_gids().map(|glyph| {
            let glyph = rustybuzz::ttf_parser::GlyphId(glyph);
            per_mille(f64::from(self.face.glyph_hor_advance(glyph).unwrap_or(0)))
        });
        cid.widths().consecutive(0, widths);
        cid.finish();

        let bounds = self.face.global_bounding_box();
        let edge = |value: i16| per_mille(f64::from(value));
        let mut descriptor = pdf.font_descriptor(about);
        descriptor.name(name).flags(if self.face.is_monospaced() {
            FontFlags::NON_SYMBOLIC | FontFlags::FIXED_PITCH
        } else {
            FontFlags::NON_SYMBOLIC
        });
        descriptor.bbox(Rect::new(
            edge(bounds.x_min),
            edge(bounds.y_min),
            edge(bounds.x_max),
            edge(bounds.y_max),
        ));
        let ascent = edge(self.face.ascender());
        descriptor.italic_angle(0.0).ascent(ascent).descent(edge(self.face.descender()));
        descriptor.cap_height(self.face.capital_height().map_or(ascent, edge)).stem_v(95.0);
        descriptor.font_file2(data);
        descriptor.finish();

        let mut map = UnicodeCmap::new(Name(b"Text"), IDENTITY);
        for (glyph, text) in &self.texts {
            if let (Some(code), false) = (self.used.get(*glyph), text.is_empty()) {
                map.pair_with_multiple(code, text.chars());
            }
        }
        pdf.cmap(texts, &map.finish());
        let part = subsetter::subset(self.data, 0, &self.used)?;
        pdf.stream(data, &compressed(&part)?).filter(Filter::FlateDecode);
        Ok(())
    }
}
