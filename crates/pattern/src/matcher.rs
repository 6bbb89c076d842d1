//! Finds where a pattern matches, with the ways that are fast for the pattern at hand.

use std::ops::Range;
use std::sync::OnceLock;

use regex_automata::hybrid::dfa;
use regex_automata::nfa::thompson::{self, NFA, pikevm::PikeVM};
use regex_automata::util::pool::Pool;
use regex_automata::{Anchored, Input, MatchKind, meta};
use regex_syntax::hir::{Hir, HirKind, Look};

use crate::folded::Folded;
use crate::perl::Perl;
use crate::program::Program;
use crate::simple::Simple;
use crate::tree::Node;
use crate::{Captures, Options, PatternError, PatternErrorKind, Syntax, TooManySteps, parser};

/// Memory a compiled pattern may take, in bytes.
const SIZE_LIMIT: usize = 32 << 20;

type CachePool = Pool<dfa::Cache, Box<dyn Fn() -> dfa::Cache + Send + Sync>>;

/// A compiled pattern. Cheap to share between threads.
pub struct Pattern {
    node: Node,
    groups: u32,
    ignore_case: bool,
    hir: Hir,
    search: meta::Regex,
    /// Where `search` finds only candidates: what a line must truly match.
    verify: Option<meta::Regex>,
    /// A piece that every match holds, where case does not count.
    folded: Option<Folded>,
    /// True where there are back-references: only the program tells.
    back_references: bool,
    ending: Ending,
    /// Where no automaton is needed.
    simple: Option<Simple>,
    /// Where the text is one of Perl's patterns: nothing else searches then.
    perl: Option<Perl>,
    longest: OnceLock<Option<Longest>>,
    program: OnceLock<Option<Program>>,
    capturing: OnceLock<Option<meta::Regex>>,
}

/// How the end of the longest match is found.
enum Ending {
    /// Every match is this many bytes long.
    Fixed(usize),
    /// The first match that an automaton of preferences finds is the longest.
    Greedy,
    /// Only an automaton without preferences tells.
    Searched,
}

impl Ending {
    fn of(hir: &Hir) -> Self {
        let properties = hir.properties();
        match (properties.minimum_len(), properties.maximum_len()) {
            (Some(least), Some(most)) if least == most => Self::Fixed(least),
            _ if greedy_is_longest(hir) => Self::Greedy,
            _ => Self::Searched,
        }
    }
}

/// True where at most one part has a length of its own choice, and it takes as much as it can.
fn greedy_is_longest(hir: &Hir) -> bool {
    match hir.kind() {
        HirKind::Concat(parts) => {
            let mut open = parts.iter().filter(|part| !is_determined(part));
            let (first, second) = (open.next(), open.next());
            second.is_none() && first.is_none_or(takes_most)
        }
        _ => is_determined(hir) || takes_most(hir),
    }
}

fn takes_most(hir: &Hir) -> bool {
    matches!(hir.kind(), HirKind::Repetition(part) if part.greedy && is_determined(&part.sub))
}

/// True where the text leaves no choice of length: the same number of bytes always, or one
/// character.
fn is_determined(hir: &Hir) -> bool {
    let properties = hir.properties();
    match hir.kind() {
        HirKind::Class(_) => true,
        HirKind::Concat(parts) => parts.iter().all(is_determined),
        _ => {
            properties.minimum_len().is_some()
                && properties.minimum_len() == properties.maximum_len()
        }
    }
}

struct Longest {
    dfa: std::sync::Arc<dfa::DFA>,
    caches: CachePool,
    vm: PikeVM,
}

impl std::fmt::Debug for Pattern {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(formatter, "Pattern({:?})", self.hir)
    }
}

