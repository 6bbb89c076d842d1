//! Every kind of drawing as it is: a change of a line, a colour or a place is seen.

use draw::{
    Course, Diagram, Errors, FileOut, Funnel, FunnelRow, Node, Port, Scene, Stage, Stream,
    Throughput, Wiring, svg,
};

/// Compares a drawing with the one that is kept, in which each element has a line.
fn keep(name: &str, scene: &Scene) {
    let text = svg(scene);
    let parsed = roxmltree::Document::parse(&text);
    assert!(parsed.is_ok(), "{name}: {:?}", parsed.err());
    insta::assert_snapshot!(name.to_owned(), text.replace("><", ">\n<"));
}

fn stage(command: &str, does: &str, lines: Option<u64>) -> Stage {
    Stage {
        command: command.to_owned(),
        does: does.to_owned(),
        carries: "1".to_owned(),
        out: Stream { lines, ..Stream::default() },
        files: Vec::new(),
        errors: Errors::Usual,
        reads: Vec::new(),
    }
}

fn diagram(stages: Vec<Stage>) -> Diagram {
    Diagram {
        title: "refused cards".to_owned(),
        about: "as of 2031-04-02".to_owned(),
        sources: vec!["gate.log".to_owned()],
        source: Stream { lines: Some(12_000), ..Stream::default() },
        on_standard_input: false,
        stages,
        end: "the terminal".to_owned(),
    }
}

#[test]
fn a_pipeline() {
    let scene = diagram(vec![
        stage("grep refused gate.log", "keeps 2 400 of 12 000", Some(2_400)),
        stage("cut -d' ' -f2", "edits all", Some(2_400)),
        stage("sort | uniq -c", "joins", Some(7)),
    ])
    .scene();
    keep("pipeline", &scene);
}

#[test]
fn files_errors_and_inner_inputs() {
    let file = |name: &str, how: &str, descriptor| FileOut {
        name: name.to_owned(),
        how: how.to_owned(),
        descriptor,
    };
    let tee = Stage {
        files: vec![file("copy.txt", "new", None), file("all.log", "appended to", None)],
        errors: Errors::File("errors.log".to_owned()),
        ..stage("tee copy.txt all.log", "copies", Some(10))
    };
    let last = Stage {
        files: vec![file("out.txt", "replaced", Some(1))],
        errors: Errors::WithOutput,
        reads: vec!["words.txt".to_owned(), "<(sort b)".to_owned()],
        ..stage("join - words.txt", "joins", Some(0))
    };
    let mut both = diagram(vec![tee, last]);
    both.on_standard_input = true;
    both.sources = vec!["a.log".to_owned(), "b.log".to_owned(), "c.log".to_owned()];
    keep("files-and-errors", &both.scene());
}

#[test]
fn unknown_counts_long_commands_and_none_at_all() {
    let long = "awk '{ for (i = 1; i <= NF; i++) count[$i]++ } END { for (w in count) print w, count[w] }'";
    let mut scene = diagram(vec![stage(long, "", None), stage("head -n 3", "", None)]);
    scene.source = Stream { lines: None, ..Stream::default() };
    scene.sources = Vec::new();
    keep("unknown", &scene.scene());
    keep("no-stages", &diagram(Vec::new()).scene());
}

#[test]
fn a_pipeline_that_ends_in_a_file_has_no_arrow_at_its_end() {
    let mut scene = diagram(vec![stage("sort gate.log > sorted", "orders", Some(12_000))]);
    scene.end = String::new();
    scene.stages[0].out = Stream::default();
    scene.stages[0].files = vec![FileOut {
        name: "sorted".to_owned(),
        how: "new file".to_owned(),
        descriptor: Some(1),
    }];
    keep("ends-in-a-file", &scene.scene());
    // The stream between two stages is drawn all the same.
    scene.stages.insert(0, stage("grep -v x gate.log", "keeps 9", Some(9)));
    scene.stages[1].command = "sort > sorted".to_owned();
    keep("two-end-in-a-file", &scene.scene());
}

#[test]
fn errors_alone_at_the_side_of_a_stage() {
    let with = |errors| Stage { errors, ..stage("grep refused gate.log", "keeps 5", Some(5)) };
    let stages = vec![
        with(Errors::Usual),
        with(Errors::Discarded),
        with(Errors::WithOutput),
        with(Errors::File("errors.log".to_owned())),
    ];
    let scene = diagram(stages).scene();
    // Each is joined to its stage by dashes.
    assert_eq!(svg(&scene).matches("stroke-dasharray").count(), 4);
    keep("errors-alone", &scene);
}

