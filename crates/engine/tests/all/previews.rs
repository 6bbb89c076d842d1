//! Previews: what every stage has, and what limits, cancelling and errors do to it.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use engine::{
    Applied, Capture, Consent, Consents, Ending, Fed, FullEnd, FullRequest, HeldCommand, Limit,
    Limits, Preview, Request, Sample, SessionEvent, Variables, Workbench,
};
use proptest::prelude::*;

/// How long a test waits for news that must come.
const PATIENCE: Duration = Duration::from_secs(30);

/// A yes to each of these commands, without input and with whatever they are fed.
pub(crate) fn consents(commands: &[&[&str]]) -> Consents {
    let mut all = Consents::default();
    for command in commands {
        let words: Vec<Vec<u8>> = command.iter().map(|word| word.as_bytes().to_vec()).collect();
        let held = HeldCommand::of_words(&words).expect("a program that is held back");
        let consent = held.consent().expect("a program");
        all.add(Consent { fed: Fed::Anything, ..consent.clone() });
        all.add(consent);
    }
    all
}

pub(crate) struct Bench {
    pub(crate) workbench: Workbench,
    pub(crate) news: Receiver<SessionEvent>,
    pub(crate) sample: Sample,
    pub(crate) limits: Limits,
}

impl Bench {
    pub(crate) fn new() -> Self {
        Self::of(None)
    }

    /// With standard input.
    pub(crate) fn with_input(input: Arc<Capture>) -> Self {
        Self::of(Some(input))
    }

    fn of(input: Option<Arc<Capture>>) -> Self {
        let (sender, news) = channel();
        let workbench = Workbench::new(input, move |job| drop(sender.send(job)));
        Self { workbench, news, sample: Sample::First(5000), limits: Limits::default() }
    }

    pub(crate) fn request(&self, text: &str) -> Request {
        Request {
            text: text.to_owned(),
            at: usize::MAX,
            variables: Variables::default(),
            script: None,
            plan: None,
            sample: self.sample,
            limits: self.limits,
            allowed: engine::Consents::default(),
        }
    }

    pub(crate) fn run(&mut self, text: &str) -> Arc<Preview> {
        let request = self.request(text);
        self.answer(request)
    }

    /// The preview that answers a request.
    pub(crate) fn answer(&mut self, request: Request) -> Arc<Preview> {
        let generation = self.workbench.evaluate(request);
        loop {
            match self.news.recv_timeout(PATIENCE).expect("a preview") {
                SessionEvent::Done(preview) if preview.generation == generation => {
                    assert!(self.workbench.accept(&preview));
                    return preview;
                }
                SessionEvent::Failed(_, message) => panic!("{message}"),
                SessionEvent::Refused(_, error) => panic!("{error}"),
                _ => {}
            }
        }
    }

    /// Writes the files of a text.
    pub(crate) fn write(&mut self, text: &str) -> std::io::Result<Vec<Applied>> {
        let Request { text, variables, allowed, .. } = self.request(text);
        self.workbench.run_all(FullRequest {
            text,
            variables,
            allowed,
            left_out: BTreeSet::new(),
            writes: true,
            follows: false,
            expected: engine::Estimate::default(),
        });
        loop {
            if let SessionEvent::FullEnded(end) = self.news.recv_timeout(PATIENCE).expect("news") {
                return match end {
                    FullEnd::Done(_, applied) => Ok(applied),
                    FullEnd::Cancelled => Err(std::io::Error::other("cancelled")),
                    FullEnd::Failed(why) => Err(std::io::Error::other(why)),
                };
            }
        }
    }
}

fn text_of(preview: &Preview, stage: usize) -> String {
    String::from_utf8(preview.stages[stage].out.contents()).unwrap()
}

fn file(directory: &Path, name: &str, text: &str) -> String {
    let path = directory.join(name);
    std::fs::write(&path, text).unwrap();
    path.display().to_string()
}

