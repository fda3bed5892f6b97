//! Every call to the disk fails once, under every command that writes: the file is the old one or the complete new one, what was
//! done before can still be undone, and the next run clears up.

use super::{Files, Ground, Outcome, Plan, calls};
use crate::io::disk::Call;
use incola_engine::link;
use incola_workbook::ExistingBook;
use std::collections::HashMap;
use std::io::{self, Cursor};
use std::path::{Path, PathBuf};

/// A command, what it starts from, and the file that it is about.
struct Case {
    before: &'static [&'static str],
    /// Whether the source is revised then.
    revised: bool,
    command: &'static str,
    target: &'static str,
    /// Whether `undo` has a change to take back before the command and after it.
    undoes: bool,
}

const MADE: &str = "import @march.csv --into @book.xlsx";
const APPENDED: &str = "import @april.csv --into @book.xlsx --sheet march --mode append";

const CASES: [Case; 12] = [
    Case { before: &[], revised: false, command: MADE, target: "book.xlsx", undoes: false },
    Case {
        before: &[MADE, APPENDED],
        revised: false,
        command: "import @may.csv --into @book.xlsx --sheet may",
        target: "book.xlsx",
        undoes: true,
    },
    Case {
        before: &[MADE, APPENDED],
        revised: false,
        command: "import @may.csv --into @book.xlsx --sheet march --mode append",
        target: "book.xlsx",
        undoes: true,
    },
    Case {
        before: &[MADE, APPENDED],
        revised: false,
        command: "import @may.csv --into @book.xlsx --sheet march --mode replace",
        target: "book.xlsx",
        undoes: true,
    },
    Case {
        before: &[
            "import @march.csv --into @book.xlsx --key Call",
            "import @may.csv --into @book.xlsx --sheet may",
        ],
        revised: true,
        command: "refresh @book.xlsx",
        target: "book.xlsx",
        undoes: true,
    },
    // Another sheet and a chart end with its rows, which is told.
    Case {
        before: &[],
        revised: false,
        command: "import @more.csv --into @ledger.xlsx --at ledger --mode append --extra-columns skip --missing-columns blank",
        target: "ledger.xlsx",
        undoes: false,
    },
    Case {
        before: &[MADE, APPENDED],
        revised: false,
        command: "undo @book.xlsx",
        target: "book.xlsx",
        undoes: false,
    },
    Case {
        before: &[MADE],
        revised: false,
        command: "docket draft @march.csv -o @march.docket.toml",
        target: "march.docket.toml",
        undoes: false,
    },
    Case {
        before: &[MADE],
        revised: false,
        command: "link cut @book.xlsx march",
        target: "book.xlsx",
        undoes: false,
    },
    Case {
        before: &[MADE, APPENDED],
        revised: false,
        command: "divide @book.xlsx --sheet march --column Arrived --to F starts:1,6",
        target: "book.xlsx",
        undoes: true,
    },
    Case {
        before: &[MADE],
        revised: false,
        command: "export @book.xlsx --sheet march -o @back.csv",
        target: "back.csv",
        undoes: false,
    },
    Case {
        before: &[],
        revised: false,
        command: "import @march.csv @april.csv @may.csv --into @book.xlsx --together",
        target: "book.xlsx",
        undoes: false,
    },
];

fn laid_out(case: &Case) -> (Ground, Files) {
    let ground = Ground::new();
    ground.put("march.csv", calls(117, 12));
    ground.put("april.csv", calls(165, 8));
    ground.put("may.csv", calls(190, 5));
    ground.put("more.csv", include_bytes!("../../demo/port-calls-april.csv"));
    ground.put("ledger.xlsx", include_bytes!("../../demo/ledger.xlsx"));
    for command in case.before {
        ground.expect(command);
    }
    if case.revised {
        ground.put("march.csv", calls(118, 14));
    }
    let files = ground.files();
    (ground, files)
}

/// What a call fails with: anything; what is interrupted is only asked again.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fails {
    Refused,
    Full,
    Interrupted,
}

impl Fails {
    /// What becomes of a call.
    fn at(self, call: Call) -> io::Result<()> {
        match self {
            // Another one than was meant: threads take turns as they like.
            _ if !self.can_happen(call) => Ok(()),
            Self::Refused => Err(io::ErrorKind::PermissionDenied.into()),
            Self::Full => Err(io::ErrorKind::StorageFull.into()),
            Self::Interrupted => Err(io::ErrorKind::Interrupted.into()),
        }
    }

    fn can_happen(self, call: Call) -> bool {
        match self {
            Self::Refused => true,
            Self::Full => {
                matches!(call, Call::Write | Call::Open | Call::MakeFolder | Call::Link | Call::Sync)
            }
            Self::Interrupted => matches!(call, Call::Read | Call::Write),
        }
    }
}

