//! Which view is shown.

use crate::screen::place::Focus;
use crate::screen::view_name::{BENCH, ViewName};
use crate::state::app::App;

impl App {
    /// Shows a view, or goes back to the Bench from it.
    pub(crate) fn show_view(&mut self, name: ViewName) {
        self.view = if self.view == name { BENCH } else { name };
        self.message = None;
        if self.view != BENCH && self.focus == Focus::Lens {
            self.focus = Focus::River;
        }
        self.refresh_views();
    }

    /// The view on screen looks at the state as it is now; the others do nothing more.
    pub(crate) fn refresh_views(&mut self) {
        for view in self.registry.views {
            if view.name() == self.view {
                view.shown(self);
            } else {
                view.hidden(self);
            }
        }
    }
}
