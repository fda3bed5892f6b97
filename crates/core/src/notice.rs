//! Notices: what the clerk should know, with a stable code and a place.

/// What a notice is about. The words are stable: programs may rely on them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum NoticeCode {
    /// Bytes stand for no character in the encoding.
    UndecodableBytes,
    /// A quote was opened and never closed.
    UnclosedQuote,
    /// A quote is inside a quoted field.
    StrayQuote,
    /// Records have fewer fields than the others.
    ShortRecords,
    /// Records have more fields than the others.
    LongRecords,
    /// A start of a fixed layout is inside values.
    ValuesCut,
    /// Characters before the first start of a fixed layout are in no column.
    BeforeFirstStart,
    /// Lines of a fixed layout are longer than the others.
    LongLines,
    /// Lines of a fixed layout are shorter than the others.
    ShortLines,
    /// Lines of a fixed layout hold tabs.
    TabsInFixed,
    /// Records of several lines lack a line, or have one too many.
    BrokenCycle,
    /// Another layout explains the lines nearly as well.
    LayoutUnsure,
    /// Columns of a fixed layout touch: no blank divides them.
    ColumnsTouch,
    /// There are too few records to tell the layout by.
    FewRecords,
    /// Lines begin with record types, each with fields of its own.
    RecordTypes,
    /// The lines are those of a printed report.
    Report,
    /// The text is no table.
    NoTable,
    /// The layout changes further down.
    LayoutChanges,
    /// Some bytes are UTF-8, others are not.
    MixedEncodings,
    /// The words are nearly as likely in another encoding.
    EncodingUnsure,
    /// Values were written as formulas or with an apostrophe to keep them text.
    ValuesUnwrapped,
    /// Names of columns repeat or are missing.
    NamesMended,
    /// The order of day and month is unknown.
    DateOrderUnknown,
    /// The decimal character may be the group character.
    DecimalCharUnknown,
    /// Values do not fit the kind of their column.
    Misfits,
    /// A total line disagrees with the sum of its column.
    TotalDiffers,
    /// A line says that there are more or fewer records than were read.
    CountDiffers,
    /// A column is filled in the first row of each group only, as it seems.
    FirstRows,
    /// No line is what someone said some are.
    NothingLike,
    /// Lines among the records are neither records nor anything else that is known.
    LinesSetAside,
    /// Lines with figures among the records of which nothing says what they add up.
    TotalsUnproved,
    /// Records are left out by a condition, or because they repeat others.
    RowsLeftOut,
    /// All of them are.
    NoRows,
    /// Records are rolled up.
    RolledUp,
    /// Values cannot be computed, or columns divided.
    NotComputed,
    /// There are no records.
    NoRecords,
    /// More lines were set aside than are listed.
    MoreSetAside,
    /// Text begins with a character that begins formulas.
    FormulaLike,
    /// The marks shown in numbers are the viewer's, not the file's.
    MarksByLocale,
    /// Numbers of different currencies stand in one column.
    MixedSymbols,
    /// Columns are read as the sheet has them, not as the source alone would be.
    SheetKinds,
    /// The sheet is protected.
    SheetProtected,
    /// Rows that were hidden are shown, for other records stand in them.
    RowsShown,
    /// Formulas elsewhere, names, a chart or a print area ended with the rows and do not end with them any more.
    RangesEnd,
    /// Values of the source are in columns that hold formulas in the rows before.
    ValuesAmongFormulas,
    /// Comments are over other records now.
    CommentsStay,
    /// Columns of the sheet are too narrow for what came.
    NarrowColumns,
    /// Columns are not described in the docket, or described for nothing.
    DocketColumns,
    /// Most values of a column do not fit the kind that the docket says.
    DocketKind,
    /// What the docket changes against what would be found without it.
    DocketChanges,
}

