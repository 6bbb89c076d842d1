//! Programs of the machine that only look, and the arguments with which they do: the allow list.
//!
//! A form names every option that is let through, exactly. What is not here is held back, be it
//! harmless or not: an option that is missing costs a question, one too many costs somebody's data.

use Kind::{Any, BsdFlags, Expression, File, Letters, Name, Nothing, Number, Path, Text};

use super::arguments::{Form, Kind};

/// Nothing is allowed but what is added to this.
const NONE: Form =
    Form { before: &[], verbs: &[], flags: "", exact: &[], valued: &[], operands: Nothing };

const fn flags(flags: &'static str, operands: Kind) -> Form {
    Form { flags, operands, ..NONE }
}

/// `ip`: the options before the object, which is spelt out; then how it is shown.
const IP_BEFORE: &[&str] = &[
    "-4",
    "-6",
    "-s",
    "-d",
    "-o",
    "-j",
    "-p",
    "-br",
    "-brief",
    "-stats",
    "-statistics",
    "-details",
    "-oneline",
    "-json",
    "-pretty",
];
const IP_OBJECTS: &[&str] = &[
    "a",
    "addr",
    "address",
    "l",
    "link",
    "r",
    "route",
    "n",
    "neigh",
    "neighbour",
    "rule",
    "maddress",
];
const IP_SHOW: &[&str] = &["show", "list", "ls"];
const IP_OBJECT: Form = Form { before: IP_BEFORE, verbs: &[IP_OBJECTS], ..NONE };

const SYSTEMCTL_OPTIONS: &[&str] = &[
    "--all",
    "--full",
    "--no-pager",
    "--no-legend",
    "--plain",
    "--quiet",
    "--system",
    "--user",
    "--failed",
    "--value",
];
const SYSTEMCTL_VALUES: &[(&str, Kind)] = &[
    ("-n", Number),
    ("--lines", Number),
    ("-t", Letters),
    ("--type", Letters),
    ("--state", Letters),
    ("-p", Letters),
    ("--property", Letters),
    ("-o", Letters),
    ("--output", Letters),
];
const SYSTEMCTL_VERBS: &[&str] = &[
    "status",
    "show",
    "cat",
    "is-active",
    "is-enabled",
    "is-failed",
    "list-units",
    "list-unit-files",
    "list-timers",
    "list-sockets",
    "list-dependencies",
];

/// The tests and the harmless actions of `find`, each as one word of its own.
const FIND_WORDS: &[&str] = &[
    "-H",
    "-L",
    "-P",
    "-a",
    "-and",
    "-o",
    "-or",
    "-not",
    "-depth",
    "-daystart",
    "-follow",
    "-mount",
    "-xdev",
    "-noleaf",
    "-empty",
    "-executable",
    "-readable",
    "-writable",
    "-nouser",
    "-nogroup",
    "-true",
    "-false",
    "-print",
    "-print0",
    "-ls",
    "-prune",
    "-quit",
    "-warn",
    "-nowarn",
];
const FIND_VALUES: &[(&str, Kind)] = &[
    ("-name", Any),
    ("-iname", Any),
    ("-path", Any),
    ("-ipath", Any),
    ("-wholename", Any),
    ("-iwholename", Any),
    ("-regex", Any),
    ("-iregex", Any),
    ("-lname", Any),
    ("-ilname", Any),
    ("-type", Letters),
    ("-xtype", Letters),
    ("-size", Any),
    ("-mtime", Any),
    ("-mmin", Any),
    ("-atime", Any),
    ("-amin", Any),
    ("-ctime", Any),
    ("-cmin", Any),
    ("-newer", Path),
    ("-anewer", Path),
    ("-cnewer", Path),
    ("-newermt", Text),
    ("-newerct", Text),
    ("-newerat", Text),
    ("-samefile", Path),
    ("-user", Name),
    ("-group", Name),
    ("-uid", Any),
    ("-gid", Any),
    ("-perm", Any),
    ("-links", Any),
    ("-inum", Any),
    ("-used", Any),
    ("-fstype", Name),
    ("-maxdepth", Number),
    ("-mindepth", Number),
    ("-printf", Any),
    ("-regextype", Name),
];

