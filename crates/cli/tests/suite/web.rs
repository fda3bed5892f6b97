//! Web addresses as sources, and watching.

use crate::support::Folder;
use std::io::{Read, Write};
use std::net::TcpListener;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

const CALLS: &str = "Call,Berth,Dues\nA-1,007,12.50\nA-2,012,3.00\nA-3,003,8.25\n";

/// What a server answers, one after the other, and what it was asked.
struct Server {
    address: String,
    asked: Arc<Mutex<Vec<String>>>,
}

impl Server {
    /// Answers with these, then with the last one again and again.
    fn with(answers: Vec<String>) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = format!("http://{}/calls.csv", listener.local_addr().unwrap());
        let asked = Arc::new(Mutex::new(Vec::new()));
        let own = Arc::clone(&asked);
        std::thread::spawn(move || {
            let mut answers = answers.into_iter().peekable();
            let mut last = String::new();
            for stream in listener.incoming() {
                let Ok(mut stream) = stream else { continue };
                let mut request = Vec::new();
                let mut buffer = [0; 1024];
                while !request.ends_with(b"\r\n\r\n") {
                    match stream.read(&mut buffer) {
                        Ok(read) if read > 0 => request.extend_from_slice(&buffer[..read]),
                        _ => break,
                    }
                }
                own.lock().unwrap().push(String::from_utf8_lossy(&request).to_lowercase());
                last = answers.next().unwrap_or(last);
                let _ = stream.write_all(last.as_bytes());
            }
        });
        Self { address, asked }
    }

    fn asked(&self) -> Vec<String> {
        self.asked.lock().unwrap().clone()
    }
}

fn ok(body: &str, more: &str) -> String {
    format!("HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: {}\r\n{more}\r\n{body}", body.len())
}

fn status(line: &str, more: &str) -> String {
    format!("HTTP/1.1 {line}\r\nConnection: close\r\nContent-Length: 0\r\n{more}\r\n")
}

#[test]
fn an_address_is_asked_with_conditions() {
    let server = Server::with(vec![
        ok(CALLS, "ETag: \"one\"\r\nLast-Modified: Mon, 17 Mar 2031 08:00:00 GMT\r\n"),
        status("304 Not Modified", ""),
        ok(&CALLS.replace("3.00", "3.10"), "ETag: \"two\"\r\n"),
        status("304 Not Modified", ""),
        // Sent again although nothing changed: it is seen by what it holds.
        ok(&CALLS.replace("3.00", "3.10"), "ETag: \"three\"\r\n"),
    ]);
    let folder = Folder::new();
    let run = folder.run(&format!("import {} --into book.xlsx", server.address)).expect(0);
    assert!(run.out.contains("sheet         calls, table calls"), "{}", run.out);
    assert!(folder.run("refresh book.xlsx").expect(0).out.contains("unchanged"));
    assert!(folder.run("refresh book.xlsx").expect(0).out.contains("1 revised"));
    assert_eq!(folder.cells("book.xlsx", "calls")[2].join("|"), "\"A-2\"|\"012\"|3.1");
    assert!(folder.run("refresh book.xlsx").expect(0).out.contains("unchanged"));
    assert!(folder.run("refresh book.xlsx").expect(0).out.contains("same records"));
    let asked = server.asked();
    assert!(!asked[0].contains("if-none-match"), "{}", asked[0]);
    assert!(
        asked[1].contains("if-none-match: \"one\"") && asked[1].contains("if-modified-since: mon, 17 mar")
    );
    assert!(asked[3].contains("if-none-match: \"two\""), "{}", asked[3]);
    let run = folder.run("link list book.xlsx").expect(0);
    assert!(
        run.out.contains("on the web") && run.out.contains(&format!("reads {}", server.address)),
        "{}",
        run.out
    );
}

#[test]
fn what_a_server_refuses_is_told_and_changes_nothing() {
    let folder = Folder::new();
    for (answer, expected, code) in [
        (status("404 Not Found", ""), "there is nothing at that address (404)", 3),
        (status("403 Forbidden", ""), "the server asks for permission (403)", 3),
        (
            status("302 Found", "Location: ftp://127.0.0.1/calls.csv\r\n"),
            "which is less safe, and was not followed",
            3,
        ),
        (status("302 Found", "Location: /calls.csv\r\n"), "it leads on and on", 3),
        ("HTTP/1.1 200 OK\r\nContent-Length: 99999999999999\r\n\r\n".to_owned(), "more than 2 GiB", 4),
        (ok("", ""), "the file is empty", 4),
    ] {
        let server = Server::with(vec![answer]);
        let run = folder.run(&format!("import {} --into book.xlsx", server.address)).expect(code);
        assert!(run.err.contains(expected), "{expected}: {}", run.err);
        assert_eq!(folder.files(), Vec::<String>::new());
    }
}

#[test]
fn a_server_that_fails_is_asked_again() {
    let server = Server::with(vec![status("503 Service Unavailable", "Retry-After: 0\r\n"), ok(CALLS, "")]);
    let folder = Folder::new();
    folder.run(&format!("import {} --into book.xlsx", server.address)).expect(0);
    assert_eq!(server.asked().len(), 2);
}

