//! Programs put together at random, against the utilities of this machine.

use super::*;

const SEED: RngSeed = RngSeed::Fixed(20_310_402);

fn config(cases: u32) -> ProptestConfig {
    ProptestConfig {
        failure_persistence: None,
        rng_seed: SEED,
        // What is left open by the standard is not compared.
        max_global_rejects: 1024 + crate::host::cases(cases),
        ..ProptestConfig::with_cases(crate::host::cases(cases))
    }
}

/// An expression of awk of small whole numbers, fields and texts.
fn expression() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![
        (0u32..20).prop_map(|number| number.to_string()),
        prop::sample::select(vec![
            "$1",
            "$2",
            "$NF",
            "$0",
            "NF",
            "NR",
            "x",
            "y",
            "n[1]",
            "\"a\"",
            "\"10\"",
            "\"\"",
            "length($1)",
            "0.5"
        ])
        .prop_map(str::to_owned),
    ];
    leaf.prop_recursive(3, 12, 3, |inner| {
        prop_oneof![
            (
                inner.clone(),
                prop::sample::select(vec![
                    "+", "-", "*", "<", "<=", "==", "!=", ">", ">=", "&&", "||", " ", "~"
                ]),
                inner.clone()
            )
                .prop_map(|(left, operator, right)| format!("({left} {operator} {right})")),
            inner.clone().prop_map(|inside| format!("(!{inside})")),
            inner.clone().prop_map(|inside| format!("(-{inside})")),
            (inner.clone(), inner.clone(), inner.clone())
                .prop_map(|(condition, yes, no)| format!("({condition} ? {yes} : {no})")),
            inner.clone().prop_map(|inside| format!("substr({inside}, 1, 2)")),
            inner.clone().prop_map(|inside| format!("index({inside}, \"a\")")),
            inner.clone().prop_map(|inside| format!("(x = {inside})")),
            inner.clone().prop_map(|inside| format!("toupper({inside})")),
            (inner.clone(), inner).prop_map(|(key, value)| format!("(n[{key}] = {value})")),
        ]
    })
}

fn statement() -> impl Strategy<Value = String> {
    let simple = prop_oneof![
        expression().prop_map(|value| format!("print {value}")),
        (expression(), expression()).prop_map(|(one, other)| format!("print {one}, {other}")),
        expression().prop_map(|value| format!("y = {value}")),
        expression().prop_map(|value| format!("$2 = {value}; print")),
        expression().prop_map(|value| format!("x += {value}")),
        Just("gsub(/a/, \"b\"); print".to_owned()),
        Just("y++; print y".to_owned()),
        Just("next".to_owned()),
    ];
    simple.prop_recursive(2, 6, 2, |inner| {
        prop_oneof![
            (expression(), inner.clone(), inner.clone()).prop_map(|(condition, yes, no)| format!(
                "if ({condition}) {{ {yes} }} else {{ {no} }}"
            )),
            inner.clone().prop_map(|body| format!("for (i = 0; i < 2; i++) {{ {body} }}")),
            (inner.clone(), inner).prop_map(|(one, other)| format!("{one}; {other}")),
        ]
    })
}

/// The host keeps 32 bits of whole numbers and six digits of others.
fn comparable(out: &str) -> bool {
    !out.contains("e+") && !out.split(|c: char| !c.is_ascii_digit()).any(|part| part.len() > 8)
}

fn address() -> impl Strategy<Value = String> {
    let one = || {
        prop::sample::select(vec![
            "1", "2", "3", "5", "$", "/a/", "/b$/", "/^$/", "/x/", "0~2", "2~3",
        ])
    };
    prop_oneof![
        3 => Just(String::new()),
        3 => one().prop_map(str::to_owned),
        1 => one().prop_map(|one| format!("{one}!")),
        2 => (one(), prop::sample::select(vec!["1", "3", "$", "/a/", "/b/", "+1", "+0"]))
            .prop_map(|(from, to)| format!("{from},{to}")),
    ]
}

fn command() -> impl Strategy<Value = String> {
    prop::sample::select(vec![
        "p",
        "d",
        "s/a/X/",
        "s/[ab]/<&>/g",
        "s/\\(.\\)\\(.\\)/\\2\\1/",
        "s/a*/-/2",
        "s/b/B/p",
        "y/ab/ba/",
        "=",
        "n",
        "N",
        "D",
        "P",
        "G",
        "H",
        "g",
        "h",
        "x",
        "q",
        "Q",
        "a add",
        "i ins",
        "c chg",
        "l",
        "z",
        "s/\\n/+/",
        "s//E/",
        "t",
        "T",
        "b",
        "s/x*$/!/",
        "s/^/> /",
        "F",
    ])
    .prop_map(str::to_owned)
}

