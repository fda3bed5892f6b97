//! The program run inside a test, on ground of its own: what it says is heard, and any call to the disk can fail, or somebody can come
//! in between.
//!
//! A ground is a folder with what the program works on and what it remembers. Calls to the disk are told apart by their path: those
//! under a ground are its own, from whichever thread they come.

#![allow(
    clippy::disallowed_methods,
    clippy::disallowed_types,
    reason = "what tests do to the disk is no call of the program"
)]

mod faults;
mod races;

use crate::io::disk::Call;
use std::cell::RefCell;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

/// What happens right before one call.
type Happening = Box<dyn Fn(Call) -> io::Result<()> + Send + Sync>;

/// Which call something happens before, and what; counted from 0.
struct Plan {
    at: usize,
    happening: Happening,
}

/// The calls of one run, and what is planned for one of them.
#[derive(Default)]
struct Watch {
    calls: Mutex<Vec<(Call, PathBuf)>>,
    plan: Option<Plan>,
}

/// The grounds on which something runs now.
static WATCHES: Mutex<Vec<(PathBuf, Arc<Watch>)>> = Mutex::new(Vec::new());

thread_local! {
    /// The ground that this thread runs the program on, and what was said there.
    static HERE: RefCell<Option<(PathBuf, String)>> = const { RefCell::new(None) };
}

/// Where the program remembers things, if it runs on a ground.
pub(crate) fn home() -> Option<PathBuf> {
    HERE.with_borrow(|here| here.as_ref().map(|(root, _)| root.join("home")))
}

/// Hears what is said on a ground; `false`: there is none.
pub(crate) fn hears(text: &str) -> bool {
    HERE.with_borrow_mut(|here| here.as_mut().map(|(_, heard)| heard.push_str(text)).is_some())
}

/// What happens before a call to the disk.
pub(crate) fn before(call: Call, path: &Path) -> io::Result<()> {
    let watch = {
        let watches = WATCHES.lock().unwrap();
        watches.iter().find(|(root, _)| path.starts_with(root)).map(|(_, watch)| Arc::clone(watch))
    };
    let Some(watch) = watch else { return Ok(()) };
    let number = {
        let mut calls = watch.calls.lock().unwrap();
        calls.push((call, path.to_owned()));
        calls.len() - 1
    };
    match &watch.plan {
        Some(plan) if plan.at == number => (plan.happening)(call),
        _ => Ok(()),
    }
}

/// How a run ended.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Outcome {
    /// The exit status; `None`: it panicked.
    status: Option<u8>,
    heard: String,
    calls: Vec<(Call, PathBuf)>,
}

/// Files by their path under a ground, and what they hold.
type Files = Vec<(PathBuf, Vec<u8>)>;

/// A folder with what the program works on (`work`) and what it remembers (`home`).
struct Ground {
    root: PathBuf,
    _folder: tempfile::TempDir,
}

impl Ground {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        std::fs::create_dir(root.join("work")).unwrap();
        Self { root, _folder: folder }
    }

    /// The path of a file to work on.
    fn at(&self, name: &str) -> PathBuf {
        self.root.join("work").join(name)
    }

    fn put(&self, name: &str, bytes: impl AsRef<[u8]>) {
        put_old(&self.at(name), bytes.as_ref());
    }

    fn get(&self, name: &str) -> Option<Vec<u8>> {
        std::fs::read(self.at(name)).ok()
    }

    /// Runs the program: words that begin with `@` are names of files here.
    fn run(&self, command: &str) -> Outcome {
        self.run_with(command, None)
    }

    /// The same; something happens before one call.
    fn run_with(&self, command: &str, plan: Option<Plan>) -> Outcome {
        let here = |word: &str| match word.strip_prefix('@') {
            Some(name) => self.at(name).into_os_string(),
            None => word.into(),
        };
        let words: Vec<_> = ["incola"].into_iter().chain(command.split_whitespace()).map(here).collect();
        let watch = Arc::new(Watch { calls: Mutex::default(), plan });
        WATCHES.lock().unwrap().push((self.root.clone(), Arc::clone(&watch)));
        let root = self.root.clone();
        // What a thread remembers is forgotten with it, as by a process.
        let run = std::thread::Builder::new().stack_size(16 << 20).spawn(move || {
            HERE.set(Some((root, String::new())));
            let status = crate::run::run(words) as u8;
            (status, HERE.take().map(|(_, heard)| heard).unwrap_or_default())
        });
        let ended = run.unwrap().join();
        WATCHES.lock().unwrap().retain(|(root, _)| *root != self.root);
        let calls = std::mem::take(&mut *watch.calls.lock().unwrap());
        match ended {
            Ok((status, heard)) => Outcome { status: Some(status), heard, calls },
            Err(_) => Outcome { status: None, heard: String::new(), calls },
        }
    }

    /// Runs the program where nothing may go wrong.
    fn expect(&self, command: &str) {
        let outcome = self.run(command);
        assert!(matches!(outcome.status, Some(0 | 1)), "{command}\n{}", outcome.heard);
    }

    /// All files, in the order of their paths.
    fn files(&self) -> Files {
        let mut found = Vec::new();
        let mut folders = vec![self.root.clone()];
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                } else {
                    found.push((
                        path.strip_prefix(&self.root).unwrap().to_owned(),
                        std::fs::read(&path).unwrap(),
                    ));
                }
            }
        }
        found.sort();
        found
    }

    /// Puts everything back to how it was.
    fn set_back(&self, files: &Files) {
        for entry in std::fs::read_dir(&self.root).unwrap() {
            std::fs::remove_dir_all(entry.unwrap().path()).unwrap();
        }
        std::fs::create_dir(self.root.join("work")).unwrap();
        for (path, bytes) in files {
            let path = self.root.join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            put_old(&path, bytes);
        }
    }

    /// The names of what there is to work on.
    fn names(&self) -> Vec<String> {
        let names = std::fs::read_dir(self.root.join("work")).unwrap();
        let mut names: Vec<_> = names.map(|n| n.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }
}

/// Writes a file that nobody has touched for an hour: one that was just written may be written still, and is waited for.
fn put_old(path: &Path, bytes: &[u8]) {
    std::fs::write(path, bytes).unwrap();
    let hour = std::time::Duration::from_hours(1);
    let file = std::fs::File::options().write(true).open(path).unwrap();
    file.set_modified(std::time::SystemTime::now() - hour).unwrap();
}

/// A table of port calls from one number on.
fn calls(from: u32, count: u32) -> String {
    let row = |n: u32| format!("{n:06},{:03},2031-03-{:02},{}.50\n", n % 40, n % 28 + 1, 100 + n * 7);
    format!("Call,Berth,Arrived,Dues\n{}", (from..from + count).map(row).collect::<String>())
}
