//! Background, inks and the hue of each stage, for every kind of terminal.

use ratatui::style::{Color, Modifier, Style};

/// Light or dark background.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Background {
    /// Light ink on dark.
    #[default]
    Dark,
    /// Dark ink on light.
    Light,
}

/// How many colours the terminal shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Depth {
    /// 24 bits.
    True,
    /// The 256 of the usual table.
    Indexed,
    /// The 16 of the terminal's own.
    Sixteen,
    /// None: bold, underline, reverse only.
    None,
}

impl Depth {
    /// What the environment says.
    pub(crate) fn from_environment() -> Self {
        Self::told_by(|name| std::env::var(name).unwrap_or_default())
    }

    fn told_by(variable: impl Fn(&str) -> String) -> Self {
        if !variable("NO_COLOR").is_empty() {
            return Self::None;
        }
        let colors = variable("COLORTERM");
        let terminal = variable("TERM");
        if terminal == "dumb" {
            Self::None
        } else if colors.contains("truecolor")
            || colors.contains("24bit")
            || terminal.contains("direct")
        {
            Self::True
        } else if terminal.contains("256") {
            Self::Indexed
        } else {
            Self::Sixteen
        }
    }
}

/// Styles by what they are for.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Theme {
    background: Background,
    depth: Depth,
}

const DARK_HUES: [(u32, Color); 6] = [
    (0x7f_b4c9, Color::Cyan),
    (0xc9_a66b, Color::Yellow),
    (0x9b_bf8a, Color::Green),
    (0xb4_8ec7, Color::Magenta),
    (0xd0_8a7a, Color::Red),
    (0x7f_bfae, Color::Blue),
];

const LIGHT_HUES: [(u32, Color); 6] = [
    (0x2f_7186, Color::Cyan),
    (0x8a_6420, Color::Yellow),
    (0x4f_7a3c, Color::Green),
    (0x7d_4f94, Color::Magenta),
    (0xa1_4d3b, Color::Red),
    (0x2c_7a66, Color::Blue),
];

impl Theme {
    /// A theme for this background and depth.
    pub(crate) fn new(background: Background, depth: Depth) -> Self {
        Self { background, depth }
    }

    fn pick(self, dark: u32, light: u32, sixteen: Option<Color>) -> Option<Color> {
        let value = if self.background == Background::Dark { dark } else { light };
        match self.depth {
            Depth::True => Some(rgb(value)),
            Depth::Indexed => Some(Color::Indexed(nearest(value))),
            Depth::Sixteen => sixteen,
            Depth::None => None,
        }
    }

    /// Plain text on the background.
    pub(crate) fn ink(self) -> Style {
        let style = Style::new();
        match (self.pick(0xcd_d3da, 0x2a_2e33, None), self.pick(0x13_161b, 0xfa_f8f3, None)) {
            (Some(ink), Some(background)) => style.fg(ink).bg(background),
            _ => style,
        }
    }

    /// What matters most.
    pub(crate) fn bright(self) -> Style {
        let style = Style::new().add_modifier(Modifier::BOLD);
        self.pick(0xf2_f4f6, 0x00_0000, None).map_or(style, |color| style.fg(color))
    }

    /// What matters least.
    pub(crate) fn quiet(self) -> Style {
        match self.pick(0x6f_7884, 0x7a_7f86, Some(Color::DarkGray)) {
            Some(color) => Style::new().fg(color),
            None => Style::new().add_modifier(Modifier::DIM),
        }
    }

    /// The thin rules.
    pub(crate) fn rule(self) -> Style {
        match self.pick(0x2b_313a, 0xd9_d4c8, Some(Color::DarkGray)) {
            Some(color) => Style::new().fg(color),
            None => Style::new().add_modifier(Modifier::DIM),
        }
    }

