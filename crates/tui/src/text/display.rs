//! Data as it may be shown: never raw. Control bytes, escape sequences, invisible characters
//! and invalid UTF-8 become visible marks; wide characters keep their two columns.

use stream::steers;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// How bytes are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum View {
    /// As text; tabs go to the next of every eighth column.
    #[default]
    Text,
    /// As text, with spaces, tabs and line ends visible.
    Marks,
    /// The bytes of the stream, in hexadecimal and as text, each row with its offset; no lines.
    Hex,
}

impl View {
    /// The next way of showing.
    #[must_use]
    pub(crate) fn next(self) -> Self {
        match self {
            Self::Text => Self::Marks,
            Self::Marks => Self::Hex,
            Self::Hex => Self::Text,
        }
    }

    /// By name.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Text => "text",
            Self::Marks => "text with marks",
            Self::Hex => "bytes",
        }
    }
}

/// A piece of a line: what is drawn, and the bytes it means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Piece {
    /// Printable text, without control or zero-width-only content.
    pub text: String,
    /// Columns it takes.
    pub width: usize,
    /// The first byte it means.
    pub at: usize,
    /// True when it means something that cannot be shown as it is.
    pub mark: bool,
}

/// The pieces of a line from column `skip` on, as many as fit into `width` columns. Looks at no
/// more of the line than that takes.
pub(crate) fn pieces(line: &[u8], view: View, skip: usize, width: usize) -> Vec<Piece> {
    let mut shown = Vec::new();
    let mut column = 0;
    let end = skip.saturating_add(width);
    let mut push = |piece: Piece, column: &mut usize| {
        let from = *column;
        *column += piece.width;
        let visible = (*column).min(end).saturating_sub(from.max(skip));
        if from >= skip && *column <= end {
            shown.push(piece);
        } else if visible > 0 {
            // Cut by an edge: blanks of what is visible keep the columns in line.
            shown.push(Piece { text: " ".repeat(visible), width: visible, ..piece });
        }
        *column < end
    };
    let mut at = 0;
    while at < line.len() {
        let (piece, length) = next_piece(&line[at..], at, view, column);
        at += length;
        if !push(piece, &mut column) {
            return shown;
        }
    }
    if view == View::Marks {
        push(Piece { text: "¶".to_owned(), width: 1, at: line.len(), mark: true }, &mut column);
    }
    shown
}

/// Longest run of bytes taken for one character with its combining marks.
const CLUSTER_MAX: usize = 64;

fn next_piece(rest: &[u8], at: usize, view: View, column: usize) -> (Piece, usize) {
    let mark = |text: String| {
        let width = text.width();
        Piece { text, width, at, mark: true }
    };
    let byte = rest[0];
    match byte {
        b'\t' => {
            let width = 8 - column % 8;
            let text = if view == View::Marks {
                format!("→{}", " ".repeat(width - 1))
            } else {
                " ".repeat(width)
            };
            return (Piece { text, width, at, mark: view == View::Marks }, 1);
        }
        b' ' if view == View::Marks => return (mark("·".to_owned()), 1),
        0..=31 => return (mark(format!("^{}", char::from(byte + 64))), 1),
        127 => return (mark("^?".to_owned()), 1),
        32..=126 if rest.get(1).is_none_or(u8::is_ascii) => {
            return (Piece { text: char::from(byte).to_string(), width: 1, at, mark: false }, 1);
        }
        _ => {}
    }
    let part = &rest[..rest.len().min(CLUSTER_MAX)];
    let text = match std::str::from_utf8(part) {
        Ok(text) => text,
        Err(error) if error.valid_up_to() > 0 => {
            std::str::from_utf8(&part[..error.valid_up_to()]).unwrap_or_default()
        }
        Err(_) => return (mark(format!("\\x{byte:02X}")), 1),
    };
    let Some(cluster) = text.graphemes(true).next() else {
        return (mark(format!("\\x{byte:02X}")), 1);
    };
    let first = cluster.chars().next().unwrap_or(' ');
    let width = cluster.width();
    // Characters without a width of their own, and those that steer the terminal or the
    // direction of writing, are named.
    // Joiners and tags too: they hide in a character and make others of it.
    let hidden = cluster.char_indices().find(|(_, character)| steers(*character));
    if let Some((place @ 1.., _)) = hidden {
        let shown = &cluster[..place];
        if shown.width() > 0 {
            let width = shown.width();
            return (Piece { text: shown.to_owned(), width, at, mark: false }, place);
        }
    }
    if width == 0 || hidden.is_some() {
        return (mark(format!("<U+{:04X}>", u32::from(first))), first.len_utf8());
    }
    (Piece { text: cluster.to_owned(), width, at, mark: false }, cluster.len())
}

/// Columns a whole line takes, at most `limit`.
pub(crate) fn width(line: &[u8], view: View, limit: usize) -> usize {
    pieces(line, view, 0, limit).iter().map(|piece| piece.width).sum()
}

