//! Layouts in which a mark divides the fields.

use super::super::measure::grid::Grid;
use super::super::measure::structure::{price, rank, weakness};
use super::{Bench, Candidate, Form, marks};
use crate::record::Dialect;

/// What is stated, and what is left open.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Wanted<'c> {
    /// The delimiter.
    pub(in crate::layout) delimiter: Option<&'c str>,
    /// Whether runs of it count as one.
    pub(in crate::layout) runs_as_one: Option<bool>,
    /// The quote; `Some(None)`: none.
    pub(in crate::layout) quote: Option<Option<u8>>,
    /// Whether quotes inside quotes are doubled.
    pub(in crate::layout) doubles_quotes: Option<bool>,
}

/// Bits of naming the delimiter.
fn naming(delimiter: &str) -> f64 {
    4.0 + match delimiter {
        "\t" | "\u{1}" | "\u{1f}" => 0.0,
        "," | ";" | "|" | "│" | "║" | "┃" => 1.0,
        "~" | "^" => 4.0,
        " " => 6.0,
        ":" | "=" => 10.0,
        "/" | "#" => 14.0,
        other => 8.0 + 2.0 * other.chars().count() as f64,
    }
}

/// Prices every mark that may divide, with every quote that may be one, for every width that many records have.
pub(in crate::layout) fn propose(bench: &mut Bench<'_, '_>, wanted: &Wanted<'_>) -> Vec<Candidate> {
    let texts: Vec<std::borrow::Cow<'_, str>> = bench
        .sample
        .filled()
        .filter(|l| bench.plain.comment_prefix.as_ref().is_none_or(|p| !l.starts_with(p)))
        .map(String::from_utf8_lossy)
        .collect();
    let lines: Vec<&str> = texts.iter().map(AsRef::as_ref).collect();
    let delimiters = match wanted.delimiter {
        Some(delimiter) => vec![delimiter.to_owned()],
        None => marks::delimiters(&lines),
    };
    let mut found = Vec::new();
    for delimiter in &delimiters {
        let stated = wanted.delimiter.is_some();
        // Blanks that line columns up are no delimiter each.
        if delimiter == " " && !stated {
            let lined_up = lines.iter().filter(|l| l.starts_with(' ') || l.contains("  ")).count();
            if lined_up * 5 > lines.len() {
                continue;
            }
        }
        let base = Dialect { delimiter: delimiter.as_bytes().to_vec(), ..bench.plain.clone() };
        for runs_as_one in runs(delimiter, &lines, wanted) {
            for (quote, doubles_quotes) in quotes(bench, &base, delimiter, &lines, wanted) {
                let dialect = Dialect { runs_as_one, quote, doubles_quotes, ..base.clone() };
                found.extend(price_widths(bench, &dialect, delimiter, &lines, stated));
            }
        }
    }
    found
}

/// Whether runs of the delimiter count as one: both are priced where it stands in runs and blanks or tabs are not stated.
fn runs(delimiter: &str, lines: &[&str], wanted: &Wanted<'_>) -> Vec<bool> {
    if let Some(runs) = wanted.runs_as_one {
        return vec![runs];
    }
    let doubled = || lines.iter().any(|l| l.contains(&delimiter.repeat(2)));
    match delimiter {
        "\t" | " " if doubled() => vec![false, true],
        marks::LEADERS => vec![true],
        _ => vec![false],
    }
}

/// The quotes to price, and whether they are doubled inside quotes. Where every quote opens and closes where a field does, quotes
/// are quotes, and nothing else is priced.
fn quotes(
    bench: &mut Bench<'_, '_>,
    base: &Dialect,
    delimiter: &str,
    lines: &[&str],
    wanted: &Wanted<'_>,
) -> Vec<(Option<u8>, bool)> {
    if wanted.quote.is_some() || wanted.doubles_quotes.is_some() {
        return vec![(wanted.quote.unwrap_or(Some(b'"')), wanted.doubles_quotes.unwrap_or(true))];
    }
    let opens = |quote: char| {
        lines.iter().any(|l| {
            l.trim_start().starts_with(quote)
                || l.match_indices(quote).any(|(at, _)| {
                    let before = &l[..at];
                    before.ends_with(delimiter) || before.trim_end_matches(' ').ends_with(delimiter)
                })
        })
    };
    let mut quotes = Vec::new();
    if opens('"') {
        let grid =
            Grid::read(bench.sample, &Dialect { quote: Some(b'"'), ..base.clone() }, &mut bench.lexicon);
        if grid.quoted > 0 && grid.bad_quotes == 0 {
            return vec![(Some(b'"'), true)];
        }
        if lines.iter().any(|l| l.contains("\\\"")) {
            let escaped = Dialect { quote: Some(b'"'), doubles_quotes: false, ..base.clone() };
            let grid = Grid::read(bench.sample, &escaped, &mut bench.lexicon);
            if grid.quoted > 0 && grid.bad_quotes == 0 {
                return vec![(Some(b'"'), false)];
            }
        }
        quotes.extend([(Some(b'"'), true), (None, true)]);
    } else {
        // Without quotes at fields, the usual one costs nothing and protects what comes later.
        quotes.push((Some(b'"'), true));
    }
    if opens('\'') {
        quotes.push((Some(b'\''), true));
    }
    quotes
}

