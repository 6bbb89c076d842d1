//! The open drawer.

use std::any::Any;

use crate::state::app::App;
use crate::state::drawer::{After, Drawer};

impl App {
    /// Opens a drawer in the place of the one that is open.
    pub(crate) fn open_drawer(&mut self, drawer: impl Drawer<Self>) {
        tracing::debug!(drawer = drawer.name(), "opened");
        self.drawer = Some(Box::new(drawer));
    }

    /// The open drawer, where it is one of this kind.
    pub(crate) fn drawer_of<D: Drawer<Self>>(&self) -> Option<&D> {
        let drawer: &dyn Any = &**self.drawer.as_ref()?;
        drawer.downcast_ref()
    }

    /// As [`App::drawer_of`], to change it.
    pub(crate) fn drawer_of_mut<D: Drawer<Self>>(&mut self) -> Option<&mut D> {
        let drawer: &mut dyn Any = &mut **self.drawer.as_mut()?;
        drawer.downcast_mut()
    }

    /// Does something with the open drawer and the rest of the state; it stays as that says, unless another one
    /// was opened.
    pub(crate) fn with_drawer(
        &mut self,
        work: impl FnOnce(&mut dyn Drawer<Self>, &mut Self) -> After,
    ) {
        let Some(mut drawer) = self.drawer.take() else { return };
        if work(&mut *drawer, self) == After::Stays {
            self.drawer = Some(drawer);
        }
    }

    /// As [`App::with_drawer`] for one of this kind: nothing is done where another one is open.
    pub(crate) fn with_drawer_of<D: Drawer<Self>>(&mut self, work: impl FnOnce(&mut D, &mut Self)) {
        if self.drawer_of::<D>().is_none() {
            return;
        }
        self.with_drawer(|drawer, app| {
            let drawer: &mut dyn Any = drawer;
            if let Some(drawer) = drawer.downcast_mut() {
                work(drawer, app);
            }
            After::Stays
        });
    }
}
