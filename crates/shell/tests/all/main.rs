//! Texts in cases: how they are printed again, or why they are refused and at which place.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics
#![allow(clippy::too_many_lines)] // tables of cases

mod laws;

use shell::{Builtins, NoBuiltins, Place, Refusal, Script, ShellError, Word, print};

/// Only the grammar.
fn parse(text: &str) -> Result<Script, ShellError> {
    shell::parse(text, &NoBuiltins)
}

/// A text is printed as expected, and what is printed is printed so again.
fn printed(cases: &[(&str, &str)]) {
    let mut wrong = String::new();
    for (text, expected) in cases {
        match parse(text) {
            Err(error) => wrong += &format!("{text:?} is refused: {error}\n"),
            Ok(script) if print(&script) != *expected => {
                wrong += &format!("{text:?} is printed as {:?}\n", print(&script));
            }
            Ok(_) => match parse(expected) {
                Ok(again) if print(&again) == *expected => {}
                Ok(again) => wrong += &format!("{expected:?} becomes {:?}\n", print(&again)),
                Err(error) => wrong += &format!("{expected:?} is refused: {error}\n"),
            },
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// A text is refused for this reason, at these bytes.
fn refused(cases: &[(&str, &str, &str)]) {
    let mut wrong = String::new();
    for (text, reason, place) in cases {
        match parse(text) {
            Ok(script) => wrong += &format!("{text:?} is taken: {:?}\n", print(&script)),
            Err(error) => {
                let found = (error.to_string(), &text[error.span.range()]);
                if found != ((*reason).to_owned(), *place) {
                    wrong += &format!("{text:?}: {found:?}\n");
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn simple_commands() {
    printed(&[
        ("echo a b", "echo a b\n"),
        ("echo   a    b  ", "echo a b\n"),
        (" echo a;echo b", "echo a\necho b\n"),
        ("echo a;", "echo a\n"),
        ("a=1", "a=1\n"),
        ("a=1 b=2 cmd", "a=1 b=2 cmd\n"),
        ("a= cmd", "a= cmd\n"),
        ("a=1 b", "a=1 b\n"),
        ("1a=2", "1a=2\n"),
        ("echo a=1", "echo a=1\n"),
        ("\"a\"=1", "\"a\"=1\n"),
        ("a-b=1", "a-b=1\n"),
        ("echo 'a b' \"c d\" e\\ f", "echo 'a b' \"c d\" e\\ f\n"),
        ("echo \"a$b\" \"${c}\" '$d'", "echo \"a$b\" \"$c\" '$d'\n"),
        ("echo a\\\nb", "echo ab\n"),
        ("echo # comment", "echo\n"),
        ("# only a comment", ""),
        ("echo a # b\necho c", "echo a\necho c\n"),
        ("\n\necho a\n\n", "echo a\n"),
        ("! true", "! true\n"),
        ("! ! true", "true\n"),
        ("!true", "!true\n"),
    ]);
}

#[test]
fn simple_commands_that_are_refused() {
    refused(&[
        ("echo a; ; echo b", "a command is missing before ;", ";"),
        (";", "a command is missing before ;", ";"),
        ("a+=1", "NAME+=value is not supported", "a+=1"),
        ("!", "a command is missing here", ""),
    ]);
}

#[test]
fn pipes_and_lists() {
    printed(&[
        ("a|b", "a | b\n"),
        ("a | b |\n c", "a | b | c\n"),
        ("a |& b", "a |& b\n"),
        ("a && b || c", "a && b || c\n"),
        ("a &&\nb", "a && b\n"),
        ("a ||\n\nb", "a || b\n"),
        ("a; b; c", "a\nb\nc\n"),
        ("a\nb\nc", "a\nb\nc\n"),
        ("a && b; c || d", "a && b\nc || d\n"),
        ("! a | b", "! a | b\n"),
        ("a | ! b", "a | \\! b\n"),
        ("time a | b", "time a | b\n"),
        ("time -p a", "time -p a\n"),
    ]);
}

#[test]
fn pipes_and_lists_that_are_refused() {
    refused(&[
        ("a &", "& (run in the background) is not supported", "&"),
        ("a & b", "& (run in the background) is not supported", "&"),
        ("| a", "a command is missing before |", "|"),
        ("a |", "a command is missing after |", "|"),
        ("a | | b", "a command is missing before |", "|"),
        ("&& a", "a command is missing before &&", "&&"),
        ("a &&", "a command is missing after &&", "&&"),
        ("a || || b", "a command is missing before ||", "||"),
        ("a || ;", "a command is missing before ;", ";"),
        (";;", "a command is missing before ;;", ";;"),
        ("time", "a command is missing here", ""),
    ]);
}

#[test]
fn redirections() {
    printed(&[
        ("a > f", "a > f\n"),
        ("a >f", "a > f\n"),
        ("a>f", "a > f\n"),
        ("a >> f", "a >> f\n"),
        ("a < f", "a < f\n"),
        ("a 2> f", "a 2> f\n"),
        ("a 2>&1", "a 2>&1\n"),
        ("a >&2", "a >&2\n"),
        ("a >& 2", "a >&2\n"),
        ("a <&3", "a 0>&3\n"),
        ("a >&-", "a >&-\n"),
        ("a 2>&-", "a 2>&-\n"),
        ("a > f 2>&1 < g", "a > f 2>&1 < g\n"),
        ("> f", "> f\n"),
        ("> f a", "a > f\n"),
        ("a > f b", "a b > f\n"),
        ("2> f", "2> f\n"),
        ("a >| f", "a > f\n"),
        ("a <> f", "a <> f\n"),
        ("a &> f", "a &> f\n"),
        ("a &>> f", "a &>> f\n"),
        ("a <<< b", "a <<< b\n"),
        ("a <<< \"b c\"", "a <<< \"b c\"\n"),
        ("a > f > g", "a > f > g\n"),
        ("a > $f", "a > $f\n"),
        ("a > \"f g\"", "a > \"f g\"\n"),
        ("a 2>&1 | b", "a 2>&1 | b\n"),
        ("3<f a", "a 3< f\n"),
        ("a {x}> f", "a {x} > f\n"),
    ]);
}

#[test]
fn redirections_that_are_refused() {
    refused(&[
        ("a 10> f", "10 is not a descriptor from 0 to 9", "10"),
        ("a >", "a file name is missing after >", ">"),
        ("a <", "a file name is missing after <", "<"),
        ("a 2>", "a file name is missing after >", "2>"),
        ("a >&", "a file name is missing after >&", ">&"),
        ("a >& f", ">& with a file (write &> for both) is not supported", ">& f"),
        ("a <& f", "<& with a file (write &> for both) is not supported", "<& f"),
        ("a >& ''", ">& with a file (write &> for both) is not supported", ">& ''"),
        ("a > > f", "a file name is missing after >", "> "),
    ]);
}

#[test]
fn here_documents() {
    printed(&[
        ("cat <<E\na\nE", "cat <<E\na\nE\n"),
        ("cat <<E\na $b\nE", "cat <<E\na $b\nE\n"),
        ("cat <<'E'\na $b\nE", "cat <<'E'\na $b\nE\n"),
        ("cat <<\"E\"\na\nE", "cat <<'E'\na\nE\n"),
        ("cat <<\\E\na\nE", "cat <<'E'\na\nE\n"),
        ("cat <<-E\n\ta\n\tE", "cat <<-E\na\nE\n"),
        ("cat <<E | b\na\nE", "cat <<E | b\na\nE\n"),
        ("cat <<E && b\na\nE", "cat <<E && b\na\nE\n"),
        ("cat <<A <<B\na\nA\nb\nB", "cat <<A <<B\na\nA\nb\nB\n"),
        ("cat <<E\nE", "cat <<E\nE\n"),
        ("cat <<E\na\nE \nE", "cat <<E\na\nE \nE\n"),
        ("cat <<E\n$(b)\nE", "cat <<E\n$(b)\nE\n"),
        ("{ cat; } <<E\na\nE", "{ cat; } <<E\na\nE\n"),
    ]);
}

#[test]
fn here_documents_that_are_refused() {
    refused(&[
        ("cat <<E\na", "this here-document is not followed by a line \"E\"", "<<E"),
        ("cat <<E", "this here-document is not followed by a line \"E\"", "<<E"),
        ("cat <<", "a file name is missing after <<", "<<"),
    ]);
}

#[test]
fn words() {
    printed(&[
        (
            "echo $a ${a} ${a:-b} ${a-b} ${a:=b} ${a=b} ${a:?b} ${a?b} ${a:+b} ${a+b}",
            "echo $a $a ${a:-b} ${a-b} ${a:=b} ${a=b} ${a:?b} ${a?b} ${a:+b} ${a+b}\n",
        ),
        ("echo ${#a} ${a#b} ${a##b} ${a%b} ${a%%b}", "echo ${#a} ${a#b} ${a##b} ${a%b} ${a%%b}\n"),
        (
            "echo \"$@\" \"$*\" \"${a:-$b}\" \"${a:-\"b\"}\"",
            "echo \"$@\" \"$*\" \"${a:-$b}\" \"${a:-\"b\"}\"\n",
        ),
        ("echo $(a) \"$(a | b)\" `c` \"`d`\"", "echo $(a) \"$(a | b)\" $(c) \"$(d)\"\n"),
        ("echo $(a; b) $(a\nb)", "echo $(a; b) $(a; b)\n"),
        ("echo $((1 + 2)) \"$((a))\"", "echo $((1 + 2)) \"$((a))\"\n"),
        (
            "echo ${a:-$(b)} ${a:-${b:-c}} ${a:-'b c'}",
            "echo ${a:-$(b)} ${a:-${b:-c}} ${a:-'b c'}\n",
        ),
        ("echo $'a\\tb' $'\\x41' $'it\\'s'", "echo $'a\\tb' $'A' $'it\\'s'\n"),
        ("echo ~ ~/a a~", "echo ~ ~/a a~\n"),
        ("echo * ? [a-z] [!a] a*b", "echo * ? [a-z] [!a] a*b\n"),
        ("echo {a,b} {1..3} a{b,c}d {a} {a,} {}", "echo {a,b} {1..3} a{b,c}d {a} {a,} {}\n"),
        ("echo <(a) >(b)", "echo <(a) >(b)\n"),
        ("echo $ a$ $% \"$\"", "echo $ a$ $% \"$\"\n"),
        // What a name or a number runs into stays apart from it.
        ("echo $1 ${1} $12 ${12} $name ${name} $#", "echo $1 $1 ${1}2 ${12} $name $name $#\n"),
        ("echo \"${a}b$c-${1}2\" ${a}b", "echo \"${a}b$c-${1}2\" ${a}b\n"),
        ("echo \"${a}$b$(c)\" ${a}$b", "echo \"$a$b$(c)\" $a$b\n"),
        ("echo \"a\"'b'c\\d", "echo \"a\"'b'c\\d\n"),
        ("echo \\\n", "echo\n"),
        ("echo a\\", "echo a\\\\\n"),
        (
            "echo $'\\u00e9x' $'\\u00e90' $'\\U0001f6a0' $'\\U000000e90'",
            "echo $'éx' $'é0' $'🚠' $'é0'\n",
        ),
        ("echo \"${a:-\\\"b\\}\\c}\" \"\\}\"", "echo \"${a:-\\\"b\\}\\c}\" \"\\}\"\n"),
        ("a=~/b:~/c d=x~ e=~", "a=~/b:~/c d=x~ e=~\n"),
        ("echo b:~ x=~/a", "echo b:~ x=~/a\n"),
        ("echo $(( (1 + 2) * (3) ))", "echo $(( (1 + 2) * (3) ))\n"),
        ("echo $(( \"a\" + 1 ))", "echo $(( a + 1 ))\n"),
        (
            "echo {-..3} {+..3} {1..x} {..} {01..3} {-1..-3..2}",
            "echo {-..3} {+..3} {1..x} {..} {01..03} {-1..-3..2}\n",
        ),
    ]);
}

#[test]
fn words_that_are_refused() {
    refused(&[
        ("echo $1 ${10} $@ $* $# $? $- $$ $!", "$! is not supported", "$!"),
        ("echo ${a", "this ${ has no end", "${a"),
        ("echo ${", "this ${ has no end", "${"),
        ("echo ${}", "${} is not supported", "${}"),
        ("echo ${a!}", "${a!} is not supported", "${a!}"),
        ("echo ${!a}", "${!a} is not supported", "${!a}"),
        ("echo ${a[1]}", "${a[1]} is not supported", "${a[1]}"),
        ("echo ${a/b/c}", "${a/b/c} is not supported", "${a/b/c}"),
        ("echo ${a:1:2}", "${a:1:2} is not supported", "${a:1:2}"),
        ("echo ${a^^}", "${a^^} is not supported", "${a^^}"),
        ("echo ${1a}", "${1a} is not supported", "${1a}"),
        ("echo $(a", "this $( has no end", "$("),
        ("echo $((1", "this $(( has no end", "$(("),
        ("echo `a", "this ` has no end", "`a"),
        ("echo \"a", "this quote \" has no end", "\"a"),
        ("echo 'a", "this quote ' has no end", "'a"),
        ("echo \"$(a", "this $( has no end", "$("),
        ("echo $'a", "this quote $' has no end", "$'a"),
        ("echo )", ") is not allowed here", ")"),
        ("echo (", ") after a function's name is missing here", "echo ("),
        ("echo a(b)", "( is not allowed here", "("),
    ]);
}

#[test]
fn compound_commands() {
    printed(&[
        ("{ a; }", "{ a; }\n"),
        ("{ a; b; } > f", "{ a; b; } > f\n"),
        ("(a)", "(a)\n"),
        ("(a; b) | c", "(a; b) | c\n"),
        ("( a ) > f", "(a) > f\n"),
        ("if a; then b; fi", "if a; then b; fi\n"),
        ("if a; then b; else c; fi", "if a; then b; else c; fi\n"),
        ("if a; then b; elif c; then d; else e; fi", "if a; then b; elif c; then d; else e; fi\n"),
        ("if a\nthen\nb\nfi > f", "if a; then b; fi > f\n"),
        ("if a; b; then c; d; fi", "if a; b; then c; d; fi\n"),
        ("for x in a b; do c; done", "for x in a b; do c; done\n"),
        ("for x; do c; done", "for x; do c; done\n"),
        ("for x do c; done", "for x; do c; done\n"),
        ("for x in; do c; done", "for x in; do c; done\n"),
        ("for x in *.txt \"$@\"; do c; done | d", "for x in *.txt \"$@\"; do c; done | d\n"),
        ("for x\nin a\ndo c\ndone", "for x in a; do c; done\n"),
        ("while a; do b; done", "while a; do b; done\n"),
        ("until a; do b; done", "until a; do b; done\n"),
        ("while a; do b; done < f", "while a; do b; done < f\n"),
        ("case a in b) c;; esac", "case a in (b) c ;; esac\n"),
        ("case a in b|c) d;; *) e;; esac", "case a in (b | c) d ;; (*) e ;; esac\n"),
        ("case a in (b) c;; esac", "case a in (b) c ;; esac\n"),
        ("case a in esac", "case a in esac\n"),
        ("case a in b) ;; esac", "case a in (b)  ;; esac\n"),
        ("case a in b) c; esac", "case a in (b) c ;; esac\n"),
        (
            "case $a in \"$b\") c;; [a-z]*) d;; esac",
            "case $a in (\"$b\") c ;; ([a-z]*) d ;; esac\n",
        ),
        ("in", "\\in\n"),
        ("f() { a; }", "f() { a; }\n"),
        ("f () { a; }", "f() { a; }\n"),
        ("f() (a)", "f() (a)\n"),
        ("f() { a; } > g", "f() { a; } > g\n"),
        ("f() if a; then b; fi", "f() if a; then b; fi\n"),
        ("f() for x in a; do b; done", "f() for x in a; do b; done\n"),
        ("[[ a = b ]]", "[[ a = b ]]\n"),
        ("[[ -f a && ! -d b ]]", "[[ -f a && ! -d b ]]\n"),
        ("[[ a == b* || ( c != d ) ]]", "[[ a == b* || c != d ]]\n"),
        ("[[ a =~ b ]]", "[[ a =~ b ]]\n"),
        ("[[ a -lt b ]]", "[[ a -lt b ]]\n"),
        ("[[ a < b ]]", "[[ a < b ]]\n"),
    ]);
}

#[test]
fn compound_commands_that_are_refused() {
    refused(&[
        ("{ a }", "this { has no end", "{"),
        ("{a; }", "} is not allowed here", "}"),
        ("{ }", "} is not allowed here", "}"),
        ("{ a;", "this { has no end", "{"),
        ("}", "} is not allowed here", "}"),
        ("()", ") is not allowed here", ")"),
        ("(a", "this ( has no end", "("),
        ("( )", ") is not allowed here", ")"),
        ("((1 + 2))", "((…)) (write [ … ] or : $((…))) is not supported", "(("),
        ("if a; fi", "fi is not allowed here", "fi"),
        ("if a; then fi", "fi is not allowed here", "fi"),
        ("if; then b; fi", "a command is missing before ;", ";"),
        ("if a then b; fi", "fi is not allowed here", "fi"),
        ("if a; then b", "this if has no end", "if"),
        ("then", "then is not allowed here", "then"),
        ("fi", "fi is not allowed here", "fi"),
        ("else", "else is not allowed here", "else"),
        ("elif", "elif is not allowed here", "elif"),
        ("for x in a; do; done", "a command is missing before ;", ";"),
        ("for x in a; c; done", "c is not allowed here", "c"),
        ("for 1 in a; do c; done", "a variable's name is missing here", "for "),
        ("for x in a do c done", "this for has no end", "for"),
        ("for", "a variable's name is missing here", "for"),
        ("for ((i = 0; i < 3; i++)); do c; done", "for ((…)) is not supported", "for (("),
        ("while; do b; done", "a command is missing before ;", ";"),
        ("while a; do b", "this while has no end", "while"),
        ("do", "do is not allowed here", "do"),
        ("done", "done is not allowed here", "done"),
        ("case a in b) c", "this case has no end", "case"),
        ("case a b) c;; esac", "b is not allowed here", "b"),
        ("case a in b) c;& esac", "a command is missing before &", "&"),
        ("case a in b) c;;& esac", ";;& is not supported", ";;&"),
        ("esac", "esac is not allowed here", "esac"),
        ("f()", "{ … } of a function is missing here", "f()"),
        ("f() a", "{ … } of a function is missing here", "f() "),
        ("f( { a; }", ") after a function's name is missing here", "f( "),
        ("1f() { a; }", "( is not allowed here", "("),
        (
            "function f { a; }",
            "the word “function” (write NAME() { …; }) is not supported",
            "function",
        ),
        (
            "function f() { a; }",
            "the word “function” (write NAME() { …; }) is not supported",
            "function",
        ),
        ("[[ ]]", "a word is missing here", "]]"),
        ("[[ a", "this [[ has no end", "[["),
        ("[[ a = ]]", "a word is missing here", "]]"),
        ("[[ a = ) ]]", "a word is missing here", ""),
        ("[[ -n", "a word is missing here", ""),
        ("select x in a; do b; done", "select is not supported", "select"),
        ("coproc a", "coproc is not supported", "coproc"),
    ]);
}

#[test]
fn two_parentheses_begin_arithmetic_only_where_no_command_can_stand() {
    let arithmetic = "((…)) (write [ … ] or : $((…))) is not supported";
    refused(&[("((a = 1))", arithmetic, "(("), ("((a = (1)))", arithmetic, "((")]);
    printed(&[
        ("((a); (b))", "( (a); (b))\n"),
        ("((a) | b)", "( (a) | b)\n"),
        ("((a); b)", "( (a); b)\n"),
        ("((a)\nb)", "( (a); b)\n"),
    ]);
}

#[test]
fn words_that_must_be_there() {
    let word = "a word is missing here";
    let pattern = "a pattern is missing here";
    refused(&[
        ("case in x) a;; esac", "x is not allowed here", "x"),
        ("case  ; in a) ;; esac", word, "case  "),
        ("case a in ) b;; esac", pattern, ""),
        ("case a in b|) c;; esac", pattern, ""),
        ("case a in (b| ) c;; esac", pattern, ""),
        ("[[ a == ]]", word, "]]"),
        ("() { a; }", ") is not allowed here", ")"),
        ("'' () { a; }", "( is not allowed here", "("),
        ("a-b() { a; }", "( is not allowed here", "("),
    ]);
    printed(&[
        ("case '' in '') a;; esac", "case '' in ('') a ;; esac\n"),
        ("case \"\" in x|'') a;; esac", "case \"\" in (x | '') a ;; esac\n"),
        ("[[ a == '' ]]", "[[ a == '' ]]\n"),
        ("[[ -n ]]", "[[ -n ]]\n"),
        ("[[ -n -n ]]", "[[ -n -n ]]\n"),
        ("[[ xn == a ]]", "[[ xn == a ]]\n"),
        ("[[ a =~ ^(b|c)(d)$ ]]", "[[ a =~ ^(b|c)(d)$ ]]\n"),
        ("[[ (a =~ (b)) && c ]]", "[[ a =~ (b) && c ]]\n"),
    ]);
    refused(&[
        ("[[ xn a ]]", "a is not allowed here", "a"),
        ("[[ -nn a ]]", "a is not allowed here", "a"),
    ]);
}

/// A shell with a few commands of its own.
struct SomeBuiltins;

impl Builtins for SomeBuiltins {
    fn refused(&self, name: &str) -> Option<&'static str> {
        (name == "never").then_some("never (it is not done)")
    }

    fn check(&self, name: &str, arguments: &[Word]) -> Result<Place, Refusal> {
        match (name, arguments) {
            ("alone", _) => Ok(Place::Alone),
            ("one", []) => Err(Refusal::of_command("one without a word")),
            ("one", [_, second, ..]) => Err(Refusal::of(second, "one with two words")),
            _ => Ok(Place::Anywhere),
        }
    }
}

#[test]
fn commands_of_the_shell_are_looked_at_wherever_they_are_written() {
    let cases = [
        ("never", "never (it is not done)", "never"),
        ("x=1 never a", "never (it is not done)", "never"),
        ("one", "one without a word", "one"),
        ("one a b", "one with two words", "b"),
        ("if a; then one a b; fi", "one with two words", "b"),
        ("f() { one a b; }", "one with two words", "b"),
        ("a \"$(one a b)\"", "one with two words", "b"),
        ("a <(one a b)", "one with two words", "b"),
        ("a `one`", "one without a word", "one"),
        ("a <<X\n$(never)\nX", "never (it is not done)", "$(never)\nX"),
        ("alone | a", "alone in a pipeline with other commands", "alone"),
        ("a | { b; alone; }", "alone in a pipeline with other commands", "alone"),
    ];
    for (text, what, place) in cases {
        let error = shell::parse(text, &SomeBuiltins).unwrap_err();
        assert_eq!(error.to_string(), format!("{what} is not supported"), "{text}");
        assert_eq!(&text[error.span.range()], place, "{text}");
    }
    for text in ["'never'", "a never", "one a", "alone", "alone; a | b"] {
        assert!(shell::parse(text, &SomeBuiltins).is_ok(), "{text}");
    }
}
