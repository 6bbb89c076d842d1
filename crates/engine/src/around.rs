//! The commands of a text around the pipeline that is looked at: they run in the same world, so that
//! the pipeline sees what they would have written.

use std::sync::{Arc, Mutex, PoisonError};

use shell::{Item, List, Pipeline, Script};
use stream::World;

use crate::dry::{DryWorld, HeldCommand};
use crate::interpreter::Shell;
use crate::plan::StagePlan;
use crate::ports::Ports;
use crate::preview::Messages;
use crate::reading::only_reads;
use crate::run::{Nowhere, Refusal, Surroundings};
use crate::workbench::Allowed;

/// The pipelines of a text before and behind one of them.
pub(crate) struct Parts<'s> {
    pub(crate) before: Vec<&'s Pipeline>,
    pub(crate) after: Vec<&'s Pipeline>,
}

impl<'s> Parts<'s> {
    pub(crate) fn of(script: &'s Script, shown: &'s Pipeline) -> Self {
        let (before, rest): (Vec<_>, Vec<_>) =
            script.pipelines().partition(|pipeline| pipeline.span.start < shown.span.start);
        let after = rest.into_iter().filter(|pipeline| pipeline.span != shown.span).collect();
        Self { before, after }
    }
}

/// Runs one of them; what would end the shell ends only it.
pub(crate) fn run(pipeline: &Pipeline, shell: &mut Shell<'_>) {
    let item = Item { first: pipeline.clone(), rest: Vec::new() };
    let list = List { items: vec![item] };
    let at_exit = shell.state.at_exit.take();
    shell.alone(|shell| shell.list(&list));
    shell.state.at_exit = shell.state.at_exit.take().or(at_exit);
}

/// Where they run: output goes nowhere, messages are kept, commands held back.
pub(crate) struct Around<'w> {
    world: &'w DryWorld,
    allowed: &'w Allowed,
    errors: Arc<Messages>,
    held: Mutex<Vec<HeldCommand>>,
}

impl<'w> Around<'w> {
    pub(crate) fn new(world: &'w DryWorld, allowed: &'w Allowed) -> Self {
        Self { world, allowed, errors: Arc::default(), held: Mutex::default() }
    }

    /// The commands held back since this was asked last.
    pub(crate) fn take_held(&self) -> Vec<HeldCommand> {
        std::mem::take(&mut self.held.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// What was said on standard error.
    pub(crate) fn said(&self) -> String {
        self.errors.text()
    }
}

impl Surroundings for Around<'_> {
    fn world(&self) -> &dyn World {
        self.world
    }

    fn ports(&self) -> Ports {
        Ports::new(None, Arc::new(Nowhere), self.errors.clone()).in_background(true)
    }

    fn refusal(&self, _number: usize, stage: &StagePlan, _joined: bool) -> Option<Refusal> {
        let words = stage.words();
        if self.allowed.contains(&words) || only_reads(&words) {
            return None;
        }
        Some(Refusal { message: None, status: 0 })
    }

    fn hold_back(&self, _number: usize, command: HeldCommand) {
        self.held.lock().unwrap_or_else(PoisonError::into_inner).push(command);
    }
}