fn price_widths(
    bench: &mut Bench<'_, '_>,
    dialect: &Dialect,
    delimiter: &str,
    lines: &[&str],
    stated: bool,
) -> Vec<Candidate> {
    let grid = Grid::read(bench.sample, dialect, &mut bench.lexicon);
    if dialect.quote == Some(b'\'') && grid.quoted == 0 {
        return Vec::new();
    }
    let first = grid.rows.iter().find(|r| !r.is_rule).map_or(0, |r| r.fields as usize);
    let mut found = Vec::new();
    for width in widths(&grid, true) {
        let records = grid.rows.iter().filter(|r| !r.is_rule).count();
        let even = grid.rows.iter().filter(|r| r.fields as usize == width).count();
        // Words are divided by blanks too: a delimiter divides evenly.
        let ragged = delimiter == " " && even * 2 < records;
        // One even record below others is chance, unless it has so many fields that no sentence could be meant.
        let alone = even < 2 && records > 1 && width < 8;
        let rare = alone || (even * 10 < records * 3 && width != first && even < 3);
        if !stated && (width < 2 || ragged || rare) {
            continue;
        }
        let blanks = dialect.is_blank_delimited() && dialect.runs_as_one && delimiter == " ";
        let outer = if dialect.runs_as_one { None } else { Some(rank(delimiter)) };
        let priced = price(&mut bench.lexicon, &grid, width, outer);
        // A mark that nearly all records hold equally often, several times, is no accident of values.
        let steady = !delimiter.starts_with(['/', ':'])
            && ((even * 100 >= priced.kept.len() * 95 && even * 10 >= records * 8 && width >= 4)
                || (even == records && width == 3 && even >= 8));
        let weak = delimiter.chars().next().map_or(0.0, weakness) * if steady { 0.2 } else { 1.0 };
        let mut bits = priced.bits
            + weak * (priced.kept.len() * (width - 1)) as f64
            + naming(delimiter)
            + if grid.quoted > 0 { 4.0 + 6.0 * grid.bad_quotes as f64 } else { 0.0 }
            + if dialect.doubles_quotes { 0.0 } else { ESCAPED };
        if dialect.runs_as_one && !blanks {
            bits += 2.0 + run_lengths(lines, delimiter);
        }
        found.push(Candidate {
            dialect: dialect.clone(),
            form: Form::Delimited { rank: rank(delimiter) },
            width,
            bits: bits + unexplained_quotes(bench, &grid),
            records,
            even,
            aside: priced.aside.len(),
            quoted: grid.quoted,
            bad_quotes: grid.bad_quotes,
            names: None,
            columns: priced.columns,
        });
    }
    found
}

/// Bits of saying that backslashes stand in front of quotes.
const ESCAPED: f64 = 2.0;

/// Bits of a double quote that is left inside a value.
pub(super) const QUOTE_INSIDE: f64 = 3.0;

/// Bits of the quotes that stand inside values: they are no part of language, and where all of them close a field, readings that
/// leave them where they are have to say why.
pub(super) fn unexplained_quotes(bench: &Bench<'_, '_>, grid: &Grid) -> f64 {
    let inside = |row: &super::super::measure::grid::Row| -> usize {
        grid.cells(row).iter().map(|c| bench.lexicon.text(c.value).matches('"').count()).sum()
    };
    QUOTE_INSIDE * grid.rows.iter().map(inside).sum::<usize>() as f64
}

/// Bits of how long the runs of a delimiter are.
fn run_lengths(lines: &[&str], delimiter: &str) -> f64 {
    let mut code = super::super::measure::adapt::Adapt::default();
    let mut bits = 0.0;
    for line in lines {
        let mut rest = *line;
        while let Some(at) = rest.find(delimiter) {
            let run = rest[at..].len() - rest[at..].trim_start_matches(delimiter).len();
            bits += code.code((run / delimiter.len().max(1)) as i32);
            rest = &rest[at + run..];
        }
    }
    bits
}

/// Widths worth a price: the commonest, others that many records have, that of the longest run of equal neighbours, and that of
/// the first record if nearly all others are narrower. `short`: whether records may leave out empty fields at their ends.
pub(super) fn widths(grid: &Grid, short: bool) -> Vec<usize> {
    let all: Vec<usize> = grid.rows.iter().filter(|r| !r.is_rule).map(|r| r.fields as usize).collect();
    let mut counts: Vec<(usize, usize)> = Vec::new();
    for width in &all {
        match counts.iter_mut().find(|c| c.0 == *width) {
            Some(known) => known.1 += 1,
            None => counts.push((*width, 1)),
        }
    }
    counts.sort_by_key(|c| (std::cmp::Reverse(c.1), std::cmp::Reverse(c.0)));
    let Some(commonest) = counts.first() else { return Vec::new() };
    let mut widths = vec![commonest.0];
    widths.extend(counts.iter().skip(1).take(2).filter(|c| c.1 * 5 > all.len() && c.0 > 1).map(|c| c.0));
    let (mut longest, mut run) = ((0, 0), 0);
    for (at, width) in all.iter().enumerate() {
        run = if at > 0 && all[at - 1] == *width { run + 1 } else { 1 };
        if *width > 1 && run > longest.0 {
            longest = (run, *width);
        }
    }
    if longest.0 >= 3 {
        widths.push(longest.1);
    }
    let widest = counts.iter().map(|c| c.0).max().unwrap_or(0);
    let often = |width: usize| counts.iter().find(|c| c.0 == width).map_or(0, |c| c.1);
    let narrower: usize = counts.iter().filter(|c| c.0 > 1 && c.0 < widest).map(|c| c.1).sum();
    if short
        && widest > 2
        && often(widest) * 10 < all.len() * 3
        && narrower * 10 > all.len() * 6
        && all[0] == widest
    {
        widths.push(widest);
    }
    let mut seen = Vec::new();
    widths.retain(|w| {
        !seen.contains(w) && {
            seen.push(*w);
            true
        }
    });
    widths
}