#[test]
fn every_stage_has_its_output_counts_and_origins() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "b refused\na ok\nb refused\na refused\n");
    let mut bench = Bench::new();
    let preview = bench.run(&format!("grep refused {log} | cut -d' ' -f1 | sort | uniq -c"));
    assert_eq!(text_of(&preview, 0), "b refused\nb refused\na refused\n");
    assert_eq!(text_of(&preview, 3), "      1 a\n      2 b\n");
    let figures: Vec<(u64, u64)> = preview
        .stages
        .iter()
        .map(|stage| (stage.figures.lines_in, stage.figures.lines_out))
        .collect();
    assert_eq!(figures, [(4, 3), (3, 3), (3, 3), (3, 2)]);
    let origins = preview.stages[3].origins.lock();
    let from: Vec<u64> = origins.get(1).iter().map(stream::LineId::line).collect();
    assert_eq!(from, [1, 2]);
    let sorted = preview.stages[2].origins.lock();
    assert_eq!(sorted.get(0).first().unwrap().line(), 2);
}

#[test]
fn what_a_redirection_gives_is_the_input_of_a_stage() {
    let directory = tempfile::tempdir().unwrap();
    let small = file(directory.path(), "small", "s\n");
    let other = file(directory.path(), "other", "o\n");
    let mut bench = Bench::new();
    for (text, input) in [
        ("cat <<< 'a b'".to_owned(), "a b\n"),
        ("cat <<END\none\ntwo\nEND".to_owned(), "one\ntwo\n"),
        (format!("cat < {other} <<< a"), "a\n"),
        (format!("cat <<< a < {small}"), "s\n"),
        (format!("cat < {small} 3< {other}"), "s\n"),
        (format!("cat 3< {other} < {small}"), "s\n"),
    ] {
        let preview = bench.run(&text);
        let [only] = &preview.stages[0].inputs[..] else { panic!("{text}") };
        assert_eq!(String::from_utf8(only.kept.contents()).unwrap(), input, "{text}");
        assert_eq!(text_of(&preview, 0), input, "{text}");
        assert!(preview.is_whole(), "{text}");
    }
}

#[test]
fn descriptors_by_name_are_those_of_the_stage() {
    let directory = tempfile::tempdir().unwrap();
    let small = file(directory.path(), "small", "s\n");
    let mut bench = Bench::new();
    for (text, out, inputs) in [
        ("seq 2 | cat /dev/stdin".to_owned(), "1\n2\n", &["1\n2\n"][..]),
        (format!("cat /dev/fd/0 < {small}"), "s\n", &["s\n"]),
        ("cat /dev/stdin".to_owned(), "", &[""]),
        ("seq 2 | tee /dev/stdout".to_owned(), "1\n2\n1\n2\n", &["1\n2\n"]),
        ("seq 2 > /dev/stdout".to_owned(), "1\n2\n", &[]),
        ("x=$(< SMALL); echo $x".replace("SMALL", &small), "s\n", &[]),
        ("while :; do echo t; done | head -n 2".to_owned(), "t\nt\n", &["t\nt\n"]),
    ] {
        let preview = bench.run(&text);
        let last = preview.stages.len() - 1;
        let sorted = |text: &str| {
            let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
            lines.sort();
            lines
        };
        assert_eq!(sorted(&text_of(&preview, last)), sorted(out), "{text}");
        let read: Vec<String> = preview.stages[last]
            .inputs
            .iter()
            .map(|input| String::from_utf8(input.kept.contents()).unwrap())
            .collect();
        if text.starts_with("while") {
            assert!(read[0].starts_with(inputs[0]), "{text}");
        } else {
            assert_eq!(read, inputs, "{text}");
        }
        assert!(preview.pending.is_empty() && preview.refused.is_empty(), "{text}");
    }
}

