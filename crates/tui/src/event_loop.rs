//! From the terminal to the state and back, until the user leaves.

use std::fs::File;
use std::io::{self, IsTerminal};
use std::os::fd::OwnedFd;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, sync_channel};
use std::time::{Duration, Instant};

use engine::{Capture, Variables};
use ratatui::crossterm::event::{self, MouseEvent, MouseEventKind};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use signal_hook::consts::SIGHUP;
use stream::Source;
use thiserror::Error;

use crate::state::app::Event;
use crate::state::app::{App, Setup};
use crate::state::event::Wish;
use crate::state::purpose::Purpose;
use crate::state::told::Told;
use crate::storage::config::Config;
use crate::storage::settings::Settings;
use crate::storage::store::Store;
use crate::terminal::{self, Screen};
use crate::theme::{Background, Depth, Theme};
use crate::{frame, views};

/// Draws at most this often.
const FRAME: Duration = Duration::from_millis(33);

/// Figures of work that continues are refreshed this often.
const PULSE: Duration = Duration::from_millis(100);

/// News that wait at most: who has more to tell waits until it is taken in.
pub(crate) const QUEUE: usize = 512;

/// How to start.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// The text to begin with.
    pub text: String,
    /// The script the text came from.
    pub path: Option<PathBuf>,
    /// Folders the Shelf looks into, besides the working directory.
    pub shelves: Vec<PathBuf>,
    /// The background; `None` to ask the terminal.
    pub background: Option<Background>,
    /// The parameters of the script.
    pub parameters: Vec<Vec<u8>>,
    /// What becomes of the text when the screen is left.
    pub purpose: Purpose,
    /// The place to begin is shown first: the files of the folder this process is in.
    pub starts: bool,
    /// Lays out the demo, goes to its folder, and gives the pipeline that is opened there; or says why
    /// not.
    pub demo: Option<fn() -> Result<PathBuf, String>>,
}

/// What continues when the screen is left.
pub struct PassOn {
    /// The text to be run.
    pub text: String,
    /// Its variables and parameters.
    pub variables: Variables,
    /// Standard input, where it was data: all of it.
    pub input: Option<Box<dyn Source>>,
}

/// How the screen was left.
pub enum Left {
    /// There is nothing more to do.
    Done,
    /// A signal asked to end.
    Signal(i32),
    /// The result was not wanted.
    Declined,
    /// The text is to be run on everything, its result going to standard output.
    PassOn(Box<PassOn>),
    /// The text is to be printed.
    Print(String),
}