impl Pattern {
    /// Compiles texts of which any may match.
    ///
    /// # Errors
    /// The first text that is no pattern, with the place in it; `TooBig` where the compiled form
    /// would take more than 32 MiB.
    pub fn new(texts: &[&[u8]], syntax: Syntax, options: Options) -> Result<Self, PatternError> {
        if syntax == Syntax::Perl {
            return Self::perl(texts, options);
        }
        let mut branches = Vec::with_capacity(texts.len());
        let mut groups = Vec::new();
        for (text_number, text) in texts.iter().enumerate() {
            let node = parser::parse(text, syntax, options, &mut groups)
                .map_err(|(kind, span)| PatternError { kind, text: text_number, span })?;
            branches.push(node);
        }
        let plain = match texts {
            [] => Node::Leaf(Hir::fail()),
            _ => Node::Alternation(branches),
        };
        let too_big = || PatternError {
            kind: PatternErrorKind::TooBig,
            text: 0,
            span: 0..texts.first().map_or(0, |text| text.len()),
        };
        let bounded = |start, plain: &Node, end| {
            let look = |look| Node::Leaf(Hir::look(look));
            Node::Concat(vec![look(start), plain.clone(), look(end)])
        };
        let (node, candidates) = if options.whole_line {
            (bounded(Look::StartLF, &plain, Look::EndLF), None)
        } else if options.whole_word {
            // The ASCII form matches wherever the Unicode form does and stays fast on any text.
            let candidates = bounded(Look::WordStartHalfAscii, &plain, Look::WordEndHalfAscii);
            (
                bounded(Look::WordStartHalfUnicode, &plain, Look::WordEndHalfUnicode),
                Some(candidates),
            )
        } else {
            (plain, None)
        };
        let back_references = node.has_back_reference();
        let hir = node.expression(false, &groups);
        let truth = build(&hir).ok_or_else(too_big)?;
        let (search, verify) = match &candidates {
            Some(candidates) => {
                let candidates = candidates.expression(false, &groups);
                (build(&candidates).ok_or_else(too_big)?, Some(truth))
            }
            None => (truth, None),
        };
        let ending = Ending::of(&hir);
        let alone = back_references || candidates.is_some();
        let simple = if alone { None } else { Simple::new(&hir) };
        let bounded = options.whole_word || options.whole_line;
        let folded = match texts {
            [only] if options.ignore_case && !bounded => Folded::new(only, syntax == Syntax::Fixed),
            _ => None,
        };
        let pattern = Self {
            node,
            groups: groups.len() as u32,
            ignore_case: options.ignore_case,
            hir,
            search,
            verify,
            back_references,
            ending,
            simple,
            perl: None,
            folded,
            longest: OnceLock::new(),
            program: OnceLock::new(),
            capturing: OnceLock::new(),
        };
        if back_references && pattern.program().is_none() {
            return Err(too_big());
        }
        Ok(pattern)
    }

    /// One of Perl's patterns. Of several texts only the first is one.
    fn perl(texts: &[&[u8]], options: Options) -> Result<Self, PatternError> {
        let text = texts.first().copied().unwrap_or_default();
        let perl = Perl::new(text, options).map_err(|(kind, span)| PatternError {
            kind,
            text: 0,
            span,
        })?;
        let nothing = Self::new(&[], Syntax::Fixed, Options::default())?;
        Ok(Self {
            groups: perl.groups() as u32,
            back_references: true,
            simple: None,
            perl: Some(perl),
            ..nothing
        })
    }

    /// The most bytes a match can have; `None` where there is no such bound.
    pub fn longest_match(&self) -> Option<usize> {
        self.hir.properties().maximum_len().filter(|_| self.perl.is_none())
    }

    /// The one text that matches, where the pattern is a plain text of several bytes.
    pub fn plain_text(&self) -> Option<&[u8]> {
        match &self.simple {
            Some(Simple::Literal(finder, _)) => Some(finder.needle()),
            _ => None,
        }
    }

    /// How many groups the pattern has.
    pub fn groups(&self) -> usize {
        self.groups as usize
    }

