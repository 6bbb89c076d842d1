//! Which command of a run holds it up, and why.

use engine::{CommandFigures, CommandKind};

use crate::describe::units::{duration, percent};

/// Why a command is the slowest.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reason {
    /// It needs all its input before it writes.
    Holds,
    /// It keeps one processor busy all the time.
    Busy,
    /// It has the most work, but waits too.
    Works,
    /// It waits for what it reads: a disk, a pipe, a terminal.
    Reads,
    /// What it writes is not taken: a disk, a pipe, a terminal.
    Writes,
    /// A program of the machine that waits for something of its own.
    Outside,
}

/// The command that holds a run up.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Slowest {
    /// Its place in the list.
    pub at: usize,
    /// Why.
    pub reason: Reason,
    /// The same as a sentence without an end, after its name.
    pub says: String,
}

/// A share of the time from which on it is said to be all of it.
const NEARLY_ALL: f64 = 0.8;

/// Less than this share of another's time of processor is clearly less.
const CLEARLY: f64 = 0.8;

/// A share of the time below which others must have had the processor that a command at work wants.
const SCARCE: f64 = 0.7;

/// The command that holds the others up: the one with the most work, or the one at an end of the
/// pipeline that waits for the machine. `None` where nothing has run for long enough to tell.
pub fn slowest(commands: &[CommandFigures]) -> Option<Slowest> {
    let work = |command: &CommandFigures| command.figures.shares().working_ns;
    // The shell's own commands do nothing but wait for those inside.
    let own = |command: &CommandFigures| command.kind != CommandKind::Shell;
    let counted: Vec<usize> = (0..commands.len()).filter(|&at| own(&commands[at])).collect();
    let longest = commands.iter().map(|command| command.figures.elapsed_ns).max()?;
    if longest < 20_000_000 {
        return None;
    }
    let processor = |at: usize| commands[at].figures.processor_ns;
    let busiest = *counted.iter().max_by_key(|&&at| work(&commands[at]))?;
    // Where processors are scarce, one that is at work all the time may only wait for its turn while
    // another has it.
    let hungriest = *counted.iter().max_by_key(|&&at| processor(at))?;
    let clearly = processor(hungriest) as f64 * CLEARLY > processor(busiest) as f64;
    let busiest = if processor(busiest) > 0 && clearly { hungriest } else { busiest };
    // Who waits for the machine with little work anywhere is the one to name.
    let idle = |at: usize| {
        let figures = &commands[at].figures;
        let shares = figures.shares();
        let outside = figures.reading_ns.min(shares.waiting_ns.saturating_sub(figures.waiting_ns));
        let taken = shares.held_up_ns.saturating_sub(figures.held_up_ns);
        (outside, taken)
    };
    let waits = counted
        .iter()
        .map(|&at| (idle(at), at))
        .max_by_key(|((reads, writes), _)| *reads.max(writes));
    if let Some(((reads, writes), at)) = waits
        && reads.max(writes) > work(&commands[busiest])
    {
        let share = percent(reads.max(writes), commands[at].figures.elapsed_ns);
        let program = commands[at].kind == CommandKind::Program;
        let (reason, says) = if writes > reads {
            let says = format!("blocked on its output for {share} of the time");
            (Reason::Writes, says)
        } else if program {
            (
                Reason::Outside,
                format!("waits for something outside the pipeline for {share} of the time"),
            )
        } else {
            (Reason::Reads, format!("waits for its input for {share} of the time"))
        };
        return Some(Slowest { at, reason, says });
    }
    let command = &commands[busiest];
    let figures = &command.figures;
    let share = work(command) as f64 / figures.elapsed_ns.max(1) as f64;
    let behind = commands.get(busiest + 1).map(|next| next.name.as_str());
    let (reason, says) = if command.holds.is_some() {
        let mut says = "needs all its input before it writes".to_owned();
        if let Some(next) = behind.filter(|_| command.linked) {
            says.push_str(&format!(", so {next} waits for it"));
        }
        (Reason::Holds, says)
    } else if share >= NEARLY_ALL {
        let processors = figures.processor_ns as f64 / figures.elapsed_ns.max(1) as f64;
        let says = if processors > 1.2 {
            format!("keeps {processors:.1} processors busy all the time")
        } else if processors < SCARCE {
            let had = percent(figures.processor_ns, figures.elapsed_ns);
            format!("is at work all the time, but has a processor for {had} of it only")
        } else {
            "keeps one processor busy all the time".to_owned()
        };
        (Reason::Busy, says)
    } else {
        let took = duration(work(command));
        (Reason::Works, format!("does the most work: {took} of {}", duration(figures.elapsed_ns)))
    };
    Some(Slowest { at: busiest, reason, says })
}

