//! Which lines of the data are worked on.

pub(crate) mod state;

use ratatui::crossterm::event::{KeyCode, KeyEvent};
use ratatui::layout::{Position, Size};

use crate::screen::canvas::Canvas;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::state::drawer::{After, Drawer, Hint};
use crate::views::sample::state::SampleForm;

/// Opens the form.
pub(crate) fn open(app: &mut App) {
    app.open_drawer(SampleForm::of(app.sample));
}

impl Drawer<App> for SampleForm {
    fn name(&self) -> &'static str {
        "sample"
    }

    fn rows(&self, _app: &App, _size: Size) -> u16 {
        8
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) -> Option<Position> {
        draw(canvas, self, app);
        None
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        let mut hints = vec![("↑↓", "choose"), ("0-9", "number")];
        hints.extend((self.row == 3).then_some(("Tab", "number or seed")));
        hints.extend([("Enter", "apply"), ("Esc", "cancel")]);
        hints
    }

    fn key(&mut self, key: KeyEvent, app: &mut App) -> After {
        if key.code == KeyCode::Enter {
            app.sample = self.sample();
            app.text_changed();
            return After::Closes;
        }
        SampleForm::key(self, key.code);
        After::Stays
    }

    fn selected(&mut self) -> Option<&mut usize> {
        Some(&mut self.row)
    }
}

fn draw(canvas: &mut Canvas<'_>, form: &SampleForm, app: &App) {
    let theme = app.theme;
    canvas.put(1, 0, "which lines of the data to work on", theme.quiet());
    let number = |at: usize| insight::grouped(form.numbers[at]);
    let texts = [
        (
            "what is quick",
            format!("everything within 0.3 s, or else the first {} lines", number(0)),
        ),
        ("the first", format!("{} lines", number(1))),
        ("the last", format!("{} lines", number(2))),
        ("one in every", format!("{} lines, from the first on", number(3))),
        ("at random", format!("{} lines, seed {}", number(4), form.seed)),
        (
            "everything",
            "within the limits of a preview: 20 million lines, 4 GiB, 2 minutes".to_owned(),
        ),
    ];
    for (at, (name, says)) in texts.iter().enumerate() {
        let y = at as u16 + 1;
        let chosen = at == form.row;
        canvas.row_target(y, Target::Entry(at));
        if chosen {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        canvas.put(3, y, name, if chosen { theme.bright() } else { theme.ink() });
        canvas.put(17, y, says, if chosen { theme.bright() } else { theme.quiet() });
        if chosen && at == 4 {
            let what = if form.on_seed {
                "digits change the seed"
            } else {
                "digits change the number of lines"
            };
            canvas.put(50, y, what, theme.quiet());
        }
    }
}
