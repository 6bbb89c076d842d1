//! Pages on what all pipelines have in common: quoting, expansion, redirections, patterns,
//! statuses, memory.

/// A page.
#[derive(Clone, Copy, Debug)]
pub struct Topic {
    /// What it is about.
    pub title: &'static str,
    /// What it says: paragraphs, and examples, which are indented by four blanks.
    pub text: &'static str,
}

/// All of them.
pub const TOPICS: &[Topic] = &[
    Topic {
        title: "quoting: what the shell leaves alone",
        text: "\
Single quotes keep everything as it is, up to the next single quote:
    echo '$HOME is *not* expanded'
Double quotes keep blanks and patterns, but parameters, commands and backslashes are expanded:
    x='two  blanks'; echo \"$x\"
Without quotes, what is expanded is split at blanks and may become file names:
    x='two  blanks'; echo $x
A backslash keeps the next character:
    echo a\\ \\ b
A single quote within single quotes: end them, write one, begin again:
    echo 'it'\\''s here'
Programs of awk and sed stand in single quotes, as they have $ and \\ of their own:
    echo 'a b' | awk '{ print $2 }'
",
    },
    Topic {
        title: "expansion: parameters, commands, arithmetic",
        text: "\
Parameters, with a value for the case that there is none:
    name=otter; echo \"${name} ${other:-nobody}\"
The length, and without a piece at the end or the beginning:
    path=/srv/logs/gate.log; echo \"${#path} ${path%/*} ${path##*/}\"
What a command prints takes its place:
    echo \"there are $(printf 'a\\nb\\n' | wc -l) lines\"
Whole numbers:
    x=7; echo $((x * 6 - 1))
A loop over words:
    for gate in 01 02; do echo \"gate-$gate\"; done
",
    },
    Topic {
        title: "redirections and their order",
        text: "\
They are performed from left to right, each with what those before it have made:
    { echo out; echo err >&2; } 2>&1 | sort
Errors to where the output goes now; then the output elsewhere; errors stay in the pipe:
    { echo out; echo err >&2; } 2>&1 >/dev/null | sed 's/^/in the pipe: /'
The other way round both are gone:
    { echo out; echo err >&2; } >/dev/null 2>&1 | wc -l
Text in the command itself, with expansion, and without where the word is quoted:
    cat <<'END' | tr a-z A-Z
$not expanded
END
",
    },
    Topic {
        title: "patterns: basic and extended",
        text: "\
In both: . is any character, [a-z] one of a set, [^a-z] none of it, * as often as one likes, ^ and $
the beginning and the end of the line.
    printf 'gate-01\\ngate-x\\n' | grep 'gate-[0-9]*$'
Extended ones (grep -E, sed -E, awk) have + ? | ( ) { } as signs:
    printf 'ab\\nabab\\nc\\n' | grep -E '^(ab)+$|c'
In basic ones (grep, sed) groups and counts have a backslash:
    printf 'ab\\nabab\\n' | grep '^\\(ab\\)\\{2\\}$'
A sign that means itself has a backslash before it, or is alone in brackets:
    printf '1.5\\n105\\n' | grep '1[.]5'
A text without any signs is meant by grep -F:
    printf 'a.b\\naxb\\n' | grep -F a.b
The match begins as far left as possible and is then as long as possible:
    echo '\"one\" and \"two\"' | grep -o '\".*\"'
    echo '\"one\" and \"two\"' | grep -o '\"[^\"]*\"'
",
    },
    Topic {
        title: "statuses: how a command says that it worked",
        text: "\
Status 0 is success; && continues after it, || after anything else:
    echo a | grep -q b && echo found || echo 'not found'
The status of a pipeline is that of its last command:
    false | true; echo $?
grep: 0 for a match, 1 for none, 2 for an error. So 1 is an answer, not a mistake:
    echo a | grep b; echo $?
! turns it round:
    ! echo a | grep -q b; echo $?
",
    },
    Topic {
        title: "memory and time: what holds data",
        text: "\
Most filters pass lines on as they come. Some need all of them first: sort, tac, tail, arrays of
awk. The notes say how much they hold; what sort holds beyond the memory goes to temporary files, so
for the largest few there is nothing to do:
    printf '3\\n9\\n5\\n' | sort -rn | head -n 2
Lines are dropped before they are put in order, not after that:
    printf 'b 2\\na 1\\na 3\\n' | grep a | sort -k2,2n
Values are counted without putting all lines in order:
    printf 'b\\na\\nb\\n' | awk '{ n[$1]++ } END { for (v in n) print n[v], v }' | sort -rn
",
    },
];

impl Topic {
    /// The examples, whole: one that goes over several lines ends before the next line of text.
    pub fn examples(&self) -> Vec<String> {
        let mut all: Vec<String> = Vec::new();
        let mut here: Option<String> = None;
        for line in self.text.lines() {
            match (line.strip_prefix("    "), &mut here) {
                (Some(example), None) if example.contains("<<") => here = Some(example.to_owned()),
                (Some(example), None) => all.push(example.to_owned()),
                (_, Some(open)) => {
                    open.push('\n');
                    open.push_str(line);
                    if line == "END" {
                        all.extend(here.take());
                    }
                }
                (None, None) => {}
            }
        }
        all
    }
}
