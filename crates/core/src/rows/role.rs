//! What each line of a source is to the table, in runs.

use super::Aside;
use crate::layout::{Layout, SetAside};

/// What a line is to the table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Role {
    /// The names of the columns, or their units.
    Names,
    /// A record, or a part of one.
    Detail,
    /// The heading of a group.
    Heading,
    /// Totals.
    Total,
    /// What comes back at the head of each page.
    Page,
    /// Anything else that is no record.
    Aside,
}

impl Role {
    /// All of them, in the order of a legend.
    pub const ALL: [Self; 6] =
        [Self::Names, Self::Detail, Self::Heading, Self::Total, Self::Page, Self::Aside];

    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Names => "names",
            Self::Detail => "detail",
            Self::Heading => "heading",
            Self::Total => "total",
            Self::Page => "page",
            Self::Aside => "aside",
        }
    }
}

impl Aside {
    /// What such a line is to the table.
    pub const fn role(self) -> Role {
        match self {
            Self::Units => Role::Names,
            Self::Heading | Self::Carried => Role::Heading,
            Self::PartTotal | Self::Total => Role::Total,
            Self::RepeatedHeader | Self::RepeatedPreamble | Self::RepeatedUnits => Role::Page,
            _ => Role::Aside,
        }
    }
}

/// Lines in a row that are the same to the table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Run {
    /// The first line, from 1.
    pub first: u64,
    /// The last one.
    pub last: u64,
    /// What they are.
    pub role: Role,
}

/// What the lines of a source of so many lines are, of which those in `set_aside` are no records.
///
/// ```
/// use incola_core::layout::{LayoutChoices, Samples, detect};
/// use incola_core::rows::{Role, runs};
/// let head = b"Call,Dues\n1001,12.50\n1002,3.00\n";
/// let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
/// let told: Vec<_> = runs(&layout, &[], 3).iter().map(|run| (run.first, run.last, run.role)).collect();
/// assert_eq!(told, [(1, 1, Role::Names), (2, 3, Role::Detail)]);
/// ```
pub fn runs(layout: &Layout, set_aside: &[SetAside], lines: u64) -> Vec<Run> {
    let mut known: Vec<Run> = Vec::new();
    if let Some(header) = layout.header_line {
        let own =
            layout.header_lines.max(1).min((layout.lines_before_data + 1).saturating_sub(header).max(1));
        known.push(Run { first: header, last: header + own - 1, role: Role::Names });
    }
    let of = |line: u64, lines: u64, role: Role| Run { first: line, last: line + lines.max(1) - 1, role };
    known.extend(set_aside.iter().map(|aside| of(aside.line, aside.lines, aside.why.role())));
    known.sort_by_key(|run| run.first);
    let mut runs: Vec<Run> = Vec::new();
    let mut push = |first: u64, last: u64, role: Role| match runs.last_mut() {
        _ if first > last => {}
        Some(before) if before.role == role && before.last + 1 == first => before.last = last,
        _ => runs.push(Run { first, last, role }),
    };
    let mut next = 1;
    let between = |push: &mut dyn FnMut(u64, u64, Role), from: u64, to: u64| {
        // What is before the first record and in no list is drawn.
        let first_record = layout.lines_before_data + 1;
        push(from, to.min(first_record - 1), Role::Aside);
        push(from.max(first_record), to, Role::Detail);
    };
    for run in known.iter().filter(|run| run.first <= lines) {
        if run.first > next {
            between(&mut push, next, run.first - 1);
        }
        push(run.first.max(next), run.last.min(lines), run.role);
        next = next.max(run.last + 1);
    }
    between(&mut push, next, lines);
    runs
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::{LayoutChoices, Samples, SetAside, detect};

    #[test]
    fn every_line_has_one_role() {
        let head =
            b"Port office\n\nCall  Berth  Dues\n----  -----  -----\n1001  007    12.50\n1002  012     3.00\n\
                     1003  031     8.25\n1004  007    11.00\nTotal        34.75\n";
        let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
        assert_eq!((layout.header_line, layout.lines_before_data), (Some(3), 4));
        let aside = |line, lines, why| SetAside { line, lines, why };
        let set_aside =
            [aside(1, 2, Aside::BeforeHeader), aside(7, 1, Aside::Carried), aside(9, 1, Aside::Total)];
        let told: Vec<(u64, u64, &str)> =
            runs(&layout, &set_aside, 9).iter().map(|r| (r.first, r.last, r.role.word())).collect();
        assert_eq!(
            told,
            [
                (1, 2, "aside"),
                (3, 4, "names"),
                (5, 6, "detail"),
                (7, 7, "heading"),
                (8, 8, "detail"),
                (9, 9, "total"),
            ]
        );
    }
}
