//! The commands of a text around the pipeline that is looked at: they run in the same world, so that
//! the pipeline sees what they would have written.

use shell::{Item, List, Pipeline, Script};

use crate::language::shell::Shell;

/// A text around one of its pipelines.
pub(crate) struct SurroundingCommands<'s> {
    /// What stands before the list that the pipeline is in.
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

    /// True where nothing but assignments stands before it.
    pub(crate) fn begins_with_assignments(&self) -> bool {
        let plain = |item: &Item| item.pipelines().all(Pipeline::only_assigns);
        self.before.iter().all(plain) && self.within.first.span == self.shown.span
    }

    /// Runs what stands before it; true where it would then run itself.
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

    /// Runs what stands behind it, which ended with `status`.
    pub(crate) fn run_after(&self, status: u8, shell: &mut Shell<'_>) {
        shell.state.status = if self.shown.negated { u8::from(status == 0) } else { status };
        let behind = self.within.pipelines().position(|one| one.span == self.shown.span);
        for (connector, pipeline) in self.within.rest.iter().skip(behind.unwrap_or(0)) {
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
