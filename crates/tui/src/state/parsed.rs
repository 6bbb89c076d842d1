//! A text as far as it is understood.

use std::sync::Arc;

/// What is known of a text by itself.
pub(crate) struct Parsed {
    pub(crate) script: Option<Arc<shell::Script>>,
    pub(crate) problem: Option<shell::ShellError>,
    pub(crate) programs: Vec<insight::ProgramText>,
}

impl Parsed {
    pub(crate) fn of(text: &str, at: usize) -> Self {
        let (script, problem) = match engine::parse(text) {
            Ok(script) => (Some(script), None),
            Err(error) => (None, Some(error)),
        };
        let programs = script.as_ref().map(|script| insight::programs(text, script, at));
        Self { script: script.map(Arc::new), problem, programs: programs.unwrap_or_default() }
    }
}
