//! The one way in which a whole text is run.

use shell::ShellError;
use stream::{Excess, RunControl};
use thiserror::Error;

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
    let script = shell::parse(text)?;
    let state = std::mem::take(variables);
    let mut shell = Shell::new(context, 0, control, context.descriptors.clone(), state);
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
