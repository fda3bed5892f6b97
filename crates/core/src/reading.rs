//! The reading: everything that was decided about a source, each part with its reason.

use crate::encoding::Encoding;
use crate::evidence::{DecidedBy, Decision};
use crate::kind::date::DateOrder;
use crate::kind::decide::{Doubt, Surroundings, Verdict, decide, named};
use crate::kind::force::force;
use crate::kind::statistics::Padding;
use crate::kind::{ColumnStats, Count, Decimal, Kind, Rule, Value, number, pattern, statistics};
use crate::layout::{Layout, LayoutChoices, LayoutDoubt, NamedValue, SetAside, Total, fixed, named_values};
use crate::notice::{Notice, NoticeCode};
use crate::record::{Division, Multiline, Unit};
use crate::rows::{Aside, Role};
use crate::settings::BadSetting;
use crate::settings::selector::{AsChoice, Selector};
use crate::shape::{DerivedColumn, ShapingChoices};
use crate::survey::Survey;
use crate::words::counted;

/// How many records are surveyed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scan {
    /// All of them.
    #[default]
    All,
    /// The first so many.
    First(u64),
}

/// What the clerk or a docket says about reading a source; everything left open is detected.
#[derive(Clone, Debug, Default)]
pub struct Choices {
    /// The encoding.
    pub encoding: Option<Encoding>,
    /// Who says what the encoding is; nobody else than the clerk if this is open.
    pub encoding_by: Option<DecidedBy>,
    /// How records are cut and where they stand.
    pub layout: LayoutChoices,
    /// The decimal character of all columns.
    pub decimal: Option<Decimal>,
    /// Spellings that mean empty.
    pub blank: Vec<String>,
    /// The same for single columns, by name.
    pub blank_in: Vec<(String, Vec<String>)>,
    /// Whether blank lines among the records are records.
    pub keeps_blank_rows: bool,
    /// Kinds that columns must have; later ones win.
    pub kinds: Vec<AsChoice>,
    /// The columns that are wanted; empty: all.
    pub only: Vec<Selector>,
    /// Names for all columns, instead of those in the source.
    pub names: Option<Vec<String>>,
    /// How many records are surveyed.
    pub scan: Scan,
    /// What becomes of rows on the way in.
    pub shaping: ShapingChoices,
}

impl Choices {
    /// The same for a first look at a source whose rows are shaped: all columns are wanted, and those that are made are not there yet.
    #[must_use]
    pub fn before_shaping(&self) -> Self {
        let mut choices = Self { shaping: ShapingChoices::default(), only: Vec::new(), ..self.clone() };
        choices.kinds.retain(|choice| choice.kind != Kind::Skip);
        for choice in &mut choices.kinds {
            choice.by = DecidedBy::Docket;
        }
        choices
    }
}

/// How lines end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineEnd {
    /// Line feed.
    Lf,
    /// Carriage return and line feed.
    Crlf,
    /// Carriage return.
    Cr,
    /// Several of them.
    Mixed,
    /// There is no line end.
    None,
}

impl LineEnd {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Lf => "lf",
            Self::Crlf => "crlf",
            Self::Cr => "cr",
            Self::Mixed => "mixed",
            Self::None => "none",
        }
    }

    /// How the lines of decoded samples end. `lone_cr`: a carriage return alone ends a line.
    pub fn of(samples: &[&[u8]], lone_cr: bool) -> Self {
        let (mut lf, mut crlf, mut cr) = (0, 0, 0);
        for sample in samples {
            for at in memchr::memchr2_iter(b'\n', b'\r', sample) {
                match (sample[at], at.checked_sub(1).map(|b| sample[b]), sample.get(at + 1)) {
                    (b'\n', Some(b'\r'), _) => crlf += 1,
                    (b'\n', ..) => lf += 1,
                    (_, _, Some(b'\n')) => {}
                    _ => cr += usize::from(lone_cr),
                }
            }
        }
        match (lf > 0, crlf > 0, cr > 0) {
            (false, false, false) => Self::None,
            (true, false, false) => Self::Lf,
            (false, true, false) => Self::Crlf,
            (false, false, true) => Self::Cr,
            _ => Self::Mixed,
        }
    }
}

/// Blanks around the values of a column that are the same everywhere, so that they can be written back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Pad {
    /// So many blanks in front and behind.
    Fixed(u32, u32),
    /// Filled with blanks in front up to so many characters.
    Right(u32),
    /// Filled with blanks behind up to so many characters.
    Left(u32),
    /// Filled with blanks in front up to so many characters, the second number of which are blanks behind.
    RightOf(u32, u32),
    /// Filled with blanks behind up to so many characters, the second number of which are blanks in front.
    LeftOf(u32, u32),
    /// As many as a fixed layout needs to put a number or a date at its place.
    Layout,
}

impl Pad {
    fn of(padding: Padding) -> Option<Self> {
        let Padding { front, behind, width } = padding;
        if front.1 == 0 && behind.1 == 0 {
            None
        } else if front.0 == front.1 && behind.0 == behind.1 {
            Some(Self::Fixed(front.0, behind.0))
        } else if width.0 == width.1 && behind.1 == 0 {
            Some(Self::Right(width.0))
        } else if width.0 == width.1 && front.1 == 0 {
            Some(Self::Left(width.0))
        } else if width.0 == width.1 && behind.0 == behind.1 {
            Some(Self::RightOf(width.0, behind.0))
        } else if width.0 == width.1 && front.0 == front.1 {
            Some(Self::LeftOf(width.0, front.0))
        } else {
            None
        }
    }