/// Why there is no screen.
#[derive(Debug, Error)]
pub enum TuiError {
    /// There is no controlling terminal.
    #[error("there is no terminal to draw on; “ylotrope run” works without one")]
    NoTerminal,
    /// The terminal failed.
    #[error("the terminal")]
    Terminal(#[from] io::Error),
}

/// Opens the Bench on the terminal that is standard output, and stays until the user leaves. The
/// terminal is left as it was found, and nothing reads its keys any more.
///
/// # Errors
/// When there is no terminal or it fails.
pub fn run(options: Options) -> Result<Left, TuiError> {
    if !io::stdout().is_terminal() {
        return Err(TuiError::NoTerminal);
    }
    views::register();
    let config = Config::usual();
    let (settings, trouble) = match config.as_ref().map(Config::settings) {
        Some(Ok(settings)) => (settings, None),
        Some(Err(error)) => (Settings::default(), Some(error.to_string())),
        None => (Settings::default(), None),
    };
    settings.choose_keys();
    let depth = settings.depth.unwrap_or_else(Depth::from_environment);
    let background = options
        .background
        .or(settings.background)
        .unwrap_or_else(|| terminal::ask_background(depth));
    let (sender, events) = sync_channel(QUEUE);
    let capture = take_standard_input(&sender)?;
    let store = Store::usual();
    let homeless = store.is_none();
    let recovered = store.as_ref().and_then(Store::recovered);
    let name = options
        .path
        .as_ref()
        .map_or("ylotrope".into(), |path| path.as_os_str().as_encoded_bytes().to_vec());
    let mut app = App::new(Setup {
        text: options.text,
        path: options.path,
        shell_history: crate::storage::shell_history::usual(),
        shelves: std::iter::once(".".into())
            .chain(options.shelves)
            .chain(settings.shelves.clone())
            .collect(),
        theme: Theme::new(background, depth),
        variables: Variables::new(name, options.parameters),
        capture,
        store,
        runs: insight::Runs::usual(),
        config,
        recovered,
        events: sender.clone(),
        registry: views::REGISTRY,
        purpose: options.purpose,
        starts: options.starts,
        settings,
        demo: options.demo,
    });
    if trouble.is_some() {
        app.message = trouble;
    }
    app.take_over_writes();
    if homeless {
        app.message = Some(insight::NotOurs::NoHome.to_string());
    }
    let mut screen = Screen::enter()?;
    terminal::watch_signals(&sender)?;
    let keys = KeyReader::start(sender)?;
    let outcome = event_loop(&mut app, &mut screen, &events);
    // Who still has something to tell does not wait for anybody to listen.
    drop(events);
    keys.stop();
    screen.leave();
    app.end_everything();
    outcome
}

/// The configuration in force as a file that says the same, with a comment for each setting.
///
/// # Errors
/// What is wrong with the file, in words.
pub fn configuration() -> Result<String, String> {
    views::register();
    let config = Config::usual().ok_or_else(|| insight::NotOurs::NoHome.to_string())?;
    config.in_force().map_err(|error| error.to_string())
}

/// Writes every setting that is not in the configuration file into it, with a comment; says what was
/// done.
///
/// # Errors
/// What is wrong with the file, in words; it is as it was then.
pub fn write_configuration() -> Result<String, String> {
    views::register();
    let config = Config::usual().ok_or_else(|| insight::NotOurs::NoHome.to_string())?;
    let added = config.write_settings().map_err(|error| error.to_string())?;
    let path = config.path().display();
    Ok(match &added[..] {
        [] => format!("{path}: every setting is there already; nothing was changed"),
        names => format!("{path}: added {}", names.join(", ")),
    })
}

/// The level of the log that is set; `None` for none.
pub fn log_level() -> Option<String> {
    views::register();
    Config::usual()?.settings().ok()?.log
}

/// Takes in standard input where it is data and not the keyboard.
fn take_standard_input(sender: &SyncSender<Event>) -> io::Result<Option<Arc<Capture>>> {
    if io::stdin().is_terminal() {
        return Ok(None);
    }
    let descriptor = rustix::io::dup(rustix::stdio::stdin())?;
    let (sender, told) = (sender.clone(), Told::default());
    let arrived = move || {
        if told.tell() {
            // Nobody listens any more when the screen is gone.
            drop(sender.send(Event::Arrived(told.clone())));
        }
    };
    Capture::start(descriptor, arrived).map(Some)
}

/// The thread that reads keys. Once it is asked to stop it takes none any more: whoever has the
/// terminal afterwards gets every key.
struct KeyReader {
    stops: Arc<AtomicBool>,
}

impl KeyReader {
    /// How often it looks whether it is to stop.
    const LOOK: Timespec = Timespec { tv_sec: 0, tv_nsec: 50_000_000 };

    fn start(sender: SyncSender<Event>) -> io::Result<Self> {
        let stops = Arc::new(AtomicBool::new(false));
        let asked = stops.clone();
        let terminal = if io::stdin().is_terminal() {
            rustix::io::dup(rustix::stdio::stdin())?
        } else {
            OwnedFd::from(File::open("/dev/tty")?)
        };
        engine::start_thread("keys", move || read_keys(&terminal, &sender, &asked))?;
        Ok(Self { stops })
    }

