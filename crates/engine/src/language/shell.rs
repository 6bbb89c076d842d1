//! Runs commands of the shell (XCU 2.9): lists, pipelines, compound commands, functions.

use std::sync::Arc;
use std::time::Instant;

use shell::{
    Command, Compound, Item, List, Pipeline, Place, Redirection, Refusal, Span, TimeForm, Word,
};
use stream::{Block, ExitStatus, Files, RunControl, StageMeter};

use crate::base::sinks::say;
use crate::exec::context::RunContext;
use crate::exec::pipeline::run_pipeline;
use crate::exec::redirections::{OpenedFiles, redirect};
use crate::files::working_directory::InDirectory;
use crate::flow::descriptors::Ports;
use crate::flow::origins::InputCursor;
use crate::language::unwind::{ShellResult, Unwind};
use crate::plan::outcome::StageOutcome;
use crate::plan::pipeline::{Plan, StageKind, StagePlan};
use crate::plan::substitution::Substitution;
use crate::plan::target::Target;
use crate::plan::variables::{Variable, Variables};

mod builtins;
pub(super) mod checks;
mod commands;
mod compound;
mod read;
pub(super) mod set_options;
mod substitution;
mod test;

/// Functions and files within each other beyond this end the shell instead of exhausting the
/// memory.
const CALLS_MAX: usize = 1000;

/// Stack that must be left before a command runs, and what is added where it is not.
const STACK_LEFT: usize = 256 << 10;
const STACK_MORE: usize = 2 << 20;

/// A command that acts on the shell itself.
pub(crate) struct Builtin {
    pub(crate) name: &'static str,
    /// Assignments before it stay.
    pub(crate) special: bool,
    /// What of it is refused where it is written.
    pub(crate) check: fn(&[Word]) -> Result<Place, Refusal>,
    pub(crate) run: fn(&mut Shell<'_>, &Call<'_>) -> ShellResult<()>,
}

/// A call of a command that acts on the shell itself.
pub(crate) struct Call<'c> {
    pub(crate) name: &'static str,
    pub(crate) arguments: &'c [Vec<u8>],
    pub(crate) span: Span,
}

/// The commands that act on the shell itself, and those of other shells that are not done, with why.
pub(crate) struct Builtins {
    pub(crate) commands: &'static [Builtin],
    pub(crate) refused: &'static [(&'static str, &'static str)],
}

impl Builtins {
    pub(crate) fn find(&self, name: &[u8]) -> Option<&'static Builtin> {
        self.commands.iter().find(|builtin| builtin.name.as_bytes() == name)
    }

    /// Why a command of this name is not done.
    fn why_refused(&self, name: &[u8]) -> Option<&'static str> {
        self.refused.iter().find(|(known, _)| known.as_bytes() == name).map(|(_, what)| *what)
    }
}

impl shell::Builtins for Builtins {
    fn refused(&self, name: &str) -> Option<&'static str> {
        self.why_refused(name.as_bytes())
    }

    fn check(&self, name: &str, arguments: &[Word]) -> Result<Place, Refusal> {
        self.find(name.as_bytes()).map_or(Ok(Place::Anywhere), |found| (found.check)(arguments))
    }
}

/// A shell: what it knows, what it is connected to.
pub(crate) struct Shell<'s> {
    pub(crate) builtins: &'static Builtins,
    pub(crate) context: &'s RunContext<'s>,
    /// The stage of the pipeline around it that this is part of.
    pub(crate) number: usize,
    /// Those of the context, or more where commands stand in the place of files.
    pub(crate) files: &'s dyn Files,
    pub(crate) control: &'s RunControl,
    pub(crate) ports: Ports,
    pub(crate) state: Variables,
    /// What the words expanded last have in the place of files.
    pub(crate) substitutions: Vec<Substitution>,
    /// The status of the last command substitution.
    substituted: Option<u8>,
    /// True where commands in words are run while the plan is made.
    pub(crate) plans_eagerly: bool,
    /// Files that commands around this one write.
    pub(crate) opened: OpenedFiles,
    /// What a stage of the workbench has read, for the origins of what it writes.
    pub(crate) taken: Option<InputCursor>,
    loops: usize,
    calls: usize,
    /// `exec` has changed the descriptors.
    pub(crate) has_redirected: bool,
    /// Files of commands that run within each other.
    sourced: usize,
    /// Other commands of the text run at the same time.
    pub(crate) beside_others: bool,
    /// More than 0 where a command that fails does not end the shell in spite of `set -e`.
    errexit_suspended: usize,
}

