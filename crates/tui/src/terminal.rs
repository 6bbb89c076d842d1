//! The terminal: taken over, given back, whatever happens.

use std::io::{self, BufWriter, Stdout, Write, stdout};
use std::mem::ManuallyDrop;
use std::sync::Once;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::SyncSender;
use std::time::{Duration, Instant};

use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::clipboard::CopyToClipboard;
use ratatui::crossterm::event::Event as TerminalEvent;
use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, Clear, ClearType, EndSynchronizedUpdate, EnterAlternateScreen,
    LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::crossterm::{execute, queue};
use ratatui::layout::Size;
use ratatui::{Frame, Terminal};
use rustix::process::Signal;
use signal_hook::consts::{SIGCONT, SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP, SIGWINCH};
use signal_hook::iterator::Signals;

use crate::state::app::Event;
use crate::theme::{Background, Depth};

/// True while the terminal is ours and must be given back.
static TAKEN: AtomicBool = AtomicBool::new(false);

/// Bytes of a frame that are gathered before anything is written: more than a whole screen takes.
const FRAME: usize = 1 << 17;

type Backend = CrosstermBackend<BufWriter<Stdout>>;

fn terminal() -> io::Result<Terminal<Backend>> {
    Terminal::new(CrosstermBackend::new(BufWriter::with_capacity(FRAME, stdout())))
}

/// The screen while it is ours. Given back when dropped.
pub(crate) struct Screen {
    /// Never dropped with the screen: it prints an error where the terminal is gone, and who then cannot print
    /// that panics. The cursor is shown here.
    terminal: ManuallyDrop<Terminal<Backend>>,
    /// It was given back until this process is continued: nothing is drawn.
    away: bool,
    size: Size,
}

impl Screen {
    pub(crate) fn enter() -> io::Result<Self> {
        guard_panics();
        take()?;
        let terminal = ManuallyDrop::new(terminal()?);
        Ok(Self { terminal, away: false, size: Size::new(80, 24) })
    }

    /// Draws a frame. It reaches the terminal in one piece, between the marks of a synchronised
    /// update, so that no half of it is ever seen; terminals that do not know the marks skip them.
    pub(crate) fn draw(&mut self, view: impl FnOnce(&mut Frame<'_>)) -> io::Result<Size> {
        if !self.away {
            queue!(self.terminal.backend_mut(), BeginSynchronizedUpdate)?;
            let done = self.terminal.draw(view)?;
            self.size = Size::new(done.area.width, done.area.height);
            execute!(self.terminal.backend_mut(), EndSynchronizedUpdate)?;
        }
        Ok(self.size)
    }

    /// Stops this process until the shell brings it back; that it did comes as an event. (When the
    /// signal takes hold is not known here, so nothing is done after it.)
    pub(crate) fn suspend(&mut self) -> io::Result<()> {
        give_back();
        self.away = true;
        Ok(rustix::process::kill_process(rustix::process::getpid(), Signal::STOP)?)
    }

    /// Takes the terminal over once more: somebody else may have had it.
    pub(crate) fn take_again(&mut self) -> io::Result<()> {
        // Its settings may have been changed meanwhile.
        give_back();
        take()?;
        self.away = false;
        // A terminal without a past draws everything anew. (Clearing it would ask for the
        // cursor's place, and the answer goes to the thread that reads the keys.)
        execute!(stdout(), Clear(ClearType::All))?;
        let before = std::mem::replace(&mut self.terminal, ManuallyDrop::new(terminal()?));
        drop(ManuallyDrop::into_inner(before));
        Ok(())
    }

    /// Hands bytes to the terminal's clipboard (OSC 52). Whether it takes them it does not say.
    pub(crate) fn copy(bytes: &[u8]) -> io::Result<()> {
        execute!(stdout(), CopyToClipboard::to_clipboard_from(bytes))
    }

    /// Gives the terminal back.
    pub(crate) fn leave(self) {
        drop(self);
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
    }
}

fn take() -> io::Result<()> {
    TAKEN.store(true, Ordering::SeqCst);
    enable_raw_mode()?;
    execute!(stdout(), EnterAlternateScreen, EnableBracketedPaste, EnableMouseCapture)
}

/// Brings the terminal back to how it was found; once.
fn give_back() {
    if TAKEN.swap(false, Ordering::SeqCst) {
        // Nothing can be done about a terminal that is gone.
        let _ = execute!(
            stdout(),
            EndSynchronizedUpdate,
            DisableMouseCapture,
            DisableBracketedPaste,
            LeaveAlternateScreen
        );
        let _ = stdout().write_all(b"\x1b[?25h");
        let _ = stdout().flush();
        let _ = disable_raw_mode();
    }
}

/// A panic on the screen's own thread gives the terminal back before it is reported. One on
/// another thread is that work's own failure: it is caught there, and nothing is printed into
/// the screen.
fn guard_panics() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            if std::thread::current().name() == Some("main") || !TAKEN.load(Ordering::SeqCst) {
                give_back();
                before(panic);
            }
        }));
    });
}

/// Turns the signals that ask to end into an event, so that the screen is left in good order.
pub(crate) fn watch_signals(sender: &SyncSender<Event>) -> io::Result<()> {
    /// A signal again within this time is the same one, by way of the process group.
    const SAME: Duration = Duration::from_millis(500);
    let mut signals = Signals::new([SIGTERM, SIGHUP, SIGINT, SIGQUIT, SIGTSTP, SIGCONT, SIGWINCH])?;
    let sender = sender.clone();
    let parent = rustix::process::getppid();
    engine::start_thread("signals", move || {
        let mut asked: Option<Instant> = None;
        for signal in signals.forever() {
            let event = match signal {
                SIGTSTP => Event::Suspend,
                SIGCONT => Event::Continued,
                // Drawing finds the new size by itself.
                SIGWINCH => Event::Terminal(TerminalEvent::Resize(0, 0)),
                signal => Event::Signal(signal),
            };
            let ends = matches!(event, Event::Signal(_));
            let again = ends && asked.is_some_and(|before| before.elapsed() > SAME);
            // Without its parent this process has to end what it has started first, and then goes by itself.
            let has_parent = rustix::process::getppid() == parent;
            if (sender.send(event).is_err() && ends || again) && has_parent {
                // Nobody listens, or the loop does not come round: go at once.
                give_back();
                std::process::exit(128 + signal);
            }
            if ends {
                asked.get_or_insert_with(Instant::now);
            }
        }
    })?;
    Ok(())
}

/// The background the terminal has, where it tells; dark else.
pub(crate) fn ask_background(depth: Depth) -> Background {
    if depth == Depth::None {
        return Background::Dark;
    }
    let mut options = terminal_colorsaurus::QueryOptions::default();
    options.timeout = Duration::from_millis(100);
    match terminal_colorsaurus::theme_mode(options) {
        Ok(terminal_colorsaurus::ThemeMode::Light) => Background::Light,
        _ => Background::Dark,
    }
}
