//! The lines of a source as they are: numbered, under a ruler, with tabs and control characters made visible.

use super::sanitize::push_visible;
use super::style;
use super::text::{counted, right, terminal_columns};
use crate::passes::survey::Surveyed;
use crate::source::Source;
use incola_core::encoding::Encoding;

/// The first lines.
pub(crate) fn lines(source: &Source, surveyed: &Surveyed, rows: usize) -> String {
    let columns = terminal_columns();
    let reading = &surveyed.reading;
    let mut out = format!(
        "{}   {}, {}, line ends {}\n\n",
        style::strong(&super::sanitize::line(&source.name)),
        counted(surveyed.bytes, "byte", "bytes"),
        reading.encoding.value.name(),
        reading.line_end.word()
    );
    let lone_cr = surveyed.plan.dialect.lone_cr_ends_line;
    let number = rows.to_string().len().max(3);
    let room = columns.saturating_sub(number + 4).max(20);
    ruler(&mut out, number, room);
    let text = &surveyed.head;
    let mut at = 0;
    for line in 1..=rows {
        if at >= text.len() {
            break;
        }
        let next = Encoding::Utf8.after_line_end(text, at, lone_cr).unwrap_or(text.len());
        let mut shown = String::new();
        for c in String::from_utf8_lossy(&text[at..next]).trim_end_matches(['\n', '\r']).chars() {
            if c == ' ' {
                shown.push('·');
            } else {
                push_visible(&mut shown, c);
            }
        }
        let ending = match &text[at..next] {
            t if t.ends_with(b"\r\n") => "⇤↵",
            t if t.ends_with(b"\n") => "↵",
            t if t.ends_with(b"\r") => "⇤",
            _ => "",
        };
        let mark = mark(surveyed, line as u64);
        out.push_str(&format!("{}{} ", style::faint(&right(&line.to_string(), number)), style::kind(mark)));
        push_wrapped(&mut out, &shown, ending, number, room);
        at = next;
    }
    out
}

/// What a line is to the table: names, records, or set aside.
fn mark(surveyed: &Surveyed, line: u64) -> &'static str {
    let layout = &surveyed.reading.layout;
    if layout.header_line == Some(line) {
        "=" // names
    } else if surveyed.reading.set_aside.iter().any(|s| (s.line..s.line + s.lines).contains(&line)) {
        "-" // set aside
    } else {
        " "
    }
}

fn ruler(out: &mut String, number: usize, room: usize) {
    let mut tens = String::new();
    for n in 1..=room {
        if n % 10 == 0 {
            let label = n.to_string();
            tens.truncate(n - label.len());
            tens.push_str(&label);
        } else {
            tens.push(if n % 5 == 0 { '+' } else { '.' });
        }
    }
    out.push_str(&format!("{}  {}\n", " ".repeat(number), style::faint(&tens)));
}

fn push_wrapped(out: &mut String, shown: &str, ending: &str, number: usize, room: usize) {
    let chars: Vec<char> = shown.chars().collect();
    let mut parts = chars.chunks(room).peekable();
    if parts.peek().is_none() {
        out.push_str(&format!("{}\n", style::faint(ending)));
    }
    let mut first = true;
    while let Some(part) = parts.next() {
        if !first {
            out.push_str(&format!("{}↳ ", " ".repeat(number)));
        }
        first = false;
        out.extend(part);
        if parts.peek().is_none() {
            out.push_str(&style::faint(ending));
        }
        out.push('\n');
    }
}