    /// The blanks around the values of a column, by its rule and its layout.
    fn around(stats: &ColumnStats, rule: &Rule, is_fixed: bool) -> Option<Self> {
        let padding = stats.padding?;
        let by_layout = is_fixed && rule.kind() != Kind::Text && padding.front.1 > 0;
        Self::of(padding).or(by_layout.then_some(Self::Layout))
    }

    /// Whether `field` is `value` with these blanks around. `scratch`: room for the field that the value would have had.
    pub fn is_around(self, value: &[u8], field: &[u8], scratch: &mut Vec<u8>) -> bool {
        if self == Self::Layout {
            return statistics::trim(field).0 == value;
        }
        scratch.clear();
        self.restore(value, scratch);
        scratch == field
    }

    /// The field that `value` had, appended to `out`. What the layout puts around it is not.
    pub fn restore(self, value: &[u8], out: &mut Vec<u8>) {
        let blanks = |out: &mut Vec<u8>, n: usize| out.resize(out.len() + n, b' ');
        let missing = |width: u32| {
            let own =
                if value.is_ascii() { value.len() } else { String::from_utf8_lossy(value).chars().count() };
            (width as usize).saturating_sub(own)
        };
        match self {
            Self::Fixed(front, behind) => {
                blanks(out, front as usize);
                out.extend_from_slice(value);
                blanks(out, behind as usize);
            }
            Self::Right(width) => {
                blanks(out, missing(width));
                out.extend_from_slice(value);
            }
            Self::Left(width) => {
                out.extend_from_slice(value);
                blanks(out, missing(width));
            }
            Self::RightOf(width, behind) => {
                blanks(out, missing(width.saturating_sub(behind)));
                out.extend_from_slice(value);
                blanks(out, behind as usize);
            }
            Self::LeftOf(width, front) => {
                blanks(out, front as usize);
                out.extend_from_slice(value);
                blanks(out, missing(width.saturating_sub(front)));
            }
            Self::Layout => out.extend_from_slice(value),
        }
    }
}

/// A column as it is read.
#[derive(Clone, Debug)]
pub struct ColumnReading {
    /// From 1, in the source.
    pub number: usize,
    /// Unique and not empty.
    pub name: String,
    /// The unit that stands below the name.
    pub unit: Option<String>,
    /// How its fields are read.
    pub rule: Rule,
    /// Who says so.
    pub decided_by: DecidedBy,
    /// Why.
    pub why: String,
    /// What cannot be told.
    pub doubt: Option<Doubt>,
    /// Values that do not fit, as far as the survey tells.
    pub misfits: Count,
    /// Blanks around its values.
    pub pad: Option<Pad>,
    /// Whether a number that is missing is written as 0.
    pub zero_if_blank: bool,
    /// What was seen of it.
    pub stats: ColumnStats,
}

impl ColumnReading {
    /// Whether the column is written.
    pub fn is_wanted(&self) -> bool {
        self.rule != Rule::Skip
    }

    /// Reads one of its fields.
    #[inline]
    pub fn read<'f>(&self, field: &'f [u8]) -> Value<'f> {
        match self.rule.read(field) {
            Value::Text(text) if self.pad.is_some() => Value::Text(statistics::trim(text).0),
            value => value,
        }
    }

    /// The format in words: a date pattern or a sample of a number.
    pub fn format(&self) -> Option<String> {
        match &self.rule {
            Rule::Date(rule) => Some(pattern::of_date_rule(rule)),
            Rule::Number(rule) => Some(pattern::of_number_rule(rule)),
            Rule::Boolean(rule) => Some(format!("{}/{}", rule.yes, rule.no)),
            Rule::Text | Rule::Skip => None,
        }
    }

    /// The orders of day and month that its values allow, with the pattern of each.
    pub fn date_patterns(&self) -> Vec<(DateOrder, String)> {
        both_patterns(&self.stats)
    }

    /// The column's decimal and group characters, where its numbers show them.
    pub fn marks(&self) -> (Option<char>, Option<&'static str>) {
        match &self.rule {
            Rule::Number(rule) => {
                let marked = rule.spellings.iter().any(|s| s.has_mark());
                let group = Some(rule.group.text()).filter(|g| !g.is_empty());
                (marked.then_some(rule.decimal.char()), group)
            }
            _ => (None, None),
        }
    }
}

/// Everything that was decided about a source.
#[derive(Clone, Debug)]
pub struct Reading {
    /// The encoding.
    pub encoding: Decision<Encoding>,
    /// Length of the byte order mark in bytes.
    pub bom_bytes: usize,
    /// How lines end.
    pub line_end: LineEnd,
    /// The layout.
    pub layout: Layout,
    /// Values named in the lines above the header.
    pub values: Vec<NamedValue>,
    /// Records.
    pub records: u64,
    /// The columns.
    pub columns: Vec<ColumnReading>,
    /// Lines that are no records, in their order.
    pub set_aside: Vec<SetAside>,
    /// What the clerk should know.
    pub notices: Vec<Notice>,
}

