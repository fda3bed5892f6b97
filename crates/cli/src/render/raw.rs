//! The lines of a source as they are: numbered, under a ruler, with tabs and control characters made visible.

use super::reading::starts_inside_values;
use super::sanitize::push_visible;
use super::style;
use super::text::{counted, right, terminal_columns};
use crate::io::source::Source;
use incola_core::encoding::Encoding;
use incola_core::notice::NoticeCode;
use incola_core::record::{Division, Multiline};
use incola_core::rows::Role;
use incola_engine::text::Surveyed;

/// Lines of a source, decoded.
pub(crate) struct Lines {
    /// The number of the first one, from 1.
    pub(crate) first: u64,
    /// How many are shown at most.
    pub(crate) count: usize,
    /// Their text.
    pub(crate) text: Vec<u8>,
}

/// Some lines, under a ruler.
pub(crate) fn lines(source: &Source, surveyed: &Surveyed, wanted: &Lines) -> String {
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
    let last = wanted.first + wanted.count as u64;
    let number = last.to_string().len().max(3);
    let room = columns.saturating_sub(number + 4).max(20);
    let starts = starts(surveyed);
    ruler(&mut out, number, room, &starts);
    let text = &wanted.text;
    let classes = surveyed.line_classes();
    let role_of = |line: u64| {
        let run = classes.iter().find(|run| (run.first..=run.last).contains(&line));
        run.map_or(Role::Detail, |run| run.role)
    };
    let mut met = Vec::new();
    let mut at = 0;
    for line in wanted.first..last {
        if at >= text.len() {
            break;
        }
        let next = Encoding::Utf8.after_line_end(text, at, lone_cr).unwrap_or(text.len());
        let mut shown = String::new();
        let mut before = ' ';
        let mut is_cut = false;
        for (position, c) in
            String::from_utf8_lossy(&text[at..next]).trim_end_matches(['\n', '\r']).chars().enumerate()
        {
            is_cut |= before != ' ' && c != ' ' && starts.iter().any(|s| s.at == position && s.is_doubtful);
            before = c;
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
        let role = role_of(line);
        met.push(role);
        let mark = if role == Role::Detail && is_cut { style::alert("\u{2702}") } else { coloured(role) };
        out.push_str(&format!("{}{} ", style::faint(&right(&line.to_string(), number)), mark));
        push_wrapped(&mut out, &shown, ending, number, room);
        at = next;
    }
    if met.iter().any(|role| matches!(role, Role::Heading | Role::Total | Role::Page)) {
        out.push_str(&legend(&met));
    }
    // What is wrong with them, and what to type.
    let about_lines = reading.notices.iter().filter(|n| n.code == NoticeCode::ValuesCut);
    for (n, notice) in about_lines.enumerate() {
        if n == 0 {
            out.push('\n');
        }
        out.push_str(&super::receipt::notice_lines(notice, columns));
    }
    out
}

/// Where a column of a fixed layout starts, from 0, and whether values there are cut.
struct Start {
    at: usize,
    is_doubtful: bool,
}

fn starts(surveyed: &Surveyed) -> Vec<Start> {
    let division = &surveyed.plan.dialect.division;
    let (Division::Fixed(fixed) | Division::Multiline(Multiline::Continued(fixed))) = division else {
        return Vec::new();
    };
    let doubtful = |place: usize| starts_inside_values(&surveyed.reading, place + 1);
    fixed
        .starts
        .iter()
        .enumerate()
        .map(|(place, at)| Start { at: *at, is_doubtful: doubtful(place) })
        .collect()
}

/// The letter or mark of what a line is to the table.
const fn mark(role: Role) -> &'static str {
    match role {
        Role::Names => "=",
        Role::Detail => " ",
        Role::Heading => "h",
        Role::Total => "t",
        Role::Page => "p",
        Role::Aside => "-",
    }
}

/// The same in its colour.
fn coloured(role: Role) -> String {
    match role {
        Role::Names | Role::Detail => style::kind(mark(role)),
        Role::Heading => style::heading(mark(role)),
        Role::Total => style::total(mark(role)),
        Role::Page | Role::Aside => style::faint(mark(role)),
    }
}

/// What the marks in front of lines mean, as far as they were met.
fn legend(met: &[Role]) -> String {
    let words = |role: Role| match role {
        Role::Names => "names",
        Role::Detail => "record",
        Role::Heading => "heading of a group",
        Role::Total => "total",
        Role::Page => "head of a page",
        Role::Aside => "set aside",
    };
    let entries: Vec<String> = Role::ALL
        .iter()
        .filter(|role| met.contains(role) && **role != Role::Detail)
        .map(|role| format!("{} {}", coloured(*role), words(*role)))
        .collect();
    format!("\n{}\n", entries.join("   "))
}

/// Positions in tens; below them, where columns start.
fn ruler(out: &mut String, number: usize, room: usize, starts: &[Start]) {
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
    let Some(last) = starts.iter().map(|s| s.at).filter(|at| *at < room).max() else { return };
    let mut marks = String::new();
    for position in 0..=last {
        match starts.iter().find(|s| s.at == position) {
            Some(start) if start.is_doubtful => marks.push_str(&style::alert("\u{2702}")),
            Some(_) => marks.push('\u{25be}'),
            None => marks.push(' '),
        }
    }
    out.push_str(&format!("{}  {marks}\n", " ".repeat(number)));
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
