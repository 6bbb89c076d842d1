//! Decimal numbers of any precision: a whole number and how many of its digits are behind the
//! point.

use std::cmp::Ordering;

use num_bigint::{BigInt, Sign};

/// Digits a number may have; more is refused instead of filling the memory and the day.
pub(super) const DIGITS_MAX: u64 = 1_000_000;

#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Number {
    /// The number times ten to the power of `scale`.
    units: BigInt,
    scale: u32,
}

/// Why there is no result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Trouble {
    DivisionByZero,
    NegativeRoot,
    TooLarge,
}

pub(super) type Result<T> = std::result::Result<T, Trouble>;

pub(super) fn ten_to(power: u32) -> BigInt {
    BigInt::from(10u32).pow(power)
}

impl From<i64> for Number {
    fn from(value: i64) -> Self {
        Self { units: value.into(), scale: 0 }
    }
}

impl Number {
    pub(super) fn new(units: BigInt, scale: u32) -> Self {
        Self { units, scale }
    }

    pub(super) fn scale(&self) -> u32 {
        self.scale
    }

    pub(super) fn is_zero(&self) -> bool {
        self.units.sign() == Sign::NoSign
    }

    pub(super) fn is_negative(&self) -> bool {
        self.units.sign() == Sign::Minus
    }

    pub(super) fn negated(&self) -> Self {
        Self { units: -&self.units, scale: self.scale }
    }

    /// The number times ten to the power of `scale`, cut off there.
    pub(super) fn units_at(&self, scale: u32) -> BigInt {
        match scale.cmp(&self.scale) {
            Ordering::Equal => self.units.clone(),
            Ordering::Greater => &self.units * ten_to(scale - self.scale),
            // Division of whole numbers cuts off towards zero, as truncation does.
            Ordering::Less => &self.units / ten_to(self.scale - scale),
        }
    }

    /// The number with just this many digits behind the point.
    pub(super) fn at_scale(&self, scale: u32) -> Self {
        Self { units: self.units_at(scale), scale }
    }

    /// The number without digits behind the point beyond `scale`.
    fn cut_to(self, scale: u32) -> Self {
        if self.scale > scale { self.at_scale(scale) } else { self }
    }

    /// The whole part as a small number; `None` beyond that.
    pub(super) fn to_i64(&self) -> Option<i64> {
        i64::try_from(self.units_at(0)).ok()
    }

    pub(super) fn add(&self, other: &Self) -> Self {
        let scale = self.scale.max(other.scale);
        Self { units: self.units_at(scale) + other.units_at(scale), scale }
    }

    pub(super) fn subtract(&self, other: &Self) -> Self {
        let scale = self.scale.max(other.scale);
        Self { units: self.units_at(scale) - other.units_at(scale), scale }
    }

    /// Digits behind the point: those of both, but no more than the most of `scale` and either.
    pub(super) fn multiply(&self, other: &Self, scale: u32) -> Result<Self> {
        if bits_to_digits(self.units.bits() + other.units.bits()) > DIGITS_MAX * 2 {
            return Err(Trouble::TooLarge);
        }
        let full = Self { units: &self.units * &other.units, scale: self.scale + other.scale };
        full.cut_to(scale.max(self.scale).max(other.scale)).checked()
    }

    pub(super) fn divide(&self, other: &Self, scale: u32) -> Result<Self> {
        if other.is_zero() {
            return Err(Trouble::DivisionByZero);
        }
        // (a / 10^i) / (b / 10^j) at scale s is a * 10^(s + j - i) / b.
        let up = i64::from(scale) + i64::from(other.scale) - i64::from(self.scale);
        let units = if up >= 0 {
            &self.units * ten_to(up as u32) / &other.units
        } else {
            &self.units / (&other.units * ten_to(up.unsigned_abs() as u32))
        };
        Self { units, scale }.checked()
    }