impl<'s> Shell<'s> {
    pub(crate) fn new(
        builtins: &'static Builtins,
        context: &'s RunContext<'s>,
        number: usize,
        control: &'s RunControl,
        ports: Ports,
        state: Variables,
    ) -> Self {
        Self {
            builtins,
            context,
            number,
            files: context.files,
            control,
            ports,
            state,
            substitutions: Vec::new(),
            substituted: None,
            plans_eagerly: false,
            opened: OpenedFiles::default(),
            taken: None,
            loops: 0,
            calls: 0,
            has_redirected: false,
            sourced: 0,
            beside_others: false,
            errexit_suspended: 0,
        }
    }

    /// A copy for commands whose changes are not seen here.
    pub(crate) fn subshell(&self, ports: Ports) -> Self {
        let mut state = self.state.clone();
        state.at_exit = None;
        Self {
            ports,
            state,
            substitutions: Vec::new(),
            substituted: None,
            calls: self.calls,
            loops: self.loops,
            errexit_suspended: self.errexit_suspended,
            taken: self.taken.clone(),
            opened: self.opened.clone(),
            ..*self
        }
    }

    /// True when a command of this name is run by the shell itself.
    pub(crate) fn is_own(&self, name: &[u8]) -> bool {
        let functions = &self.state.functions;
        let is_function = |name: &str| functions.contains_key(name);
        self.builtins.find(name).is_some() || std::str::from_utf8(name).is_ok_and(is_function)
    }

    /// Does something with the files as it is seen from the shell's directory.
    pub(crate) fn with_files<T>(&self, with: impl FnOnce(&dyn Files) -> T) -> T {
        match &self.state.directory {
            None => with(self.files),
            Some(directory) => with(&InDirectory { inner: self.files, directory }),
        }
    }

    /// Says something on standard error.
    pub(crate) fn complain(&self, message: &str) {
        let line = format!("{}\n", stream::visible(message));
        // A standard error that cannot be written has nobody to be told.
        let _ = self.ports.sink(2).write(Block::new(line.into_bytes()));
    }

    /// Runs a list to its end as a shell of its own: whatever leaves it ends here. Gives the status.
    pub(crate) fn run_to_exit(&mut self, run: impl FnOnce(&mut Self) -> ShellResult<()>) -> u8 {
        let mut status = match run(self) {
            Ok(())
            | Err(Unwind::Break(_) | Unwind::Continue(_) | Unwind::Return | Unwind::Exit) => {
                self.state.status
            }
            Err(Unwind::Cancelled) => 130,
            Err(Unwind::Fault(fault)) => {
                self.complain(&fault.message);
                fault.status
            }
        };
        self.state.status = status;
        if let Some(text) = self.state.at_exit.take()
            && let Ok(script) = shell::parse(&text, self.builtins)
        {
            match self.list(&script.list) {
                Err(Unwind::Exit) => status = self.state.status,
                Err(Unwind::Fault(fault)) => self.complain(&fault.message),
                _ => {}
            }
        }
        status
    }

    pub(crate) fn list(&mut self, list: &List) -> ShellResult<()> {
        list.items.iter().try_for_each(|item| self.item(item))
    }

    fn item(&mut self, item: &Item) -> ShellResult<()> {
        let last = item.rest.len();
        self.part(&item.first, last == 0)?;
        for (number, (connector, pipeline)) in item.rest.iter().enumerate() {
            if connector.goes_on(self.state.status) {
                self.part(pipeline, number + 1 == last)?;
            }
        }
        Ok(())
    }

    /// One pipeline of an item; only the last one ends a shell with `-e`.
    fn part(&mut self, pipeline: &Pipeline, last: bool) -> ShellResult<()> {
        if last && !pipeline.negated {
            self.pipeline(pipeline)?;
            let options = self.state.options;
            let failed = self.state.status != 0 && self.errexit_suspended == 0;
            if options.error_exit && failed && !is_made_of_others(pipeline) {
                return Err(Unwind::Exit);
            }
            return Ok(());
        }
        self.errexit_suspended(|shell| shell.pipeline(pipeline))
    }

    /// Runs something whose failing does not end the shell.
    pub(crate) fn errexit_suspended<T>(
        &mut self,
        run: impl FnOnce(&mut Self) -> ShellResult<T>,
    ) -> ShellResult<T> {
        self.errexit_suspended += 1;
        let result = run(self);
        self.errexit_suspended -= 1;
        result
    }

