//! The record machine's slow twin: the same rules, written to be read, over the whole text at once.

use super::delimited::QUOTE_REACH;
use super::dialect::Dialect;

/// A record as the twin sees it.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Record {
    pub(super) fields: Vec<String>,
    pub(super) lines: u32,
}

/// Cuts all of `text`.
pub(super) fn records(text: &str, dialect: &Dialect) -> Vec<Record> {
    let mut twin = Twin { text, dialect, at: 0, lines: 0 };
    let mut records = Vec::new();
    while twin.at < text.len() {
        let comment = dialect.comment_prefix.as_ref().is_some_and(|p| twin.rest().as_bytes().starts_with(p));
        if comment || twin.blank_line() || twin.rule_line() {
            twin.at = twin.this_line().1;
        } else {
            records.push(twin.record());
        }
    }
    records
}

struct Twin<'t> {
    text: &'t str,
    dialect: &'t Dialect,
    at: usize,
    lines: u32,
}

impl<'t> Twin<'t> {
    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn delimiter(&self) -> &str {
        std::str::from_utf8(&self.dialect.delimiter).expect("delimiters are text")
    }

    fn blank_delimiter(&self) -> bool {
        !self.delimiter().is_empty() && self.delimiter().trim_matches([' ', '\t']).is_empty()
    }

    fn skips_runs_of_blanks(&self) -> bool {
        self.dialect.runs_as_one && self.blank_delimiter()
    }

    /// Length of the line end at `at`: 0 where there is none.
    fn line_end(&self, at: usize) -> usize {
        let rest = &self.text[at..];
        if rest.starts_with("\r\n") {
            2
        } else if rest.starts_with("\r\r\n") && !self.dialect.lone_cr_ends_line {
            3
        } else {
            usize::from(
                rest.starts_with('\n')
                    || rest == "\r"
                    || (rest.starts_with('\r') && self.dialect.lone_cr_ends_line),
            )
        }
    }

    /// The current line's end and the start of the next one.
    fn this_line(&self) -> (usize, usize) {
        let end = (self.at..self.text.len())
            .find(|&i| self.text.is_char_boundary(i) && self.line_end(i) > 0)
            .unwrap_or(self.text.len());
        (end, end + self.line_end(end))
    }

    fn blank_line(&self) -> bool {
        let line = &self.text[self.at..self.this_line().0];
        let blank = line.chars().all(|c| " \t\r\u{c}\u{1a}".contains(c));
        let first = self.delimiter().chars().next();
        blank && (self.skips_runs_of_blanks() || !line.chars().any(|c| Some(c) == first))
    }

    /// Whether every part of the line is drawn with marks, some mark three times in a row; or two parts are, and all with one mark.
    fn rule_line(&self) -> bool {
        let line = &self.text[self.at..self.this_line().0];
        let divider = self.delimiter().chars().next();
        let is_drawn = |c: char| ('\u{2500}'..='\u{257f}').contains(&c);
        let mark = |c: char| "-=_~*#+|".contains(c) || is_drawn(c);
        let same = |a: char, b: char| a == b || (!a.is_ascii() && !b.is_ascii());
        let long = |part: &str| {
            let chars: Vec<char> = part.chars().collect();
            chars.windows(3).any(|w| same(w[0], w[1]) && same(w[1], w[2]))
        };
        let parts =
            || line.split(|c| c == ' ' || (Some(c) == divider && !is_drawn(c))).filter(|p| !p.is_empty());
        let marks: Vec<char> = parts().flat_map(str::chars).collect();
        let alike = marks.iter().all(|c| c.is_ascii() && *c == marks[0]);
        let drawn = parts().filter(|p| long(p)).count();
        divider.is_some()
            && marks.iter().all(|c| mark(*c))
            && drawn > 0
            && (drawn == parts().count() || (drawn > 1 && alike))
    }

    /// Whether a tab divides as a space does.
    fn tab_divides(&self) -> bool {
        self.dialect.runs_as_one && self.delimiter() == " "
    }

    fn delimiter_follows(&self) -> bool {
        !self.delimiter().is_empty()
            && (self.rest().starts_with(self.delimiter())
                || (self.tab_divides() && self.rest().starts_with('\t')))
    }