/// Puts together what was found: kinds, names, notices. `head`: the first lines, decoded.
///
/// # Errors
/// [`BadSetting`] if the choices do not fit the source: a column that is not there, a pattern that is none.
pub fn conclude(
    encoding: Decision<Encoding>,
    bom_bytes: usize,
    line_end: LineEnd,
    layout: Layout,
    survey: &Survey,
    choices: &Choices,
    head: &[u8],
) -> Result<Reading, BadSetting> {
    let mut notices = Vec::new();
    let names = names(&layout, survey, choices, &mut notices)?;
    let kinds = stated_kinds(&names, choices)?;
    let made = layout.shaping.as_ref().map_or(&[][..], |shaping| shaping.columns());
    let own = survey.columns.len().saturating_sub(made.len());
    let file_decimal = choices
        .decimal
        .map(|d| (d, "stated".to_owned()))
        .or_else(|| decimal_of_file(&survey.columns, &names));
    let mut columns = Vec::new();
    for (place, stats) in survey.columns.iter().enumerate() {
        let multiline = layout.dialect.value.division.multiline();
        let around = Surroundings {
            begins_records: place == 0 && matches!(multiline, Some(Multiline::Continued(_))),
            decimal: file_decimal.clone(),
            unique: survey.is_unique(place),
            total_agrees: layout.footer.total.as_ref().is_some_and(|t| total_agrees(t, place, stats)),
        };
        let name = &names[place];
        let (mut verdict, decided_by) = if let Some((stated, option)) = &kinds[place] {
            let by = stated.decided_by;
            let format = stated.format.as_deref();
            let mut verdict = force(stats, stated.kind, format, &around, choices.decimal)
                .map_err(|why| BadSetting::new("as", option, format!("{name}: {why}")))?;
            verdict.why = if option.is_empty() {
                "not among the columns wanted".into()
            } else {
                match by {
                    DecidedBy::Docket => "from the docket".to_owned(),
                    _ => format!("stated: --as {option}"),
                }
            };
            (verdict, by)
        } else {
            let verdict = match place.checked_sub(own).and_then(|n| made.get(n)) {
                Some(column) => made_verdict(column, stats, name, &around),
                None => judged(stats, name, &around, choices.decimal),
            };
            (verdict, DecidedBy::Detected)
        };
        let trailing = place + 1 == survey.columns.len() && place > 0 && made.is_empty();
        let unnamed = layout.names.get(place).is_none_or(String::is_empty);
        if let Some(start) = layout.dialect.value.division.fixed().and_then(|f| f.starts.get(place))
            && kinds[place].is_none()
            && stats.filled == 0
            && survey.records > 0
        {
            verdict.why = format!("always empty: no line has a value at position {} or after it", start + 1);
        }
        let delimited = layout.dialect.value.division == Division::Delimited;
        if kinds[place].is_none()
            && stats.filled == 0
            && trailing
            && unnamed
            && survey.records > 0
            && delimited
        {
            verdict = Verdict {
                rule: Rule::Skip,
                why: "lines end with a delimiter; there is nothing after it".into(),
                ..verdict
            };
        }
        if let Scan::First(_) = choices.scan {
            widen(&mut verdict.rule);
        }
        columns.push(ColumnReading {
            number: place + 1,
            name: name.clone(),
            unit: layout.units.get(place).filter(|u| !u.is_empty()).cloned(),
            pad: Pad::around(stats, &verdict.rule, layout.dialect.value.division.fixed().is_some()),
            rule: verdict.rule,
            decided_by,
            why: verdict.why,
            doubt: verdict.doubt,
            misfits: verdict.misfits,
            zero_if_blank: false,
            stats: stats.clone(),
        });
    }
    if let Some(both) = encoding.runner_up.as_ref().filter(|r| matches!(r.value, Encoding::Utf8Or(_))) {
        let message = format!(
            "some characters are UTF-8, others are not ({}); read as {} throughout: --encoding {} reads both",
            encoding.why,
            encoding.value.name(),
            both.value.name()
        );
        notices.push(Notice::new(NoticeCode::MixedEncodings, message));
    }
    if let Some(rival) = encoding.runner_up.as_ref().filter(|r| r.is_close) {
        let message = format!(
            "the words are nearly as likely in {0}, which {1}: look at them in the preview; if they are wrong, use --encoding {0}",
            rival.value.name(),
            rival.why
        );
        notices.push(Notice::new(NoticeCode::EncodingUnsure, message));
    }
    column_notices(&columns, &mut notices);
    line_notices(survey, &layout, &mut notices);
    if let Some(doubt) = &layout.doubt {
        let code = match doubt {
            LayoutDoubt::ColumnsTouch(_) | LayoutDoubt::MayTouch(_) => NoticeCode::ColumnsTouch,
            LayoutDoubt::Report => NoticeCode::Report,
            LayoutDoubt::NoTable(_) => NoticeCode::NoTable,
            LayoutDoubt::FewRecords(_) => NoticeCode::FewRecords,
            LayoutDoubt::RecordTypes(_) => NoticeCode::RecordTypes,
            LayoutDoubt::RunnerUp
            | LayoutDoubt::Unnamed
            | LayoutDoubt::RunsOfBlanks
            | LayoutDoubt::Uneven(..)
            | LayoutDoubt::NamesAbove(_) => NoticeCode::LayoutUnsure,
        };
        notices.push(Notice::new(code, doubt.message(&layout)));
    }
    if let Some(change) = survey.facts.change {
        let message = format!(
            "from here on records have {} fields instead of {}: the layout changes; --lines 1..{} and --lines {}..{} read the parts",
            change.fields,
            layout.width,
            change.line - 1,
            change.line,
            survey.lines
        );
        notices.push(Notice::new(NoticeCode::LayoutChanges, message).at_line(change.line));
    }
    fixed_notices(survey, &layout, &columns, head, &mut notices);
    shaping_notices(survey, &layout, &mut notices);
    for (rule, count) in layout.line_rules.iter().zip(&survey.facts.stated) {
        if count.count == 0 && rule.role != Role::Heading {
            let message =
                format!("no line is like the {} that was stated: {}", rule.role.word(), rule.said());
            notices.push(Notice::new(NoticeCode::NothingLike, message));
        }
    }
    notices.extend(first_rows_notice(&layout, &columns, choices));
    if let Some(total) = &layout.footer.total {
        total_notices(total, survey.lines, &layout, &columns, &mut notices);
    }
    let mut set_aside = layout.set_aside.clone();
    if let Some(units) = layout.units_line {
        let lines = layout.lines_before_data + 1 - units;
        set_aside.push(SetAside { line: units, lines, why: Aside::Units });
    }
    set_aside.extend(survey.facts.set_aside.iter().cloned());
    let footer_shift = survey.lines - layout.footer.lines_before.min(survey.lines);
    set_aside.extend(
        layout.footer.set_aside.iter().map(|s| SetAside { line: s.line + footer_shift, ..s.clone() }),
    );
    let strange = || set_aside.iter().filter(|aside| aside.why == Aside::Heading);
    if let Some(first) = strange().next().filter(|_| notices.iter().all(|n| n.code != NoticeCode::Report)) {
        let lines = strange().map(|aside| aside.lines).sum();
        let message = format!(
            "{} read as no record: look at it, or say --layout fixed to keep every line",
            counted(lines, "line among the records is", "lines among the records are")
        );
        notices.push(Notice::new(NoticeCode::LinesSetAside, message).at_line(first.line));
    }
    notices.sort_by_key(|n| !n.code.needs_a_look());
    Ok(Reading {
        encoding,
        bom_bytes,
        line_end,
        values: named_values(head, &layout),
        layout,
        records: survey.records,
        columns,
        set_aside,
        notices,
    })
}

