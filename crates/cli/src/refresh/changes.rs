//! What became of the columns and files of a link.

use super::report::{Days, Renamed, Report, Sum};
use super::reread::Reread;
use crate::links::{Kept, LinkedColumn, make::day_text};
use crate::passes::write::{ColumnTally, Slot};
use incola_core::kind::Kind;

/// The columns that the link will have, and what became of those that it had.
pub(super) fn column_changes(
    kept: &Kept,
    reread: &Reread,
    tallies: &[ColumnTally],
    report: &mut Report,
) -> Vec<LinkedColumn> {
    let mut columns = Vec::new();
    let filled = |n: usize, name: Option<String>, heading: String| {
        let kind = reread.reading.columns[n].rule.kind();
        let days = tallies[n].days;
        LinkedColumn {
            name,
            heading,
            kind: kind.word().to_owned(),
            sum: (kind == Kind::Number).then(|| tallies[n].sum_text()).flatten(),
            from: days.map(|(from, _)| day_text(from)),
            to: days.map(|(_, to)| day_text(to)),
        }
    };
    for (place, old) in kept.link.columns.iter().enumerate() {
        match reread.slots[place] {
            None => report.columns_gone.push(old.heading.clone()),
            Some(Slot::Field(n)) => {
                let name = reread.reading.columns[n].name.clone();
                let now = filled(n, Some(name.clone()), old.heading.clone());
                if reread.renamed.iter().any(|(own, _)| *own == place) {
                    report
                        .columns_renamed
                        .push(Renamed { from: old.name.clone().unwrap_or_default(), to: name });
                }
                if old.sum != now.sum {
                    let (before, after) = (old.sum.clone(), now.sum.clone());
                    report.sums.push(Sum { column: old.heading.clone(), before, after });
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
    for n in &reread.added {
        let name = reread.reading.columns[*n].name.clone();
        report.columns_added.push(name.clone());
        columns.push(filled(*n, Some(name.clone()), name));
    }
    report.columns_left_out.clone_from(&reread.left_out);
    columns
}

pub(super) fn file_changes(kept: &Kept, reread: &Reread, report: &mut Report) {
    let before: Vec<&String> = kept.link.parts.iter().map(|part| &part.at).collect();
    report.files_added = reread.parts.iter().filter(|at| !before.contains(at)).cloned().collect();
    report.files_gone = before.into_iter().filter(|at| !reread.parts.contains(at)).cloned().collect();
}