proptest! {
    #![proptest_config(config(200))]

    #[test]
    fn generated_awk_programs_agree(
        pattern in prop::sample::select(vec!["", "NR > 1", "/a/", "NF", "NR == 2, /b/"]),
        body in statement(),
    ) {
        // Whether the element or its value is found first is left open.
        prop_assume!(!body.contains("(n[") || !body.contains("(x ="));
        // A record that a field was put into counts as number where it looks like one, as POSIX
        // has it; the host takes it as text.
        prop_assume!(!body.contains("$2 = ") || !body.contains("$0"));
        let program = format!("{pattern} {{ {body} }} END {{ print x; print y }}");
        let words = [b"awk".to_vec(), program.clone().into_bytes()];
        // Fields that are not there count as numbers when compared, as POSIX has it; the host
        // compares them as text.
        let compares = ["<", ">", "==", "!="].iter().any(|sign| body.contains(sign));
        let second = if compares && (body.contains("$1") || body.contains("$2")) { "b a" } else { "" };
        let data = format!("a b 3\n{second}\nab aab 10 x\n-5 7 b\n10 9\nlast a");
        let ours = run(&parts(&words), data.as_bytes(), WHOLE);
        let (theirs, _) = host(&words, data.as_bytes());
        let (ours_out, theirs) = (out(&ours), String::from_utf8_lossy(&theirs).into_owned());
        if comparable(&ours_out) && comparable(&theirs) {
            // Minus nothing has a sign there.
            prop_assert_eq!(ours_out.replace("-0", "0"), theirs.replace("-0", "0"), "{} ({})", program, ours.error);
        }
        let cut = run(&parts(&words), data.as_bytes(), Cuts { input: 3, output: 7, origins: true });
        prop_assert_eq!(out(&cut), ours_out, "{}", program);
    }

    #[test]
    fn generated_sed_scripts_agree(
        commands in prop::collection::vec((address(), command()), 1..5),
        quiet in any::<bool>(),
        data in "([ab x]{0,4}\n){0,6}[ab]{0,3}",
    ) {
        // D without a new line in between may go on for ever, as the standard has it.
        let script: Vec<String> = commands.iter().map(|(address, command)| format!("{address}{command}")).collect();
        let endless = |script: &[String]| script.iter().any(|c| c.ends_with('D')) && script.iter().any(|c| c.ends_with(['G', 'H', 'x', 'g']));
        prop_assume!(!endless(&script));
        let script = script.join("\n");
        let mut words = vec![b"sed".to_vec()];
        if quiet {
            words.push(b"-n".to_vec());
        }
        words.extend([b"-e".to_vec(), script.into_bytes()]);
        prop_assert_eq!(compare(&words, &data, false), Ok(()));
        let whole = run(&parts(&words), data.as_bytes(), WHOLE);
        let cut = run(&parts(&words), data.as_bytes(), Cuts { input: 2, output: 3, origins: true });
        prop_assert_eq!(out(&cut), out(&whole));
    }

    #[test]
    fn generated_expressions_agree_with_bc(
        scale in 0u32..12,
        numbers in prop::collection::vec("-?[0-9]{1,12}(\\.[0-9]{1,8})?", 2..6),
        operators in prop::collection::vec(prop::sample::select(vec!["+", "-", "*", "/", "%"]), 5),
        base in 2u32..20,
    ) {
        let mut text = numbers[0].clone();
        for (number, operator) in numbers[1..].iter().zip(&operators) {
            text = format!("({text}){operator}({number})");
        }
        let whole = numbers[0].split('.').next().unwrap_or("1");
        let program = format!("scale={scale}\n{text}\nobase={base}\n{whole}\n({whole})^3\n");
        let words = [b"bc".to_vec()];
        let (theirs, _) = host(&words, program.as_bytes());
        let ours = run(&parts(&words), program.as_bytes(), WHOLE);
        prop_assert_eq!(out(&ours), String::from_utf8_lossy(&theirs), "{} ({})", program, ours.error);
    }

    /// Noise never makes a parser fail inside.
    #[test]
    fn noise_is_no_trouble(text in "[a-z0-9{}()\\[\\];,/\\\\$\"'|<>=+*^!?:.&~%#\n -]{0,40}") {
        let _ = run(&[b"sed", b"-n", text.as_bytes()], b"ab\nc\n", WHOLE);
        let _ = filters::find(b"awk").unwrap().build(&[text.clone().into_bytes()]);
        let _ = filters::find(b"awk").unwrap().programs(&[text.clone().into_bytes()]);
        let _ = filters::find(b"sed").unwrap().programs(&[text.clone().into_bytes()]);
        // A loop of its own making may never end; only what cannot loop is run.
        if !text.contains("for") && !text.contains("while") && !text.contains("define") {
            let _ = run(&[b"bc"], format!("{text}\n").as_bytes(), WHOLE);
        }
    }
}