/// Says that columns look as if their values held for the records below, where nothing proves it and nobody said so.
/// What became of records that are shaped.
fn shaping_notices(survey: &Survey, layout: &Layout, notices: &mut Vec<Notice>) {
    let Some(shaping) = &layout.shaping else { return };
    let shaped = &survey.facts.shaped;
    if shaped.left_out() > 0 {
        let mut parts = Vec::new();
        for (count, what) in [
            (shaped.not_met, "not meeting the condition"),
            (
                shaped.unknown,
                "of which it is unknown whether they meet it (a value is empty or cannot be computed)",
            ),
            (shaped.repeated, "repeating another one"),
        ] {
            if count.count > 0 {
                parts.push(format!("{} {what}", counted(count.count, "record", "records")));
            }
        }
        let all = survey.records + shaped.left_out();
        let rows = counted(survey.records, "is a row", "are rows");
        let message =
            format!("of {} {rows}; left out: {}", counted(all, "record", "records"), parts.join(", "));
        let code = if survey.records == 0 { NoticeCode::NoRows } else { NoticeCode::RowsLeftOut };
        notices.push(Notice::new(code, message));
    }
    for (n, ((count, fault), column)) in shaped.unmade.iter().zip(shaping.columns()).enumerate() {
        let Some(fault) = fault.filter(|_| count.count > 0) else { continue };
        let message = match column.kind {
            Some(_) => format!(
                "\u{201c}{}\u{201d}: {} not be computed and stay empty, the first one because of: {}",
                column.name,
                counted(count.count, "value can", "values can"),
                fault.words()
            ),
            None => format!(
                "\u{201c}{}\u{201d} and its neighbours: {} other parts than the rest; what is left over stays in the last part",
                column.name,
                counted(count.count, "value has", "values have"),
            ),
        };
        let number = shaping.base() + n + 1;
        notices.push(Notice::new(NoticeCode::NotComputed, message).at_line(count.line).in_column(number));
    }
}

fn first_rows_notice(layout: &Layout, columns: &[ColumnReading], choices: &Choices) -> Option<Notice> {
    let is_open = layout.carried_down.is_empty() && choices.layout.carry.is_none();
    let places = &layout.first_rows.columns;
    let own: Vec<&ColumnReading> = places.iter().filter_map(|place| columns.get(*place)).collect();
    let inner = own.last().filter(|inner| is_open && inner.stats.filled > 1 && inner.stats.blank > 1)?;
    let names: Vec<&str> = own.iter().map(|column| column.name.as_str()).collect();
    let quoted: Vec<String> = names.iter().map(|name| format!("\u{201c}{name}\u{201d}")).collect();
    let message = format!(
        "{}: only {} of {} records have a value; if it holds for the records below as well: --carry '{}'",
        quoted.join(", "),
        inner.stats.filled,
        inner.stats.filled + inner.stats.blank,
        names.join(",")
    );
    let mut notice = Notice::new(NoticeCode::FirstRows, message);
    notice.column = own.first().map(|column| column.number);
    Some(notice)
}

