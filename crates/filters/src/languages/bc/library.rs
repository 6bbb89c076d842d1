//! The functions of the standard library (`-l`; XCU bc, "Functions"): sine, cosine, arctangent,
//! logarithm, exponential and Bessel, cut off behind `scale` digits.
//!
//! Numbers are held as whole multiples of 10^-digits here, with digits to spare.

use num_bigint::{BigInt, Sign};

use super::number::{DIGITS_MAX, Number, Trouble, ten_to};

/// Why there is no result.
pub(super) enum Stop {
    Trouble(Trouble),
    Cancelled,
}

type Result<T> = std::result::Result<T, Stop>;

/// Digits behind the point that no result shows.
const SPARE: u32 = 12;

/// Digits the library works with at most; series take time in proportion to their square.
const WORK_MAX: u32 = 100_000;

struct Fixed<'f> {
    digits: u32,
    one: BigInt,
    goes_on: &'f dyn Fn() -> bool,
}

/// Calls a function of the library; `None` where there is none with that name and number of
/// arguments.
pub(super) fn call(
    name: &str,
    values: &[Number],
    scale: u32,
    goes_on: &dyn Fn() -> bool,
) -> Result<Option<Number>> {
    let work = |extra: u32| {
        let digits = scale.saturating_add(extra).saturating_add(SPARE);
        if digits > WORK_MAX {
            return Err(Stop::Trouble(Trouble::TooLarge));
        }
        Ok(Fixed { digits, one: ten_to(digits), goes_on })
    };
    let whole_digits = |value: &Number| value.units_at(0).to_string().len() as u32;
    let (result, fixed) = match (name, values) {
        ("s" | "c", [x]) => {
            let fixed = work(whole_digits(x))?;
            let x = x.units_at(fixed.digits);
            let (sine, cosine) = fixed.sine_and_cosine(&x)?;
            (if name == "s" { sine } else { cosine }, fixed)
        }
        ("a", [x]) => {
            let fixed = work(4)?;
            (fixed.arctangent(&x.units_at(fixed.digits))?, fixed)
        }
        ("l", [x]) => {
            if x.is_zero() || x.is_negative() {
                // As the language has always had it: the largest negative number of this scale.
                let least = Number::from(1).subtract(&Number::new(ten_to(scale), 0));
                return Ok(Some(least.at_scale(scale)));
            }
            let fixed = work(whole_digits(x).max(4))?;
            (fixed.logarithm(x)?, fixed)
        }
        ("e", [x]) => {
            let size = x.to_i64().filter(|size| size.unsigned_abs() < DIGITS_MAX * 2);
            let Some(size) = size else {
                if x.is_negative() {
                    return Ok(Some(Number::default().at_scale(scale)));
                }
                return Err(Stop::Trouble(Trouble::TooLarge));
            };
            // Every whole unit of x is less than half a digit.
            let digits = u32::try_from(size.max(0) / 2).unwrap_or(u32::MAX);
            let fixed = work(digits)?;
            (fixed.exponential(&x.units_at(fixed.digits))?, fixed)
        }
        ("j", [n, x]) => {
            let Some(order) = n.to_i64().filter(|order| order.abs() <= 100_000) else {
                return Err(Stop::Trouble(Trouble::TooLarge));
            };
            let size = x.to_i64().map_or(u64::MAX, i64::unsigned_abs);
            let Ok(size) = u32::try_from(size) else {
                return Err(Stop::Trouble(Trouble::TooLarge));
            };
            // Terms grow to e^x before they fall.
            let fixed = work(size + 4)?;
            (fixed.bessel(order, &x.units_at(fixed.digits))?, fixed)
        }
        _ => return Ok(None),
    };
    Ok(Some(Number::new(result, fixed.digits).at_scale(scale)))
}