/// A share of the time below which a command does not only hand on the waiting of another.
const HARDLY: f64 = 0.1;

/// The command that one waits for or is held up by, where it does so for a good part of its time:
/// along the links the next one that does not wait or is not held up itself, or, to wait for, one
/// that holds its input back.
pub fn held_by(commands: &[CommandFigures], at: usize) -> Option<(usize, &'static str)> {
    let command = commands.get(at)?;
    let shares = command.figures.shares();
    let much = command.figures.elapsed_ns / 3;
    let share = |at: usize, part: u64| part as f64 / commands[at].figures.elapsed_ns.max(1) as f64;
    let mut other = at;
    if shares.held_up_ns > much {
        while commands[other].linked && other + 1 < commands.len() {
            other += 1;
            if share(other, commands[other].figures.shares().held_up_ns) < HARDLY {
                break;
            }
        }
        return (other > at).then_some((other, "held up by"));
    }
    if shares.waiting_ns > much {
        while other > 0 && commands[other - 1].linked {
            other -= 1;
            let holds = commands[other].holds.is_some();
            if holds || share(other, commands[other].figures.shares().waiting_ns) < HARDLY {
                break;
            }
        }
    }
    (other < at).then_some((other, "waits for"))
}

#[cfg(test)]
mod tests {
    use stream::StageFigures;

    use super::*;

    fn command(name: &str, figures: StageFigures) -> CommandFigures {
        let name = name.to_owned();
        let figures = StageFigures { elapsed_ns: 1_000_000_000, ..figures };
        CommandFigures { name, figures, linked: true, ..CommandFigures::default() }
    }

    fn waiting(ms: u64) -> StageFigures {
        StageFigures { waiting_ns: ms * 1_000_000, ..StageFigures::default() }
    }

    #[test]
    fn the_busy_one_is_named_with_the_reason() {
        let held_up = StageFigures { held_up_ns: 700_000_000, ..StageFigures::default() };
        let busy = StageFigures { processor_ns: 980_000_000, ..waiting(10) };
        let mut all =
            vec![command("grep", held_up), command("awk", busy), command("head", waiting(990))];
        let found = slowest(&all).unwrap();
        assert_eq!((found.at, found.reason), (1, Reason::Busy));
        assert_eq!(found.says, "keeps one processor busy all the time");
        assert_eq!(held_by(&all, 0), Some((1, "held up by")));
        assert_eq!(held_by(&all, 2), Some((1, "waits for")));
        assert_eq!(held_by(&all, 1), None);
        assert_eq!(held_by(&all[..2], 0), Some((1, "held up by")), "the last one");
        assert_eq!(held_by(&all[..1], 0), None);
        all[1].figures.processor_ns = 480_000_000;
        let says = slowest(&all).unwrap().says;
        assert_eq!(says, "is at work all the time, but has a processor for 48.0 % of it only");
        all[1].holds = Some("all lines");
        let found = slowest(&all).unwrap();
        assert_eq!(found.reason, Reason::Holds);
        assert!(found.says.ends_with("so head waits for it"));
    }