    /// What is left of a division at `scale`.
    pub(super) fn remainder(&self, other: &Self, scale: u32) -> Result<Self> {
        let quotient = self.divide(other, scale)?;
        let result_scale = self.scale.max(scale + other.scale);
        let product =
            Self { units: &quotient.units * &other.units, scale: quotient.scale + other.scale };
        Ok(self.subtract(&product).at_scale(result_scale))
    }

    pub(super) fn power(&self, exponent: i64, scale: u32) -> Result<Self> {
        let times = exponent.unsigned_abs();
        let size = self.units.bits().max(1).saturating_sub(1).saturating_mul(times);
        let digits = u64::from(self.scale).saturating_mul(times);
        if bits_to_digits(size) > DIGITS_MAX || digits > DIGITS_MAX {
            return Err(Trouble::TooLarge);
        }
        let times = times as u32;
        let full = Self { units: self.units.pow(times), scale: self.scale * times };
        if exponent >= 0 {
            return full.cut_to(scale.max(self.scale)).checked();
        }
        Self::from(1).divide(&full, scale)
    }

    pub(super) fn square_root(&self, scale: u32) -> Result<Self> {
        if self.is_negative() {
            return Err(Trouble::NegativeRoot);
        }
        let scale = scale.max(self.scale);
        // The root of a * 10^2s is the root of a times 10^s.
        Ok(Self { units: self.units_at(2 * scale).sqrt(), scale })
    }

    fn checked(self) -> Result<Self> {
        if bits_to_digits(self.units.bits()) > DIGITS_MAX {
            Err(Trouble::TooLarge)
        } else {
            Ok(self)
        }
    }

    pub(super) fn compare(&self, other: &Self) -> Ordering {
        let scale = self.scale.max(other.scale);
        self.units_at(scale).cmp(&other.units_at(scale))
    }

    /// How many digits the number has, those behind the point too (`length`).
    pub(super) fn length(&self) -> u64 {
        let digits = self.units.magnitude().to_string();
        let digits = if self.is_zero() { 1 } else { digits.len() as u64 };
        digits.max(u64::from(self.scale))
    }

    /// Reads digits of a base, of which some may be behind a point. Digits beyond the base count
    /// as its last one, but for a number of one digit.
    pub(super) fn parse(text: &[u8], base: u32) -> Self {
        let digits = text.iter().filter(|byte| **byte != b'.').count();
        let value_of = |byte: u8| {
            let value = char::from(byte).to_digit(36).unwrap_or(0);
            if digits > 1 { value.min(base - 1) } else { value }
        };
        let (whole, fraction) = match memchr::memchr(b'.', text) {
            Some(at) => (&text[..at], &text[at + 1..]),
            None => (text, &b""[..]),
        };
        let scale = fraction.len() as u32;
        let number = |text: &[u8]| {
            let clipped: Vec<u8> = text.iter().map(|byte| value_of(*byte) as u8).collect();
            let fits = clipped.iter().all(|digit| u32::from(*digit) < base);
            if fits {
                return BigInt::from_radix_be(Sign::Plus, &clipped, base).unwrap_or_default();
            }
            let add = |sum: BigInt, digit: &u8| sum * base + u32::from(*digit);
            clipped.iter().fold(BigInt::default(), add)
        };
        if base == 10 {
            let mut all = whole.to_vec();
            all.extend_from_slice(fraction);
            return Self { units: number(&all), scale };
        }
        let fraction_units = number(fraction) * ten_to(scale) / BigInt::from(base).pow(scale);
        Self { units: number(whole) * ten_to(scale) + fraction_units, scale }
    }

