//! The known word that a misspelled one was meant to be.

/// The word that is most alike, if one is alike at all.
pub fn nearest<'w>(word: &str, known: impl IntoIterator<Item = &'w str>) -> Option<&'w str> {
    let best = known.into_iter().min_by_key(|k| distance(word, k))?;
    (distance(word, best) <= 1 + word.chars().count() / 3).then_some(best)
}

/// How many characters must be put in, left out or changed.
fn distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, c) in a.chars().enumerate() {
        let mut corner = row[0];
        row[0] = i + 1;
        for (j, d) in b.iter().enumerate() {
            let change = corner + usize::from(c != *d);
            corner = row[j + 1];
            row[j + 1] = change.min(row[j] + 1).min(row[j + 1] + 1);
        }
    }
    row[b.len()]
}
