//! What is between the command text and the notes: what all views have in common.

use std::any::{Any, TypeId};
use std::collections::HashMap;

use ratatui::crossterm::event::KeyEvent;

use crate::actions::{Action, Entry};
use crate::screen::canvas::Canvas;
use crate::screen::view_name::ViewName;
use crate::state::drawer::Hint;

/// Signs of a view and what they are.
pub(crate) type Signs = &'static [(&'static str, &'static str)];

/// Letters that mean something of their own in a view.
pub(crate) struct OwnLetters {
    /// The letters.
    pub letters: &'static str,
    /// What they do, for whoever wants to give one of them another meaning.
    pub does: &'static str,
}

/// A view. What it remembers is in [`ViewStates`], so that it can be worked on with the rest of the state.
pub(crate) trait View<S>: Sync {
    /// Its name.
    fn name(&self) -> ViewName;

    /// What the head calls it.
    fn title(&self) -> &'static str;

    /// What the head says beside its title.
    fn beside_title(&self, _app: &S) -> String {
        String::new()
    }

    /// The action that opens it from the Bench; the Bench itself has none.
    fn entry(&self) -> Option<Entry>;

    /// The number of the function key that opens it from everywhere.
    fn function_key(&self) -> Option<u8>;

    /// Letters that mean something of their own in it, besides those that scroll.
    fn own_letters(&self) -> Option<OwnLetters>;

    /// Actions that must keep their keys in it.
    fn actions(&self) -> &'static [Action];

    /// The signs in it, for the help.
    fn signs(&self) -> Signs;

    /// Draws it. Nothing but the state is looked at.
    fn draw(&self, canvas: &mut Canvas<'_>, app: &S);

    /// Draws what is under it.
    fn notes(&self, canvas: &mut Canvas<'_>, app: &S);

    /// The keys that mean something in it, the most important ones first.
    fn hints(&self, app: &S) -> Vec<Hint>;

    /// A key where the text does not have it; false where it means nothing of its own in the view.
    fn key(&self, key: KeyEvent, app: &mut S) -> bool;

    /// A row of its list was clicked.
    fn clicked(&self, _row: usize, _app: &mut S) {}

    /// It is shown now, or the result on screen is another one.
    fn shown(&self, _app: &mut S) {}

    /// Another view is shown: what it does in the background ends.
    fn hidden(&self, _app: &mut S) {}

    /// The keys that scroll the lens mean it.
    fn has_lens(&self) -> bool {
        false
    }

    /// There is something in it that wants to be seen.
    fn calls(&self, _app: &S) -> bool {
        false
    }
}

/// All views, and what opens the drawers: what a Bench is made from.
pub(crate) struct Registry<S: 'static> {
    /// The views, in the order of the head; the first one is the Bench.
    pub views: &'static [&'static dyn View<S>],
    /// What an action opens.
    pub drawers: &'static [(Action, fn(&mut S))],
}

/// What each view remembers, by its type.
#[derive(Default)]
pub(crate) struct ViewStates(HashMap<TypeId, Box<dyn Any>>);

impl ViewStates {
    /// What a view remembers; `None` while that is nothing.
    pub(crate) fn get<S: Any>(&self) -> Option<&S> {
        self.0.get(&TypeId::of::<S>())?.downcast_ref()
    }

    /// What a view remembers, to change it; it begins with its default.
    pub(crate) fn of<S: Any + Default>(&mut self) -> &mut S {
        let state = self.0.entry(TypeId::of::<S>()).or_insert_with(|| Box::new(S::default()));
        // What has this type's number is of this type.
        state.downcast_mut().unwrap_or_else(|| Box::leak(Box::default()))
    }
}