const LS_LONG: &[&str] = &[
    "--all",
    "--almost-all",
    "--author",
    "--classify",
    "--directory",
    "--full-time",
    "--group-directories-first",
    "--human-readable",
    "--si",
    "--inode",
    "--no-group",
    "--numeric-uid-gid",
    "--reverse",
    "--recursive",
    "--size",
    "--dereference",
    "--zero",
    "--color=never",
    "--color=always",
    "--color=auto",
    "--color",
    "--escape",
    "--literal",
    "--quote-name",
    "--context",
];
const LS_VALUES: &[(&str, Kind)] = &[
    ("--sort", Letters),
    ("--time", Letters),
    ("--format", Letters),
    ("--time-style", Text),
    ("--ignore", Text),
    ("--hide", Text),
    ("-I", Text),
    ("--block-size", Name),
    ("-w", Number),
    ("-T", Number),
    ("--width", Number),
    ("--quoting-style", Letters),
    ("--indicator-style", Letters),
];

const PS_VALUES: &[(&str, Kind)] = &[
    ("-o", Letters),
    ("-O", Letters),
    ("-eo", Letters),
    ("-Ao", Letters),
    ("-eLo", Letters),
    ("-p", Letters),
    ("-C", Name),
    ("-u", Letters),
    ("-U", Letters),
    ("-G", Letters),
    ("-g", Letters),
    ("-t", Text),
    ("--ppid", Letters),
    ("--pid", Letters),
    ("--sort", Letters),
    ("--format", Letters),
    ("--user", Letters),
    ("--width", Number),
    ("--cols", Number),
    ("--columns", Number),
];

const JOURNAL_VALUES: &[(&str, Kind)] = &[
    ("-n", Number),
    ("--lines", Number),
    ("-u", Name),
    ("--unit", Name),
    ("--user-unit", Name),
    ("-p", Letters),
    ("--priority", Letters),
    ("-o", Letters),
    ("--output", Letters),
    ("-S", Text),
    ("--since", Text),
    ("-U", Text),
    ("--until", Text),
    ("-t", Name),
    ("--identifier", Name),
    ("-g", Text),
    ("--grep", Text),
    ("--facility", Letters),
    ("--output-fields", Letters),
];
const JOURNAL_LONG: &[&str] = &[
    "--all",
    "--boot",
    "--catalog",
    "--dmesg",
    "--full",
    "--local",
    "--merge",
    "--no-full",
    "--no-hostname",
    "--no-pager",
    "--no-tail",
    "--pager-end",
    "--quiet",
    "--reverse",
    "--system",
    "--user",
    "--utc",
    "--list-boots",
    "--disk-usage",
    "--fields",
    "--header",
];

const LSOF_VALUES: &[(&str, Kind)] = &[
    ("-u", Text),
    ("-p", Letters),
    ("-c", Name),
    ("-d", Text),
    ("+d", Path),
    ("+D", Path),
    ("-g", Letters),
    ("-i", Text),
];

