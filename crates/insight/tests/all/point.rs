//! Every step that is offered on every cell: run by us and by the shell and the utilities of this
//! machine, it gives the same bytes, and what the offer said.

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use engine::{Kept, Limits, try_on};
use insight::{Ground, Offer, Outcome, Splitting, Spot, candidates, offers, outcome, replacing};
use stream::RunControl;

use crate::host;

/// The shapes: a name, the data, and the splitting where it is not the first one found.
const SHAPES: &[(&str, &str)] = &[
    (
        "gate log",
        "2031-04-02 06:12:00 gate-02 card=16304 passed zone=4\n\
         2031-04-02 06:12:01 gate-06 card=94866 passed zone=6\n\
         2031-04-02 06:12:02 gate-03 card=94952 refused zone=6\n\
         2031-04-03 00:00:09 gate-02 card=7 refused zone=1\n\
         2031-04-03 00:10:09 gate-02 card=12 passed zone=4\n",
    ),
    (
        "processes",
        "USER       PID %CPU    RSS STAT COMMAND\n\
         root         1  0.0   1212 Ss   init\n\
         otter      311 12.5 904412 R+   winchd -v\n\
         tern      2009  3.0      0 S    [k/0:1]\n\
         otter    20099  3.5   9012 S    gated\n",
    ),
    (
        "accounts",
        "root:x:0:0:root:/root:/bin/sh\n\
         otter:x:1000:1000:Otter, \"the\" warden:/home/otter:/bin/sh\n\
         tern:x:1001:100::/home/tern:/usr/sbin/nologin\n\
         -dash:*:65534:100:[x] a\\b $1 & 'q':/:/bin/sh\n",
    ),
    (
        "CSV with quotes",
        "id,name,load\n\
         1,\"Pier, North\",12.5\n\
         2,\"the \"\"old\"\" one\",7\n\
         3,,-1\n\
         4,\"a\nb\",3\n\
         5,plain,2\n\
         6,\"Pier, North\",3\n",
    ),
    ("CSV", "otter,12,yes\nt=rn,7,no\n-x,12,yes\n\\d[a-z]*,,no\nheron,900,yes\n"),
    ("TAB", "North Pier\t9\tlow water\nValley\t12\t\nänge\t7\t100%\nValley\t7\t^a.b$\n"),
    ("semicolons", "a b;1,5;x\nc|d;2,5;\ne'f;1,5;\"q\"\ng;;z\n"),
    ("name=value", "speed = 3.4\nmode=auto\nmotd=a = b\nlist=[1, 2]\nempty=\n"),
    (
        "pairs",
        "t=06:12 level=info msg=\"gate 2 open\" id=4\n\
         t=06:13 level=warn msg=\"no \\\"card\\\"\" id=12\n\
         t=06:14 level=info msg=ok id=9 more=1\n\
         t=06:15 level=info id=77 msg=ok\n",
    ),
    (
        "fixed width",
        "North Pier     12 expired\n\
         Valley            no credit\n\
         Winch House   140 expired\n\
         Summit          7 too early\n\
         North Pier     99 too early\n\
         Valley          3 expired\n",
    ),
    ("sizes", "1.5M a.log\n900K b.log\n12 c.log\n2G d.log\n1.5M e.log\n"),
    (
        "web log",
        "192.0.2.7 - - [02/Apr/2031:06:12:00 +0000] \"GET /a?b=1 HTTP/1.1\" 200 512\n\
                 192.0.2.9 - otter [02/Apr/2031:06:12:09 +0000] \"PUT /c HTTP/1.1\" 404 -\n\
                 192.0.2.7 - - [03/Apr/2031:06:12:00 +0000] \"GET /a HTTP/1.1\" 200 99\n",
    ),
    ("versions", "gate 1.10.2 a\nwinch 1.9.0 b\ncabin v2.0 c\nrope 1.9.12 b\n"),
    ("one word", "a\nb\na\n'\n\"\n\\\n*\n"),
];

fn lines(data: &str) -> Vec<&[u8]> {
    data.strip_suffix('\n').unwrap_or(data).split('\n').map(str::as_bytes).collect()
}

fn check(offer: &Offer, stages: &str, data: &[u8], input: &Arc<Kept>) -> Result<(), String> {
    let control = RunControl::default();
    let ours = try_on(stages, input, &Limits::default(), &control)
        .ok_or_else(|| format!("{}: {stages} cannot be run", offer.says))?;
    let ours = ours.contents();
    let theirs = host(stages, data);
    if ours != theirs {
        return Err(format!(
            "{}: {stages}\n ours: {:?}\n host: {:?}",
            offer.says,
            String::from_utf8_lossy(&ours),
            String::from_utf8_lossy(&theirs)
        ));
    }
    let said = outcome(stages, input, &control).ok_or("no outcome")?;
    let made: Vec<&[u8]> = if theirs.is_empty() {
        Vec::new()
    } else {
        theirs.strip_suffix(b"\n").unwrap_or(&theirs).split(|byte| *byte == b'\n').collect()
    };
    let different: BTreeSet<&[u8]> = made.iter().copied().collect();
    let right = Outcome {
        lines: made.len() as u64,
        different: different.len() as u64,
        first: made.first().map(|line| line.to_vec()),
    };
    if said == right { Ok(()) } else { Err(format!("{stages}: says {said:?}, is {right:?}")) }
}