impl Fixed<'_> {
    fn check(&self) -> Result<()> {
        if (self.goes_on)() { Ok(()) } else { Err(Stop::Cancelled) }
    }

    fn product(&self, one: &BigInt, other: &BigInt) -> BigInt {
        one * other / &self.one
    }

    fn quotient(&self, one: &BigInt, other: &BigInt) -> BigInt {
        one * &self.one / other
    }

    fn root(&self, value: &BigInt) -> BigInt {
        (value * &self.one).sqrt()
    }

    /// Adds up a series: each term is the one before, changed by `next` with its number from 1.
    fn series(
        &self,
        first: BigInt,
        mut next: impl FnMut(&BigInt, u64) -> BigInt,
    ) -> Result<BigInt> {
        let (mut sum, mut term) = (first.clone(), first);
        let mut number = 1;
        loop {
            term = next(&term, number);
            if term.sign() == Sign::NoSign {
                return Ok(sum);
            }
            sum += &term;
            number += 1;
            if number % 64 == 0 {
                self.check()?;
            }
        }
    }

    /// y + y^3/3 + y^5/5 + …, or with changing signs.
    fn odd_series(&self, y: BigInt, alternating: bool) -> Result<BigInt> {
        let square = self.product(&y, &y);
        let square = if alternating { -square } else { square };
        let mut power = y.clone();
        let mut sum = y;
        let mut odd = 1u64;
        loop {
            power = self.product(&power, &square);
            odd += 2;
            let term = &power / odd;
            if term.sign() == Sign::NoSign {
                return Ok(sum);
            }
            sum += term;
            if odd % 128 == 1 {
                self.check()?;
            }
        }
    }

    fn exponential(&self, x: &BigInt) -> Result<BigInt> {
        // e^x is e^(x/2^k) squared k times; each squaring doubles the error.
        let halvings = 8 + (x.bits().saturating_sub(self.one.bits())) as u32;
        let spare = halvings / 3 + 4;
        let inner = Fixed {
            digits: self.digits + spare,
            one: ten_to(self.digits + spare),
            goes_on: self.goes_on,
        };
        let small = x * ten_to(spare) / (BigInt::from(1) << halvings);
        let mut result =
            inner.series(inner.one.clone(), |term, n| inner.product(term, &small) / n)?;
        for _ in 0..halvings {
            result = inner.product(&result, &result);
            self.check()?;
        }
        Ok(result / ten_to(spare))
    }

    /// The logarithm of a number above 0, worked out from its root of a high power of two.
    fn logarithm(&self, x: &Number) -> Result<BigInt> {
        // A small number has its leading digits far behind the point.
        let digits = self.digits + x.scale();
        let inner = Fixed { digits, one: ten_to(digits), goes_on: self.goes_on };
        let mut value = x.units_at(digits);
        let near = &inner.one / 16;
        let mut roots = 0u32;
        while BigInt::from((&value - &inner.one).magnitude().clone()) > near {
            value = inner.root(&value);
            roots += 1;
            self.check()?;
        }
        // ln v = 2 artanh((v - 1) / (v + 1))
        let y = inner.quotient(&(&value - &inner.one), &(&value + &inner.one));
        let sum = inner.odd_series(y, false)?;
        Ok((sum << (roots + 1)) / ten_to(x.scale()))
    }

    fn arctangent(&self, x: &BigInt) -> Result<BigInt> {
        // atan x = 2 atan(x / (1 + sqrt(1 + x^2)))
        let mut value = x.clone();
        let near = &self.one / 16;
        let mut doublings = 0u32;
        while BigInt::from(value.magnitude().clone()) > near {
            let under = &self.one + self.product(&value, &value);
            value = self.quotient(&value, &(&self.one + self.root(&under)));
            doublings += 1;
            self.check()?;
        }
        let sum = self.odd_series(value, true)?;
        Ok(sum << doublings)
    }

    fn sine_and_cosine(&self, x: &BigInt) -> Result<(BigInt, BigInt)> {
        let pi = self.arctangent(&self.one)? << 2u32;
        let turn = &pi << 1u32;
        let mut rest = x % &turn;
        if rest > pi {
            rest -= &turn;
        } else if rest < -&pi {
            rest += &turn;
        }
        let square = -self.product(&rest, &rest);
        let sine =
            self.series(rest, |term, n| self.product(term, &square) / ((2 * n) * (2 * n + 1)))?;
        let cosine = self.series(self.one.clone(), |term, n| {
            self.product(term, &square) / ((2 * n - 1) * (2 * n))
        })?;
        Ok((sine, cosine))
    }

    /// The Bessel function of the first kind of a whole order.
    fn bessel(&self, order: i64, x: &BigInt) -> Result<BigInt> {
        let n = order.unsigned_abs();
        let half: BigInt = x / 2;
        // (x/2)^n / n!
        let mut first = self.one.clone();
        for factor in 1..=n {
            first = self.product(&first, &half) / factor;
            if factor % 64 == 0 {
                self.check()?;
            }
        }
        let square = -self.product(&half, &half);
        let sum = self.series(first, |term, k| self.product(term, &square) / (k * (n + k)))?;
        Ok(if order < 0 && n % 2 == 1 { -sum } else { sum })
    }
}
