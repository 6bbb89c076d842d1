//! Times in lines: ISO 8601 and RFC 3339, RFC 3164 (as in system logs), common log form, RFC 5322
//! (as in mail and web headers), `date` output, dates with months by name or all in numbers,
//! seconds since 1970, and the seconds since the start that a kernel writes.

use jiff::{Timestamp, Zoned};

use forms::{
    american, bare_epoch, common_log, compact, ctime, header, iso, numbers, since_epoch,
    since_start, system_log,
};
use reader::Reader;
pub(super) use reading::{Doubt, Found, Moment, Order, Reading};

mod forms;
mod reader;
mod reading;

impl Reading {
    /// Nothing asked for.
    pub(super) fn plain(now: Zoned) -> Self {
        Self { now, order: None, epoch: false, start: None }
    }

    /// The time that begins with the reader, after `before` in its line.
    fn form(&self, reader: &mut Reader<'_>, before: &[u8]) -> Option<(Moment, Option<Doubt>)> {
        const CERTAIN: [fn(&mut Reader<'_>, &Reading) -> Option<Timestamp>; 8] =
            [iso, compact, common_log, header, ctime, system_log, american, since_epoch];
        for form in CERTAIN {
            reader.at = 0;
            if let Some(time) = form(reader, self) {
                return Some((Moment::At(time), None));
            }
        }
        let continues = before.last().is_some_and(|byte| b"+-._/:".contains(byte));
        reader.at = 0;
        if !continues && let Some((time, doubt)) = numbers(reader, self) {
            return Some((Moment::At(time), doubt));
        }
        reader.at = 0;
        if let Some(since) = since_start(reader) {
            let start = self.start.map(|start| start.as_nanosecond() + since);
            let at = start.and_then(|at| Timestamp::from_nanosecond(at).ok());
            return Some((at.map_or(Moment::SinceStart(since), Moment::At), None));
        }
        reader.at = 0;
        let at_beginning = matches!(before, b"" | b"[" | b"(" | b"\"");
        if continues || !(self.epoch || at_beginning) {
            return None;
        }
        let doubt = (!self.epoch).then_some(Doubt::Epoch);
        bare_epoch(reader).map(|time| (Moment::At(time), doubt))
    }
}

/// The first time at or after `from`.
pub(super) fn find(line: &[u8], from: usize, how: &Reading) -> Option<Found> {
    for at in from..line.len() {
        let byte = line[at];
        let begins =
            byte.is_ascii_digit() || byte.is_ascii_uppercase() || matches!(byte, b'@' | b'[');
        let inside = at > 0 && line[at - 1].is_ascii_alphanumeric();
        if !begins || inside {
            continue;
        }
        let mut reader = Reader { text: &line[at..], at: 0 };
        let Some((moment, doubt)) = how.form(&mut reader, &line[..at]) else { continue };
        // A longer number or word is something else.
        if reader.text.get(reader.at).is_some_and(u8::is_ascii_alphanumeric) {
            continue;
        }
        return Some(Found { range: at..at + reader.at, moment, doubt });
    }
    None
}

#[cfg(test)]
mod tests {
    use jiff::tz::TimeZone;

    use super::*;

    fn found(line: &str) -> Option<(String, String)> {
        let now = "2031-04-02T12:00:00Z".parse::<Timestamp>().unwrap().to_zoned(TimeZone::UTC);
        let found = find(line.as_bytes(), 0, &Reading::plain(now))?;
        let Moment::At(time) = found.moment else { return None };
        Some((line[found.range].to_owned(), time.to_string()))
    }

    #[test]
    fn times_of_many_forms_are_found() {
        for (line, part, time) in [
            ("x 2031-04-02T06:12:04Z y", "2031-04-02T06:12:04Z", "2031-04-02T06:12:04Z"),
            ("2031-04-02 06:12:04,250 gate", "2031-04-02 06:12:04,250", "2031-04-02T06:12:04.25Z"),
            (
                "2031-04-02T08:12:04.5+02:00",
                "2031-04-02T08:12:04.5+02:00",
                "2031-04-02T06:12:04.5Z",
            ),
            ("2031-04-02 06:12 x", "2031-04-02 06:12", "2031-04-02T06:12:00Z"),
            ("20310402T061204Z", "20310402T061204Z", "2031-04-02T06:12:04Z"),
            (
                "- [02/Apr/2031:06:12:04 +0000] x",
                "02/Apr/2031:06:12:04 +0000",
                "2031-04-02T06:12:04Z",
            ),
            (
                "Date: Wed, 02 Apr 2031 06:12:04 GMT",
                "Wed, 02 Apr 2031 06:12:04 GMT",
                "2031-04-02T06:12:04Z",
            ),
            (
                "Wed Apr  2 06:12:04 UTC 2031",
                "Wed Apr  2 06:12:04 UTC 2031",
                "2031-04-02T06:12:04Z",
            ),
            ("Apr  2 06:12:04 winch", "Apr  2 06:12:04", "2031-04-02T06:12:04Z"),
            ("Dec 31 23:59:59 winch", "Dec 31 23:59:59", "2030-12-31T23:59:59Z"),
            ("Feb 29 01:00:00 winch", "Feb 29 01:00:00", "2028-02-29T01:00:00Z"),
            ("7:2031-04-02T06:12:04Z x", "2031-04-02T06:12:04Z", "2031-04-02T06:12:04Z"),
            ("at @1.5.", "@1.5", "1970-01-01T00:00:01.5Z"),
            ("25/03/2031 06:12 x", "25/03/2031 06:12", "2031-03-25T06:12:00Z"),
            ("03/25/2031 06:12:04 x", "03/25/2031 06:12:04", "2031-03-25T06:12:04Z"),
            ("x 3/25/2031 6:12 PM", "3/25/2031 6:12 PM", "2031-03-25T18:12:00Z"),
            ("3/25/2031 12:05am x", "3/25/2031 12:05am", "2031-03-25T00:05:00Z"),
            ("25-03-2031 06:12", "25-03-2031 06:12", "2031-03-25T06:12:00Z"),
            ("03.04.2031 06:12", "03.04.2031 06:12", "2031-04-03T06:12:00Z"),
            ("03.04.2031, 06:12", "03.04.2031, 06:12", "2031-04-03T06:12:00Z"),
            ("March 3, 2031 06:12", "March 3, 2031 06:12", "2031-03-03T06:12:00Z"),
            ("Mar 3, 2031 at 6:12 PM", "Mar 3, 2031 at 6:12 PM", "2031-03-03T18:12:00Z"),
            ("Sept. 3, 2031 06:12", "Sept. 3, 2031 06:12", "2031-09-03T06:12:00Z"),
            ("on 3 March 2031 06:12", "3 March 2031 06:12", "2031-03-03T06:12:00Z"),
            ("03-MAR-2031 06:12:04", "03-MAR-2031 06:12:04", "2031-03-03T06:12:04Z"),
            (
                "Monday, 3 March 2031 06:12:04 x",
                "Monday, 3 March 2031 06:12:04",
                "2031-03-03T06:12:04Z",
            ),
            (
                "Thursday, April 3, 2031 6:12:04 AM",
                "Thursday, April 3, 2031 6:12:04 AM",
                "2031-04-03T06:12:04Z",
            ),
            ("1932799124 winch", "1932799124", "2031-04-01T08:38:44Z"),
            ("1932799124.250 winch", "1932799124.250", "2031-04-01T08:38:44.25Z"),
            ("[1932799124] winch", "1932799124", "2031-04-01T08:38:44Z"),
            ("1932799124250 winch", "1932799124250", "2031-04-01T08:38:44.25Z"),
            ("1932799124250001 winch", "1932799124250001", "2031-04-01T08:38:44.250001Z"),
        ] {
            assert_eq!(found(line), Some((part.to_owned(), time.to_owned())), "{line}");
        }
    }

    #[test]
    fn what_is_no_time_is_left_alone() {
        for line in [
            "",
            "2031-13-02T06:12:04Z",
            "12031-04-02T06:12:04",
            "gate-03 4711",
            "Apr 2",
            "@",
            "2031-04-02T06:12:04x",
            "card 1932799124",
            "0932799124",
            "19327991241",
            "1932799124x",
            "31/31/2031 06:12",
            "3/25/2031 13:12 PM",
            "03/04/31 06:12",
            "Marching 3, 2031 06:12",
            "[12]",
            "[12.]",
            "[12.5",
            "-1932799124",
            "1.25.03.2031 06:12",
        ] {
            assert_eq!(found(line), None, "{line}");
        }
    }

    fn read(line: &str, how: &Reading) -> Option<(String, Moment, Option<Doubt>)> {
        let found = find(line.as_bytes(), 0, how)?;
        Some((line[found.range].to_owned(), found.moment, found.doubt))
    }

    #[test]
    fn what_can_be_read_in_two_ways_says_so_until_it_is_settled() {
        let at = |text: &str| Moment::At(text.parse().unwrap());
        let mut how = Reading::plain(Timestamp::UNIX_EPOCH.to_zoned(TimeZone::UTC));
        let line = "03/04/2031 06:12 x";
        let part = "03/04/2031 06:12".to_owned();
        let (march, april) = (at("2031-03-04T06:12:00Z"), at("2031-04-03T06:12:00Z"));
        assert_eq!(read(line, &how), Some((part.clone(), march, Some(Doubt::DayOrMonth))));
        // The same either way, or only one way.
        for line in ["03/03/2031 06:12", "03/13/2031 06:12", "13/03/2031 06:12"] {
            assert_eq!(read(line, &how).unwrap().2, None, "{line}");
        }
        how.order = Some(Order::MonthFirst);
        assert_eq!(read(line, &how), Some((part.clone(), march, None)));
        how.order = Some(Order::DayFirst);
        assert_eq!(read(line, &how), Some((part, april, None)));
        // With the day first asked for, a date that has no such month is still read.
        assert_eq!(read("03/13/2031 06:12", &how).unwrap().1, at("2031-03-13T06:12:00Z"));
        let epoch = at("2031-04-01T08:38:44Z");
        let first = read("1932799124 x", &how).unwrap();
        assert_eq!((first.1, first.2), (epoch, Some(Doubt::Epoch)));
        assert_eq!(read("card 1932799124", &how), None);
        how.epoch = true;
        assert_eq!(read("1932799124 x", &how).unwrap().2, None);
        let anywhere = read("card 1932799124", &how).unwrap();
        assert_eq!((anywhere.1, anywhere.2), (epoch, None));
    }

    #[test]
    fn times_of_the_kernel_count_from_its_start() {
        let mut how = Reading::plain(Timestamp::UNIX_EPOCH.to_zoned(TimeZone::UTC));
        let part = "[   12.345678]".to_owned();
        let line = "[   12.345678] winch: ready";
        let since = Moment::SinceStart(12_345_678_000);
        assert_eq!(read(line, &how), Some((part.clone(), since, None)));
        assert_eq!(read("[12.5] x", &how).unwrap().1, Moment::SinceStart(12_500_000_000));
        how.start = Some("2031-04-02T06:00:00Z".parse().unwrap());
        let at = Moment::At("2031-04-02T06:00:12.345678Z".parse().unwrap());
        assert_eq!(read(line, &how), Some((part, at, None)));
    }
}
