//! A stand-in for a web server on the loopback address, for the demo and for tests: it serves the files of a folder, with versions
//! (RFC 9110, section 13). Nobody else can reach it.

use crate::failure::{Failure, Result};
use crate::io::disk;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// Most bytes of a request.
const MOST_BYTES: u64 = 16 * 1024;

/// A server; it stops when it is dropped.
pub(crate) struct StandIn {
    address: String,
    port: u16,
    is_stopped: Arc<AtomicBool>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl StandIn {
    /// Serves the files of a folder on a free port.
    pub(crate) fn start(folder: &Path) -> Result<Self> {
        let failed = |e: io::Error| Failure::unreadable(format!("no server on this machine: {e}"));
        let listener = TcpListener::bind(("127.0.0.1", 0)).map_err(failed)?;
        let port = listener.local_addr().map_err(failed)?.port();
        let is_stopped = Arc::new(AtomicBool::new(false));
        let (stopped, folder) = (Arc::clone(&is_stopped), folder.to_owned());
        let thread = std::thread::spawn(move || {
            for stream in listener.incoming() {
                if stopped.load(Ordering::Relaxed) {
                    return;
                }
                // One that goes away in the middle is nobody's loss.
                let _ = stream.and_then(|stream| answer(stream, &folder));
            }
        });
        Ok(Self { address: format!("http://127.0.0.1:{port}"), port, is_stopped, thread: Some(thread) })
    }

    /// The address of a file in the folder.
    pub(crate) fn address_of(&self, file: &str) -> String {
        format!("{}/{file}", self.address)
    }
}

impl Drop for StandIn {
    fn drop(&mut self) {
        self.is_stopped.store(true, Ordering::Relaxed);
        // Wakes the thread that waits for a caller.
        let _ = TcpStream::connect(("127.0.0.1", self.port));
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

fn answer(mut stream: TcpStream, folder: &Path) -> io::Result<()> {
    stream.set_read_timeout(Some(Duration::from_secs(5)))?;
    let mut lines = BufReader::new(stream.try_clone()?.take(MOST_BYTES)).lines();
    let first = lines.next().transpose()?.unwrap_or_default();
    let mut known = None;
    for line in lines {
        let line = line?;
        if line.is_empty() {
            break;
        }
        if let Some((_, value)) =
            line.split_once(':').filter(|(name, _)| name.eq_ignore_ascii_case("if-none-match"))
        {
            known = Some(value.trim().to_owned());
        }
    }
    let mut words = first.split(' ');
    let (method, target) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
    let (status, etag, body) = match (method, file_in(folder, target)) {
        ("GET", Some(path)) => {
            let body = disk::read(path)?;
            let etag = format!("\"{:016x}\"", xxhash_rust::xxh3::xxh3_64(&body));
            if known.as_deref() == Some(&etag) {
                ("304 Not Modified", Some(etag), Vec::new())
            } else {
                ("200 OK", Some(etag), body)
            }
        }
        ("GET", None) => ("404 Not Found", None, b"nothing here\n".to_vec()),
        _ => ("405 Method Not Allowed", None, Vec::new()),
    };
    let mut head = format!("HTTP/1.1 {status}\r\nContent-Length: {}\r\nConnection: close\r\n", body.len());
    if let Some(etag) = etag {
        head.push_str(&format!("ETag: {etag}\r\n"));
    }
    stream.write_all(format!("{head}\r\n").as_bytes())?;
    stream.write_all(&body)
}

/// The file that a request means: one right in the folder.
fn file_in(folder: &Path, target: &str) -> Option<PathBuf> {
    let name = target.split('?').next()?.strip_prefix('/')?;
    let is_plain = !name.is_empty() && !name.contains(['/', '\\', '%']) && !name.starts_with('.');
    Some(folder.join(name)).filter(|path| is_plain && disk::is_file(path))
}