/// Runs a command with one failing call after another; gives how many there were.
fn fail_everywhere(case: &Case) -> usize {
    let (ground, start) = laid_out(case);
    let old = ground.get(case.target);
    let names = ground.names();
    let sound = ground.run(case.command);
    assert!(matches!(sound.status, Some(0 | 1)), "{}\n{}", case.command, sound.heard);
    let new = ground.get(case.target);
    assert!(new.is_some() && new != old, "{}", case.command);
    let mut done = 0;
    for at in picked(&sound.calls) {
        let (call, path) = &sound.calls[at];
        for fails in [Fails::Refused, Fails::Full, Fails::Interrupted] {
            if !fails.can_happen(*call) {
                continue;
            }
            done += 1;
            ground.set_back(&start);
            let plan = Plan { at, happening: Box::new(move |call| fails.at(call)) };
            let outcome = ground.run_with(case.command, Some(plan));
            let what = format!(
                "{}: {fails:?} at {at}, {call:?} {}\n{}",
                case.command,
                path.display(),
                outcome.heard
            );
            check(case, &ground, (&old, &new), (&sound, &outcome), (fails, &names), &what);
        }
    }
    done
}

/// Which calls are tried: of those of one sort on one file the first, the last and some between; all of them where `INCOLA_ALL_FAULTS` is
/// set, which takes ten minutes.
fn picked(calls: &[(Call, PathBuf)]) -> Vec<usize> {
    if std::env::var_os("INCOLA_ALL_FAULTS").is_some() {
        return (0..calls.len()).collect();
    }
    let mut places: HashMap<(Call, &Path), Vec<usize>> = HashMap::new();
    for (at, (call, path)) in calls.iter().enumerate() {
        // Temporary names differ from run to run.
        let temporary = path.to_string_lossy().contains(".tmp");
        let path = if temporary { path.parent().unwrap_or(path) } else { path };
        places.entry((*call, path)).or_default().push(at);
    }
    let some = |places: &Vec<usize>| {
        let last = places.len() - 1;
        let mut some = vec![places[0], places[last / 2], places[last * 4 / 5], places[last]];
        some.dedup();
        some
    };
    let mut picked: Vec<usize> = places.values().flat_map(some).collect();
    picked.sort_unstable();
    picked
}

fn check(
    case: &Case,
    ground: &Ground,
    (old, new): (&Option<Vec<u8>>, &Option<Vec<u8>>),
    (sound, outcome): (&Outcome, &Outcome),
    (fails, names): (Fails, &[String]),
    what: &str,
) {
    let now = ground.get(case.target);
    assert!(outcome.status.is_some(), "panicked: {what}");
    let is_new = now != *old && (now == *new || is_complete(now.as_deref(), new.as_deref()));
    assert!(now == *old || is_new, "neither old nor new: {what}");
    if outcome.status == sound.status {
        assert!(is_new, "not done, and not said: {what}");
    } else {
        assert!(outcome.heard.contains("incola: "), "nothing said: {what}");
    }
    if fails == Fails::Interrupted {
        assert!(outcome.status == sound.status, "an interruption is no failure: {what}");
    }
    let left: Vec<String> =
        ground.names().into_iter().filter(|n| !names.contains(n) && n != case.target).collect();
    assert!(left.is_empty(), "left over: {left:?}, {what}");
    if case.undoes && fails == Fails::Refused {
        let undone = ground.run("undo @book.xlsx");
        assert_eq!(undone.status, Some(0), "no undo: {}\n{what}", undone.heard);
        if is_new {
            assert!(ground.get(case.target) == *old, "another version: {what}");
        }
    } else if now == *old && fails == Fails::Full {
        let again = ground.run(case.command);
        assert_eq!(again.status, sound.status, "not again: {}\n{what}", again.heard);
        assert!(ground.get(case.target) == *new, "otherwise again: {what}");
    }
}

/// Whether a workbook holds what another does: where a folder cannot be looked at, its link may say the place of a source otherwise.
fn is_complete(now: Option<&[u8]>, new: Option<&[u8]>) -> bool {
    let held = |bytes: &[u8]| {
        let mut book = ExistingBook::open(Box::new(Cursor::new(bytes.to_vec()))).ok()?;
        let names = book.sheet_names();
        let cells = (0..names.len()).map(|sheet| book.cells(sheet, 1, u32::MAX, usize::MAX).ok());
        let cells = cells.collect::<Option<Vec<_>>>()?;
        Some((names, format!("{cells:?}"), link::find(&mut book).ok()?.0.len()))
    };
    now.zip(new).is_some_and(|(now, new)| held(now).is_some() && held(now) == held(new))
}

fn fail_in(cases: &[Case]) {
    for case in cases {
        let count = fail_everywhere(case);
        eprintln!("{count} calls failed: {}", case.command);
        assert!(count > 20);
    }
}

#[test]
fn a_call_that_fails_harms_no_workbook_that_is_changed() {
    let (changed, _) = CASES.split_at(6);
    fail_in(changed);
}

#[test]
fn a_call_that_fails_harms_nothing_else() {
    let (_, others) = CASES.split_at(6);
    fail_in(others);
}
