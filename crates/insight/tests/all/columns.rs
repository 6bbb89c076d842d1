//! How lines are split is found from the lines: samples of every shape, made and by hand.

use insight::{Splitting, candidates};

/// A generator of small numbers that gives the same ones each time.
struct Chance(u64);

impl Chance {
    fn below(&mut self, end: u64) -> u64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % end
    }

    fn one<'t>(&mut self, texts: &[&'t str]) -> &'t str {
        texts[self.below(texts.len() as u64) as usize]
    }
}

const NAMES: &[&str] = &["otter", "tern", "heron", "dotterel", "kittiwake", "plover"];
const LONG: &[&str] = &["North Pier", "Kestrel Tarn", "Upper Station", "Winch House", "Valley"];
const REASONS: &[&str] = &["expired", "no credit", "unknown card", "too early"];

type Make = fn(&mut Chance, usize) -> String;
type Right = fn(&Splitting) -> bool;

fn is_byte(splitting: &Splitting, byte: u8) -> bool {
    matches!(splitting, Splitting::Byte(found) | Splitting::Quoted(found) if *found == byte)
}

fn blanks(splitting: &Splitting) -> bool {
    matches!(splitting, Splitting::Blanks | Splitting::Byte(b' '))
}

fn runs(splitting: &Splitting) -> bool {
    *splitting == Splitting::Blanks
}

fn comma(splitting: &Splitting) -> bool {
    is_byte(splitting, b',')
}

