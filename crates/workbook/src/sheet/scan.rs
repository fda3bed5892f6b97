//! An existing sheet, read and copied as a stream: its bytes pass by, and only tags are looked at.

use crate::error::{Error, Result};
use crate::markup::{Tag, TagKind, tag_end, tags};
use crate::reference::CellRef;
use std::io::Read;

/// Bytes read at a time.
const CHUNK: usize = 256 * 1024;

/// Longest tag, comment or run of character data.
const LONGEST: usize = 4 << 20;

/// Cuts the content of a part into pieces that end behind a tag.
pub(crate) struct Pieces<R> {
    input: R,
    part: String,
    buffer: Vec<u8>,
    done: bool,
}

impl<R: Read> Pieces<R> {
    pub(crate) fn new(input: R, part: &str) -> Self {
        Self { input, part: part.to_owned(), buffer: Vec::new(), done: false }
    }

    /// The next piece: as many whole tags as are there; `None` at the end.
    pub(crate) fn next(&mut self) -> Result<Option<Vec<u8>>> {
        loop {
            if self.done {
                return Ok((!self.buffer.is_empty()).then(|| std::mem::take(&mut self.buffer)));
            }
            let have = self.buffer.len();
            self.buffer.resize(have + CHUNK, 0);
            let read = self
                .input
                .read(&mut self.buffer[have..])
                .map_err(|e| Error::Damaged(format!("{}: it cannot be inflated: {e}", self.part)))?;
            self.buffer.truncate(have + read);
            self.done = read == 0;
            if let Some(end) = whole_tags(&self.buffer) {
                let rest = self.buffer.split_off(end);
                return Ok(Some(std::mem::replace(&mut self.buffer, rest)));
            }
            if self.buffer.len() > LONGEST {
                return Err(Error::Damaged(format!("{}: a tag has no end", self.part)));
            }
        }
    }
}

/// Where the last tag of `text` that is whole ends. No `<` stands inside a tag, so the last one begins one.
fn whole_tags(text: &[u8]) -> Option<usize> {
    let mut end = text.len();
    // What begins with `<!` may hold anything up to its own end.
    if let Some(open) = memchr::memmem::find(text, b"<!") {
        let mut at = open;
        loop {
            let rest = &text[at..];
            let (from, mark): (usize, &[u8]) =
                if rest.starts_with(b"<!--") { (4, b"-->") } else { (9, b"]]>") };
            let Some(close) = rest.get(from..).and_then(|r| memchr::memmem::find(r, mark)) else {
                end = at;
                break;
            };
            let behind = at + from + close + mark.len();
            match memchr::memmem::find(&text[behind..], b"<!") {
                Some(next) => at = behind + next,
                None if memchr::memchr(b'<', &text[behind..]).is_none() => return Some(behind),
                None => break,
            }
        }
    }
    let last = memchr::memrchr(b'<', &text[..end])?;
    match tag_end(&text[last..end]) {
        Some(length) => Some(last + length + 1),
        None => memchr::memrchr(b'>', &text[..last]).map(|at| at + 1),
    }
}

/// What can be told of a piece without looking at each cell: for pieces of plain rows behind those asked for.
fn plain_rows(piece: &[u8], row: &mut u32, facts: &mut SheetFacts) -> Option<()> {
    let number = |at: usize| -> Option<u32> {
        let tag = &piece[at..=(at + tag_end(&piece[at..])?)];
        let from = memchr::memmem::find(tag, b" r=\"")? + 4;
        let length = memchr::memchr(b'"', &tag[from..])?;
        std::str::from_utf8(&tag[from..from + length]).ok()?.parse().ok()
    };
    if memchr::memmem::find(piece, b"<!").is_some() {
        return None;
    }
    let rows: Vec<usize> = memchr::memmem::find_iter(piece, b"<row ").collect();
    let first = number(*rows.first()?)?;
    let last = number(*rows.last()?)?;
    if last.checked_sub(first)? as usize + 1 != rows.len() || first <= *row {
        return None;
    }
    let holds = [&b"<v"[..], b"<is", b"<f"].iter().filter_map(|m| memchr::memmem::rfind(piece, m)).max();
    if let Some(holds) = holds {
        let filled = match rows.iter().rposition(|at| *at < holds) {
            Some(n) => first + n as u32,
            None => *row,
        };
        facts.last_filled_row = facts.last_filled_row.max(filled);
    }
    match facts.runs.last_mut() {
        Some((_, end)) if *end + 1 == first => *end = last,
        _ => facts.runs.push((first, last)),
    }
    facts.last_row = facts.last_row.max(last);
    *row = last;
    Some(())
}