    fn skip_run(&mut self) {
        while self.delimiter_follows() {
            self.at += self.delimiter().len();
        }
        // What is left of a run of one mark that the delimiter does not divide evenly.
        let Some(mark) = self.delimiter().chars().next() else { return };
        let is_one = self.delimiter().trim_matches(mark).is_empty();
        while is_one && self.dialect.runs_as_one && self.rest().starts_with(mark) {
            self.at += mark.len_utf8();
        }
    }

    fn record(&mut self) -> Record {
        self.lines = 1;
        let mut fields = Vec::new();
        if self.skips_runs_of_blanks() {
            self.skip_run();
        }
        loop {
            if Some(fields.len() + 1) == self.dialect.most_fields {
                let end = self.this_line().0;
                fields.push(self.text[self.at..end].trim_end_matches([' ', '\t']).to_owned());
                self.at = end;
                break;
            }
            fields.push(self.field());
            if !self.delimiter_follows() {
                break;
            }
            self.at += self.delimiter().len();
            if self.dialect.runs_as_one {
                self.skip_run();
                if self.blank_delimiter() && (self.rest().is_empty() || self.line_end(self.at) > 0) {
                    break;
                }
            }
        }
        self.at += self.line_end(self.at);
        Record { fields, lines: self.lines }
    }

    fn field(&mut self) -> String {
        let start = self.at;
        let Some(quote) = self.dialect.quote.map(char::from) else { return self.plain() };
        while self.rest().starts_with([' ', '\t']) && !self.delimiter_follows() {
            self.at += 1;
        }
        if self.rest().starts_with(quote)
            && let Some((value, lines)) = self.quoted(quote)
        {
            self.lines += lines;
            return value;
        }
        self.at = start;
        self.plain()
    }

    fn plain(&mut self) -> String {
        let start = self.at;
        while !self.rest().is_empty() && !self.delimiter_follows() && self.line_end(self.at) == 0 {
            self.at += self.rest().chars().next().map_or(1, char::len_utf8);
        }
        self.text[start..self.at].to_owned()
    }

    /// Reads a quoted field and stands at its delimiter or line end; `None`: it is none.
    fn quoted(&mut self, quote: char) -> Option<(String, u32)> {
        let open = self.at;
        let mut value = String::new();
        let mut lines = 0;
        self.at += 1;
        while let Some(c) = self.rest().chars().next() {
            if self.at - open > QUOTE_REACH {
                return None;
            }
            let behind = self.text[self.at + c.len_utf8()..].chars().next();
            if c == '\\' && !self.dialect.doubles_quotes && (behind == Some(quote) || behind == Some(c)) {
                value.extend(behind);
                self.at += 2;
            } else if c != quote {
                let pair = self.rest().starts_with("\r\n") || self.line_end(self.at) == 3;
                if self.line_end(self.at) > 0 && !pair {
                    lines += 1;
                }
                value.push(c);
                self.at += c.len_utf8();
            } else if self.text[self.at + 1..].starts_with(quote) {
                value.push(quote);
                self.at += 2;
            } else if let Some(after) = self.closes(self.at) {
                self.at = after;
                return Some((value, lines));
            } else if self.closed_later_in_line(quote) {
                value.push(quote);
                self.at += 1;
            } else {
                return None;
            }
        }
        None
    }

    /// Where the field ends if the quote at `at` closes it.
    fn closes(&self, at: usize) -> Option<usize> {
        let mut probe = Twin { text: self.text, dialect: self.dialect, at: at + 1, lines: 0 };
        loop {
            if probe.rest().is_empty() || probe.delimiter_follows() || probe.line_end(probe.at) > 0 {
                return Some(probe.at);
            }
            if !probe.rest().starts_with([' ', '\t']) {
                return None;
            }
            probe.at += 1;
        }
    }

    fn closed_later_in_line(&self, quote: char) -> bool {
        let end = self.this_line().0;
        let mut at = self.at + 1;
        while let Some(found) = self.text[at..end].find(quote).map(|i| at + i) {
            let before = &self.text[..found];
            let slashes = self.text[self.at + 1..found].chars().rev().take_while(|c| *c == '\\').count();
            if !self.dialect.doubles_quotes && slashes % 2 == 1 {
                at = found + 1;
                continue;
            }
            if !self.delimiter().is_empty()
                && (before.ends_with(self.delimiter()) || (self.tab_divides() && before.ends_with('\t')))
            {
                return false;
            }
            if self.text[found + 1..end].starts_with(quote) {
                at = found + 2;
            } else if self.closes(found).is_some() {
                return true;
            } else {
                at = found + 1;
            }
        }
        false
    }
}
