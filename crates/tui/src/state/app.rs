//! The Bench: its state.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::mpsc::Sender;
use std::time::Instant;

use engine::{Applied, Capture, Consents, PlanError, Preview, Sample, Variables, Workbench};
use insight::{KeptRun, Note, Runs};
use ratatui::layout::Size;
use shell::{Script, Span};

use crate::state::compare::CompareView;
use crate::state::drawer::Drawer;
use crate::state::event::{Event, Wish};
use crate::state::lens::Lens;
use crate::state::pending::PendingView;
use crate::state::place::{Focus, Place};
use crate::state::run::{Running, ThroughputView};
use crate::state::screen::Screen;
use crate::storage::config::Config;
use crate::storage::store::{Recovered, Store};
use crate::text::complete::Completion;
use crate::text::editor::Editor;
use crate::theme::Theme;

/// What the Bench is made from.
pub(crate) struct Setup {
    /// The text to begin with.
    pub text: String,
    /// The script it came from.
    pub path: Option<PathBuf>,
    /// Folders the Shelf looks into.
    pub shelves: Vec<PathBuf>,
    /// Colours.
    pub theme: Theme,
    /// Positional parameters.
    pub variables: Variables,
    /// Standard input, where it is data.
    pub capture: Option<Arc<Capture>>,
    /// Where history and recovery live; `None` for none.
    pub store: Option<Store>,
    /// Where runs are kept; `None` for nowhere.
    pub runs: Option<Runs>,
    /// The configuration; `None` for none.
    pub config: Option<Config>,
    /// Text of a session that crashed.
    pub recovered: Option<Recovered>,
    /// Where background work sends its news.
    pub events: Sender<Event>,
}

/// The Bench.
pub(crate) struct App {
    /// The command text.
    pub editor: Editor,
    /// The text as a tree; `None` while it has an error.
    pub script: Option<Script>,
    /// The programs in it.
    pub programs: Vec<insight::ProgramText>,
    /// What is wrong with the text.
    pub problem: Option<PlanError>,
    /// The script file, if there is one.
    pub path: Option<PathBuf>,
    /// The text as it was saved or opened last.
    pub saved: String,
    /// The result on screen.
    pub preview: Option<Arc<Preview>>,
    /// Advice on it.
    pub notes: Vec<Note>,
    /// The preview that is being made.
    pub waiting: Option<u64>,
    /// Since when.
    pub waiting_since: Instant,
    /// Where the keys go.
    pub focus: Focus,
    /// The row of the river that is selected.
    pub place: Place,
    /// The lens.
    pub lens: Lens,
    /// Which lines are worked on.
    pub sample: Sample,
    /// What lies over the notes.
    pub drawer: Option<Drawer>,
    /// Completion in progress.
    pub completion: Option<Completion>,
    /// What was just done, in a few words.
    pub message: Option<String>,
    /// Colours.
    pub theme: Theme,
    /// What is shown between text and notes.
    pub screen: Screen,
    /// Stages whose inner commands are shown.
    pub opened: BTreeSet<usize>,
    /// The Pending view.
    pub pending: PendingView,
    /// The run on everything.
    pub running: Option<Running>,
    /// The Throughput view.
    pub throughput: ThroughputView,
    /// The Compare view.
    pub compare: CompareView,
    /// Files that changed since they were read.
    pub changed: Vec<PathBuf>,
    /// What goes to the terminal's clipboard.
    pub(crate) clipboard: Option<Vec<u8>>,
    /// The pipeline that was evaluated last.
    pub(crate) shown: Option<Span>,
    pub(crate) workbench: Workbench,
    pub(crate) variables: Variables,
    pub(crate) applied: Vec<Applied>,
    pub(crate) allowed: Consents,
    /// Allowed for the next result alone.
    pub(crate) allowed_once: Consents,
    pub(crate) config: Option<Config>,
    pub(crate) dismissed: BTreeSet<(&'static str, String)>,
    pub(crate) store: Option<Store>,
    pub(crate) runs: Option<Runs>,
    /// The kept runs, while they are known.
    pub(crate) kept_runs: Option<Arc<Vec<KeptRun>>>,
    pub(crate) shelves: Vec<PathBuf>,
    pub(crate) history: Vec<String>,
    pub(crate) recalled: Option<(usize, String)>,
    pub(crate) searches: u64,
    pub(crate) searching: Option<stream::RunControl>,
    pub(crate) changes_seen: Instant,
    /// Something came from standard input while a preview was made.
    pub(crate) arrived: bool,
    pub(crate) events: Sender<Event>,
    /// Texts that were parsed or are being parsed.
    pub(crate) parses: u64,
    /// Bytes that a preview may take, where that is set.
    pub(crate) preview_memory: Option<u64>,
    pub(crate) wish: Wish,
    pub(crate) page: Size,
}