    /// The digits as they are written in a base.
    pub(super) fn write(&self, base: &BigInt) -> String {
        let mut text = String::new();
        if self.is_negative() {
            text.push('-');
        }
        let unit = ten_to(self.scale);
        let magnitude = BigInt::from(self.units.magnitude().clone());
        let (whole, fraction) = (&magnitude / &unit, &magnitude % &unit);
        if *base == BigInt::from(10) {
            if whole.sign() != Sign::NoSign {
                text.push_str(&whole.to_string());
            }
            if self.scale > 0 {
                let digits = fraction.to_string();
                text.push('.');
                text.push_str(&"0".repeat(self.scale as usize - digits.len()));
                text.push_str(&digits);
            }
            let empty = self.scale == 0 && whole.sign() == Sign::NoSign;
            return if empty || self.is_zero() { "0".to_owned() } else { text };
        }
        if self.is_zero() {
            return "0".to_owned();
        }
        let digit_width = (base - 1u32).to_string().len();
        let small = *base <= BigInt::from(16);
        let push = |text: &mut String, digit: &BigInt, apart: bool| {
            if small {
                let digit = u32::try_from(digit).unwrap_or(0);
                text.push(char::from_digit(digit, 16).unwrap_or('0').to_ascii_uppercase());
            } else {
                if apart {
                    text.push(' ');
                }
                text.push_str(&format!("{:0>digit_width$}", digit.to_string()));
            }
        };
        let mut digits = Vec::new();
        let mut rest = whole;
        while rest.sign() != Sign::NoSign {
            digits.push(&rest % base);
            rest /= base;
        }
        for digit in digits.iter().rev() {
            push(&mut text, digit, true);
        }
        if self.scale > 0 {
            text.push('.');
            // As many digits as it takes to tell decimal digits apart.
            let mut reached = BigInt::from(1);
            let mut rest = fraction;
            let enough = ten_to(self.scale);
            while reached < enough {
                rest *= base;
                let digit = &rest / &unit;
                rest %= &unit;
                push(&mut text, &digit, reached != BigInt::from(1));
                reached *= base;
            }
        }
        text
    }
}

fn bits_to_digits(bits: u64) -> u64 {
    // One decimal digit is a little more than 3.32 bits.
    bits / 10 * 3
}

#[cfg(test)]
mod tests {
    use super::*;

    fn number(text: &str) -> Number {
        let (negative, digits) = match text.strip_prefix('-') {
            Some(digits) => (true, digits),
            None => (false, text),
        };
        let number = Number::parse(digits.as_bytes(), 10);
        if negative { number.negated() } else { number }
    }

    fn shown(number: &Number) -> String {
        number.write(&BigInt::from(10))
    }

    #[test]
    fn results_are_cut_off_where_the_standard_says() {
        let (a, b) = (number("1.25"), number("-3.333"));
        assert_eq!(shown(&a.add(&b)), "-2.083");
        assert_eq!(shown(&a.multiply(&b, 0).unwrap()), "-4.166");
        assert_eq!(shown(&a.multiply(&b, 9).unwrap()), "-4.16625");
        assert_eq!(shown(&b.divide(&a, 2).unwrap()), "-2.66");
        assert_eq!(shown(&b.remainder(&a, 0).unwrap()), "-.833");
        assert_eq!(shown(&number("2").power(-2, 4).unwrap()), ".2500");
        assert_eq!(shown(&number("1.5").power(3, 0).unwrap()), "3.3");
        assert_eq!(shown(&number("2").square_root(5).unwrap()), "1.41421");
        assert_eq!(number("1").divide(&number("0.0"), 5), Err(Trouble::DivisionByZero));
        assert_eq!(number("9").power(i64::MAX, 0), Err(Trouble::TooLarge));
    }

    #[test]
    fn numbers_are_written_in_every_base() {
        assert_eq!(shown(&number("0.50")), ".50");
        assert_eq!(shown(&number("-0.0")), "0");
        assert_eq!(number("255").write(&BigInt::from(16)), "FF");
        assert_eq!(number("10.5").write(&BigInt::from(2)), "1010.1000");
        assert_eq!(number("12345").write(&BigInt::from(100)), " 01 23 45");
        assert_eq!(Number::parse(b"FF.8", 16), number("255.5"));
        assert_eq!(Number::parse(b"9", 2), number("9"));
    }
}