/// The verdict on a column that is made of others: what its expression says, or, for a part of one, what it holds.
fn made_verdict(column: &DerivedColumn, stats: &ColumnStats, name: &str, around: &Surroundings) -> Verdict {
    let format = match column.kind {
        Some(Kind::Boolean) => Some("true/false"),
        _ => None,
    };
    let plain = Surroundings { decimal: Some((Decimal::Point, String::new())), ..around.clone() };
    let stated = column.kind.filter(|_| stats.filled > 0);
    let verdict = match stated {
        Some(kind) => force(stats, kind, format, &plain, Some(Decimal::Point)).ok(),
        None if column.kind.is_some() => force(stats, Kind::Text, None, &plain, None).ok(),
        None => None,
    };
    let mut verdict = verdict.unwrap_or_else(|| decide(stats, name, around));
    let short: String = column.why.chars().take(80).collect();
    verdict.why = match column.kind {
        Some(_) => format!("computed: {short}"),
        None => format!("{short}; {}", verdict.why),
    };
    verdict
}

/// The verdict on a column whose decimal character may be stated.
fn judged(stats: &ColumnStats, name: &str, around: &Surroundings, stated: Option<Decimal>) -> Verdict {
    let verdict = decide(stats, name, around);
    match (&verdict.rule, stated) {
        // What was stated wins over what the column shows.
        (Rule::Number(rule), Some(decimal))
            if rule.decimal != decimal && stats.point.is_some() | stats.comma.is_some() =>
        {
            let numbers = stats.numbers(decimal);
            if numbers.count + stats.words.seen.count == stats.filled {
                force(stats, Kind::Number, None, around, Some(decimal)).unwrap_or(verdict)
            } else {
                verdict
            }
        }
        _ => verdict,
    }
}

/// Names of all columns, unique and not empty.
fn names(
    layout: &Layout,
    survey: &Survey,
    choices: &Choices,
    notices: &mut Vec<Notice>,
) -> Result<Vec<String>, BadSetting> {
    let count = survey.columns.len();
    let mut names: Vec<String> = layout.names.clone();
    let made = layout.shaping.as_ref().map_or(&[][..], |shaping| shaping.columns());
    let own = count.saturating_sub(made.len());
    if !layout.headings.is_empty() {
        names.resize(own.saturating_sub(layout.headings.len()), String::new());
        names.extend(layout.headings.names().map(str::to_owned));
    }
    if let Some(stated) = &choices.names {
        if stated.len() != own {
            let found: Vec<String> = (0..own).map(|i| names.get(i).cloned().unwrap_or_default()).collect();
            let why = format!(
                "{} names are given for {own} columns\n  given:  {}\n  source: {}",
                stated.len(),
                stated.join(", "),
                found.join(", ")
            );
            return Err(BadSetting::new("names", "", why));
        }
        names.clone_from(stated);
    }
    names.resize(own, String::new());
    names.extend(made.iter().map(|column| column.name.clone()));
    names.resize(count, String::new());
    let has_header = layout.header_line.is_some() || choices.names.is_some();
    let mut mended = Vec::new();
    let mut taken: std::collections::HashSet<String> = std::collections::HashSet::new();
    for (place, name) in names.iter_mut().enumerate() {
        // No cell, and no table column, has a name of more than 255 characters.
        let wanted: String = name.chars().take(255).collect();
        let base = if wanted.is_empty() { format!("Column {}", place + 1) } else { wanted.clone() };
        let mut unique = base.clone();
        let mut n = 2;
        while !taken.insert(unique.to_lowercase()) {
            unique = format!("{base} ({n})");
            n += 1;
        }
        if has_header && unique != *name {
            mended.push(format!("{} is called \u{201c}{unique}\u{201d}", place + 1));
        }
        *name = unique;
    }
    if !mended.is_empty() {
        let shown = mended.iter().take(5).cloned().collect::<Vec<_>>().join(", column ");
        let more = if mended.len() > 5 { format!(", and {} more", mended.len() - 5) } else { String::new() };
        let message = format!("names repeat or are missing: column {shown}{more}");
        let mut notice = Notice::new(NoticeCode::NamesMended, message);
        notice.line = layout.header_line;
        notices.push(notice);
    }
    Ok(names)
}

/// A kind that was stated for a column, and by whom.
#[derive(Clone, Debug)]
struct Stated {
    kind: Kind,
    format: Option<String>,
    decided_by: DecidedBy,
}