#[test]
fn two_stages_of_which_one_is_piped() {
    let port = |number, piped| Port { number, reads: number == 0, leads: "x".to_owned(), piped };
    let node = |command: &str, piped| Node {
        command: command.to_owned(),
        ports: vec![port(0, false), port(1, piped)],
        steps: Vec::new(),
    };
    let wiring = |nodes| Wiring { title: String::new(), about: String::new(), nodes };
    let pipes = |scene: Scene| svg(&scene).matches(">pipe<").count();
    assert_eq!(pipes(wiring(vec![node("a", true), node("b", false)]).scene()), 1);
    assert_eq!(pipes(wiring(vec![node("a", false), node("b", false)]).scene()), 0);
    // The last one has nothing to be piped to.
    assert_eq!(pipes(wiring(vec![node("a", true), node("b", true)]).scene()), 1);
    assert_eq!(pipes(wiring(vec![node("a", true)]).scene()), 0);
}

#[test]
fn axes_of_funnels_are_linear_or_logarithmic() {
    let row =
        |number, lines| FunnelRow { number: Some(number), label: "x".to_owned(), lines, mark: "" };
    let funnel = |counts: &[u64]| Funnel {
        title: String::new(),
        about: String::new(),
        rows: counts.iter().enumerate().map(|(at, lines)| row(at + 1, *lines)).collect(),
    };
    let is_logarithmic = |counts: &[u64]| svg(&funnel(counts).scene()).contains("logarithmic");
    assert!(!is_logarithmic(&[199, 1]));
    assert!(is_logarithmic(&[200, 1]));
    // What has no lines does not count.
    assert!(!is_logarithmic(&[200, 0]));
    assert!(!is_logarithmic(&[0]));
    for counts in [&[1_000_000, 1_000, 1][..], &[8, 2], &[1], &[10, 10]] {
        let name = counts.iter().map(u64::to_string).collect::<Vec<_>>().join("-");
        keep(&format!("axis-{name}"), &funnel(counts).scene());
    }
}

#[test]
fn the_wiring() {
    let port =
        |number, reads, leads: &str, piped| Port { number, reads, leads: leads.to_owned(), piped };
    let first = Node {
        command: "grep -n refused gate.log 2> errors".to_owned(),
        ports: vec![
            port(0, true, "the terminal", false),
            port(1, false, "the pipe to sort", true),
            port(2, false, "errors, replaced", false),
        ],
        steps: vec!["errors is emptied; from here on 2 writes to it".to_owned()],
    };
    let second = Node {
        command: "sort".to_owned(),
        ports: vec![
            port(0, true, "the pipe from grep", false),
            port(1, false, "the terminal", false),
            port(2, false, "the terminal", false),
        ],
        steps: Vec::new(),
    };
    let alone = Node {
        command: "exec 3< words".to_owned(),
        ports: vec![port(3, true, "words", false)],
        steps: vec!["from here on 3 reads words".to_owned(), "0 is closed".to_owned()],
    };
    let wiring = |nodes| Wiring {
        title: "wiring".to_owned(),
        about: "each stage with its descriptors".to_owned(),
        nodes,
    };
    keep("wiring", &wiring(vec![first, second, alone]).scene());
    keep("wiring-empty", &wiring(Vec::new()).scene());
}

#[test]
fn the_chart_of_throughput() {
    let course = |command: &str, rates: &[f64], shares| Course {
        command: command.to_owned(),
        about: format!("{} points", rates.len()),
        rates: rates.to_vec(),
        shares,
    };
    let chart = |courses| Throughput {
        title: "throughput".to_owned(),
        about: "lines a second".to_owned(),
        elapsed: std::time::Duration::from_millis(12_500),
        courses,
    };
    let some = chart(vec![
        course("grep refused", &[0.0, 1.5e6, 2.0e6, 1.0e6, 0.0], [0.7, 0.2, 0.1]),
        course("sort", &[0.0, 0.0, 0.0, 5e5, 4e5], [0.3, 0.7, 0.0]),
        course("uniq -c", &[0.0], [0.0, 1.0, 0.0]),
        course("head", &[], [0.0, 0.0, 0.0]),
    ]);
    keep("throughput", &some.scene());
    keep("throughput-empty", &chart(Vec::new()).scene());
}

#[test]
fn the_funnel_of_lines() {
    let row =
        |number, label: &str, lines| FunnelRow { number, label: label.to_owned(), lines, mark: "" };
    let funnel =
        |rows| Funnel { title: "lines".to_owned(), about: "from stage to stage".to_owned(), rows };
    let some = funnel(vec![
        row(None, "gate.log", 12_000),
        row(Some(1), "grep refused", 2_400),
        row(Some(2), "sort", 2_400),
        row(Some(3), "uniq -c", 7),
        row(Some(4), "grep none", 0),
        row(Some(5), "seq 99999", 99_999),
    ]);
    keep("funnel", &some.scene());
    keep("funnel-of-nothing", &funnel(vec![row(None, "empty", 0)]).scene());
    keep("funnel-empty", &funnel(Vec::new()).scene());
}
