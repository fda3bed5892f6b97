//! Sequences as bits: one block with codes of its own (RFC 1951, 3.2.7).

use super::bits::{BitWriter, Bits};
use super::matches::Sequence;

/// Literals, the end of a block, and lengths.
const LITERALS: usize = 286;
const DISTANCES: usize = 30;
const END: usize = 256;

/// Longest code of literals and distances.
const CODE_BITS: u32 = 15;

/// Longest code of literals and lengths here: four of them fit into a word.
const LITERAL_CODE_BITS: u32 = 14;

/// Longest code of code lengths.
const LENGTH_CODE_BITS: u32 = 7;

/// Order in which the lengths of the code-length code are written.
const LENGTH_ORDER: [usize; 19] = [16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15];

/// First length (less 3) of each length symbol, and bits that follow it.
const LENGTH_SYMBOLS: [(u8, u8); 29] = [
    (0, 0),
    (1, 0),
    (2, 0),
    (3, 0),
    (4, 0),
    (5, 0),
    (6, 0),
    (7, 0),
    (8, 1),
    (10, 1),
    (12, 1),
    (14, 1),
    (16, 2),
    (20, 2),
    (24, 2),
    (28, 2),
    (32, 3),
    (40, 3),
    (48, 3),
    (56, 3),
    (64, 4),
    (80, 4),
    (96, 4),
    (112, 4),
    (128, 5),
    (160, 5),
    (192, 5),
    (224, 5),
    (255, 0),
];

/// Symbol of each length (less 3).
const SYMBOL_OF_LENGTH: [u8; 256] = {
    let mut symbols = [0; 256];
    let mut symbol = 0;
    while symbol < 29 {
        let mut length = LENGTH_SYMBOLS[symbol].0 as usize;
        let end = if symbol < 28 { LENGTH_SYMBOLS[symbol + 1].0 as usize } else { 256 };
        while length < end {
            symbols[length] = symbol as u8;
            length += 1;
        }
        symbol += 1;
    }
    symbols
};

/// Symbol of each distance (less 1): below 256 its own place, else by its upper bits.
const SYMBOL_OF_DISTANCE: [u8; 512] = {
    let mut symbols = [0; 512];
    let mut place = 0;
    while place < 512 {
        let distance = if place < 256 { place as u32 } else { (place as u32 - 256) << 7 };
        symbols[place] = if distance < 4 {
            distance as u8
        } else {
            let top = distance.ilog2();
            (2 * top + ((distance >> (top - 1)) & 1)) as u8
        };
        place += 1;
    }
    symbols
};

/// Symbol, bits that follow, and their value, of a distance (less 1).
#[inline]
fn distance_symbol(distance: u16) -> (usize, u32, u32) {
    let distance = usize::from(distance);
    let place = if distance < 256 { distance } else { 256 + (distance >> 7) };
    let symbol = usize::from(SYMBOL_OF_DISTANCE[place & 511]);
    let extra = (symbol as u32 / 2).saturating_sub(1);
    (symbol, extra, distance as u32 & ((1 << extra) - 1))
}

/// Codes by symbol: bits in the order in which they are written, and how many.
#[derive(Clone, Copy, Debug, Default)]
struct Code {
    bits: u16,
    length: u8,
}