    fn program(&self) -> Option<&Program> {
        self.program
            .get_or_init(|| Program::new(&self.node, self.groups, self.ignore_case))
            .as_ref()
    }

    /// The automaton that tells where a match may begin.
    fn exact(&self) -> &meta::Regex {
        self.verify.as_ref().unwrap_or(&self.search)
    }

    /// True where only the program tells: with back-references, and for whole words in a line
    /// that is not UTF-8, where the automata see no word boundaries beside a broken byte.
    fn by_program(&self, line: &[u8]) -> bool {
        self.back_references || self.verify.is_some() && std::str::from_utf8(line).is_err()
    }

    fn find_by_program(&self, line: &[u8], from: usize) -> Result<Option<Captures>, TooManySteps> {
        if let Some(perl) = &self.perl {
            return Ok(perl.captures(line, from)?.map(Captures));
        }
        let program = self.program().ok_or(TooManySteps)?;
        let candidate = |from: usize| {
            self.search.search(&Input::new(line).range(from..)).map(|found| found.start())
        };
        program.find(line, from, candidate)
    }

    /// True when something in `line` matches.
    ///
    /// # Errors
    /// Only with back-references, when the search takes too many steps.
    #[inline]
    pub fn is_match(&self, line: &[u8]) -> Result<bool, TooManySteps> {
        if let Some(simple) = &self.simple {
            return Ok(simple.find(line, 0).is_some());
        }
        if self.by_program(line) {
            return Ok(match &self.perl {
                Some(perl) => perl.find(line, 0)?.is_some(),
                None => self.find_by_program(line, 0)?.is_some(),
            });
        }
        Ok(self.exact().is_match(line))
    }

    /// Where in a block of lines, from `from` on, the first line may be that has a match: a place
    /// within that line, and whether it is certain. Where it is not, ask [`Pattern::is_match`]
    /// about the line.
    #[inline]
    pub fn find_candidate(&self, block: &[u8], from: usize) -> Option<(usize, bool)> {
        if let Some(folded) = &self.folded {
            return folded.find(block, from);
        }
        if let Some(Simple::Nothing) = self.simple {
            return (from <= block.len()).then_some((from, true));
        }
        if self.perl.is_some() {
            return (from <= block.len()).then_some((from, false));
        }
        let certain = self.verify.is_none() && !self.back_references;
        let found = self.search.search_half(&Input::new(block).range(from..))?;
        Some((found.offset(), certain))
    }

    /// The leftmost match that begins at or after `from`, and of those that begin there the
    /// longest, as POSIX asks (XBD 9.1).
    ///
    /// The search automaton gives the place where the leftmost match begins (which is the same
    /// for every way of preferring one end over another); from there an automaton that knows no
    /// preferences, anchored at that place, runs until no longer match is possible.
    ///
    /// # Errors
    /// Only with back-references, when the search takes too many steps.
    #[inline]
    pub fn find(&self, line: &[u8], from: usize) -> Result<Option<Range<usize>>, TooManySteps> {
        if let Some(simple) = &self.simple {
            return Ok(simple.find(line, from));
        }
        if self.by_program(line) {
            return match &self.perl {
                Some(perl) => perl.find(line, from),
                None => Ok(self.find_by_program(line, from)?.map(|found| found.whole())),
            };
        }
        let Some(found) = self.exact().search(&Input::new(line).range(from..)) else {
            return Ok(None);
        };
        let start = found.start();
        let end = match self.ending {
            Ending::Fixed(length) => start + length,
            Ending::Greedy => found.end(),
            Ending::Searched => self.longest_end(line, start).unwrap_or(found.end()),
        };
        Ok(Some(start..end.max(found.end())))
    }

