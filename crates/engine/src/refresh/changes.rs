//! What became of the columns and files of a link.

use super::report::{Days, Renamed, Report, Sum};
use super::source_now::SourceNow;
use crate::import::{ColumnTally, Slot};
use crate::link::{Link, LinkedColumn};

/// The columns that the link will have, and what became of those that it had.
pub(super) fn column_changes(
    link: &Link,
    source_now: &SourceNow,
    tallies: &[ColumnTally],
    report: &mut Report,
) -> Vec<LinkedColumn> {
    let mut columns = Vec::new();
    let filled = |n: usize, name: &str, heading: &str| {
        LinkedColumn::of(name, heading, source_now.reading.columns[n].rule.kind(), &tallies[n])
    };
    for (place, old) in link.columns.iter().enumerate() {
        match source_now.slots[place] {
            None => report.columns_gone.push(old.heading.clone()),
            Some(Slot::Field(n)) => {
                let name = source_now.reading.columns[n].name.clone();
                let now = filled(n, &name, &old.heading);
                if source_now.renamed.iter().any(|(own, _)| *own == place) {
                    report
                        .columns_renamed
                        .push(Renamed { from: old.name.clone().unwrap_or_default(), to: name });
                }
                if old.sum != now.sum {
                    let (before, after) = (old.sum.clone(), now.sum.clone());
                    let marks = source_now.reading.columns[n].rule.marks();
                    report.sums.push(Sum { column: old.heading.clone(), before, after, marks });
                }
                if (&old.from, &old.to) != (&now.from, &now.to) {
                    report.days.push(Days {
                        column: old.heading.clone(),
                        before: old.from.clone().zip(old.to.clone()),
                        after: now.from.clone().zip(now.to.clone()),
                    });
                }
                columns.push(now);
            }
            Some(_) => columns.push(old.clone()),
        }
    }
    for n in &source_now.added {
        let name = source_now.reading.columns[*n].name.clone();
        report.columns_added.push(name.clone());
        columns.push(filled(*n, &name, &name));
    }
    report.columns_left_out.clone_from(&source_now.left_out);
    columns
}

pub(super) fn file_changes(link: &Link, source_now: &SourceNow, report: &mut Report) {
    let before: Vec<&String> = link.parts.iter().map(|part| &part.at).collect();
    let now: Vec<&String> = source_now.sources.iter().map(|source| &source.at).collect();
    report.files_added = now.iter().filter(|at| !before.contains(at)).map(|at| (*at).clone()).collect();
    report.files_gone = before.into_iter().filter(|at| !now.contains(at)).cloned().collect();
}