#[test]
fn a_stage_that_writes_what_it_reads_changes_nothing() {
    let directory = tempfile::tempdir().unwrap();
    let large = "a line of some length\n".repeat(20_000);
    let log = file(directory.path(), "log", &large);
    let changed = file(directory.path(), "changed", &large.replace("length\na", "length\nA"));
    let mut bench = Bench::new();
    bench.sample = Sample::Everything;
    for (text, same) in [
        (format!("sed s/x/y/ {log}"), true),
        (format!("sed '$s/a/b/' {log}"), false),
        (format!("tr b c < {log} | cat"), true),
        (format!("head -n -1 {log}"), false),
        (format!("sed s/A/a/ {changed}"), false),
        ("sed s/x/y/ /dev/null".to_owned(), true),
    ] {
        let preview = bench.run(&text);
        assert_eq!(preview.stages[0].changes_nothing, same, "{text}");
    }
}

#[test]
fn a_change_reuses_everything_before_it() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "c\nb\na\n");
    let mut bench = Bench::new();
    bench.run(&format!("cat {log} | sort | head -n 1"));
    let preview = bench.run(&format!("cat {log} | sort | head -n 2"));
    let reused: Vec<bool> = preview.stages.iter().map(|stage| stage.reused).collect();
    assert_eq!(reused, [true, true, false]);
    assert_eq!(text_of(&preview, 2), "a\nb\n");
    // A changed file changes everything.
    file(directory.path(), "log", "z\ny\nx\nw\n");
    let preview = bench.run(&format!("cat {log} | sort | head -n 2"));
    assert!(preview.stages.iter().all(|stage| !stage.reused));
    assert_eq!(text_of(&preview, 2), "w\nx\n");
}

#[test]
fn endless_data_ends_by_a_closed_pipe_or_a_limit() {
    let mut bench = Bench::new();
    let preview = bench.run("seq 1 100000000 | head -n 3");
    assert_eq!(preview.stages[0].ending, Ending::ClosedPipe);
    assert_eq!(preview.stages[0].status.0, 141);
    assert_eq!(text_of(&preview, 1), "1\n2\n3\n");
    bench.limits.lines = 50_000;
    let preview = bench.run("seq 1 100000000 | wc -l");
    assert_eq!(preview.stages[0].ending, Ending::Cut(Limit::Lines(50_000)));
    bench.limits = Limits {
        time: Duration::from_millis(300),
        lines: u64::MAX,
        bytes: u64::MAX,
        ..Limits::default()
    };
    let started = Instant::now();
    let preview = bench.run("seq 1 100000000000 | grep -c 7");
    assert!(matches!(preview.stages[0].ending, Ending::Cut(Limit::Time(_))));
    assert!(started.elapsed() < PATIENCE);
}

#[test]
fn cancelling_stops_endless_work_quickly() {
    let mut bench = Bench::new();
    bench.limits = Limits {
        time: Duration::from_mins(1),
        lines: u64::MAX,
        bytes: u64::MAX,
        ..Limits::default()
    };
    let request = bench.request("seq 1 100000000000 | tr 1-4 5-8 | sort | tail -n 1");
    bench.workbench.evaluate(request);
    while bench.workbench.progress().first().is_none_or(|stage| stage.lines_out < 100_000) {
        std::thread::yield_now();
    }
    let before = bench.workbench.progress();
    bench.workbench.cancel();
    // All counters stand still soon after: nothing works any more.
    let deadline = Instant::now() + PATIENCE;
    let mut last = bench.workbench.progress();
    loop {
        std::thread::sleep(Duration::from_millis(60));
        let now = bench.workbench.progress();
        if now == last {
            break;
        }
        last = now;
        assert!(Instant::now() < deadline);
    }
    assert!(before[0].lines_out > 0);
}

#[test]
fn what_cannot_be_read_is_said_at_its_stage() {
    let directory = tempfile::tempdir().unwrap();
    let good = file(directory.path(), "good", "x\n");
    let mut bench = Bench::new();
    let folder = directory.path().display();
    let preview = bench.run(&format!("cat {folder}/nope {folder} {good} | wc -l"));
    let messages = &preview.stages[0].messages;
    assert!(messages.contains("nope: No such file or directory"), "{messages}");
    assert!(messages.contains(": Is a directory"), "{messages}");
    assert_eq!(text_of(&preview, 1), "1\n");
    // When the missing file appears, nothing old is shown.
    file(directory.path(), "nope", "a\nb\n");
    let preview = bench.run(&format!("cat {folder}/nope {folder} {good} | wc -l"));
    assert_eq!(text_of(&preview, 1), "3\n");
    let preview = bench.run("cat /dev/zero | wc -c");
    assert!(preview.stages[0].messages.contains("a device, read only by a real run"));
    let preview = bench.run("touch x | wc -l");
    assert!(preview.stages[0].messages.contains("waiting for your consent"));
}