    /// The match that [`Pattern::find`] finds, and what each group matched in it: of all ways to
    /// match just that text, the one that prefers earlier alternatives and more repetitions, from
    /// left to right. Where a group matched several times the last one counts.
    ///
    /// # Errors
    /// When the search takes too many steps or a line is too long for the groups to be found in
    /// bounded memory (256 MiB).
    pub fn captures(&self, line: &[u8], from: usize) -> Result<Option<Captures>, TooManySteps> {
        if self.by_program(line) {
            return self.find_by_program(line, from);
        }
        let Some(whole) = self.find(line, from)? else { return Ok(None) };
        if self.groups == 0 {
            return Ok(Some(Captures(vec![Some(whole)])));
        }
        // The crate's own way prefers the same; where it ends at the same place it is the one.
        let capturing =
            self.capturing.get_or_init(|| build(&self.node.expression(true, &[]))).as_ref();
        if let Some(regex) = capturing {
            let mut found = regex.create_captures();
            let input = Input::new(line).range(whole.start..).anchored(Anchored::Yes);
            regex.search_captures(&input, &mut found);
            if found.get_match().is_some_and(|found| found.end() == whole.end) {
                let span = |number| found.get_group(number).map(|span| span.start..span.end);
                return Ok(Some(Captures((0..=self.groups as usize).map(span).collect())));
            }
        }
        let program = self.program().ok_or(TooManySteps)?;
        program.at(line, whole.start, Some(whole.end), &mut 0)
    }

    /// All matches of a line, left to right, none overlapping, empty ones left out. Ends behind
    /// an error.
    pub fn find_all<'a>(
        &'a self,
        line: &'a [u8],
    ) -> impl Iterator<Item = Result<Range<usize>, TooManySteps>> + 'a {
        let mut from = 0;
        std::iter::from_fn(move || {
            while from <= line.len() {
                match self.find(line, from) {
                    Ok(None) => return None,
                    Ok(Some(found)) if found.is_empty() => from = found.end + 1,
                    Ok(Some(found)) => {
                        from = found.end;
                        return Some(Ok(found));
                    }
                    Err(error) => {
                        from = usize::MAX;
                        return Some(Err(error));
                    }
                }
            }
            None
        })
    }

    fn longest_end(&self, line: &[u8], start: usize) -> Option<usize> {
        let longest = self.longest.get_or_init(|| Longest::build(&self.hir)).as_ref()?;
        let input = Input::new(line).range(start..).anchored(Anchored::Yes);
        let mut cache = longest.caches.get();
        if let Ok(found) = longest.dfa.try_search_fwd(&mut cache, &input) {
            found.map(|half| half.offset())
        } else {
            let mut cache = longest.vm.create_cache();
            longest.vm.find_iter(&mut cache, input).next().map(|found| found.end())
        }
    }
}

fn build(hir: &Hir) -> Option<meta::Regex> {
    meta::Builder::new()
        .configure(
            meta::Config::new()
                .utf8_empty(false)
                .nfa_size_limit(Some(SIZE_LIMIT))
                .hybrid_cache_capacity(4 << 20),
        )
        .build_from_hir(hir)
        .ok()
}