/// Text for a message or a name: marks instead of anything that steers the terminal.
pub(crate) fn safe(text: &str) -> String {
    pieces(text.as_bytes(), View::Text, 0, 4096).into_iter().map(|piece| piece.text).collect()
}

/// All of a sentence in rows of at most `width` columns (8 at least), broken at blanks where it has any; marks
/// as in [`safe`].
pub(crate) fn at_blanks(text: &str, width: usize) -> Vec<String> {
    let text = in_rows(text, usize::MAX).concat();
    textwrap::wrap(&text, width.max(8)).into_iter().map(std::borrow::Cow::into_owned).collect()
}

/// All of a text, cut into rows of at most `width` columns, one at least; wider characters stand alone.
pub(crate) fn in_rows(text: &str, width: usize) -> Vec<String> {
    let mut rows = vec![String::new()];
    let mut used = 0;
    for piece in pieces(text.as_bytes(), View::Text, 0, usize::MAX / 2) {
        if used > 0 && used + piece.width > width {
            rows.push(String::new());
            used = 0;
        }
        used += piece.width;
        if let Some(row) = rows.last_mut() {
            row.push_str(&piece.text);
        }
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shown(line: &[u8], view: View) -> String {
        pieces(line, view, 0, 200).into_iter().map(|piece| piece.text).collect()
    }

    #[test]
    fn nothing_raw_reaches_the_screen() {
        assert_eq!(shown(b"a\x1b[31mb\x07\r", View::Text), "a^[[31mb^G^M");
        assert_eq!(shown(b"\xff\xc3x\x80", View::Text), "\\xFF\\xC3x\\x80");
        assert_eq!(
            shown("a\u{202e}b\u{9b}c\u{200b}".as_bytes(), View::Text),
            "a<U+202E>b<U+009B>c<U+200B>"
        );
        assert_eq!(
            shown("a\u{200d}b\u{e0041}\u{1f468}\u{200d}\u{1f469}".as_bytes(), View::Text),
            "a<U+200D>b<U+E0041>\u{1f468}<U+200D>\u{1f469}"
        );
        assert_eq!(shown("線e\u{301}".as_bytes(), View::Text), "線e\u{301}");
        assert_eq!(shown(b"ab\tc d", View::Marks), "ab→     c·d¶");
    }

    #[test]
    fn a_long_text_is_whole_in_its_rows() {
        assert_eq!(in_rows("", 3), [""]);
        assert_eq!(in_rows("abcdefg", 3), ["abc", "def", "g"]);
        assert_eq!(in_rows("a線b\x1b", 2), ["a", "線", "b", "^["]);
        let long = "x".repeat(10_000);
        assert_eq!(in_rows(&long, 70).concat(), long);
    }

    #[test]
    fn no_room_has_no_pieces() {
        for (view, skip) in [(View::Text, 0), (View::Text, 2), (View::Marks, 1)] {
            assert_eq!(pieces("a線b".as_bytes(), view, skip, 0), []);
        }
    }

    #[test]
    fn only_what_stands_for_something_else_is_marked() {
        let told = |line: &[u8], view: View| -> String {
            let pieces = pieces(line, view, 0, 200).into_iter();
            let one = |piece: Piece| {
                let at = piece.at;
                if piece.mark { format!("{at}<{}>", piece.text) } else { piece.text }
            };
            pieces.map(one).collect()
        };
        let line = "a\tb c\u{7f}é線e\u{301}k\u{200d}\u{202e}".as_bytes();
        assert_eq!(told(line, View::Text), "a       b c5<^?>é線e\u{301}k15<<U+200D>>18<<U+202E>>");
        assert_eq!(
            told(line, View::Marks),
            "a1<→      >b3<·>c5<^?>é線e\u{301}k15<<U+200D>>18<<U+202E>>21<¶>"
        );
        assert_eq!(told(b"\xffa", View::Text), "0<\\xFF>a");
    }

    #[test]
    fn columns_are_kept_when_an_edge_cuts_a_wide_character() {
        let cut = pieces("a線b".as_bytes(), View::Text, 2, 2);
        assert_eq!(cut.iter().map(|piece| piece.text.as_str()).collect::<String>(), " b");
        let cut = pieces("a線b".as_bytes(), View::Text, 0, 2);
        assert_eq!(cut.iter().map(|piece| piece.text.as_str()).collect::<String>(), "a ");
    }

    proptest! {
        #[test]
        fn any_bytes_fit_and_are_printable(line in prop::collection::vec(any::<u8>(), 0..80), skip in 0usize..20, width in 0usize..40) {
            for view in [View::Text, View::Marks] {
                let pieces = pieces(&line, view, skip, width);
                prop_assert!(pieces.iter().map(|piece| piece.width).sum::<usize>() <= width);
                for piece in &pieces {
                    prop_assert!(!piece.text.chars().any(char::is_control));
                    prop_assert_eq!(piece.text.width(), piece.width);
                }
            }
        }
    }
}
