//! What the programs here share: running programs and measuring them.

use std::ffi::OsStr;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// What one run of a program took.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Run {
    /// Seconds from its start to its end.
    pub seconds: f64,
    /// The most memory that it held, in MiB; 0 where the system does not say.
    pub peak: f64,
}

/// How often a running program is asked for its memory.
const ASKED: Duration = Duration::from_millis(4);

/// Runs a program to its end.
///
/// # Errors
/// The program does not start, or ends with a status other than 0 and 1 (something needs a look).
pub fn run(program: &Path, arguments: &[&OsStr], folder: &Path) -> io::Result<Run> {
    let started = Instant::now();
    let mut child = command(program, arguments, folder).stderr(Stdio::piped()).spawn()?;
    let status_file = PathBuf::from(format!("/proc/{}/status", child.id()));
    let mut peak = 0.0_f64;
    let status = loop {
        peak = peak.max(peak_of(&status_file));
        if let Some(status) = child.try_wait()? {
            break status;
        }
        std::thread::sleep(ASKED);
    };
    let seconds = started.elapsed().as_secs_f64();
    match status.code() {
        Some(0 | 1) => Ok(Run { seconds, peak }),
        _ => {
            let mut said = String::new();
            if let Some(mut stderr) = child.stderr.take() {
                let _ = stderr.read_to_string(&mut said);
            }
            Err(io::Error::other(format!("{} ended with {status}\n{said}", program.display())))
        }
    }
}

/// Instructions that a run of a program takes, in millions, as callgrind counts them; none where it is not installed.
pub fn instructions(program: &Path, arguments: &[&OsStr], folder: &Path) -> Option<f64> {
    let mut all =
        vec!["--tool=callgrind".as_ref(), "--callgrind-out-file=/dev/null".as_ref(), program.as_os_str()];
    all.extend(arguments);
    let output = command(Path::new("valgrind"), &all, folder).stderr(Stdio::piped()).output().ok()?;
    collected(&String::from_utf8_lossy(&output.stderr))
}

/// A program that keeps what it has to remember in the folder, and says nothing.
fn command(program: &Path, arguments: &[&OsStr], folder: &Path) -> Command {
    let mut command = Command::new(program);
    command.args(arguments).env("XDG_STATE_HOME", folder.join("state")).current_dir(folder);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command
}

/// Millions of instructions in what callgrind says at its end.
fn collected(said: &str) -> Option<f64> {
    let line = said.lines().rev().find(|line| line.contains("Collected :"))?;
    let count: f64 = line.rsplit(' ').next()?.parse().ok()?;
    Some(count / 1e6)
}

/// MiB that a process has held at most, so far.
fn peak_of(status: &Path) -> f64 {
    let text = std::fs::read_to_string(status).unwrap_or_default();
    let line = text.lines().find(|line| line.starts_with("VmHWM:")).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|kib| kib.parse::<f64>().ok()).unwrap_or(0.0) / 1024.0
}

/// The middle one of some figures; 0 if there are none.
///
/// ```
/// assert_eq!(incola_benches::median([3.0, 1.0, 2.0]), 2.0);
/// ```
pub fn median(figures: impl IntoIterator<Item = f64>) -> f64 {
    let mut figures: Vec<f64> = figures.into_iter().collect();
    figures.sort_by(f64::total_cmp);
    figures.get(figures.len() / 2).copied().unwrap_or(0.0)
}

/// A folder for made-up files, removed in the end.
#[derive(Debug)]
pub struct Folder(PathBuf);

impl Folder {
    /// Makes a new one.
    ///
    /// # Errors
    /// The system has no room for it.
    pub fn new() -> io::Result<Self> {
        let path = std::env::temp_dir().join(format!("incola-benches-{}", std::process::id()));
        std::fs::create_dir_all(&path)?;
        Ok(Self(path))
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.0
    }

    /// A file in it.
    pub fn file(&self, name: &str) -> PathBuf {
        self.0.join(name)
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// Bytes of a file; 0 if it is not there.
pub fn bytes(path: &Path) -> f64 {
    std::fs::metadata(path).map_or(0.0, |file| file.len() as f64)
}

/// A program that was built beside this one.
///
/// # Errors
/// The system does not say where this one is.
pub fn beside(name: &str) -> io::Result<PathBuf> {
    Ok(std::env::current_exe()?.with_file_name(name))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_are_read() {
        assert_eq!(median([]), 0.0);
        assert_eq!(median([5.0, 1.0, 9.0, 2.0, 7.0]), 5.0);
        assert_eq!(collected("==7== \n==7== Collected : 1500000\n==7==\n"), Some(1.5));
        assert_eq!(collected("no such tool"), None);
    }

    #[test]
    fn programs_are_run_and_their_ends_are_looked_at() {
        let folder = Folder::new().unwrap();
        let shell =
            |script: &str| run(Path::new("/bin/sh"), &["-c".as_ref(), script.as_ref()], folder.path());
        assert!(shell("exit 1").unwrap().seconds > 0.0);
        assert!(shell("exit 3").unwrap_err().to_string().contains('3'));
        assert!(shell("echo x > made").is_ok());
        assert_eq!(bytes(&folder.file("made")), 2.0);
    }
}