#[test]
fn a_stage_that_fails_inside_is_its_own_failure() {
    let mut bench = Bench::new();
    let mut request = bench.request("seq 5 | cat | wc -l");
    let script = engine::parse(&request.text).unwrap();
    let pipeline = script.pipelines().next().unwrap();
    let mut plan = engine::Plan::new(pipeline, &Variables::default(), &engine::RealFiles).unwrap();
    plan.stages[1].kind = engine::StageKind::Native(&filters::testing::PANICKING);
    request.plan = Some(plan);
    let generation = bench.workbench.evaluate(request);
    let preview = loop {
        match bench.news.recv_timeout(PATIENCE).expect("a preview") {
            SessionEvent::Done(preview) if preview.generation == generation => break preview,
            SessionEvent::Failed(_, message) => panic!("{message}"),
            SessionEvent::Refused(_, error) => panic!("{error}"),
            _ => {}
        }
    };
    assert_eq!(preview.stages[1].ending, Ending::Failed);
    assert!(preview.stages[1].messages.contains("internal error"));
    assert_eq!(text_of(&preview, 0), "1\n2\n3\n4\n5\n");
    assert_eq!(text_of(&preview, 2), "0\n");
    bench.workbench.accept(&preview);
    assert_eq!(text_of(&bench.run("seq 5 | cat | wc -l"), 2), "5\n");
}

#[test]
fn a_lone_maker_is_cancelled_too() {
    let mut bench = Bench::new();
    bench.limits = Limits {
        time: Duration::from_millis(200),
        lines: u64::MAX,
        bytes: u64::MAX,
        ..Limits::default()
    };
    let started = Instant::now();
    let preview = bench.run("seq 1 100000000000");
    assert!(matches!(preview.stages[0].ending, Ending::Cut(Limit::Time(_))));
    assert!(started.elapsed() < PATIENCE);
}

#[test]
fn a_huge_line_is_cut_off_and_said_so() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("one-line");
    std::fs::write(&path, vec![b'x'; 100 << 20]).unwrap();
    let mut bench = Bench::new();
    bench.limits.bytes = 8 << 20;
    let preview = bench.run(&format!("cut -c1-5 {}", path.display()));
    let (_, sampled) = preview.sources().next().unwrap();
    assert_eq!(sampled.cut, Some(Limit::Bytes(8 << 20)));
    assert_eq!(text_of(&preview, 0), "xxxxx\n");
    assert!(!preview.is_whole());
}

#[test]
fn redirections_are_held_back_and_seen_by_later_reads() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path().display().to_string();
    file(directory.path(), "old", "1\n2\n3\n");
    let mut bench = Bench::new();
    let preview = bench.run(&format!("seq 5 > {folder}/old"));
    let pending = &preview.stages[0].pending[0];
    assert_eq!((pending.kept.lines(), pending.lines_now), (5, Some(3)));
    assert_eq!(std::fs::read(directory.path().join("old")).unwrap(), b"1\n2\n3\n");
    let preview = bench.run(&format!("sort {folder}/old > {folder}/old"));
    assert_eq!(preview.stages[0].pending[0].kept.lines(), 0, "emptied before it is read");
    let preview = bench.run(&format!("cat {folder}/nope 2> {folder}/err"));
    assert_eq!(preview.stages[0].messages, "");
    assert_eq!(preview.stages[0].pending[0].kept.lines(), 1);
    let preview = bench.run(&format!("cat {folder}/nope 2>&1 | wc -l"));
    assert_eq!(text_of(&preview, 1), "1\n");
    assert!(!directory.path().join("err").exists());
}

