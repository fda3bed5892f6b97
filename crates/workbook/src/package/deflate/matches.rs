//! What repeats: a text as runs of literals, each followed by a reference to an earlier place.

/// How far back a reference reaches.
const WINDOW: usize = 32 * 1024;

/// Longest reference.
const LONGEST: usize = 258;

/// Slots of the table of earlier places.
const SLOTS: usize = 1 << 14;

/// Literals, then a reference.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Sequence {
    /// Literal bytes.
    pub(super) literals: u32,
    /// Length of the reference; 0: there is none, at the end of a block.
    pub(super) length: u16,
    /// Its distance.
    pub(super) distance: u16,
}

/// A stretch of bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Span {
    /// First byte.
    pub start: u32,
    /// The byte after the last one.
    pub end: u32,
}

impl Span {
    /// A stretch that is never reached.
    const NONE: Self = Self { start: u32::MAX, end: u32::MAX };
}

/// Where the same bytes probably stand: what the writer of rows knows about its own mark-up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The byte at which they stand again.
    pub at: u32,
    /// The byte at which they stood before.
    pub earlier: u32,
    /// How many of them at most.
    pub most: u32,
}

impl Hint {
    const NONE: Self = Self { at: u32::MAX, earlier: 0, most: 0 };
}

/// Shortest hinted reference.
const LEAST_HINTED: usize = 4;

/// Finds references.
#[derive(Debug)]
pub(super) struct MatchFinder {
    /// The last place at which bytes of each hash were looked up: its lowest 16 bits, twice what a reference reaches.
    /// Whether a place holds the same bytes is seen there.
    places: Box<[u16]>,
}

impl Default for MatchFinder {
    fn default() -> Self {
        Self { places: vec![0; SLOTS].into_boxed_slice() }
    }
}

/// The slot of the six bytes that a little-endian word begins with.
#[inline]
fn slot(word: u64) -> usize {
    ((word << 16).wrapping_mul(0x9E37_79B1_85EB_CA87) >> (64 - SLOTS.trailing_zeros())) as usize
}

#[inline]
fn word_at(raw: &[u8], at: usize) -> Option<u64> {
    raw.get(at..at + 8).and_then(|b| b.try_into().ok()).map(u64::from_le_bytes)
}

impl MatchFinder {
    /// Forgets all places: a new block begins.
    pub(super) fn begin(&mut self) {
        self.places.fill(0);
    }

    /// Appends up to `most` sequences for `raw` from byte `from` on; gives the byte they end at. `spans` are stretches
    /// that hold ever new characters, in order: only their first byte is looked up. `hints`, in order, are tried where they say; nothing
    /// that they cover is looked up.
    pub(super) fn sequences(
        &mut self,
        raw: &[u8],
        from: usize,
        most: usize,
        (spans, hints): (&[Span], &[Hint]),
        sequences: &mut Vec<Sequence>,
    ) -> usize {
        // Literals since this byte are in no sequence yet.
        let mut anchor = from;
        let mut at = from;
        let mut spans = spans[spans.partition_point(|s| (s.end as usize) <= from)..].iter();
        let mut span = spans.next().copied().unwrap_or(Span::NONE);
        let mut hints = hints[hints.partition_point(|h| (h.at as usize) < from)..].iter();
        let mut hint = hints.next().copied().unwrap_or(Hint::NONE);
        while let Some(word) = word_at(raw, at) {
            if at >= hint.at as usize {
                let tried = std::mem::replace(&mut hint, hints.next().copied().unwrap_or(Hint::NONE));
                if let Some((start, end, distance)) = hinted(raw, (anchor, at), tried) {
                    sequences.push(Sequence {
                        literals: (start - anchor) as u32,
                        length: (end - start) as u16,
                        distance,
                    });
                    at = end;
                    anchor = end;
                    if sequences.len() == most {
                        return end;
                    }
                }
                continue;
            }
            if at > span.start as usize {
                at = at.max(span.end as usize);
                span = spans.next().copied().unwrap_or(Span::NONE);
                continue;
            }
            let place = &mut self.places[slot(word)];
            let distance = usize::from((at as u16).wrapping_sub(*place));
            *place = at as u16;
            if distance == 0 || distance > WINDOW || distance > at {
                at += 1;
                continue;
            }
            let mut earlier = at - distance;
            let mut length = common(raw, earlier, at, word);
            if length < least(at - earlier) {
                at += 1;
                continue;
            }
            let end = at + length;
            let mut start = at;
            while start > anchor && earlier > 0 && length < LONGEST && raw[start - 1] == raw[earlier - 1] {
                (start, earlier, length) = (start - 1, earlier - 1, length + 1);
            }
            sequences.push(Sequence {
                literals: (start - anchor) as u32,
                length: length as u16,
                distance: (start - earlier) as u16,
            });
            // What follows a repetition is often followed by the next one: its end is worth a place.
            if let Some(word) = word_at(raw, end - 2) {
                self.places[slot(word)] = (end - 2) as u16;
            }
            at = end;
            anchor = end;
            if sequences.len() == most {
                return end;
            }
        }
        // Too few bytes for a look-up: the end of the block.
        sequences.push(Sequence { literals: (raw.len() - anchor) as u32, length: 0, distance: 0 });
        raw.len()
    }
}

