//! The Bench: its state.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::mpsc::SyncSender;

use engine::{Capture, Jobs, Sample, Variables};
use insight::Runs;
use ratatui::layout::Size;

use crate::screen::place::{Focus, Place};
use crate::screen::target::Targets;
use crate::screen::view_name::ViewName;
use crate::state::drawer::Drawer;
use crate::state::event::{self, Wish};
use crate::state::examples::Examples;
use crate::state::job::Job;
use crate::state::kept::KeptState;
use crate::state::lens::Lens;
use crate::state::pending::PendingView;
use crate::state::purpose::Purpose;
use crate::state::put_at::PutAt;
use crate::state::result::ResultState;
use crate::state::run::{Running, ThroughputView};
use crate::state::session::{ConsentState, SessionState};
use crate::state::text::TextState;
use crate::state::view::{Registry, View, ViewStates};
use crate::storage::config::Config;
use crate::storage::settings::Settings;
use crate::storage::store::{Recovered, Store};
use crate::theme::Theme;

/// News for the Bench.
pub(crate) type Event = event::Event<App>;

/// What the Bench is made from.
pub(crate) struct Setup {
    /// The text to begin with.
    pub(crate) text: String,
    /// The script it came from.
    pub(crate) path: Option<PathBuf>,
    /// Folders the Shelf looks into.
    pub(crate) shelves: Vec<PathBuf>,
    /// The history file of the user's shell, where there is one.
    pub(crate) shell_history: Option<PathBuf>,
    /// Colours.
    pub(crate) theme: Theme,
    /// Positional parameters.
    pub(crate) variables: Variables,
    /// Standard input, where it is data.
    pub(crate) capture: Option<Arc<Capture>>,
    /// Where history and recovery live; `None` for none.
    pub(crate) store: Option<Store>,
    /// Where runs are kept; `None` for nowhere.
    pub(crate) runs: Option<Runs>,
    /// The configuration; `None` for none.
    pub(crate) config: Option<Config>,
    /// Text of a session that crashed.
    pub(crate) recovered: Option<Recovered>,
    /// Where background work sends its news.
    pub(crate) events: SyncSender<Event>,
    /// The views and drawers there are.
    pub(crate) registry: &'static Registry<App>,
    /// What becomes of the text at the end.
    pub(crate) purpose: Purpose,
    /// The place to begin is shown first.
    pub(crate) starts: bool,
    /// What the user has set.
    pub(crate) settings: Settings,
    /// Lays out the demo.
    pub(crate) demo: Option<Demo>,
}

/// Lays out the demo, goes to its folder, and gives the pipeline that is opened there; or says why not.
pub(crate) type Demo = fn() -> Result<PathBuf, String>;

/// The mouse.
#[derive(Default)]
pub(crate) struct MouseState {
    /// What is where on the screen.
    pub(crate) targets: Targets,
    /// The row of the lens and the byte of its line at which the button went down.
    pub(crate) down: Option<(usize, usize)>,
}

/// The Bench.
pub(crate) struct App {
    /// The command text.
    pub(crate) text: TextState,
    /// What it gives.
    pub(crate) result: ResultState,
    /// What evaluates it.
    pub(crate) session: SessionState,
    /// Which programs may be started.
    pub(crate) consent: ConsentState,
    /// What outlives the Bench.
    pub(crate) kept: KeptState,
    /// Where the keys go.
    pub(crate) focus: Focus,
    /// The row of the river that is selected.
    pub(crate) place: Place,
    /// Stages whose inner commands are shown.
    pub(crate) opened: BTreeSet<usize>,
    /// The lens.
    pub(crate) lens: Lens,
    /// Which lines are worked on.
    pub(crate) sample: Sample,
    /// What lies over the notes.
    pub(crate) drawer: Option<Box<dyn Drawer<Self>>>,
    /// Files that are being written now.
    pub(crate) writing: usize,
    /// What was asked for last and is being read, by its number.
    pub(crate) opening: Option<u64>,
    /// What was just done, in a few words.
    pub(crate) message: Option<String>,
    /// Colours.
    pub(crate) theme: Theme,
    /// What is shown between text and notes.
    pub(crate) view: ViewName,
    /// What the views remember.
    pub(crate) states: ViewStates,
    /// The views there are.
    pub(crate) registry: &'static Registry<App>,
    /// The Pending view.
    pub(crate) pending: PendingView,
    /// The run on everything.
    pub(crate) running: Option<Running>,
    /// The Throughput view.
    pub(crate) throughput: ThroughputView,
    /// Examples for a pattern.
    pub(crate) examples: Examples,
    /// A line that was marked as one end of a range, and of which stream.
    pub(crate) range_end: Option<(PutAt, u64)>,
    /// What the mouse can point at.
    pub(crate) mouse: MouseState,
    /// Tries of offers so far.
    pub(crate) points: u64,
    /// What goes to the terminal's clipboard.
    pub(crate) clipboard: Option<Vec<u8>>,
    /// Where background work sends its news.
    pub(crate) events: SyncSender<Event>,
    /// What is done in the background.
    pub(crate) jobs: Jobs<Job>,
    /// What becomes of the text at the end.
    pub(crate) purpose: Purpose,
    /// Lays out the demo.
    pub(crate) demo: Option<Demo>,
    /// What is asked of the terminal.
    pub(crate) wish: Wish,
    /// The size of the screen.
    pub(crate) page: Size,
}

impl App {
    /// The view on screen.
    pub(crate) fn view(&self) -> &'static dyn View<Self> {
        let named = self.registry.views.iter().find(|view| view.name() == self.view);
        *named.unwrap_or(&self.registry.views[0])
    }
}