fn stated_kinds(names: &[String], choices: &Choices) -> Result<Vec<Option<(Stated, String)>>, BadSetting> {
    let mut kinds: Vec<Option<(Stated, String)>> = vec![None; names.len()];
    let missing = |key: &'static str, value: &str, selector: &Selector| {
        BadSetting::no_such_column(key, value, selector, names)
    };
    if !choices.only.is_empty() {
        let skip = Stated { kind: Kind::Skip, format: None, decided_by: DecidedBy::Given };
        kinds.fill(Some((skip, String::new())));
        for selector in &choices.only {
            let places = selector.places(names);
            if places.is_empty() {
                return Err(missing("only", "", selector));
            }
            for place in places {
                kinds[place] = None;
            }
        }
    }
    for choice in &choices.kinds {
        let places = choice.selector.places(names);
        let format = choice.format.as_ref().map(|f| format!(":{f}")).unwrap_or_default();
        let option = format!("{}={}{format}", choice.selector.text(), choice.kind.word());
        if places.is_empty() {
            // What a docket describes and the source lacks is told by whoever found the docket.
            if choice.by == DecidedBy::Docket {
                continue;
            }
            return Err(missing("as", &option, &choice.selector));
        }
        for place in places {
            // What is not wanted stays out, unless it is named on its own.
            if kinds[place].as_ref().is_some_and(|(_, option)| option.is_empty()) {
                continue;
            }
            let stated = Stated { kind: choice.kind, format: choice.format.clone(), decided_by: choice.by };
            kinds[place] = Some((stated, option.clone()));
        }
    }
    Ok(kinds)
}

/// The decimal character that the columns prove, if they agree.
fn decimal_of_file(columns: &[ColumnStats], names: &[String]) -> Option<(Decimal, String)> {
    let mut found: Option<(Decimal, String)> = None;
    for (stats, name) in columns.iter().zip(names) {
        // Columns of numbers only: a word with a comma proves nothing.
        let numbers =
            [&stats.point, &stats.comma].map(|n| n.as_ref().map_or(0, |n| n.count)).into_iter().max()?;
        let total = numbers + stats.neutral.count + stats.words.seen.count;
        if total < stats.filled || stats.filled == 0 {
            continue;
        }
        let proof =
            |n: &Option<Box<statistics::Numbers>>| n.as_ref().map(|n| n.decisive).filter(|d| d.count > 0);
        let decimal = match (proof(&stats.point), proof(&stats.comma)) {
            (Some(d), None) => (Decimal::Point, d),
            (None, Some(d)) => (Decimal::Comma, d),
            _ => continue,
        };
        match &found {
            Some((known, _)) if *known != decimal.0 => return None,
            Some(_) => {}
            None => {
                found = Some((
                    decimal.0,
                    format!("column \u{201c}{name}\u{201d} shows in line {}", decimal.1.line),
                ));
            }
        }
    }
    found
}

/// Spellings that a limited survey may have missed.
fn widen(rule: &mut Rule) {
    if let Rule::Number(rule) = rule {
        let mut more = Vec::new();
        for spelling in rule.spellings.iter().map(|s| s.spelling()) {
            for decimals in 0..=6_u8 {
                for sign in [spelling.sign, number::Sign::None, number::Sign::Minus] {
                    let wider = number::NumberSpelling { decimals, mark: decimals > 0, sign, ..spelling };
                    more.push(wider.code());
                }
            }
        }
        rule.spellings.extend(more);
        rule.spellings.sort_unstable();
        rule.spellings.dedup();
    }
}

/// The sum that a total line states for a column, under a decimal character.
fn stated_total(total: &Total, place: usize, decimal: Decimal) -> Option<number::Number> {
    let field = statistics::trim(total.fields.get(place)?).0;
    number::parse(field, decimal).ok()
}

fn total_agrees(total: &Total, place: usize, stats: &ColumnStats) -> bool {
    [Decimal::Point, Decimal::Comma].into_iter().any(|decimal| {
        let numbers = stats.numbers(decimal);
        let stated = stated_total(total, place, decimal).and_then(|n| number::in_units(&n));
        numbers.count > 1 && numbers.sum.is_exact() && stated == Some(numbers.sum.units())
    })
}

fn total_notices(
    total: &Total,
    lines: u64,
    layout: &Layout,
    columns: &[ColumnReading],
    notices: &mut Vec<Notice>,
) {
    for (place, column) in columns.iter().enumerate() {
        let Rule::Number(rule) = &column.rule else { continue };
        let Some(stated) = stated_total(total, place, rule.decimal) else { continue };
        let sum = column.stats.numbers(rule.decimal).sum;
        let Some(units) = number::in_units(&stated).filter(|u| *u != sum.units() && sum.is_exact()) else {
            continue;
        };
        let decimals = stated.spelling.decimals();
        let message = format!(
            "the total line says {} for \u{201c}{}\u{201d}, but the records add up to {}: {} apart",
            number::units_text(units, decimals),
            column.name,
            sum.text(decimals),
            number::units_text((units - sum.units()).abs(), decimals)
        );
        let shift = lines - layout.footer.lines_before.min(lines);
        notices.push(
            Notice::new(NoticeCode::TotalDiffers, message).at_line(total.line + shift).in_column(place + 1),
        );
    }
}

