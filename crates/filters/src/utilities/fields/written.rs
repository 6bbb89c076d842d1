//! How records are written.

use super::value::Value;

/// A form of output.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Written {
    /// TAB between the fields; TAB, newline, carriage return and backslash in one as `\t`, `\n`, `\r`
    /// and `\\`.
    Tab,
    /// RFC 4180.
    Csv,
    /// One object a line.
    Json,
    /// `name=value`, in quotes where that is needed.
    Pairs,
}

impl Written {
    /// The line of names.
    pub(super) fn heading(self, names: &[Vec<u8>], out: &mut Vec<u8>) {
        if matches!(self, Self::Tab | Self::Csv) {
            let values: Vec<Value<'_>> =
                names.iter().map(|name| Value::Text(name.into())).collect();
            self.record(names, &values, out);
        }
    }

    /// One record and its newline.
    pub(super) fn record(self, names: &[Vec<u8>], values: &[Value<'_>], out: &mut Vec<u8>) {
        if self == Self::Json {
            out.push(b'{');
        }
        let mut first = true;
        for (name, value) in names.iter().zip(values) {
            // What is missing has no value to write; between delimiters it is empty.
            if *value == Value::Missing && matches!(self, Self::Json | Self::Pairs) {
                continue;
            }
            if !std::mem::take(&mut first) {
                out.push(match self {
                    Self::Tab => b'\t',
                    Self::Pairs => b' ',
                    Self::Csv | Self::Json => b',',
                });
            }
            match self {
                Self::Tab => escaped(text(value), out),
                Self::Csv => quoted(text(value), out),
                Self::Pairs => {
                    out.extend_from_slice(name);
                    out.push(b'=');
                    pair_value(text(value), out);
                }
                Self::Json => {
                    string(name, out);
                    out.push(b':');
                    match value {
                        Value::Json(raw) => out.extend_from_slice(raw),
                        other => string(text(other), out),
                    }
                }
            }
        }
        if self == Self::Json {
            out.push(b'}');
        }
        out.push(b'\n');
    }
}

fn text<'v>(value: &'v Value<'_>) -> &'v [u8] {
    match value {
        Value::Missing => b"",
        Value::Text(text) => text,
        Value::Json(raw) => raw,
    }
}

fn escaped(text: &[u8], out: &mut Vec<u8>) {
    if memchr::memchr3(b'\t', b'\n', b'\\', text).is_none() && memchr::memchr(b'\r', text).is_none()
    {
        out.extend_from_slice(text);
        return;
    }
    for &byte in text {
        match byte {
            b'\t' => out.extend_from_slice(b"\\t"),
            b'\n' => out.extend_from_slice(b"\\n"),
            b'\r' => out.extend_from_slice(b"\\r"),
            b'\\' => out.extend_from_slice(b"\\\\"),
            _ => out.push(byte),
        }
    }
}

fn quoted(text: &[u8], out: &mut Vec<u8>) {
    if !text.iter().any(|byte| matches!(byte, b',' | b'"' | b'\n' | b'\r')) {
        out.extend_from_slice(text);
        return;
    }
    out.push(b'"');
    for &byte in text {
        if byte == b'"' {
            out.push(b'"');
        }
        out.push(byte);
    }
    out.push(b'"');
}

fn pair_value(text: &[u8], out: &mut Vec<u8>) {
    let plain = text.iter().all(|byte| byte.is_ascii_graphic() && *byte != b'"' || *byte >= 0x80);
    if plain && !text.is_empty() {
        out.extend_from_slice(text);
        return;
    }
    out.push(b'"');
    for &byte in text {
        match byte {
            b'"' | b'\\' => out.extend_from_slice(&[b'\\', byte]),
            b'\n' => out.extend_from_slice(b"\\n"),
            b'\t' => out.extend_from_slice(b"\\t"),
            b'\r' => out.extend_from_slice(b"\\r"),
            _ => out.push(byte),
        }
    }
    out.push(b'"');
}

/// A JSON string. Bytes that are not UTF-8 become the replacement character (RFC 8259 section 8.1
/// knows nothing else).
fn string(text: &[u8], out: &mut Vec<u8>) {
    let text = String::from_utf8_lossy(text);
    if serde_json::to_writer(&mut *out, &*text).is_err() {
        // A text in memory can always be written.
        out.extend_from_slice(b"\"\"");
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_form_keeps_a_record_whole() {
        let names = [b"a".to_vec(), b"b".to_vec(), b"c".to_vec()];
        let values =
            [Value::Text(b"x\ty\\ \"q\",\n"[..].into()), Value::Missing, Value::Json(b"{\"d\":1}")];
        for (form, expected) in [
            (Written::Tab, "x\\ty\\\\ \"q\",\\n\t\t{\"d\":1}\n"),
            (Written::Csv, "\"x\ty\\ \"\"q\"\",\n\",,\"{\"\"d\"\":1}\"\n"),
            (Written::Json, "{\"a\":\"x\\ty\\\\ \\\"q\\\",\\n\",\"c\":{\"d\":1}}\n"),
            (Written::Pairs, "a=\"x\\ty\\\\ \\\"q\\\",\\n\" c=\"{\\\"d\\\":1}\"\n"),
        ] {
            let mut out = Vec::new();
            form.record(&names, &values, &mut out);
            assert_eq!(String::from_utf8(out).unwrap(), expected, "{form:?}");
        }
        let mut out = Vec::new();
        Written::Csv.heading(&names, &mut out);
        Written::Json.heading(&names, &mut out);
        assert_eq!(out, b"a,b,c\n");
    }
}