    fn pipeline(&mut self, pipeline: &Pipeline) -> ShellResult<()> {
        let started = pipeline.timed.map(|form| (form, Instant::now(), Used::now()));
        match &pipeline.commands[..] {
            [only] if !only.errors_too => self.command(only)?,
            _ => self.piped(pipeline)?,
        }
        if pipeline.negated {
            self.state.status = u8::from(self.state.status == 0);
        }
        if let Some((form, since, before)) = started {
            let used = Used::now();
            let text = told(form, since.elapsed().as_secs_f64(), &used, &before);
            let _ = self.ports.sink(2).write(Block::new(text.into_bytes()));
        }
        self.check_cancel()
    }

    pub(crate) fn check_cancel(&self) -> ShellResult<()> {
        if self.control.is_cancelled() { Err(Unwind::Cancelled) } else { Ok(()) }
    }

    /// Several commands at the same time, each in a shell of its own.
    fn piped(&mut self, pipeline: &Pipeline) -> ShellResult<()> {
        let plan = self.plan_pipeline(pipeline)?;
        self.run_plan(&plan);
        Ok(())
    }

    /// A command that is the shell itself has written where nobody reads any more: that ends a shell,
    /// as the signal would.
    pub(crate) fn has_no_reader(&mut self) -> ShellResult<()> {
        self.state.status = ExitStatus::CLOSED_PIPE.0;
        Err(Unwind::Exit)
    }

    /// Runs stages on the shell's own descriptors and notes the status; true where nobody read the
    /// last one's output to the end.
    fn run_plan(&mut self, plan: &Plan) -> bool {
        let meters: Vec<Arc<StageMeter>> = plan.stages.iter().map(|_| Arc::default()).collect();
        let outcomes = self.with_files(|files| {
            let inner = self.context.inside(self.number, files, self.ports.clone());
            run_pipeline(plan, &inner, &meters, self.control)
        });
        let acts = |stage: &StagePlan| {
            matches!(stage.kind, StageKind::Host(_)) || stage.written().next().is_some()
        };
        let wrote = |outcome: &StageOutcome| !outcome.written.is_empty();
        if plan.stages.iter().any(acts) || outcomes.iter().any(wrote) {
            self.has_acted();
        }
        let mut status = outcomes.last().map_or(0, |outcome| outcome.status.0);
        if self.state.options.pipe_fail {
            let failed = outcomes.iter().rev().find(|outcome| outcome.status.0 != 0);
            status = failed.map_or(0, |outcome| outcome.status.0);
        }
        self.state.status = status;
        outcomes.last().is_some_and(|outcome| outcome.closed)
    }

    /// A program was started or a file written: what the commands around this one have written so far
    /// goes with that, also where the run is ended now.
    fn has_acted(&self) {
        if !self.control.was_cancelled() {
            self.opened.keep_when_ended();
        }
    }

    /// One command in this shell.
    pub(crate) fn command(&mut self, command: &Command) -> ShellResult<()> {
        stacker::maybe_grow(STACK_LEFT, STACK_MORE, || match &command.compound {
            Some(compound) => self.redirected(&command.redirections, Vec::new(), |shell| {
                shell.compound(compound, command.span)
            }),
            None => self.simple(command),
        })
    }

    fn simple(&mut self, command: &Command) -> ShellResult<()> {
        self.substitutions.clear();
        self.substituted = None;
        let mut words = Vec::new();
        let mut spans = Vec::new();
        for word in &command.words {
            for field in self.fields(word)? {
                words.push(field);
                spans.push(word.span);
            }
        }
        let substitutions = std::mem::take(&mut self.substitutions);
        let Some(name) = words.first() else {
            return self.assignments_alone(command, substitutions);
        };
        if let Some(what) = self.builtins.why_refused(name) {
            return Unwind::fault(format!("{what} is not supported"), command.span, 2);
        }
        let mut only_program = false;
        if name == b"command" {
            let options = words.iter().skip(1).take_while(|word| *word == b"-p").count();
            let rest = words.get(1 + options);
            if rest.is_some_and(|word| !word.starts_with(b"-")) {
                words.drain(..=options);
                spans.drain(..=options);
                only_program = true;
            }
        }
        let name = &words[0];
        let function = std::str::from_utf8(name)
            .ok()
            .filter(|_| !only_program)
            .and_then(|name| self.state.functions.get(name).cloned());
        if let Some(body) = function {
            let values = words.split_off(1);
            return self.redirected(&command.redirections, substitutions, |shell| {
                let kept = shell.assign_for_now(command)?;
                let result = shell.call(&body, values, command.span);
                shell.put_back(kept);
                result
            });
        }
        if name == b"exec" && words.len() == 1 {
            return self.redirect_from_here(&command.redirections, substitutions);
        }
        if let Some(builtin) = self.builtins.find(name) {
            return self.redirected(&command.redirections, substitutions, |shell| {
                let kept = shell.assign_for_now(command)?;
                let (name, arguments) = (builtin.name, &words[1..]);
                let result = (builtin.run)(shell, &Call { name, arguments, span: command.span });
                if !builtin.special {
                    shell.put_back(kept);
                }
                result
            });
        }
        self.substitutions = substitutions;
        let targets = self.targets(&command.redirections)?;
        let kept = self.assign_for_now(command)?;
        let program = only_program.then(|| words[0].clone());
        let mut stage = self.simple_stage(command, words, spans, targets);
        if let Some(name) = program {
            // The program of the machine, also where a filter of ours has its name.
            stage.kind = StageKind::Host(name);
        }
        self.put_back(kept);
        // Shells run these themselves, so that a closed pipe ends the shell and not a command of it.
        let is_shell = matches!(stage.name().as_str(), "echo" | "printf")
            && matches!(stage.kind, StageKind::Native(_));
        let closed = self.run_plan(&Plan { stages: vec![stage] });
        if closed && is_shell { self.has_no_reader() } else { Ok(()) }
    }

