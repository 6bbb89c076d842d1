//! Work beside the keys.

use engine::BackgroundError;
use stream::RunControl;

use crate::state::app::{App, Event};
use crate::state::job::Job;

impl App {
    /// Does something in the background; its event comes, or one that says that it failed. Of most kinds of work
    /// only the newest counts.
    pub(crate) fn in_background(&self, job: Job, work: impl FnOnce() -> Event + Send + 'static) {
        self.in_background_until(job, RunControl::default(), work);
    }

    /// As [`App::in_background`] for work that looks at `control`: newer work of its kind cancels that.
    pub(crate) fn in_background_until(
        &self,
        job: Job,
        control: RunControl,
        work: impl FnOnce() -> Event + Send + 'static,
    ) {
        let events = self.events.clone();
        self.jobs.start(job, job.order(), control, work, move |made| {
            // Nobody listens any more when the screen is gone.
            let _ = match made {
                // That is said on this very thread, which takes the news in, too.
                Err(error @ BackgroundError::NoThread(_)) => {
                    events.try_send(Event::Failed(job, error.to_string())).is_ok()
                }
                Err(error) => events.send(Event::Failed(job, error.to_string())).is_ok(),
                Ok(event) => events.send(event).is_ok(),
            };
        });
    }
}
