//! Where the descriptors of each stage lead, and how the shell came to that, step by step.

use engine::{StageKind, StagePlan, Target, TargetKind};
use shell::{RedirectionKind, Span, Word};

/// Where a descriptor leads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum End {
    /// The terminal.
    Terminal,
    /// Data that came on standard input.
    Given,
    /// The pipe from the stage of this number, counted from 0.
    PipeFrom(usize),
    /// The pipe to the stage of this number, counted from 0.
    PipeTo(usize),
    /// A file that is read.
    Reads(String),
    /// A file whose content is replaced.
    Replaces(String),
    /// A file that is added to.
    Appends(String),
    /// A text of the line itself: a here-document or a here-string.
    Text(usize),
    /// Nowhere: what is written is lost, what is read is empty.
    Nowhere,
    /// It is closed.
    Closed,
}

impl End {
    /// In a few words.
    pub fn says(&self) -> String {
        match self {
            Self::Terminal => "the terminal".to_owned(),
            Self::Given => "standard input".to_owned(),
            Self::PipeFrom(stage) => format!("the pipe from {}", stage + 1),
            Self::PipeTo(stage) => format!("the pipe to {}", stage + 1),
            Self::Reads(path) => path.clone(),
            Self::Replaces(path) => format!("{path}, replaced"),
            Self::Appends(path) => format!("{path}, appended to"),
            Self::Text(1) => "a text of 1 line".to_owned(),
            Self::Text(lines) => format!("a text of {lines} lines"),
            Self::Nowhere => "nowhere".to_owned(),
            Self::Closed => "closed".to_owned(),
        }
    }

    /// True where it is read.
    pub fn is_read(&self) -> bool {
        matches!(self, Self::Given | Self::PipeFrom(_) | Self::Reads(_) | Self::Text(_))
    }
}

/// A descriptor and where it leads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Wire {
    /// The descriptor.
    pub descriptor: u8,
    /// Where it leads.
    pub end: End,
    /// The descriptor that it was led after, if its last redirection was that.
    pub joined: Option<u8>,
}

/// What the shell does for one redirection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// The redirection in the text; `None` for what is there at first.
    pub span: Option<Span>,
    /// What changes, in words.
    pub says: String,
    /// Where the descriptors lead after it.
    pub wires: Vec<Wire>,
}

/// The connections of a stage: at first, and after each of its redirections.
pub fn wiring(stages: &[StagePlan], number: usize, given: bool) -> Vec<Step> {
    let Some(stage) = stages.get(number) else { return Vec::new() };
    let wire = |descriptor, end| Wire { descriptor, end, joined: None };
    let input = match number.checked_sub(1) {
        Some(before) => End::PipeFrom(before),
        None if given => End::Given,
        None => End::Terminal,
    };
    let output = if number + 1 < stages.len() { End::PipeTo(number + 1) } else { End::Terminal };
    let mut wires = vec![wire(0, input), wire(1, output), wire(2, End::Terminal)];
    let says = "the descriptors at the start".to_owned();
    let mut steps = vec![Step { span: None, says, wires: wires.clone() }];
    for target in targets(stage) {
        let (end, says) = step(&target, &wires);
        wires.retain(|wire| wire.descriptor != target.descriptor);
        let joined = match target.kind {
            TargetKind::Duplicate(of) if of != target.descriptor => Some(of),
            _ => None,
        };
        wires.push(Wire { joined, ..wire(target.descriptor, end) });
        wires.sort_by_key(|wire| wire.descriptor);
        steps.push(Step { span: Some(target.span), says, wires: wires.clone() });
    }
    steps
}

fn step(target: &Target, wires: &[Wire]) -> (End, String) {
    let number = target.descriptor;
    let nowhere = |path: &std::path::Path| path == std::path::Path::new("/dev/null");
    match &target.kind {
        TargetKind::Read(path) | TargetKind::Replace(path) | TargetKind::Append(path)
            if nowhere(path) =>
        {
            (End::Nowhere, format!("from here on {number} leads nowhere"))
        }
        TargetKind::Read(path) | TargetKind::ReadWrite(path) => {
            let path = path.display().to_string();
            let says = format!("from here on {number} reads {path}");
            (End::Reads(path), says)
        }
        TargetKind::Replace(path) => {
            let path = path.display().to_string();
            let says = format!("{path} is emptied; from here on {number} writes to it");
            (End::Replaces(path), says)
        }
        TargetKind::Append(path) => {
            let path = path.display().to_string();
            let says = format!("from here on {number} appends to {path}");
            (End::Appends(path), says)
        }
        TargetKind::Duplicate(of) => {
            let found = wires.iter().find(|wire| wire.descriptor == *of);
            let end = found.map_or(End::Closed, |wire| wire.end.clone());
            let says = format!("{number} now goes where {of} goes: {}", end.says());
            (end, says)
        }
        TargetKind::Close => (End::Closed, format!("{number} is closed")),
        TargetKind::Text(text) => {
            let lines = text.split(|byte| *byte == b'\n').count() - 1;
            (End::Text(lines), format!("{number} reads the text given in the line itself"))
        }
    }
}