/// The shapes, each with what makes its lines and what is right for it.
const SHAPES: &[(&str, Make, Right)] = &[
    (
        "processes",
        |chance, line| {
            if line == 0 {
                return "USER         PID %CPU %MEM    VSZ   RSS TTY      STAT START   TIME COMMAND".to_owned();
            }
            format!(
                "{:<9} {:>6} {:>4}.{} {:>4}.{} {:>6} {:>5} {:<8} {:<4} {:02}:{:02} {:>4}:{:02} {} --line {}{}",
                chance.one(NAMES),
                chance.below(99_999),
                chance.below(99),
                chance.below(9),
                chance.below(9),
                chance.below(9),
                chance.below(999_999),
                chance.below(99_999),
                chance.one(&["?", "pts/0", "tty1"]),
                chance.one(&["S", "Ss", "R+", "Sl"]),
                chance.below(24),
                chance.below(60),
                chance.below(99),
                chance.below(60),
                chance.one(&["/usr/sbin/winchd", "gated", "[kworker/0:1]"]),
                chance.below(9),
                chance.one(&[
                    "",
                    " -v",
                    " -q -x",
                    " --log /srv/logs/winch.log --warn a b  c   d    e"
                ]),
            )
        },
        runs,
    ),
    (
        "ls -l",
        |chance, line| {
            if line == 0 {
                return "total 4812".to_owned();
            }
            format!(
                "{} {:>2} {:<8} {:<6} {:>8} {} {:>2} {:02}:{:02} {}{}",
                chance.one(&["-rw-r--r--", "drwxr-xr-x", "-rwx------"]),
                chance.below(12),
                chance.one(NAMES),
                chance.one(&["staff", "adm"]),
                chance.below(9_999_999),
                chance.one(&["Mar", "Apr", "Nov"]),
                chance.below(28) + 1,
                chance.below(24),
                chance.below(60),
                chance.one(NAMES),
                chance.one(&[".log", "", ".tar.gz", " copy.txt"]),
            )
        },
        runs,
    ),
    (
        "accounts",
        |chance, _| {
            let name = chance.one(NAMES);
            format!(
                "{name}{}:x:{}:{}:{}:/home/{name}:{}",
                chance.below(99),
                chance.below(60_000),
                chance.below(60_000),
                chance.one(&["", "Duty Warden", "Winch,,,"]),
                chance.one(&["/bin/sh", "/usr/sbin/nologin"]),
            )
        },
        |splitting| is_byte(splitting, b':'),
    ),
    (
        "CSV with quotes",
        |chance, line| {
            if line == 0 {
                return "id,name,line,load,day".to_owned();
            }
            format!(
                "{line},\"{}, {}\",{},{}.{},2031-04-{:02}",
                chance.one(LONG),
                chance.one(&["east", "the \"\"old\"\" one"]),
                chance.one(NAMES),
                chance.below(3000),
                chance.below(9),
                chance.below(28) + 1
            )
        },
        |splitting| *splitting == Splitting::Quoted(b','),
    ),
    (
        "CSV",
        |chance, line| {
            if line == 0 && chance.below(2) == 0 {
                return "cabin,station,seats,at".to_owned();
            }
            format!(
                "{},{},{},{:02}:{:02}:{:02}",
                chance.one(NAMES),
                chance.one(LONG),
                chance.below(40),
                chance.below(24),
                chance.below(60),
                chance.below(60)
            )
        },
        comma,
    ),
    (
        "TAB",
        |chance, _| {
            format!(
                "{}\t{}\t{}\t{}",
                chance.one(LONG),
                chance.below(900),
                chance.one(REASONS),
                chance.one(&["", "a,b", "x: y"])
            )
        },
        |splitting| is_byte(splitting, b'\t'),
    ),
    (
        "web log",
        |chance, _| {
            format!(
                "192.0.2.{} - {} [{:02}/Apr/2031:{:02}:{:02}:{:02} +0000] \"GET /{}?q={} HTTP/1.1\" {} {} \"-\" \"{}\"",
                chance.below(255),
                chance.one(&["-", "otter"]),
                chance.below(28) + 1,
                chance.below(24),
                chance.below(60),
                chance.below(60),
                chance.one(NAMES),
                chance.below(9),
                chance.one(&["200", "404", "304"]),
                chance.below(99_999),
                chance.one(&["fetcher/1.0", "Reader/5.0 (tarn; x64) Engine/20", "-"]),
            )
        },
        blanks,
    ),
    (
        "system log",
        |chance, _| {
            format!(
                "{} {:>2} {:02}:{:02}:{:02} tarn {}[{}]: {}: {}",
                chance.one(&["Mar", "Apr"]),
                chance.below(28) + 1,
                chance.below(24),
                chance.below(60),
                chance.below(60),
                chance.one(&["winchd", "gated", "kernel"]),
                chance.below(9_999),
                chance.one(&["warning", "info"]),
                chance.one(&["rope slack, speed 3.4", "door 2 open", "motor ok; brake set"]),
            )
        },
        blanks,
    ),
    (
        "name=value",
        |chance, line| {
            format!(
                "{}.{}{}={}",
                chance.one(NAMES),
                chance.one(&["speed", "limit", "mode"]),
                line,
                chance.one(&["3.4", "running", "two words", "/var/lib/x", ""])
            )
        },
        |splitting| *splitting == Splitting::First(b'=') || is_byte(splitting, b'='),
    ),
    (
        "pairs",
        |chance, _| {
            let reason = chance.one(REASONS);
            let extra = if chance.below(2) == 0 { " retry=true" } else { "" };
            format!(
                "time=2031-04-02T06:{:02}:{:02}Z level={} msg=\"{reason}\"{extra} gate={}",
                chance.below(60),
                chance.below(60),
                chance.one(&["info", "warn"]),
                chance.below(22)
            )
        },
        |splitting| matches!(splitting, Splitting::Pairs(_)),
    ),
    (
        "fixed width",
        |chance, _| {
            format!(
                "{:<14} {:>6} {:<12} {:<10}",
                chance.one(LONG),
                if chance.below(4) == 0 { String::new() } else { chance.below(999).to_string() },
                chance.one(REASONS),
                chance.one(NAMES)
            )
        },
        |splitting| matches!(splitting, Splitting::Fixed(_)),
    ),
    (
        "gate log",
        |chance, _| {
            let refused = chance.below(8) == 0;
            format!(
                "2031-04-02 06:{:02}:{:02} gate-{:02} card={} {} zone={}{}",
                chance.below(60),
                chance.below(60),
                chance.below(22),
                chance.below(99_999),
                if refused { "refused" } else { "passed" },
                chance.below(6),
                if refused {
                    format!(" reason=\"{}\"", chance.one(REASONS))
                } else {
                    String::new()
                }
            )
        },
        blanks,
    ),
    (
        "semicolons with commas in numbers",
        |chance, _| {
            format!(
                "{};{},{};{}",
                chance.one(LONG),
                chance.below(99),
                chance.below(99),
                chance.one(NAMES)
            )
        },
        |splitting| is_byte(splitting, b';'),
    ),
];

