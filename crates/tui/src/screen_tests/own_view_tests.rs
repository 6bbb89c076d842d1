//! A view that is a folder of its own and a row in the registry has its key, its place in the head, its help and
//! its hints: nothing else of the Bench knows of it.

use ratatui::crossterm::event::{KeyCode, KeyEvent};

use super::stand::Stand;
use crate::actions::{Action, Entry, entry};
use crate::hints::with;
use crate::screen::canvas::Canvas;
use crate::screen::view_name::{BENCH, ViewName};
use crate::state::app::App;
use crate::state::drawer::Hint;
use crate::state::view::{OwnLetters, Registry, Signs, View};

const NAME: ViewName = ViewName("tides");

/// What it remembers.
#[derive(Default)]
struct Tide {
    rows: usize,
    shown: usize,
    hidden: usize,
}

struct Tides;

impl View<App> for Tides {
    fn name(&self) -> ViewName {
        NAME
    }

    fn title(&self) -> &'static str {
        "Tides"
    }

    fn entry(&self) -> Option<Entry> {
        Some(entry(Action::Show(NAME), "~", "tides", "how high the water is"))
    }

    fn function_key(&self) -> Option<u8> {
        Some(12)
    }

    fn own_letters(&self) -> Option<OwnLetters> {
        None
    }

    fn actions(&self) -> &'static [Action] {
        &[Action::EditText]
    }

    fn signs(&self) -> Signs {
        &[("≀", "the water")]
    }

    fn draw(&self, canvas: &mut Canvas<'_>, app: &App) {
        let rows = app.states.get::<Tide>().map_or(0, |tide| tide.rows);
        canvas.put(2, 0, &format!("the water is {rows} rows high"), app.theme.ink());
    }

    fn notes(&self, canvas: &mut Canvas<'_>, app: &App) {
        canvas.put(1, 0, "it comes and goes", app.theme.quiet());
    }

    fn hints(&self, _app: &App) -> Vec<Hint> {
        with(&[("↑", "higher")], self.actions())
    }

    fn key(&self, key: KeyEvent, app: &mut App) -> bool {
        match key.code {
            KeyCode::Up => app.states.of::<Tide>().rows += 1,
            KeyCode::Esc => app.show_view(BENCH),
            _ => return false,
        }
        true
    }

    fn clicked(&self, row: usize, app: &mut App) {
        app.states.of::<Tide>().rows = row;
    }

    fn shown(&self, app: &mut App) {
        app.states.of::<Tide>().shown += 1;
    }

    fn hidden(&self, app: &mut App) {
        app.states.of::<Tide>().hidden += 1;
    }
}

#[test]
fn a_view_is_its_own_code_and_a_row() {
    const OWN: &Registry<App> = &Registry {
        views: &[crate::views::REGISTRY.views[0], &Tides],
        drawers: crate::views::REGISTRY.drawers,
    };
    let mut stand = Stand::new("seq 3");
    stand.app.registry = OWN;
    stand.settle();
    stand.key(KeyCode::F(12));
    assert_eq!(stand.app.view, NAME);
    let screen = stand.screen(120, 40);
    for said in ["the water is 0 rows high", "it comes and goes", "F12 back to the Bench"] {
        assert!(screen.contains(said), "{said} in {screen}");
    }
    assert!(screen.lines().next().is_some_and(|head| head.contains("Tides")), "{screen}");
    // Keys that mean nothing in it are those of actions.
    stand.key(KeyCode::Esc);
    assert!(stand.screen(120, 40).contains("↑ higher   e edit text"));
    stand.key(KeyCode::Up);
    assert!(stand.screen(120, 40).contains("the water is 1 rows high"));
    stand.letters("?");
    assert!(stand.screen(120, 40).contains("the water"));
    stand.key(KeyCode::Esc);
    stand.key(KeyCode::Esc);
    assert_eq!(stand.app.view, BENCH);
    let tide = stand.app.states.get::<Tide>().unwrap();
    assert!(tide.shown >= 1 && tide.hidden >= 1);
}
