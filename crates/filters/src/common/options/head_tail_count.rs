//! The amount that `head` and `tail` keep.

use crate::spec::{Arguments, Spec, UsageError, shown};
use crate::text::counts::count;

/// This many lines or bytes.
#[derive(Clone, Copy)]
pub(crate) struct Amount {
    pub(crate) number: u64,
    /// Bytes, not lines.
    pub(crate) bytes: bool,
    /// Counted from the other end: `-` for `head`, `+` for `tail`.
    pub(crate) other_end: bool,
}

impl Amount {
    /// What `-n` or `-c`, the last of them, asks for; 10 lines without. `mark` counts from the
    /// other end, `plain` means nothing.
    pub(crate) fn of(
        spec: &Spec,
        arguments: &Arguments,
        mark: u8,
        plain: u8,
    ) -> Result<Self, UsageError> {
        let given = arguments.options.iter().rev().find(|given| given.is_one_of("nc"));
        let Some(given) = given else {
            return Ok(Self { number: 10, bytes: false, other_end: false });
        };
        let bytes = given.id == 'c';
        let (digits, other_end) = match given.value.strip_prefix(&[mark]) {
            Some(digits) => (digits, true),
            None => (given.value.strip_prefix(&[plain]).unwrap_or(&given.value), false),
        };
        let number = count(digits).ok_or_else(|| {
            let noun = if bytes { "bytes" } else { "lines" };
            let message = format!("invalid number of {noun}: {}", shown(digits));
            UsageError::new(spec, Some(given.word), message)
        })?;
        Ok(Self { number, bytes, other_end })
    }

    /// The amount in words, after “the first” and the like: `5 lines`, `line`.
    pub(crate) fn in_words(&self) -> String {
        let (one, many) = if self.bytes { ("byte", "bytes") } else { ("line", "lines") };
        if self.number == 1 {
            return one.to_owned();
        }
        crate::text::phrases::counted(self.number, one, many)
    }
}
