//! What lines are that are no records.

/// What lines set aside are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Aside {
    /// Nothing but blanks.
    BlankLine,
    /// A comment.
    Comment,
    /// A line that is drawn.
    Rule,
    /// A line between records of several lines that belongs to neither.
    Stray,
    /// The first line, which says what the delimiter is.
    StatesDelimiter,
    /// Above the header.
    BeforeHeader,
    /// Above the first record, where there is no header.
    BeforeFirstRecord,
    /// Between the header and the first record.
    BelowNames,
    /// The units of the columns.
    Units,
    /// The header once more.
    RepeatedHeader,
    /// A line from above the header once more.
    RepeatedPreamble,
    /// The units once more.
    RepeatedUnits,
    /// The heading of a group, whose value is not carried.
    Heading,
    /// The heading of a group, whose value the records below it have.
    Carried,
    /// No record, as someone says.
    Stated,
    /// The total of a group.
    PartTotal,
    /// A total below the last record.
    Total,
    /// A record without values below the last one.
    EmptyRecord,
    /// Whatever else stands below the last record.
    AfterLastRecord,
    /// A record that does not meet the condition.
    ConditionNotMet,
    /// A record of which it is unknown whether it meets the condition.
    ConditionUnknown,
    /// A record that repeats another one.
    Repeated,
}

impl Aside {
    /// What it is in words, as readings say it.
    ///
    /// ```
    /// assert_eq!(incola_core::rows::Aside::Total.words(), "total line");
    /// ```
    pub const fn words(self) -> &'static str {
        match self {
            Self::BlankLine => "empty line",
            Self::Comment => "comment",
            Self::Rule => "rule line",
            Self::Stray => "line too many between two records",
            Self::StatesDelimiter => "states the delimiter",
            Self::BeforeHeader => "before the header",
            Self::BeforeFirstRecord => "before the first record",
            Self::BelowNames => "between the names and the first record",
            Self::Units => "units",
            Self::RepeatedHeader => "repeats the header",
            Self::RepeatedPreamble => "repeats a line from above the header",
            Self::RepeatedUnits => "repeats the units",
            Self::Heading => "heading among the records",
            Self::Carried => "heading of a group, in a column of its own",
            Self::Stated => "stated to be no record",
            Self::PartTotal => "total among the records",
            Self::Total => "total line",
            Self::EmptyRecord => "empty record at the end",
            Self::AfterLastRecord => "after the last record",
            Self::ConditionNotMet => "does not meet the condition",
            Self::ConditionUnknown => "unknown whether it meets the condition",
            Self::Repeated => "repeats another record",
        }
    }
}