/// Writes the sequences of `raw` from byte `from` on as one block that is not the last one.
pub(super) fn write_segment(out: &mut BitWriter, raw: &[u8], from: usize, sequences: &[Sequence]) {
    let mut literal_counts = [0_u32; LITERALS];
    let mut distance_counts = [0_u32; DISTANCES];
    // Every other literal is counted apart: adding to one place twice in a row has to wait.
    let mut more_counts = [0_u32; 256];
    literal_counts[END] = 1;
    let mut at = from;
    for sequence in sequences {
        let end = at + sequence.literals as usize;
        let mut pairs = raw[at..end].chunks_exact(2);
        for pair in &mut pairs {
            literal_counts[usize::from(pair[0])] += 1;
            more_counts[usize::from(pair[1])] += 1;
        }
        for &byte in pairs.remainder() {
            literal_counts[usize::from(byte)] += 1;
        }
        if sequence.length > 0 {
            literal_counts[257 + usize::from(SYMBOL_OF_LENGTH[usize::from(sequence.length - 3)])] += 1;
            distance_counts[distance_symbol(sequence.distance - 1).0] += 1;
        }
        at = end + usize::from(sequence.length);
    }
    for (count, more) in literal_counts.iter_mut().zip(more_counts) {
        *count += more;
    }
    let literals = codes::<LITERALS>(&literal_counts, LITERAL_CODE_BITS);
    let distances = codes::<DISTANCES>(&distance_counts, CODE_BITS);
    out.write(0, 1);
    out.write(2, 2);
    write_code_lengths(out, &literals, &distances);
    let lengths = length_codes(&literals);
    let mut distance_bits = [(0_u64, 0_u32); 32];
    for (bits, code) in distance_bits.iter_mut().zip(&distances) {
        *bits = (u64::from(code.bits), u32::from(code.length));
    }
    let literal_bits: [Bits; 256] =
        std::array::from_fn(|b| (u64::from(literals[b].bits), u32::from(literals[b].length)));
    let total = total_bits(&literal_counts, &distance_counts, &literals, &distances);
    out.run(total, |run| {
        at = from;
        for sequence in sequences {
            let end = at + sequence.literals as usize;
            // Four literals have at most 56 bits.
            let mut fours = raw[at..end].chunks_exact(4);
            for four in &mut fours {
                run.add(literal_bits[usize::from(four[0])]);
                run.add(literal_bits[usize::from(four[1])]);
                run.add(literal_bits[usize::from(four[2])]);
                run.add(literal_bits[usize::from(four[3])]);
                run.flush();
            }
            let rest = fours.remainder();
            if !rest.is_empty() {
                for literal in rest {
                    run.add(literal_bits[usize::from(*literal)]);
                }
                run.flush();
            }
            if sequence.length > 0 {
                // Length and distance have at most 48 bits.
                run.add(lengths[usize::from(sequence.length - 3)]);
                let (symbol, extra, rest) = distance_symbol(sequence.distance - 1);
                let (bits, count) = distance_bits[symbol & 31];
                run.add((bits | u64::from(rest) << count, count + extra));
                run.flush();
            }
            at = end + usize::from(sequence.length);
        }
        run.add((u64::from(literals[END].bits), u32::from(literals[END].length)));
        run.flush();
    });
}

/// Bits that tokens take with these codes.
fn total_bits(
    literal_counts: &[u32; LITERALS],
    distance_counts: &[u32; DISTANCES],
    literals: &[Code; LITERALS],
    distances: &[Code; DISTANCES],
) -> u64 {
    let product = |count: u32, bits: u32| u64::from(count) * u64::from(bits);
    let mut total = 0;
    for (symbol, (count, code)) in literal_counts.iter().zip(literals).enumerate() {
        let extra = symbol.checked_sub(257).map_or(0, |s| LENGTH_SYMBOLS[s].1);
        total += product(*count, u32::from(code.length + extra));
    }
    for (symbol, (count, code)) in distance_counts.iter().zip(distances).enumerate() {
        let extra = (symbol as u32 / 2).saturating_sub(1);
        total += product(*count, u32::from(code.length) + extra);
    }
    total
}

/// Code and following bits of each length (less 3), put together once for a block.
fn length_codes(literals: &[Code; LITERALS]) -> [Bits; 256] {
    std::array::from_fn(|length| {
        let symbol = usize::from(SYMBOL_OF_LENGTH[length]);
        let code = literals[257 + symbol];
        let (first, extra) = LENGTH_SYMBOLS[symbol];
        let rest = (length as u64 - u64::from(first)) << code.length;
        (u64::from(code.bits) | rest, u32::from(code.length) + u32::from(extra))
    })
}