/// The programs, each with its forms.
#[rustfmt::skip]
const PROGRAMS: &[(&str, &[Form])] = &[
    ("arch", &[NONE]),
    ("cmp", &[Form { exact: &["--print-bytes", "--verbose", "--silent", "--quiet"],
        valued: &[("-n", Number)], ..flags("bls", File) }]),
    ("df", &[Form {
        exact: &["--all", "--human-readable", "--si", "--inodes", "--local", "--portability", "--total", "--print-type", "--output"],
        valued: &[("-t", Name), ("--type", Name), ("-x", Name), ("--exclude-type", Name), ("-B", Name), ("--block-size", Name), ("--output", Letters)],
        ..flags("ahHiklPTm", Path) }]),
    ("diff", &[Form {
        exact: &["--brief", "--recursive", "--unified", "--ignore-case", "--ignore-all-space", "--ignore-space-change", "--ignore-blank-lines", "--side-by-side", "--new-file", "--text"],
        valued: &[("-U", Number), ("-C", Number), ("--unified", Number), ("-W", Number), ("--label", Text)],
        ..flags("abBcdeEiqstuwyN", File) }]),
    ("dmesg", &[Form {
        exact: &["--ctime", "--human", "--kernel", "--userspace", "--notime", "--reltime", "--decode", "--nopager", "--raw", "--color=never"],
        valued: &[("-l", Letters), ("--level", Letters), ("-f", Letters), ("--facility", Letters), ("--since", Text), ("--until", Text), ("--time-format", Letters)],
        ..flags("TeHktrPux", Nothing) }]),
    ("dpkg", &[
        Form { verbs: &[&["-l", "--list", "-L", "--listfiles", "-s", "--status", "-S", "--search", "--get-selections", "--print-architecture"]], ..flags("", Text) },
    ]),
    ("dpkg-query", &[
        Form { verbs: &[&["-l", "--list", "-L", "--listfiles", "-s", "--status", "-S", "--search", "-W", "--show", "-p"]], ..flags("", Text) },
        Form { verbs: &[&["-W", "--show"]], valued: &[("-f", Any), ("--showformat", Any)], ..flags("", Text) },
        Form { before: &["-W", "--show"], valued: &[("-f", Any), ("--showformat", Any)], ..flags("", Text) },
    ]),
    ("du", &[Form {
        exact: &["--all", "--apparent-size", "--bytes", "--total", "--human-readable", "--si", "--inodes", "--count-links", "--dereference", "--separate-dirs", "--summarize", "--one-file-system", "--time", "--null"],
        valued: &[("-d", Number), ("--max-depth", Number), ("--exclude", Text), ("-t", Name), ("--threshold", Name), ("-B", Name), ("--block-size", Name), ("--time", Letters), ("--time-style", Text)],
        ..flags("0abcDHhklLmPsSx", Path) }]),
    ("file", &[Form { exact: &["--brief", "--mime", "--mime-type", "--mime-encoding"], ..flags("biN", File) }]),
    ("find", &[Form { exact: FIND_WORDS, valued: FIND_VALUES, ..flags("", Expression) }]),
    ("free", &[Form {
        exact: &["--bytes", "--kibi", "--mebi", "--gibi", "--human", "--si", "--total", "--wide", "--lohi"],
        ..flags("bghklmtvwL", Nothing) }]),
    ("getconf", &[flags("", Name)]),
    ("getent", &[flags("", Name)]),
    ("groups", &[flags("", Name)]),
    ("hostname", &[Form { exact: &["--short", "--fqdn", "--long", "--domain", "--ip-address", "--all-ip-addresses", "--alias"], ..flags("aAdfiIsy", Nothing) }]),
    ("id", &[Form { exact: &["--user", "--group", "--groups", "--name", "--real", "--zero"], ..flags("gGnruz", Name) }]),
    ("ip", &[
        IP_OBJECT,
        Form { verbs: &[IP_OBJECTS, IP_SHOW], operands: Name, ..IP_OBJECT },
        Form { verbs: &[&["r", "route"], &["get"]], operands: Name, ..IP_OBJECT },
    ]),
    ("journalctl", &[Form { exact: JOURNAL_LONG, valued: JOURNAL_VALUES, ..flags("abeklmqrx", Kind::Match) }]),
    ("last", &[Form { valued: &[("-n", Number), ("-s", Text), ("-t", Text)], ..flags("adFiRwx", Name) }]),
    ("lastlog", &[Form { valued: &[("-u", Name), ("-t", Number), ("-b", Number)], ..NONE }]),
    ("locale", &[flags("ackm", Name)]),
    ("ls", &[Form { exact: LS_LONG, valued: LS_VALUES, ..flags("1aAbBcCdfFgGhHiklLmnNopqQrRsStuUvxXZ", Path) }]),
    ("lsblk", &[Form {
        exact: &["--all", "--bytes", "--nodeps", "--fs", "--inverse", "--json", "--list", "--perms", "--noheadings", "--output-all", "--paths", "--pairs", "--raw", "--scsi", "--topology", "--ascii"],
        valued: &[("-o", Letters), ("--output", Letters), ("-x", Letters), ("--sort", Letters), ("-e", Letters), ("-I", Letters)],
        ..flags("abdfiJlmnOpPrsSt", Path) }]),
    ("lscpu", &[Form { exact: &["--json", "--bytes", "--all", "--online", "--offline"], ..flags("abBceJpxy", Nothing) }]),
    ("lsmod", &[NONE]),
    ("lsof", &[Form { valued: LSOF_VALUES, exact: &["-i"], ..flags("abnlPtUwRX", Path) }]),
    ("lspci", &[flags("kmntv", Nothing)]),
    ("lsusb", &[flags("tv", Nothing)]),
    ("mount", &[NONE, Form { verbs: &[&["-l", "--show-labels"]], ..NONE }]),
    ("nproc", &[Form { exact: &["--all"], valued: &[("--ignore", Number)], ..NONE }]),
    ("pgrep", &[Form {
        exact: &["--list-name", "--list-full", "--full", "--exact", "--count", "--newest", "--oldest", "--inverse", "--ignore-case"],
        valued: &[("-u", Letters), ("-U", Letters), ("-P", Letters), ("-g", Letters), ("-t", Name), ("-d", Text)],
        ..flags("acfilnovwx", Text) }]),
    ("ps", &[Form {
        exact: &["--forest", "--no-headers", "--no-heading", "--headers", "--deselect"],
        valued: PS_VALUES, ..flags("aAdeEfFHjlLmMNTwyZ", BsdFlags) }]),
    ("pwd", &[flags("LP", Nothing)]),
    ("readlink", &[Form { exact: &["--canonicalize", "--canonicalize-existing", "--canonicalize-missing", "--no-newline", "--zero"], ..flags("efmnqsvz", Path) }]),
    ("realpath", &[Form {
        exact: &["--canonicalize-existing", "--canonicalize-missing", "--logical", "--physical", "--no-symlinks", "--strip", "--zero", "--quiet"],
        valued: &[("--relative-to", Path), ("--relative-base", Path)],
        ..flags("emLPqsz", Path) }]),
    ("ss", &[Form {
        exact: &["--numeric", "--resolve", "--all", "--listening", "--options", "--extended", "--memory", "--processes", "--info", "--summary", "--ipv4", "--ipv6", "--tcp", "--udp", "--raw", "--unix", "--no-header", "--oneline"],
        valued: &[("-f", Letters), ("--family", Letters), ("-A", Letters), ("--query", Letters)],
        ..flags("046aeHilmnoOprstuwx", Kind::Filter) }]),
    ("stat", &[Form {
        exact: &["--dereference", "--file-system", "--terse"],
        valued: &[("-c", Any), ("--format", Any), ("--printf", Any)],
        ..flags("fLt", Path) }]),
    ("systemctl", &[
        NONE,
        Form { before: SYSTEMCTL_OPTIONS, verbs: &[SYSTEMCTL_VERBS], exact: SYSTEMCTL_OPTIONS, valued: SYSTEMCTL_VALUES, ..flags("alq", Name) },
        Form { exact: SYSTEMCTL_OPTIONS, valued: SYSTEMCTL_VALUES, ..flags("alq", Nothing) },
    ]),
    ("tty", &[NONE]),
    ("uname", &[Form { exact: &["--all", "--kernel-name", "--nodename", "--kernel-release", "--kernel-version", "--machine", "--operating-system"], ..flags("aimnoprsv", Nothing) }]),
    ("uptime", &[Form { exact: &["--pretty", "--since"], ..flags("ps", Nothing) }]),
    ("w", &[flags("fhisu", Name)]),
    ("who", &[Form { exact: &["--all", "--boot", "--heading", "--login", "--count", "--users", "--runlevel"], ..flags("abdHlmpqrstTu", Nothing) }]),
    ("whoami", &[NONE]),
    ("xzcat", &[flags("", File)]),
    ("zcat", &[flags("", File)]),
    ("bzcat", &[flags("", File)]),
    ("zstdcat", &[flags("", File)]),
];

