//! Commands made of others (XCU 2.9.4).

use pattern::glob_matches;
use shell::{Compound, List, Span};

use super::Shell;
use crate::flow::origins::InputCursor;
use crate::language::unwind::{ShellResult, Unwind};

/// What continues after a round of a loop.
enum Round {
    Next,
    Over,
}

impl Shell<'_> {
    pub(super) fn compound(&mut self, compound: &Compound, span: Span) -> ShellResult<()> {
        match compound {
            Compound::Group(list) => self.list(list),
            Compound::Subshell(list) => {
                let mut inner = self.subshell(self.ports.clone());
                self.state.status = inner.run_to_exit(|shell| shell.list(list));
                self.restore_file_mask(&inner);
                self.check_cancel()
            }
            Compound::If { branches, otherwise } => {
                for (condition, body) in branches {
                    if self.holds(condition)? {
                        return self.list(body);
                    }
                }
                match otherwise {
                    Some(body) => self.list(body),
                    None => {
                        self.state.status = 0;
                        Ok(())
                    }
                }
            }
            Compound::Loop { until, condition, body } => self.looping(|shell| {
                let mut status = 0;
                loop {
                    shell.check_cancel()?;
                    if let Some(taken) = &shell.taken {
                        taken.begin_round();
                    }
                    match shell.condition(condition, *until)? {
                        Some(true) => {}
                        Some(false) => break,
                        None => return Ok(()),
                    }
                    if let Round::Over = shell.round(body)? {
                        return Ok(());
                    }
                    status = shell.state.status;
                }
                shell.state.status = status;
                Ok(())
            }),
            Compound::For { name, words, body } => {
                let values = match words {
                    None => self.state.positional.clone(),
                    Some(words) => {
                        let mut values = Vec::new();
                        for word in words {
                            values.extend(self.fields(word)?);
                        }
                        values
                    }
                };
                self.state.status = 0;
                self.looping(|shell| {
                    for value in values {
                        shell.check_cancel()?;
                        shell.assign(name, value, span)?;
                        if let Round::Over = shell.round(body)? {
                            break;
                        }
                    }
                    Ok(())
                })
            }
            Compound::Case { subject, arms } => {
                let subject = self.value(subject)?;
                for arm in arms {
                    for pattern in &arm.patterns {
                        let pattern = self.pattern(pattern)?;
                        if glob_matches(&pattern, &subject) {
                            self.state.status = 0;
                            return self.list(&arm.body);
                        }
                    }
                }
                self.state.status = 0;
                Ok(())
            }
            Compound::Function { name, body } => {
                self.state.functions.insert(name.clone(), body.clone());
                self.state.status = 0;
                Ok(())
            }
            Compound::Test(test) => {
                let holds = self.test(test)?;
                self.state.status = u8::from(!holds);
                Ok(())
            }
        }
    }

    /// True when the list ends with 0.
    fn holds(&mut self, condition: &List) -> ShellResult<bool> {
        self.errexit_suspended(|shell| shell.list(condition))?;
        Ok(self.state.status == 0)
    }

    /// Whether a loop continues; `None` where its condition left it.
    fn condition(&mut self, condition: &List, until: bool) -> ShellResult<Option<bool>> {
        match self.holds(condition) {
            Ok(holds) => Ok(Some(holds != until)),
            Err(Unwind::Break(0)) => Ok(None),
            Err(Unwind::Break(more)) => Err(Unwind::Break(more - 1)),
            Err(Unwind::Continue(0)) => Ok(Some(true)),
            Err(Unwind::Continue(more)) => Err(Unwind::Continue(more - 1)),
            Err(other) => Err(other),
        }
    }

    fn looping(&mut self, run: impl FnOnce(&mut Self) -> ShellResult<()>) -> ShellResult<()> {
        self.loops += 1;
        let since = self.taken.as_ref().map(InputCursor::since);
        let result = run(self);
        if let (Some(taken), Some(since)) = (&self.taken, since) {
            taken.end_loop(since);
        }
        self.loops -= 1;
        result
    }

    fn round(&mut self, body: &List) -> ShellResult<Round> {
        match self.list(body) {
            Ok(()) | Err(Unwind::Continue(0)) => Ok(Round::Next),
            Err(Unwind::Break(0)) => Ok(Round::Over),
            Err(Unwind::Break(more)) => Err(Unwind::Break(more - 1)),
            Err(Unwind::Continue(more)) => Err(Unwind::Continue(more - 1)),
            Err(other) => Err(other),
        }
    }
}