#[test]
fn samples_carry_the_numbers_of_the_whole() {
    let directory = tempfile::tempdir().unwrap();
    let text: String = (1..=1000).map(|number| format!("{number}\n")).collect();
    let log = file(directory.path(), "log", &text);
    let mut bench = Bench::new();
    bench.sample = Sample::Every(100);
    let preview = bench.run(&format!("cat {log}"));
    assert_eq!(text_of(&preview, 0), "1\n101\n201\n301\n401\n501\n601\n701\n801\n901\n");
    let (_, sampled) = preview.sources().next().unwrap();
    assert_eq!((sampled.number(3), sampled.whole_lines()), (301, Some(1000)));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(24) })]

    #[test]
    fn a_sample_of_everything_gives_what_a_run_gives(data in "([ab1 ]{0,4}\n){0,12}[ab]{0,2}", stages in prop::collection::vec(prop::sample::select(vec![
        "grep a", "cut -d' ' -f1", "sort", "uniq -c", "tr ab ba", "head -n 4", "tail -n 3", "sort -rn", "wc -l", "cat -n", "grep -c .",
    ]), 1..4)) {
        let directory = tempfile::tempdir().unwrap();
        let log = file(directory.path(), "log", &data);
        let out = directory.path().join("out");
        let line = format!("cat {log} | {}", stages.join(" | "));
        let mut bench = Bench::new();
        bench.sample = Sample::Everything;
        let preview = bench.run(&line);
        let shown = text_of(&preview, stages.len());
        let mut variables = Variables::default();
        engine::run_script(&format!("{line} > {}", out.display()), &mut variables, &stream::RunControl::default(), None).unwrap();
        prop_assert_eq!(shown, std::fs::read_to_string(&out).unwrap());
        for (number, stage) in preview.stages.iter().enumerate() {
            prop_assert_eq!(stage.origins.lock().lines(), stage.out.lines(), "{}", number);
        }
    }
}

#[test]
fn verbs_of_programs_come_from_what_happened() {
    use filters::Verb;
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "a 1\nb 2\na 3\nc 4\n");
    let mut bench = Bench::new();
    for (stage, verb) in [
        ("awk '/a/'", Verb::Keeps),
        ("awk '{if ($2 > 1) print}'", Verb::Keeps),
        ("awk '{print $1}'", Verb::Edits),
        ("awk '{n[$1]++} END {for (k in n) print k, n[k]}'", Verb::Merges),
        ("awk '{for (i = 1; i <= NF; i++) print $i}'", Verb::Splits),
        ("awk '{l[NR] = $0} END {for (i = NR; i > 0; i--) print l[i]}'", Verb::Orders),
        ("awk 'BEGIN {print 1}'", Verb::Makes),
        ("sed -n 2p", Verb::Keeps),
        ("sed s/a/b/", Verb::Edits),
        ("sed 'N;s/\\n/ /'", Verb::Merges),
        ("sed p", Verb::Splits),
        ("sed s/x/y/", Verb::Keeps),
    ] {
        let line = if verb == Verb::Makes { stage.to_owned() } else { format!("{stage} {log}") };
        let preview = bench.run(&line);
        let result = &preview.stages[0];
        assert_eq!(result.verb, Some(verb), "{stage}: {}", text_of(&preview, 0));
    }
}

#[test]
fn what_a_program_would_do_to_the_machine_is_held_back() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "b\na\n");
    let (out, mark) = (directory.path().join("out"), directory.path().join("mark"));
    let mut bench = Bench::new();
    let program =
        format!("{{print > \"{}\"; system(\"touch {}\")}}", out.display(), mark.display());
    let preview = bench.run(&format!("awk '{program}' {log}"));
    let stage = &preview.stages[0];
    assert!(!out.exists() && !mark.exists());
    assert_eq!(stage.pending.len(), 1);
    assert_eq!(stage.pending[0].kept.contents(), b"b\na\n");
    assert!(stage.messages.contains("2 commands held back"), "{}", stage.messages);
    // Filters change nothing: they are run.
    let preview = bench.run(&format!("awk '{{print | \"sort\"}}' {log}"));
    assert_eq!(text_of(&preview, 0), "a\nb\n");
    let preview = bench.run(&format!("sed -i s/a/x/ {log}"));
    assert_eq!(preview.stages[0].pending[0].kept.contents(), b"b\nx\n");
    assert_eq!(std::fs::read(directory.path().join("log")).unwrap(), b"b\na\n");
}

