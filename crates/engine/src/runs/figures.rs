//! Figures of commands over all the times they ran, and of those that run now.

use parking_lot::{Mutex, MutexGuard};
use std::collections::BTreeMap;
use std::sync::Arc;

use shell::Span;
use stream::{ExitStatus, Machine, StageFigures, StageMeter};

use crate::files::machine::RealMachine;
use crate::language::builtin_table::BUILTINS;
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};

/// What runs a command.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CommandKind {
    /// A filter of our own.
    #[default]
    Filter,
    /// A program of this machine: processor time and memory are the system's own account of it.
    Program,
    /// The shell itself.
    Shell,
}

/// A command of a text, over all the times it ran.
#[derive(Clone, Debug, Default)]
pub struct CommandFigures {
    /// Its place in the text.
    pub span: Span,
    /// Its name.
    pub name: String,
    /// What runs it.
    pub kind: CommandKind,
    /// Why it must hold data back, where it does.
    pub holds: Option<&'static str>,
    /// Bytes it holds in memory at most, where what is more goes to temporary files.
    pub memory_limit: Option<u64>,
    /// What it writes goes to the next command.
    pub linked: bool,
    /// How often it has ended.
    pub runs: u64,
    /// True while it runs.
    pub running: bool,
    /// What its meters showed, added up.
    pub figures: StageFigures,
    /// The status it ended with last.
    pub status: ExitStatus,
}

impl CommandFigures {
    fn of(plan: &Plan, number: usize) -> Self {
        let stage = &plan.stages[number];
        let filter = match &stage.kind {
            StageKind::Native(definition) => definition.build(&stage.arguments).ok(),
            _ => None,
        };
        let kind = match &stage.kind {
            StageKind::Native(_) => CommandKind::Filter,
            StageKind::Host(_) => CommandKind::Program,
            StageKind::Shell(_) | StageKind::Nothing => CommandKind::Shell,
        };
        let machine_bytes = RealMachine.memory_bytes();
        Self {
            span: stage.span,
            name: stage.name(),
            kind,
            holds: filter.as_ref().and_then(|filter| filter.holds()),
            memory_limit: filter.as_ref().and_then(|filter| filter.memory_limit(machine_bytes)),
            linked: number + 1 < plan.stages.len() && StagePlan::feeds_next(stage),
            ..Self::default()
        }
    }
}

/// True for a command that the shell only expands the words of: it is counted when it runs then.
fn is_counted_inside(stage: &StagePlan) -> bool {
    let StageKind::Shell(command) = &stage.kind else { return false };
    let Some(name) = command.name().filter(|_| command.compound.is_none()) else { return false };
    let functions = stage.state.as_ref().map(|state| &state.functions);
    BUILTINS.find(name.as_bytes()).is_none()
        && !functions.is_some_and(|known| known.contains_key(&name))
}

/// Takes in what runs, in the order of the text.
#[derive(Default)]
pub(crate) struct FigureTable(Mutex<State>);

#[derive(Default)]
struct State {
    all: BTreeMap<Span, CommandFigures>,
    /// Those that run now. A command that calls itself is there more than once.
    running: Vec<(Span, Arc<StageMeter>)>,
}

impl FigureTable {
    fn lock(&self) -> MutexGuard<'_, State> {
        self.0.lock()
    }

    /// The stages of a pipeline begin.
    pub(crate) fn begin(&self, plan: &Plan, meters: &[Arc<StageMeter>]) {
        let mut state = self.lock();
        for (number, (stage, meter)) in plan.stages.iter().zip(meters).enumerate() {
            if is_counted_inside(stage) {
                continue;
            }
            state
                .all
                .entry(stage.span)
                .or_insert_with(|| CommandFigures::of(plan, number))
                .running = true;
            state.running.push((stage.span, meter.clone()));
        }
    }

    /// They have ended.
    pub(crate) fn add(&self, plan: &Plan, meters: &[Arc<StageMeter>], outcomes: &[StageOutcome]) {
        let mut state = self.lock();
        let same = |one: &Arc<StageMeter>| meters.iter().any(|meter| Arc::ptr_eq(one, meter));
        state.running.retain(|(_, meter)| !same(meter));
        for (number, (meter, outcome)) in meters.iter().zip(outcomes).enumerate() {
            if is_counted_inside(&plan.stages[number]) {
                continue;
            }
            let span = plan.stages[number].span;
            let running = state.running.iter().any(|(other, _)| *other == span);
            let command = state.all.entry(span).or_insert_with(|| CommandFigures::of(plan, number));
            command.runs += 1;
            command.running = running;
            command.figures.add(&meter.figures());
            command.status = outcome.status;
        }
    }

    /// All of them with the figures of this moment.
    pub(crate) fn list_at(&self, now_ns: u64) -> Vec<CommandFigures> {
        let state = self.lock();
        let mut all = state.all.clone();
        for command in all.values_mut() {
            command.running = false;
        }
        for (span, meter) in &state.running {
            if let Some(command) = all.get_mut(span) {
                command.figures.add(&meter.figures_at(now_ns));
                // One may have ended while others of its pipeline go on.
                command.running |= !meter.has_ended();
            }
        }
        all.into_values().collect()
    }

    pub(crate) fn into_list(self) -> Vec<CommandFigures> {
        self.0.into_inner().all.into_values().collect()
    }
}
