//! Numbers for people, each with how far it is known.

/// How far a [`Figure`] is known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Known {
    /// It is the number for all of the data.
    #[default]
    Exact,
    /// There is more, of which nobody has read.
    AtLeast,
    /// It is the number for a part of the data; for all of it, it may be any other.
    OfPart,
}

/// A number of lines, bytes or files, which cannot be had without how far it is known.
///
/// What is worked out from several is known as far as the least known of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Figure {
    value: u64,
    known: Known,
}

impl Figure {
    /// The number, known so far.
    pub fn new(value: u64, known: Known) -> Self {
        Self { value, known }
    }

    /// The number for all of the data.
    pub fn exact(value: u64) -> Self {
        Self::new(value, Known::Exact)
    }

    /// How far it is known.
    pub fn known(self) -> Known {
        self.known
    }

    /// The number for all of the data, where it is that.
    pub fn value(self) -> Option<u64> {
        (self.known == Known::Exact).then_some(self.value)
    }

    /// The number and how far it is known, for whoever writes both.
    pub fn parts(self) -> (u64, Known) {
        (self.value, self.known)
    }

    /// The number that there is so far, for lengths and places on the screen and for decisions; it
    /// is not to be written as it is.
    pub fn so_far(self) -> u64 {
        self.value
    }

    /// It is known no further than this.
    #[must_use]
    pub fn at_most(self, known: Known) -> Self {
        Self { known: self.known.max(known), ..self }
    }
}

impl std::ops::Add for Figure {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self::new(self.value + other.value, self.known.max(other.known))
    }
}

impl std::iter::Sum for Figure {
    fn sum<I: Iterator<Item = Self>>(figures: I) -> Self {
        figures.fold(Self::default(), std::ops::Add::add)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sum_is_known_as_far_as_its_least_known_part() {
        let figures = [Known::Exact, Known::AtLeast, Known::OfPart];
        for (place, first) in figures.into_iter().enumerate() {
            for (other, second) in figures.into_iter().enumerate() {
                let sum: Figure = [Figure::new(2, first), Figure::new(3, second)].into_iter().sum();
                assert_eq!(sum.parts(), (5, figures[place.max(other)]));
                assert_eq!(sum.value(), (place + other == 0).then_some(5));
                assert_eq!(Figure::new(2, first).at_most(second).known(), sum.known());
            }
        }
    }
}
