//! Where results and failures go: standard output and standard error.

use crate::failure::Failure;
use std::io::{self, Write};

/// Tells a failure on standard error.
pub(crate) fn report(failure: &Failure) {
    tell(&format!("incola: {failure}\n"));
}

/// Prints a result on standard output. A reader that went away is no failure.
pub(crate) fn print(text: &str) -> Result<(), Failure> {
    if is_heard(text) {
        return Ok(());
    }
    let mut out = anstream::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            Err(Failure::unreadable(format!("the result cannot be printed: {error}")))
        }
        _ => Ok(()),
    }
}

/// Prints what tells of work that is done: if that fails, the work stands all the same.
pub(crate) fn print_receipt(text: &str) -> Result<(), Failure> {
    print(text)
        .map_err(|failure| failure.leaving("what it is about was done: the workbooks are as it would say"))
}

/// Tells something on standard error that is no failure.
pub(crate) fn note(text: &str) {
    tell(&format!("incola: note: {text}\n"));
}

fn tell(text: &str) {
    if is_heard(text) {
        return;
    }
    let mut out = anstream::stderr().lock();
    // If nobody listens there is nobody to tell.
    let _ = out.write_all(text.as_bytes());
}

/// Whether a test hears it: then it is not printed.
#[cfg(not(test))]
fn is_heard(_: &str) -> bool {
    false
}

#[cfg(test)]
fn is_heard(text: &str) -> bool {
    crate::trial::hears(text)
}