impl Longest {
    fn build(hir: &Hir) -> Option<Self> {
        let nfa: NFA = thompson::Compiler::new()
            .configure(thompson::Config::new().utf8(false).nfa_size_limit(Some(SIZE_LIMIT)))
            .build_from_hir(hir)
            .ok()?;
        let config = dfa::Config::new()
            .match_kind(MatchKind::All)
            .unicode_word_boundary(true)
            .skip_cache_capacity_check(true);
        let dfa = dfa::Builder::new().configure(config).build_from_nfa(nfa.clone()).ok()?;
        let vm = PikeVM::builder()
            .configure(thompson::pikevm::Config::new().match_kind(MatchKind::All))
            .build_from_nfa(nfa)
            .ok()?;
        let dfa = std::sync::Arc::new(dfa);
        let shared = dfa.clone();
        let caches: CachePool = Pool::new(Box::new(move || shared.create_cache()));
        Some(Self { dfa, caches, vm })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Subject;

    fn spans(text: &str, syntax: Syntax, line: &str) -> Vec<Range<usize>> {
        let pattern = Pattern::new(&[text.as_bytes()], syntax, Options::default()).unwrap();
        pattern.find_all(line.as_bytes()).map(Result::unwrap).collect()
    }

    fn refused(text: &str, syntax: Syntax) -> PatternErrorKind {
        Pattern::new(&[text.as_bytes()], syntax, Options::default()).unwrap_err().kind
    }

    #[test]
    fn the_longest_of_the_leftmost_is_found() {
        assert_eq!(spans("a|ab", Syntax::Extended, "xabab"), vec![1..3, 3..5]);
        assert_eq!(spans("a?(ab)?", Syntax::Extended, "ab"), vec![0..2]);
        assert_eq!(spans("(a|ab)(c|bcd)", Syntax::Extended, "abcd"), vec![0..4]);
        assert_eq!(spans("x*", Syntax::Extended, "axxb"), vec![1..3]);
    }

    #[test]
    fn unicode_word_boundaries_fall_back_and_still_find_the_longest() {
        assert_eq!(spans(r"\<(é|éa)\>", Syntax::Extended, "éa é"), vec![0..3, 4..6]);
        assert_eq!(spans(r"\bb", Syntax::Basic, "éb b"), vec![4..5]);
    }

    #[test]
    fn basic_syntax_has_its_own_specials() {
        assert_eq!(spans("a+", Syntax::Basic, "aa+"), vec![1..3]);
        assert_eq!(spans(r"a\+", Syntax::Basic, "baa"), vec![1..3]);
        assert_eq!(spans("*a", Syntax::Basic, "*a"), vec![0..2]);
        assert_eq!(spans("^*a", Syntax::Basic, "*a"), vec![0..2]);
        assert_eq!(spans("a^b$c", Syntax::Basic, "a^b$c"), vec![0..5]);
        assert_eq!(spans(r"\(^a\|b$\)", Syntax::Basic, "ab"), vec![0..1, 1..2]);
        assert_eq!(spans(r"a\{2,3\}", Syntax::Basic, "aaaa"), vec![0..3]);
    }

    #[test]
    fn extended_braces_that_are_no_interval_are_themselves() {
        assert_eq!(spans("a{,x}", Syntax::Extended, "a{,x}"), vec![0..5]);
        assert_eq!(spans("a{2}", Syntax::Extended, "aaa"), vec![0..2]);
        assert_eq!(spans("a)", Syntax::Extended, "a)"), vec![0..2]);
    }

    #[test]
    fn brackets_follow_the_standard() {
        assert_eq!(spans("[]a]", Syntax::Basic, "]a"), vec![0..1, 1..2]);
        assert_eq!(spans("[^]a]", Syntax::Basic, "]ab"), vec![2..3]);
        assert_eq!(spans("[a-]", Syntax::Basic, "-"), vec![0..1]);
        assert_eq!(spans(r"[\n]", Syntax::Basic, r"\n"), vec![0..1, 1..2]);
        assert_eq!(spans("[[:digit:]x]", Syntax::Basic, "7x"), vec![0..1, 1..2]);
        assert_eq!(spans("[[.-.]]", Syntax::Basic, "-"), vec![0..1]);
        assert_eq!(spans("[[=a=]]", Syntax::Basic, "a"), vec![0..1]);
    }

    #[test]
    fn bad_patterns_are_refused_at_their_place() {
        assert_eq!(refused("(a", Syntax::Extended), PatternErrorKind::OpenGroup);
        assert_eq!(refused("a{}", Syntax::Extended), PatternErrorKind::BadInterval);
        assert_eq!(refused(r"a\)", Syntax::Basic), PatternErrorKind::CloseGroup);
        assert_eq!(refused("[a", Syntax::Basic), PatternErrorKind::OpenBracket);
        assert_eq!(refused("[z-a]", Syntax::Basic), PatternErrorKind::BadRange);
        assert_eq!(refused("[[:nope:]]", Syntax::Basic), PatternErrorKind::UnknownClass);
        assert_eq!(refused(r"a\{2", Syntax::Basic), PatternErrorKind::OpenInterval);
        assert_eq!(refused(r"a\{3,2\}", Syntax::Basic), PatternErrorKind::BadInterval);
        assert_eq!(refused("a\\", Syntax::Basic), PatternErrorKind::TrailingBackslash);
        assert_eq!(refused(r"\1\(a\)", Syntax::Basic), PatternErrorKind::BackReference);
        assert_eq!(refused(r"(a\1)", Syntax::Extended), PatternErrorKind::BackReference);
        assert_eq!(refused("((a{9999}){9999}){9999}", Syntax::Extended), PatternErrorKind::TooBig);
        let error = Pattern::new(&[b"ab", b"x[z"], Syntax::Basic, Options::default()).unwrap_err();
        assert_eq!((error.text, error.span), (1, 1..3));
    }

    #[test]
    fn whole_words_and_lines() {
        let word = Options { whole_word: true, ..Options::default() };
        let pattern = Pattern::new(&[b"gate"], Syntax::Basic, word).unwrap();
        assert!(pattern.is_match(b"a gate-03").unwrap());
        assert!(!pattern.is_match(b"gates").unwrap());
        assert!(!pattern.is_match("gateé".as_bytes()).unwrap());
        let line = Options { whole_line: true, ..Options::default() };
        let pattern = Pattern::new(&[b"a", b"ab"], Syntax::Basic, line).unwrap();
        assert!(pattern.is_match(b"ab").unwrap());
        assert!(!pattern.is_match(b"abc").unwrap());
    }

    #[test]
    fn nothing_matches_across_lines() {
        let pattern = Pattern::new(&[br"a[^b]\s*c"], Syntax::Extended, Options::default()).unwrap();
        assert_eq!(pattern.find_candidate(b"a\nc\na  c", 0), Some((8, true)));
    }

    #[test]
    fn a_text_may_hold_newlines() {
        let of = |text: &str, subject| {
            let options = Options { subject, ..Options::default() };
            Pattern::new(&[text.as_bytes()], Syntax::Extended, options).unwrap()
        };
        let found = |text, subject, line: &str| of(text, subject).find(line.as_bytes(), 0).unwrap();
        assert_eq!(found("a.c", Subject::Text, "a\nc"), Some(0..3));
        assert_eq!(found("a[^b]c", Subject::Text, "a\nc"), Some(0..3));
        assert_eq!(found("^b", Subject::Text, "a\nb"), None);
        assert_eq!(found("^b", Subject::Lines, "a\nb"), Some(2..3));
        assert_eq!(found("a$", Subject::Lines, "a\nb"), Some(0..1));
        assert_eq!(found("\\`b", Subject::Lines, "a\nb"), None);
        assert_eq!(found("(.*)-\\1$", Subject::Text, "x\ny-x\ny"), Some(0..7));
    }

    #[test]
    fn awk_has_escapes_in_brackets_too() {
        assert_eq!(spans(r"[\]a\/\-]+", Syntax::Awk, r"x]a/-\"), vec![1..5]);
        assert_eq!(spans(r"\101\/\.", Syntax::Awk, "A/."), vec![0..3]);
        assert_eq!(spans(r"\yb", Syntax::Awk, "ab b"), vec![3..4]);
        assert_eq!(spans(r"(a)\1", Syntax::Awk, "a\u{1}"), vec![0..2]);
        assert_eq!(spans(r"[\t\n]", Syntax::Awk, "a\tb"), vec![1..2]);
    }

    proptest::proptest! {
        #[test]
        fn every_way_to_the_end_gives_the_longest(
            text in "(a|b|.|[ab]|é|a\\*|b\\+|\\(a\\|ab\\)|b\\?){1,4}",
            line in "[abé]{0,8}",
        ) {
            let text = text.replace('\\', "");
            let options = Options::default();
            if let Ok(pattern) = Pattern::new(&[text.as_bytes()], Syntax::Extended, options) {
                let found = pattern.find(line.as_bytes(), 0).unwrap();
                let by_program = found.as_ref().map(|found| {
                    let program = pattern.program().unwrap();
                    let best = program.at(line.as_bytes(), found.start, None, &mut 0).unwrap();
                    best.unwrap().whole()
                });
                proptest::prop_assert_eq!(found, by_program);
            }
        }
    }

    #[test]
    fn invalid_text_is_passed_over_by_dots_but_literal_bytes_match() {
        let pattern = Pattern::new(&[b"a.c"], Syntax::Basic, Options::default()).unwrap();
        assert!(!pattern.is_match(b"a\xffc").unwrap());
        let pattern = Pattern::new(&[b"a\xffc"], Syntax::Basic, Options::default()).unwrap();
        assert!(pattern.is_match(b"a\xffc").unwrap());
    }

    fn groups(text: &str, line: &str) -> String {
        let options = Options::default();
        let pattern = Pattern::new(&[text.as_bytes()], Syntax::Extended, options).unwrap();
        let Some(found) = pattern.captures(line.as_bytes(), 0).unwrap() else {
            return "none".to_owned();
        };
        let text = |number| found.group(number).map_or("-", |range| &line[range]);
        (0..=pattern.groups()).map(text).collect::<Vec<_>>().join(",")
    }

    #[test]
    fn groups_prefer_the_first_way_to_the_longest_match() {
        assert_eq!(groups("(a|ab)(c|bcd)(d*)", "xabcd"), "abcd,a,bcd,");
        assert_eq!(groups("(ab|a)(bcd|c)(d*)", "abcd"), "abcd,ab,c,d");
        assert_eq!(groups("((a|ab)*)(b?)", "ababab"), "ababab,ababa,a,b");
        assert_eq!(groups("(a?)(ab)?()", "ab"), "ab,,ab,");
        assert_eq!(groups("((a)|(b))*", "ab"), "ab,b,a,b");
        assert_eq!(groups("(x)?y", "y"), "y,-");
    }

    #[test]
    fn back_references_repeat_what_a_group_matched() {
        assert_eq!(spans(r"\(a*\)b\1", Syntax::Basic, "aabaaa"), vec![0..5]);
        assert_eq!(spans(r"(.)\1", Syntax::Extended, "abccdd"), vec![2..4, 4..6]);
        assert_eq!(spans(r"(a|ab)(c|bcd)\1", Syntax::Extended, "abcdabca"), vec![0..5]);
        assert_eq!(spans(r"^(.*)\1$", Syntax::Extended, "gategate"), vec![0..8]);
        assert_eq!(groups(r"(.)(.)\2\1", "xabbay"), "abba,a,b");
        let folded = Options { ignore_case: true, ..Options::default() };
        let pattern = Pattern::new(&[br"(a.)\1"], Syntax::Extended, folded).unwrap();
        assert!(pattern.is_match(b"aBAb").unwrap());
    }

    #[test]
    fn a_search_without_end_is_given_up() {
        let text = br"(a*)*(a*)*(a*)*\1b\2\3c";
        let pattern = Pattern::new(&[text], Syntax::Extended, Options::default()).unwrap();
        let line = [&[b'a'; 400][..], b"bc"].concat();
        let started = pattern.is_match(&line);
        assert!(started == Ok(true) || started == Err(TooManySteps));
        let pattern =
            Pattern::new(&[br"(x+x+)+\1y"], Syntax::Extended, Options::default()).unwrap();
        assert_eq!(pattern.is_match(&[&[b'x'; 200][..], b"zy"].concat()), Ok(false));
        let line = [&[b'x'; 60][..], b"z", &[b'x'; 60], b"y"].concat();
        assert!(pattern.is_match(&line) != Ok(false));
    }
}
