//! The names of the files that are made.

/// The characters of a suffix.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Alphabet {
    Letters,
    Digits,
    Hexadecimal,
}

impl Alphabet {
    fn characters(self) -> &'static [u8] {
        match self {
            Self::Letters => b"abcdefghijklmnopqrstuvwxyz",
            Self::Digits => b"0123456789",
            Self::Hexadecimal => b"0123456789abcdef",
        }
    }
}

/// Names in order: `xaa`, `xab`, … Where no length is asked for, suffixes grow before they run
/// out: behind `xyz` comes `xzaaa`.
#[derive(Debug)]
pub(super) struct FileNames {
    prefix: Vec<u8>,
    alphabet: Alphabet,
    grows: bool,
    additional: Vec<u8>,
    /// The places of the next suffix's characters; `None` when there is no next one.
    next: Option<Vec<usize>>,
}

impl FileNames {
    pub(super) fn new(
        prefix: Vec<u8>,
        alphabet: Alphabet,
        length: Option<usize>,
        start: Option<u64>,
        additional: Vec<u8>,
        files: Option<u64>,
    ) -> Result<Self, String> {
        let base = alphabet.characters().len() as u64;
        // As many characters as the last name needs, where that is known.
        let mut needed = 1;
        if let Some(files) = files {
            // A start below the number of files counts towards the names that are needed.
            let last = files - 1 + start.filter(|start| *start < files).unwrap_or(0);
            let mut rest = last / base;
            while rest > 0 {
                needed += 1;
                rest /= base;
            }
            if length.is_some_and(|length| length < needed) {
                return Err(format!("the suffix length needs to be at least {needed}"));
            }
        }
        let width = length.unwrap_or(2.max(needed));
        let mut rest = start.unwrap_or(0);
        let mut digits = vec![0; width];
        for digit in digits.iter_mut().rev() {
            *digit = (rest % base) as usize;
            rest /= base;
        }
        if rest > 0 {
            return Err(
                "numerical suffix start value is too large for the suffix length".to_owned()
            );
        }
        let grows = length.is_none() && start.is_none() && files.is_none();
        Ok(Self { prefix, alphabet, grows, additional, next: Some(digits) })
    }

    /// The next name.
    pub(super) fn next(&mut self) -> Option<Vec<u8>> {
        let digits = self.next.take()?;
        let characters = self.alphabet.characters();
        let mut name = self.prefix.clone();
        name.extend(digits.iter().map(|digit| characters[*digit]));
        name.extend_from_slice(&self.additional);
        let mut following = digits;
        let last = characters.len() - 1;
        let mut at = following.len();
        while at > 0 {
            at -= 1;
            if following[at] < last {
                following[at] += 1;
                // The last first character means a longer suffix.
                let leading = following.iter().take_while(|digit| **digit == last).count();
                if self.grows
                    && following[leading..].iter().all(|digit| *digit == 0)
                    && leading > 0
                    && at + 1 == leading
                {
                    following.push(0);
                    following.push(0);
                    let width = following.len();
                    following[leading..width].fill(0);
                }
                self.next = Some(following);
                return Some(name);
            }
            following[at] = 0;
        }
        Some(name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(alphabet: Alphabet, length: Option<usize>, count: usize) -> Vec<String> {
        let mut names =
            FileNames::new(b"x".to_vec(), alphabet, length, None, vec![], None).unwrap();
        (0..count)
            .map_while(|_| names.next())
            .map(|name| String::from_utf8(name).unwrap())
            .collect()
    }

    #[test]
    fn suffixes_grow_before_they_run_out() {
        let letters = names(Alphabet::Letters, None, 652);
        assert_eq!(letters[0], "xaa");
        assert_eq!(&letters[648..652], ["xyy", "xyz", "xzaaa", "xzaab"]);
        let digits = names(Alphabet::Digits, None, 93);
        assert_eq!(&digits[89..93], ["x89", "x9000", "x9001", "x9002"]);
        assert_eq!(names(Alphabet::Digits, None, 992)[989..992], ["x9899", "x990000", "x990001"]);
        assert_eq!(names(Alphabet::Letters, Some(1), 30).len(), 26);
    }
}
