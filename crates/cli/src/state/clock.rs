//! The time.

/// The time to write into workbooks: now, or what `SOURCE_DATE_EPOCH` says, for builds that must repeat themselves.
pub(crate) fn now() -> String {
    #[cfg(test)]
    if crate::trial::home().is_some() {
        return "2031-03-01T06:00:00Z".to_owned();
    }
    let stated = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|s| s.parse().ok());
    let now = stated
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}
