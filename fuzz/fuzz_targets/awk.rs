//! Any bytes as a program of awk: the parser may refuse them, never fail inside.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &[u8]| {
    filters::testing::parses("awk", text);
});
