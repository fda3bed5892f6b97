//! The lines that layouts are judged by: some from the head, the middle and the tail of a source, whatever its size.

use super::Samples;
use super::quoted::Quoted;

/// Lines with text from the head, the middle and the tail.
const LINES: [usize; 3] = [120, 40, 40];

/// Bytes of the head that are enough, however few lines they hold, once there are some.
const ENOUGH: usize = 48 * 1024;

/// Lines that are looked at even if they are very long.
const FEWEST: usize = 6;

/// Bytes of a very long line that are looked at.
const LONGEST: usize = 24 * 1024;

/// A line of the sample.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line<'t> {
    /// Its text, without the line end and blanks behind.
    pub(super) text: &'t [u8],
    /// Whether it holds nothing but blanks.
    pub(super) is_blank: bool,
}

/// Lines that stand together in the source.
#[derive(Clone, Copy, Debug)]
pub(super) struct Part<'t> {
    /// Whole lines with their ends.
    pub(super) text: &'t [u8],
    /// How many they are, blank ones too.
    pub(super) lines: usize,
}

/// The lines looked at.
#[derive(Clone, Debug)]
pub(super) struct Sample<'t> {
    /// Head, middle and tail, as far as they are apart.
    pub(super) parts: Vec<Part<'t>>,
    /// All lines of the parts.
    pub(super) lines: Vec<Line<'t>>,
    /// Whether a carriage return alone ends a line.
    pub(super) lone_cr: bool,
}

impl<'t> Sample<'t> {
    /// The sample of decoded samples of a source.
    pub(super) fn of(samples: Samples<'t>, lone_cr: bool) -> Self {
        let mut sample = Self { parts: Vec::new(), lines: Vec::new(), lone_cr };
        let whole = samples.middle.is_empty() && samples.tail.is_empty();
        let end = sample.take(samples.head, LINES[0]);
        if whole {
            // The rest of a small file is its middle and its tail.
            let rest = &samples.head[end..];
            let mut starts: Vec<usize> = line_starts(rest, lone_cr);
            if starts.len() <= LINES[1] + LINES[2] {
                if let Some(part) = sample.parts.last_mut() {
                    part.text = &samples.head[..end];
                }
                sample.join(samples.head, end, usize::MAX);
            } else {
                let middle = starts[(starts.len() / 2).saturating_sub(LINES[0] / 2)];
                let tail = starts.split_off(starts.len() - LINES[2])[0];
                sample.take(&rest[middle..tail], LINES[1]);
                sample.take(&rest[tail..], LINES[2]);
            }
        } else {
            sample.take(samples.middle, LINES[1]);
            let starts = line_starts(samples.tail, lone_cr);
            let from = starts.get(starts.len().saturating_sub(LINES[2])).copied().unwrap_or(0);
            sample.take(&samples.tail[from..], LINES[2]);
        }
        sample
    }

    /// The sample of a table whose quoted values hold line ends: whole records of it.
    pub(super) fn of_records(samples: Samples<'t>, lone_cr: bool, quoted: &Quoted) -> Self {
        let mut sample = Self { parts: Vec::new(), lines: Vec::new(), lone_cr };
        let begins = quoted.begins(samples.head, true);
        let is_whole = samples.middle.is_empty() && samples.tail.is_empty();
        let all = begins.len() - 1;
        if is_whole && all <= LINES.iter().sum() {
            sample.put(samples.head, &begins, all);
            return sample;
        }
        let first = all.min(LINES[0]);
        sample.put(samples.head, &begins, first);
        if is_whole {
            let middle = first + (all - first - LINES[1] - LINES[2]) / 2;
            sample.put(samples.head, &begins[middle..], LINES[1]);
            sample.put(samples.head, &begins[all - LINES[2]..], LINES[2]);
        } else {
            // What a chunk from the middle ends with may be half a record.
            let begins = quoted.begins(samples.middle, false);
            sample.put(samples.middle, &begins, LINES[1].min(begins.len().saturating_sub(2)));
            let begins = quoted.begins(samples.tail, false);
            sample.put(samples.tail, &begins[begins.len().saturating_sub(LINES[2] + 1)..], LINES[2]);
        }
        sample
    }

    /// Takes the first `most` records that begin at `begins`, fewer if they are long.
    fn put(&mut self, text: &'t [u8], begins: &[usize], most: usize) {
        let from = begins[0];
        let fits = |at: &usize| begins[*at] - from <= ENOUGH || *at <= FEWEST;
        let count = (0..=most.min(begins.len() - 1)).take_while(fits).last().unwrap_or(0);
        if count > 0 {
            self.parts.push(Part { text: &text[..0], lines: 0 });
            self.join_all(&text[from..begins[count]]);
        }
    }

