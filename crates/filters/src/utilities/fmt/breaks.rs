//! Where a paragraph is broken: the lines are as near to the goal as can be, taken together.
//!
//! Each line costs something, more the farther its length is from the goal and from that of the
//! line behind it, more at places where one would not break, less behind sentences. The cheapest
//! way is found from the last word backwards.

/// A word and what matters for breaking behind it.
#[derive(Clone, Debug)]
pub(super) struct Word {
    pub(super) text: Vec<u8>,
    /// Blanks behind it where the line continues.
    pub(super) space: usize,
    opens: bool,
    /// It ends in punctuation.
    punctuated: bool,
    /// It ends in `.`, `?` or `!`, perhaps with closing signs behind.
    period: bool,
    /// It ends a sentence: a period at the end of a line or before more than one blank.
    final_word: bool,
}

impl Word {
    pub(super) fn new(
        text: &[u8],
        space: usize,
        ends_line: bool,
        ends_file: bool,
        uniform: bool,
    ) -> Self {
        let opens = text.first().is_some_and(|byte| b"(['`\"".contains(byte));
        let punctuated = text.last().is_some_and(u8::is_ascii_punctuation);
        let bare = text.iter().rposition(|byte| !b")]'\"".contains(byte)).unwrap_or(0);
        let period = text.get(bare).is_some_and(|byte| b".?!".contains(byte));
        let final_word = ends_file || period && (ends_line || space > 1);
        let space = match (ends_line || uniform, final_word) {
            (false, _) => space,
            (true, true) => 2,
            (true, false) => 1,
        };
        Self { text: text.to_vec(), space, opens, punctuated, period, final_word }
    }

    /// The last word of a paragraph ends a sentence.
    pub(super) fn finish(&mut self) {
        (self.period, self.final_word) = (true, true);
    }

    fn length(&self) -> i64 {
        self.text.len() as i64
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

/// A bonus for every line, so that a part is cut off near the end of what there is.
const LINE_CREDIT: i64 = square(3);

/// Where a paragraph is broken.
pub(super) struct Breaks {
    /// For each word the cheapest cost of a paragraph that begins with it, and where its first
    /// line ends (as the number of the word behind it).
    cost: Vec<i64>,
    next: Vec<usize>,
}

impl Breaks {
    /// The cheapest way. `indents` are those of the first and of the other lines; a line of
    /// `last_length` columns (0 for none) was written before.
    pub(super) fn new(
        words: &[Word],
        indents: [usize; 2],
        width: usize,
        goal: usize,
        last_length: usize,
    ) -> Self {
        let (width, goal, last_length) = (width as i64, goal as i64, last_length as i64);
        let count = words.len();
        let mut cost = vec![i64::MAX; count + 1];
        let mut next = vec![count; count + 1];
        let mut length = vec![0i64; count + 1];
        cost[count] = 0;
        for start in (0..count).rev() {
            let indent = if start == 0 { indents[0] } else { indents[1] } as i64;
            let mut long = indent + words[start].length();
            let mut end = start;
            loop {
                end += 1;
                let mut whole =
                    line_cost(end, count, long, goal, &next, &length).saturating_add(cost[end]);
                if start == 0 && last_length > 0 {
                    whole = whole.saturating_add(ragged(long - last_length));
                }
                if whole < cost[start] {
                    (cost[start], next[start], length[start]) = (whole, end, long);
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
        Self { cost, next }
    }

    /// The word that begins the line behind the one that begins with word `start`.
    pub(super) fn next(&self, start: usize) -> usize {
        self.next[start]
    }

    /// A line break that costs little and is near the end.
    pub(super) fn good_place(&self) -> usize {
        let count = self.next.len() - 1;
        let (mut place, mut best) = (count, i64::MAX);
        let mut at = self.next[0];
        while at != count {
            let cost = self.cost[at] - self.cost[self.next[at]];
            if cost < best {
                (place, best) = (at, cost);
            }
            if best <= i64::MAX - LINE_CREDIT {
                best += LINE_CREDIT;
            }
            at = self.next[at];
        }
        place
    }
}

fn ragged(difference: i64) -> i64 {
    square(difference * 10) / 2
}

/// What a line of this many columns costs before the line that begins at `end`.
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
        cost += ragged(long - length[end]);
    }
    cost
}
