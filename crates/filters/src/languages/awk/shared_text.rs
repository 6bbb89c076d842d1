//! Texts of values: short ones in place, long ones shared.

use std::borrow::Borrow;
use std::hash::{Hash, Hasher};
use std::ops::Deref;
use std::rc::Rc;

/// Bytes of a text that need no memory of their own. Most fields, numbers and subscripts are so
/// short, and asking for memory and giving it back would take most of their time.
const SHORT_MAX: usize = 22;

/// A text that is cheap to copy.
#[derive(Clone, Debug)]
pub(super) struct SharedText(Form);

#[derive(Clone, Debug)]
enum Form {
    Short(u8, [u8; SHORT_MAX]),
    Long(Rc<[u8]>),
    /// One that is added to: there is room behind it.
    Growing(Rc<Vec<u8>>),
}

impl SharedText {
    #[inline]
    fn short(bytes: &[u8]) -> Option<Self> {
        if bytes.len() > SHORT_MAX {
            return None;
        }
        let mut short = [0; SHORT_MAX];
        short[..bytes.len()].copy_from_slice(bytes);
        Some(Self(Form::Short(bytes.len() as u8, short)))
    }

    /// Bytes it takes besides its place.
    pub(super) fn own_bytes(&self) -> usize {
        if matches!(self.0, Form::Short(..)) { 0 } else { self.len() }
    }

    /// Adds to the end; what nobody else holds is not copied for it.
    pub(super) fn push(&mut self, added: &[u8]) {
        if let Form::Growing(text) = &mut self.0 {
            Rc::make_mut(text).extend_from_slice(added);
            return;
        }
        let mut whole = Vec::with_capacity(self.len() + added.len());
        whole.extend_from_slice(self);
        whole.extend_from_slice(added);
        *self = whole.into();
    }
}

impl Deref for SharedText {
    type Target = [u8];

    #[inline]
    fn deref(&self) -> &[u8] {
        match &self.0 {
            Form::Short(length, bytes) => &bytes[..usize::from(*length)],
            Form::Long(bytes) => bytes,
            Form::Growing(bytes) => bytes,
        }
    }
}

impl From<&[u8]> for SharedText {
    #[inline]
    fn from(bytes: &[u8]) -> Self {
        Self::short(bytes).unwrap_or_else(|| Self(Form::Long(bytes.into())))
    }
}

impl From<Vec<u8>> for SharedText {
    fn from(bytes: Vec<u8>) -> Self {
        Self::short(&bytes).unwrap_or_else(|| Self(Form::Growing(Rc::new(bytes))))
    }
}

// As a key it is its bytes.

impl Borrow<[u8]> for SharedText {
    fn borrow(&self) -> &[u8] {
        self
    }
}

impl PartialEq for SharedText {
    fn eq(&self, other: &Self) -> bool {
        **self == **other
    }
}

impl Eq for SharedText {}

impl Hash for SharedText {
    fn hash<H: Hasher>(&self, state: &mut H) {
        (**self).hash(state);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_its_bytes_however_it_is_held() {
        for length in [0, 1, SHORT_MAX - 1, SHORT_MAX, SHORT_MAX + 1, 300] {
            let bytes = vec![b'x'; length];
            let (shared, owned) = (SharedText::from(&bytes[..]), SharedText::from(bytes.clone()));
            assert_eq!(&*shared, &bytes[..]);
            assert_eq!(shared, owned);
            let copy = owned.clone();
            let mut grown = owned;
            grown.push(b"yz");
            grown.push(b"");
            grown.push(&[b'!'; 30]);
            assert_eq!(*copy, bytes);
            assert_eq!(*grown, [&bytes[..], b"yz", &[b'!'; 30]].concat());
        }
    }
}
