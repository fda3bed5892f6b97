//! Web addresses as sources (RFC 9110): asked for with conditions, within limits, and never further than the clerk said.

use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::io::attended::attended;
use incola_core::settings::docket::Request;
use std::io::Read;
use std::time::Duration;

/// Most bytes of an answer.
const MOST_BYTES: u64 = 2 << 30;

/// How long a connection may take to be made, an answer to begin, and its body to come.
const CONNECT: Duration = Duration::from_secs(10);
const BEGIN: Duration = Duration::from_secs(30);
const BODY: Duration = Duration::from_mins(10);

/// Waits before another attempt is made.
const WAITS: [Duration; 2] = [Duration::from_millis(500), Duration::from_secs(2)];

/// Longest wait that a server is granted.
const LONGEST_WAIT: u64 = 10;

/// Redirections that are followed.
const REDIRECTIONS: usize = 5;

/// What a server says of the version of what it sends (RFC 9110, section 8.8).
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Version {
    pub(crate) etag: Option<String>,
    pub(crate) last_modified: Option<String>,
}

impl Version {
    fn is_known(&self) -> bool {
        self.etag.is_some() || self.last_modified.is_some()
    }
}

/// What came of asking.
pub(crate) enum Answer {
    /// It is as it was.
    Unchanged,
    /// Its bytes.
    New(Box<dyn Read + Send>, Version),
}

/// The last step of an address's path: what a file would be called.
pub(crate) fn file_name(address: &str) -> &str {
    let path = address.split(['?', '#']).next().unwrap_or(address);
    let path = path.split_once("://").map_or(path, |(_, rest)| rest);
    path.rsplit_once('/').map(|(_, name)| name).filter(|name| !name.is_empty()).unwrap_or("page")
}

/// Asks for an address. `known`: the version that is known already.
///
/// # Errors
/// Status 3 if it cannot be had, 2 if the request cannot be made.
pub(crate) fn get(address: &str, request: &Request, known: &Version) -> Result<Answer> {
    let (headers, query) = (resolved(&request.headers)?, resolved(&request.query)?);
    if host_of(address).contains('@') {
        return Err(Failure::usage(format!(
            "{}: an address holds no name and password",
            without_user(address)
        ))
        .leaving("nothing was asked for")
        .help("put them into a docket: [request] headers = { Authorization = \"${NAME_OF_A_VARIABLE}\" }"));
    }
    let mut at = with_query(address, &query);
    let first_host = host_of(address).to_owned();
    for _ in 0..=REDIRECTIONS {
        // What is meant for one host is told to no other.
        let is_own = host_of(&at) == first_host;
        let answer = attempts(address, &at, if is_own { &headers } else { &[] }, known)?;
        let status = answer.status().as_u16();
        let header = |name: &str| answer.headers().get(name).and_then(|v| v.to_str().ok()).map(str::to_owned);
        match status {
            200 => {
                let length = header("content-length").and_then(|n| n.parse::<u64>().ok());
                if length.is_some_and(|n| n > MOST_BYTES) {
                    return Err(too_large(address));
                }
                let version = Version { etag: header("etag"), last_modified: header("last-modified") };
                // One byte more than is taken, so that too much is seen.
                let body = answer.into_body().into_with_config().limit(MOST_BYTES + 1).reader();
                return Ok(Answer::New(Box::new(body), version));
            }
            304 if known.is_known() => return Ok(Answer::Unchanged),
            301 | 302 | 303 | 307 | 308 => {
                let to = header("location").ok_or_else(|| refused(address, status))?;
                let to = joined(&at, &to);
                let is_safe = scheme_of(&to) == scheme_of(&at) || scheme_of(&to) == "https";
                if !is_safe {
                    return Err(Failure::unreadable(format!(
                        "{address}: it leads to {}, which is less safe, and was not followed",
                        without_user(&to)
                    ))
                    .leaving("nothing was read"));
                }
                at = to;
            }
            _ => return Err(refused(address, status)),
        }
    }
    Err(Failure::unreadable(format!("{address}: it leads on and on, more than {REDIRECTIONS} times")))
}