    /// Takes all lines of a text.
    fn join_all(&mut self, text: &'t [u8]) {
        let mut at = 0;
        while at < text.len() {
            at = self.line(text, at);
        }
        self.close(text);
    }

    /// Takes up to `most` lines with text; the byte behind them.
    fn take(&mut self, text: &'t [u8], most: usize) -> usize {
        self.parts.push(Part { text: &text[..0], lines: 0 });
        self.join(text, 0, most)
    }

    /// Goes on with the last part from byte `at`.
    fn join(&mut self, text: &'t [u8], mut at: usize, most: usize) -> usize {
        let mut taken = 0;
        let from = at;
        while at < text.len() && taken < most {
            if at - from > ENOUGH && taken >= FEWEST {
                break;
            }
            let before = self.lines.len();
            at = self.line(text, at);
            taken += usize::from(!self.lines[before].is_blank);
        }
        self.close(&text[..at]);
        at
    }

    /// Takes the line at byte `at`; the byte behind it.
    fn line(&mut self, text: &'t [u8], at: usize) -> usize {
        let (end, next) = line_end(text, at, self.lone_cr);
        // Tabs at the end are empty fields; blanks there mean nothing.
        let blanks = text[at..end].iter().rev().take_while(|b| matches!(b, b' ' | b'\r' | 0x1A)).count();
        let line = &text[at..end - blanks];
        let line = line.strip_prefix(b"\x0c").unwrap_or(line);
        let is_blank = line.iter().all(|b| matches!(b, b' ' | b'\t' | 0x0C | 0x1A));
        self.lines.push(Line { text: &line[..line.len().min(LONGEST)], is_blank });
        next
    }

    /// Gives the last part its text.
    fn close(&mut self, text: &'t [u8]) {
        let before = self.parts.iter().rev().skip(1).map(|part| part.lines).sum::<usize>();
        if let Some(part) = self.parts.last_mut() {
            (part.text, part.lines) = (text, self.lines.len() - before);
        }
    }

    /// The lines that are not blank.
    pub(super) fn filled(&self) -> impl Iterator<Item = &'t [u8]> + '_ {
        self.lines.iter().filter(|l| !l.is_blank).map(|l| l.text)
    }
}

/// The end of the line at `at` and the start of the next one.
fn line_end(text: &[u8], at: usize, lone_cr: bool) -> (usize, usize) {
    let mut look = at;
    loop {
        let Some(found) = memchr::memchr2(b'\n', b'\r', &text[look..]) else {
            return (text.len(), text.len());
        };
        let found = look + found;
        match (text[found], text.get(found + 1)) {
            (b'\n', _) => return (found, found + 1),
            (_, Some(b'\n')) => return (found, found + 2),
            _ if lone_cr => return (found, found + 1),
            _ => look = found + 1,
        }
    }
}

fn line_starts(text: &[u8], lone_cr: bool) -> Vec<usize> {
    let mut starts = Vec::new();
    let mut at = 0;
    while at < text.len() {
        starts.push(at);
        at = line_end(text, at, lone_cr).1;
    }
    starts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn small_files_are_looked_at_as_a_whole_and_large_ones_in_three_places() {
        let text = |lines: usize| (0..lines).map(|i| format!("line {i}\n")).collect::<String>();
        for lines in [1, 7, 120, 121, 199, 200] {
            let text = text(lines);
            let sample = Sample::of(Samples { head: text.as_bytes(), ..Samples::default() }, false);
            assert_eq!((sample.parts.len(), sample.lines.len()), (1, lines), "{lines}");
            assert_eq!(sample.parts[0].text.len(), text.len());
        }
        let text = text(5000);
        let sample = Sample::of(Samples { head: text.as_bytes(), ..Samples::default() }, false);
        assert_eq!((sample.parts.len(), sample.lines.len()), (3, 200));
        assert_eq!(sample.lines[199].text, b"line 4999");
    }

    #[test]
    fn all_line_ends_end_lines_and_long_lines_are_cut() {
        let sample = Sample::of(Samples { head: b"a\r\nb\rc\n\n \n", ..Samples::default() }, true);
        let lines: Vec<&[u8]> = sample.filled().collect();
        assert_eq!(lines, [b"a", b"b", b"c"]);
        let long = "x".repeat(1 << 20);
        let sample = Sample::of(Samples { head: long.as_bytes(), ..Samples::default() }, false);
        assert_eq!(sample.lines[0].text.len(), LONGEST);
    }
}
