//! Any text as that of a shell: the parser may refuse it, at a place within it; what it takes is
//! printed as text that is the same to it.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    match engine::parse(text) {
        Err(error) => {
            let span = error.span;
            assert!(span.start <= span.end && span.end <= text.len(), "{span:?}");
            assert!(text.get(span.range()).is_some());
        }
        Ok(script) => {
            for pipeline in script.pipelines() {
                assert!(text.get(pipeline.span.range()).is_some());
            }
            let printed = shell::print(&script);
            // Backquotes are printed in their other form, which may come to be too deep.
            match engine::parse(&printed) {
                Ok(_) => {}
                Err(error) => {
                    assert!(error.to_string().contains("so deep"), "{printed:?}: {error}")
                }
            }
        }
    }
});