    fn stop(self) {
        self.stops.store(true, Ordering::Relaxed);
    }
}

fn read_keys(terminal: &OwnedFd, sender: &SyncSender<Event>, stops: &AtomicBool) {
    loop {
        // Waiting takes no key, so that none is lost when it ends.
        let mut ports = [PollFd::new(terminal, PollFlags::IN)];
        let ready = poll(&mut ports, Some(&KeyReader::LOOK)).unwrap_or(0) > 0;
        if stops.load(Ordering::Relaxed) {
            return;
        }
        if ports[0].revents().intersects(PollFlags::HUP | PollFlags::ERR | PollFlags::NVAL) {
            // The terminal is gone: leave as if it had said so.
            let _ = sender.send(Event::Signal(SIGHUP));
            return;
        }
        while ready || event::poll(Duration::ZERO).unwrap_or(false) {
            let Ok(event) = event::read() else {
                let _ = sender.send(Event::Signal(SIGHUP));
                return;
            };
            // Where the mouse only moves, nothing happens.
            let moved = |mouse: &MouseEvent| mouse.kind == MouseEventKind::Moved;
            let is_moved = event.as_mouse_event().is_some_and(|mouse| moved(&mouse));
            if !is_moved && sender.send(Event::Terminal(event)).is_err() {
                return;
            }
            // What came with it is at hand already.
            if stops.load(Ordering::Relaxed) || !event::poll(Duration::ZERO).unwrap_or(false) {
                break;
            }
        }
    }
}

fn event_loop(
    app: &mut App,
    screen: &mut Screen,
    events: &Receiver<Event>,
) -> Result<Left, TuiError> {
    let mut dirty = true;
    let mut drawn = Instant::now().checked_sub(FRAME).unwrap_or_else(Instant::now);
    loop {
        if dirty && drawn.elapsed() >= FRAME {
            let mut targets = crate::screen::target::Targets::new();
            let at = screen.draw(|frame| targets = frame::draw(frame, app))?;
            app.set_targets(targets);
            drawn = Instant::now();
            // Whether one side or both fit changes what the lens shows.
            dirty = app.set_page(frame::page(at, app));
        }
        let wait = if dirty { FRAME.saturating_sub(drawn.elapsed()) } else { PULSE };
        match events.recv_timeout(wait) {
            Ok(event) => {
                dirty = true;
                app.update(event);
                // What has piled up is worked off before the next drawing.
                while let Ok(event) = events.try_recv() {
                    app.update(event);
                    if app.wish() != Wish::Stay || drawn.elapsed() > FRAME * 4 {
                        break;
                    }
                }
            }
            Err(RecvTimeoutError::Timeout) => dirty |= app.pulse(),
            Err(RecvTimeoutError::Disconnected) => return Ok(Left::Done),
        }
        if let Some(bytes) = app.take_clipboard()
            && let Err(error) = Screen::copy(&bytes)
        {
            app.message = Some(format!("not copied: {}", stream::describe(&error)));
        }
        match app.wish() {
            Wish::Stay => {}
            Wish::Suspend => {
                app.resumed();
                screen.suspend()?;
                dirty = true;
            }
            Wish::TakeAgain => {
                app.resumed();
                screen.take_again()?;
                dirty = true;
            }
            Wish::Leave => return Ok(Left::Done),
            Wish::Decline => return Ok(Left::Declined),
            Wish::Print => return Ok(Left::Print(app.text.editor.text().to_owned())),
            Wish::PassOn => {
                let input = app.session.workbench.capture().map(|capture| capture.hand_over());
                return Ok(Left::PassOn(Box::new(PassOn {
                    text: app.text.editor.text().to_owned(),
                    variables: app.session.variables.clone(),
                    input,
                })));
            }
            Wish::End(signal) => return Ok(Left::Signal(signal)),
        }
    }
}
