//! Data the recipes are shown on: made up, a few lines each.

/// A sample.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Sample {
    /// A log with fields at single blanks.
    Log,
    /// Comma-separated values with a heading.
    Table,
    /// Settings, a name and a value a line.
    Settings,
    /// Numbers, one a line.
    Numbers,
    /// Words, some of them again.
    Words,
    /// Paths.
    Paths,
    /// Text as people write it.
    Text,
    /// Sizes and names.
    Sizes,
}

impl Sample {
    /// The lines.
    pub(crate) fn text(self) -> &'static str {
        match self {
            Self::Log => {
                "2031-04-02 06:12:00 gate-02 card=16304 passed 4\n\
                 2031-04-02 06:12:01 gate-06 card=94866 refused 6\n\
                 2031-04-02 06:12:02 gate-03 card=94952 refused 6\n\
                 2031-04-02 07:00:09 gate-02 card=21950 passed 1\n\
                 2031-04-02 07:10:30 gate-03 card=16304 refused 12\n\
                 2031-04-03 07:10:31 gate-02 card=55120 passed 4\n"
            }
            Self::Table => {
                "cabin,name,seats,load,day\n\
                 1,Kittiwake,24,1840,2031-03-14\n\
                 2,Dotterel,24,1865,2031-03-02\n\
                 3,Otter,18,1407,2031-01-30\n\
                 4,Heron,30,2310,2031-03-29\n\
                 5,Tern,24,1902,2031-02-11\n"
            }
            Self::Settings => {
                "# the upper station\n\
                 station=upper\n\
                 \n\
                 platforms=2\n\
                 door_lead=12\n\
                 # seconds\n\
                 \n\
                 \n\
                 greeting=mind the gap = please\n"
            }
            Self::Numbers => "12\n7\n1.5\n940\n7\n33\n",
            Self::Words => "otter\nTern\nheron\notter\nplover\nTern\notter\n",
            Self::Paths => {
                "/srv/logs/gate.log\n/srv/logs/winch.log.1\n/home/otter/notes.txt\n/etc/station.conf\n"
            }
            Self::Text => {
                "  The \"upper\" station (built 2029) opens at 06:12.   \n\
                 Write to otter@tarn.example or 192.0.2.7,\tor call;\n\
                 the rope [1180 m] was changed in 2031, said the warden.\n\
                 \n\
                 Ends here\\\nand continues there.\n"
            }
            Self::Sizes => "1.5M gate.log\n900K winch.log\n12K notes\n2G archive\n",
        }
    }

    /// The field, from 1, that the recipe is about.
    pub(crate) fn field(self) -> usize {
        match self {
            Self::Log => 3,
            Self::Table => 2,
            Self::Settings => 2,
            _ => 1,
        }
    }

    /// A field with numbers, from 1.
    pub(crate) fn number_field(self) -> usize {
        match self {
            Self::Log => 6,
            Self::Table => 4,
            _ => 1,
        }
    }
}