    /// The row the cursor is on; laid over other styles.
    pub(crate) fn selected(self) -> Style {
        match self.pick(0x1e_242c, 0xee_e9dc, None) {
            Some(color) => Style::new().bg(color),
            None => Style::new().add_modifier(Modifier::REVERSED),
        }
    }

    /// The hue of stage `number`, from 0.
    pub(crate) fn hue(self, number: usize) -> Style {
        let at = number % DARK_HUES.len();
        let (dark, sixteen) = DARK_HUES[at];
        match self.pick(dark, LIGHT_HUES[at].0, Some(sixteen)) {
            Some(color) => Style::new().fg(color),
            None => Style::new(),
        }
    }

    /// The bar of what comes from outside.
    pub(crate) fn source_bar(self) -> Style {
        match self.pick(0x5b_6470, 0xa8_a395, Some(Color::Gray)) {
            Some(color) => Style::new().fg(color),
            None => Style::new(),
        }
    }

    /// A match of the search.
    pub(crate) fn found() -> Style {
        Style::new().add_modifier(Modifier::REVERSED)
    }

    /// Marks that mean bytes that cannot be shown.
    pub(crate) fn mark(self) -> Style {
        match self.pick(0x8a_93a0, 0x66_6b72, Some(Color::DarkGray)) {
            Some(color) => Style::new().fg(color).add_modifier(Modifier::ITALIC),
            None => Style::new().add_modifier(Modifier::REVERSED),
        }
    }
}

fn rgb(value: u32) -> Color {
    Color::Rgb((value >> 16) as u8, (value >> 8) as u8, value as u8)
}

/// The nearest colour of the 256 table: the 6x6x6 cube or the grey ramp.
fn nearest(value: u32) -> u8 {
    let parts = [(value >> 16) as u8, (value >> 8) as u8, value as u8].map(i32::from);
    let distance = |other: [i32; 3]| -> i32 {
        parts.iter().zip(other).map(|(one, other)| (one - other) * (one - other)).sum()
    };
    let level = |index: i32| if index == 0 { 0 } else { 55 + 40 * index };
    let mut best = (i32::MAX, 0);
    for red in 0..6 {
        for green in 0..6 {
            for blue in 0..6 {
                let away = distance([level(red), level(green), level(blue)]);
                best = best.min((away, 16 + 36 * red + 6 * green + blue));
            }
        }
    }
    for grey in 0..24 {
        best = best.min((distance([8 + 10 * grey; 3]), 232 + grey));
    }
    best.1 as u8
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_environment_tells_how_many_colours_there_are() {
        for (no_color, colors, terminal, depth) in [
            ("", "", "", Depth::Sixteen),
            ("", "", "xterm", Depth::Sixteen),
            ("", "", "xterm-256color", Depth::Indexed),
            ("", "", "xterm-direct", Depth::True),
            ("", "truecolor", "xterm", Depth::True),
            ("", "24bit", "xterm-256color", Depth::True),
            ("", "truecolor", "dumb", Depth::None),
            ("1", "truecolor", "xterm-256color", Depth::None),
        ] {
            let variable = |name: &str| match name {
                "NO_COLOR" => no_color.to_owned(),
                "COLORTERM" => colors.to_owned(),
                "TERM" => terminal.to_owned(),
                _ => panic!("{name}"),
            };
            assert_eq!(Depth::told_by(variable), depth, "{no_color} {colors} {terminal}");
        }
    }

    #[test]
    fn hues_differ_at_every_depth_that_has_colour() {
        for background in [Background::Dark, Background::Light] {
            for depth in [Depth::True, Depth::Indexed, Depth::Sixteen] {
                let theme = Theme::new(background, depth);
                let hues: std::collections::HashSet<Style> =
                    (0..6).map(|at| theme.hue(at)).collect();
                assert_eq!(hues.len(), 6, "{background:?} {depth:?}");
                assert_eq!(theme.hue(0), theme.hue(6));
            }
        }
        assert_eq!(Theme::new(Background::Dark, Depth::None).hue(1), Style::new());
    }
}
