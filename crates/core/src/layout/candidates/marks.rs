//! Marks that may divide fields, and marks that begin comments.

use super::super::measure::structure::rank;
use super::super::tally::Tally;

/// Marks that are looked at.
const MOST: usize = 14;

/// Lines whose neighbours of a mark are looked at.
const LINES: usize = 120;

/// Characters that values, words and numbers are made of.
fn belongs_to_values(c: char) -> bool {
    c.is_alphanumeric() || "\"'_.-()[]{}<>+*%$&\\`@".contains(c)
}

/// Marks, also of several characters, that stand in many lines.
pub(super) fn delimiters(lines: &[&str]) -> Vec<String> {
    let mut counts: Tally<char> = Tally::default();
    for line in lines {
        let mut seen: Vec<char> = Vec::new();
        for c in line.chars() {
            let odd = c.is_ascii() || "¦¬§¤·¶│║┃".contains(c);
            if odd && !belongs_to_values(c) && c != '\u{c}' && !seen.contains(&c) {
                seen.push(c);
                counts.add(c);
            }
        }
    }
    let mut counts: Vec<(char, usize)> = counts.iter().map(|(c, count)| (*c, count)).collect();
    counts.sort_by_key(|c| (std::cmp::Reverse(c.1), c.0));
    let mut found: Vec<String> = Vec::new();
    for (mark, count) in counts.into_iter().take(MOST) {
        let run = longest_run(lines, mark);
        if !is_common(lines, count, run) {
            continue;
        }
        found.push(mark.to_string());
        found.extend(longer(lines, mark));
    }
    found.extend(paired(lines));
    found.extend(odd(lines));
    found.extend(leaders(lines));
    let mut seen: Vec<String> = Vec::new();
    found.retain(|f| {
        let new = !seen.contains(f);
        seen.push(f.clone());
        new
    });
    found
}

/// Whether a mark that so many lines hold, so many of them in one run, may divide: lines in front of a table hold others.
fn is_common(lines: &[&str], holding: usize, run: usize) -> bool {
    holding * 100 >= lines.len() * 35 || run >= 3.max(lines.len() / 10)
}

/// Single marks that values and words hold as a rule, where nearly all lines that hold one of them hold it equally often, several
/// times.
fn odd(lines: &[&str]) -> Vec<String> {
    ['&', '%', '$', '*', '+', '@', '\\', '{', '}', '<', '>', '`']
        .into_iter()
        .filter(|mark| {
            let counts: Tally<usize> =
                lines.iter().map(|l| l.matches(*mark).count()).filter(|count| *count > 0).collect();
            let holding: usize = counts.iter().map(|c| c.1).sum();
            let steady = counts.top().is_some_and(|(most, often)| *most >= 2 && often * 4 >= holding * 3);
            steady && is_common(lines, holding, longest_run(lines, *mark))
        })
        .map(String::from)
        .collect()
}

/// Dots that lead from one value to the next: three or more.
pub(super) const LEADERS: &str = "...";

/// The dots that lead from one value to the next, where many lines hold them between others.
fn leaders(lines: &[&str]) -> Option<String> {
    let leads = |line: &&&str| {
        let line = line.trim_matches([' ', '.']);
        line.contains(LEADERS)
    };
    (lines.iter().filter(leads).count() * 100 >= lines.len() * 35).then(|| LEADERS.to_owned())
}

/// Runs of two to four marks, none of which divides alone, that most lines hold: `<>`, `%%`.
fn paired(lines: &[&str]) -> Vec<String> {
    let mut runs: Tally<&str> = Tally::default();
    for line in lines.iter().take(LINES) {
        let mut seen: Vec<&str> = Vec::new();
        for run in line.split(|c: char| c.is_alphanumeric() || c.is_whitespace() || matches!(c, '"' | '\'')) {
            let length = run.chars().count();
            let own = run.chars().all(belongs_to_values) && !run.chars().all(|c| "._-*()[]{}".contains(c));
            if (2..=4).contains(&length) && own && !seen.contains(&run) {
                seen.push(run);
                runs.add(run);
            }
        }
    }
    let many = |count: usize| count * 10 >= lines.len().min(LINES) * 4;
    runs.iter().filter(|(_, count)| many(*count)).map(|(run, _)| (*run).to_owned()).collect()
}

