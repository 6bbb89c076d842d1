//! `printf` and `sprintf` (XCU awk, "Formatted Output"; XBD 5).

use super::{Eval, Node, Runtime, Value, fault};
use crate::text::c_format::{Flags, WIDTH_MAX, floating, signed, unsigned};
use crate::text::characters;

impl Runtime<'_, '_> {
    /// Adds the values behind the first as the first, the format, says.
    pub(super) fn format(&mut self, values: &[Node], at: usize, out: &mut Vec<u8>) -> Eval<()> {
        let Some((format, rest)) = values.split_first() else { return Ok(()) };
        let mut values = Vec::with_capacity(rest.len());
        let mut text = self.buffer();
        self.push(format, &mut text)?;
        for value in rest {
            values.push(self.value(value)?);
        }
        let done = self.formatted(&text, &values, at, out);
        self.give_back(text);
        done
    }

    fn formatted(
        &mut self,
        format: &[u8],
        values: &[Value],
        at: usize,
        out: &mut Vec<u8>,
    ) -> Eval<()> {
        let mut values = values.iter();
        let mut rest = format;
        let missing = || {
            let shown = String::from_utf8_lossy(format).into_owned();
            fault(at, format!("the format “{shown}” asks for more values than there are"))
        };
        while let Some(percent) = memchr::memchr(b'%', rest) {
            out.extend_from_slice(&rest[..percent]);
            let directive = &rest[percent..];
            if directive.get(1) == Some(&b'%') {
                out.push(b'%');
                rest = &directive[2..];
                continue;
            }
            let mut flags = Flags::default();
            let mut place = 1 + flags.read(&directive[1..]);
            for precision in [false, true] {
                if precision {
                    if directive.get(place) != Some(&b'.') {
                        break;
                    }
                    place += 1;
                }
                let mut number: Option<i64> = Some(0);
                if directive.get(place) == Some(&b'*') {
                    place += 1;
                    match values.next() {
                        Some(value) => number = Some(value.number() as i64),
                        None => return missing(),
                    }
                } else {
                    while let Some(digit) = directive.get(place).filter(|d| d.is_ascii_digit()) {
                        number = number
                            .and_then(|number| number.checked_mul(10))
                            .and_then(|number| number.checked_add(i64::from(digit - b'0')));
                        place += 1;
                    }
                }
                let number = number.unwrap_or(i64::MAX);
                if number.unsigned_abs() > WIDTH_MAX as u64 {
                    return fault(at, "this width or precision is too large");
                }
                if precision {
                    // A negative precision counts as none.
                    flags.precision = usize::try_from(number).ok();
                } else {
                    flags.left |= number < 0;
                    flags.width = number.unsigned_abs() as usize;
                }
            }
            // Lengths of C types mean nothing here.
            while matches!(directive.get(place), Some(b'h' | b'l' | b'L' | b'q' | b'j' | b'z')) {
                place += 1;
            }
            let Some(&conversion) = directive.get(place) else {
                out.extend_from_slice(directive);
                return Ok(());
            };
            rest = &directive[place + 1..];
            if !b"aAcdieEfFgGosuxX".contains(&conversion) {
                let shown = String::from_utf8_lossy(&directive[..=place]).into_owned();
                return fault(at, format!("the format has “{shown}”, which means nothing"));
            }
            let Some(value) = values.next() else { return missing() };
            self.convert(value, conversion, &flags, out);
        }
        out.extend_from_slice(rest);
        Ok(())
    }

    fn convert(&mut self, value: &Value, conversion: u8, flags: &Flags, out: &mut Vec<u8>) {
        match conversion {
            b'd' | b'i' => whole(flags, value.number().trunc(), out),
            b'o' | b'u' | b'x' | b'X' => {
                let number = value.number().trunc();
                if number < 0.0 || number >= 2f64.powi(64) || number.is_nan() {
                    // No unsigned number: written as a signed one.
                    whole(flags, number, out);
                } else {
                    out.extend_from_slice(&unsigned(flags, number as u64, conversion));
                }
            }
            b'c' => {
                let mut text = self.buffer();
                match value.as_number() {
                    Some(number) => push_character(number, &mut text),
                    None => {
                        self.push_text(value, &mut text);
                        let length = text.first().map_or(0, |_| characters::first(&text).1);
                        text.truncate(length);
                    }
                }
                pad(flags, &text, out);
                self.give_back(text);
            }
            b's' => {
                let mut text = self.buffer();
                self.push_text(value, &mut text);
                let length = match flags.precision {
                    Some(most) if text.is_ascii() => most.min(text.len()),
                    Some(most) => {
                        characters::each(&text).take(most).map(|(_, bytes)| bytes.len()).sum()
                    }
                    None => text.len(),
                };
                pad(flags, &text[..length], out);
                self.give_back(text);
            }
            b'a' | b'A' => out.extend_from_slice(&floating(flags, value.number(), b'g')),
            _ => out.extend_from_slice(&floating(flags, value.number(), conversion)),
        }
    }
}

fn push_character(number: f64, text: &mut Vec<u8>) {
    let code = number as i64;
    match u32::try_from(code).ok().and_then(char::from_u32) {
        Some(character) => {
            text.extend_from_slice(character.encode_utf8(&mut [0; 4]).as_bytes());
        }
        None => text.push(code as u8),
    }
}

fn pad(flags: &Flags, text: &[u8], out: &mut Vec<u8>) {
    let fill = flags.width.saturating_sub(characters::count(text));
    if !flags.left {
        out.resize(out.len() + fill, b' ');
    }
    out.extend_from_slice(text);
    if flags.left {
        out.resize(out.len() + fill, b' ');
    }
}

/// A whole number of any size.
fn whole(flags: &Flags, number: f64, out: &mut Vec<u8>) {
    if number.abs() < 9.2e18 {
        out.extend_from_slice(&signed(flags, number as i64));
    } else if number.is_finite() {
        let flags = Flags { precision: Some(0), ..*flags };
        out.extend_from_slice(&floating(&flags, number, b'f'));
    } else {
        out.extend_from_slice(&floating(flags, number, b'f'));
    }
}
