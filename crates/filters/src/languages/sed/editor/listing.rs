//! The text that `l` writes.

/// The text as `l` writes it (XCU sed): nothing invisible, lines folded at `width` (0: not at all),
/// `$` at the end.
pub(super) fn listed(text: &[u8], width: usize) -> Vec<u8> {
    let room = if width > 0 { width - 1 } else { usize::MAX };
    let mut out = Vec::new();
    let mut column = 0;
    for &byte in text {
        let shown = match byte {
            b'\\' => "\\\\".to_owned(),
            7 => "\\a".to_owned(),
            8 => "\\b".to_owned(),
            12 => "\\f".to_owned(),
            b'\n' => "\\n".to_owned(),
            b'\r' => "\\r".to_owned(),
            b'\t' => "\\t".to_owned(),
            11 => "\\v".to_owned(),
            b' '..=b'~' => char::from(byte).to_string(),
            _ => format!("\\{byte:03o}"),
        };
        if column + shown.len() > room {
            out.extend_from_slice(b"\\\n");
            column = 0;
        }
        column += shown.len();
        out.extend_from_slice(shown.as_bytes());
    }
    out.extend_from_slice(b"$\n");
    out
}
