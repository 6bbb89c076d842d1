//! The one way in which a text is run: whole, or around a pipeline that somebody looks at. A full run,
//! a dry run, a trial and a preview all come here; they differ in their [`RunContext`].

use shell::{Item, List, Pipeline, Script, ShellError};
use stream::{Excess, RunControl};
use thiserror::Error;

use super::builtin_table::{BUILTINS, parse};
use super::shell::Shell;
use super::unwind::Unwind;
use crate::exec::context::RunContext;
use crate::plan::error::PlanError;
use crate::plan::variables::Variables;

/// Why a script was not run (to its end).
#[derive(Debug, Error)]
pub enum RunError {
    /// The text is wrong or not supported; nothing was run.
    #[error(transparent)]
    Shell(#[from] ShellError),
    /// A command cannot be run.
    #[error(transparent)]
    Plan(#[from] PlanError),
    /// It has failed inside. Files of commands that had not ended are as they were.
    #[error("internal error; the run was ended")]
    Internal,
    /// It was ended because the machine has no more.
    #[error("{0}; the run was ended")]
    Excess(Excess),
}

/// Runs a whole text in `context` and gives the status it ends with. All of the text is parsed
/// before anything runs; `variables` are those it begins with, and afterwards those it ended with.
///
/// # Errors
/// Shell text that is wrong or not supported, and errors that end the shell.
pub(crate) fn run_text(
    text: &str,
    context: &RunContext<'_>,
    variables: &mut Variables,
    control: &RunControl,
) -> Result<u8, RunError> {
    let script = parse(text)?;
    let mut shell = shell_in(context, std::mem::take(variables), control);
    let mut fault = None;
    let status = shell.run_to_exit(|shell| match shell.list(&script.list) {
        Err(Unwind::Fault(found)) => {
            shell.state.status = found.status;
            fault = Some(found);
            Ok(())
        }
        other => other,
    });
    *variables = shell.state;
    match fault {
        Some(fault) => Err(PlanError { message: fault.message, span: fault.span }.into()),
        None => Ok(status),
    }
}

/// A shell at the beginning of a text.
pub(crate) fn shell_in<'c>(
    context: &'c RunContext<'c>,
    variables: Variables,
    control: &'c RunControl,
) -> Shell<'c> {
    Shell::new(&BUILTINS, context, 0, control, context.descriptors.clone(), variables)
}

/// A text around one of its pipelines.
pub(crate) struct SurroundingCommands<'s> {
    /// What is before the list that the pipeline is in.
    before: &'s [Item],
    within: &'s Item,
    after: &'s [Item],
    shown: &'s Pipeline,
}

impl<'s> SurroundingCommands<'s> {
    /// `None` where the pipeline is not one of the text.
    pub(crate) fn of(script: &'s Script, shown: &'s Pipeline) -> Option<Self> {
        let items = &script.list.items;
        let holds = |item: &Item| item.pipelines().any(|one| one.span == shown.span);
        let at = items.iter().position(holds)?;
        Some(Self { before: &items[..at], within: &items[at], after: &items[at + 1..], shown })
    }

    /// True where nothing but assignments is before it.
    pub(crate) fn begins_with_assignments(&self) -> bool {
        let plain = |item: &Item| item.pipelines().all(Pipeline::only_assigns);
        self.before.iter().all(plain) && !self.follows_others()
    }

    /// True where its list has others before it, whose status decides whether it is reached.
    pub(crate) fn follows_others(&self) -> bool {
        self.within.first.span != self.shown.span
    }

    /// Runs what is before it; true where it would then run itself.
    pub(crate) fn run_before(&self, shell: &mut Shell<'_>) -> bool {
        for item in self.before {
            run(item.clone(), shell);
        }
        if self.within.first.span == self.shown.span {
            return true;
        }
        run_one(&self.within.first, shell);
        for (connector, pipeline) in &self.within.rest {
            let reached = connector.goes_on(shell.state.status);
            if pipeline.span == self.shown.span {
                return reached;
            }
            if reached {
                run_one(pipeline, shell);
            }
        }
        true
    }

    /// Runs what is after it, which ended with `status`.
    pub(crate) fn run_after(&self, status: u8, shell: &mut Shell<'_>) {
        shell.state.status = if self.shown.negated { u8::from(status == 0) } else { status };
        let after = self.within.pipelines().position(|one| one.span == self.shown.span);
        for (connector, pipeline) in self.within.rest.iter().skip(after.unwrap_or(0)) {
            if connector.goes_on(shell.state.status) {
                run_one(pipeline, shell);
            }
        }
        for item in self.after {
            run(item.clone(), shell);
        }
    }
}

fn run_one(pipeline: &Pipeline, shell: &mut Shell<'_>) {
    run(Item { first: pipeline.clone(), rest: Vec::new() }, shell);
}

/// Runs one of them; what would end the shell ends only it.
fn run(item: Item, shell: &mut Shell<'_>) {
    let list = List { items: vec![item] };
    let at_exit = shell.state.at_exit.take();
    shell.run_to_exit(|shell| shell.list(&list));
    shell.state.at_exit = shell.state.at_exit.take().or(at_exit);
}
