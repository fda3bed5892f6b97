//! The list of links.

use super::sanitize::line;
use super::style;
use super::text::{counted, cut, grouped, left, right, terminal_columns, width, wrap};
use serde::Serialize;

/// A link, as it is listed.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Row {
    pub(crate) link: String,
    pub(crate) id: String,
    pub(crate) sheet: String,
    pub(crate) table: Option<String>,
    pub(crate) range: Option<String>,
    pub(crate) sources: Vec<String>,
    /// What it reads in full, where that is not in the workbook's folder.
    pub(crate) in_full: Vec<String>,
    pub(crate) state: &'static str,
    pub(crate) refreshed: String,
    pub(crate) rows: u64,
    pub(crate) key: Vec<String>,
    pub(crate) columns: Vec<String>,
    /// Files that were appended to the table, as far as this user did it.
    pub(crate) appended: Vec<String>,
}

/// A workbook's links.
#[derive(Serialize)]
pub(crate) struct ListJson {
    book: String,
    links: Vec<Row>,
    /// Ids of links of which only the name is left.
    lost: Vec<String>,
}

pub(crate) fn json(book: &str, rows: &[Row], lost: &[String]) -> ListJson {
    ListJson { book: book.to_owned(), links: rows.to_vec(), lost: lost.to_vec() }
}

/// A time of a link in the time zone of the reader.
pub(crate) fn local(utc: &str) -> String {
    let Ok(time) = utc.parse::<jiff::Timestamp>() else { return utc.to_owned() };
    time.to_zoned(jiff::tz::TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
}

/// How long ago that was, in the largest unit that fits; nothing for what is to come.
fn age(utc: &str) -> String {
    let Ok(time) = utc.parse::<jiff::Timestamp>() else { return String::new() };
    let seconds = jiff::Timestamp::now().as_second() - time.as_second();
    let Ok(seconds) = u64::try_from(seconds) else { return String::new() };
    match seconds {
        0..60 => "just now".to_owned(),
        60..3600 => counted(seconds / 60, "minute", "minutes"),
        3600..86_400 => counted(seconds / 3600, "hour", "hours"),
        _ => counted(seconds / 86_400, "day", "days"),
    }
}

/// The page.
pub(crate) fn page(book: &str, rows: &[Row], lost: &[String]) -> String {
    let columns = terminal_columns();
    let count = counted(rows.len() as u64, "link", "links");
    let mut out = format!("{}   {count}\n", style::strong(&line(book)));
    if !rows.is_empty() {
        out.push('\n');
    }
    let heads = ["link", "source", "state", "refreshed", "old", "rows"];
    let cells = |row: &Row| {
        [
            line(&row.link),
            line(&row.sources.join(", ")),
            row.state.to_owned(),
            local(&row.refreshed),
            age(&row.refreshed),
            grouped(row.rows),
        ]
    };
    let mut widths = heads.map(width);
    for row in rows {
        for (w, text) in widths.iter_mut().zip(cells(row)) {
            *w = (*w).max(width(&text));
        }
    }
    widths[0] = widths[0].min(30);
    let others: usize = widths.iter().sum::<usize>() - widths[1] + 2 * heads.len();
    widths[1] = widths[1].min(columns.saturating_sub(others).max(16));
    let draw = |row: &[String; 6]| {
        let texts: Vec<String> = row
            .iter()
            .enumerate()
            .map(|(n, text)| {
                let text = cut(text, widths[n]);
                let placed = if n == 5 { right(&text, widths[n]) } else { left(&text, widths[n]) };
                match text.as_str() {
                    "missing" | "untrusted" | "no table" if n == 2 => {
                        placed.replacen(&text, &style::alert(&text), 1)
                    }
                    _ => placed,
                }
            })
            .collect();
        format!("  {}\n", texts.join("  ").trim_end())
    };
    if !rows.is_empty() {
        out.push_str(&style::faint(&draw(&heads.map(str::to_owned))));
    }
    for row in rows {
        out.push_str(&draw(&cells(row)));
        let table = row.table.as_ref().map_or_else(|| "a plain range".to_owned(), |t| format!("table {t}"));
        let range = row.range.as_ref().map_or_else(String::new, |r| format!(", {r}"));
        let key = if row.key.is_empty() {
            "by what they hold".to_owned()
        } else {
            format!("by {}", row.key.join(", "))
        };
        let mut about = vec![format!("sheet {}, {table}{range}; rows are matched {key}", line(&row.sheet))];
        about.push(format!("columns from it: {}", line(&row.columns.join(", "))));
        if !row.appended.is_empty() {
            about.push(format!("appended: {}", line(&row.appended.join(", "))));
        }
        about.extend(row.in_full.iter().map(|path| format!("reads {}", line(path))));
        for text in about {
            for part in wrap(&text, columns.saturating_sub(8).max(24)) {
                out.push_str(&format!("      {}\n", style::faint(&part)));
            }
        }
    }
    for id in lost {
        out.push_str(&format!(
            "\n  {} link {id}: only its name is left, because the workbook was saved by a program that drops such parts\n        to make it again: incola link repoint {} {id} SOURCE\n",
            style::alert("look "),
            super::command::quoted(book)
        ));
    }
    out
}