/// A cell of an existing sheet, as it stands there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExistingCell {
    /// Where it stands.
    pub at: CellRef,
    /// Its text, its number as it is spelled, or its formula's result; text in the table of strings is resolved.
    pub text: String,
    /// Its place in the table of strings, until it is resolved.
    pub(crate) shared: Option<usize>,
    /// Whether it is text.
    pub is_text: bool,
}

/// What an existing sheet holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetFacts {
    /// The last row that the sheet describes, empty or not; 0: none.
    pub last_row: u32,
    /// The rows that the sheet describes, as runs: first and last of each.
    pub runs: Vec<(u32, u32)>,
    /// The last row with a cell that holds something; 0: none.
    pub last_filled_row: u32,
    /// The first cells that hold something, in the rows asked for.
    pub cells: Vec<ExistingCell>,
}

impl SheetFacts {
    /// Whether the sheet describes a row between `from` and `to`.
    pub fn has_rows(&self, from: u32, to: u32) -> bool {
        self.runs.iter().any(|(first, last)| *first <= to && *last >= from)
    }
}

/// Most cells that are remembered.
const MOST_CELLS: usize = 20_000;

/// Reads a sheet through, and the cells of rows `from` to `to`.
pub(crate) fn facts(part: &str, input: impl Read, from: u32, to: u32) -> Result<SheetFacts> {
    let mut pieces = Pieces::new(input, part);
    let mut facts = SheetFacts::default();
    let (mut row, mut column) = (0_u32, 0_u32);
    let mut cell: Option<ExistingCell> = None;
    let mut kind = String::new();
    // Where the text of `v` or `t` begins in the piece.
    let mut text_from: Option<usize> = None;
    while let Some(piece) = pieces.next()? {
        if row > to && cell.is_none() && plain_rows(&piece, &mut row, &mut facts).is_some() {
            // The piece may end inside a row: the cells that follow are counted on from there.
            column = 0;
            continue;
        }
        for tag in tags(part, &piece)? {
            if let Some(start) = text_from.take()
                && let Some(cell) = &mut cell
            {
                let mut text = Vec::new();
                crate::xml::unescape(&mut text, &piece[start..tag.start]);
                cell.text.push_str(&String::from_utf8_lossy(&text));
            }
            match (tag.local(), tag.kind) {
                (b"row", TagKind::Open | TagKind::Empty) => {
                    row = tag.attribute("r").and_then(|r| r.parse().ok()).unwrap_or(row + 1);
                    column = 0;
                    facts.last_row = facts.last_row.max(row);
                    match facts.runs.last_mut() {
                        Some((_, last)) if *last + 1 == row => *last = row,
                        _ => facts.runs.push((row, row)),
                    }
                }
                (b"c", TagKind::Open) => {
                    column = column_of(&tag).unwrap_or(column + 1);
                    kind = tag.attribute("t").map(std::borrow::Cow::into_owned).unwrap_or_default();
                    let is_text = matches!(kind.as_str(), "s" | "inlineStr" | "str");
                    let at = CellRef { row, column };
                    cell = Some(ExistingCell { at, text: String::new(), shared: None, is_text });
                }
                (b"c", TagKind::Empty) => column = column_of(&tag).unwrap_or(column + 1),
                (b"v" | b"t", TagKind::Open) if cell.is_some() => text_from = Some(tag.end),
                (b"f", _) if cell.is_some() => facts.last_filled_row = facts.last_filled_row.max(row),
                (b"c", TagKind::Close) => {
                    if let Some(mut cell) = cell.take().filter(|c| !c.text.is_empty()) {
                        facts.last_filled_row = facts.last_filled_row.max(row);
                        if (from..=to).contains(&row) && facts.cells.len() < MOST_CELLS {
                            cell.shared = (kind == "s").then(|| cell.text.trim().parse().ok()).flatten();
                            facts.cells.push(cell);
                        }
                    }
                }
                _ => {}
            }
        }
        // A text that goes on in the next piece begins with it.
        if text_from.is_some() {
            text_from = Some(0);
        }
    }
    Ok(facts)
}

fn column_of(tag: &Tag<'_>) -> Option<u32> {
    let reference = tag.attribute("r")?;
    CellRef::parse(&reference).map(|cell| cell.column)
}
