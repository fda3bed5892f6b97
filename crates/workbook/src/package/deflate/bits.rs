//! Bits in the order of RFC 1951: the first one is the lowest of the first byte.

/// Writes bits.
#[derive(Debug, Default)]
pub(super) struct BitWriter {
    out: Vec<u8>,
    /// Bits not written yet, the first one lowest.
    pending: u64,
    /// How many: fewer than 8 between calls.
    count: u32,
}

/// Bits as they are written: the bits themselves, and how many.
pub(super) type Bits = (u64, u32);

impl BitWriter {
    pub(super) fn with_capacity(bytes: usize) -> Self {
        Self { out: Vec::with_capacity(bytes), ..Self::default() }
    }

    /// Writes the lowest `count` bits of `bits` (the others are 0), at most 32.
    pub(super) fn write(&mut self, bits: u32, count: u32) {
        self.pending |= u64::from(bits) << self.count;
        self.count += count;
        while self.count >= 8 {
            self.out.push(self.pending as u8);
            self.pending >>= 8;
            self.count -= 8;
        }
    }

    /// Writes what `each` hands to a [`Run`], of which there are `total` bits.
    pub(super) fn run(&mut self, total: u64, each: impl FnOnce(&mut Run<'_>)) {
        let start = self.out.len();
        let bytes = (u64::from(self.count) + total) / 8;
        // Eight bytes are written at a time, so some more are needed.
        self.out.resize(start + bytes as usize + 8, 0);
        let mut run = Run { out: &mut self.out[start..], at: 0, pending: self.pending, count: self.count };
        each(&mut run);
        let at = run.at;
        (self.pending, self.count) = (run.pending, run.count);
        self.out.truncate(start + at);
    }

    /// Fills the byte up with zeros.
    pub(super) fn align(&mut self) {
        if self.count > 0 {
            self.out.push(self.pending as u8);
        }
        (self.pending, self.count) = (0, 0);
    }

    /// The bytes written; whole ones only.
    pub(super) fn into_bytes(self) -> Vec<u8> {
        self.out
    }
}

/// Bits written one after the other into room that was made for them.
pub(super) struct Run<'o> {
    out: &'o mut [u8],
    at: usize,
    pending: u64,
    count: u32,
}

impl Run<'_> {
    /// Adds bits without writing them: at most 56 with what is pending.
    #[inline]
    pub(super) fn add(&mut self, (bits, count): Bits) {
        self.pending |= bits << self.count;
        self.count += count;
    }

    /// Writes whole bytes of what is pending.
    #[inline]
    pub(super) fn flush(&mut self) {
        self.out[self.at..self.at + 8].copy_from_slice(&self.pending.to_le_bytes());
        self.at += (self.count / 8) as usize;
        self.pending >>= self.count & !7;
        self.count &= 7;
    }
}
