//! What the clerk should know of a reading.

use super::{Choices, ColumnReading, both_patterns, stated_total};
use crate::evidence::DecidedBy;
use crate::kind::decide::{Doubt, named};
use crate::kind::{Count, Decimal, Rule, number};
use crate::layout::{Layout, LayoutDoubt, Total, fixed};
use crate::notice::{Notice, NoticeCode};
use crate::record::{Division, Unit};
use crate::rows::Aside;
use crate::survey::Survey;
use crate::words::counted;

/// Says that columns look as if their values held for the records below, where nothing proves it and nobody said so.
/// What became of records that are shaped.
pub(super) fn shaping_notices(survey: &Survey, layout: &Layout, notices: &mut Vec<Notice>) {
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

pub(super) fn first_rows_notice(
    layout: &Layout,
    columns: &[ColumnReading],
    choices: &Choices,
) -> Option<Notice> {
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

pub(super) fn total_notices(
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

pub(super) fn column_notices(columns: &[ColumnReading], notices: &mut Vec<Notice>) {
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

/// Starts that stand inside values, with the words that would move them, and what goes on behind the last column.
pub(super) fn fixed_notices(
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
    if let Some(last) = columns.last().filter(|_| !is_stated && survey.facts.too_long.count >= MANY_LONGER) {
        notices.extend(more_behind(last, survey.facts.too_long));
    }
}

/// Records from which on odd ones are no accident.
const FEWEST: u64 = 10;

/// Why a delimiter that was found in samples may be none, by all records: too many of them have another number of fields, or quotes where
/// no field begins or ends.
pub(super) fn breach(survey: &Survey, layout: &Layout) -> Option<Notice> {
    let (facts, records) = (&survey.facts, survey.records);
    let is_found = layout.dialect.decided_by == DecidedBy::Detected;
    if layout.dialect.value.division != Division::Delimited
        || !is_found
        || records < FEWEST
        || facts.change.is_some()
    {
        return None;
    }
    let odd = facts.short.seen.count + facts.long.seen.count;
    if odd * 5 > records {
        let doubt = LayoutDoubt::Uneven(records.saturating_sub(odd) as usize, odd as usize);
        return Some(Notice::new(NoticeCode::LayoutUnsure, doubt.message(layout)));
    }
    let stray = facts.stray_quotes;
    (stray.count >= FEWEST && stray.count * 5 > records).then(|| {
        let message = format!(
            "{} where no field begins or ends, in {}: the lines may be divided elsewhere; look at the preview, then use --delimiter or --quote",
            counted(stray.count, "quote stands", "quotes stand"),
            counted(records, "record", "records")
        );
        Notice::new(NoticeCode::LayoutUnsure, message).at_line(stray.line)
    })
}

/// Lines that go on behind the last column where that is no accident of one or two.
const MANY_LONGER: u64 = 3;

/// A last column of numbers or dates, but for lines that go on behind them: what follows may be another column, seldom filled.
fn more_behind(last: &ColumnReading, longer: Count) -> Option<Notice> {
    let stats = &last.stats;
    let numbers = [Decimal::Point, Decimal::Comma].map(|decimal| stats.numbers(decimal).count);
    let dates = stats.dates.iter().map(|dates| dates.count);
    let typed = numbers.into_iter().chain(dates).max()?;
    (last.rule == Rule::Text && typed * 10 >= stats.filled * 8).then(|| {
        let message = format!(
            "\u{201c}{}\u{201d}: {typed} of {} values are numbers or dates, and {} on behind them: what follows may be a column of its own; look at the preview, then use --add-start",
            last.name,
            stats.filled,
            counted(longer.count, "line goes", "lines go")
        );
        Notice::new(NoticeCode::LayoutUnsure, message).at_line(longer.line).in_column(last.number)
    })
}

pub(super) fn line_notices(survey: &Survey, layout: &Layout, notices: &mut Vec<Notice>) {
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
