//! Settings that are wrong, for people: as options, or as keys of a docket.

use crate::failure::Failure;
use incola_core::settings::BadSetting;

/// The option of a setting.
pub(crate) fn option(key: &str) -> String {
    format!("--{}", key.replace('_', "-"))
}

/// What is wrong with a setting. `docket`: the file that says so; else it was typed.
pub(crate) fn bad(wrong: &BadSetting, docket: Option<&str>) -> Failure {
    let BadSetting { key, value, why, hint } = wrong;
    let place = match docket {
        Some(file) => format!("{file}: {key} = {value}"),
        None if value.is_empty() => option(key),
        None => format!("{} {value}", option(key)),
    };
    let failure = Failure::usage(format!("{place}: {why}")).leaving("nothing was written");
    match hint {
        Some(hint) => failure.help(hint.clone()),
        None => failure,
    }
}
