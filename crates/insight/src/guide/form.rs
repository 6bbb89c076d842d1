//! A recipe in the form for a stream.
//!
//! Places in the stages of a recipe:
//!
//! | place | what is put there |
//! |---|---|
//! | `{col}` | the stage that gives the field alone |
//! | `{awk}` | `awk` with its separator |
//! | `{sort}` | `sort` with its separator |
//! | `{n}` `{m}` | the number of the field, and of one with numbers |
//! | `{tail}` | what takes a heading away, where there is one |
//! | `{text}` | a value of the field, as a word of the shell |
//! | `{string}` | the same as a string of awk |
//! | `{basic}` | the same as a basic pattern between slashes |

use super::recipe::Recipe;
use crate::columns::kind::Kind;
use crate::columns::splitting::Splitting;
use crate::point::access::{Access, separator, sort_separator};
use crate::point::escape::{awk_string, basic_pattern};
use crate::point::ground::Ground;

/// A recipe for a stream.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Form {
    /// The stages.
    pub stages: String,
    /// The stream has what the recipe is about: fields, numbers.
    pub fits: bool,
}

/// Values for the places.
struct Places {
    column: String,
    awk: String,
    sort: String,
    number: String,
    numeric: String,
    tail: &'static str,
    value: String,
    fits_fields: bool,
    fits_numbers: bool,
}

impl Places {
    fn of(ground: &Ground, field: usize, numeric: Option<usize>) -> Self {
        let splitting = ground.splitting();
        let table = ground.table();
        let access = Access::of(splitting, field, ground.all_ascii);
        let column = access.as_ref().map(|access| access.column(field));
        let (awk, sort, split) = match splitting {
            Splitting::Byte(byte) | Splitting::Quoted(byte) | Splitting::First(byte) => {
                let sort = format!("sort {}", sort_separator(*byte));
                (format!("awk {}", separator(*byte)), sort, true)
            }
            Splitting::Blanks => ("awk ".to_owned(), "sort ".to_owned(), true),
            Splitting::Pairs(_) | Splitting::Fixed(_) => {
                ("awk ".to_owned(), "sort ".to_owned(), false)
            }
        };
        let own = table.columns.get(field.saturating_sub(1));
        let value = own.and_then(|own| {
            let bare = own.frequent.first().map(|(value, _)| value).or(own.largest.as_ref())?;
            String::from_utf8([&own.label[..], bare].concat()).ok()
        });
        let is_number = |column: &crate::columns::table::Column| {
            matches!(column.kind, Kind::Whole | Kind::Decimal) && column.label.is_empty()
        };
        // The last column of numbers: the first are often counts and names.
        let numeric = numeric.or_else(|| {
            table.columns.iter().rev().find(|one| is_number(one)).map(|one| one.number)
        });
        let value = value.filter(|value| !value.is_empty() && !value.contains('\n'));
        Self {
            column: column.unwrap_or_else(|| "cat".to_owned()),
            awk,
            sort,
            number: field.to_string(),
            numeric: numeric.unwrap_or(field).to_string(),
            tail: if ground.has_heading() { "tail -n +2 | " } else { "" },
            value: value.unwrap_or_else(|| "text".to_owned()),
            fits_fields: split && table.columns.len() > 1,
            fits_numbers: numeric.is_some(),
        }
    }
}

impl Recipe {
    /// The recipe for a stream and a field of it, from 1.
    pub fn form(&self, ground: &Ground, field: usize) -> Form {
        self.with(&Places::of(ground, field, None))
    }

    /// The recipe on its own sample.
    pub fn on_sample(&self) -> (&'static str, String) {
        let text = self.sample.text();
        let lines: Vec<&[u8]> = text.lines().map(str::as_bytes).collect();
        let splitting = crate::columns::detect::candidates(&lines)[0].splitting.clone();
        let ground = Ground::of(&lines, splitting);
        let places = Places::of(&ground, self.sample.field(), Some(self.sample.number_field()));
        (text, self.with(&places).stages)
    }

    fn with(&self, places: &Places) -> Form {
        let stages = self.stages;
        let needs_fields =
            ["{col}", "{awk}", "{sort}", "{n}", "{m}"].iter().any(|place| stages.contains(place));
        let needs_numbers = stages.contains("{m}");
        let program = awk_string(&places.value).replace('\'', "'\\''");
        let basic = basic_pattern(&places.value).replace('\'', "'\\''");
        let stages = stages
            .replace("{col}", &places.column)
            .replace("{awk}", &places.awk)
            .replace("{sort}", &places.sort)
            .replace("{n}", &places.number)
            .replace("{m}", &places.numeric)
            .replace("{tail}", places.tail)
            .replace("{text}", &shell::quote(&places.value))
            .replace("{string}", &program)
            .replace("{basic}", &basic);
        let fits = (!needs_fields || places.fits_fields) && (!needs_numbers || places.fits_numbers);
        Form { stages, fits }
    }
}
