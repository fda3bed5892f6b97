//! Failures as the clerk reads them: what happened, where, what was left untouched, and what to do.

use crate::exit_code::ExitCode;
use std::fmt;
use std::path::Path;

/// A failure that ends the work on a source or on everything.
#[derive(Debug)]
pub(crate) struct Failure {
    /// The exit status.
    pub(crate) status: ExitCode,
    /// What happened, and where.
    pub(crate) what: String,
    /// What was left as it was.
    pub(crate) untouched: Option<String>,
    /// What to do next: sentences or commands, one a line.
    pub(crate) help: Vec<String>,
}

/// A result with a failure for people.
pub(crate) type Result<T> = std::result::Result<T, Failure>;

impl Failure {
    pub(crate) fn new(status: ExitCode, what: impl Into<String>) -> Self {
        Self { status, what: what.into(), untouched: None, help: Vec::new() }
    }

    /// The command line is wrong.
    pub(crate) fn usage(what: impl Into<String>) -> Self {
        Self::new(ExitCode::Usage, what)
    }

    /// Something cannot be read or written.
    pub(crate) fn unreadable(what: impl Into<String>) -> Self {
        Self::new(ExitCode::Unreadable, what)
    }

    /// Stopped to protect data.
    pub(crate) fn protected(what: impl Into<String>) -> Self {
        Self::new(ExitCode::Protected, what)
    }

    pub(crate) fn interrupted() -> Self {
        Self::new(ExitCode::Interrupted, "interrupted").leaving("nothing was written")
    }

    /// What the system says about a path.
    pub(crate) fn io(path: &Path, doing: &str, error: &std::io::Error) -> Self {
        use std::io::ErrorKind;
        let shown = path.display();
        let what = match error.kind() {
            ErrorKind::NotFound => format!("{shown}: no such file or folder"),
            ErrorKind::PermissionDenied => format!("{shown}: no permission to {doing}"),
            ErrorKind::StorageFull => format!("{shown}: the disk is full"),
            ErrorKind::ReadOnlyFilesystem => format!("{shown}: the disk cannot be written to"),
            ErrorKind::IsADirectory => format!("{shown}: it is a folder"),
            _ => format!("{shown}: cannot {doing}: {error}"),
        };
        Self::unreadable(what)
    }

    pub(crate) fn leaving(mut self, untouched: impl Into<String>) -> Self {
        self.untouched = Some(untouched.into());
        self
    }

    pub(crate) fn help(mut self, line: impl Into<String>) -> Self {
        self.help.push(line.into());
        self
    }
}

impl std::error::Error for Failure {}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", crate::render::sanitize::lines(&self.what))?;
        if let Some(untouched) = &self.untouched {
            write!(f, "\n  {}", crate::render::sanitize::lines(untouched))?;
        }
        for help in &self.help {
            write!(f, "\n  → {}", crate::render::sanitize::lines(help))?;
        }
        Ok(())
    }
}