/// The forms in which a program only looks; `None` for one that is not on the list.
pub(super) fn forms(name: &[u8]) -> Option<&'static [Form]> {
    PROGRAMS.iter().find(|(known, _)| known.as_bytes() == name).map(|(_, forms)| *forms)
}

/// Names that are links to programs of another name and are what the list means: the name that is called, and
/// that of the file. Any other link to a program of another name is on no list, not even on that of the other
/// program: what a program does may depend on the name it is called by (`reboot` is a link to `systemctl`).
const SAME_PROGRAM: [(&str, &str); 4] =
    [("lsmod", "kmod"), ("w", "w.procps"), ("xzcat", "xz"), ("zstdcat", "zstd")];

/// True where a file of this name is the program that the list means by the name that is called.
pub(super) fn is_meant(called: &[u8], file: &[u8]) -> bool {
    let is_pair =
        |(name, other): &(&str, &str)| (name.as_bytes(), other.as_bytes()) == (called, file);
    called == file || SAME_PROGRAM.iter().any(is_pair)
}

/// The names on the list, for help and tests.
pub fn listed_programs() -> impl Iterator<Item = &'static str> {
    PROGRAMS.iter().map(|(name, _)| *name)
}

/// Programs that take what they are fed as data and nothing else: a consent for one of them holds
/// for whatever it is fed. Every other program may run its input, so a change of that asks again.
const TAKE_DATA: [&str; 37] = [
    "base32",
    "base64",
    "bunzip2",
    "bzcat",
    "bzip2",
    "cat",
    "cksum",
    "column",
    "comm",
    "cut",
    "expand",
    "fmt",
    "fold",
    "grep",
    "gunzip",
    "gzip",
    "head",
    "hexdump",
    "iconv",
    "join",
    "jq",
    "md5sum",
    "nl",
    "od",
    "paste",
    "rev",
    "sha1sum",
    "sha256sum",
    "sha512sum",
    "tac",
    "tail",
    "tr",
    "unxz",
    "wc",
    "xxd",
    "xz",
    "zcat",
];

/// True for a program that takes its input as data only.
pub(super) fn takes_data(name: &[u8]) -> bool {
    TAKE_DATA.iter().any(|known| known.as_bytes() == name)
}