fn column_notices(columns: &[ColumnReading], notices: &mut Vec<Notice>) {
    let commas: Vec<&ColumnReading> = columns.iter().filter(|c| c.marks().0 == Some(',')).collect();
    if let Some(first) = commas.first() {
        let names: Vec<String> = commas.iter().map(|c| format!("\u{201c}{}\u{201d}", c.name)).collect();
        let message = format!(
            "{}: the sheet shows numbers with the decimal character of the viewer's country; the file has {}",
            names.join(", "),
            named(Decimal::Comma)
        );
        notices.push(Notice::new(NoticeCode::MarksByLocale, message).in_column(first.number));
    }
    for column in columns.iter().filter(|c| c.is_wanted()) {
        let name = &column.name;
        let number = column.number;
        match column.doubt {
            Some(Doubt::DateOrder) => {
                let patterns: Vec<String> = both_patterns(&column.stats).into_iter().map(|p| p.1).collect();
                let message = format!(
                    "\u{201c}{name}\u{201d}: {}; it stays text until you use --as '{name}=date:{}'",
                    column.why,
                    patterns.join(&format!("' or --as '{name}=date:"))
                );
                notices.push(Notice::new(NoticeCode::DateOrderUnknown, message).in_column(number));
            }
            Some(Doubt::DecimalChar) => {
                let message = format!(
                    "\u{201c}{name}\u{201d}: {}; it stays text until you use --decimal-char , or --decimal-char .",
                    column.why
                );
                notices.push(Notice::new(NoticeCode::DecimalCharUnknown, message).in_column(number));
            }
            None => {}
        }
        if column.misfits.count > 0 {
            let message = format!(
                "\u{201c}{name}\u{201d}: {} not {} and {} kept as text",
                counted(column.misfits.count, "value is", "values are"),
                column.rule.kind().named(column.misfits.count),
                if column.misfits.count == 1 { "is" } else { "are" }
            );
            let mut notice = Notice::new(NoticeCode::Misfits, message).in_column(number);
            notice.line = Some(column.misfits.line).filter(|l| *l > 0);
            notices.push(notice);
        }
        if let Rule::Number(rule) = &column.rule {
            let mut symbols: Vec<String> = rule
                .spellings
                .iter()
                .filter_map(|s| s.spelling().affix)
                .map(|a| a.symbol.text().to_owned())
                .collect();
            symbols.sort_unstable();
            symbols.dedup();
            if symbols.len() > 1 {
                let message = format!(
                    "\u{201c}{name}\u{201d} holds {} in one column: a sum means nothing",
                    symbols.join(" and ")
                );
                notices.push(Notice::new(NoticeCode::MixedSymbols, message).in_column(number));
            }
        }
        let stats = &column.stats;
        for (count, how) in [
            (stats.formulas, "written as =\"…\""),
            (stats.apostrophes, "written with an apostrophe before it"),
        ] {
            if count.count > 0 {
                let message = format!(
                    "\u{201c}{name}\u{201d}: {} {how} to stay text, and unwrapped",
                    counted(count.count, "value was", "values were")
                );
                let notice = Notice::new(NoticeCode::ValuesUnwrapped, message).at_line(count.line);
                notices.push(notice.in_column(number));
            }
        }
        if column.stats.formula_like.count > 0 {
            let message = format!(
                "\u{201c}{name}\u{201d}: {} with = + - or @ and {} written as text, never as {}",
                counted(column.stats.formula_like.count, "value begins", "values begin"),
                if column.stats.formula_like.count == 1 { "is" } else { "are" },
                if column.stats.formula_like.count == 1 { "a formula" } else { "formulas" },
            );
            notices.push(
                Notice::new(NoticeCode::FormulaLike, message)
                    .at_line(column.stats.formula_like.line)
                    .in_column(number),
            );
        }
    }
}

fn both_patterns(stats: &ColumnStats) -> Vec<(DateOrder, String)> {
    let Some(dates) = stats.dates.iter().max_by_key(|d| d.count) else { return Vec::new() };
    let spelling = dates.spellings.sorted().last().copied().unwrap_or_default();
    (0..3)
        .filter(|i| dates.orders[*i].count > 0)
        .map(|i| statistics::ORDERS[i])
        .map(|order| (order, pattern::date_text(&dates.shape, order, &spelling, dates.zone.text())))
        .collect()
}

/// Starts that stand inside values, with the words that would move them.
fn fixed_notices(
    survey: &Survey,
    layout: &Layout,
    columns: &[ColumnReading],
    head: &[u8],
    notices: &mut Vec<Notice>,
) {
    let Some(fixed) = layout.dialect.value.division.fixed() else { return };
    let is_stated = layout.dialect.decided_by != DecidedBy::Detected;
    let left_out = fixed::before_first_start(head, layout.lines_before_data, &fixed.starts);
    if let Some((count, line, text)) = left_out.filter(|_| is_stated) {
        let message = format!(
            "what is before start {} is in no column: \u{201c}{text}\u{201d}, and so in {} looked at; \u{201c}--add-start 1\u{201d} makes a column of it",
            fixed.starts[0] + 1,
            counted(count, "line", "lines")
        );
        notices.push(Notice::new(NoticeCode::BeforeFirstStart, message).at_line(line));
    }
    for (place, crossing) in survey.facts.crossings.iter().enumerate() {
        // A number and a word that touch are two values; two digits, or two letters, are one.
        let cut = crossing.alike;
        let (Some(start), Some(column)) = (fixed.starts.get(place), columns.get(place)) else { continue };
        if cut.count == 0 {
            continue;
        }
        let start = start + 1;
        let better = (fixed.unit == Unit::Characters)
            .then(|| fixed::better_start(head, layout.lines_before_data, &fixed.starts, place))
            .flatten()
            // A few odd lines are no reason to move a start far.
            .filter(|(to, _)| (to + 1).abs_diff(start) <= 3 || cut.count * 20 >= survey.records);
        let advice = match better {
            Some((to, 0)) => format!("--move-start {start}:{} cuts none of the lines looked at", to + 1),
            Some((to, left)) => {
                format!("--move-start {start}:{} cuts {} of the lines looked at", to + 1, left)
            }
            None if cut.count * 20 < survey.records => "look at the lines: incola inspect --raw".into(),
            None => format!("--drop-start {start} makes one column of the two"),
        };
        let before = columns.get(place.wrapping_sub(1)).map_or("", |c| c.name.as_str());
        let message = format!(
            "{} a character on both sides of start {start}, between \u{201c}{before}\u{201d} and \u{201c}{}\u{201d}: a value may be cut in two; {advice}",
            counted(cut.count, "line has", "lines have"),
            column.name
        );
        let mut notice = Notice::new(NoticeCode::ValuesCut, message).at_line(cut.line).in_column(place + 1);
        notice.position = Some(start);
        notices.push(notice);
    }
}

