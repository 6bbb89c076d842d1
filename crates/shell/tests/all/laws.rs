//! Laws of shell text: quoting, printing, places, and that nothing hangs or panics.

use proptest::prelude::*;
use shell::{print, quote, quote_bytes, stage_off_text};

use super::parse;

#[test]
fn words_are_quoted_only_where_they_must_be() {
    for (value, quoted) in [
        ("plain", "plain"),
        ("a-b_c.d/e:f,g+h@i%j", "a-b_c.d/e:f,g+h@i%j"),
        ("", "''"),
        ("a b", "'a b'"),
        ("it's", "'it'\\''s'"),
        ("$x", "'$x'"),
        ("*", "'*'"),
        ("a;b", "'a;b'"),
        ("#a", "'#a'"),
        ("~", "'~'"),
        ("a\nb", "'a\nb'"),
        ("é", "é"),
    ] {
        assert_eq!(quote(value), quoted, "{value:?}");
    }
    for (value, quoted) in [
        (&b"plain"[..], "plain"),
        (b"a b", "'a b'"),
        (b"a\x01", "$'a\\001'"),
        (b"a\xff", "$'a\\377'"),
        (b"it's\t", "$'it\\'s\\t'"),
    ] {
        assert_eq!(quote_bytes(value), quoted, "{value:?}");
    }
}

#[test]
fn a_stage_that_is_off_keeps_its_text_in_a_comment() {
    let off = |stage, files: &[&str], redirections: &[&str], pipe| {
        stage_off_text(stage, files, redirections, pipe)
    };
    assert_eq!(
        off("grep x log", &["log"], &[], true).as_deref(),
        Some("cat log |  # off: grep x log")
    );
    assert_eq!(off("sort", &[], &[], false).as_deref(), Some("cat  # off: sort"));
    assert_eq!(
        off("sort < a > b", &[], &["< a", "> b"], false).as_deref(),
        Some("cat < a > b  # off: sort < a > b")
    );
    assert_eq!(off("cat <<E\nE", &[], &[], true), None);
    // The comment is found again, and the text means `cat`.
    let text = format!("a |\n{}\nb", off("grep x log", &["log"], &[], true).unwrap());
    let script = parse(&text).unwrap();
    let pipeline = script.pipelines().next().unwrap();
    let off: Vec<bool> = pipeline.commands.iter().map(|stage| stage.off.is_some()).collect();
    assert_eq!(off, [false, true, false]);
}

/// Pieces of shell text, joined at random: mostly wrong, always to be answered.
fn soup() -> impl Strategy<Value = String> {
    let piece = prop::sample::select(vec![
        "a", "b ", " ", "|", "||", "&&", ";", ";;", "&", "\n", "(", ")", "{ ", "}", "$", "$(",
        "${", "$((", "))", "`", "'", "\"", "\\", "<", ">", ">>", "<<E", "E\n", "<<<", "2>&1", "#",
        "if ", "then ", "else ", "fi", "for ", "x in ", "do ", "done", "while ", "case ", "esac",
        "f()", "!", "=", "x=1 ", "[[ ", "]]", "*", "?", "[", "]", "{a,b}", "~", "<(", ">(", "$'",
        "é",
    ]);
    prop::collection::vec(piece, 0..14).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(3000) })]

    /// A text is taken or refused; places lie in the text, and what is printed is printed so again.
    #[test]
    fn every_text_is_answered(text in soup()) {
        match parse(&text) {
            Ok(script) => {
                let printed = print(&script);
                let again = parse(&printed);
                prop_assert!(again.is_ok(), "{:?} printed as {:?}: {:?}", text, printed, again);
                prop_assert_eq!(print(&again.unwrap()), printed, "{:?}", text);
                for pipeline in script.pipelines() {
                    for command in &pipeline.commands {
                        prop_assert!(text.get(command.span.range()).is_some(), "{:?}", text);
                        for word in &command.words {
                            let part = text.get(word.span.range());
                            prop_assert!(part.is_some_and(|part| !part.is_empty()), "{:?}", text);
                        }
                    }
                }
            }
            Err(error) => {
                prop_assert!(text.get(error.span.range()).is_some(), "{:?}: {:?}", text, error);
                prop_assert!(!error.to_string().is_empty());
            }
        }
    }

    /// A quoted value is one word with that value, whatever is beside it.
    #[test]
    fn quoted_values_are_one_word(value in "[a-z $'\"\\\\*?;|&<>(){}~#=\n\té-]{0,12}") {
        let text = format!("x {} y", quote(&value));
        let script = parse(&text).unwrap();
        let words = &script.pipelines().next().unwrap().commands[0].words;
        prop_assert_eq!(words.len(), 3, "{}", text);
        prop_assert_eq!(words[1].literal(), Some(value));
    }
}
