//! From a changed text to an evaluation of it: parsed before the next key, or beside the keys.

use std::time::Instant;

use engine::{Limits, PlanError, Request, Sample};

use crate::state::app::App;
use crate::state::app::Event;
use crate::state::job::Job;
use crate::state::parsed::Parsed;
use crate::state::trials::Trials;

/// Texts up to this many bytes are parsed before the next key; longer ones in the background.
const PARSED_AT_ONCE: usize = 16 << 10;

impl App {
    /// The text has changed: parse, check, and evaluate in the background.
    pub(crate) fn text_changed(&mut self) {
        let text = self.text.editor.text().to_owned();
        if let Some(recovery) = &self.kept.recovery {
            if self.text.is_changed() { recovery.keep(text.clone()) } else { recovery.forget() }
        }
        self.text.parses += 1;
        let at = self.text.editor.cursor();
        if text.len() <= PARSED_AT_ONCE {
            let parsed = Parsed::of(&text, at);
            return self.parsed(text, at, parsed);
        }
        // Nothing is known of a long text until it is parsed in the background.
        self.session.workbench.cancel();
        self.text.script = None;
        self.text.programs = Vec::new();
        self.text.problem = None;
        let number = self.text.parses;
        self.in_background(Job::Parsing, move || {
            let parsed = Box::new(Parsed::of(&text, at));
            Event::Parsed(number, text, at, parsed)
        });
    }

    /// The text is parsed: checks it and evaluates it in the background.
    pub(crate) fn parsed(&mut self, text: String, at: usize, parsed: Parsed) {
        let Parsed { script, problem, programs } = parsed;
        self.text.script = script;
        self.text.programs = programs;
        if let Some(error) = problem {
            self.text.problem =
                Some(PlanError { message: error.kind.to_string(), span: error.span });
            self.session.workbench.cancel();
            self.result.waiting = None;
        } else {
            // What was wrong with the text before says nothing of this one.
            self.text.problem = None;
            let limits = if self.sample == Sample::Everything {
                let memory_bytes = self.session.limits.memory_bytes;
                Limits { memory_bytes, ..Limits::generous() }
            } else {
                self.session.limits
            };
            self.text.shown_span = self.text.pipeline().map(|pipeline| pipeline.span);
            let request = Request {
                text,
                at,
                variables: self.session.variables.clone(),
                script: self.text.script.clone(),
                plan: None,
                sample: self.sample,
                limits,
                allowed: self.consents(),
            };
            // Nothing is tried for the text before while this one is evaluated.
            self.result.trying = Trials::default();
            self.result.request = Some(request.clone());
            self.result.waiting = Some(self.session.workbench.evaluate(request));
            self.result.waiting_since = Instant::now();
        }
        self.follow_cursor();
    }
}
