//! What operations and comparisons give, when the program is compiled and when it runs.

use super::tree::{Arithmetic, Comparison};

/// The result of an operation; `None` for a division by zero.
#[inline]
pub(super) fn calculate(operator: Arithmetic, left: f64, right: f64) -> Option<f64> {
    Some(match operator {
        Arithmetic::Add => left + right,
        Arithmetic::Subtract => left - right,
        Arithmetic::Multiply => left * right,
        Arithmetic::Divide if right == 0.0 => return None,
        Arithmetic::Divide => left / right,
        Arithmetic::Remainder if right == 0.0 => return None,
        Arithmetic::Remainder => remainder(left, right),
        Arithmetic::Power => power(left, right),
    })
}

fn remainder(left: f64, right: f64) -> f64 {
    // Whole numbers, which most are, need no division of fractions.
    let (one, other) = (left as i64, right as i64);
    let whole = one as f64 == left && other as f64 == right;
    if whole && one > 0 && one < 1 << 53 && other != 0 && other.unsigned_abs() < 1 << 53 {
        return (one % other) as f64;
    }
    left % right
}

fn power(base: f64, exponent: f64) -> f64 {
    if exponent == 2.0 { base * base } else { base.powf(exponent) }
}

/// What a comparison says of an order.
#[inline]
pub(super) fn compare(comparison: Comparison, order: Option<std::cmp::Ordering>) -> bool {
    match (comparison, order) {
        (Comparison::NotEqual, None) => true,
        (_, None) => false,
        (Comparison::Less, Some(order)) => order.is_lt(),
        (Comparison::LessOrEqual, Some(order)) => order.is_le(),
        (Comparison::Equal, Some(order)) => order.is_eq(),
        (Comparison::NotEqual, Some(order)) => order.is_ne(),
        (Comparison::Greater, Some(order)) => order.is_gt(),
        (Comparison::GreaterOrEqual, Some(order)) => order.is_ge(),
    }
}
