//! Numbers in the forms of the C conversions, for `printf` and `seq -f`.

/// What is between `%` and the conversion letter.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Flags {
    pub(crate) left: bool,
    pub(crate) plus: bool,
    pub(crate) space: bool,
    pub(crate) alternate: bool,
    pub(crate) zero: bool,
    pub(crate) group: bool,
    pub(crate) width: usize,
    pub(crate) precision: Option<usize>,
}

impl Flags {
    /// Reads the flag letters at the start of `text`; gives how many there are.
    pub(crate) fn read(&mut self, text: &[u8]) -> usize {
        for (at, byte) in text.iter().enumerate() {
            match byte {
                b'-' => self.left = true,
                b'+' => self.plus = true,
                b' ' => self.space = true,
                b'#' => self.alternate = true,
                b'0' => self.zero = true,
                b'\'' => self.group = true,
                _ => return at,
            }
        }
        text.len()
    }
}

/// Widths and precisions beyond this are refused: they are slips, and would fill the memory.
/// It is also the most that the language's own formatting takes.
pub(crate) const WIDTH_MAX: usize = u16::MAX as usize;

/// Pads `sign` and `body` to the width.
pub(crate) fn pad(flags: &Flags, sign: &str, body: &str, zeros: bool) -> Vec<u8> {
    let length = sign.len() + body.len();
    let fill = flags.width.saturating_sub(length);
    let mut text = Vec::with_capacity(length + fill);
    if !flags.left && !zeros {
        text.resize(fill, b' ');
    }
    text.extend_from_slice(sign.as_bytes());
    if zeros && !flags.left {
        text.resize(text.len() + fill, b'0');
    }
    text.extend_from_slice(body.as_bytes());
    if flags.left {
        text.resize(text.len() + fill, b' ');
    }
    text
}

fn sign_of(flags: &Flags, negative: bool) -> &'static str {
    match (negative, flags.plus, flags.space) {
        (true, _, _) => "-",
        (false, true, _) => "+",
        (false, false, true) => " ",
        _ => "",
    }
}

fn with_precision(digits: String, precision: Option<usize>) -> String {
    match precision {
        Some(0) if digits == "0" => String::new(),
        Some(precision) if digits.len() < precision => {
            format!("{}{digits}", "0".repeat(precision - digits.len()))
        }
        _ => digits,
    }
}

/// `%d` and `%i`.
pub(crate) fn signed(flags: &Flags, value: i64) -> Vec<u8> {
    let digits = with_precision(value.unsigned_abs().to_string(), flags.precision);
    let zeros = flags.zero && flags.precision.is_none();
    pad(flags, sign_of(flags, value < 0), &digits, zeros)
}

/// `%o`, `%u`, `%x`, `%X`.
pub(crate) fn unsigned(flags: &Flags, value: u64, conversion: u8) -> Vec<u8> {
    let mut digits = match conversion {
        b'o' => format!("{value:o}"),
        b'x' => format!("{value:x}"),
        b'X' => format!("{value:X}"),
        _ => value.to_string(),
    };
    digits = with_precision(digits, flags.precision);
    let mut prefix = "";
    if flags.alternate {
        match conversion {
            b'o' if !digits.starts_with('0') => digits.insert(0, '0'),
            b'x' if value != 0 => prefix = "0x",
            b'X' if value != 0 => prefix = "0X",
            _ => {}
        }
    }
    pad(flags, prefix, &digits, flags.zero && flags.precision.is_none())
}

/// `%e`, `%f`, `%g` and their capitals.
pub(crate) fn floating(flags: &Flags, value: f64, conversion: u8) -> Vec<u8> {
    let sign = sign_of(flags, value.is_sign_negative());
    let magnitude = value.abs();
    let upper = conversion.is_ascii_uppercase();
    if !magnitude.is_finite() {
        let name = if magnitude.is_nan() { "nan" } else { "inf" };
        let name = if upper { name.to_uppercase() } else { name.to_owned() };
        return pad(flags, sign, &name, false);
    }
    let precision = flags.precision.unwrap_or(6);
    let mut body = match conversion.to_ascii_lowercase() {
        b'e' => exponent(magnitude, precision, flags.alternate),
        b'f' => fixed(magnitude, precision, flags.alternate),
        _ => general(magnitude, precision, flags.alternate),
    };
    if upper {
        body.make_ascii_uppercase();
    }
    pad(flags, sign, &body, flags.zero)
}

