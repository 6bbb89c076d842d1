//! Any bytes as a pattern and a line: compiled or refused, never a failure inside; a match is where
//! it says, and the shell's patterns find the same parts in both ways.
#![no_main]

use libfuzzer_sys::fuzz_target;
use pattern::{Options, Pattern, Syntax, glob_matches, glob_part};

fuzz_target!(|given: (u8, bool, &[u8], &[u8])| {
    let (kind, ignore_case, text, line) = given;
    let syntax = match kind % 5 {
        0 => Syntax::Basic,
        1 => Syntax::Extended,
        2 => Syntax::Awk,
        3 => Syntax::Perl,
        _ => Syntax::Fixed,
    };
    let line: Vec<u8> = line.iter().copied().filter(|byte| *byte != b'\n').take(200).collect();
    let text = &text[..text.len().min(200)];
    let options = Options { ignore_case, ..Options::default() };
    if let Ok(compiled) = Pattern::new(&[text], syntax, options) {
        let matches = compiled.is_match(&line);
        if let Ok(Some(found)) = compiled.find(&line, 0) {
            assert!(found.start <= found.end && found.end <= line.len());
            assert_eq!(matches, Ok(true));
        }
        let _ = compiled.captures(&line, 0);
    }
    let glob: Vec<(u8, bool)> = text.iter().take(24).map(|&byte| (byte, false)).collect();
    let part = &line[..line.len().min(40)];
    if let Ok(Some((short, long))) = glob_part(&glob, part, false, || true) {
        assert!(glob_matches(&glob, &part[..short]) && glob_matches(&glob, &part[..long]));
    }
    if std::str::from_utf8(part).is_ok() && std::str::from_utf8(text).is_ok() {
        let whole = glob_part(&glob, part, false, || true);
        let reaches = matches!(whole, Ok(Some((_, long))) if long == part.len());
        assert_eq!(reaches, glob_matches(&glob, part));
    }
});
