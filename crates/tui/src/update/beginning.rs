//! A Bench with its first text.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::mpsc::SyncSender;

use engine::{Capture, Jobs, SessionEvent, Workbench};
use insight::PastLog;
use ratatui::layout::Size;

use crate::actions::Action;
use crate::screen::place::{Focus, Place};
use crate::screen::view_name::BENCH;
use crate::state::app::{App, Event, MouseState, Setup};
use crate::state::event::Wish;
use crate::state::examples::Examples;
use crate::state::job::Job;
use crate::state::kept::KeptState;
use crate::state::lens::Lens;
use crate::state::pending::PendingView;
use crate::state::purpose::Purpose;
use crate::state::result::ResultState;
use crate::state::run::ThroughputView;
use crate::state::session::{ConsentState, SessionState};
use crate::state::text::TextState;
use crate::state::told::Told;
use crate::state::view::ViewStates;
use crate::storage::config::Config;
use crate::storage::recovery::Recovery;
use crate::storage::store::Store;

impl App {
    /// The Bench with its first text, evaluated in the background.
    pub(crate) fn new(setup: Setup) -> Self {
        let events = setup.events.clone();
        let workbench = workbench(setup.capture, setup.events.clone());
        let past = setup.store.as_ref().map(|store| PastLog::in_folder(store.folder()));
        let history = setup.store.as_ref().map_or(Ok(Vec::new()), Store::history);
        let history_error = history.as_ref().err().map(|error| {
            let file = setup.store.as_ref().map(Store::history_file).unwrap_or_default();
            insight::own_file_error(&file, error)
        });
        let history = history.unwrap_or_default();
        let mut app = Self {
            text: TextState::new(setup.text, setup.path, history),
            result: ResultState::new(),
            session: SessionState {
                workbench,
                variables: setup.variables,
                limits: setup.settings.limits,
            },
            events,
            jobs: Jobs::default(),
            consent: ConsentState::default(),
            kept: KeptState {
                recovery: setup.store.clone().and_then(|store| recovery(store, &setup.events)),
                store: setup.store,
                runs: setup.runs,
                kept_runs: None,
                config: setup.config,
                shell_history: setup.shell_history,
                past,
                marked: None,
                taken_off: Vec::new(),
                versions: crate::state::versions::Versions::default(),
                shelves: setup.shelves,
            },
            focus: Focus::Text,
            place: Place::Stage(0),
            opened: BTreeSet::new(),
            lens: Lens::default(),
            sample: setup.settings.sample,
            drawer: None,
            writing: 0,
            opening: None,
            message: None,
            theme: setup.theme,
            view: BENCH,
            states: ViewStates::default(),
            registry: setup.registry,
            pending: PendingView::default(),
            running: None,
            throughput: ThroughputView::default(),
            examples: Examples::default(),
            mouse: MouseState::default(),
            range_end: None,
            points: 0,
            clipboard: None,
            purpose: setup.purpose,
            demo: setup.demo,
            wish: Wish::Stay,
            page: Size::new(80, 24),
        };
        if app.has_given_input() {
            app.text.offered = Some(app.text.editor.text().to_owned());
        }
        if let (Some(recovered), Some(store)) = (setup.recovered, &app.kept.store) {
            // Among the earlier lines it is safe for good.
            if store.remember(&recovered.text).is_ok() {
                Store::settle(&recovered);
                app.text.history.retain(|earlier| *earlier != recovered.text);
                app.text.history.push(recovered.text);
                app.message = Some(
                    "the text of an interrupted session was kept: ↑ brings it back".to_owned(),
                );
            }
        }
        match app.kept.config.as_ref().map(Config::allowed) {
            Some(Ok(allowed)) => app.consent.allowed = allowed,
            Some(Err(error)) => app.message = Some(error.to_string()),
            None => {}
        }
        if history_error.is_some() {
            app.message = history_error;
        }
        if app.message.is_none() && app.purpose == Purpose::Pipe {
            app.message =
                Some("quit with yes, and the result is passed on to standard output".to_owned());
        }
        app.text_changed();
        app.ask_missing_parameters();
        if setup.starts {
            app.act(Action::Start);
        }
        app
    }
}

/// What evaluates the text, and sends its news.
fn workbench(capture: Option<Arc<Capture>>, report: SyncSender<Event>) -> Workbench {
    let told = Told::default();
    Workbench::new(capture, move |job| {
        let event = match job {
            SessionEvent::Begun(preview) | SessionEvent::Done(preview) => Event::Previewed(preview),
            SessionEvent::Arrived if told.tell() => Event::Arrived(told.clone()),
            SessionEvent::Arrived => return,
            other => Event::Session(other),
        };
        // Nobody listens any more when the screen is gone.
        let _ = report.send(event);
    })
}

/// Keeps the text from here on; `None` where there is no thread for it.
fn recovery(store: Store, events: &SyncSender<Event>) -> Option<Recovery> {
    let events = events.clone();
    let failed = move |error: std::io::Error| {
        let why = stream::describe(&error);
        // Nobody listens any more when the screen is gone.
        let _ = events.send(Event::Failed(Job::Recovery, why));
    };
    Recovery::start(store, failed).ok()
}