impl NoticeCode {
    /// The stable word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::UndecodableBytes => "undecodable-bytes",
            Self::UnclosedQuote => "unclosed-quote",
            Self::StrayQuote => "stray-quote",
            Self::ShortRecords => "short-records",
            Self::LongRecords => "long-records",
            Self::ValuesCut => "values-cut",
            Self::BeforeFirstStart => "before-first-start",
            Self::LongLines => "long-lines",
            Self::ShortLines => "short-lines",
            Self::TabsInFixed => "tabs-in-fixed",
            Self::BrokenCycle => "broken-cycle",
            Self::LayoutUnsure => "layout-unsure",
            Self::ColumnsTouch => "columns-touch",
            Self::FewRecords => "few-records",
            Self::RecordTypes => "record-types",
            Self::Report => "report",
            Self::NoTable => "no-table",
            Self::LayoutChanges => "layout-changes",
            Self::MixedEncodings => "mixed-encodings",
            Self::EncodingUnsure => "encoding-unsure",
            Self::ValuesUnwrapped => "values-unwrapped",
            Self::NamesMended => "names-mended",
            Self::DateOrderUnknown => "date-order-unknown",
            Self::DecimalCharUnknown => "decimal-char-unknown",
            Self::Misfits => "misfits",
            Self::TotalDiffers => "total-differs",
            Self::CountDiffers => "count-differs",
            Self::FirstRows => "first-rows",
            Self::NothingLike => "nothing-like",
            Self::LinesSetAside => "lines-set-aside",
            Self::TotalsUnproved => "totals-unproved",
            Self::RowsLeftOut => "rows-left-out",
            Self::NoRows => "no-rows",
            Self::RolledUp => "rolled-up",
            Self::NotComputed => "not-computed",
            Self::NoRecords => "no-records",
            Self::MoreSetAside => "more-set-aside",
            Self::FormulaLike => "formula-like",
            Self::MarksByLocale => "marks-by-locale",
            Self::MixedSymbols => "mixed-symbols",
            Self::SheetKinds => "sheet-kinds",
            Self::SheetProtected => "sheet-protected",
            Self::RowsShown => "rows-shown",
            Self::RangesEnd => "ranges-end",
            Self::ValuesAmongFormulas => "values-among-formulas",
            Self::CommentsStay => "comments-stay",
            Self::NarrowColumns => "narrow-columns",
            Self::DocketColumns => "docket-columns",
            Self::DocketKind => "docket-kind",
            Self::DocketChanges => "docket-changes",
        }
    }

    /// Whether someone should look before the result is used (exit status 1).
    pub fn needs_a_look(self) -> bool {
        matches!(
            self,
            Self::UndecodableBytes
                | Self::UnclosedQuote
                | Self::LongRecords
                | Self::ValuesCut
                | Self::BrokenCycle
                | Self::LayoutUnsure
                | Self::ColumnsTouch
                | Self::FewRecords
                | Self::RecordTypes
                | Self::Report
                | Self::NoTable
                | Self::LayoutChanges
                | Self::MixedEncodings
                | Self::EncodingUnsure
                | Self::DateOrderUnknown
                | Self::DecimalCharUnknown
                | Self::Misfits
                | Self::DocketKind
                | Self::TotalDiffers
                | Self::CountDiffers
                | Self::TotalsUnproved
                | Self::LinesSetAside
                | Self::NothingLike
                | Self::NoRows
                | Self::NotComputed
                | Self::CommentsStay
                | Self::RangesEnd
                | Self::ValuesAmongFormulas
        )
    }
}

/// Something the clerk should know.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Notice {
    /// What it is about.
    pub code: NoticeCode,
    /// In words: what, and what to do about it.
    pub message: String,
    /// Line of the source, from 1.
    pub line: Option<u64>,
    /// Column of the table, from 1.
    pub column: Option<usize>,
    /// Character in the line, from 1.
    pub position: Option<usize>,
}

impl Notice {
    /// A notice about the source as a whole.
    pub fn new(code: NoticeCode, message: impl Into<String>) -> Self {
        Self { code, message: message.into(), line: None, column: None, position: None }
    }

    /// The same with its line.
    #[must_use]
    pub fn at_line(mut self, line: u64) -> Self {
        self.line = Some(line);
        self
    }

    /// The same with its column.
    #[must_use]
    pub fn in_column(mut self, column: usize) -> Self {
        self.column = Some(column);
        self
    }
}