    #[test]
    fn along_the_links_the_one_that_does_not_only_pass_it_on_is_named() {
        let held = |ms: u64| StageFigures { held_up_ns: ms * 1_000_000, ..StageFigures::default() };
        let mut all = vec![
            command("cat", held(980)),
            command("cut", held(240)),
            command("sed", waiting(10)),
            command("grep", waiting(820)),
            command("sort", waiting(500)),
            command("head", waiting(990)),
        ];
        assert_eq!(held_by(&all, 0), Some((2, "held up by")));
        assert_eq!(held_by(&all, 3), Some((2, "waits for")));
        assert_eq!(held_by(&all, 5), Some((2, "waits for")));
        all[4].holds = Some("all lines");
        assert_eq!(held_by(&all, 5), Some((4, "waits for")));
        // What is in another pipeline has nothing to do with it.
        all[0].linked = false;
        assert_eq!(held_by(&all, 0), None);
        all[4].linked = false;
        assert_eq!(held_by(&all, 5), None);
        all[1].linked = false;
        all[2].linked = true;
        assert_eq!(held_by(&all, 3), Some((2, "waits for")));
        all[2].figures = waiting(500);
        // It is the first of its pipeline, whatever it does itself.
        assert_eq!(held_by(&all, 3), Some((2, "waits for")));
    }

    #[test]
    fn who_has_the_processors_is_named_and_not_who_waits_for_its_turn() {
        let works = |waits: u64, processor: u64| StageFigures {
            processor_ns: processor * 1_000_000,
            ..waiting(waits)
        };
        let at = |one: StageFigures, other: StageFigures| {
            slowest(&[command("cut", one), command("sort", other)]).unwrap().at
        };
        // At work for longer, with half of the other's time of processor.
        assert_eq!(at(works(10, 400), works(100, 800)), 1);
        // No clear difference: who is at work for longer.
        assert_eq!(at(works(10, 700), works(100, 800)), 0);
        // Nothing is known of its time.
        assert_eq!(at(works(10, 0), works(100, 800)), 0);
    }

    #[test]
    fn who_waits_for_the_disk_is_named() {
        let disk = StageFigures {
            reading_ns: 900_000_000,
            processor_ns: 100_000_000,
            ..StageFigures::default()
        };
        let all = vec![command("grep", disk), command("cut", waiting(970))];
        let found = slowest(&all).unwrap();
        assert_eq!((found.at, found.reason), (0, Reason::Reads));
        let outside = CommandFigures { kind: CommandKind::Program, ..all[0].clone() };
        let found = slowest(&[outside, all[1].clone()]).unwrap();
        assert_eq!(found.reason, Reason::Outside);
    }

    #[test]
    fn a_run_too_short_to_tell_names_nobody() {
        let mut all = vec![command("grep", StageFigures::default())];
        all[0].figures.elapsed_ns = 1_000;
        assert_eq!(slowest(&all), None);
        assert_eq!(slowest(&[]), None);
    }

    #[test]
    fn each_limit_counts_from_its_own_value_on() {
        let mut all = [command("grep", StageFigures::default())];
        all[0].figures.elapsed_ns = 20_000_000;
        assert!(slowest(&all).is_some());
        all[0].figures.elapsed_ns -= 1;
        assert!(slowest(&all).is_none());
        all[0].figures = StageFigures {
            elapsed_ns: 1_000_000_000,
            processor_ns: 700_000_000,
            ..StageFigures::default()
        };
        assert_eq!(slowest(&all).unwrap().says, "keeps one processor busy all the time");
        all[0].figures.waiting_ns = 200_000_000;
        assert_eq!(slowest(&all).unwrap().says, "keeps one processor busy all the time");
        all[0].figures.waiting_ns += 1;
        assert_ne!(slowest(&all).unwrap().says, "keeps one processor busy all the time");
        // Who waits or is held up for a tenth of the time still only passes it on.
        let held = |ms: u64| StageFigures { held_up_ns: ms * 1_000_000, ..StageFigures::default() };
        let up = [
            command("cat", held(900)),
            command("cut", held(100)),
            command("sed", held(99)),
            command("tr", held(0)),
        ];
        assert_eq!(held_by(&up, 0), Some((2, "held up by")));
        let down = [
            command("cat", waiting(0)),
            command("cut", waiting(99)),
            command("sed", waiting(100)),
            command("tr", waiting(900)),
        ];
        assert_eq!(held_by(&down, 3), Some((1, "waits for")));
    }
}
