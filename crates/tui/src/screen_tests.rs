//! Tests of whole screens, without a terminal: what is drawn, and what keys and mouse do.

mod detail_tests;
mod exact_tests;
mod figure_tests;
mod journeys;
mod key_tests;
mod layout_tests;
mod own_view_tests;
mod run_tests;
mod snapshot_tests;
mod stand;
mod steady_tests;
mod sweep_tests;
