//! Lists of fields as `cut` takes them, as what they choose of a line and back.

/// Which of `count` fields a list as `1,3-5,7-` chooses; `None` where it is no such list.
pub fn fields_of_list(list: &str, count: usize) -> Option<Vec<bool>> {
    let mut chosen = vec![false; count];
    for part in list.split(',').filter(|_| !list.is_empty()) {
        let (from, to) = match part.split_once('-') {
            None => (part.parse().ok()?, part.parse().ok()?),
            Some(("", "")) => return None,
            Some((from, to)) => {
                let from = if from.is_empty() { 1 } else { from.parse().ok()? };
                (from, if to.is_empty() { usize::MAX } else { to.parse().ok()? })
            }
        };
        if from == 0 || from > to {
            return None;
        }
        for field in from..=to.min(count) {
            chosen[field - 1] = true;
        }
    }
    Some(chosen)
}

/// The shortest list that chooses these fields. Where `to_end` is set, a run up to the last one has
/// no end: further fields are chosen as well.
pub fn list_of_fields(chosen: &[bool], to_end: bool) -> String {
    let mut parts: Vec<String> = Vec::new();
    let mut at = 0;
    while at < chosen.len() {
        let length = chosen[at..].iter().take_while(|one| **one).count();
        let (from, to) = (at + 1, at + length);
        match length {
            0 => {}
            _ if to_end && to == chosen.len() => parts.push(format!("{from}-")),
            1 => parts.push(from.to_string()),
            2 => parts.extend([from.to_string(), to.to_string()]),
            _ => parts.push(format!("{from}-{to}")),
        }
        at += length + 1;
    }
    parts.join(",")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_list_is_what_it_chooses() {
        let chosen = |list: &str| {
            let fields = fields_of_list(list, 6)?;
            Some(fields.iter().map(|one| if *one { 'x' } else { '.' }).collect::<String>())
        };
        assert_eq!(chosen("1,3-4").as_deref(), Some("x.xx.."));
        assert_eq!(chosen("5-").as_deref(), Some("....xx"));
        assert_eq!(chosen("-2,9").as_deref(), Some("xx...."));
        assert_eq!(chosen("").as_deref(), Some("......"));
        for wrong in ["0", "3-1", "a", "-", "1,,2"] {
            assert_eq!(chosen(wrong), None, "{wrong}");
        }
    }

    #[test]
    fn the_shortest_list_is_made() {
        let list = |text: &str, to_end: bool| {
            let chosen: Vec<bool> = text.chars().map(|one| one == 'x').collect();
            list_of_fields(&chosen, to_end)
        };
        assert_eq!(list("x.xxx.", false), "1,3-5");
        assert_eq!(list("xx..xx", false), "1,2,5,6");
        assert_eq!(list("x..xxx", true), "1,4-");
        assert_eq!(list("......", true), "");
        for text in ["x.xx.x", "xxxxxx", ".x....", "..xxxx"] {
            let made = fields_of_list(&list(text, false), 6).unwrap();
            assert_eq!(
                made.iter().map(|one| if *one { 'x' } else { '.' }).collect::<String>(),
                text
            );
        }
    }
}
