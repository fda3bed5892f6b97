//! A preview: values under their columns' names, numbers and kinds; columns that do not fit follow in a second block.

use super::style;
use super::text::{cut, left, right, width};

/// A column of a preview.
pub(crate) struct GridColumn {
    /// Its number, from 1; `None`: it is no column of the source.
    pub(crate) number: Option<usize>,
    /// Its kind, with a mark if it was stated.
    pub(crate) kind: String,
    /// Its name.
    pub(crate) name: String,
    /// Whether values stand at the right.
    pub(crate) at_right: bool,
    /// The values, by row.
    pub(crate) values: Vec<String>,
}

/// Widest column.
const WIDEST: usize = 28;

/// Draws the columns in as many blocks as `columns` of terminal need, each line indented by two.
pub(crate) fn draw(grid: &[GridColumn], columns: usize) -> String {
    let room = columns.saturating_sub(2);
    let widths: Vec<usize> = grid.iter().map(needed).collect();
    let mut out = String::new();
    let mut from = 0;
    while from < grid.len() {
        let mut to = from;
        let mut used = 0;
        while to < grid.len() && (to == from || used + widths[to] + 2 <= room) {
            used += widths[to] + 2;
            to += 1;
        }
        if from > 0 {
            out.push('\n');
        }
        block(&mut out, &grid[from..to], &widths[from..to]);
        from = to;
    }
    out
}

fn head(column: &GridColumn) -> String {
    column.number.map_or_else(|| column.kind.clone(), |number| format!("{number} {}", column.kind))
}

fn needed(column: &GridColumn) -> usize {
    let values = column.values.iter().map(|v| width(v)).max().unwrap_or(0);
    width(&head(column)).max(values.max(width(&column.name)).min(WIDEST))
}

fn block(out: &mut String, grid: &[GridColumn], widths: &[usize]) {
    let mut line = |cells: Vec<String>| {
        out.push_str("  ");
        out.push_str(cells.join("  ").trim_end());
        out.push('\n');
    };
    let place = |column: &GridColumn, text: &str, width: usize| {
        let text = cut(text, width);
        if column.at_right { right(&text, width) } else { left(&text, width) }
    };
    line(
        grid.iter()
            .zip(widths)
            .map(|(c, w)| {
                // Styles take no room: the blanks are put around them.
                let text = head(c);
                let padding = " ".repeat(w.saturating_sub(width(&text)));
                let number = c.number.map_or_else(String::new, |n| style::faint(&n.to_string()) + " ");
                let head = format!("{number}{}", style::kind(&c.kind));
                if c.at_right { format!("{padding}{head}") } else { format!("{head}{padding}") }
            })
            .collect(),
    );
    line(
        grid.iter()
            .zip(widths)
            .map(|(c, w)| {
                let text = cut(&c.name, *w);
                let padding = " ".repeat(w.saturating_sub(width(&text)));
                let name = style::strong(&text);
                if c.at_right { format!("{padding}{name}") } else { format!("{name}{padding}") }
            })
            .collect(),
    );
    let rows = grid.iter().map(|c| c.values.len()).max().unwrap_or(0);
    for row in 0..rows {
        let cells =
            grid.iter().zip(widths).map(|(c, w)| place(c, c.values.get(row).map_or("", String::as_str), *w));
        line(cells.collect());
    }
}