/// The redirections of a stage; those of a compound command as they stand in the text.
fn targets(stage: &StagePlan) -> Vec<Target> {
    let StageKind::Shell(command) = &stage.kind else { return stage.targets.clone() };
    let mut targets = Vec::new();
    for redirection in &command.redirections {
        let path = |word: &Word| std::path::PathBuf::from(plain(word));
        let kind = match &redirection.kind {
            RedirectionKind::Read(word) => TargetKind::Read(path(word)),
            RedirectionKind::Replace(word) | RedirectionKind::ReplaceBoth(word) => {
                TargetKind::Replace(path(word))
            }
            RedirectionKind::Append(word) | RedirectionKind::AppendBoth(word) => {
                TargetKind::Append(path(word))
            }
            RedirectionKind::ReadWrite(word) => TargetKind::ReadWrite(path(word)),
            RedirectionKind::Duplicate(of) => TargetKind::Duplicate(*of),
            RedirectionKind::Close => TargetKind::Close,
            RedirectionKind::Text(word) => {
                TargetKind::Text(format!("{}\n", plain(word)).into_bytes())
            }
            RedirectionKind::Document(document) => {
                let text: String = document
                    .parts()
                    .iter()
                    .filter_map(|part| match part {
                        shell::Part::Text(text) => Some(text.as_str()),
                        _ => None,
                    })
                    .collect();
                TargetKind::Text(text.into_bytes())
            }
        };
        let (descriptor, span) = (redirection.descriptor, redirection.span);
        targets.push(Target { descriptor, kind, span });
        let both = matches!(
            redirection.kind,
            RedirectionKind::ReplaceBoth(_) | RedirectionKind::AppendBoth(_)
        );
        if both {
            targets.push(Target { descriptor: 2, kind: TargetKind::Duplicate(1), span });
        }
    }
    targets.extend(stage.targets.iter().cloned());
    targets
}

/// A word as its value where that is known, else as it is in the text.
fn plain(word: &Word) -> String {
    word.literal().unwrap_or_else(|| shell::print_word(word))
}

#[cfg(test)]
mod tests {
    use super::*;
    use engine::{Plan, RealFiles, Variables};

    fn shown(text: &str, number: usize) -> String {
        let script = engine::parse(text).unwrap();
        let pipeline = script.pipelines().next().unwrap();
        let plan = Plan::new(pipeline, &Variables::default(), &RealFiles).unwrap();
        let steps = wiring(&plan.stages, number, false);
        let line = |step: &Step| {
            let wires: Vec<String> = step
                .wires
                .iter()
                .map(|wire| format!("{} {}", wire.descriptor, wire.end.says()))
                .collect();
            let what = step.span.map_or("", |span| &text[span.range()]);
            format!("{what:<12}{}", wires.join(" · "))
        };
        steps.iter().map(line).collect::<Vec<_>>().join("\n")
    }

    #[test]
    fn the_order_of_redirections_decides() {
        insta::assert_snapshot!(shown("cat x 2>&1 > f | sort", 0), @r#"
                    0 the terminal · 1 the pipe to 2 · 2 the terminal
        2>&1        0 the terminal · 1 the pipe to 2 · 2 the pipe to 2
        > f         0 the terminal · 1 f, replaced · 2 the pipe to 2
        "#);
        insta::assert_snapshot!(shown("cat x > f 2>&1 | sort", 0), @r#"
                    0 the terminal · 1 the pipe to 2 · 2 the terminal
        > f         0 the terminal · 1 f, replaced · 2 the terminal
        2>&1        0 the terminal · 1 f, replaced · 2 f, replaced
        "#);
        insta::assert_snapshot!(shown("a | while read x; do y; done < in 2>> log >&- | c", 1), @r#"
                    0 the pipe from 1 · 1 the pipe to 3 · 2 the terminal
        < in        0 in · 1 the pipe to 3 · 2 the terminal
        2>> log     0 in · 1 the pipe to 3 · 2 log, appended to
        >&-         0 in · 1 closed · 2 log, appended to
        "#);
        insta::assert_snapshot!(shown("cat <<E |& wc 3>/dev/null\na\nE\n", 0), @r#"
                    0 the terminal · 1 the pipe to 2 · 2 the terminal
        <<E         0 a text of 1 line · 1 the pipe to 2 · 2 the terminal
        cat <<E     0 a text of 1 line · 1 the pipe to 2 · 2 the pipe to 2
        "#);
        insta::assert_snapshot!(shown("cat &> both <<< x", 0), @r#"
                    0 the terminal · 1 the terminal · 2 the terminal
        &> both     0 the terminal · 1 both, replaced · 2 the terminal
        &> both     0 the terminal · 1 both, replaced · 2 both, replaced
        <<< x       0 a text of 1 line · 1 both, replaced · 2 both, replaced
        "#);
    }
}
