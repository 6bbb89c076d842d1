//! Any bytes are a table: its columns are told, as text, as CSV and as JSON that a reader takes.
#![no_main]

use std::sync::Arc;

use engine::Kept;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let mut source = Arc::new(Kept::of(bytes)).source();
    let Ok((survey, _)) = insight::read_columns(&mut *source, None, |_, _| true) else { return };
    let table = survey.table();
    insight::columns_text(&table);
    insight::columns_csv(&table);
    let json = insight::columns_json(&table);
    assert!(!json.replace('\n', "").chars().any(stream::steers));
});