/// Codes for symbols that occur so often, none longer than `most` bits.
fn codes<const N: usize>(counts: &[u32; N], most: u32) -> [Code; N] {
    let lengths = code_lengths(counts, most);
    // Codes of one length follow each other in the order of their symbols (RFC 1951, 3.2.2).
    let mut by_length = [0_u32; 16];
    for length in lengths.iter().filter(|l| **l > 0) {
        by_length[usize::from(*length)] += 1;
    }
    let mut next = [0_u32; 17];
    for length in 1..16 {
        next[length + 1] = (next[length] + by_length[length]) << 1;
    }
    let mut codes = [Code::default(); N];
    for (code, &length) in codes.iter_mut().zip(&lengths) {
        if length > 0 {
            let value = next[usize::from(length)];
            next[usize::from(length)] += 1;
            *code = Code { bits: (value as u16).reverse_bits() >> (16 - length), length };
        }
    }
    codes
}

/// Lengths of an optimal prefix code; those above `most` are shortened at the cost of the next best ones.
fn code_lengths<const N: usize>(counts: &[u32; N], most: u32) -> [u8; N] {
    let mut lengths = [0_u8; N];
    let mut leaves: Vec<(u32, usize)> =
        counts.iter().enumerate().filter(|(_, c)| **c > 0).map(|(s, c)| (*c, s)).collect();
    // A code has two symbols at the least, or decoders may refuse it.
    for symbol in 0..2 {
        if leaves.len() < 2 && !leaves.iter().any(|(_, s)| *s == symbol) {
            leaves.push((1, symbol));
        }
    }
    leaves.sort_unstable();
    // Two queues: leaves by weight, and the nodes made of them, which come out by weight by themselves.
    let count = leaves.len();
    let mut weights: Vec<u64> = leaves.iter().map(|(w, _)| u64::from(*w)).collect();
    let mut parents = vec![0_usize; 2 * count - 1];
    let (mut leaf, mut node) = (0, count);
    for made in count..2 * count - 1 {
        let mut weight = 0;
        for _ in 0..2 {
            let from_leaves = leaf < count && (node >= weights.len() || weights[leaf] <= weights[node]);
            let taken = if from_leaves { &mut leaf } else { &mut node };
            weight += weights[*taken];
            parents[*taken] = made;
            *taken += 1;
        }
        weights.push(weight);
    }
    let mut depths = vec![0_u32; 2 * count - 1];
    for place in (0..2 * count - 2).rev() {
        depths[place] = depths[parents[place]] + 1;
    }
    let mut by_length = [0_u32; 64];
    for depth in &depths[..count] {
        by_length[(*depth).min(most) as usize] += 1;
    }
    shorten(&mut by_length, most);
    // The rarest symbols get the longest codes.
    let mut places = leaves.iter();
    for length in (1..=most).rev() {
        for _ in 0..by_length[length as usize] {
            if let Some((_, symbol)) = places.next() {
                lengths[*symbol] = length as u8;
            }
        }
    }
    lengths
}

/// Makes room for codes that were cut to `most` bits: a code is made longer so that another one can become its sibling.
fn shorten(by_length: &mut [u32; 64], most: u32) {
    let mut used: u64 = (1..=most).map(|l| u64::from(by_length[l as usize]) << (most - l)).sum();
    while used > 1 << most {
        by_length[most as usize] -= 1;
        if let Some(length) = (1..most).rev().find(|l| by_length[*l as usize] > 0) {
            by_length[length as usize] -= 1;
            by_length[length as usize + 1] += 2;
        }
        used -= 1;
    }
}

