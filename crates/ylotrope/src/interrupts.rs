//! Signals that end a run: everything is tidied up first.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::Duration;

use signal_hook::consts::{SIGABRT, SIGHUP, SIGINT, SIGTERM};
use signal_hook::flag;
use signal_hook::iterator::Signals;
use signal_hook::low_level::emulate_default_handler;
use stream::RunControl;

/// How long stages have to tidy up before the process ends anyway: one that waits for a terminal
/// notices nothing.
const GRACE: Duration = Duration::from_millis(300);

/// The status of a run that ends at a limit.
const LIMIT_STATUS: i32 = 2;

/// Turns signals into cancelling.
pub(crate) struct Interrupts {
    pub(crate) control: RunControl,
    /// Noted where the signal comes in, so that a run that ends at the same moment knows of it.
    caught: Arc<AtomicUsize>,
}

impl Interrupts {
    /// Begins to watch for signals. Without it (when no thread can be had) they end the process
    /// at once.
    pub(crate) fn watch() -> Self {
        let interrupts = Self { control: RunControl::default(), caught: Arc::default() };
        let control = interrupts.control.clone();
        for signal in [SIGINT, SIGTERM, SIGHUP] {
            // Where it cannot be noted it is seen by the thread below, a little later.
            let _ = flag::register_usize(signal, interrupts.caught.clone(), signal as usize);
        }
        // The standard library names an allocation that failed on standard error, then raises
        // this. It is a limit like the others, so it has their status and leaves no core.
        let always = Arc::new(AtomicBool::new(true));
        let _ = flag::register_conditional_shutdown(SIGABRT, LIMIT_STATUS, always);
        let Ok(mut signals) = Signals::new([SIGINT, SIGTERM, SIGHUP]) else { return interrupts };
        let spawned = engine::start_thread("signals", move || {
            if let Some(signal) = signals.forever().next() {
                control.cancel();
                std::thread::sleep(GRACE);
                engine::give_up_writing();
                // It fails only for signals that are none.
                let _ = emulate_default_handler(signal);
            }
        });
        drop(spawned);
        interrupts
    }

    /// Ends the process by the signal that came, if one did.
    pub(crate) fn pass_on(&self) {
        let signal = self.caught.load(Ordering::SeqCst) as i32;
        if signal != 0 {
            // It fails only for signals that are none.
            let _ = emulate_default_handler(signal);
        }
    }
}
