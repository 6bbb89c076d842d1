//! A scene as SVG 1.1.

use std::fmt::Write;

use crate::scene::{Anchor, Element, Scene, color};

/// Fonts of a fixed width, the first that is there.
const FONTS: &str = "'DejaVu Sans Mono', Menlo, Consolas, 'Liberation Mono', monospace";

/// Characters that mean something in XML, and quotes.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for character in text.chars() {
        match character {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            other => out.push(other),
        }
    }
    out
}

fn hex(color: u32) -> String {
    format!("#{color:06x}")
}

fn paint(fill: Option<u32>, stroke: Option<u32>) -> String {
    let fill = fill.map_or_else(|| "none".to_owned(), hex);
    match stroke {
        Some(stroke) => format!("fill=\"{fill}\" stroke=\"{}\" stroke-width=\"0.8\"", hex(stroke)),
        None => format!("fill=\"{fill}\""),
    }
}

fn places(points: &[(f64, f64)]) -> String {
    points.iter().map(|(x, y)| format!("{x:.2},{y:.2}")).collect::<Vec<_>>().join(" ")
}

/// The drawing as an SVG document that needs nothing else.
pub fn svg(scene: &Scene) -> String {
    let (width, height) = (scene.width, scene.height);
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width:.0}pt\" height=\"{height:.0}pt\" \
         viewBox=\"0 0 {width:.0} {height:.0}\" font-family=\"{FONTS}\" role=\"img\">\n\
         <title>{}</title>\n\
         <rect width=\"{width:.0}\" height=\"{height:.0}\" fill=\"{}\"/>\n",
        escaped(&scene.title),
        hex(color::PAPER)
    );
    for element in &scene.elements {
        // Writing to a string cannot fail.
        let _ = match element {
            Element::Rect { x, y, width, height, fill, stroke } => writeln!(
                out,
                "<rect x=\"{x:.2}\" y=\"{y:.2}\" width=\"{width:.2}\" height=\"{height:.2}\" {}/>",
                paint(*fill, *stroke)
            ),
            Element::Line { from, to, color, width, dashed } => writeln!(
                out,
                "<line x1=\"{:.2}\" y1=\"{:.2}\" x2=\"{:.2}\" y2=\"{:.2}\" stroke=\"{}\" \
                 stroke-width=\"{width:.2}\"{}/>",
                from.0,
                from.1,
                to.0,
                to.1,
                hex(*color),
                if *dashed { " stroke-dasharray=\"3 2\"" } else { "" }
            ),
            Element::Polygon { points, fill, stroke } => writeln!(
                out,
                "<polygon points=\"{}\" {}/>",
                places(points),
                paint(Some(*fill), *stroke)
            ),
            Element::Polyline { points, color, width } => writeln!(
                out,
                "<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"{width:.2}\"/>",
                places(points),
                hex(*color)
            ),
            Element::Text { x, y, text, size, bold, color, anchor } => writeln!(
                out,
                "<text x=\"{x:.2}\" y=\"{y:.2}\" font-size=\"{size}\" fill=\"{}\"{}{} \
                 xml:space=\"preserve\">{}</text>",
                hex(*color),
                if *bold { " font-weight=\"bold\"" } else { "" },
                match anchor {
                    Anchor::Start => "",
                    Anchor::Middle => " text-anchor=\"middle\"",
                    Anchor::End => " text-anchor=\"end\"",
                },
                escaped(text)
            ),
        };
    }
    out.push_str("</svg>\n");
    out
}
