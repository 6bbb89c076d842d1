//! Where a paragraph is broken: the lines are as near to the goal as can be, taken together.
//!
//! Each line costs something, more the farther its length is from the goal and from that of the
//! line behind it, more at places where one would not break, less behind sentences. The cheapest
//! way is found from the last word backwards.

/// A word and what matters for breaking behind it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Word {
    /// Its bytes in its line.
    pub(super) start: usize,
    pub(super) end: usize,
    /// Blanks behind it where the line goes on.
    pub(super) space: usize,
    opens: bool,
    /// It ends in punctuation.
    punctuated: bool,
    /// It ends in `.`, `?` or `!` (perhaps with closing signs behind) at the end of a line or
    /// before more than one blank.
    final_word: bool,
    period: bool,
}

impl Word {
    pub(super) fn new(start: usize, end: usize, text: &[u8]) -> Self {
        let opens = text.first().is_some_and(|byte| b"(['`\"".contains(byte));
        let punctuated = text.last().is_some_and(u8::is_ascii_punctuation);
        let bare = text.iter().rposition(|byte| !b")]'\"".contains(byte));
        let period = bare.is_some_and(|at| b".?!".contains(&text[at]));
        Self { start, end, space: 0, opens, punctuated, final_word: false, period }
    }

    /// Decides whether a sentence ends here, and how many blanks stand behind the word.
    pub(super) fn ends_sentence(&mut self, at_line_end: bool, space: usize, uniform: bool) {
        self.final_word = self.period && (at_line_end || space > 1);
        self.space =
            if at_line_end || uniform { if self.final_word { 2 } else { 1 } } else { space };
    }

    /// The last word of a paragraph ends a sentence.
    pub(super) fn finish(&mut self) {
        (self.period, self.final_word) = (true, true);
    }

    fn length(&self) -> i64 {
        (self.end - self.start) as i64
    }
}

const fn square(number: i64) -> i64 {
    number * number
}

const LINE: i64 = square(70);
const SENTENCE_BONUS: i64 = square(50);
const NO_BREAK: i64 = square(600);
const PAREN_BONUS: i64 = square(40);
const PUNCTUATION_BONUS: i64 = square(40);

fn widow(length: i64) -> i64 {
    square(200) / (length + 2)
}

fn orphan(length: i64) -> i64 {
    square(150) / (length + 2)
}

/// What breaking before word `at` costs.
fn base_cost(words: &[Word], at: usize) -> i64 {
    let mut cost = LINE;
    if at > 0 {
        let before = &words[at - 1];
        if before.period {
            if before.final_word {
                cost -= SENTENCE_BONUS;
            } else {
                cost += NO_BREAK;
            }
        } else if before.punctuated {
            cost -= PUNCTUATION_BONUS;
        } else if at > 1 && words[at - 2].final_word {
            cost += widow(before.length());
        }
    }
    let word = &words[at];
    if word.opens {
        cost -= PAREN_BONUS;
    } else if word.final_word {
        cost += orphan(word.length());
    }
    cost
}

/// Where each line ends, as the number of the word behind it.
pub(super) fn best_breaks(
    words: &[Word],
    first_indent: usize,
    other_indent: usize,
    width: usize,
    goal: usize,
) -> Vec<usize> {
    let (width, goal) = (width as i64, goal as i64);
    let count = words.len();
    // For each word: the cheapest cost of a paragraph that begins with it, where its first line
    // ends, and how long that line is.
    let mut cost = vec![i64::MAX; count + 1];
    let mut next = vec![count; count + 1];
    let mut length = vec![0i64; count + 1];
    cost[count] = 0;
    for start in (0..count).rev() {
        let indent = if start == 0 { first_indent } else { other_indent } as i64;
        let mut long = indent + words[start].length();
        let mut end = start;
        loop {
            end += 1;
            let line = line_cost(end, count, long, goal, &next, &length);
            let whole = line.saturating_add(cost[end]);
            if whole < cost[start] {
                cost[start] = whole;
                next[start] = end;
                length[start] = long;
            }
            if end == count {
                break;
            }
            long += words[end - 1].space as i64 + words[end].length();
            if long >= width {
                break;
            }
        }
        cost[start] = cost[start].saturating_add(base_cost(words, start));
    }
    let mut breaks = Vec::new();
    let mut at = 0;
    while at < count {
        at = next[at];
        breaks.push(at);
    }
    breaks
}

/// What a line of so many columns costs before the line that begins at `end`.
fn line_cost(
    end: usize,
    count: usize,
    long: i64,
    goal: i64,
    next: &[usize],
    length: &[i64],
) -> i64 {
    // The last line may have any length.
    if end == count {
        return 0;
    }
    let mut cost = square((goal - long) * 10);
    if next[end] != count {
        cost += square((long - length[end]) * 10) / 2;
    }
    cost
}
