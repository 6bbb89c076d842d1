//! A text in pieces: runs of letters, runs of digits, single signs.

/// What a run of characters is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Class {
    Digits,
    Lower,
    Upper,
    /// Runs of blanks.
    Blanks,
    /// Letters beyond ASCII.
    Letters,
    Sign(char),
}

impl Class {
    fn of(character: char) -> Self {
        match character {
            '0'..='9' => Self::Digits,
            'a'..='z' => Self::Lower,
            'A'..='Z' => Self::Upper,
            ' ' => Self::Blanks,
            other if other.is_alphabetic() => Self::Letters,
            other => Self::Sign(other),
        }
    }

    /// One character of it, as an extended regular expression (XBD 9.4).
    pub(crate) fn pattern(self) -> String {
        match self {
            Self::Digits => "[0-9]".to_owned(),
            Self::Lower => "[a-z]".to_owned(),
            Self::Upper => "[A-Z]".to_owned(),
            Self::Blanks => " ".to_owned(),
            Self::Letters => "[[:alpha:]]".to_owned(),
            Self::Sign(sign) => literal(&sign.to_string()),
        }
    }

    /// It, in words.
    pub(crate) fn name(self) -> String {
        match self {
            Self::Digits => "digits".to_owned(),
            Self::Lower => "small letters".to_owned(),
            Self::Upper => "capitals".to_owned(),
            Self::Blanks => "blanks".to_owned(),
            Self::Letters => "letters".to_owned(),
            Self::Sign(sign) => sign.to_string(),
        }
    }
}

/// A run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Piece {
    pub(crate) class: Class,
    pub(crate) text: String,
}

/// The runs of a text; every sign is one of its own.
pub(crate) fn pieces(text: &str) -> Vec<Piece> {
    let mut all: Vec<Piece> = Vec::new();
    for character in text.chars() {
        let class = Class::of(character);
        match all.last_mut() {
            Some(last) if last.class == class && !matches!(class, Class::Sign(_)) => {
                last.text.push(character);
            }
            _ => all.push(Piece { class, text: character.to_string() }),
        }
    }
    all
}

/// An extended regular expression that matches just this text.
pub(crate) fn literal(text: &str) -> String {
    let mut out = String::new();
    for character in text.chars() {
        if "\\.[]{}()*+?^$|/".contains(character) && character != ']' && character != '}' {
            out.push('\\');
        }
        out.push(character);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn runs_are_kept_together_and_signs_apart() {
        let texts: Vec<String> =
            pieces("AB-07  x((é").into_iter().map(|piece| piece.text).collect();
        assert_eq!(texts, ["AB", "-", "07", "  ", "x", "(", "(", "é"]);
        assert_eq!(literal("a.b[1]/{2}"), "a\\.b\\[1]\\/\\{2}");
    }
}
