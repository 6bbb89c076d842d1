//! The row above the lines: the fields of the line the cursor is on, or the numbers of its
//! characters or bytes, as the stage counts them.

use std::ops::Range;

use engine::StageResult;
use filters::Counted;
use insight::{candidates, counted};

use super::columns::Columns;
use super::shown::Shown;
use crate::screen::canvas::Canvas;
use crate::state::app::App;
use crate::state::lens::Content;
use crate::text::display::{Piece, View, pieces};

/// Bytes of a line that fields are looked for in.
const LOOKED_AT: usize = 1 << 16;

pub(super) fn draw(
    canvas: &mut Canvas<'_>,
    app: &App,
    stage: Option<&StageResult>,
    columns: &Columns,
    rows: &[Shown],
) {
    let (start, room) = columns.left;
    if app.lens.wrap || matches!(app.lens.content, Content::Bytes { .. }) {
        return;
    }
    let lines: Vec<&[u8]> = rows.iter().filter_map(Shown::looked_at).collect();
    let here = rows.iter().find(|row| row.number == app.lens.cursor).and_then(Shown::looked_at);
    let Some(line) = here.or(lines.first().copied()) else { return };
    let line = &line[..line.len().min(LOOKED_AT)];
    let (counted, guess) = match stage.and_then(|stage| counted(stage, line)) {
        Some(counted) => (counted, None),
        None => {
            let Some(guess) = candidates(&lines).into_iter().next() else { return };
            let fields = guess.splitting.fields(line);
            if fields.len() < 2 {
                return;
            }
            (Counted::Fields(fields), Some(guess.splitting))
        }
    };
    let limit = app.lens.column + usize::from(room);
    let pieces = pieces(line, app.lens.view, 0, limit);
    let ruler = match counted {
        Counted::Fields(fields) => fields_ruler(&fields, &pieces, limit),
        Counted::Characters => numbers_ruler(&pieces, limit, |at| {
            line[..at].iter().filter(|byte| **byte & 0xc0 != 0x80).count()
        }),
        Counted::Bytes => numbers_ruler(&pieces, limit, |at| at),
    };
    let visible: String = ruler.iter().skip(app.lens.column).collect();
    canvas.put(start, 1, visible.trim_end(), app.theme.quiet());
    if let (Some(guess), None, View::Text) = (guess, &app.lens.search, app.lens.view) {
        // Whether it is runs of blanks or single ones is seen.
        let name = guess.name();
        let name = if name.ends_with("blanks") { "blanks" } else { &name };
        let words = format!(" fields at {name} ");
        let end = canvas.area.width.saturating_sub(1);
        if usize::from(end) < words.len() + 8 {
            return;
        }
        canvas.put_right(end, 1, &words, app.theme.quiet());
    }
}

/// Each field's number in the middle of its columns, between brackets where there is room.
fn fields_ruler(fields: &[Range<usize>], pieces: &[Piece], limit: usize) -> Vec<char> {
    let mut ruler = vec![' '; limit];
    for (number, field) in fields.iter().enumerate() {
        let Some((from, to)) = columns_of(pieces, field) else { continue };
        let label = (number + 1).to_string();
        let width = to - from;
        let text = if width >= label.len() + 2 {
            let rest = width - label.len() - 2;
            format!("└{}{label}{}┘", "─".repeat(rest / 2), "─".repeat(rest - rest / 2))
        } else if width >= label.len() {
            format!("{label:^width$}")
        } else {
            // A part of a number would be another one.
            continue;
        };
        for (place, sign) in ruler[from..].iter_mut().zip(text.chars()) {
            *place = sign;
        }
    }
    ruler
}

/// The number of every tenth character or byte ends above it; those between at five have a tick.
fn numbers_ruler(pieces: &[Piece], limit: usize, number: impl Fn(usize) -> usize) -> Vec<char> {
    let mut ruler = vec![' '; limit];
    let mut column = 0_usize;
    for piece in pieces {
        let number = number(piece.at) + 1;
        let end = column + 1;
        if number.is_multiple_of(10) {
            let label = number.to_string();
            if let Some(from) = end.checked_sub(label.len()) {
                for (place, sign) in ruler[from..].iter_mut().zip(label.chars()) {
                    *place = sign;
                }
            }
        } else if number.is_multiple_of(5) || number == 1 {
            ruler[column] = if number == 1 { '1' } else { '╷' };
        }
        column += piece.width;
    }
    ruler
}

/// The columns from the first byte of a field to its last.
fn columns_of(pieces: &[Piece], field: &Range<usize>) -> Option<(usize, usize)> {
    let mut column = 0;
    let mut from = None;
    for piece in pieces {
        if piece.at >= field.end {
            break;
        }
        if piece.at >= field.start {
            from.get_or_insert(column);
        }
        column += piece.width;
    }
    from.map(|from| (from, column))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(line: &str, fields: &[Range<usize>], limit: usize) -> String {
        let pieces = pieces(line.as_bytes(), View::Text, 0, limit);
        fields_ruler(fields, &pieces, limit).into_iter().collect()
    }

    #[test]
    fn fields_have_their_numbers_above_them() {
        assert_eq!(fields("abcde fg h", &[0..5, 6..8, 9..10], 12), "└─1─┘ 2  3  ");
        assert_eq!(fields("ab\tcdef", &[0..2, 3..7], 14), "1       └2─┘  ");
        // Beyond the edge there is nothing; a field cut by it is as wide as what is seen of it.
        assert_eq!(fields("ab cdefgh", &[0..2, 3..9], 6), "1  └2┘");
        // Ten fields of a letter: there is no room for “10”.
        let line = "a b c d e f g h i j";
        let places: Vec<Range<usize>> = (0..10).map(|at| at * 2..at * 2 + 1).collect();
        assert_eq!(fields(line, &places, 20), "1 2 3 4 5 6 7 8 9   ");
    }

    #[test]
    fn every_tenth_character_has_its_number() {
        let ruler = |line: &str, limit: usize, of: fn(usize) -> usize| -> String {
            let pieces = pieces(line.as_bytes(), View::Text, 0, limit);
            numbers_ruler(&pieces, limit, of).into_iter().collect()
        };
        assert_eq!(ruler("abcdefghijklmno", 16, |at| at), "1   ╷   10    ╷ ");
        // A wide character has two columns and one number.
        assert_eq!(ruler("線線線線線", 12, |at| at / 3), "1       ╷   ");
    }
}
