//! Colour as a help: nothing is told by it alone. Whether it is shown at all is decided where text is printed.

use clap::builder::styling::{AnsiColor, Style};

/// What is looked for first.
pub(crate) fn strong(text: &str) -> String {
    styled(Style::new().bold(), text)
}

/// What only supports the rest.
pub(crate) fn faint(text: &str) -> String {
    styled(Style::new().dimmed(), text)
}

/// What needs a look.
pub(crate) fn alert(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Red.into())), text)
}

/// Kinds of columns.
pub(crate) fn kind(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Blue.into())), text)
}

/// The headings of groups.
pub(crate) fn heading(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Magenta.into())), text)
}

/// Totals.
pub(crate) fn total(text: &str) -> String {
    styled(Style::new().fg_color(Some(AnsiColor::Green.into())), text)
}

fn styled(style: Style, text: &str) -> String {
    if text.is_empty() { String::new() } else { format!("{style}{text}{style:#}") }
}
