//! What the user's settings file says for all imports: `settings.toml` in the user's configuration folder.

use crate::failure::{Failure, Result};
use crate::io::disk;
use crate::state::config_folder;
use serde::Deserialize;
use std::io::ErrorKind;

/// The settings file.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(default)]
    defaults: Defaults,
}

/// What holds where neither an option nor a docket says anything.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Defaults {
    /// Whether imports keep a link.
    pub(crate) link: Option<bool>,
}

/// Reads the user's settings.
///
/// # Errors
/// Status 2 if the file is wrong, with its line; 3 if it cannot be read.
pub(crate) fn read() -> Result<Defaults> {
    let Some(path) = config_folder().map(|folder| folder.join("settings.toml")) else {
        return Ok(Defaults::default());
    };
    let text = match disk::read_to_string(&path) {
        Ok(text) => text,
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(Defaults::default()),
        Err(error) => {
            return Err(Failure::io(&path, "read it", &error).leaving("nothing was written"));
        }
    };
    toml::from_str::<File>(&text).map(|file| file.defaults).map_err(|error| {
        let start = error.span().map_or(0, |span| span.start.min(text.len()));
        let line = memchr::memchr_iter(b'\n', &text.as_bytes()[..start]).count() + 1;
        Failure::usage(format!("{}:{line}: {}", path.display(), error.message()))
            .leaving("nothing was written")
            .help("what it may say is in docs/keep.md: [defaults] with link = false")
    })
}