/// Samples by hand.
const BY_HAND: &[(&str, Right)] = &[
    (
        "MemTotal:       16318480 kB\nMemFree:         1213820 kB\nBuffers:          402112 kB\nHugePages_Total:       0\n",
        |s| runs(s) || *s == Splitting::First(b':'),
    ),
    (
        "Filesystem      Size  Used Avail Use% Mounted on\n/dev/tarn1       98G   41G   53G  44% /\ntmpfs           7.8G     0  7.8G   0% /run\n",
        runs,
    ),
    ("    132 gate-03\n     88 gate-17\n      9 gate-01\n", runs),
    ("one word a line\nanother of it\nand more\n", blanks),
    (
        "2031-04-02 06:12:00,120 INFO winch started, rope 1180\n2031-04-02 06:12:01,007 WARN brake slow\n2031-04-02 06:12:07,450 INFO a, b, c\n",
        blanks,
    ),
    ("id|name|line\n1|Otter|north\n2|Tern|south\n", |s| is_byte(s, b'|')),
    ("1,2\n3,4\n5,6\n", comma),
    ("Otter, the first\nTern, the second\nHeron, the third of them\n", blanks),
    ("# made by hand\nstation = upper\nplatforms = 2\n\n# doors\ndoor_lead = 12\n", |s| {
        *s == Splitting::First(b'=')
    }),
    ("Host: tarn.example\nAccept: text/plain\nContent-Length: 12\n", |s| {
        *s == Splitting::First(b':')
    }),
    ("gate-01:12\ngate-02:7\ngate-03:88\n", |s| is_byte(s, b':')),
    ("06:12:00 start\n06:12:09 stop now\n06:13:00 start\n", blanks),
    (
        "/var/log/a.log:12:gate refused\n/var/log/a.log:19:gate refused again\n/var/log/b.log:3:gate\n",
        |s| is_byte(s, b':'),
    ),
    ("192.0.2.7\ttarn.example tarn\n192.0.2.8\twinch.example\n", |s| is_byte(s, b'\t') || runs(s)),
    ("a b c\nd e f\n", blanks),
    ("1;\"x;y\";2\n2;\"z\";3\n", |s| *s == Splitting::Quoted(b';')),
    (
        "name,note\nOtter,\"first\nline\"\nTern,plain\nHeron,\"again\nover two\"\nGull,z\nRail,z\nCrake,z\n",
        comma,
    ),
    (
        "tcp   LISTEN 0      128          0.0.0.0:22        0.0.0.0:*\ntcp   ESTAB  0      0         192.0.2.7:22      192.0.2.9:51512\n",
        runs,
    ),
    ("{\"a\": 1, \"b\": \"x\"}\n{\"a\": 2, \"b\": \"y z\"}\n", |_| true),
    ("word\nother\nthird\n", blanks),
    (
        "a1f,otter,2031-04-02,the first, and more\nb2c,tern,2031-04-02,of it\nc3d,tern,2031-04-03,a, b, and c\nd4e,otter,2031-04-03,none\n",
        comma,
    ),
    (
        "- The river is one body, as wide as it is.\n- Lines are folded, counted,  and opened.\n\n## More\n- What is left over,\n  goes on in the next line, and ends.\n",
        |s| !matches!(s, Splitting::Fixed(_)),
    ),
];

#[test]
fn the_splitting_is_found() {
    let mut wrong = Vec::new();
    let mut all = 0;
    let mut judge = |name: String, text: &str, right: Right| {
        all += 1;
        let lines: Vec<&[u8]> = text.lines().map(str::as_bytes).collect();
        let found = candidates(&lines);
        if !right(&found[0].splitting) {
            wrong.push(format!("{name}: {:?}", &found[..found.len().min(3)]));
        }
    };
    for seed in 0..7 {
        for (name, make, right) in SHAPES {
            let mut chance = Chance(seed * 977 + 5);
            let lines = [3, 10, 40, 200, 1_000, 2_500, 25][seed as usize];
            let text: String = (0..lines).map(|line| make(&mut chance, line) + "\n").collect();
            judge(format!("{name} of {lines} lines"), &text, *right);
        }
    }
    for (at, (text, right)) in BY_HAND.iter().enumerate() {
        judge(format!("by hand {at}"), text, *right);
    }
    assert!(all >= 100);
    assert!(wrong.len() * 20 <= all, "{} of {all} are wrong:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn nothing_is_split_somehow_too() {
    for text in ["", "\n\n", "\u{fffd}\n", "#\n"] {
        let lines: Vec<&[u8]> = text.lines().map(str::as_bytes).collect();
        assert!(!candidates(&lines).is_empty());
    }
}