/// Writes the lengths of both codes, runs of equal ones cut short.
fn write_code_lengths(out: &mut BitWriter, literals: &[Code; LITERALS], distances: &[Code; DISTANCES]) {
    let used = |codes: &[Code], least: usize| {
        codes.iter().rposition(|c| c.length > 0).map_or(least, |p| (p + 1).max(least))
    };
    let (literal_count, distance_count) = (used(literals, 257), used(distances, 1));
    let lengths: Vec<u8> =
        literals[..literal_count].iter().chain(&distances[..distance_count]).map(|c| c.length).collect();
    // Symbols with the bits that follow them.
    let mut runs: Vec<(u8, u32, u32)> = Vec::with_capacity(lengths.len());
    let mut at = 0;
    while at < lengths.len() {
        let length = lengths[at];
        let run = lengths[at..].iter().take_while(|l| **l == length).count();
        let taken = match (length, run) {
            (0, 11..) => {
                let taken = run.min(138);
                runs.push((18, taken as u32 - 11, 7));
                taken
            }
            (0, 3..) => {
                runs.push((17, run as u32 - 3, 3));
                run
            }
            (_, 4..) => {
                let repeated = (run - 1).min(6);
                runs.push((length, 0, 0));
                runs.push((16, repeated as u32 - 3, 2));
                repeated + 1
            }
            _ => {
                runs.push((length, 0, 0));
                1
            }
        };
        at += taken;
    }
    let mut counts = [0_u32; 19];
    for (symbol, ..) in &runs {
        counts[usize::from(*symbol)] += 1;
    }
    let codes = codes::<19>(&counts, LENGTH_CODE_BITS);
    let written = LENGTH_ORDER.iter().rposition(|s| codes[*s].length > 0).map_or(4, |p| (p + 1).max(4));
    out.write(literal_count as u32 - 257, 5);
    out.write(distance_count as u32 - 1, 5);
    out.write(written as u32 - 4, 4);
    for symbol in &LENGTH_ORDER[..written] {
        out.write(u32::from(codes[*symbol].length), 3);
    }
    for (symbol, bits, count) in runs {
        let code = codes[usize::from(symbol)];
        out.write(u32::from(code.bits) | bits << code.length, u32::from(code.length) + count);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The cost of codes by the plain way: the two rarest are joined until one is left.
    fn least_bits(counts: &[u32]) -> u64 {
        let mut heap: Vec<u64> = counts.iter().filter(|c| **c > 0).map(|c| u64::from(*c)).collect();
        let mut bits = if heap.len() == 1 { heap[0] } else { 0 };
        while heap.len() > 1 {
            heap.sort_unstable_by(|a, b| b.cmp(a));
            let joined = heap.pop().unwrap_or(0) + heap.pop().unwrap_or(0);
            bits += joined;
            heap.push(joined);
        }
        bits
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(2000) })]
        #[test]
        fn code_lengths_are_a_code_within_the_limit(
            counts in prop::array::uniform30(prop_oneof![3 => Just(0_u32), 3 => 1_u32..20, 1 => 1_u32..4_000_000]),
            most in 5_u32..=15,
        ) {
            let lengths = code_lengths::<DISTANCES>(&counts, most);
            let used = counts.iter().filter(|c| **c > 0).count();
            let mut kraft = 0_u64;
            let mut bits = 0;
            for (count, length) in counts.iter().zip(lengths) {
                prop_assert!(u32::from(length) <= most);
                prop_assert!(*count == 0 || length > 0, "what occurs has a code");
                if length > 0 {
                    kraft += 1 << (most - u32::from(length));
                }
                bits += u64::from(*count) * u64::from(length);
            }
            // No more codes than there is room for; with two symbols or more all room is taken.
            prop_assert!(kraft <= 1 << most);
            if used >= 2 {
                prop_assert_eq!(kraft, 1 << most, "{:?}", lengths);
            }
            // Where no code had to be shortened, none is cheaper.
            if lengths.iter().all(|length| u32::from(*length) < most) {
                prop_assert_eq!(bits, least_bits(&counts));
            }
        }
    }
}
