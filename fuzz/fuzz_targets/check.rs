//! Any text is checked: what is wrong with it is said, nothing fails inside, nothing is written or started.
#![no_main]

use engine::{Consents, Limits, Request, Sample, Trials, Variables};
use libfuzzer_sys::fuzz_target;
use stream::RunControl;

/// Endless texts are found again and again.
const MOMENT: std::time::Duration = std::time::Duration::from_millis(200);

fuzz_target!(|text: &str| {
    let request = Request {
        text: text.to_owned(),
        script: None,
        at: 0,
        variables: Variables::default(),
        plan: None,
        sample: Sample::First(100),
        limits: Limits { quick: MOMENT, time: MOMENT, ..Limits::default() },
        allowed: Consents::default(),
    };
    let checked = insight::check(&Trials::new(None), &request, true, &RunControl::default());
    insight::checked_text(&checked, "fuzz");
    insight::checked_json(&checked, "fuzz");
});
