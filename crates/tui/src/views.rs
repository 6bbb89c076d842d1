//! The views and drawers, each in a folder of its own: what it remembers, its keys, its hints, its drawing.
//! A new one is its folder and a row in [`REGISTRY`].

pub(crate) mod action_list;
pub(crate) mod all_notes;
pub(crate) mod bench;
pub(crate) mod columns;
pub(crate) mod compare;
pub(crate) mod export;
pub(crate) mod guide;
pub(crate) mod help;
pub(crate) mod history;
pub(crate) mod patterns;
pub(crate) mod pending;
pub(crate) mod point;
pub(crate) mod program;
pub(crate) mod sample;
pub(crate) mod sheet;
pub(crate) mod shelf;
pub(crate) mod start;
pub(crate) mod throughput;
pub(crate) mod trail;
pub(crate) mod versions;
pub(crate) mod wiring;

use crate::actions::{Action, Own, know_views};
use crate::state::app::App;
use crate::state::view::Registry;

/// All views, in the order of the head, and what opens a drawer.
pub(crate) const REGISTRY: &Registry<App> = &Registry {
    views: &[
        &bench::Bench,
        &throughput::Throughput,
        &wiring::Wiring,
        &pending::Pending,
        &columns::Columns,
        &compare::Compare,
    ],
    drawers: &[
        (Action::Actions, action_list::open),
        (Action::Notes, all_notes::open),
        (Action::Export, export::open),
        (Action::Guide, guide::open),
        (Action::Help, help::open),
        (Action::History, history::open),
        (Action::Program, program::open),
        (Action::ChooseSample, sample::open),
        (Action::Sheet, sheet::open),
        (Action::Shelf, shelf::open),
        (Action::Start, start::open),
        (Action::Trail, trail::open),
        (Action::Missed, trail::ask_for_missed),
        (Action::Versions, versions::open_earlier),
    ],
};

/// Makes the actions and letters of the views known, before keys are chosen or anything is drawn.
pub(crate) fn register() {
    let views = REGISTRY.views.iter();
    let entries: Vec<_> = views.clone().filter_map(|view| view.entry()).collect();
    let own = views.filter_map(|view| {
        let own = view.own_letters()?;
        Some(Own { letters: own.letters, does: own.does, needed: view.actions() })
    });
    know_views(&entries, own.collect());
}