type Sent = ureq::http::Response<ureq::Body>;

/// Asks a few times if the server or the way to it fails.
fn attempts(address: &str, at: &str, headers: &[(String, String)], known: &Version) -> Result<Sent> {
    let mut waits = WAITS.iter();
    loop {
        crate::interrupt::check()?;
        let (to, own, version) = (at.to_owned(), headers.to_vec(), known.clone());
        let (failure, wait) = match attended(move || ask(&to, &own, &version))? {
            Ok(answer) => {
                let status = answer.status().as_u16();
                if !matches!(status, 408 | 425 | 429 | 500 | 502..=504) {
                    return Ok(answer);
                }
                let later =
                    answer.headers().get("retry-after").and_then(|v| v.to_str().ok()?.parse::<u64>().ok());
                (refused(address, status), later.map(|s| Duration::from_secs(s.min(LONGEST_WAIT))))
            }
            Err(ureq::Error::BadUri(why)) => {
                return Err(Failure::usage(format!("{address}: this is not an address: {why}")));
            }
            Err(ureq::Error::Http(why)) => {
                return Err(Failure::usage(format!("{address}: this is not an address: {why}")));
            }
            Err(error) => (Failure::unreadable(format!("{address}: {error}")), None),
        };
        match waits.next() {
            Some(usual) => super::attended::wait(wait.unwrap_or(*usual))?,
            None => return Err(failure.leaving("nothing was read").help("try again later")),
        }
    }
}

fn ask(at: &str, headers: &[(String, String)], known: &Version) -> std::result::Result<Sent, ureq::Error> {
    let mut config = ureq::Agent::config_builder()
        .max_redirects(0)
        .http_status_as_error(false)
        .timeout_connect(Some(CONNECT))
        .timeout_recv_response(Some(BEGIN))
        .timeout_recv_body(Some(BODY))
        .user_agent(concat!("incola/", env!("CARGO_PKG_VERSION")));
    let host = host_of(at).rsplit_once(':').map_or(host_of(at), |(host, _)| host);
    if host == "localhost" || host.starts_with("127.") || host == "[::1]" {
        // Nobody else knows the way to this machine itself.
        config = config.proxy(None);
    }
    let agent: ureq::Agent = config.build().into();
    let mut request = agent.get(at).header("Accept-Encoding", "gzip");
    for (name, value) in headers {
        request = request.header(name, value);
    }
    if let Some(etag) = &known.etag {
        request = request.header("If-None-Match", etag);
    }
    if let Some(time) = &known.last_modified {
        request = request.header("If-Modified-Since", time);
    }
    request.call()
}

pub(crate) fn too_large(address: &str) -> Failure {
    Failure::new(ExitCode::Protected, format!("{address}: more than {} GiB", MOST_BYTES >> 30))
        .leaving("nothing was written")
        .help("have it made in parts, or fetch it in another way and import the file")
}

/// Whether so many bytes are more than an answer may have.
pub(crate) fn is_too_large(bytes: u64) -> bool {
    bytes > MOST_BYTES
}

fn refused(address: &str, status: u16) -> Failure {
    let words = match status {
        401 | 403 => "the server asks for permission",
        404 | 410 => "there is nothing at that address",
        429 => "the server asks to be left alone for a while",
        500..=599 => "the server has failed",
        _ => "the server did not send it",
    };
    let failure = Failure::unreadable(format!("{address}: {words} ({status})")).leaving("nothing was read");
    match status {
        401 | 403 => failure.help("give what it asks for in a docket: [request] headers = { Authorization = \"${NAME_OF_A_VARIABLE}\" }"),
        _ => failure,
    }
}

/// Names and values, with those of environment variables put in.
fn resolved(values: &std::collections::BTreeMap<String, String>) -> Result<Vec<(String, String)>> {
    values.iter().map(|(name, value)| Ok((name.clone(), with_variables(value)?))).collect()
}