/// The longest run of neighbouring lines with a mark.
fn longest_run(lines: &[&str], mark: char) -> usize {
    let (mut best, mut run) = (0, 0);
    for line in lines {
        run = if line.contains(mark) { run + 1 } else { 0 };
        best = best.max(run);
    }
    best
}

/// Longer marks that hold `mark`: its usual run, and the run with what always stands beside it.
fn longer(lines: &[&str], mark: char) -> Vec<String> {
    if mark == ' ' || mark == '\t' {
        return Vec::new();
    }
    let mut runs: Tally<&str> = Tally::default();
    let (mut before, mut behind): (Tally<String>, Tally<String>) = Default::default();
    let mut both: Tally<(String, String)> = Tally::default();
    let (mut all, mut even) = (0, 0);
    for line in lines.iter().take(LINES) {
        let mut at = 0;
        while let Some(found) = line[at..].find(mark) {
            let from = at + found;
            let run = line[from..].chars().take_while(|c| *c == mark).count();
            let to = from + run * mark.len_utf8();
            let outside = |c: Option<char>| {
                c.filter(|c| !c.is_alphanumeric() && *c != '"').map(String::from).unwrap_or_default()
            };
            let front = outside(line[..from].chars().next_back());
            let back = outside(line[to..].chars().next());
            all += 1;
            even += usize::from(run % 2 == 0);
            runs.add(&line[from..to]);
            before.add(front.clone());
            behind.add(back.clone());
            both.add((front, back));
            at = to;
        }
    }
    let mut found = Vec::new();
    let Some((run, often)) = runs.top() else { return found };
    let doubled = run.chars().count() > 1;
    if doubled && often * 5 > all * 4 {
        found.push((*run).to_owned());
    } else if even * 2 > all {
        // Blank fields make longer runs of a doubled mark.
        found.push(mark.to_string().repeat(2));
    }
    if !doubled {
        let always = |beside: &Tally<String>| {
            beside
                .top()
                .filter(|(text, often)| {
                    !matches!(text.as_str(), "" | " " | "\t")
                        && !text.starts_with(mark)
                        && *often * 100 > all * 95
                })
                .map(|top| top.0.clone())
        };
        let (front, back) = (always(&before), always(&behind));
        if let (Some(front), Some(back)) = (&front, &back) {
            found.push(format!("{front}{run}{back}"));
        }
        found.extend(front.map(|front| format!("{front}{run}")));
        found.extend(back.map(|back| format!("{run}{back}")));
    }
    if let Some((pair, often)) = both.top()
        && matches!((pair.0.as_str(), pair.1.as_str()), (" ", " ") | ("\t", "\t"))
        && often * 100 > all * 95
        && (doubled || rank(run) >= 5 || *run == "=")
    {
        found.push(format!("{}{run}{}", pair.0, pair.1));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_of_several_characters_are_found() {
        for (line, expected) in [
            ("007~|Saltwind~|3", "~|"),
            ("007 :: Saltwind :: 3", " :: "),
            ("007||Saltwind||3", "||"),
            ("007\u{1f}Saltwind\u{1f}3", "\u{1f}"),
            ("007|Saltwind|3", "|"),
            ("007 | Saltwind | 3", " | "),
            ("berth.depth = 9 m", " = "),
        ] {
            let lines = vec![line; 8];
            assert!(delimiters(&lines).contains(&expected.to_owned()), "{line}: {:?}", delimiters(&lines));
        }
    }

    #[test]
    fn marks_are_found_below_other_lines_and_beside_blank_fields() {
        let title = ["Dues of August", "**********", "Printed: noon", "", "for the board", "of the quay"];
        for (lines, expected) in [
            // Blank fields make runs of a doubled mark longer; times hold it once.
            (["7::::09:30::3", "8::Tern::10:15::", "9::::11:00::5", "10::Anselm::::7"], "::"),
            (["7*Tern*12*3", "8*Anselm*9*4", "9*Heron*3*5", "10*Saltwind*7*1"], "*"),
            (["7&Tern&12", "8&Anselm&9", "9&Heron&3", "10&Saltwind&7"], "&"),
            (["7\t|\tTern\t|\t12", "8\t|\tHeron\t|\t9", "9\t|\tTern\t|\t3", "7\t|\tIce\t|\t1"], "\t|\t"),
        ] {
            let all: Vec<&str> = title.iter().chain(&lines).copied().filter(|l| !l.is_empty()).collect();
            assert!(delimiters(&all).contains(&expected.to_owned()), "{expected}: {:?}", delimiters(&all));
        }
    }
}