fn fixed(value: f64, precision: usize, point: bool) -> String {
    let text = format!("{value:.precision$}");
    if point && precision == 0 { text + "." } else { text }
}

fn exponent(value: f64, precision: usize, point: bool) -> String {
    let text = format!("{value:.precision$e}");
    let (digits, power) = text.split_once('e').unwrap_or((&text, "0"));
    let power: i32 = power.parse().unwrap_or(0);
    let sign = if power < 0 { '-' } else { '+' };
    let dot = if point && precision == 0 { "." } else { "" };
    format!("{digits}{dot}e{sign}{:02}", power.unsigned_abs())
}

fn general(value: f64, precision: usize, keep_zeros: bool) -> String {
    let precision = precision.max(1);
    let scientific = format!("{value:.*e}", precision - 1);
    let power: i32 =
        scientific.split_once('e').and_then(|(_, power)| power.parse().ok()).unwrap_or(0);
    let small = power < -4 || power >= i32::try_from(precision).unwrap_or(i32::MAX);
    let text = if small {
        exponent(value, precision - 1, keep_zeros)
    } else {
        let decimals = usize::try_from(precision as i64 - 1 - i64::from(power)).unwrap_or(0);
        fixed(value, decimals, keep_zeros)
    };
    if keep_zeros || !text.contains('.') {
        return text;
    }
    let (digits, power) = match text.split_once('e') {
        Some((digits, power)) => (digits, format!("e{power}")),
        None => (text.as_str(), String::new()),
    };
    format!("{}{power}", digits.trim_end_matches('0').trim_end_matches('.'))
}

/// As `%g` with the fewest digits that give the same number back, as a C `float` (`single`) or
/// `double`.
pub(crate) fn shortest(value: f64, single: bool) -> String {
    if !value.is_finite() {
        let name = if value.is_nan() { "nan" } else { "inf" };
        return if value.is_sign_negative() { format!("-{name}") } else { name.to_owned() };
    }
    let magnitude = value.abs();
    let (least, usual, most) = if single {
        (f64::from(f32::MIN_POSITIVE), f32::DIGITS, 9)
    } else {
        (f64::MIN_POSITIVE, f64::DIGITS, 17)
    };
    let from = if magnitude < least { 1 } else { usual };
    let same = |text: &str| {
        if single {
            text.parse::<f32>()
                .is_ok_and(|number| f64::from(number).to_bits() == magnitude.to_bits())
        } else {
            text.parse::<f64>().is_ok_and(|number| number.to_bits() == magnitude.to_bits())
        }
    };
    let sign = if value.is_sign_negative() { "-" } else { "" };
    let digits = (from..most)
        .map(|digits| general(magnitude, digits as usize, false))
        .find(|text| same(text));
    format!("{sign}{}", digits.unwrap_or_else(|| general(magnitude, most as usize, false)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn floating_forms_are_those_of_c() {
        let show = |value, conversion| {
            String::from_utf8(floating(&Flags::default(), value, conversion)).unwrap()
        };
        assert_eq!(show(1.5, b'f'), "1.500000");
        assert_eq!(show(12345.678, b'e'), "1.234568e+04");
        assert_eq!(show(0.0001, b'g'), "0.0001");
        assert_eq!(show(0.00001, b'g'), "1e-05");
        assert_eq!(show(1e6, b'g'), "1e+06");
        assert_eq!(show(100_000.0, b'g'), "100000");
        assert_eq!(show(0.0, b'g'), "0");
        assert_eq!(show(f64::INFINITY, b'F'), "INF");
    }
}