/// The reference that a hint is good for: its first byte, the one behind, and the distance. What stands between `anchor` and `at` is in
/// no reference yet. A hint that is wrong gives none, or a shorter one.
#[inline]
fn hinted(raw: &[u8], (anchor, at): (usize, usize), hint: Hint) -> Option<(usize, usize, u16)> {
    // What was found before may reach into it.
    let into = at - hint.at as usize;
    let room = (hint.most as usize).saturating_sub(into).min(LONGEST);
    let mut earlier = hint.earlier as usize + into;
    if room < LEAST_HINTED || earlier >= at || at - earlier > WINDOW {
        return None;
    }
    let whole = raw.get(at..at + room);
    let is_whole = whole.is_some() && whole == raw.get(earlier..earlier + room);
    let length = if is_whole { room } else { common_up_to(raw, earlier, at, room) };
    if length < LEAST_HINTED {
        return None;
    }
    let end = at + length;
    let mut start = at;
    while start > anchor && earlier > 0 && end - start < LONGEST && raw[start - 1] == raw[earlier - 1] {
        (start, earlier) = (start - 1, earlier - 1);
    }
    Some((start, end, (start - earlier) as u16))
}

/// Bytes that `raw` has in common at two places, at most `room`.
#[inline]
fn common_up_to(raw: &[u8], earlier: usize, at: usize, room: usize) -> usize {
    let room = room.min(raw.len() - at);
    let mut length = 0;
    let sixteen = |at: usize| raw.get(at..).and_then(<[u8]>::first_chunk::<16>);
    while length < room {
        match (sixteen(earlier + length), sixteen(at + length)) {
            (Some(a), Some(b)) if a == b => {
                length += 16;
                continue;
            }
            _ => {}
        }
        match (word_at(raw, earlier + length), word_at(raw, at + length)) {
            (Some(a), Some(b)) if a == b => length += 8,
            (Some(a), Some(b)) => return (length + (a ^ b).trailing_zeros() as usize / 8).min(room),
            _ => {
                while length < room && raw[earlier + length] == raw[at + length] {
                    length += 1;
                }
                return length;
            }
        }
    }
    room
}

/// Shortest reference that is worth its bits at a distance. A reference hides the next, longer one behind it: that costs
/// more than the bits it saves when it is short. Tried on sheets of port calls; shorter ones make them larger.
#[inline]
fn least(distance: usize) -> usize {
    if distance <= 128 { 6 } else { 8 }
}

/// Bytes that `raw` has in common at two places, at most [`LONGEST`]. `word`: the eight bytes at the later one.
#[inline]
fn common(raw: &[u8], earlier: usize, at: usize, word: u64) -> usize {
    let Some(first) = word_at(raw, earlier) else { return 0 };
    let differing = first ^ word;
    if differing != 0 {
        return differing.trailing_zeros() as usize / 8;
    }
    let room = LONGEST.min(raw.len() - at);
    let mut length = 8;
    while length + 8 <= room {
        match (word_at(raw, earlier + length), word_at(raw, at + length)) {
            (Some(a), Some(b)) if a == b => length += 8,
            (Some(a), Some(b)) => return length + (a ^ b).trailing_zeros() as usize / 8,
            _ => break,
        }
    }
    while length < room && raw[earlier + length] == raw[at + length] {
        length += 1;
    }
    length
}
