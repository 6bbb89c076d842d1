//! Exact numbers with and without size letters.

use num_bigint::BigInt;

use crate::spec::shown;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Scale {
    None,
    Auto,
    Si,
    Iec,
    IecI,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Round {
    Up,
    Down,
    FromZero,
    TowardsZero,
    Nearest,
}

/// A number as a fraction, and how many decimals it was written with.
pub(super) struct Value {
    above: BigInt,
    below: BigInt,
    decimals: usize,
}

const LETTERS: &[u8] = b"KMGTPEZY";

/// Digits beyond which a number without a size letter is not written.
const DIGITS_MAX: usize = 18;

/// The factor of a unit such as `K`, `Ki` or nothing.
pub(super) fn unit_factor(text: &[u8]) -> Option<BigInt> {
    let Some((letter, rest)) = text.split_first() else { return Some(BigInt::from(1)) };
    let power = LETTERS.iter().position(|other| other == letter)? as u32 + 1;
    match rest {
        b"" => Some(BigInt::from(1000).pow(power)),
        b"i" => Some(BigInt::from(1024).pow(power)),
        _ => None,
    }
}

fn ten(power: usize) -> BigInt {
    BigInt::from(10).pow(power as u32)
}

impl Value {
    /// Reads a number with the letters that `scale` allows.
    pub(super) fn read(text: &[u8], scale: Scale) -> Result<Self, String> {
        let not_a_number = || format!("invalid number: {}", shown(text));
        let (negative, digits) = match text.strip_prefix(b"-") {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let count = |text: &[u8]| text.iter().take_while(|byte| byte.is_ascii_digit()).count();
        let whole = count(digits);
        let mut rest = &digits[whole..];
        let mut all = digits[..whole].to_vec();
        let mut decimals = 0;
        if let Some(fraction) = rest.strip_prefix(b".") {
            decimals = count(fraction);
            if decimals == 0 {
                return Err(not_a_number());
            }
            all.extend_from_slice(&fraction[..decimals]);
            rest = &fraction[decimals..];
        }
        if all.is_empty() {
            return Err(not_a_number());
        }
        if whole > 27 + DIGITS_MAX {
            return Err(format!("value too large to be converted: {}", shown(text)));
        }
        let digits = String::from_utf8_lossy(&all);
        let mut above: BigInt = digits.parse().map_err(|_| not_a_number())?;
        if negative {
            above = -above;
        }
        let below = ten(decimals);
        let mut base = if matches!(scale, Scale::Iec | Scale::IecI) { 1024 } else { 1000 };
        let mut power = 0;
        if !rest.is_empty() {
            let blanks = rest.iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
            rest = &rest[blanks..];
            let letter =
                rest.first().and_then(|letter| LETTERS.iter().position(|other| other == letter));
            let Some(letter) = letter else {
                return Err(format!("invalid suffix in input: {}", shown(text)));
            };
            if scale == Scale::None {
                return Err(format!(
                    "rejecting suffix in input: {} (consider using --from)",
                    shown(text)
                ));
            }
            power = letter as u32 + 1;
            rest = &rest[1..];
            if scale == Scale::Auto && rest.first() == Some(&b'i') {
                base = 1024;
                rest = &rest[1..];
            }
            decimals = 0;
        }
        if scale == Scale::IecI {
            match rest.strip_prefix(b"i") {
                Some(after) => rest = after,
                None => {
                    return Err(format!(
                        "missing 'i' suffix in input: {} (e.g Ki/Mi/Gi)",
                        shown(text)
                    ));
                }
            }
        }
        if !rest.is_empty() {
            return Err(format!("invalid suffix in input {}: {}", shown(text), shown(rest)));
        }
        Ok(Self { above: above * BigInt::from(base).pow(power), below, decimals })
    }

    /// The same amount counted in other units.
    pub(super) fn in_units(self, from: &BigInt, to: &BigInt) -> Self {
        Self { above: self.above * from, below: self.below * to, decimals: self.decimals }
    }

    /// Writes the number as `scale` has it.
    pub(super) fn write(
        &self,
        scale: Scale,
        round: Round,
        precision: Option<usize>,
    ) -> Result<String, String> {
        let magnitude = if self.above < BigInt::ZERO { -&self.above } else { self.above.clone() };
        let whole_digits = (&magnitude / &self.below).to_string().len();
        if scale == Scale::None {
            let decimals = precision.unwrap_or(self.decimals);
            if whole_digits - 1 + decimals > DIGITS_MAX {
                let value = magnitude / &self.below;
                return Err(format!(
                    "value too large to be printed: '{value}' (consider using --to)"
                ));
            }
            let rounded = rounded(&self.above, &self.below, decimals, round);
            return Ok(decimal(&rounded, decimals, self.above < BigInt::ZERO));
        }
        if whole_digits > 27 {
            return Err("value too large to be printed (cannot handle values > 999Y)".to_owned());
        }
        let base = BigInt::from(if scale == Scale::Si { 1000 } else { 1024 });
        let mut below = self.below.clone();
        let mut power = 0usize;
        while magnitude >= &below * &base && power < LETTERS.len() {
            below *= &base;
            power += 1;
        }
        let small = magnitude < &below * 10;
        let kept = match precision {
            Some(precision) => precision.min(power * 3),
            None => usize::from(small),
        };
        let mut rounded = rounded(&self.above, &below, kept, round);
        let mut unit = ten(kept);
        let size = |value: &BigInt| if *value < BigInt::ZERO { -value } else { value.clone() };
        if size(&rounded) >= &unit * &base && power < LETTERS.len() {
            unit *= &base;
            power += 1;
        }
        let shows_point = rounded != BigInt::ZERO && size(&rounded) < &unit * 10 && power > 0;
        let decimals = precision.unwrap_or(usize::from(shows_point));
        // What is left is written as C does: to the nearest, halves to the even one.
        rounded *= ten(decimals);
        let digits = half_even(&rounded, &unit);
        let mut text = decimal(&digits, decimals, self.above < BigInt::ZERO);
        if let Some(letter) = power.checked_sub(1).and_then(|power| LETTERS.get(power)) {
            text.push(char::from(*letter));
            if scale == Scale::IecI {
                text.push('i');
            }
        }
        Ok(text)
    }
}

/// `above / below` times ten to the power of `decimals`, as a whole number.
fn rounded(above: &BigInt, below: &BigInt, decimals: usize, round: Round) -> BigInt {
    let scaled = above * ten(decimals);
    let (quotient, rest) = (&scaled / below, &scaled % below);
    if rest == BigInt::ZERO {
        return quotient;
    }
    let negative = scaled < BigInt::ZERO;
    let size = if negative { -rest } else { rest };
    let away = match round {
        Round::Up => !negative,
        Round::Down => negative,
        Round::FromZero => true,
        Round::TowardsZero => false,
        Round::Nearest => size * 2 >= *below,
    };
    match (away, negative) {
        (false, _) => quotient,
        (true, false) => quotient + 1,
        (true, true) => quotient - 1,
    }
}

fn half_even(above: &BigInt, below: &BigInt) -> BigInt {
    let (quotient, rest) = (above / below, above % below);
    let negative = *above < BigInt::ZERO;
    let twice = if negative { -rest * 2 } else { rest * 2 };
    let odd = &quotient % 2 != BigInt::ZERO;
    if twice > *below || twice == *below && odd {
        if negative { quotient - 1 } else { quotient + 1 }
    } else {
        quotient
    }
}

fn decimal(digits: &BigInt, decimals: usize, negative: bool) -> String {
    let size = if *digits < BigInt::ZERO { -digits } else { digits.clone() };
    let text = format!("{:0>width$}", size.to_string(), width = decimals + 1);
    let (whole, fraction) = text.split_at(text.len() - decimals);
    let sign = if negative { "-" } else { "" };
    if decimals == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{fraction}") }
}
