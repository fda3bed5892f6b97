//! Decisions and what speaks for them.
//!
//! Nothing in Incola is decided by a bare score: a [`Decision`] keeps the value, who decided it, the observation that
//! speaks for it, and the runner-up with the reason why it lost.

/// Who settled a decision.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DecidedBy {
    /// Found in the source itself.
    Detected,
    /// Stated by a docket.
    Docket,
    /// Stated on the command line.
    Given,
}

impl DecidedBy {
    /// The word that people and programs read: `detected`, `docket` or `given`.
    ///
    /// ```
    /// assert_eq!(incola_core::evidence::DecidedBy::Given.word(), "given");
    /// ```
    pub fn word(self) -> &'static str {
        match self {
            Self::Detected => "detected",
            Self::Docket => "docket",
            Self::Given => "given",
        }
    }
}

/// The best of the choices that were not taken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RunnerUp<T> {
    /// What it would have been.
    pub value: T,
    /// Why it lost.
    pub why: String,
    /// Whether it lost by so little that someone should look.
    pub is_close: bool,
}

/// A choice with its evidence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decision<T> {
    /// What was chosen.
    pub value: T,
    /// Who chose it.
    pub decided_by: DecidedBy,
    /// What speaks for it, in words.
    pub why: String,
    /// The next best choice, if there was one.
    pub runner_up: Option<RunnerUp<T>>,
}

impl<T> Decision<T> {
    /// A choice that the source itself shows.
    pub fn detected(value: T, why: impl Into<String>) -> Self {
        Self { value, decided_by: DecidedBy::Detected, why: why.into(), runner_up: None }
    }

    /// A choice that the clerk stated.
    pub fn given(value: T, why: impl Into<String>) -> Self {
        Self { value, decided_by: DecidedBy::Given, why: why.into(), runner_up: None }
    }

    /// The same choice with its runner-up.
    #[must_use]
    pub fn over(mut self, value: T, why: impl Into<String>) -> Self {
        self.runner_up = Some(RunnerUp { value, why: why.into(), is_close: false });
        self
    }

    /// The same choice, whose runner-up lost by little if `is_close`.
    #[must_use]
    pub fn by_little(mut self, is_close: bool) -> Self {
        if let Some(runner_up) = &mut self.runner_up {
            runner_up.is_close = is_close;
        }
        self
    }
}