fn with_variables(value: &str) -> Result<String> {
    let mut out = String::new();
    let mut rest = value;
    while let Some((before, after)) = rest.split_once("${") {
        let Some((name, behind)) = after.split_once('}') else { break };
        out.push_str(before);
        let value = std::env::var(name).map_err(|_| {
            Failure::usage(format!(
                "the docket's [request] needs the environment variable {name}, which is not set"
            ))
            .leaving("nothing was asked for")
            .help(format!("set it where Incola runs: {name}=\u{2026}"))
        })?;
        out.push_str(&value);
        rest = behind;
    }
    Ok(out + rest)
}

fn with_query(address: &str, query: &[(String, String)]) -> String {
    let mut at = address.split('#').next().unwrap_or(address).to_owned();
    for (name, value) in query {
        at.push(if at.contains('?') { '&' } else { '?' });
        at.push_str(&format!("{}={}", percent(name), percent(value)));
    }
    at
}

/// Percent-encoded (RFC 3986, section 2.1) but for unreserved characters.
fn percent(text: &str) -> String {
    let plain = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'.' | b'_' | b'~');
    text.bytes().map(|b| if plain(b) { char::from(b).to_string() } else { format!("%{b:02X}") }).collect()
}

fn scheme_of(address: &str) -> String {
    address.split_once("://").map_or(String::new(), |(scheme, _)| scheme.to_lowercase())
}

/// The host with its port, and whatever stands before it.
fn host_of(address: &str) -> &str {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    rest.split(['/', '?', '#']).next().unwrap_or(rest)
}

fn without_user(address: &str) -> String {
    match host_of(address).rsplit_once('@') {
        Some((user, _)) => address.replacen(&format!("{user}@"), "", 1),
        None => address.to_owned(),
    }
}

/// An address as another one refers to it.
fn joined(from: &str, to: &str) -> String {
    let (scheme, host) = (scheme_of(from), host_of(from));
    // A scheme stands in front of everything else (RFC 3986, section 3.1).
    let is_whole = to.split_once("://").is_some_and(|(scheme, _)| {
        scheme.starts_with(|c: char| c.is_ascii_alphabetic())
            && scheme.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.'))
    });
    if is_whole {
        to.to_owned()
    } else if let Some(rest) = to.strip_prefix("//") {
        format!("{scheme}://{rest}")
    } else if to.starts_with('/') {
        format!("{scheme}://{host}{to}")
    } else {
        let path = from.split(['?', '#']).next().unwrap_or(from);
        let folder = path.rsplit_once('/').map_or(path, |(folder, _)| folder);
        let folder = if folder.ends_with(":/") { path } else { folder };
        format!("{folder}/{to}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use incola_engine::link::is_address;

    #[test]
    fn addresses_are_taken_apart_and_put_together() {
        let from = "https://quay.example/calls/march.csv?x=1#y";
        assert_eq!(
            (file_name(from), host_of(from), scheme_of(from).as_str()),
            ("march.csv", "quay.example", "https")
        );
        assert_eq!(file_name("http://quay.example"), "page");
        for (to, expected) in [
            ("april.csv", "https://quay.example/calls/april.csv"),
            ("/april.csv", "https://quay.example/april.csv"),
            ("//other.example/a", "https://other.example/a"),
            ("http://quay.example/a", "http://quay.example/a"),
            ("/a?to=http://other.example/b", "https://quay.example/a?to=http://other.example/b"),
            ("a?to=http://other.example/b", "https://quay.example/calls/a?to=http://other.example/b"),
        ] {
            assert_eq!(joined(from, to), expected);
        }
        assert_eq!(joined("http://quay.example", "a"), "http://quay.example/a");
        assert_eq!(
            with_query("http://a/b?c=d", &[("k e".into(), "ü&".into())]),
            "http://a/b?c=d&k%20e=%C3%BC%26"
        );
        assert_eq!(without_user("http://me:pw@a.example/b"), "http://a.example/b");
        assert!(is_address("HTTPS://a") && !is_address("http.csv") && !is_address("ftp://a"));
    }
}
