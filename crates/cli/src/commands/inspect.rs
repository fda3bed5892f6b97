//! `incola inspect`

use crate::exit_code::ExitCode;
use crate::failure::Result;
use crate::flags::definitions::Inspect;
use crate::flags::options;
use crate::folder;
use crate::passes::survey::survey;
use crate::render;
use crate::run::{print, report};
use crate::source::Source;

/// Shows how each source is read. One that cannot be read spoils none of the others.
pub(crate) fn run(options: &Inspect) -> Result<ExitCode> {
    let (choices, lines) = options::choices(&options.read)?;
    let mut code = ExitCode::Done;
    let mut readings = Vec::new();
    for (n, name) in folder::expand(&options.sources)?.iter().enumerate() {
        let mut one = || -> Result<ExitCode> {
            let source = Source::open(name, &std::env::temp_dir())?;
            let surveyed = survey(&source, &choices, lines)?;
            let looks = surveyed.reading.notices.iter().any(|n| n.code.needs_a_look());
            if options.json {
                readings.push(render::reading_json::reading(name, &surveyed));
            } else {
                if n > 0 {
                    print("\n")?;
                }
                print(&if options.raw {
                    render::raw::lines(&source, &surveyed, options.rows)
                } else {
                    render::reading::page(name, &surveyed, options)
                })?;
            }
            Ok(if looks { ExitCode::NeedsALook } else { ExitCode::Done })
        };
        match one() {
            Ok(found) => code = code.max(found),
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        print(&render::json_text(&readings))?;
    }
    Ok(code)
}