#[test]
fn redirections_are_followed_and_secrets_stay_with_their_host() {
    let other = Server::with(vec![ok(CALLS, "")]);
    let server =
        Server::with(vec![status("307 Temporary Redirect", &format!("Location: {}\r\n", other.address))]);
    let folder = Folder::new().with(
        "calls.docket.toml",
        "docket = 1\n[match]\nfiles = [\"calls*.csv\"]\n[request]\nheaders = { Authorization = \"Bearer ${QUAY_TOKEN}\" }\nquery = { port = \"TGQ\" }\n",
    );
    let words = format!("import {} --into book.xlsx", server.address);
    let run = folder.run(&words).expect(2);
    assert!(run.err.contains("the environment variable QUAY_TOKEN, which is not set"), "{}", run.err);
    let done = folder.command(&words).env("QUAY_TOKEN", "s3cret").output().unwrap();
    assert_eq!(done.status.code(), Some(0), "{}", String::from_utf8_lossy(&done.stderr));
    let (asked, other) = (server.asked(), other.asked());
    assert!(
        asked[0].contains("authorization: bearer s3cret") && asked[0].contains("get /calls.csv?port=tgq")
    );
    assert!(!other[0].contains("authorization"), "{}", other[0]);
    // The secret is nowhere in the workbook; what it is called is.
    let link = folder.part("book.xlsx", "customXml/item1.xml");
    assert!(link.contains("${QUAY_TOKEN}") && !link.contains("s3cret"), "{link}");
    let open = Folder::new().with("calls.docket.toml", "docket = 1\n[match]\nfiles = [\"calls*.csv\"]\n[request]\nheaders = { Authorization = \"Bearer abc\" }\n");
    let run = open.run(&words).expect(2);
    assert!(run.err.contains("secrets are not written into dockets"), "{}", run.err);
}

#[test]
fn what_comes_compressed_is_inflated() {
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    gzip.write_all(CALLS.as_bytes()).unwrap();
    let body = gzip.finish().unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}/calls.csv.gz", listener.local_addr().unwrap());
    let server = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let _ = stream.read(&mut [0; 4096]);
        let head = format!(
            "HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nConnection: close\r\nContent-Length: {}\r\n\r\n",
            body.len()
        );
        stream.write_all(&[head.as_bytes(), &body].concat()).unwrap();
    });
    let folder = Folder::new();
    folder.run(&format!("import {address} --into book.xlsx")).expect(0);
    server.join().unwrap();
    assert_eq!(folder.cells("book.xlsx", "calls")[3].join("|"), "\"A-3\"|\"003\"|8.25");
}

#[test]
fn a_watch_looks_so_often_and_says_what_it_did() {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    let run = folder.run("watch book.xlsx --every 1s --times 2").expect(0);
    assert!(
        run.out.contains("watching calls of book.xlsx, every 1 s, and when a file changes"),
        "{}",
        run.out
    );
    assert_eq!(run.out.lines().count(), 1, "nothing happened: {}", run.out);
    std::fs::write(folder.path("calls.csv"), CALLS.replace("3.00", "3.10") + "A-4,009,1.00\n").unwrap();
    let run = folder.run("watch book.xlsx --times 1").expect(0);
    assert!(run.out.contains("calls: 1 added, 0 gone, 1 revised; 4 rows"), "{}", run.out);
    std::fs::remove_file(folder.path("calls.csv")).unwrap();
    let run = folder.run("watch book.xlsx --every 1s --times 2").expect(3);
    assert_eq!(run.out.matches("no such file").count(), 1, "told once: {}", run.out);
    for (words, expected) in [
        ("watch book.xlsx --every 5", "it is a number followed by s, m or h"),
        ("watch book.xlsx nothing", "it has no link nothing"),
    ] {
        let run = folder.run(words).expect(2);
        assert!(run.err.contains(expected), "{}", run.err);
    }
}

#[cfg(unix)]
#[test]
fn a_watch_sees_changes_survives_a_locked_workbook_and_stops_cleanly() {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    let out = std::fs::File::create(folder.path("out.txt")).unwrap();
    let mut child = folder.command("watch book.xlsx").stdout(out).spawn().unwrap();
    let wait_for = |text: &str| {
        let from = Instant::now();
        loop {
            let said = std::fs::read_to_string(folder.path("out.txt")).unwrap();
            if said.contains(text) {
                return;
            }
            assert!(from.elapsed() < Duration::from_mins(1), "not said: {text}\n{said}");
            std::thread::sleep(Duration::from_millis(50));
        }
    };
    wait_for("watching calls");
    std::fs::write(folder.path("~$book.xlsx"), "").unwrap();
    std::fs::write(folder.path("calls.csv"), CALLS.replace("3.00", "3.10")).unwrap();
    wait_for("it is open in another program; it is tried again");
    std::fs::remove_file(folder.path("~$book.xlsx")).unwrap();
    wait_for("1 revised");
    std::process::Command::new("kill").arg(child.id().to_string()).status().unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(0));
    wait_for("stopped");
    assert_eq!(folder.cells("book.xlsx", "calls")[2].join("|"), "\"A-2\"|\"012\"|3.1");
}

#[cfg(unix)]
#[test]
fn an_interruption_is_seen_while_a_server_or_a_pipe_stalls() {
    use std::process::Stdio;
    for beginning in
        [Some(""), Some("HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\nCall,Berth\nA-1,007\n"), None]
    {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = format!("http://{}/calls.csv", listener.local_addr().unwrap());
        let folder = Folder::new();
        let source = if beginning.is_some() { address.as_str() } else { "-" };
        let mut command = folder.command(&format!("import {source} --into out.xlsx --no-questions"));
        let mut child = command.stdin(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let held = beginning.map(|text| {
            let (mut stream, _) = listener.accept().unwrap();
            stream.write_all(text.as_bytes()).unwrap();
            stream
        });
        // It waits for what does not come.
        std::thread::sleep(Duration::from_millis(300));
        std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
        let begun = Instant::now();
        while child.try_wait().unwrap().is_none() && begun.elapsed() < Duration::from_secs(20) {
            std::thread::sleep(Duration::from_millis(20));
        }
        assert_eq!(child.try_wait().unwrap().and_then(|status| status.code()), Some(130), "{beginning:?}");
        assert_eq!(folder.files(), Vec::<String>::new());
        drop(held);
    }
}