    /// `exec` without a command: its redirections hold for all that comes. Files are seen from here on,
    /// because this command never ends.
    fn redirect_from_here(
        &mut self,
        redirections: &[Redirection],
        substitutions: Vec<Substitution>,
    ) -> ShellResult<()> {
        if !substitutions.is_empty() {
            return Unwind::fault(
                "exec with <( … ) or >( … ) is not supported",
                Span::default(),
                2,
            );
        }
        let targets = self.targets(redirections)?;
        if !self.substitutions.is_empty() {
            return Unwind::fault(
                "exec with <( … ) or >( … ) is not supported",
                Span::default(),
                2,
            );
        }
        let mut opened = OpenedFiles::default();
        let mut ports = self.ports.clone();
        let redirected =
            self.with_files(|files| redirect(&targets, files, &mut ports, &mut opened));
        self.state.status = 0;
        if let Err(error) = redirected {
            self.complain(&error.to_string());
            self.state.status = 2;
            // As for every special command, that ends the shell.
            return Err(Unwind::Exit);
        }
        opened.put_in_place(self.control, &*ports.sink(2));
        self.ports = ports;
        self.has_redirected = true;
        Ok(())
    }

    /// Assignments and redirections without a command.
    fn assignments_alone(
        &mut self,
        command: &Command,
        substitutions: Vec<Substitution>,
    ) -> ShellResult<()> {
        for assignment in &command.assignments {
            let value = self.value(&assignment.value)?;
            self.assign(&assignment.name, value, assignment.span)?;
        }
        let status = self.substituted.unwrap_or(0);
        self.state.status = status;
        if command.redirections.is_empty() {
            return Ok(());
        }
        self.redirected(&command.redirections, substitutions, |shell| {
            shell.state.status = status;
            Ok(())
        })
    }

    /// Sets the variables before a command; gives what they were.
    fn assign_for_now(
        &mut self,
        command: &Command,
    ) -> ShellResult<Vec<(String, Option<Variable>)>> {
        let mut kept = Vec::new();
        for assignment in &command.assignments {
            let value = self.value(&assignment.value)?;
            let before = self.state.set.get(&assignment.name).cloned();
            self.assign(&assignment.name, value, assignment.span)?;
            if let Some(variable) = self.state.set.get_mut(&assignment.name) {
                variable.exported = true;
            }
            kept.push((assignment.name.clone(), before));
        }
        Ok(kept)
    }

    fn put_back(&mut self, kept: Vec<(String, Option<Variable>)>) {
        for (name, before) in kept.into_iter().rev() {
            match before {
                Some(variable) => self.state.set.insert(name, variable),
                None => self.state.set.remove(&name),
            };
        }
    }

    /// Gives a variable a value; one of the environment stays one.
    pub(crate) fn assign(&mut self, name: &str, value: Vec<u8>, span: Span) -> ShellResult<()> {
        let known = self.state.set.get_mut(name);
        match known {
            Some(variable) if variable.read_only => {
                Unwind::fault(format!("{name}: this variable may not be changed"), span, 2)
            }
            Some(variable) => {
                variable.value = Some(value);
                Ok(())
            }
            None => {
                let exported = self.files.variable(name).is_some();
                let variable = Variable { value: Some(value), exported, read_only: false };
                self.state.set.insert(name.to_owned(), variable);
                Ok(())
            }
        }
    }

