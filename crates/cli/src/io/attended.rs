//! What may keep one waiting is done in a thread of its own, so that an interruption is seen meanwhile.

use crate::failure::{Failure, Result};
use crate::interrupt;
use std::io::{self, Read};
use std::sync::mpsc::{Receiver, RecvTimeoutError, sync_channel};
use std::time::Duration;

/// How often it is looked whether someone interrupted.
const LOOK: Duration = Duration::from_millis(100);

/// Bytes that are read at once, and how many such blocks may wait.
const BLOCK: usize = 64 * 1024;
const WAITING: usize = 4;

/// Does something that may take long to answer.
///
/// # Errors
/// Status 130 if it was interrupted; what was begun is given up.
pub(crate) fn attended<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T> {
    let (done, answer) = sync_channel(1);
    std::thread::spawn(move || {
        let _ = done.send(work());
    });
    loop {
        interrupt::check()?;
        match answer.recv_timeout(LOOK) {
            Ok(answer) => return Ok(answer),
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => {
                return Err(Failure::unreadable("it gave up without a reason").leaving("nothing was read"));
            }
        }
    }
}

/// Waits, unless it is interrupted.
///
/// # Errors
/// Status 130 if it is.
pub(crate) fn wait(time: Duration) -> Result<()> {
    let until = std::time::Instant::now() + time;
    loop {
        interrupt::check()?;
        let left = until.saturating_duration_since(std::time::Instant::now());
        if left.is_zero() {
            return Ok(());
        }
        std::thread::sleep(left.min(LOOK));
    }
}

/// A stream that may stall: reading it ends when someone interrupts.
pub(crate) struct Attended {
    blocks: Receiver<io::Result<Vec<u8>>>,
    block: Vec<u8>,
    at: usize,
}

impl Attended {
    pub(crate) fn new(mut stream: impl Read + Send + 'static) -> Self {
        let (give, blocks) = sync_channel(WAITING);
        std::thread::spawn(move || {
            loop {
                let mut block = vec![0; BLOCK];
                let read = match stream.read(&mut block) {
                    Ok(0) => return,
                    Ok(read) => Ok(read),
                    Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                    Err(error) => Err(error),
                };
                let is_last = read.is_err();
                let block = read.map(|read| {
                    block.truncate(read);
                    block
                });
                if give.send(block).is_err() || is_last {
                    return;
                }
            }
        });
        Self { blocks, block: Vec::new(), at: 0 }
    }
}

impl Read for Attended {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.at == self.block.len() {
            match self.blocks.recv_timeout(LOOK) {
                Ok(block) => (self.block, self.at) = (block?, 0),
                Err(RecvTimeoutError::Timeout) if interrupt::is_interrupted() => {
                    return Err(io::Error::other("interrupted"));
                }
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return Ok(0),
            }
        }
        let count = buffer.len().min(self.block.len() - self.at);
        buffer[..count].copy_from_slice(&self.block[self.at..self.at + count]);
        self.at += count;
        Ok(count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Odd(usize);

    impl Read for Odd {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            self.0 += 1;
            match self.0 % 3 {
                0 => Err(io::ErrorKind::Interrupted.into()),
                _ if self.0 > 3000 => Err(io::Error::other("gone")),
                _ => {
                    let count = buffer.len().min(self.0);
                    buffer[..count].fill(7);
                    Ok(count)
                }
            }
        }
    }

    #[test]
    fn a_stream_comes_whole_in_whatever_pieces() {
        let bytes: Vec<u8> = (0..300_000_u32).map(|n| (n % 251) as u8).collect();
        let mut out = Vec::new();
        Attended::new(io::Cursor::new(bytes.clone())).read_to_end(&mut out).unwrap();
        assert_eq!(out, bytes);
        let mut out = Vec::new();
        let error = Attended::new(Odd(0)).read_to_end(&mut out).unwrap_err();
        assert_eq!(error.to_string(), "gone");
        assert!(out.len() > 1_000_000 && out.iter().all(|b| *b == 7));
    }

    #[test]
    fn answers_come_back_and_waits_end() {
        assert_eq!(attended(|| 7).unwrap(), 7);
        wait(Duration::from_millis(1)).unwrap();
    }
}
