//! Tab stops, as `expand` and `unexpand` take them.

use crate::spec::{Arguments, Spec, UsageError, shown};

/// The farthest tab stop: a tab would take in that much memory.
const STOP_MAX: usize = 1 << 24;

/// Where the tab stops are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TabStops {
    /// Columns from 0, ascending.
    stops: Vec<usize>,
    /// How they go on behind the last.
    beyond: Beyond,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Beyond {
    /// Not at all.
    Nothing,
    /// At each multiple of this.
    Multiples(usize),
    /// At each so-manieth column behind the last stop.
    FromLast(usize),
}

impl TabStops {
    /// The stops that every giving of `-t` adds up to; every 8 columns without.
    pub(crate) fn of(spec: &Spec, arguments: &Arguments) -> Result<Self, UsageError> {
        let mut stops: Vec<usize> = Vec::new();
        let mut beyond = None;
        for given in arguments.all('t') {
            let error = |message: String| Err(UsageError::new(spec, Some(given.word), message));
            let parts = given.value.split(|byte| matches!(byte, b',' | b' ' | b'\t'));
            for part in parts.filter(|part| !part.is_empty()) {
                let (mark, digits) = match part {
                    [b'/', rest @ ..] => (Some(b'/'), rest),
                    [b'+', rest @ ..] => (Some(b'+'), rest),
                    _ => (None, part),
                };
                let number = std::str::from_utf8(digits).ok().filter(|text| {
                    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit())
                });
                let Some(number) = number else {
                    return error(format!(
                        "tab size contains invalid character(s): {}",
                        shown(digits)
                    ));
                };
                let Some(number) =
                    number.parse::<usize>().ok().filter(|number| *number <= STOP_MAX)
                else {
                    return error(format!("tab stop is too large {}", shown(digits)));
                };
                match mark {
                    Some(_) if beyond.is_some() => {
                        return error(
                            "'/' and '+' are only allowed with the last value".to_owned(),
                        );
                    }
                    Some(b'/') => beyond = Some(Beyond::Multiples(number)),
                    Some(_) => beyond = Some(Beyond::FromLast(number)),
                    None if beyond.is_some() => {
                        return error(
                            "'/' and '+' are only allowed with the last value".to_owned(),
                        );
                    }
                    None if number == 0 => return error("tab size cannot be 0".to_owned()),
                    None if stops.last().is_some_and(|last| *last >= number) => {
                        return error("tab sizes must be ascending".to_owned());
                    }
                    None => stops.push(number),
                }
            }
        }
        if let Some(Beyond::Multiples(0) | Beyond::FromLast(0)) = beyond {
            beyond = None;
        }
        let beyond = match (&stops[..], beyond) {
            ([], Some(Beyond::Multiples(step) | Beyond::FromLast(step))) => Beyond::Multiples(step),
            ([], _) => Beyond::Multiples(8),
            (&[only], None) => {
                stops.clear();
                Beyond::Multiples(only)
            }
            (_, None) => Beyond::Nothing,
            (_, Some(beyond)) => beyond,
        };
        Ok(Self { stops, beyond })
    }

    /// The first stop behind `column`; `None` behind the last one.
    pub(crate) fn next(&self, column: usize) -> Option<usize> {
        let at = self.stops.partition_point(|stop| *stop <= column);
        if let Some(stop) = self.stops.get(at) {
            return Some(*stop);
        }
        match self.beyond {
            Beyond::Nothing => None,
            Beyond::Multiples(step) => Some(column + step - column % step),
            Beyond::FromLast(step) => {
                let last = self.stops.last().copied().unwrap_or(0);
                Some(column + step - (column - last) % step)
            }
        }
    }

    /// The stops in words.
    pub(crate) fn in_words(&self) -> String {
        match (&self.stops[..], self.beyond) {
            ([], Beyond::Multiples(step)) => format!("every {step} columns"),
            (stops, _) => {
                let numbers: Vec<String> = stops.iter().map(usize::to_string).collect();
                format!("at columns {}", numbers.join(", "))
            }
        }
    }
}
