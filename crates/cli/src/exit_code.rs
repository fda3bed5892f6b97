//! Exit statuses.

/// How the program ended. Of several outcomes the highest one counts, but for an interruption, which ends everything.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum ExitCode {
    /// Done.
    #[default]
    Done = 0,
    /// Done, but something needs a look.
    NeedsALook = 1,
    /// The command line is wrong.
    Usage = 2,
    /// A source or workbook is missing, or cannot be read or written.
    Unreadable = 3,
    /// Stopped to protect data.
    Protected = 4,
    /// Interrupted.
    Interrupted = 130,
}

impl From<ExitCode> for std::process::ExitCode {
    fn from(code: ExitCode) -> Self {
        Self::from(code as u8)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_highest_outcome_counts() {
        assert_eq!(ExitCode::NeedsALook.max(ExitCode::Protected) as u8, 4);
        assert_eq!(ExitCode::default() as u8, 0);
    }
}