/// What an offer says of the line it was made at is so.
fn means_it(offer: &Offer, line: &[u8], value: &[u8], made: &[u8]) -> Result<(), String> {
    let mut lines = made.split(|byte| *byte == b'\n');
    let right = match offer.says.split(' ').next() {
        Some("keep" | "from") => lines.any(|one| one == line),
        Some("up") => lines.any(|one| one == line || !one.is_empty()),
        Some("drop") => lines.all(|one| one != line),
        Some("only") => value.is_empty() || lines.any(|one| one == value),
        Some("remove") => lines.all(|one| one != line),
        _ => true,
    };
    let (says, stages) = (&offer.says, &offer.stages);
    let made = String::from_utf8_lossy(made);
    if right {
        Ok(())
    } else {
        Err(format!("{says} on {:?}: {stages}\n made: {made:?}", String::from_utf8_lossy(line)))
    }
}

/// Values that mean something to the shell, to awk, to a pattern, or to nobody.
const AWKWARD: &[&str] = &[
    "it's",
    "say \"hi\"",
    "a\\b",
    "\\",
    "[x]",
    "-n",
    "--",
    "a b",
    "a=b",
    "=",
    "käbel",
    "線",
    "$HOME",
    "`id`",
    "*",
    "a*",
    "^a",
    "a$",
    ".",
    "a.b",
    "#",
    "!",
    "&",
    "a&b",
    "a/b",
    "%s",
    "{1,2}",
    "(x)",
    "|",
    ";",
    "~",
    "0x10",
    "1e3",
    "007",
    "+5",
    "-0",
    "inf",
    "",
    " x",
    "x ",
    "\u{1}",
    "^[",
    "\\n",
];

#[test]
fn awkward_values_are_escaped_right() {
    // Each value in a line of its own, and once more beside something like it.
    let lines: Vec<String> = AWKWARD
        .iter()
        .flat_map(|value| [format!("{value}\tone"), format!("{value}z\ttwo")])
        .collect();
    let data = lines.join("\n") + "\n";
    let all: Vec<&[u8]> = lines.iter().map(String::as_bytes).collect();
    let ground = Ground::of(&all, Splitting::Byte(b'\t'));
    for (number, line) in lines.iter().enumerate().step_by(2) {
        let spot = Spot {
            line: Some(number as u64 + 1),
            other_line: None,
            text: line.as_bytes().to_vec(),
            field: Some(0),
            marked: None,
        };
        let steps = offers(&ground, &spot);
        let keep =
            steps.iter().find(|step| step.says.starts_with("keep the lines where field 1 is"));
        let keep = keep.unwrap_or_else(|| panic!("nothing for {line:?}"));
        let found = String::from_utf8(host(&keep.stages, data.as_bytes())).unwrap();
        assert_eq!(found, format!("{line}\n"), "{}", keep.stages);
        let anywhere = steps.iter().find(|step| step.says.starts_with("keep the lines with"));
        let Some(anywhere) = anywhere else { continue };
        let value = AWKWARD[number / 2];
        let right: String = lines
            .iter()
            .filter(|line| line.contains(value))
            .map(|line| format!("{line}\n"))
            .collect();
        let found = String::from_utf8(host(&anywhere.stages, data.as_bytes())).unwrap();
        assert_eq!(found, right, "{}", anywhere.stages);
    }
}

#[test]
fn every_step_on_every_cell_is_what_it_says() {
    let mut wrong = Vec::new();
    let (mut tried, mut offered) = (0, 0);
    for (shape, data) in SHAPES {
        let all = lines(data);
        let splitting = candidates(&all)[0].splitting.clone();
        let ground = Ground::of(&all, splitting);
        let input = Arc::new(Kept::of(data.as_bytes()));
        let mut known: BTreeSet<String> = BTreeSet::new();
        let mut outputs: HashMap<String, Vec<u8>> = HashMap::new();
        for (number, line) in all.iter().enumerate() {
            let fields = ground.fields(line);
            for (at, field) in fields.iter().enumerate() {
                let has = Splitting::has(field);
                let spot = Spot {
                    line: Some(number as u64 + 1),
                    other_line: Some(2),
                    text: line.to_vec(),
                    field: Some(at),
                    marked: None,
                };
                let mut steps = offers(&ground, &spot);
                if number == 1 {
                    let column = Spot { line: None, text: Vec::new(), ..spot.clone() };
                    for step in offers(&ground, &column) {
                        steps.push(Offer { says: format!("column: {}", step.says), ..step });
                    }
                }
                // A piece of a field, on two lines of each shape.
                if has && field.len() > 2 && number < 2 {
                    let marked = Some(field.start + 1..field.end - 1);
                    steps.extend(offers(&ground, &Spot { marked, ..spot }));
                }
                assert!(steps.len() > 1, "{shape}: {at} of {:?}", String::from_utf8_lossy(line));
                offered += steps.len();
                for step in steps {
                    let made = outputs.entry(step.stages.clone()).or_insert_with(|| {
                        let control = RunControl::default();
                        let made = try_on(&step.stages, &input, &Limits::default(), &control);
                        made.map(|made| made.contents()).unwrap_or_default()
                    });
                    if let Err(error) =
                        means_it(&step, line, &line[if has { field.clone() } else { 0..0 }], made)
                    {
                        wrong.push(format!("{shape}: {error}"));
                    }
                    let asked = step.replaces.as_ref().map(|old| replacing(old, "a/b&c\\d'e"));
                    let all = [Some(step.stages.clone()), step.by_awk.clone(), asked];
                    for stages in all.into_iter().flatten() {
                        if known.insert(stages.clone()) {
                            tried += 1;
                            if let Err(error) = check(&step, &stages, data.as_bytes(), &input) {
                                wrong.push(format!("{shape}: {error}"));
                            }
                        }
                    }
                }
            }
        }
    }
    assert!(tried > 1_000, "{tried} of {offered}");
    assert!(
        wrong.is_empty(),
        "{} of {tried}:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(30)].join("\n")
    );
}