fn line_notices(survey: &Survey, layout: &Layout, notices: &mut Vec<Notice>) {
    let facts = &survey.facts;
    let mut located = |code, count: Count, message: String| {
        if count.count > 0 {
            notices.push(Notice::new(code, message).at_line(count.line));
        }
    };
    let bytes = facts.undecodable;
    let at: Vec<String> = facts
        .undecodable_places
        .iter()
        .take(5)
        .map(|(line, at)| format!("line {line} character {at}"))
        .collect();
    located(
        NoticeCode::UndecodableBytes,
        bytes,
        format!(
            "{} no character in this encoding and shown as \u{fffd}: {}; another --encoding may be right",
            counted(bytes.count, "place holds", "places hold"),
            at.join(", ")
        ),
    );
    located(
        NoticeCode::UnclosedQuote,
        facts.unclosed_quotes,
        format!(
            "{} opened and never closed; kept as {}",
            counted(facts.unclosed_quotes.count, "quote is", "quotes are"),
            if facts.unclosed_quotes.count == 1 { "a character" } else { "characters" }
        ),
    );
    located(
        NoticeCode::StrayQuote,
        facts.stray_quotes,
        format!(
            "{} inside a quoted field without being doubled; kept as characters",
            counted(facts.stray_quotes.count, "quote stands", "quotes stand")
        ),
    );
    // Lines that end where their last value does are the rule in fixed layouts.
    let lines_due = layout.dialect.value.division.lines_per_record();
    let delimited = layout.dialect.value.division == Division::Delimited;
    located(
        NoticeCode::ShortRecords,
        if delimited { facts.short.seen } else { Count::default() },
        format!(
            "{} fewer than {} fields (the first has {}); the missing ones are empty",
            counted(facts.short.seen.count, "record has", "records have"),
            layout.width,
            facts.short.fields
        ),
    );
    located(
        NoticeCode::LongRecords,
        facts.long.seen,
        format!(
            "{} more than {} fields (the first has {}); the extra ones have columns of their own",
            counted(facts.long.seen.count, "record has", "records have"),
            layout.width,
            facts.long.fields
        ),
    );
    for (code, count, than) in [
        (
            NoticeCode::LongLines,
            facts.too_long,
            "longer than all others; everything after the last start is one value",
        ),
        (NoticeCode::ShortLines, facts.too_short, "shorter than all others; what is missing is empty"),
    ] {
        located(code, count, format!("{} {than}", counted(count.count, "line is", "lines are")));
    }
    located(
        NoticeCode::TabsInFixed,
        facts.tabs,
        format!(
            "{} a tab, which counts as one character here: columns after it may be out of place",
            counted(facts.tabs.count, "line holds", "lines hold")
        ),
    );
    let stray: u64 = facts.set_aside.iter().filter(|s| s.why == Aside::Stray).map(|s| s.lines).sum();
    if stray > 0 || (lines_due > 1 && facts.short.seen.count > 0) {
        let mut parts = Vec::new();
        if facts.short.seen.count > 0 {
            let lack = counted(facts.short.seen.count, "record lacks", "records lack");
            parts.push(format!("{lack} lines, the first in line {}", facts.short.seen.line));
        }
        if let Some(first) = facts.set_aside.iter().find(|s| s.why == Aside::Stray) {
            let many = counted(stray, "line is one too many", "lines are too many");
            parts.push(format!("{many} and set aside, the first in line {}", first.line));
        }
        let first = facts.set_aside.iter().find(|s| s.why == Aside::Stray).map(|s| s.line);
        let short = Some(facts.short.seen.line).filter(|line| *line > 0);
        let mut notice = Notice::new(NoticeCode::BrokenCycle, parts.join("; "));
        notice.line = first.into_iter().chain(short).min();
        notices.push(notice);
    }
    let listed: u64 = facts.set_aside.iter().map(|s| s.lines).sum();
    if facts.set_aside_lines > listed {
        let message = format!("{} more lines were set aside than are listed", facts.set_aside_lines - listed);
        notices.push(Notice::new(NoticeCode::MoreSetAside, message));
    }
    if survey.records == 0 {
        notices
            .push(Notice::new(NoticeCode::NoRecords, "there are no records: only names, or nothing at all"));
    }
}
