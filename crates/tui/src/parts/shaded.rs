//! How parts of awk and sed programs look.

use filters::Shade;
use ratatui::style::{Modifier, Style};

use crate::state::app::App;

/// A part of a program: hue is the stages' alone, so weight and slant tell.
pub(crate) fn shaded(app: &App, style: Style, shade: Shade) -> Style {
    match shade {
        Shade::Field => app.theme.bright().add_modifier(Modifier::BOLD),
        Shade::Pattern => style.add_modifier(Modifier::ITALIC | Modifier::BOLD),
        Shade::Text => style.add_modifier(Modifier::ITALIC),
        Shade::Comment => app.theme.quiet(),
        Shade::Word => style,
    }
}