#[test]
fn what_comes_down_a_pipe_is_the_input_whatever_descriptor_it_is_from() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().display();
    std::fs::write(folder.path().join("f"), "a\nb\n").unwrap();
    let mut bench = Bench::new();
    let input = |preview: &Preview| {
        let kept = &preview.stages[1].inputs[0].kept;
        String::from_utf8(kept.contents()).unwrap().replace(&at.to_string(), "DIR")
    };
    let missing = "cat: DIR/no: No such file or directory\n";
    for (text, expected) in [
        ("cat DIR/no DIR/f | cat -n", "a\nb\n".to_owned()),
        ("cat DIR/no DIR/f 2>&1 | cat -n", format!("{missing}a\nb\n")),
        ("cat DIR/no DIR/f 2>&1 > DIR/out | cat -n", missing.to_owned()),
        ("cat DIR/f > DIR/out | cat -n", String::new()),
    ] {
        let preview = bench.run(&text.replace("DIR", &at.to_string()));
        assert_eq!(input(&preview), expected, "{text}");
        let lines = expected.lines().count() as u64;
        assert_eq!(preview.stages[1].out.lines(), lines, "{text}");
    }
}

#[test]
fn an_option_that_only_the_machines_own_program_may_have_is_said_with_its_path() {
    let mut bench = Bench::new();
    let refused = |bench: &mut Bench, text: &str| {
        let request = bench.request(text);
        bench.workbench.evaluate(request);
        loop {
            if let SessionEvent::Done(done) = bench.news.recv_timeout(PATIENCE).unwrap() {
                // The stage before it is there.
                assert_eq!(done.stages.len(), 1, "{text}");
                return done.wrong.as_ref().unwrap().to_string();
            }
        }
    };
    let said = refused(&mut bench, "seq 3 | sed --no-such-option p");
    assert!(said.contains("/sed may have it: command sed starts that one"), "{said}");
    let said = refused(&mut bench, "seq 3 | grep -Y 3");
    assert!(said.contains("/grep may have it"), "{said}");
    // What is wrong everywhere has no such offer, nor has a filter that is found nowhere else.
    for text in ["seq 3 | sed s/a", "seq 3 | head -n x", "seq 3 | venn --no-such x y"] {
        let said = refused(&mut bench, text);
        assert!(!said.contains("may have it"), "{said}");
    }
}

/// A stage that is wrong hides none of those before it; where it is the first there is nothing to show.
#[test]
fn stages_before_one_that_is_wrong_are_shown() {
    let mut bench = Bench::new();
    for (text, stages, says) in [
        ("seq 3 | sort -r | nosuch", 2, "nosuch: no filter or program"),
        ("seq 3 | nosuch | sort", 1, "nosuch"),
        ("seq 3 | cut -f0 | wc -l", 1, "fields are numbered from 1"),
    ] {
        let preview = bench.run(text);
        assert_eq!(preview.stages.len(), stages, "{text}");
        let wrong = preview.wrong.as_ref().unwrap();
        assert!(wrong.message.contains(says), "{text}: {wrong}");
        assert!(text[wrong.span.range()].contains(['n', '0']), "{text}");
    }
    let request = bench.request("nosuch | sort");
    bench.workbench.evaluate(request);
    loop {
        match bench.news.recv_timeout(PATIENCE).unwrap() {
            SessionEvent::Refused(_, error) => break assert!(error.message.contains("nosuch")),
            SessionEvent::Done(_) => panic!("there is nothing to show"),
            _ => {}
        }
    }
}