    /// Runs a function.
    fn call(&mut self, body: &Command, values: Vec<Vec<u8>>, span: Span) -> ShellResult<()> {
        if self.calls >= CALLS_MAX {
            return Unwind::fault(format!("more than {CALLS_MAX} nested calls"), span, 2);
        }
        self.calls += 1;
        let outer = std::mem::replace(&mut self.state.positional, values);
        let loops = std::mem::take(&mut self.loops);
        self.state.aside.push(std::collections::BTreeMap::new());
        let result = self.command(body);
        for (name, before) in self.state.aside.pop().unwrap_or_default() {
            self.put_back(vec![(name, before)]);
        }
        self.loops = loops;
        self.state.positional = outer;
        self.calls -= 1;
        match result {
            Err(Unwind::Return) => Ok(()),
            other => other,
        }
    }

    /// What redirections lead to, expanded.
    pub(crate) fn targets(&mut self, redirections: &[Redirection]) -> ShellResult<Vec<Target>> {
        let mut targets = Vec::with_capacity(redirections.len());
        for redirection in redirections {
            Target::expand(redirection, self, &mut targets)?;
        }
        Ok(targets)
    }

    /// Runs something with other descriptors.
    fn redirected(
        &mut self,
        redirections: &[Redirection],
        mut substitutions: Vec<Substitution>,
        run: impl FnOnce(&mut Shell<'_>) -> ShellResult<()>,
    ) -> ShellResult<()> {
        if redirections.is_empty() && substitutions.is_empty() {
            return run(self);
        }
        self.substitutions.clear();
        let targets = self.targets(redirections)?;
        substitutions.append(&mut self.substitutions);
        self.with_substitutions(substitutions, |shell| {
            let mut ports = shell.ports.clone();
            let mut opened = OpenedFiles::default();
            let redirected =
                shell.with_files(|files| redirect(&targets, files, &mut ports, &mut opened));
            let errors = ports.sink(2);
            let mut result = Ok(());
            if let Err(error) = redirected {
                // Redirections before the one that failed are in force.
                say(&*errors, &error.to_string());
                shell.state.status = 2;
            } else {
                let around = shell.opened.with(&opened);
                let outer_files = std::mem::replace(&mut shell.opened, around);
                let outer = std::mem::replace(&mut shell.ports, ports);
                result = run(shell);
                shell.ports = outer;
                shell.opened = outer_files;
            }
            if opened.is_empty() {
                return result;
            }
            if !opened.put_in_place(shell.control, &*errors) && shell.state.status == 0 {
                shell.state.status = 1;
            }
            shell.has_acted();
            result
        })
    }
}

/// True for a compound command that runs in this shell: what failed in it has ended the shell
/// already, or was not to end it.
fn is_made_of_others(pipeline: &Pipeline) -> bool {
    let [only] = &pipeline.commands[..] else { return false };
    let compound = only.compound.as_deref();
    compound.is_some_and(|one| !matches!(one, Compound::Subshell(_) | Compound::Test(_)))
}

/// Processor time used so far by this process and those it waited for, in seconds.
struct Used {
    user: f64,
    system: f64,
}

impl Used {
    fn now() -> Self {
        let [own_user, own_system, user, system] = processor_times();
        Self { user: own_user + user, system: own_system + system }
    }
}

/// What `times` prints: the processor time of this process, and of those it waited for.
fn times_so_far() -> String {
    let [own_user, own_system, user, system] = processor_times()
        .map(|seconds| format!("{}m{:.6}s", (seconds / 60.0) as u64, seconds % 60.0));
    format!("{own_user} {own_system}\n{user} {system}\n")
}

/// Seconds: own time of the user and of the system, and the same of the processes waited for; all 0
/// where the kernel does not say.
fn processor_times() -> [f64; 4] {
    let stat = procfs::process::Process::myself().and_then(|process| process.stat());
    let ticks = stat.map_or([0; 4], |stat| {
        let of_children = |ticks| u64::try_from(ticks).unwrap_or(0);
        [stat.utime, stat.stime, of_children(stat.cutime), of_children(stat.cstime)]
    });
    ticks.map(|ticks| ticks as f64 / procfs::ticks_per_second() as f64)
}

fn told(form: TimeForm, elapsed: f64, now: &Used, before: &Used) -> String {
    let (user, system) = (now.user - before.user, now.system - before.system);
    match form {
        TimeForm::Portable => format!("real {elapsed:.2}\nuser {user:.2}\nsys {system:.2}\n"),
        TimeForm::Usual => {
            let shown =
                |seconds: f64| format!("{}m{:.3}s", (seconds / 60.0) as u64, seconds % 60.0);
            let [elapsed, user, system] = [elapsed, user, system].map(shown);
            format!("\nreal\t{elapsed}\nuser\t{user}\nsys\t{system}\n")
        }
    }
}
